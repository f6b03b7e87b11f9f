"""Boards: scores, clocks, stars, levels and combos as values to draw.

All read the present when asked; those with an animation have an `update(seconds)`. Start at `Scoreboard`.
"""

from __future__ import annotations

from cleaver.core import read
from cleaver.core.contests.standing import Place
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import HANDLE, TEXT, WORLD, checked, finite
from cleaver.core.world import World
from cleaver.errors import AmountError, UnknownNameError
from cleaver.hud.drawn import Drawn, clock_text
from cleaver.rounding import shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Literal

    from cleaver.core.views import Match

    Star = Literal["earned", "next", "missing"]


def score_text(match: Match) -> str:
    """Return the scores of a match in words: see `Scoreboard.text`."""
    teams = read.parts(match).kinds.contests.matches[match.name].teams
    scores = {place.side: place.score for place in match.standings}
    order = [team for team in teams if team in scores] or list(scores)
    if len(order) == 2:
        return f"{scores[order[0]]} - {scores[order[1]]}"
    return ", ".join(f"{side} {score}" for side, score in scores.items())


class Scoreboard(Drawn):
    """The standings of a match: `text` for two sides ("3 - 1"), `rows` for any number."""

    match: Match

    @checked(world=WORLD, match=TEXT)
    def __init__(self, world: World, match: str) -> None:
        self.match = world.match(match)

    @property
    def rows(self) -> tuple[Place, ...]:
        """Rank, side and score, best first; equal scores share a rank."""
        return self.match.standings

    @property
    def text(self) -> str:
        """Two sides in the order of the design: "3 - 1"; more as "north 3, south 1, east 0"."""
        return score_text(self.match)

    @property
    def verdict(self) -> str:
        """ "" until it ends, then who won: "north wins" or "a draw"."""
        winner = self.match.winner
        if not winner:
            return ""
        return "a draw" if winner == "draw" else f"{winner} wins"


class MatchClock(Drawn):
    """The time left of a match: `text` such as "4:05", rounded up so that "0:00" means over."""

    match: Match

    @checked(world=WORLD, match=TEXT)
    def __init__(self, world: World, match: str) -> None:
        self.match = world.match(match)

    @property
    def left(self) -> float:
        """Seconds left, or rounds or days; 0 without a limit or when over."""
        return self.match.left

    @property
    def text(self) -> str:
        """Minutes and seconds left, rounded up, or "3 rounds"."""
        return clock_text(self.left, self.match.left_unit)


class Stars(Drawn):
    """The best stars of a player in a rating or a stage: each "earned", "next" (half-lit) or "missing";
    `rated` tells "not yet" from none."""

    _tells = ("rating", "text")

    actor: Actor
    rating: str
    of: int

    @checked(actor=HANDLE, rating=TEXT)
    def __init__(self, actor: Actor, rating: str) -> None:
        kind = read.parts(actor).ratings.rated_by(rating)
        self.actor, self.rating = actor, rating
        self.of = len(kind.steps) or len(kind.conditions)

    @property
    def rated(self) -> bool:
        """Whether the player was ever rated."""
        return self.actor.ratings[self.rating].rated

    @property
    def cells(self) -> tuple[Star, ...]:
        """One word a star."""
        earned = self.actor.ratings[self.rating].best
        stars: list[Star] = ["missing"] * self.of
        stars[:earned] = ["earned"] * earned
        if self.rated and earned < self.of:
            stars[earned] = "next"
        return tuple(stars)

    @property
    def text(self) -> str:
        """The stars as characters: ★ earned, ⯪ next, ☆ missing; "not yet rated" before the first time."""
        marks = {"earned": "★", "next": "⯪", "missing": "☆"}
        return "".join(marks[cell] for cell in self.cells) if self.rated else "not yet rated"


class LevelBar(Drawn):
    """A level and how far it is to the next, running through every level of a large gain.

    `level` and `fraction` are what to draw now; they follow the true ones at *speed* levels a second.
    """

    actor: Actor
    levels: str

    @checked(actor=HANDLE, levels=TEXT)
    def __init__(self, actor: Actor, levels: str, *, speed: float = 1.5) -> None:
        if not finite(speed) or speed <= 0:
            raise AmountError("speed", speed, "a number of levels a second, more than 0")
        self.actor, self.levels, self._speed = actor, levels, speed
        actor.levels[levels]
        self._at = self._true()

    def _true(self) -> float:
        standing = read.parts(self.actor).levels.standing(read.body(self.actor), self.levels)
        left = self.actor.levels[self.levels].left
        done = standing.total - standing.began
        return float(standing.level + (done / (done + left) if left else 0.0))

    @property
    def level(self) -> int:
        """The level to draw."""
        return int(self._at + 1e-9)

    @property
    def fraction(self) -> float:
        """How far the drawn level is towards the next, from 0 to 1; 0 at the last."""
        return max(self._at - self.level, 0.0)

    @property
    def at_rest(self) -> bool:
        """Whether what is drawn is what is true."""
        return self._at == self._true()

    @property
    def text(self) -> str:
        """The true state in words: "rank 3, 160 to the next"; "rank 4, the last" at the end."""
        left = self.actor.levels[self.levels].left
        return (
            f"{self.levels} {self.actor.levels[self.levels]}, "
            f"{f'{shown(left)} to the next' if left else 'the last'}"
        )

    def update(self, seconds: float) -> None:
        """Let what is drawn follow for *seconds*; a loss (a load) is shown at once."""
        true = self._true()
        self._at = min(self._at + self._speed * seconds, true) if self._at < true else true


class ComboMeter(Drawn):
    """A record that counts within so many seconds: how many there are, and how long the combo still holds."""

    actor: Actor
    record: str

    @checked(actor=HANDLE, record=TEXT)
    def __init__(self, actor: Actor, record: str) -> None:
        kinds = read.parts(actor).kinds.contests.records
        if record not in kinds or not kinds[record].within:
            raise UnknownNameError(
                "record with `within`", record, tuple(name for name, kind in kinds.items() if kind.within)
            )
        self.actor, self.record, self._within = actor, record, kinds[record].within / 1e6

    @property
    def count(self) -> int:
        """How many are within the time now."""
        return int(self.actor.records[self.record])

    @property
    def fraction(self) -> float:
        """How much of the time is left since the latest one, from 1 to 0."""
        world = read.parts(self.actor)
        found = world.tallies.find(self.actor.id, "record", self.record)
        stamps = found[0].stamps if found is not None else []
        return max(1 - (world.now_us - stamps[-1][0]) / 1e6 / self._within, 0.0) if stamps else 0.0

    @property
    def text(self) -> str:
        """ "×3" while there are several, else ""."""
        return f"×{self.count}" if self.count > 1 else ""
