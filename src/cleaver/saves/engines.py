"""Engines: opening a database safely, and saying what is wrong with one.

SQLite files are looked at before they are opened: one that is empty, cut, no database or someone else's is
left alone. Start at `make_engine`.
"""

from __future__ import annotations

import os
import sqlite3
import uuid
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import ArgumentError, NoSuchModuleError, SQLAlchemyError
from sqlalchemy.pool import QueuePool

from cleaver.errors import (
    MissingExtraError,
    SaveError,
    StoreCorruptError,
    StoreReadOnlyError,
    StoreUnavailableError,
)
from cleaver.saves.tables import APPLICATION_ID

_HEADER = b"SQLite format 3\x00"
FAULTS = (SQLAlchemyError, UnicodeError)
"""What a database can raise: its own errors, and texts that are none in a file that was spoilt."""


def make_engine(url: str) -> tuple[Engine, str, Path | None]:
    """Return (engine, a name to show, the file if there is one)."""
    try:
        parsed = make_url(url)
        backend = parsed.get_backend_name()
    except (ArgumentError, NoSuchModuleError):
        raise StoreUnavailableError(
            f"{url!r} is no store; write sqlite:///saves.db or postgresql+psycopg://host/database"
        ) from None
    if backend == "postgresql":
        return _postgres(parsed)
    if backend != "sqlite":
        raise StoreUnavailableError(
            f"{backend!r} is no kind of store this version knows; write sqlite:///saves.db or postgresql+psycopg://host/database"
        )
    if not parsed.database or parsed.database == ":memory:":
        # One connection, which is the database: threads take turns with it, and never share it.
        engine = create_engine(
            "sqlite://",
            poolclass=QueuePool,
            pool_size=1,
            max_overflow=0,
            connect_args={"check_same_thread": False},
        )
        _immediate(engine, memory=True)
        return engine, "the store in memory", None
    path = Path(parsed.database)
    look_at(path)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        if not path.exists():
            _create(path)
    except (OSError, sqlite3.Error) as error:
        raise StoreReadOnlyError(
            f"{path.name} cannot be made there: {error}. Make the folder writable, or name another"
        ) from None
    engine = create_engine(parsed, pool_size=4, connect_args={"check_same_thread": False, "timeout": 5.0})
    _immediate(engine, memory=False)
    return engine, path.name, path


def _create(path: Path) -> None:
    """Make an empty store beside its place and link it there whole: a process killed meanwhile leaves nothing
    half-made behind."""
    made = path.with_name(f".{path.name}.{uuid.uuid4().hex}")
    connection = sqlite3.connect(made)
    try:
        connection.execute(f"PRAGMA application_id={APPLICATION_ID}")
        connection.execute("PRAGMA user_version=1")
    finally:
        connection.close()
    try:
        os.link(made, path)
    except FileExistsError:
        return  # another process was first
    finally:
        made.unlink()


def look_at(path: Path) -> None:
    """Raise where the file at *path* is no store; one that is not there may become one."""
    if not path.exists():
        return
    advice = "it was left alone. Name another file, or put a backup in its place"
    try:
        with path.open("rb") as file:
            head = file.read(100)
    except OSError as error:
        raise StoreUnavailableError(f"{path.name} cannot be read: {error.strerror}") from None
    size = path.stat().st_size
    if size == 0:
        raise StoreCorruptError(f"{path.name} is empty, which no store ever is; {advice}")
    if not head.startswith(_HEADER) or len(head) < 100:
        raise StoreCorruptError(f"{path.name} is no store of profiles; {advice}")
    page = int.from_bytes(head[16:18], "big")
    page = 65536 if page == 1 else page
    pages = int.from_bytes(head[28:32], "big")
    if page and pages and size < page * pages:
        raise StoreCorruptError(
            f"{path.name} is cut short: {size:,} of {page * pages:,} bytes are there; {advice}"
        )
    mark = int.from_bytes(head[68:72], "big")
    if mark != APPLICATION_ID:
        raise StoreCorruptError(f"{path.name} is another program's database, no store of profiles; {advice}")


def _immediate(engine: Engine, *, memory: bool) -> None:
    """Let writers take their turn at once instead of failing at commit, and set what makes SQLite safe."""

    @event.listens_for(engine, "connect")
    def _connected(connection: Any, record: Any) -> None:
        connection.isolation_level = None
        cursor = connection.cursor()
        if not memory:
            cursor.execute("PRAGMA busy_timeout=5000")
            cursor.execute("PRAGMA journal_mode=WAL")
            cursor.execute("PRAGMA synchronous=FULL")
            cursor.execute(
                "PRAGMA wal_autocheckpoint=500"
            )  # pages: a log that is written over anew costs a third less a save than one that grows
        cursor.execute("PRAGMA foreign_keys=ON")
        cursor.execute("PRAGMA cell_size_check=ON")
        cursor.close()

    @event.listens_for(engine, "begin")
    def _begun(connection: Any) -> None:
        options = connection.get_execution_options()
        if options.get("writer"):
            connection.connection.driver_connection.execute(
                "BEGIN IMMEDIATE"
            )  # straight to the driver: a third of the cost of a save
            return
        reading = options.get("reading")
        connection.exec_driver_sql("BEGIN" if reading else "BEGIN IMMEDIATE")


def _postgres(parsed: URL) -> tuple[Engine, str, None]:
    try:
        import psycopg  # noqa: F401  # an extra: only servers need it
    except ImportError:
        raise MissingExtraError("a store on PostgreSQL", "postgres") from None
    parsed = parsed.set(drivername="postgresql+psycopg")
    options = "-c lock_timeout=5000 -c statement_timeout=10000"
    engine = create_engine(
        parsed, pool_pre_ping=True, pool_size=4, connect_args={"connect_timeout": 5, "options": options}
    )
    return engine, f"{parsed.host or 'localhost'}/{parsed.database or ''}", None


def trouble(label: str, error: Exception) -> SaveError:
    """Return what a database error means: a store that is damaged, one that may not be written, or one that
    is away for now."""
    original = getattr(error, "orig", None) or error
    cause = str(original).strip().splitlines()[0] if str(original).strip() else type(original).__name__
    low = cause.lower()
    if isinstance(error, UnicodeError) or "not a database" in low or "malformed" in low or "corrupt" in low:
        return StoreCorruptError(
            f"{label} is damaged ({cause}); nothing was written. Run `cleaver saves verify`, or put a "
            "backup in its place"
        )
    if "readonly" in low or "read-only" in low or "unable to open" in low or "permission denied" in low:
        return StoreReadOnlyError(
            f"{label} cannot be written ({cause}); what was saved before is safe. Make the folder and the "
            "file writable"
        )
    return StoreUnavailableError(
        f"{label} cannot be used just now ({cause}); nothing was lost, what was saved before is safe, and "
        "it is worth trying again"
    )


def same_file(path: Path, known: tuple[int, int] | None) -> bool:
    """Return whether the file is still the one that was opened, by device and inode."""
    try:
        found = os.stat(path)
    except OSError:
        return known is None
    return known is None or known == (found.st_dev, found.st_ino)
