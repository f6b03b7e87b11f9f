"""Checks of quests and achievements."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any

from cleaver.design import models
from cleaver.design.checks.contests import raised_events
from cleaver.design.checks.finding import Told, all_effects, rule
from cleaver.design.checks.goods import given_amounts
from cleaver.design.checks.stages import stars_there_are
from cleaver.design.design import Design
from cleaver.design.lines import Path
from cleaver.design.names import named_in
from cleaver.design.paths import FormulaNames
from cleaver.design.stats import modifiers
from cleaver.errors import CleaverError
from cleaver.parsing import parse

_LOCKED = re.compile(r"self\.quest\.(\w+) *(==|!=) *[\"']locked[\"']")
_ASKS = re.compile(r"self\.quest\.(\w+) *== *[\"']completed[\"']|self\.achieved\.(\w+)")


def _needs(quest: models.Quest) -> set[str]:
    """Return the quests that a quest needs completed: those that a need asks for and nothing else would
    do."""
    found = set()
    for need in quest.needs:
        if " or " not in need:
            found |= {match.group(1) for match in _ASKS.finditer(need) if match.group(1)}
    return found


@rule
def circular_needs(design: Design) -> Iterable[Told]:
    """Quests that need each other, directly or in a circle: none of them can ever be available."""
    needs = _tangled({name: _needs(quest) for name, quest in design.tables.quests.items()})
    told: set[str] = set()
    for name in needs:
        trail, reached = [name], _reached(name, needs)
        if name in reached and name not in told:
            trail += sorted(needs[name])
            told |= {other for other in reached if name in _reached(other, needs)}
            yield (
                ("quests", name, "needs"),
                f"needs itself in the end: {' → '.join(trail)}",
                "let one of them need something else",
            )


def _tangled(needs: dict[str, set[str]]) -> dict[str, set[str]]:
    """Return the quests that are not open once all those are done that can be, each with what it needs of the
    others: one pass over a chain, however long."""
    left = {name: {need for need in mine if need in needs} for name, mine in needs.items()}
    after: dict[str, list[str]] = {}
    for name, mine in left.items():
        for need in mine:
            after.setdefault(need, []).append(name)
    done = [name for name, mine in left.items() if not mine]
    for name in done:  # which grows meanwhile
        del left[name]
        for other in after.get(name, ()):
            left[other].discard(name)
            if not left[other]:
                done.append(other)
    return left


def _reached(name: str, needs: dict[str, set[str]]) -> set[str]:
    """Return every quest that one needs, directly or by others."""
    reached, waiting = set(needs[name]) if name in needs else set(), list(needs.get(name, ()))
    while waiting:
        for further in needs.get(waiting.pop(), ()):
            if further not in reached:
                reached.add(further)
                waiting.append(further)
    return reached


@rule
def quest_never_available(design: Design) -> Iterable[Told]:
    """A quest with a need that nothing in the design can ever meet: a level beyond the last, more stars than
    there are, a quest that can't be."""
    tables = design.tables
    for name, quest in tables.quests.items():
        for number, need in enumerate(quest.needs):
            for found in re.finditer(r"self\.(\w+)(\.\w+)? *>=? *(\d+)", need):
                word, part, count = found.group(1), found.group(2), int(found.group(3))
                most = None
                if word in tables.levels and part is None:
                    ladder = tables.levels[word]
                    most = ladder.most or (
                        len(ladder.experience) + 1 if not isinstance(ladder.experience, str) else None
                    )
                elif word == "stars" and part is None:
                    most = stars_there_are(design)
                elif word in tables.items and part is None:
                    most = tables.items[word].most
                elif word in tables.currencies and part is None:
                    most = tables.currencies[word].most
                if most is not None and count > most:
                    yield (
                        ("quests", name, "needs", number),
                        f"asks for {count}, and there are at most {most}",
                        f"ask for {most} or less",
                    )


def _goals(design: Design) -> Iterator[tuple[Path, models.Goal]]:
    for name, quest in design.tables.quests.items():
        for number, goal in enumerate(quest.goals):
            yield ("quests", name, "goals", number), goal


@rule
def goal_never_met(design: Design) -> Iterable[Told]:
    """A goal on an event that nothing raises, of a kind that cannot take part, or of a good that nobody gives
    or that nobody may hold so many of."""
    raised, there = raised_events(design), given_amounts(design)
    dying = {kind for kind, actor in design.tables.actors.items() if actor.vital}
    for path, goal in _goals(design):
        if goal.on and goal.on not in raised:
            yield (
                (*path, "on"),
                f"nothing in this design raises {goal.on}",
                "add what raises it, or count something else",
            )
        elif goal.on == "defeated" and goal.of in design.known.kinds and goal.of not in dying:
            yield (
                (*path, "of"),
                f"{goal.of} has no vital meter, so it is never defeated",
                "give it a vital meter, or name another kind",
            )
        elif goal.hold and goal.hold not in there:
            yield (
                (*path, "hold"),
                f"nothing gives {goal.hold}",
                "let a pickup, a reward or an exchange give it",
            )
        elif goal.hold and isinstance(goal.count, (int, float)):
            most = _most_held(design, goal.hold)
            if most is not None and goal.count > most:
                yield (
                    (*path, "count"),
                    f"asks for {goal.count:g}, and one may hold {most}",
                    f"ask for {most} or less, or let more be held",
                )


