"""References of contests: matches, ratings, levels, records."""

from __future__ import annotations

from cleaver.design import models
from cleaver.design.lines import Path
from cleaver.design.paths import FormulaNames
from cleaver.design.walk import Walk


def refer_contests(walk: Walk) -> None:
    """Check every name and formula of the sections of contests."""
    tables = walk.tables
    for name, match in tables.matches.items():
        _match(walk, ("matches", name), match)
    for name, stage in tables.stages.items():
        _stage(walk, ("stages", name), stage)
    for name, rating in walk.others("ratings"):
        _rating(walk, ("ratings", name), rating)
    for name, ladder in tables.levels.items():
        path: Path = ("levels", name)
        if isinstance(ladder.experience, str):
            walk.formula(
                ladder.experience, FormulaNames(walk.known, (), locals=("level",)), (*path, "experience")
            )
        elif ladder.most is not None and ladder.most > len(ladder.experience) + 1:
            leads = len(ladder.experience) + 1
            walk.source.tell(
                (*path, "most"),
                f"is {ladder.most}, and the table leads to level {leads}",
                "write more steps, or a lower most",
            )
        walk.effects(
            ladder.do,
            (*path, "do"),
            FormulaNames(walk.known, event=walk.known.events["levelled"], locals=("level",)),
        )
    for name, record in walk.others("records"):
        walk.tally(record, ("records", name))
        if record.count is not None:
            walk.source.tell(
                ("records", name, "count"),
                "stands in a record, which has no target",
                "leave it out: a record that names no way counts",
            )


def _stage(walk: Walk, path: Path, stage: models.Stage) -> None:
    for name in stage.actors:
        kind = walk.tables.actors.get(name)
        if kind is not None and kind.player:
            walk.source.tell(
                (*path, "actors", name),
                "is a player kind",
                "players join by themselves and stay from stage to stage",
            )
    if path[1] in walk.known.ratings:
        walk.source.tell(
            path,
            f"has the name of the rating {path[1]!r}",
            f"choose another: self.stars.{path[1]} could mean either",
        )
    names = FormulaNames(walk.known, ("self",))
    for number, need in enumerate(stage.needs):
        walk.formula(need, names, (*path, "needs", number))


def _match(walk: Walk, path: Path, match: models.MatchTable) -> None:
    for number, team in enumerate(match.teams):
        if team in ("running", "winner", "left", "round"):
            walk.source.tell(
                (*path, "teams", number),
                f"the name {team!r} is used by paths already",
                "call the team something else",
            )
    walk.rules(match.rules, (*path, "rules"))
    walk.formula(match.win_when, FormulaNames(walk.known, ("self",)), (*path, "win_when"))
    if match.win_at == "all" and [rule.on for rule in match.rules].count("collected") != 1:
        walk.source.tell(
            (*path, "win_at"),
            'is "all" without exactly one rule on collected',
            'say what counts: { on = "collected", of = … }',
        )


def _rating(walk: Walk, path: Path, rating: models.Rating) -> None:
    names = FormulaNames(walk.known, ("self",))
    walk.formula(rating.measure, names, (*path, "measure"))
    for number, mark in enumerate(rating.conditions):
        walk.formula(mark.when, names, (*path, "conditions", number, "when"))
    if bool(rating.steps) == bool(rating.conditions):
        walk.source.tell(path, "needs either steps over a measure, or conditions", "give one of them")
    if rating.steps and rating.measure is None:
        walk.source.tell(
            (*path, "measure"), "is missing: steps of what?", 'give a formula, such as measure = "self.score"'
        )
    rising = rating.better == "higher"
    for number, (one, two) in enumerate(zip(rating.steps, rating.steps[1:], strict=False)):
        if (two <= one) if rising else (two >= one):
            walk.source.tell(
                (*path, "steps", number + 1),
                f"is {two:g} after {one:g}; steps go from the first star to the last",
                f'they {"rise" if rising else "fall"} where better = "{rating.better}"',
            )
