"""Files: SQLite's file of a store, looked at before it is opened, made, copied and put in place.

A file that is empty, cut, no database or someone else's is left alone. Start at `look_at_file`.
"""

from __future__ import annotations

import glob
import os
import shutil
import sqlite3
import struct
import sys
import tempfile
import time
import uuid
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from stat import S_ISREG
from typing import Any, BinaryIO

from cleaver.errors import SaveError, StoreCorruptError, StoreUnavailableError, UsageError
from cleaver.saves.tables import APPLICATION_ID, CHANGES, meta

_HEADER = b"SQLite format 3\x00"
PRIVATE = 0o600  # what players have is nobody else's business
STALE = 600  # seconds after which what is half-made is nobody's any more
_SHARED_BY_ALL = 128  # the byte of the index of its log on which whoever has a store open has a lock
_LOG_HEAD, _FRAME_HEAD = 32, 24  # bytes, by SQLite's description of its log
_BESIDE = ("-wal", "-shm")  # what SQLite keeps beside a file


def create(path: Path) -> None:
    """Make an empty store beside its place and put it there whole: a process killed meanwhile leaves nothing
    half-made behind, and of several that do it at once the first wins."""
    sweep_away(path.parent, glob.escape(path.name))
    made = _beside(path)
    try:
        connection = sqlite3.connect(made)
        try:
            connection.execute(f"PRAGMA application_id={APPLICATION_ID}")
            connection.execute("PRAGMA user_version=1")
            # Here, where nobody else is: two that turn this on at once refuse each other without waiting.
            connection.execute("PRAGMA journal_mode=WAL")
        finally:
            connection.close()
        made.chmod(PRIVATE)
        put(made, path)
    except FileExistsError:
        return  # another process was first
    finally:
        made.unlink(missing_ok=True)


def private(path: Path) -> BinaryIO:
    """Open a new file to write into, for its owner alone; one that is there, or a link, is not followed."""
    return os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, PRIVATE), "wb")


def put(made: Path, path: Path) -> None:
    """Give a file its name, unless that is taken: then `FileExistsError`."""
    try:
        os.link(made, path)
    except FileExistsError:
        raise
    except OSError:  # no hard links here
        with _alone(path.parent):
            if path.exists():
                raise FileExistsError(path) from None
            made.rename(path)


@contextmanager
def _alone(folder: Path) -> Iterator[None]:
    """Keep other processes that do the same out of a folder; elsewhere a rename never replaces anything."""
    try:
        import fcntl  # not on Windows
    except ImportError:
        yield
        return
    handle = os.open(folder, os.O_RDONLY)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


def _beside(path: Path) -> Path:
    return path.with_name(f".{path.name}.{uuid.uuid4().hex}")


def sweep_away(folder: Path, name: str) -> None:
    """Take away what processes that were killed long ago have left half-made of files whose names fit
    *name*."""
    for left in folder.glob(f".{name}.{'[0-9a-f]' * 32}*"):
        try:
            if time.time() - left.stat().st_mtime > STALE:
                left.unlink()
        except OSError:
            continue


def copy_into(source: Any, target: Path, store: str = "") -> None:
    """Copy a database (a connection of sqlite3) into the new file *target*: checked, whole or not at all;
    *store* is the id of the store that it must be.

    Raises:
        UsageError: The target is there already, or its folder is not.
        StoreCorruptError: The copy is damaged.
        SaveError: There is no room, or no permission.
    """
    if target.exists() or target.is_symlink():
        raise UsageError(f"{target} is there already; a backup never overwrites anything")
    if not target.parent.is_dir():
        raise UsageError(f"{target.parent} is no folder; make it first")
    made = _beside(target)
    try:
        made.touch(PRIVATE)
        copy = sqlite3.connect(made)
        try:
            source.backup(copy)
            whole = copy.execute("PRAGMA integrity_check").fetchone() == ("ok",)
            if whole and store:
                found = copy.execute(f"SELECT value FROM {meta.name} WHERE key = 'id'").fetchone()
                whole = found == (store,)
        finally:
            copy.close()
        if not whole:
            raise StoreCorruptError("the copy is damaged, and was taken away; run `cleaver saves verify`")
        put(made, target)
    except FileExistsError:
        raise UsageError(f"{target} is there already; a backup never overwrites anything") from None
    except (OSError, sqlite3.Error) as error:
        raise SaveError(f"{target.name} cannot be written ({error}); nothing was left there") from None
    finally:
        for name in ("", *_BESIDE):
            made.with_name(made.name + name).unlink(missing_ok=True)


def replace(path: Path, backup: Path) -> Path:
    """Put a copy of *backup* in the place of the store at *path*; returns where the old one was put, with all
    that stood beside it."""
    look_at_file(backup)
    if not backup.exists():
        raise UsageError(f"{backup} is not there; name a backup of this store")
    aside = path.with_name(f"{path.name}.replaced-{time.strftime('%Y%m%d-%H%M%S')}-{uuid.uuid4().hex[:4]}")
    made = _beside(path)
    source = sqlite3.connect(f"{backup.resolve().as_uri()}?mode=ro", uri=True)
    try:
        copy_into(source, made)
    finally:
        source.close()
    try:
        # The log first: beside another file it would be played into that.
        for name in ("-wal", "-shm", ".count", ""):
            there = path.with_name(path.name + name)
            if there.exists():
                there.rename(aside.with_name(aside.name + name))
        put(made, path)
    finally:
        made.unlink(missing_ok=True)
    return aside


def inode(path: Path) -> tuple[int, int] | None:
    """Return which file stands at a path, by device and inode; None where there is none."""
    try:
        found = os.stat(path)
    except OSError:
        return None
    return found.st_dev, found.st_ino


