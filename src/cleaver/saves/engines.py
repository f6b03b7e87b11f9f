"""Engines: opening a database safely, and saying what is wrong with one.

Start at `make_engine`.
"""

from __future__ import annotations

import re
import sqlite3
import time
from contextlib import ExitStack
from math import inf
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import ArgumentError, NoSuchModuleError, OperationalError, SQLAlchemyError
from sqlalchemy.pool import NullPool, QueuePool

from cleaver.errors import (
    MissingExtraError,
    SaveError,
    StoreBusyError,
    StoreCorruptError,
    StoreReadOnlyError,
    StoreUnavailableError,
    UsageError,
)
from cleaver.saves.files import create, look_at_file, to_read

PATIENCE = 5.0  # seconds that a call waits for a lock that somebody else has
FIRST_LOOK, LONGEST_LOOK = 0.0005, 0.02  # seconds between two tries to get it
OVERSLEPT = 0.01  # seconds by which a busy machine wakes a sleeper late; a frame has no time for that
FAULTS = (SQLAlchemyError, UnicodeError, OverflowError)
"""What a database can raise: its own errors, and texts and numbers that are none in a spoilt file."""


SPOILT = (TypeError, ValueError, LookupError, AttributeError, RecursionError)
"""What reading a row raises that was written by other means, of another type or with a value missing."""


class Patience:
    """How long calls wait for a lock that somebody else has: `seconds`, and never beyond the instant `until`
    (of `time.monotonic`), which is set when a program has been asked to end."""

    __slots__ = ("seconds", "until")
    seconds: float
    until: float

    def __init__(self) -> None:
        self.seconds, self.until = PATIENCE, inf

    def end_of(self, seconds: float | None) -> float:
        """Return when a wait that begins now must be over; *seconds* replace the usual ones."""
        return time.monotonic() + (self.seconds if seconds is None else seconds)

    def over(self, end: float) -> bool:
        """Whether it is time to give up a wait that must be over at *end*; asked again and again, as the end
        may come nearer meanwhile."""
        return time.monotonic() >= min(end, self.until)


def masked(url: str) -> str:
    """Return an address without the password in it, for messages; also one that cannot be read."""
    return re.sub(r"((?:^|//)[^/@:]*):(?!//).*@", r"\1:***@", url)


def file_of(url: str) -> Path:
    """Return the file of a store on SQLite.

    Raises:
        UsageError: The store is none in a file.
    """
    try:
        parsed = make_url(url)
    except (ArgumentError, ValueError):
        parsed = None
    if parsed is None or parsed.get_backend_name() != "sqlite" or not parsed.database:
        raise UsageError(f"{masked(url)} is no file; write sqlite:///saves.db")
    return Path(parsed.database)


def make_engine(
    url: str, patience: Patience, keep: ExitStack, *, read_only: bool
) -> tuple[Engine, str, Path | None]:
    """Return (engine, a name to show, the file if there is one); its calls wait for locks as *patience*
    says. What a store that is only read needs meanwhile is given to *keep*.

    Raises:
        UsageError: There is no store to be read.
    """
    try:
        parsed = make_url(url)
        backend = parsed.get_backend_name()
    except (ArgumentError, NoSuchModuleError, ValueError):  # a port that is no number, say
        raise StoreUnavailableError(
            f"{masked(url)!r} is no store; write sqlite:///saves.db or postgresql+psycopg://host/database"
        ) from None
    if backend == "postgresql":
        return _postgres(parsed, patience, read_only=read_only)
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
        _immediate(engine, patience, memory=True)
        return engine, "the store in memory", None
    path = Path(parsed.database)
    try:
        look_at_file(path)
    except OSError as error:
        raise StoreUnavailableError(f"{path.name} cannot be reached: {error.strerror}") from None
    if read_only:
        if not path.exists():
            raise UsageError(f"{path.name} is not there; nothing was made")
        where = f"sqlite:///{to_read(path, keep)}&uri=true"
        engine = create_engine(where.replace("sqlite:///file://", "sqlite:///file:"), poolclass=NullPool)
        _immediate(engine, patience, memory=True)
        return engine, path.name, path
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        if not path.exists():
            create(path)
    except (OSError, sqlite3.Error) as error:
        raise StoreReadOnlyError(
            f"{path} cannot be made: {error}. Make the folder writable, or name another"
        ) from None
    engine = create_engine(parsed, pool_size=4, connect_args={"check_same_thread": False, "timeout": 5.0})
    _immediate(engine, patience, memory=False)
    return engine, path.name, path


