"""Findings: what a check tells, and how a rule is written down.

A rule is a function over a design that yields (path, what is wrong, what would be right); its name and
docstring are the rule's. Start at `rule`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from cleaver.design import models, names
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
    return names.lists_of_effects(design.tables)


def all_rules(design: Design) -> Iterator[tuple[Path, models.Rule]]:
    """Yield every rule, of the design and of its matches, with where it stands."""
    return names.placed_rules(design.tables)


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
    waiting.append(design.tables.game.turn_order)
    while waiting:
        value = waiting.pop()
        if isinstance(value, dict):
            waiting.extend(value.values())
        elif isinstance(value, list):
            waiting.extend(value)
        elif isinstance(value, str):
            yield value
