"""References of quests and achievements."""

from __future__ import annotations

from cleaver.design import models
from cleaver.design.lines import Path
from cleaver.design.paths import FormulaNames
from cleaver.design.walk import Walk
from cleaver.errors import advice


def refer_quests(walk: Walk) -> None:
    """Check every name and formula of quests, their sets, and achievements."""
    tables = walk.tables
    for name, quest in walk.others("quests"):
        _quest(walk, ("quests", name), quest)
    for name, table in tables.quest_sets.items():
        if table.every is not None and table.days is not None:
            walk.source.tell(
                ("quest_sets", name, "days"), "stands beside every", "draw by the clock or by the day"
            )
    for name, achievement in walk.others("achievements"):
        path: Path = ("achievements", name)
        if achievement.on:
            walk.tally(achievement, path)
        elif achievement.fields():
            key = next(iter(achievement.fields()))
            walk.source.tell((*path, key), f"unknown key {key!r}", advice(key, list(achievement.declared())))
        if achievement.count == "all":
            walk.source.tell(
                (*path, "count"), 'is "all"', "an achievement lasts longer than any placement: give a number"
            )
        walk.effects(achievement.reward, (*path, "reward"), FormulaNames(walk.known, ("self",)))


def _quest(walk: Walk, path: Path, quest: models.Quest) -> None:
    names = FormulaNames(walk.known, ("self",))
    for number, need in enumerate(quest.needs):
        walk.formula(need, names, (*path, "needs", number))
    for number, goal in enumerate(quest.goals):
        _goal(walk, (*path, "goals", number), goal)
        if goal.name and goal.name in [other.name for other in quest.goals[:number]]:
            walk.source.tell(
                (*path, "goals", number, "name"),
                f"{goal.name!r} is the name of another goal of this quest",
                "give each a name of its own",
            )
    for number, fail in enumerate(quest.fails):
        walk.tally(fail, (*path, "fails", number))
    walk.effects(quest.reward, (*path, "reward"), names)
    required = sum(not goal.optional for goal in quest.goals)
    if not required:
        walk.source.tell((*path, "goals"), "are all optional", "let at least one be needed")
    if quest.needs_goals is not None and quest.needs_goals > required:
        walk.source.tell(
            (*path, "needs_goals"),
            f"is {quest.needs_goals} of {required} goals",
            f"ask for {required} or fewer",
        )


def _goal(walk: Walk, path: Path, goal: models.Goal) -> None:
    if bool(goal.on) == bool(goal.hold):
        walk.source.tell(
            path,
            "needs either an event (on) or something held (hold)",
            'write { on = "defeated", of = … } or { hold = "pearl" }',
        )
        return
    if goal.on:
        walk.tally(goal, path)
        if goal.count == "all" and goal.on != "collected":
            walk.source.tell(
                (*path, "count"),
                f'is "all" on {goal.on}',
                'only what is placed can be collected all: on = "collected"',
            )
    else:
        for key in goal.fields():
            walk.source.tell(
                (*path, key),
                f"unknown key {key!r} beside hold",
                advice(
                    key,
                    ["count", *(name for name in goal.declared() if name not in models.Tallying.declared())],
                ),
            )
        if isinstance(goal.count, str):
            walk.formula(goal.count, FormulaNames(walk.known, ("self",)), (*path, "count"))
    if goal.hand_over and not goal.hold:
        walk.source.tell(
            (*path, "hand_over"), "stands on a goal that holds nothing", "say what is handed over: hold = …"
        )
    walk.effects(goal.reward, (*path, "reward"), FormulaNames(walk.known, ("self",)))
    if goal.reward and not goal.optional:
        walk.source.tell(
            (*path, "reward"),
            "stands on a goal that is not optional",
            "put it into the quest's reward, or say optional = true",
        )
