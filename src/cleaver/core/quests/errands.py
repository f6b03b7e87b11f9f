"""Errands: the state of quests: what each player has of each, and the sets that quests are drawn from. Start
at `Errand`.
"""

from __future__ import annotations

from cleaver.core.kernel.arguments import whole_if
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.clock import LIMITS, NO_DAY, RETURNS, WAITS, Timer
from cleaver.core.kernel.state import Record

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import ClassVar, Final

    from cleaver.core.kernel.tallies import Kept
    from cleaver.core.quests.kinds import QuestKind
    from cleaver.literals import Blocked, QuestState


LOCKED: Final = "locked"


AVAILABLE: Final = "available"


ACTIVE: Final = "active"


READY: Final = "ready"


COMPLETED: Final = "completed"


FAILED: Final = "failed"


STATES: tuple[QuestState, ...] = (LOCKED, AVAILABLE, ACTIVE, READY, COMPLETED, FAILED)


ENDLESS = 2.0**64  # more than can be counted: the target of a goal for all of what is not there yet
OVER: dict[str, Blocked] = {LOCKED: LOCKED, COMPLETED: COMPLETED}
"""Why a quest that is not under way cannot be ended; else it is "not_active"."""


class TurningIn(Timer):
    """A turning in that lasts: due when the reward comes."""

    __slots__ = ()
    rank: ClassVar[int] = WAITS
    verb: ClassVar[str] = "turn_in"


class TimeLimit(Timer):
    """The end of a quest's time."""

    __slots__ = ()
    rank: ClassVar[int] = LIMITS
    verb: ClassVar[str] = "quest_limit"


class Again(Timer):
    """A quest that becomes available again."""

    __slots__ = ()
    rank: ClassVar[int] = RETURNS
    verb: ClassVar[str] = "quest_again"


class Progress(Record):
    """One goal of one errand, or one of its fails: its target, whether it is met, and how far it is while it
    is not being tallied.

    `total`, `seen` and `stamps` are what its tally had when it came to rest, at the instant `rested`; stamps
    are ages then.
    """

    __slots__ = ("met", "progress", "rested", "seen", "stamps", "target", "total")
    progress: float
    target: float
    met: bool
    total: float
    seen: dict[str, int]
    stamps: list[list[float]]
    rested: int

    def __init__(self, target: float = 0) -> None:
        self.progress, self.target, self.met = 0, target, False
        self.total, self.rested = 0, 0
        self.seen, self.stamps = {}, []

    def rest(self, kept: Kept, progress: float, now: int) -> None:
        """Take over what a tally has that comes to rest."""
        self.total, self.seen, self.stamps = kept["total"], dict.fromkeys(kept["seen"], 1), kept["stamps"]
        self.progress, self.rested = progress, now

    def kept(self, now: int) -> Kept:
        """Return what a tally goes on from, now."""
        rested = (
            now - self.rested if self.rested != NO_DAY else 0
        )  # what came before the first day came today
        return {
            "total": self.total,
            "seen": list(self.seen),
            "stamps": [[age + rested, amount] for age, amount in self.stamps],
        }


class Errand(Record):
    """One quest of one player. `state` is "" until it is accepted: locked or available, as its needs say now.

    `told` is whether it was open when that was last looked at; `overdue` whether its time was over while it
    was ready; `ended_on` the day on which it was completed or failed.
    """

    __slots__ = (
        "again",
        "completions",
        "ended_on",
        "fails",
        "goals",
        "kind",
        "limit",
        "overdue",
        "owner",
        "state",
        "told",
        "turning",
    )
    caches: ClassVar[tuple[str, ...]] = ("kind", "owner")
    state: str
    goals: list[Progress]
    fails: list[Progress]
    completions: int
    ended_on: int | None
    told: bool
    overdue: bool
    turning: TurningIn | None
    limit: TimeLimit | None
    again: Again | None
    kind: QuestKind
    owner: Body

    def __init__(self, kind: QuestKind, owner: Body) -> None:
        self.kind, self.owner = kind, owner
        self.state, self.completions, self.told = "", 0, False
        self.turning, self.limit, self.again, self.ended_on = None, None, None, None
        self.begin_anew()

    def begin_anew(self) -> None:
        """Put its progress to 0."""
        self.overdue = False
        self.goals = [Progress() for _ in self.kind.goals]
        self.fails = [Progress() for _ in self.kind.fails]


class Draw(Timer):
    """A set of quests of which some are offered: due when it is drawn anew, or drawn for one `period` of so
    many days."""

    __slots__ = ("drawn", "name", "period", "times")
    rank: ClassVar[int] = RETURNS
    verb: ClassVar[str] = "quest_set"
    name: str
    drawn: list[str]
    times: int
    period: int | None

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name, self.drawn, self.times, self.period = name, [], 0, None


class QuestTable(Record):
    """The state of this part: errands by player and quest, and the sets."""

    __slots__ = ("errands", "sets")
    errands: dict[str, dict[str, Errand]]
    sets: dict[str, Draw]

    def __init__(self) -> None:
        self.errands, self.sets = {}, {}


def whole_count(number: float) -> float:
    """Return a number as a whole one where it is; what is endless stays 0 to be seen."""
    return 0 if number == ENDLESS else whole_if(number)
