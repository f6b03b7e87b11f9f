"""Aliases: the names by which viewers know who is in a room; ids stay on the server. Start at `Aliases`."""

from __future__ import annotations

from collections.abc import Callable

from cleaver.core.kernel.body import Leaver
from cleaver.errors import UsageError, said

MOST = 40  # letters of a shown name


class Aliases:
    """The aliases of one room: the shown name of each player, made unique. A player's is kept for as long as
    the room: what comes late about somebody who has left is still about it. Others are known by their ids,
    and nothing is kept of them, unless a player is called so.

    Args:
        taken: Returns whether something in the room stands under a name.
    """

    by_id: dict[str, str]
    ids: dict[str, str]

    def __init__(self, taken: Callable[[str], bool] = lambda name: False) -> None:
        self.by_id, self.ids, self._taken = {}, {}, taken

    def of(self, name: str) -> str:
        """Return the alias of somebody, given its id."""
        found = self.by_id.get(name)
        if found is not None or not name:
            return found or ""
        return self.add(str(name), str(name)) if name in self.ids else str(name)

    def add(self, name: str, shown_as: str) -> str:
        """Give somebody an alias, and return it.

        Raises:
            UsageError: The shown name is empty, too long, or not printable.
        """
        shown = " ".join(shown_as.split()) if isinstance(shown_as, str) else ""
        if not 0 < len(shown) <= MOST or not shown.isprintable():
            raise UsageError(f"the shown name {said(shown_as)} must be 1 to {MOST} printable letters")
        alias, number = shown, 1
        while not self._free(alias, name):
            number += 1
            alias = f"{shown} {number}"
        self.forget(name)
        self.by_id[name], self.ids[alias] = alias, name
        return alias

    def id_of(self, alias: str) -> str:
        """Return the id of somebody by its alias."""
        return self.ids.get(alias, alias)

    def _free(self, alias: str, name: str) -> bool:
        if alias in self.ids:
            return self.ids[alias] == name
        return alias == name or not self._taken(alias)

    def forget(self, name: str) -> None:
        """Take somebody's alias away."""
        before = self.by_id.pop(name, None)
        if before is not None:
            del self.ids[before]

    def named(self, name: str) -> str:
        """Return the alias of somebody named in an event, and what is no id as it is."""
        return self.by_id.get(name, str(name)) if name.__class__ in (str, Leaver) else name
