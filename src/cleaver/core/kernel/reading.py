"""Names: how the paths of formulas and scripts are read at run time.

`design.paths` says what a path is; this part makes a function of a scope out of it. What can be read of an
actor is declared by the parts (`Stage.readable`). Start at `reader`.
"""

from __future__ import annotations

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import NobodyError
from cleaver.core.kernel.scope import Scope
from cleaver.design.paths import Path
from cleaver.formula import Inline, Reader

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

_ROOTS = {"self": "me", "source": "source", "target": "target"}
_INLINE = {
    root: f"s.stage.readable[what](s.{slot}, name, part) if s.{slot} is not None else read(s)"
    for root, slot in _ROOTS.items()
}
_NOBODY = {
    "owner": "there is none: it has no owner, or whoever owned it has left",
    "target": "there is nobody",
}


def reader(path: Path) -> Reader:
    """Return a function that reads *path* in a `Scope`."""
    what, name, part = path.what, path.name, path.part
    if what == "input":
        return _input(name)
    if what == "field":
        return lambda scope: scope.event.get(name)
    if what == "has_source":
        return lambda scope: scope.source is not None
    if what == "now":
        return lambda scope: scope.stage.clock.now / 1e6
    if what == "seed":
        return lambda scope: scope.stage.dice.seed
    if not path.root:
        return lambda scope: scope.stage.readable[what](None, name, part)
    if what == "stat":
        return _stat(path.root, name)
    who = _who(path.root)

    def read(scope: Scope) -> Any:
        return scope.stage.readable[what](who(scope), name, part)

    if path.root in _ROOTS:
        # Most that formulas ask is of somebody who is there; where nobody is, `read` itself says so.
        read.inline = Inline(  # type: ignore[attr-defined]  # see `Formula.compile`
            _INLINE[path.root], what=what, name=name, part=part
        )
    return read


def _stat(root: str, name: str) -> Reader:
    """Return a function that reads a stat: 0 of whoever has none, and of nobody."""
    who = _who(root)

    def read(scope: Scope) -> float:
        try:
            body: Body = who(scope)
        except NobodyError:
            return 0
        return body.stats.get(name, 0)

    if root in _ROOTS:
        slot = _ROOTS[root]
        text = f"s.{slot}.stats.get(name, 0) if s.{slot} is not None else 0"
        read.inline = Inline(text, name=name)  # type: ignore[attr-defined]  # see `Formula.compile`
    return read


def _input(name: str) -> Reader:
    def read(scope: Scope) -> Any:
        return scope.inputs[name]

    read.inline = Inline("s.inputs[name]", name=name)  # type: ignore[attr-defined]  # see `Formula.compile`
    return read


def _who(root: str) -> Any:
    attribute = _ROOTS.get(root)
    if attribute is None and root != "owner":
        return lambda scope: scope.stage.actor(root)

    def find(scope: Scope) -> Body:
        found: Body | None
        if attribute is None:
            found = scope.stage.owner_of(scope.me) if scope.me is not None else None
        else:
            found = getattr(scope, attribute)
        if found is None:
            why = _NOBODY.get(root, "there is nobody: nobody caused it, or whoever did has left")
            raise NobodyError("", f"asks about {root}, and {why}")
        return found

    return find
