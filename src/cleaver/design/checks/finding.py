"""Findings: what a check tells, and how a rule is written down.

A rule is a function over a design that yields (path, what is wrong, what would be right); its name and
docstring are the rule's. Start at `rule`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from cleaver.design import models
from cleaver.design.design import Design
from cleaver.design.lines import Path
from cleaver.design.models import Effect, Effects

Told = tuple[Path, str, str]
Look = Callable[[Design], Iterable[Told]]


class Finding(NamedTuple):
    """One warning: the rule's name, where it stands, what is wrong and what would be right."""

    name: str
    file: str
    line: int
    key: str
    wrong: str
    right: str

    def __str__(self) -> str:
        place = f"{self.file}:{self.line}" if self.line else self.file
        return f"{place}: {self.key}: {self.wrong}; {self.right} [{self.name}]"


class CheckRule(NamedTuple):
    """A check: its name, what it is about, and the function that looks."""

    name: str
    explanation: str
    look: Look


RULES: dict[str, CheckRule] = {}


def rule(look: Look) -> Look:
    """Add a function to the rules, under its own name; its docstring is the explanation."""
    name: str = look.__name__
    RULES[name] = CheckRule(name, " ".join((look.__doc__ or "").split()), look)
    return look


def lists_of_effects(design: Design) -> Iterator[tuple[Path, Effects]]:
    """Yield every list of effects with where it stands."""
    tables = design.tables
    for name, actor in tables.actors.items():
        path: Path = ("actors", name)
        yield (*path, "on_death"), actor.on_death
        for attack_name, attack in actor.attacks.items():
            yield (*path, "attacks", attack_name, "do"), attack.do
        for pulse_name, pulse in actor.pulses.items():
            yield (*path, "pulses", pulse_name, "do"), pulse.do
    for name, status in tables.statuses.items():
        for number, beat in enumerate(status.pulses):
            yield ("statuses", name, "pulses", number, "do"), beat.do
    for name, pickup in tables.pickups.items():
        yield ("pickups", name, "do"), pickup.do
    for name, exchange in tables.exchanges.items():
        yield ("exchanges", name, "do"), exchange.do
    for path, given in all_rules(design):
        yield (*path, "do"), given.do
    for name, ladder in tables.levels.items():
        yield ("levels", name, "do"), ladder.do
    for name, quest in tables.quests.items():
        yield ("quests", name, "reward"), quest.reward
        for number, goal in enumerate(quest.goals):
            yield ("quests", name, "goals", number, "reward"), goal.reward
    for name, achievement in tables.achievements.items():
        yield ("achievements", name, "reward"), achievement.reward


def all_rules(design: Design) -> Iterator[tuple[Path, models.Rule]]:
    """Yield every rule, of the design and of its matches, with where it stands."""
    for number, given in enumerate(design.tables.rules):
        yield ("rules", number), given
    for name, match in design.tables.matches.items():
        for number, given in enumerate(match.rules):
            yield ("matches", name, "rules", number), given


def all_effects(design: Design) -> Iterator[tuple[Path, Effect]]:
    """Yield every effect of a design with where it stands, those that another one chooses from included."""
    for path, effects in lists_of_effects(design):
        yield from _flat(path, effects)


def _flat(path: Path, effects: Effects) -> Iterator[tuple[Path, Effect]]:
    for number, effect in enumerate(effects):
        yield (*path, number), effect
        for nth, option in enumerate(effect.options()):
            yield from _flat((*path, number, "choose", nth, "do"), option.do)


def formulas_of(design: Design) -> Iterator[str]:
    """Yield every text of a design that may be a formula: the strings of its tree, but for what is only shown
    or silenced."""
    waiting: list[object] = [
        value
        for section, value in design.source.tree.items()
        if section not in ("check", "game", "saves", "texts")
    ]
    while waiting:
        value = waiting.pop()
        if isinstance(value, dict):
            waiting.extend(value.values())
        elif isinstance(value, list):
            waiting.extend(value)
        elif isinstance(value, str):
            yield value
