"""Numbers: every number of a design by its key path. Start at `number_keys`."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from cleaver.design.lines import Path
from cleaver.errors import DesignError
from cleaver.rounding import is_number

APART = ("game", "saves", "check", "texts", "variants")
"""Sections whose numbers are about files, not about play."""


class Key(NamedTuple):
    """One number of a design: key path, value, whether it must be whole, line in the file (0 for none)."""

    key: str
    value: float
    whole: bool
    line: int


def number_keys(tree: Mapping[str, Any]) -> Iterator[tuple[Path, float]]:
    """Yield the path and the value of every number of a design tree."""

    def walk(value: Any, path: Path) -> Iterator[tuple[Path, float]]:
        if is_number(value):
            yield path, value
        elif isinstance(value, dict):
            for key, inner in value.items():
                yield from walk(inner, (*path, key))
        elif isinstance(value, list):
            for at, inner in enumerate(value):
                yield from walk(inner, (*path, at))

    for section, entries in tree.items():
        if section not in APART:
            yield from walk(entries, (section,))


def must_be_whole(error: DesignError) -> bool:
    """Return whether an error says that a number must be whole."""
    return any("whole number" in problem.right for problem in error.problems)
