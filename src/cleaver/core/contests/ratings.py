"""Ratings: stars for a result, by steps over a measure or by marks that hold. The best is kept and never gets
worse.

Start at `Ratings.rate`.
"""

from __future__ import annotations

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.part import Keeper, Part, by_name
from cleaver.core.kernel.results import RateResult, Result
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record
from cleaver.errors import UnknownNameError
from cleaver.rounding import at_least, shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.contests.kinds import ContestKinds, RatingKind
    from cleaver.core.kernel.crossing import Crossing


class RatingTable(Record):
    """The state of this part: the best stars by player and rating, and what a measure stood at when it was
    started."""

    __slots__ = ("best", "started")
    best: dict[str, dict[str, int]]
    started: dict[str, dict[str, float]]

    def __init__(self) -> None:
        self.best, self.started = {}, {}


class Ratings(Part):
    """Ratings in one world."""

    stage: Stage
    kinds: ContestKinds
    table: RatingTable

    name = "ratings"

    def __init__(self, stage: Stage, kinds: ContestKinds) -> None:
        self.stage, self.kinds = stage, kinds
        self.table = RatingTable()
        stage.readable["stars"] = lambda body, name, part: self.stars(body, name)
        stage.readable["rated"] = lambda body, name, part: name in self.table.best.get(body.id, {})

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        known = {**self.kinds.ratings, **self.kinds.stages}
        return (by_name("ratings", lambda: self.table.best, lambda: known),)

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`: what the measures stood at that were started."""
        return (by_name("started", lambda: self.table.started, lambda: self.kinds.ratings),)

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: ratings and stages that are gone."""
        crossing.only(self.table.best, {**self.kinds.ratings, **self.kinds.stages})
        crossing.only(self.table.started, self.kinds.ratings)

    def kind(self, name: str) -> RatingKind:
        """Return a rating of the design by its name."""
        found = self.kinds.ratings.get(name)
        if found is None:
            raise UnknownNameError("rating", name, tuple(self.kinds.ratings))
        return found

    def rated_by(self, name: str) -> RatingKind:
        """Return a rating by its name, or that of a stage by the stage's."""
        stage = self.kinds.stages.get(name)
        return self.kind(stage.rating if stage is not None and stage.rating else name)

    def stars(self, body: Body, name: str) -> int:
        """Return the best stars of a player in a rating or a stage; without a name those of all stages, and
        of all ratings that no stage uses."""
        best = self.table.best.get(body.id, {})
        if name:
            return best.get(name, 0)
        return sum(stars for rated, stars in best.items() if rated not in self.kinds.used_by_stages)

    def start(self, body: Body, name: str, inputs: dict[str, float] | None) -> Result:
        """Let a rating be measured from now on: what its measure stands at is taken off when it is rated."""
        kind = self.kind(name)
        if not body.kind.player:
            return Result("not_a_player")
        if kind.measure is not None:
            # It may raise, so before anything is kept
            stands_at = float(kind.measure.number(Scope(self.stage, body, inputs=inputs)))
            self.table.started.setdefault(body.id, {})[name] = stands_at
        return Result()

    def rate(self, body: Body, name: str, inputs: dict[str, float] | None) -> RateResult:
        """Rate a player now."""
        kind = self.kind(name)
        if not body.kind.player:
            return RateResult("not_a_player")
        scope = Scope(self.stage, body, inputs=inputs)
        missing: float
        if kind.measure is not None:
            measure = kind.measure.number(scope) - self.table.started.get(body.id, {}).get(name, 0)
            way = 1 if kind.rising else -1
            passed = [at_least(measure * way, step * way) for step in kind.steps]
            stars = passed.index(False) if False in passed else len(passed)
            missing = abs(kind.steps[stars] - measure) if stars < len(kind.steps) else 0
            of = len(kind.steps)
            words = (
                ""
                if stars == of
                else f"{shown(missing)} {unit_of(kind.unit, missing)}{'' if kind.rising else ' less'}"
            )
        else:
            lacking = [text for text, when in kind.conditions if not when.holds(scope)]
            of, stars, measure = (
                len(kind.conditions),
                len(kind.conditions) - len(lacking),
                len(kind.conditions) - len(lacking),
            )
            missing, words = len(lacking), ", ".join(lacking)
        best = self.table.best.setdefault(body.id, {})
        played = self.kinds.stages.get(self.stage.playing)
        for rated in (name, *((played.name,) if played is not None and played.rating == name else ())):
            best[rated] = max(stars, best.get(rated, 0))
        self.stage.emit("rated", body.id, "", (name, stars, of, measure, best[name]))
        return RateResult("", stars, of, measure, missing, words)

    def forget(self, body: Body) -> None:
        """Drop what is kept of a player who goes."""
        self.table.best.pop(body.id, None)
        self.table.started.pop(body.id, None)


def unit_of(unit: str, number: float) -> str:
    """Return a unit as it goes with a number: "1 point", "2 points", "1 s".

    >>> unit_of("points", 1), unit_of("points", 2), unit_of("s", 1)
    ('point', 'points', 's')
    """
    return unit[:-1] if number == 1 and len(unit) > 2 and unit.endswith("s") else unit
