"""Boards: what one audience may see, each entry with when it changed last. Start at `Board`."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

Key = tuple[str, ...]
GONE = None
"""What stands in place of an entry that is not there any more."""


class Board:
    """Entries by key, in the order in which they changed last; each change has the next version.

    What is gone is kept as gone for those who have not heard of it: `forget` drops what all have heard of.

    Args:
        versions: Gives the next version. All boards of a room share it: a board that comes anew in place of
            another is newer than all that anybody had of that one.
    """

    __slots__ = ("_gone", "_versions", "entries", "version")
    entries: dict[Key, tuple[int, Any]]
    version: int

    def __init__(self, versions: Iterator[int]) -> None:
        self.entries = {}
        self.version = 0
        self._versions = versions
        self._gone = 0

    def put(self, key: Key, value: Any) -> None:
        """Let an entry be what it is now."""
        found = self.entries.get(key)
        if found is not None:
            if found[1] == value:
                return
            del self.entries[key]  # it goes to the end
            self._gone -= found[1] is GONE
        self.version = next(self._versions)
        self.entries[key] = (self.version, value)

    def drop(self, key: Key) -> None:
        """Let an entry be gone."""
        found = self.entries.get(key)
        if found is not None and found[1] is not GONE:
            self.put(key, GONE)
            self._gone += 1

    def since(self, version: int) -> Iterator[tuple[Key, Any]]:
        """Yield what has changed since a version, in the order in which it changed."""
        found = []
        for key, (changed, value) in reversed(self.entries.items()):
            if changed <= version:
                break
            found.append((key, value))
        found.reverse()
        return iter(found)

    def there(self) -> Iterator[tuple[Key, Any]]:
        """Yield everything that is there."""
        return ((key, value) for key, (_, value) in self.entries.items() if value is not GONE)

    @property
    def crowded(self) -> bool:
        """Whether much of it is gone."""
        return self._gone > 64 and self._gone * 2 > len(self.entries)

    def forget(self, version: int) -> None:
        """Drop what is gone since a version that all have heard of."""
        for key in [k for k, (at, value) in self.entries.items() if value is GONE and at <= version]:
            del self.entries[key]
            self._gone -= 1