def has_log(path: Path) -> bool:
    """Return whether SQLite's log stands beside a store, with something in it."""
    try:
        return path.with_name(path.name + "-wal").stat().st_size > 0
    except OSError:
        return False


def set_log_aside(path: Path, known: tuple[int, int] | None) -> None:
    """Take the log of a store that was replaced from beside the file that is there now, into which it would
    be played; only if it is the one that is known."""
    log = path.with_name(path.name + "-wal")
    if path.exists() and known is not None and inode(log) == known:
        log.rename(log.with_name(f"{log.name}.replaced-{uuid.uuid4().hex[:8]}"))


@contextmanager
def _copied(path: Path, log: bytes | None = None) -> Iterator[Path]:
    """Give a copy of a store, with its log or with the one that is given."""
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / path.name
        shutil.copyfile(path, copy)
        there = path.with_name(path.name + "-wal")
        if log is not None:
            copy.with_name(copy.name + "-wal").write_bytes(log)
        elif there.exists():
            shutil.copyfile(there, copy.with_name(copy.name + "-wal"))
        yield copy


def set_strange_log_aside(path: Path) -> Path | None:
    """Take the log that a killed process has left beside a store away from it, where it is another file's:
    after a backup was copied to its place by hand. Returns where it is now; None where it belongs to the
    file.

    Each transaction of a store counts one up. The file alone must have what the log begins with, and no
    more than what it ends with: else what is in the log would be mixed with another state of the store.
    """
    log = path.with_name(path.name + "-wal")
    begin = _first_transaction(log)
    if not begin or _in_use(path):
        return None
    alone, first, last = (_transactions(path, with_log) for with_log in (b"", begin, None))
    if alone is None or (first is not None and last is not None and first - 1 <= alone <= last):
        return (
            None  # or the file alone cannot be read, as where the process was killed while it took in its log
        )
    aside = log.with_name(f"{log.name}.replaced-{uuid.uuid4().hex[:8]}")
    log.rename(aside)
    path.with_name(path.name + "-shm").unlink(missing_ok=True)
    return aside


def _in_use(path: Path) -> bool:
    """Return whether somebody has a store open: then its log is in use. Where that cannot be asked, yes."""
    try:
        import fcntl  # not on Windows

        kind, at = fcntl.F_WRLCK, (_SHARED_BY_ALL, 1)
        form, place, asked = {  # of a lock, where its type stands in it, and one on that byte
            "linux": ("hhqqi", 0, (kind, 0, *at, 0)),
            "darwin": ("qqihh", 3, (*at, 0, kind, 0)),
        }[sys.platform]
        with path.with_name(path.name + "-shm").open("rb") as file:
            found = struct.unpack(form, fcntl.fcntl(file, fcntl.F_GETLK, struct.pack(form, *asked)))
        return bool(found[place] != fcntl.F_UNLCK)
    except FileNotFoundError:
        return False
    except (ImportError, KeyError, OSError):
        return True


def _first_transaction(log: Path) -> bytes:
    """Return the beginning of SQLite's log up to the end of its first transaction, nothing where there is
    none."""
    try:
        data = log.read_bytes()
    except OSError:
        return b""
    page = int.from_bytes(data[8:12], "big")
    size = _LOG_HEAD
    while len(data) >= size + _FRAME_HEAD + page and data[size + 8 : size + 16] == data[16:24]:
        ends = data[size + 4 : size + 8] != b"\0\0\0\0"
        size += _FRAME_HEAD + page
        if ends:
            return data[:size]
    return b""


def _transactions(path: Path, log: bytes | None) -> int | None:
    """Return how many transactions a store has had, with some log; None where that cannot be read."""
    with _copied(path, log) as copy:
        connection = sqlite3.connect(copy)
        try:
            found = connection.execute(f"SELECT value FROM {meta.name} WHERE key = '{CHANGES}'").fetchone()
            return int(found[0])
        except (sqlite3.Error, TypeError, ValueError):
            return None
        finally:
            connection.close()


def to_read(path: Path, keep: ExitStack) -> str:
    """Return the address under which SQLite opens a store to read it, without making anything beside it.

    Where nobody has it open, there is no log, and the file is all there is. Else its log must be readable; in
    a folder where SQLite cannot work, a copy is read, which *keep* takes away at the end.
    """
    if not path.with_name(path.name + "-wal").exists():  # nobody has it open
        return f"{path.resolve().as_uri()}?mode=ro&immutable=1"
    if not path.with_name(path.name + "-shm").exists() or not os.access(path.parent, os.W_OK):
        return f"{keep.enter_context(_copied(path)).resolve().as_uri()}?mode=rw"
    return f"{path.resolve().as_uri()}?mode=ro"


def look_at_file(path: Path) -> None:
    """Raise where the file at *path* is no store; one that is not there may become one."""
    if not path.exists():
        return
    advice = (
        "it was left alone. Name another file, or put a backup in its place with `cleaver saves "
        "restore-store`"
    )
    try:
        if not S_ISREG(path.stat().st_mode):
            raise StoreCorruptError(f"{path.name} is no file; {advice}")
        with path.open("rb") as file:
            head = file.read(100)
    except OSError as error:
        raise StoreUnavailableError(f"{path.name} cannot be read: {error.strerror}") from None
    size = path.stat().st_size
    if size == 0:
        raise StoreCorruptError(f"{path.name} is empty, which no store ever is; {advice}")
    if not head.startswith(_HEADER) or len(head) < 100:
        raise StoreCorruptError(f"{path.name} is no store of profiles; {advice}")
    mark = int.from_bytes(head[68:72], "big")
    if mark != APPLICATION_ID:
        raise StoreCorruptError(f"{path.name} is another program's database, no store of profiles; {advice}")