def _immediate(engine: Engine, patience: Patience, *, memory: bool) -> None:
    """Let writers take their turn at once instead of failing at commit, and set what makes SQLite safe.

    Waiting for that turn is done here and not in SQLite's busy handler: a wait there cannot be cut short, and
    no signal reaches the program meanwhile.
    """

    @event.listens_for(engine, "connect")
    def _connected(connection: Any, record: Any) -> None:
        connection.isolation_level = None
        cursor = connection.cursor()
        if not memory:
            cursor.execute(f"PRAGMA busy_timeout={PATIENCE * 1000:.0f}")
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
        if options.get("reading"):
            connection.exec_driver_sql("BEGIN")
        else:
            # Straight to the driver: a third of the cost of a save.
            driver = connection.connection.driver_connection
            _take_turn(driver, patience, patience.end_of(options.get("patience")))


def _take_turn(driver: Any, patience: Patience, end: float) -> None:
    """Begin a transaction that writes, once nobody else does; gives up at *end*."""
    driver.execute("PRAGMA busy_timeout=0")
    try:
        wait = FIRST_LOOK
        while True:
            try:
                driver.execute("BEGIN IMMEDIATE")
            except sqlite3.OperationalError as error:
                left = end - time.monotonic() - OVERSLEPT
                if "locked" not in str(error) or patience.over(end) or left <= 0:
                    raise OperationalError("BEGIN IMMEDIATE", None, error) from error
            else:
                return
            time.sleep(min(wait, left))
            wait = min(wait * 2, LONGEST_LOOK)
    finally:
        driver.execute(f"PRAGMA busy_timeout={PATIENCE * 1000:.0f}")


def _postgres(parsed: URL, patience: Patience, *, read_only: bool) -> tuple[Engine, str, None]:
    try:
        import psycopg  # noqa: F401  # an extra: only servers need it
    except ImportError:
        raise MissingExtraError("a store on PostgreSQL", "postgres") from None
    parsed = parsed.set(drivername="postgresql+psycopg")
    options = f"-c lock_timeout={PATIENCE * 1000:.0f} -c statement_timeout={PATIENCE * 2000:.0f}"
    if read_only:
        options += " -c default_transaction_read_only=on"
    engine = create_engine(
        parsed, pool_pre_ping=True, pool_size=4, connect_args={"connect_timeout": 5, "options": options}
    )

    @event.listens_for(engine, "begin")
    def _begun(connection: Any) -> None:
        seconds = connection.get_execution_options().get("patience")
        left = min(patience.seconds if seconds is None else seconds, patience.until - time.monotonic())
        if left < PATIENCE:  # 0 would be no limit at all
            connection.exec_driver_sql(f"SET LOCAL lock_timeout = {max(int(left * 1000), 1)}")

    return engine, f"{parsed.host or 'localhost'}/{parsed.database or ''}", None


def trouble(label: str, error: Exception) -> SaveError:
    """Return what a database error means: a store that is damaged, one that may not be written, or one that
    is away for now."""
    original = getattr(error, "orig", None) or error
    cause = str(original).strip().splitlines()[0] if str(original).strip() else type(original).__name__
    low = cause.lower()
    spoilt = isinstance(error, (UnicodeError, *SPOILT)) or isinstance(original, OverflowError)
    if spoilt or "not a database" in low or "malformed" in low or "corrupt" in low:
        return StoreCorruptError(
            f"{label} is damaged ({cause}); nothing was written. Run `cleaver saves verify`, or put a "
            "backup in its place with `cleaver saves restore-store`"
        )
    if "readonly" in low or "read-only" in low or "unable to open" in low or "permission denied" in low:
        return StoreReadOnlyError(
            f"{label} cannot be written ({cause}); what was saved before is safe. Make the folder and "
            "the file writable"
        )
    if "locked" in low or "lock timeout" in low or "lock not available" in low:
        return StoreBusyError(
            f"{label} is being written by another program ({cause}); nothing was lost, what was saved before "
            "is safe, and it is worth trying again"
        )
    return StoreUnavailableError(
        f"{label} cannot be used just now ({cause}); nothing was lost, what was saved before is safe, and "
        "it is worth trying again"
    )
