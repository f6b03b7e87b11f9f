"""Tuning: a design as it is written, with some of its values changed by key path.

Nothing of the old one is touched: what lies on the way to a value is copied, all else is shared, so that only
what changed is looked at again. Start at `tuned`.
"""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.design.lines import Path, bare_at, is_bare, key_of, path_of
from cleaver.design.reading import Source, merge, plain_text
from cleaver.errors import UnknownNameError, UsageError, said

_NOTHING = object()

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


def tuned(source: Source, values: Mapping[str, Any]) -> Source:
    """Return *source* with other values at some key paths, not yet checked.

    Raises:
        UnknownNameError: A path through something that is not there.
    """
    if not isinstance(values, Mapping):
        raise UsageError(f"the values are {said(values)}; they must be a table of values by key path")
    tree: Any = source.written
    for key, value in values.items():
        path = path_of(key) if isinstance(key, str) else ()
        if not path:
            raise UsageError(f"{said(key)} is no key path; write one such as rules[2].do[1].amount")
        tree = _put(tree, source.tree, path, 0, plain_text(value))
    return Source(tree, source.name, source.lines)


def _put(written: Any, whole: Any, path: Path, at: int, value: Any) -> Any:
    """Return a copy of what is *written* at the first parts of *path* with *value* at its end; *whole* is the
    same after `like`."""
    if at == len(path):
        return merge(written, value, path) if is_bare(value) else value
    part = path[at]
    if isinstance(part, str):
        bare = bare_at(path[:at])
        if bare:
            written, whole = ({bare: one} if is_bare(one) else one for one in (written, whole))
    known = written if written is not _NOTHING and not isinstance(written, dict) else whole
    if isinstance(part, int):
        if not isinstance(known, list) or part >= len(known):
            count = len(known) if isinstance(known, list) else 0
            raise UsageError(f"{key_of(path[: at + 1])} is not there: {key_of(path[:at])} has {count}")
        changed = list(known)  # a list is replaced whole, also where another entry's is inherited
        changed[part] = _put(known[part], known[part], path, at + 1, value)
        return changed
    table = {} if written is _NOTHING else written
    if not isinstance(table, dict) or (written is _NOTHING and not isinstance(whole, dict)):
        raise UsageError(f"{key_of(path)}: {key_of(path[:at])} is {said(known)}, and has no keys")
    inner = table.get(part, _NOTHING), whole.get(part, _NOTHING) if isinstance(whole, dict) else _NOTHING
    if at + 1 < len(path) and inner == (_NOTHING, _NOTHING):
        names = [*(whole if isinstance(whole, dict) else ()), *table]
        raise UnknownNameError("key", part, tuple(dict.fromkeys(names)), key_of(path[:at]))
    return table | {part: _put(*inner, path, at + 1, value)}
