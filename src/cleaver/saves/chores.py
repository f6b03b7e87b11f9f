"""Chores: what a saver does with its store now and then, beside saving.

The lease is renewed, SQLite's log written into the file, a backup made, and requests for players are read.
Start at `Chores.due`.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from functools import partial

from cleaver.errors import SaveError
from cleaver.saves.backups import Backups
from cleaver.saves.store import Store
from cleaver.saves.writer import Writer

Chore = Callable[[float | None], None]
CHECKPOINT = 60.0  # seconds from one checkpoint to the next
ASKING = 2.0  # seconds from one look for requests to the next
AGAIN = 1.0  # seconds until a lease that could not be renewed is tried again


class Chores:
    """The chores of one saver, by its clock."""

    store: Store
    writer: Writer
    clock: Callable[[], float]

    def __init__(self, store: Store, writer: Writer, clock: Callable[[], float]) -> None:
        self.store, self.writer, self.clock = store, writer, clock
        now = clock()
        self._last = {"renew": now, "checkpoint": now, "ask": now, "backup": now}
        self._backups: Backups | None = None
        self._requests: deque[tuple[str, str]] = deque()  # filled by the writer's thread

    def back_up(self, backups: Backups) -> None:
        """Make backups, too; the first one at once."""
        self._backups = backups
        self._last["backup"] -= backups.every

    def due(self, anybody: bool) -> list[Chore]:
        """Return what has to be done now; where nobody is being saved (not *anybody*), only backups."""
        found: list[Chore] = []
        if anybody and self._is_due("renew", self.store.lease / 3 if self.writer.renewed else AGAIN):
            found.append(self.writer.renew)
        if anybody and self._is_due("ask", min(ASKING, self.store.lease / 3)):
            found.append(self._ask)
        if anybody and self._is_due("checkpoint", CHECKPOINT):
            found.append(self._checkpoint)
        if self._backups is not None and self._is_due("backup", self._backups.every):
            found.append(partial(_back_up, self._backups))
        return found

    def _is_due(self, what: str, every: float) -> bool:
        now = self.clock()
        if now - self._last[what] < every:
            return False
        self._last[what] = now
        return True

    def _checkpoint(self, patience: float | None) -> None:
        self.store.checkpoint()  # which waits for nobody

    def _ask(self, patience: float | None) -> None:
        try:
            self._requests.extend(self.store.requests(patience=patience))
        except SaveError:
            return  # later

    def requests(self) -> list[tuple[str, str]]:
        """Return (player, who asks) since this was asked last."""
        found = []
        while self._requests:
            found.append(self._requests.popleft())
        return found


def _back_up(backups: Backups, patience: float | None) -> None:
    backups.make()
