"""Standing: the state of matches. Start at `Contest`."""

from __future__ import annotations

from cleaver.core.kernel.clock import LIMITS, Timer
from cleaver.core.kernel.state import Record
from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import ClassVar

    from cleaver.core.contests.kinds import MatchKind

DRAW = "draw"


class Place(NamedTuple):
    """One line of the standings: rank (equal scores share one), side (a team or a player), score."""

    rank: int
    side: str
    score: int


class Contest(Timer):
    """One match of the design as it stands; due when its time is over. `left` is what was left when it was
    paused, else -1.

    `since` is the number of the event its round began with: what happened before counts nothing in it. Where
    it is won by all of something, `asked` has the placements not yet taken, and `counts` how many each side
    took.
    """

    __slots__ = (
        "asked", "counts", "drain", "extra", "kind", "left", "name", "round", "running", "since",
        "standings", "winner", "wins",
    )  # fmt: skip
    caches: ClassVar[tuple[str, ...]] = ("drain", "kind")
    asked: dict[str, int]
    since: int
    rank: ClassVar[int] = LIMITS
    verb: ClassVar[str] = "match"
    name: str
    running: bool
    winner: str
    standings: dict[str, int]
    counts: dict[str, int]
    wins: dict[str, int]
    round: int
    drain: int
    extra: bool
    left: int
    kind: MatchKind

    def __init__(self, kind: MatchKind) -> None:
        super().__init__()
        self.kind, self.name = kind, kind.name
        self.running, self.winner, self.extra, self.left, self.round, self.since = False, "", False, -1, 0, 0
        self.standings, self.counts, self.wins, self.asked = {}, {}, {}, {}
        self.drain = -1  # the drain in which its round began

    def fresh(self) -> None:
        """See `Record.fresh`."""
        super().fresh()
        self.drain = -1


class MatchTable(Record):
    """The state of this part."""

    __slots__ = ("contests",)
    contests: dict[str, Contest]

    def __init__(self) -> None:
        self.contests = {}
