"""Opened: a store that is open: how it is looked at, and changed in one step. Start at `OpenedStore`."""

from __future__ import annotations

import logging
import os
import threading
import uuid
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any
from weakref import WeakSet, WeakValueDictionary

from sqlalchemy import Connection, Engine, select, text

from cleaver.core.kernel.arguments import own_name
from cleaver.core.profile import Profile
from cleaver.design.design import Design
from cleaver.errors import (
    CleaverError,
    ProfileDamagedError,
    SaveError,
    StoreCorruptError,
    StoreUnavailableError,
    UsageError,
)
from cleaver.rounding import counted
from cleaver.saves.boards import Boards
from cleaver.saves.chain import CommitCounter, chain_link
from cleaver.saves.engines import FAULTS, SPOILT, Patience, make_engine, trouble
from cleaver.saves.files import has_log, inode, set_log_aside, set_strange_log_aside
from cleaver.saves.held import Held
from cleaver.saves.layout import prepare
from cleaver.saves.leases import Leases
from cleaver.saves.outcomes import Absent, DamagedProfile, Found, Holder
from cleaver.saves.ring import GenerationRing
from cleaver.saves.tables import CHANGES, meta, profiles
from cleaver.saves.trail import Trail
from cleaver.saves.trouble import Trouble
from cleaver.saves.versions import Versions

log: logging.Logger = logging.getLogger("cleaver.saves")


def to_name(value: object, what: str = "the id of a player") -> None:
    """Refuse what can be no id before a database sees it: wrong use is no damaged store, nor one worth trying
    again."""
    if own_name(what, value) == "":
        raise UsageError(f"{what} is empty; give it at least one letter")


_OPEN: WeakSet[OpenedStore] = WeakSet()
"""The stores that this process has open."""
CHANGED = f"UPDATE {meta.name} SET value = CAST(value AS INTEGER) + 1 WHERE key = '{CHANGES}'"


