"""Changes: what differs between two designs, key by key, in words.

Compares the trees as they are after `like`, so an entry made from another changes where that one does. Knows
no file. Start at `changes`.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from difflib import SequenceMatcher
from typing import Any, NamedTuple

from cleaver.design.lines import Path, bare_at, is_bare, key_of
from cleaver.design.reading import Source
from cleaver.rounding import is_number, shown

LONGEST = 60  # characters of a value that is shown


class Change(NamedTuple):
    """One difference: the key path, what was there and what is (None where nothing is)."""

    path: Path
    was: Any
    now: Any

    @property
    def key(self) -> str:
        """The key path as text: "actors.eel.attacks.sting.amount", lists counted from 1."""
        return key_of(self.path)

    def __str__(self) -> str:
        if self.was is None:
            return f"{self.key} is new{_of(self.now)}"
        if self.now is None:
            return f"{self.key} is gone{', was' + _of(self.was)[1:] if _of(self.was) else ''}"
        return f"{self.key} was {_text(self.was)} and is {_text(self.now)}"


def changes(old: Mapping[str, Any], new: Mapping[str, Any]) -> list[Change]:
    """Return every difference between two design trees, in the order of the new one, what is gone last in
    each table."""
    found: list[Change] = []
    _tables((), old, new, found)
    return found


def told_change(found: list[Change], old: Source | None, new: Source) -> list[str]:
    """Return changes in words with file and line (of *old* for what is gone, where it is known); what others
    inherit from one line is shown once."""
    groups: dict[tuple[Any, ...], list[Change]] = {}
    places: list[tuple[str, int]] = []
    for change in found:
        source = old if change.now is None else new
        line = source.line(change.path) if source is not None else 0
        key = (line, change.path[-1], _text(change.was), _text(change.now)) if line else change.path
        if key not in groups:
            places.append((source.name if source is not None else new.name, line))
        groups.setdefault(key, []).append(change)
    lines = []
    for (name, line), (first, *others) in zip(places, groups.values(), strict=True):
        also = (
            f" (and so for {', '.join('.'.join(map(str, other.path[:2])) for other in others)})"
            if others
            else ""
        )
        lines.append(f"{name}{f':{line}' if line else ''}: {first}{also}")
    return lines


def _tables(path: Path, old: Mapping[str, Any], new: Mapping[str, Any], found: list[Change]) -> None:
    for name, value in new.items():
        if name in old:
            _values((*path, name), old[name], value, found)
        else:
            found.append(Change((*path, name), None, value))
    found.extend(Change((*path, name), value, None) for name, value in old.items() if name not in new)


def _values(path: Path, old: Any, new: Any, found: list[Change]) -> None:
    bare = bare_at(path)
    if bare and isinstance(old, Mapping) and is_bare(new):
        new = {bare: new}
    elif bare and isinstance(new, Mapping) and is_bare(old):
        old = {bare: old}
    if isinstance(old, Mapping) and isinstance(new, Mapping):
        _tables(path, old, new, found)
    elif isinstance(old, list) and isinstance(new, list):
        _lists(path, old, new, found)
    elif old != new or isinstance(old, bool) != isinstance(new, bool):
        found.append(Change(path, old, new))


def _lists(path: Path, old: list[Any], new: list[Any], found: list[Change]) -> None:
    """Pair what is equal first, so that one entry put in does not change all behind it."""
    before, after = (
        [json.dumps(item, sort_keys=True, default=str) for item in items] for items in (old, new)
    )
    for what, i, j, k, m in SequenceMatcher(None, before, after, autojunk=False).get_opcodes():
        if what == "equal":
            continue
        paired = min(j - i, m - k)
        for offset in range(paired):
            _values((*path, k + offset), old[i + offset], new[k + offset], found)
        found.extend(Change((*path, at), None, new[at]) for at in range(k + paired, m))
        found.extend(Change((*path, at), old[at], None) for at in range(i + paired, j))


def _of(value: Any) -> str:
    return "" if isinstance(value, (Mapping, list)) and not value else f": {_text(value)}"


def _text(value: Any) -> str:
    if is_number(value):
        return shown(value)
    text = json.dumps(value, ensure_ascii=False, default=str)
    return text if len(text) <= LONGEST else f"{text[: LONGEST - 1]}…"
