"""Kinds of contests: matches, ratings, levels and records, bound for play. Start at `ContestKinds`."""

from __future__ import annotations

from cleaver.core.kernel.kinds import RuleKind, TallyKind, rule_kinds
from cleaver.core.kernel.spans import as_span, days_of

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.kernel.binder import Binder
    from cleaver.core.kernel.expressions import Effects, Expression
    from cleaver.design import models

    Spots = tuple[tuple[float, float, float] | None, ...]


MOST_LEVEL = 10_000  # of a ladder that names no last one


class MatchKind:
    """A contest."""

    __slots__ = (
        "friendly_fire",
        "name",
        "on_tie",
        "rounds",
        "rules",
        "teams",
        "time_limit",
        "win_at",
        "win_when",
    )
    name: str
    teams: tuple[str, ...]
    rounds: int
    rules: tuple[RuleKind, ...]
    win_when: Expression | None
    time_limit: int
    friendly_fire: float | None
    win_at: float | str | None
    on_tie: str

    def __init__(self, name: str, match: models.MatchTable, bind: Binder) -> None:
        self.name, self.teams, self.win_at, self.on_tie, self.rounds = (
            name,
            match.teams,
            match.win_at,
            match.on_tie,
            match.rounds,
        )
        self.rules = rule_kinds(match.rules, f"matches.{name}.rules", bind)
        self.win_when = bind.expression(match.win_when, f"matches.{name}.win_when", ("self",))
        self.time_limit = as_span(match.time_limit) if match.time_limit is not None else 0
        self.friendly_fire = None if match.friendly_fire is None else float(match.friendly_fire)


class RatingKind:
    """Stars for a result."""

    __slots__ = ("conditions", "measure", "name", "rising", "steps", "unit")
    name: str
    steps: tuple[float, ...]
    rising: bool
    unit: str
    measure: Expression | None
    conditions: tuple[tuple[str, Expression], ...]

    def __init__(self, name: str, rating: models.Rating, bind: Binder) -> None:
        self.name, self.steps, self.rising, self.unit = (
            name,
            rating.steps,
            rating.better == "higher",
            rating.unit,
        )
        self.measure = bind.expression(rating.measure, f"ratings.{name}.measure", ("self",))
        whens = bind.conditions(
            [mark.when for mark in rating.conditions], f"ratings.{name}.conditions", roots=("self",)
        )
        self.conditions = tuple(zip([mark.text for mark in rating.conditions], whens, strict=True))


class LevelKind:
    """A ladder of levels: a formula of the level, or the steps of a table."""

    __slots__ = ("do", "experience", "most", "name", "steps")
    name: str
    experience: Expression | None
    steps: tuple[int, ...]
    most: int
    do: Effects

    def __init__(self, name: str, ladder: models.LevelLadder, bind: Binder) -> None:
        self.name = name
        formula = ladder.experience if isinstance(ladder.experience, str) else None
        self.experience = bind.expression(formula, f"levels.{name}.experience", (), locals=("level",))
        self.steps = () if isinstance(ladder.experience, str) else ladder.experience
        self.most = ladder.most or (len(self.steps) + 1 if self.steps else MOST_LEVEL)
        self.do = bind.effects(ladder.do, f"levels.{name}.do", event="levelled", locals=("level",))


class StageKind:
    """A stage: what lies and lives in it, and where, in the order of the design."""

    __slots__ = ("actors", "name", "needs", "open", "pickups", "rating", "title")
    name: str
    title: str
    rating: str
    actors: tuple[tuple[str, Spots], ...]
    pickups: tuple[tuple[str, Spots], ...]
    needs: tuple[Expression, ...]
    open: tuple[int, int] | None

    def __init__(self, name: str, stage: models.Stage, bind: Binder) -> None:
        self.name, self.title, self.rating = name, stage.title or name, stage.rating or ""
        self.actors = tuple((kind, _spots(laid)) for kind, laid in stage.actors.items())
        self.pickups = tuple((pickup, _spots(laid)) for pickup, laid in stage.pickups.items())
        self.open = days_of(stage.open)
        self.needs = bind.conditions(stage.needs, f"stages.{name}.needs", roots=("self",))


def _spots(laid: int | tuple[tuple[float, ...], ...]) -> Spots:
    """Return where each of some content is; None where that is not said."""
    if isinstance(laid, int):
        return (None,) * laid
    return tuple((*spot, 0.0)[:3] for spot in laid)  # type: ignore[misc]  # two or three by their model


class ContestKinds:
    """The contests of a design, by name; `restart_keeps` is what stays where a stage is played again."""

    __slots__ = (
        "levels", "matches", "negative_scores", "ratings", "records", "restart_keeps", "stages",
        "used_by_stages",
    )  # fmt: skip
    negative_scores: bool
    restart_keeps: frozenset[str]
    stages: dict[str, StageKind]
    used_by_stages: frozenset[str]
    matches: dict[str, MatchKind]
    ratings: dict[str, RatingKind]
    levels: dict[str, LevelKind]
    records: dict[str, TallyKind]

    def __init__(self, tables: models.DesignTables, bind: Binder) -> None:
        self.negative_scores = tables.game.negative_scores
        self.restart_keeps = frozenset(tables.game.restart_keeps)
        self.stages = bind.each("stages", tables.stages, lambda name, one: StageKind(name, one, bind))
        self.used_by_stages = frozenset(stage.rating for stage in self.stages.values() if stage.rating)
        self.matches = bind.each("matches", tables.matches, lambda name, one: MatchKind(name, one, bind))
        self.ratings = bind.each("ratings", tables.ratings, lambda name, one: RatingKind(name, one, bind))
        self.levels = bind.each("levels", tables.levels, lambda name, one: LevelKind(name, one, bind))
        self.records = bind.each(
            "records", tables.records, lambda name, one: TallyKind(one, f"records.{name}", bind)
        )

    def less(self, score: int, points: int) -> int:
        """Return a score with so many points taken away: not below 0, unless the game has negative scores."""
        left = score - points
        return left if self.negative_scores or left >= 0 else min(score, 0)

    def tallies(self) -> list[TallyKind]:
        """Return all that is counted for them."""
        return list(self.records.values())