class OpenedStore:
    """A store that is open, to read from."""

    engine: Engine
    closed: bool
    design: Design
    generations: int
    label: str
    path: Path | None
    versions: Versions
    patience: Patience
    read_only: bool
    id: str
    missing: int

    def __init__(
        self,
        url: str,
        design: Design,
        kept: int,
        versions: Versions,
        who: tuple[str, float, Callable[[], float] | None],
        *,
        read_only: bool,
    ) -> None:
        self.design, self.generations, self.versions, self.read_only = design, kept, versions, read_only
        self.patience = Patience()
        self._keep_open = ExitStack()
        self.engine, self.label, self.path = make_engine(
            url, self.patience, self._keep_open, read_only=read_only
        )
        name, lease, clock = who
        server = self.engine.dialect.name == "postgresql"
        self._leases = Leases(uuid.uuid4().hex, name, lease, clock, server)
        self._trail = Trail(name, self._leases)
        self.trouble: Trouble | None = None
        self._held: WeakValueDictionary[str, Held] = WeakValueDictionary()  # what is held through this store
        self._taking: dict[str, object] = {}  # players who are being taken just now, by any thread
        self._inode: tuple[int, int] | None = None  # of the file, and of SQLite's log beside it
        self._log: tuple[int, int] | None = None
        self._connection: Connection | None = None
        self._writing = threading.Lock()
        # Every engine here has a driver
        self._driver_error: type[Exception] = self.engine.dialect.dbapi.Error  # type: ignore[union-attr]
        self._counter: CommitCounter | None = None
        self.closed = False
        _OPEN.add(self)
        self._pid = os.getpid()
        self.missing = 0  # transactions that the store has lost, by its counter
        try:
            self._prepare()
        except BaseException:  # nothing of it stays open
            self.engine.dispose()
            self._keep_open.close()
            raise
        self._boards = Boards(self.id, server)
        self._ring = GenerationRing(self.id, kept, versions, server, self._leases.local)
        chain_link(
            self.id, "", 0, "", ""
        )  # the first digest of a process takes 10 ms: here, and not in a frame

    def _prepare(self) -> None:
        left_behind = self.path is not None and has_log(self.path)
        mine = None if self.path is None else inode(self.path)
        ours = any(
            other.path is not None and inode(other.path) == mine for other in _OPEN if other is not self
        )
        if left_behind and not ours and not self.read_only and self.path is not None:
            aside = set_strange_log_aside(self.path)
            if aside is not None:
                log.error(
                    "beside %s stood the log of another file, as after a backup was copied there by hand; "
                    "it is in %s "
                    "now, and the store is as that backup. Next time: cleaver saves restore-store",
                    self.label,
                    aside.name,
                )
        with self._safely():
            known = prepare(self.engine, self.label, read_only=self.read_only)
        self.id = known.id
        if self.path is not None:
            self._inode = inode(self.path)
            if left_behind and not self.read_only:
                self._check_whole()
            if not self.read_only:
                self.checkpoint()  # so that a store which has lost its log still knows which one it is
            self._counter = CommitCounter(self.path.with_name(f"{self.path.name}.count"), self.id)
            self.missing = max(self._counter.read() - known.commits, 0)
            if self.missing:
                log.error(
                    "%s has lost its last %s; restore a backup if that is newer",
                    self.label,
                    counted(self.missing, "transaction"),
                )

    def _check_whole(self) -> None:
        """Look whether the file is whole, where a killed process has left its log behind: it may be another
        file's, after a backup was put in place by hand."""
        with self._looking() as connection:
            if any(holder.left > 0 and not holder.dead for holder in self._leases.all(connection)):
                return  # the log is that of a process which is at work
            found = connection.execute(text("PRAGMA quick_check(1)")).scalar()
        if found != "ok":
            raise StoreCorruptError(
                f"{self.label} is damaged ({str(found).splitlines()[-1]}); if a backup was put in its place, "
                "the log of the old store was left beside it. Put the backup there with `cleaver saves "
                "restore-store`"
            )

    @property
    def holder(self) -> str:
        """The id of this process in the store."""
        return self._leases.holder

    @property
    def name(self) -> str:
        """Who this process is, as others read it."""
        return self._leases.name

    @property
    def lease(self) -> float:
        """Seconds of silence after which others may take what this process has."""
        return self._leases.lease

    @contextmanager
    def _safely(self) -> Iterator[None]:
        """Let what a database raises be an error of the store."""
        try:
            yield
        except (*FAULTS, *SPOILT, self._driver_error) as error:
            if isinstance(error, CleaverError):
                raise
            raise trouble(self.label, error) from error

    @contextmanager
    def _changing(
        self, what: str, players: Sequence[str] = (), patience: float | None = None
    ) -> Iterator[Connection]:
        """Give a transaction that writes, where the store may be written; *what* it is called where trouble
        is simulated, "" where it is spared that."""
        if self.read_only:
            raise UsageError(f"{self.label} was opened to be read only")
        self._meet(what, players)
        with self._safely(), self.engine.connect() as connection:
            connection.execution_options(patience=patience)
            with connection.begin():
                yield connection
                if self._counter is not None:  # so that a log can be told from that of another file
                    driver: Any = connection.connection.driver_connection
                    driver.execute(CHANGED)

    @contextmanager
    def _looking(
        self, what: str = "", players: Sequence[str] = (), *, one_instant: bool = False
    ) -> Iterator[Connection]:
        """Give a transaction that reads; *what* and *players* are as with `_changing`. With *one_instant* all
        its statements see the store as it is at the first, which SQLite always does."""
        self._meet(what, players)
        options: dict[str, Any] = {"reading": True}
        if one_instant and self.path is None and not self.in_memory:
            options["isolation_level"] = "REPEATABLE READ"
        with self._safely(), self.engine.connect().execution_options(**options) as connection:
            yield connection

    def _meet(self, what: str, players: Sequence[str]) -> None:
        if self.trouble is not None and what:
            self.trouble.meet(what, list(players))
        self._meet_file()

    def _meet_file(self) -> None:
        """Raise where the store was closed, or the file is no longer the one that was opened, whose log is
        taken from beside the other then."""
        if os.getpid() != self._pid:
            raise StoreUnavailableError(
                f"{self.label} was opened by another process, of which this one is a fork; open it anew here "
                "with open_store, and join the players through that"
            )
        if self.closed:  # else a new connection would be opened, which nobody closes
            raise StoreUnavailableError(f"{self.label} is closed; open it again with open_store")
        if self.path is not None and inode(self.path) != self._inode:
            set_log_aside(self.path, self._log)
            raise StoreUnavailableError(
                f"{self.label} was moved away or replaced while it was open; nothing was written to either "
                "file. Start the game anew, so that it opens the store that is there now"
            )

    def load(self, player: str) -> Found | Absent | DamagedProfile:
        """Return what is saved of *player*, carried over to the design's version; reads only, takes no lease.

        Raises:
            StoreUnavailableError: The store cannot be read now.
            ProfileTooNewError: It is of a newer version; there is no falling back to an older generation.
            MigrationError: A step from an older version failed.
        """
        to_name(player)
        with self._looking("load", [player], one_instant=True) as connection:
            return self._ring.load(connection, player, self.missing)

    def read(self, player: str) -> Profile | None:
        """Return the saved profile, None where there never was one; one that cannot be read is an error."""
        to_name(player)
        outcome = self.load(player)
        if isinstance(outcome, DamagedProfile):
            raise ProfileDamagedError(
                f"profile {player} cannot be read: {'; '.join(outcome.tried)}. Nothing was changed; "
                "restore a backup"
            )
        return outcome.profile if isinstance(outcome, Found) else None

    def newest_body(self, player: str) -> bytes | None:
        """Return the newest generation of a profile as it stands in the store, unread; None where there is
        none."""
        to_name(player)
        with self._looking() as connection:
            return self._ring.newest(connection, player)

    def players(self) -> list[str]:
        """Return every player that was ever saved, by id."""
        with self._looking() as connection:
            return sorted(
                connection.execute(select(profiles.c.player).where(profiles.c.revision > 0)).scalars()
            )

    def revisions(self, player: str) -> list[tuple[int, float, int]]:
        """Return (revision, when in seconds since 1970, bytes) of each generation kept of a player, newest
        first."""
        to_name(player)
        with self._looking() as connection:
            return self._ring.kept_of(connection, player)

    def holder_of(self, player: str) -> Holder | None:
        """Return which other process has a profile now; None where nobody has."""
        to_name(player)
        with self._looking() as connection:
            return self._leases.holder_of(connection, player)

    def _keep_log(self, path: Path) -> None:
        """Notice where SQLite's log was taken away while it was in use: what is in it goes into the file at
        once, as nobody else will find it."""
        found = inode(path.with_name(f"{path.name}-wal"))
        if self._log is not None and found != self._log:
            # Only a connection that had it open still sees what is in it; all others begin anew.
            writer: Any = self._writer().connection.driver_connection
            writer.execute("PRAGMA wal_checkpoint(FULL)")
            self._drop_writer()
            self.engine.dispose()
            log.warning(
                "the log of %s (%s-wal) was taken away while it was in use; nothing is lost, it was written "
                "into the store itself. Leave what stands beside a store where it is",
                self.label,
                path.name,
            )
            found = None
        self._log = found

    def _writer(self) -> Connection:
        """Return the connection that saves go through; held, as taking one from the pool costs as much as a
        save."""
        if self._connection is None:
            self._connection = self.engine.connect().execution_options(writer=True)
        return self._connection

    @property
    def in_memory(self) -> bool:
        """Whether it is kept in memory only, and ends with the program."""
        return self.path is None and self.engine.dialect.name == "sqlite"

    def _let_writer_go(self) -> None:
        if self._connection is not None:
            self._connection.close()
            self._connection = None

    def _drop_writer(self) -> None:
        if self.in_memory:
            self._let_writer_go()  # in memory the connection is the database
        elif self._connection is not None:
            connection, self._connection, self._log = self._connection, None, None
            try:
                connection.invalidate()
                connection.close()
            except FAULTS:
                return  # it was broken, which is why it goes

    def checkpoint(self) -> bool:
        """Let what is in SQLite's log go into the file itself, without waiting for anybody; returns whether
        the file alone holds every save now. Nothing to do elsewhere."""
        if self.path is None:
            return True
        try:
            self._meet_file()
            connection = self.engine.raw_connection()  # without a transaction, in which it would be refused
            try:
                driver: Any = connection.driver_connection
                busy, pages, done = driver.execute("PRAGMA wal_checkpoint(PASSIVE)").fetchone()
            finally:
                connection.close()
        except (*FAULTS, SaveError, self._driver_error):
            return False
        return not busy and pages == done
