"""Formulas of trials: what names mean in them, compiled once for all sessions of a design.

Beside the paths of scripts there are `it` (whom a habit is about), the inputs of the players, `n` (how often
a habit has acted), and the fields of an event. Start at `TrialNames`.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from cleaver.core.kernel import reading
from cleaver.core.kernel.expressions import Expression, NobodyError
from cleaver.core.kernel.scope import Scope
from cleaver.design.design import Design
from cleaver.design.paths import FormulaNames, Path, actor_path
from cleaver.errors import UnknownNameError
from cleaver.formula import Reader
from cleaver.parsing import parse

IT = "it"


class TrialNames(FormulaNames):
    """What names mean in a formula of a trial.

    Args:
        design: The design that is played.
        actors: The kinds of those who are there after the setup, by id.
        placements: What lies there after the setup, by id.
        inputs: The inputs of the players.
        it: The kind that a habit is about, "" for none; a pickup where *lies*.
        lies: Whether `it` is a placement.
        event: The event at hand, "" for none.
    """

    actors: dict[str, str]
    placements: tuple[str, ...]
    it: str
    lies: bool

    def __init__(
        self,
        design: Design,
        actors: dict[str, str],
        placements: Iterable[str],
        inputs: Iterable[str],
        *,
        it: str = "",
        lies: bool = False,
        event: str = "",
    ) -> None:
        super().__init__(design.known, (), design.known.events[event] if event else None, (*inputs, "n"))
        self.actors, self.placements, self.it, self.lies = actors, tuple(placements), it, lies

    def find(self, parts: tuple[str, ...]) -> Path:
        """See `FormulaNames.find`."""
        first, rest = parts[0], parts[1:]
        if first == IT and self.it:
            if self.lies:
                return self._placement(parts)
            return actor_path("self", rest, self.known)._replace(root=IT)
        if first in self.actors:
            return actor_path(first, rest, self.known)
        if first in self.placements:
            return self._placement(parts)
        try:
            return super().find(parts)
        except UnknownNameError:
            known = (*([IT] if self.it else []), *self.actors, *self.placements, *self.locals)
            raise UnknownNameError("name", first, (*known, "actors", "pickups", "now")) from None

    def _placement(self, parts: tuple[str, ...]) -> Path:
        if parts[1:] != ("present",):
            raise UnknownNameError("path", ".".join(parts), (f"{parts[0]}.present",))
        return Path("", "placement", parts[0], "present", "truth")


def formula_reader(path: Path) -> Reader:
    """Return a function that reads *path* in a `Scope`; of somebody who is not there any more it asks about
    nobody, so that a condition is not true."""
    what, name, part, root = path.what, path.name, path.part, path.root
    if what == "placement":
        return lambda scope: _lies(scope, scope.place if name == IT else name)
    if not root or what in ("input", "field"):
        return reading.reader(path)
    if root == IT:

        def of_it(scope: Scope) -> Any:
            if scope.me is None:
                raise NobodyError("", "asks about it, and it has left")
            return scope.stage.readable[what](scope.me, name, part)

        return of_it

    def of(scope: Scope) -> Any:
        body = scope.stage.actors.get(root)
        if body is None:
            raise NobodyError("", f"asks about {root}, who is not there")
        return scope.stage.readable[what](body, name, part)

    return of


def _lies(scope: Scope, name: str) -> bool:
    try:
        return bool(scope.stage.readable["placement"](None, name, "present"))  # type: ignore[arg-type]
    except UnknownNameError:
        return False  # taken for good


def compiled(text: str, names: TrialNames, where: str) -> Expression:
    """Return a formula made ready; a number stands for itself.

    Raises:
        FormulaError: It is none, or names something that there is not.
    """
    return Expression(parse(text, names, where=where, tolerant=True), formula_reader, where)
