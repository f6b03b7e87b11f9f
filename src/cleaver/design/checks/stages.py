"""Checks of stages: what they hold, and what is asked of it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from cleaver.design.checks.finding import Told, rule
from cleaver.design.design import Design
from cleaver.design.lines import Path
from cleaver.design.totals import Total, endless, totals_of
from cleaver.rounding import shown


def stars_there_are(design: Design) -> int:
    """Return how many stars a player can have: of each stage once, and of the ratings that no stage uses."""
    tables = design.tables
    of = {name: len(one.steps) or len(one.conditions) for name, one in tables.ratings.items()}
    used = [stage.rating for stage in tables.stages.values() if stage.rating in of]
    return sum(of[name] for name in used if name) + sum(
        count for name, count in of.items() if name not in used
    )


@rule
def star_out_of_reach(design: Design) -> Iterable[Told]:
    """A stage rated by score whose last star asks for more points than can be had in it."""
    for name, totals in totals_of(design).items():
        rating = design.tables.ratings.get(design.tables.stages[name].rating or "")
        if rating is None or rating.measure != "self.score" or rating.better != "higher":
            continue
        most = totals.score
        if not most.more and rating.steps and rating.steps[-1] > most.amount:
            stars = sum(step <= most.amount for step in rating.steps)
            yield (
                ("stages", name, "rating"),
                f"asks for {rating.steps[-1]:g} points, and all there is in {name} is {shown(most.amount)}: "
                f"{stars} of {len(rating.steps)} stars",
                "lay out more that scores, or ask for less",
            )


@rule
def stage_never_open(design: Design) -> Iterable[Told]:
    """A stage that needs more stars than there are, or more than can be had without it."""
    for name, stage in design.tables.stages.items():
        own = design.tables.ratings.get(stage.rating or "")
        without = stars_there_are(design) - (len(own.steps) or len(own.conditions) if own else 0)
        for number, need in enumerate(stage.needs):
            for found in re.finditer(r"self\.stars *>=? *(\d+)", need):
                if int(found.group(1)) > without:
                    yield (
                        ("stages", name, "needs", number),
                        f"asks for {found.group(1)} stars, and there are at most {without} without {name}",
                        f"ask for {without} or less",
                    )


@rule
def all_of_nothing(design: Design) -> Iterable[Told]:
    """A match or a goal for all of something that no stage holds: an empty set is never won."""
    totals = totals_of(design)
    for path, word in _asked_for_all(design) if totals else ():
        held = sum(_of(design, stage.pickups, word).amount for stage in totals.values())
        if not held and not any(endless(design, name) for name in _pickups(design, word)):
            yield path, f'is "all" of nothing: no stage holds {word or "any pickup"}', "lay it out in a stage"


@rule
def more_than_there_is(design: Design) -> Iterable[Told]:
    """A goal that asks for more of something than all stages together hold."""
    totals = totals_of(design)
    goals = [
        (name, number, goal)
        for name, quest in design.tables.quests.items()
        for number, goal in enumerate(quest.goals)
    ]
    for quest_name, number, goal in goals:
        if not totals or not isinstance(goal.count, (int, float)) or goal.on not in ("collected", "defeated"):
            continue
        collected, word = goal.on == "collected", goal.of or ""
        held = Total()
        for stage in totals.values():
            there = stage.pickups if collected else stage.actors
            held = held.plus(_of(design, there, word, pickups=collected))
        if collected and any(endless(design, name) for name in _pickups(design, word)):
            continue
        if held.amount and not held.more and goal.count > held.amount:
            yield (
                ("quests", quest_name, "goals", number, "count"),
                f"asks for {goal.count:g}, and all stages together hold {shown(held.amount)}",
                "ask for less, or lay out more: as it is, a stage must be played again",
            )


def _asked_for_all(design: Design) -> Iterator[tuple[Path, str]]:
    for name, match in design.tables.matches.items():
        if match.win_at == "all":
            for given in match.rules:
                if given.on == "collected":
                    yield ("matches", name, "win_at"), given.of or ""
    for name, quest in design.tables.quests.items():
        for number, goal in enumerate(quest.goals):
            if goal.count == "all":
                yield ("quests", name, "goals", number, "count"), goal.of or ""


def _pickups(design: Design, word: str) -> list[str]:
    return [name for name, kind in design.tables.pickups.items() if word in ("", name) or word in kind.tags]


def _of(design: Design, there: dict[str, Total], word: str, *, pickups: bool = True) -> Total:
    """Return how many of something a stage holds, by its name or one of its tags; "" is any."""
    found = Total()
    for name, total in there.items():
        tags = design.tables.pickups[name].tags if pickups else design.tables.actors[name].tags
        if word in ("", name) or word in tags:
            found = found.plus(total)
    return found
