"""Errands: the quest log, a tracker, a giver's sign and line, toasts of achievements.

All but the toasts read the present when asked. Start at `quest_log`.
"""

from __future__ import annotations

from collections.abc import Iterator

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import ACTOR, HANDLE, TEXT, WORLD, checked
from cleaver.core.kernel.events import Event
from cleaver.core.logs import Quest
from cleaver.core.quests.quests import SPOKEN_OF
from cleaver.core.world import World
from cleaver.hud.drawn import Drawn, Hearing, clock_text, lasting
from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Literal

    from cleaver.literals import QuestState

    Sign = Literal["ready", "offer", "waiting", ""]


ORDER = ("ready", "active", "available", "failed", "completed", "locked")
"""States in the order a log shows them: what can be done first stands first."""


class Row(NamedTuple):
    """A quest in the log: its name, title, state, the lines of its goals, and what to do next."""

    quest: str
    title: str
    state: QuestState
    goals: tuple[str, ...]
    next: str


def goal_lines(quest: Quest) -> list[str]:
    """Return the goals a player is to see, each with its progress: "Drive off eels 2/3"."""
    return [f"{goal.line}{' (optional)' if goal.optional else ''}" for goal in quest.goals if goal.shown]


def next_step(quest: Quest) -> str:
    """Return what to do next about a quest, in a line."""
    giver = quest.giver.replace("_", " ")
    if quest.state == "available":
        return f"Ask the {giver}" if giver else "Accept it"
    if quest.state == "ready":
        if quest.busy:
            return "It is being turned in"
        return f"Turn it in to the {giver}" if giver else "Turn it in"
    if quest.state == "active":
        return next(
            (goal.text for goal in quest.goals if goal.current and not goal.optional and goal.shown),
            "Look around",
        )
    return ""


def quest_log(actor: Actor, *, locked: bool = False) -> tuple[Row, ...]:
    """Return a player's quests grouped by state, in the order of `ORDER`; locked ones only if asked for."""
    quests = [actor.quests[name] for name in actor.quests]
    rows = [
        Row(
            quest.name,
            quest.title,
            quest.state,
            tuple(goal_lines(quest) if quest.state in ("active", "ready") else ()),
            next_step(quest),
        )
        for quest in quests
    ]
    return tuple(
        row for state in ORDER for row in rows if row.state == state and (locked or state != "locked")
    )


class Tracker(Drawn):
    """A chosen quest, kept in sight: `title`, `lines`, `next`, and `left` of its time."""

    _tells = ("title", "lines")

    quest: Quest

    @checked(actor=HANDLE, quest=TEXT)
    def __init__(self, actor: Actor, quest: str) -> None:
        self.quest = actor.quests[quest]

    @property
    def title(self) -> str:
        """The quest's title."""
        return self.quest.title

    @property
    def lines(self) -> tuple[str, ...]:
        """The goals with their progress, met ones marked."""
        lines = []
        for goal in self.quest.goals:
            wanted = "·" if goal.current or not goal.optional else " "
            if goal.shown:
                lines.append(f"{'✓' if goal.met else wanted} {goal.line}")
        return tuple(lines)

    @property
    def next(self) -> str:
        """What to do next."""
        return next_step(self.quest)

    @property
    def left(self) -> str:
        """The time left as "1:05", or "2 days", "" without a limit."""
        return clock_text(self.quest.left, self.quest.left_unit) if self.quest.left else ""


def sign(actor: Actor, giver: str) -> Sign:
    """Return what stands over a giver's head: "ready" (something to turn in), "offer", "waiting" (something
    under way), or ""."""
    states = [actor.quests[name].state for name in actor.quests if actor.quests[name].giver == giver]
    if "ready" in states:
        return "ready"
    if "available" in states:
        return "offer"
    return "waiting" if "active" in states else ""


def line_of(actor: Actor, giver: str) -> str:
    """Return what a giver says to a player: the line of the quest that matters most now, "" where the design
    has none."""
    quests = [actor.quests[name] for name in actor.quests if actor.quests[name].giver == giver]
    for state in SPOKEN_OF:
        for quest in quests:
            if quest.state == state and quest.says:
                return quest.says
    return ""


class Toast(Drawn):
    """A short notice of something achieved: `title`, `text`, `icon`, `rank`, `alpha` to fade by."""

    _tells = ("title", "text")

    __slots__ = ("_lasts", "age", "icon", "rank", "text", "title")
    title: str
    text: str
    icon: str
    rank: str
    age: float

    def __init__(self, title: str, text: str, icon: str, rank: str, lasts: float) -> None:
        self.title, self.text, self.icon, self.rank, self._lasts, self.age = (
            title,
            text,
            icon,
            rank,
            lasts,
            0.0,
        )

    @property
    def alpha(self) -> float:
        """1 until its last half second, then fading to 0."""
        return min(1.0, max((self._lasts - self.age) / 0.5, 0.0))


class Toasts(Hearing):
    """Toasts one after another: the first is seen for its time, the others wait. Iterate for what is seen
    now."""

    _tells = ("waiting",)

    @checked(world=WORLD, actor=ACTOR)
    def __init__(self, world: World, *, actor: Actor | str = "", lasts: float = 4.0) -> None:
        self._world, self._lasts = world, lasting(lasts)
        self.waiting: list[Toast] = []
        self._listening = (world.listen_own("achieved", self._heard, actor=actor),)

    def _heard(self, event: Event) -> None:
        kind = read.parts(self._world).kinds.quests.achievements[event.achievement]
        self.waiting.append(Toast(kind.title, kind.text, kind.icon, event.rank, self._lasts))

    def update(self, seconds: float) -> None:
        """Let *seconds* pass for the one that is seen; what is left over goes to the next."""
        while self.waiting and seconds > 0:
            used = min(self._lasts - self.waiting[0].age, seconds)
            self.waiting[0].age += used
            seconds -= used
            if self.waiting[0].age >= self._lasts:
                self.waiting.pop(0)

    def __iter__(self) -> Iterator[Toast]:
        return iter(self.waiting[:1])


def shown_achievements(actor: Actor) -> tuple[tuple[str, str, bool], ...]:
    """Return (title, text, achieved) of every achievement a player may see; hidden ones only once they are
    achieved."""
    kinds = read.parts(actor).kinds.quests.achievements
    found = ((kind, actor.achievements[name].achieved) for name, kind in kinds.items())
    return tuple((kind.title, kind.text, achieved) for kind, achieved in found if achieved or not kind.hidden)
