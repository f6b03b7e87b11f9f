"""Variants: a design with other numbers, such as easy and hard. Start at `varied`."""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.design.lines import Path, bare_at, key_of, path_of
from cleaver.design.reading import Source
from cleaver.design.tuning import tuned
from cleaver.errors import CleaverError, DesignError, FormulaError, Problem, UnknownNameError, said
from cleaver.formula import Names, Parts, Type
from cleaver.rounding import is_number

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

BASE = "base"
"""What a formula of a variant calls the number that stands there without it."""


class _BaseNames(Names):
    """The one name that a formula of a variant has."""

    def path(self, parts: Parts) -> tuple[Type, Any]:
        """See `Names`."""
        if parts != (BASE,):
            raise UnknownNameError("name", ".".join(parts), (BASE,))
        return "number", BASE


def varied(source: Source, values: Mapping[str, Any], name: str) -> Source:
    """Return what is written with the values of a variant in it, whose `[game] variant` says so.

    Args:
        source: What is written.
        values: What the variant sets, by key path.
        name: The variant.

    Raises:
        DesignError: What cannot be set, each with its key path.
    """
    made, problems = {}, []
    for key, value in values.items():
        try:
            made[key] = _worked_out(source.tree, key, value)
        except CleaverError as error:
            problems.append(_problem(source, name, key, str(error)))
    try:
        found = tuned(source, made)
    except CleaverError as error:  # a key path through something that is not there
        problems.append(_problem(source, name, "", str(error)))
    if problems:
        raise DesignError(problems)
    game = {**found.written.get("game", {}), "variant": name}
    return Source({**found.written, "game": game}, found.name, found.lines)


def _problem(source: Source, name: str, key: str, wrong: str) -> Problem:
    path: Path = ("variants", name, "set", *([key] if key else []))
    return Problem(source.name, source.line(path), key_of(path), wrong, "")


def _worked_out(tree: Any, key: str, value: Any) -> Any:
    """Return what a variant sets: a formula of `base` as the number that it comes to."""
    if not isinstance(value, str):
        return value
    import ast

    from cleaver.parsing import parse

    try:
        parsed = ast.parse(value.strip(), mode="eval")
    except (SyntaxError, ValueError):
        return value  # a name, or a text
    if not any(isinstance(node, ast.Name) and node.id == BASE for node in ast.walk(parsed)):
        return value
    base = tree
    path = path_of(key)
    for at, part in enumerate(path):
        if is_number(base) and part == bare_at(path[:at]):
            break
        try:
            base = base[part]
        except (KeyError, IndexError, TypeError):
            base = None
    if not is_number(base):
        raise FormulaError(value, f"reads base, and {key} is {said(base)}, no number", key)
    found = parse(value, _BaseNames(), where=key).compile(lambda reference: lambda scope: base)(None)
    return int(found) if isinstance(base, int) and found == int(found) else found
