"""Spool: what a saver could not write before it had to end, kept in a file for the next start.

A file belongs to one store (by its id) and one saver, and names the process that held the players. Each
profile in it knows the revision and the fence it was built on, so that the next start can tell whether it
still fits. Start at `Spool`.
"""

from __future__ import annotations

import json
import uuid
from glob import escape
from pathlib import Path
from typing import NamedTuple

from cleaver import files
from cleaver.errors import CleaverError, ProfileBusyError, SaveError, StoreUnavailableError, unreadable
from cleaver.saves import document
from cleaver.saves.files import PRIVATE
from cleaver.saves.reports import log
from cleaver.saves.store import Store

FORMAT = 1
MAX_BYTES = 512 * 1024 * 1024  # of a file: what a server of thousands of players may have left
WHO = "what an earlier run could not save"
Note = tuple[str, str]
"""Whose profile, and what became of it, in words."""


class Left(NamedTuple):
    """One profile that was not written: whose, upon which revision and fence, and its bytes."""

    player: str
    revision: int
    fence: int
    version: int
    body: bytes


class Spool:
    """The files beside one store, in *folder*; None where nothing is kept, as with a store in memory."""

    store: Store
    stem: str

    folder: Path | None
    path: Path | None
    waiting: dict[str, Path]

    def __init__(self, store: Store, folder: Path | None) -> None:
        self.store, self.folder = store, folder
        self.waiting = {}  # players of whom an earlier run's file has something, and which file
        name = store.label.rpartition("/")[2]
        self.stem = "".join(letter if letter.isalnum() or letter in "._-" else "_" for letter in name)
        self.stem += ".unsaved-"
        # Of its own for each saver: several may share a store, and end together.
        self.path = None if folder is None else folder / f"{self.stem}{uuid.uuid4().hex}.json"

    def keep(self, left: list[Left]) -> Path | None:
        """Write a file of what did not get out: whole or not at all, for its owner alone; returns where.

        Raises:
            OSError: It cannot be written there.
        """
        if self.path is None or not left:
            return None
        self._write(self.path, self.store.holder, left)
        return self.path

    # the next start

    def look(self) -> None:
        """Look for what earlier runs have left for this store."""
        if self.folder is None:
            return
        for path in sorted(self.folder.glob(f"{escape(self.stem)}*.json")):
            if path == self.path:
                continue
            try:
                left = self._read(path)[1]
            except SaveError as error:
                log.error("%s; it was left alone", error)
                continue
            self.waiting.update(dict.fromkeys((one.player for one in left), path))

    def take_back(self, player: str = "") -> list[Note]:
        """Write what earlier runs have left where it still fits: of everybody, or of one *player*. What does
        not fit is set aside. What cannot be decided now, as the store is away or somebody has the player,
        waits.

        Returns:
            What is to be reported of it.
        """
        notes: list[Note] = []
        for path in {self.waiting[player]} if player else set(self.waiting.values()):
            try:
                holder, left = self._read(path)
            except SaveError as error:
                log.error("%s; it was left alone", error)
                self.waiting = {who: where for who, where in self.waiting.items() if where != path}
                continue
            aside: list[Left] = []
            later: list[Left] = []
            for one in left:
                if player not in ("", one.player):
                    later.append(one)
                    continue
                found = self._settle(one, holder, notes, path)
                if found is None:
                    later.append(one)
                else:
                    self.waiting.pop(one.player, None)
                    if not found:
                        aside.append(one)
            self._rewrite(path, holder, later, aside)
        return notes

    def _settle(self, one: Left, holder: str, notes: list[Note], path: Path) -> bool | None:
        """Write one profile if it still fits: True where it is in the store now, False where it must be set
        aside, None where that cannot be decided yet."""
        store = self.store
        what = f"profile {one.player}: what the game could not save when it ended"
        try:
            with store.hold(one.player, WHO, heir_of=holder) as held:
                if store.newest_body(one.player) == one.body:
                    return True  # it had got out after all
                # Nobody has taken the player since (each who does raises the fence by one), or nobody who
                # did has written anything.
                if held.fence - 1 != one.fence and held.revision != one.revision:
                    older = (
                        f"{what} (upon revision {one.revision}) is older than what is saved now (revision "
                        f"{held.revision}); it was set aside in {_aside(path).name}"
                    )
                    notes.append((one.player, older))
                    return False
                info = held.save(store.versions.carry(document.decode(one.body)))
        except (StoreUnavailableError, ProfileBusyError) as error:
            log.warning("%s: what an earlier run left is still to be saved: %s", one.player, error)
            return None
        except CleaverError as error:
            notes.append(
                (one.player, f"{what} cannot be saved now: {error}. It was set aside in {_aside(path).name}")
            )
            return False
        notes.append((one.player, f"{what} was saved now, as revision {info.revision}"))
        return True

    def _rewrite(self, path: Path, holder: str, later: list[Left], aside: list[Left]) -> None:
        """Leave in a file what waits, and set aside what does not fit, beside what was set aside before; that
        first, so that nothing is lost between the two."""
        try:
            if aside:
                before = self._read(_aside(path))[1] if _aside(path).exists() else []
                self._write(_aside(path), holder, before + aside)
            if later:
                self._write(path, holder, later)
            else:
                path.unlink(missing_ok=True)
        except OSError as error:
            log.error("%s %s", path.name, unreadable(error))
        except SaveError as error:  # what was set aside before: nothing is written over it
            log.error("%s; it was left alone, and so was %s", error, path.name)

    def _write(self, path: Path, holder: str, left: list[Left]) -> None:
        rows = [
            {
                **one._asdict(),
                "checksum": document.checksum(one.player, one.revision, one.version, one.body),
                "body": one.body.decode(),
            }
            for one in left
        ]
        tree = {"format": FORMAT, "store": self.store.id, "holder": holder, "profiles": rows}
        files.write(path, json.dumps(tree), mode=PRIVATE, sync=True)

    def _read(self, path: Path) -> tuple[str, list[Left]]:
        """Return (the process that left a file, what is in it for this store)."""
        try:
            tree = json.loads(files.read(path, MAX_BYTES, links=False))
            if tree["format"] != FORMAT:
                raise ValueError(f"its format is {tree['format']!r}, and this version reads {FORMAT}")
            if tree["store"] != self.store.id:
                raise ValueError("it belongs to another store")
            rows = [
                (
                    Left(row["player"], row["revision"], row["fence"], row["version"], row["body"].encode()),
                    row,
                )
                for row in tree["profiles"]
            ]
            for left, row in rows:
                if document.checksum(left.player, left.revision, left.version, left.body) != row["checksum"]:
                    raise ValueError(f"the checksum of {left.player} does not match")
            return str(tree["holder"]), [left for left, _ in rows]
        except OSError as error:
            raise SaveError(f"{path.name} {unreadable(error)}") from None
        except (files.TooLongError, ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
            raise SaveError(f"{path.name} is no file of what could not be saved ({error})") from None


def _aside(path: Path) -> Path:
    return path.with_suffix(".aside")
