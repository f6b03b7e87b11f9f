"""Backups: copies of a store made in turn while it is in use, each checked, the oldest taken away. Start at
`Backups`.
"""

from __future__ import annotations

import glob
import time
from pathlib import Path

from cleaver.core.kernel.arguments import finite
from cleaver.errors import AmountError, CleaverError, UsageError, unreadable
from cleaver.saves.files import sweep_away
from cleaver.saves.reports import log
from cleaver.saves.store import Store


class Backups:
    """The backups of one store.

    Args:
        store: Of what; a file.
        folder: Where they go, made if it is not there.
        every: Seconds from one to the next.
        keep: How many are kept, 1 to 10,000.

    Raises:
        UsageError: The store is no file.
    """

    store: Store
    stem: str

    folder: Path
    every: float
    keep: int

    def __init__(self, store: Store, folder: Path, every: float, keep: int) -> None:
        if not (finite(every) and every > 0):
            raise AmountError("every", every, "a number of seconds, more than 0")
        if isinstance(keep, bool) or not isinstance(keep, int) or not 1 <= keep <= 10_000:
            raise AmountError("keep", keep, "a whole number from 1 to 10,000")
        if store.path is None:
            raise UsageError(
                f"{store.label} is no file; use the server's own tool for backups, such as pg_dump"
            )
        self.store, self.folder, self.every, self.keep = store, folder, every, keep
        self.stem = store.path.stem
        sweep_away(folder, f"{glob.escape(self.stem)}-*Z.db")

    def made(self) -> list[Path]:
        """Return the backups that are there, oldest first."""
        return sorted(self.folder.glob(f"{glob.escape(self.stem)}-{'[0-9]' * 8}T{'[0-9]' * 9}Z.db"))

    def _named(self, moment: int) -> Path:
        """Return where the backup of a moment goes (milliseconds since 1970)."""
        when = time.strftime("%Y%m%dT%H%M%S", time.gmtime(moment // 1000))
        return self.folder / f"{self.stem}-{when}{moment % 1000:03d}Z.db"

    def make(self) -> Path | None:
        """Make the next one, and take away the oldest beyond those that are kept; returns where it is, None
        (and an error in the log) where it could not be made."""
        moment = time.time_ns() // 1_000_000
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            while (target := self._named(moment)).exists():  # more than one in a millisecond
                moment += 1
            self.store.backup(target)
            for old in self.made()[: -self.keep]:
                old.unlink()
        except OSError as error:
            log.error(
                "no backup of %s could be made: %s %s", self.store.label, self.folder, unreadable(error)
            )
            return None
        except CleaverError as error:
            log.error("no backup of %s could be made: %s", self.store.label, error)
            return None
        log.info("%s is backed up to %s", self.store.label, target.name)
        return target
