"""Shape: whether each entry of a design has the keys and ranges its table asks for.

Every entry is read by itself, so that one broken entry hides nothing about the others. What names refer to is
`references`' business. Start at `shaped`.
"""

from __future__ import annotations

from cleaver.design.keys import WRONG, Each, Named
from cleaver.design.lines import Path
from cleaver.design.models import DesignTables
from cleaver.design.reading import Source
from cleaver.errors import advice

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


def shaped(source: Source, before: tuple[Source, DesignTables] | None = None) -> DesignTables:
    """Return the entries of *source* that have the right shape; the errors of the others are
    added to *source*.

    Entries that *source* shares, as the same objects, with the design *before* are right, and taken over
    from its tables.
    """
    parts: dict[str, Any] = {}
    past: dict[str, Any] = {} if before is None else before[0].tree
    made: Any = None if before is None else before[1]
    sections = DesignTables.declared()
    for section, value in source.tree.items():
        if section not in sections:
            source.tell((section,), f"unknown section {section!r}", advice(section, list(sections)))
            continue
        kind = sections[section].type
        was = past.get(section)
        if was is not None and was is value:
            parts[section] = getattr(made, section)
        elif isinstance(kind, (Named, Each)):
            entries = None if was is None else getattr(made, section)
            parts[section] = _entries(source, section, kind, value, was, entries)
        else:
            found = validated(source, kind, value, (section,))
            if found is not None:
                parts[section] = found
    tables = DesignTables()
    vars(tables).update(parts)
    return tables


def _entries(source: Source, section: str, kind: Named | Each, value: Any, was: Any, made: Any) -> Any:
    """Return the entries of one section; those of *was* that stay are taken from *made*."""
    if isinstance(kind, Each):
        if not isinstance(value, list):
            source.tell((section,), "must be a list of tables", f"write [[{section}]] above each")
            return ()
        several = [
            made[number]
            if was is not None and number < len(was) and was[number] is entry
            else validated(source, kind.inner, entry, (section, number))
            for number, entry in enumerate(value)
        ]
        return tuple(one for one in several if one is not None)
    if not isinstance(value, dict):
        source.tell((section,), "must be a table of named entries", f"write [{section}.some_name]")
        return {}
    found: dict[str, Any] = {}
    for name, entry in value.items():
        if was is not None and name in was and was[name] is entry:
            found[name] = made[name]
        elif validated(source, kind.names, name, (section, name)) is not None:
            one = validated(source, kind.inner, entry, (section, name))
            if one is not None:
                found[name] = one
    return found


def validated(source: Source, kind: Any, value: Any, path: Path) -> Any:
    """Return what a type or a table makes of a value, None where it is wrong; the errors are added to
    *source*."""
    found = kind.read(value, path, source.tell)
    return None if found is WRONG else found
