"""Chain: the proof that nothing which was acknowledged is missing.

Each generation of a player carries a link made of the one before and of its own checksum, beginning with the
store and the player; the player's row carries the last. So a row that was lost, put back, or brought from
another store does not fit what stands beside it. SQLite stores count their transactions as well, in the
database and in a file beside it, so that a log that was lost is noticed. Start at `chain_link` and
`CommitCounter`.
"""

from __future__ import annotations

import hashlib
import os
from pathlib import Path


def chain_link(store: str, player: str, revision: int, before: str, checksum: str) -> str:
    """Return the link of one generation: SHA-256, as hexadecimal text."""
    return hashlib.sha256(f"{store}\0{player}\0{revision}\0{before}\0{checksum}".encode()).hexdigest()


def seal(store: str, *values: object) -> str:
    """Return the checksum of a row that stands for itself, such as one of a leaderboard."""
    return hashlib.sha256("\0".join([store, *map(str, values)]).encode()).hexdigest()


class CommitCounter:
    """How many transactions a store has made, beside it: a line of a fixed length, synced after each.

    It may lag behind the store, where a process was killed between the two; it never leads, unless the store
    has lost something.
    """

    path: Path
    store: str

    def __init__(self, path: Path, store: str) -> None:
        self.path, self.store = path, store
        self._file: int | None = None

    def read(self) -> int:
        """Return what the file says; 0 where there is none, or it belongs to another store."""
        try:
            store, count = self.path.read_text(encoding="ascii").split()
            return int(count) if store == self.store else 0
        except (OSError, ValueError):
            return 0

    def write(self, count: int) -> None:
        """Note so many transactions; a place that cannot be written is left as it is."""
        line = f"{self.store} {count:020d}\n".encode("ascii")
        try:
            if self._file is None:
                self._file = os.open(
                    self.path, os.O_WRONLY | os.O_CREAT | getattr(os, "O_NOFOLLOW", 0), 0o600
                )
            os.lseek(self._file, 0, os.SEEK_SET)
            os.write(self._file, line)
            getattr(os, "fdatasync", os.fsync)(self._file)
        except OSError:
            self.close()

    def close(self) -> None:
        """Let go of the file."""
        if self._file is not None:
            os.close(self._file)
            self._file = None