def _most_held(design: Design, good: str) -> int | None:
    tables = design.tables
    if good in tables.currencies:
        return tables.currencies[good].most
    item = tables.items.get(good)
    if item is None:
        return None
    bags = [
        actor.bag.most // item.size
        for actor in tables.actors.values()
        if actor.player and actor.bag is not None and item.size and not isinstance(actor.bag.most, str)
    ]
    grows = any(effect.verb == "raise_bag" for _, effect in all_effects(design))
    grows = grows or any(one.target == "bag" for one in modifiers(tables))
    limits = ([item.most] if item.most is not None else []) + ([max(bags)] if bags and not grows else [])
    return min(limits) if limits else None


@rule
def zero_goal(design: Design) -> Iterable[Told]:
    """A goal whose target is 0, or may be at the start of a game: it is met as soon as the quest is
    accepted."""
    for path, goal in _goals(design):
        if goal.count in (0, "0"):
            yield (*path, "count"), "is 0", "ask for 1 or more"
        elif isinstance(goal.count, str) and goal.count != "all" and _at_the_start(goal.count, design) <= 0:
            yield (
                (*path, "count"),
                f"can be 0: {goal.count} is where everything stands at its start",
                f"write max(1, {goal.count})",
            )


def _at_the_start(text: str, design: Design) -> float:
    """Return what a formula of a player gives where nothing has happened yet: levels are 1, inputs as the
    design has them, all else 0."""

    def read(reference: Any) -> Any:
        plain: object = {"words": [], "text": ""}.get(reference.type, 0)
        if reference.what == "input":
            plain = design.tables.inputs.get(reference.name, 0)
        elif reference.what == "levels":
            plain = 1
        return lambda scope: (lambda *given: 0) if reference.what in ("near", "placed", "held") else plain

    try:
        found = parse(text, FormulaNames(design.known, ("self",))).compile(read)(None)
    except (CleaverError, ArithmeticError, TypeError):
        return 1  # other checks tell of what fails
    return found if isinstance(found, (int, float)) else 1


@rule
def need_of_locked(design: Design) -> Iterable[Told]:
    """A need that compares a quest with "locked": a need sees one that has not begun as "available", so it is
    always, or never, met."""
    for name, quest in design.tables.quests.items():
        for number, need in enumerate(quest.needs):
            for found in _LOCKED.finditer(need):
                wrong = (
                    f"{found.group(0)} is {'never' if found.group(2) == '==' else 'always'} so: a need "
                    'sees a quest that has not begun as "available"'
                )
                yield (
                    ("quests", name, "needs", number),
                    wrong,
                    f'ask for self.quest.{found.group(1)} == "available", or ask what that one needs',
                )


@rule
def reward_of_nothing(design: Design) -> Iterable[Told]:
    """A quest without a reward, in a design where others have one."""
    rewarded = [name for name, quest in design.tables.quests.items() if quest.reward]
    opening = {need for quest in design.tables.quests.values() for need in _needs(quest)}
    for name, quest in design.tables.quests.items():
        if rewarded and not quest.reward and name not in opening:
            yield (
                ("quests", name),
                "has no reward, and opens nothing",
                "give it a reward, or let another quest need it",
            )


@rule
def fails_at_once(design: Design) -> Iterable[Told]:
    """A fail rule on the very event that begins the quest."""
    for name, quest in design.tables.quests.items():
        for number, fail in enumerate(quest.fails):
            wanted = fail.fields().get("quest")
            if fail.on in ("quest_started", "goal_advanced") and wanted in (None, name):
                yield (
                    ("quests", name, "fails", number),
                    f"fires on {fail.on}, which the quest itself raises",
                    "name what should let it fail",
                )


@rule
def achievement_out_of_reach(design: Design) -> Iterable[Told]:
    """An achievement that no tally counts and no effect grants, or that counts what never happens."""
    raised = raised_events(design)
    granted = set(named_in((effect for _, effect in all_effects(design)), "achievement"))
    for name, achievement in design.tables.achievements.items():
        if not achievement.on and name not in granted:
            yield (
                ("achievements", name),
                "nothing counts towards it and nothing grants it",
                "give it `on`, or grant it in an effect",
            )
        elif achievement.on and achievement.on not in raised:
            yield (
                ("achievements", name, "on"),
                f"nothing in this design raises {achievement.on}",
                "add what raises it, or count something else",
            )


@rule
def missing_giver_text(design: Design) -> Iterable[Told]:
    """A quest whose giver has a line for some states but none for one that a player will meet it in."""
    for name, quest in design.tables.quests.items():
        expected = ["available", "active", "completed"] + (
            ["ready"] if quest.finish == "turn_in" and "active" not in quest.says else []
        )
        missing = [state for state in expected if state not in quest.says]
        if quest.says and missing:
            yield ("quests", name, "says"), f"has no line for {', '.join(missing)}", f'add {missing[0]} = "…"'
