"""Stores: where profiles are kept, revision by revision, each written by one process at a time.

A save is one conditional update of the profile's row and one slot of its ring of generations, in one
transaction; a batch is executemany of both. A read that fails is never an empty profile. Start at
`open_store` and `Store.hold`.
"""

from __future__ import annotations

import logging
import os
import socket
import threading
import time
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from secrets import randbelow
from typing import Any
from weakref import WeakSet, WeakValueDictionary

from sqlalchemy import Connection, Engine, delete, select, text

from cleaver.core.kept import LARGEST, look_at
from cleaver.core.kernel.arguments import PROFILE, TEXT, checked, finite, line, own_name, whole
from cleaver.core.kernel.arguments import text as text_of
from cleaver.core.profile import Profile
from cleaver.design.design import Design
from cleaver.errors import (
    AmountError,
    CleaverError,
    ProfileDamagedError,
    SaveError,
    StoreBusyError,
    StoreCorruptError,
    StoreUnavailableError,
    UnknownNameError,
    UsageError,
    said,
)
from cleaver.rounding import counted
from cleaver.saves import document
from cleaver.saves.boards import Boards, checked_count, checked_score
from cleaver.saves.chain import Counter, link
from cleaver.saves.engines import FAULTS, SPOILT, Patience, make_engine, trouble
from cleaver.saves.files import copy_into, has_log, inode, set_log_aside, set_strange_log_aside
from cleaver.saves.held import Held, Row, Write
from cleaver.saves.layout import prepare
from cleaver.saves.leases import Leases
from cleaver.saves.outcomes import Absent, Correction, DamagedProfile, Found, HighScore, Holder, SaveInfo
from cleaver.saves.ring import Ring
from cleaver.saves.tables import CHANGES, COMMITS, audit, generations, meta, profiles, quarantine
from cleaver.saves.trail import Trail, change
from cleaver.saves.trouble import Trouble
from cleaver.saves.versions import Step, Versions

log: logging.Logger = logging.getLogger("cleaver.saves")
LEASE = 30.0  # seconds that a process may be silent before others may take its profiles
LONGEST_BOARD = 100  # letters
FENCES = 2**40  # a player's first fence is drawn, so that none is given twice to one who was forgotten


def _board(value: object) -> None:
    """Refuse what can be no board's name, or is too long for one: the same for every store."""
    _named(line("the name of the board", value, LONGEST_BOARD), "the name of the board")


def _named(value: object, what: str = "the id of a player") -> None:
    """Refuse what can be no id before a database sees it: wrong use is no damaged store, nor one worth trying
    again."""
    if own_name(what, value) == "":
        raise UsageError(f"{what} is empty; give it at least one letter")


_OPEN: WeakSet[Store] = WeakSet()
"""The stores that this process has open."""


class Store:
    """Profiles in a database. Made by `open_store`; close it, or use it in a `with`."""

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
        self._counter: Counter | None = None
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
        self._ring = Ring(self.id, kept, versions, server, self._leases.local)
        link(self.id, "", 0, "", "")  # the first digest of a process takes 10 ms: here, and not in a frame

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
            self._counter = Counter(self.path.with_name(f"{self.path.name}.count"), self.id)
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
                    driver.execute(_CHANGED)

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

    # reading

    def load(self, player: str) -> Found | Absent | DamagedProfile:
        """Return what is saved of *player*, carried over to the design's version; reads only, takes no lease.

        Raises:
            StoreUnavailableError: The store cannot be read now.
            ProfileTooNewError: It is of a newer version; there is no falling back to an older generation.
            MigrationError: A step from an older version failed.
        """
        _named(player)
        with self._looking("load", [player], one_instant=True) as connection:
            return self._ring.load(connection, player, self.missing)

    def read(self, player: str) -> Profile | None:
        """Return the saved profile, None where there never was one; one that cannot be read is an error."""
        _named(player)
        outcome = self.load(player)
        if isinstance(outcome, DamagedProfile):
            raise ProfileDamagedError(
                f"profile {player} cannot be read: {'; '.join(outcome.tried)}. Nothing was changed; restore "
                "a backup"
            )
        return outcome.profile if isinstance(outcome, Found) else None

    def newest_body(self, player: str) -> bytes | None:
        """Return the newest generation of a profile as it stands in the store, unread; None where there is
        none."""
        _named(player)
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
        _named(player)
        with self._looking() as connection:
            return self._ring.kept_of(connection, player)

    def holder_of(self, player: str) -> Holder | None:
        """Return which other process has a profile now; None where nobody has."""
        _named(player)
        with self._looking() as connection:
            return self._leases.holder_of(connection, player)

    # leases

    def renew(self, *, patience: float | None = None) -> None:
        """Renew this process's lease, for all it has; call it well within `lease` seconds. `Autosaver` does.

        Args:
            patience: Seconds to wait at most while another program writes; 5 unless given.
        """
        with self._changing("", (), patience) as connection:
            self._leases.register(connection)

    def holders(self) -> list[Holder]:
        """Return every process with a lease in this store, by name: also those that are dead or over."""
        with self._looking() as connection:
            return self._leases.all(connection)

    def free(self, holder: str, *, why: str = "") -> int:
        """Take all players from a process, whatever its lease says; what it still tries to write is refused.

        Args:
            holder: Its id, as `holders` lists it.
            why: The reason, for the audit trail.

        Returns:
            How many players it had.
        """
        with self._changing("") as connection:
            count = self._leases.free(connection, holder)
            self._trail.note(connection, "free", "", f"{counted(count, 'player')} of {holder}", why)
            return count

    def request_handover(self, player: str) -> None:
        """Ask the process that has a player to let it go; its `Autosaver` reports that (`on_request`)."""
        _named(player)
        with self._changing("", [player]) as connection:
            self._leases.ask(connection, player)

    def requests(self, *, patience: float | None = None) -> list[tuple[str, str]]:
        """Return (player, who asks) for those of this process's players that others ask for, once each.

        Args:
            patience: Seconds to wait at most while another program writes; 5 unless given.
        """
        with self._looking() as connection:
            if not self._leases.is_wanted(connection):
                return []  # nobody's lock is taken for that
        with self._changing("", (), patience) as connection:
            return self._leases.wanted(connection)

    def hold(self, player: str, who: str = "this program", *, heir_of: str = "") -> Held:
        """Take a profile for this process, then read it.

        Args:
            player: Whose.
            who: What it is held for, for the message to whoever asks for it meanwhile.
            heir_of: The `holder` of a process that has ended, whose lease does not count.

        Raises:
            UsageError: It is held through this store already.
            ProfileBusyError: Another process has it; the message names it.
            ProfileDamagedError: No generation of it can be read; nothing was taken or written.
        """
        _named(player)
        self._refuse_held(player)
        mark = object()
        if self._taking.setdefault(player, mark) is not mark:  # one call: of two threads one gets through
            raise UsageError(f"{player} is being taken already; wait for that")
        try:
            return self._take(player, who, heir_of)
        finally:
            del self._taking[player]

    def _refuse_held(self, player: str) -> None:
        """Refuse what would go past whoever holds a profile through this store."""
        mine = self._held.get(player)
        if mine is not None and not mine.lost:
            raise UsageError(
                f"{player} is held by {mine.who} already; save through that (flush, or held.save), or let it "
                "go first"
            )

    def _take(self, player: str, who: str, heir_of: str) -> Held:
        # Taken first, in a transaction of its own: reading may run a game's own functions, and nobody must
        # wait for those.
        with self._changing("load", [player]) as connection:
            place = self._leases.take(connection, player, heir_of, 1 + randbelow(FENCES))
        try:
            with self._looking(one_instant=True) as connection:
                outcome = self._ring.load(connection, player, self.missing)
            if isinstance(outcome, DamagedProfile):
                raise ProfileDamagedError(
                    f"profile {player} cannot be read: {'; '.join(outcome.tried)}. Nothing was changed; "
                    "restore a backup"
                )
        except BaseException:
            self.release([Held(self, player, Absent(player), place)])
            raise
        held = self._held[player] = Held(self, player, outcome, place, who)
        return held

    def release(self, helds: Sequence[Held]) -> None:
        """Let others have the profiles that were held, all in one transaction; where the store does not
        answer, the lease runs out by itself."""
        taken = [(held.player, held.fence) for held in helds if not held.lost]
        for held in helds:
            held.lost = True
        if not taken:
            return
        try:
            with self._changing("") as connection:
                self._leases.release(connection, taken)
        except SaveError:
            return

    # writing

    def encoded(self, held: Held, profile: Profile) -> Write:
        """Return a profile ready to be saved.

        Args:
            held: Who has it.
            profile: What is to be saved.

        Raises:
            AmountError: Something in it cannot be written.
            SaveError: Its reader would refuse it; what cannot be read back is never acknowledged.
        """
        if profile.player != held.player:
            raise UsageError(f"this is the profile of {profile.player}, and {held.player} is held")
        look_at(profile.player, profile.sections)
        return Write(held, profile, document.encode(profile))

    def save_many(
        self, writes: Sequence[Write], *, together: bool = False, patience: float | None = None
    ) -> list[SaveInfo | SaveError]:
        """Save several profiles in one transaction; returns an info each, or why just that one was refused.

        Args:
            writes: What to save, at most one of each player.
            together: Whether all of them are saved or none.
            patience: Seconds to wait at most while another program writes; 5 unless given.

        Raises:
            StoreUnavailableError: The store cannot be written now; none of them was saved.
        """
        every = range(len(writes))
        return self.save_groups(writes, [every] if together else [(index,) for index in every], patience)

    def save_groups(
        self, writes: Sequence[Write], groups: Sequence[Sequence[int]], patience: float | None = None
    ) -> list[SaveInfo | SaveError]:
        """As `save_many`; of each group of *writes* (by index) all are saved or none, whatever becomes of the
        others."""
        return self._write(writes, groups, patience)

    def _write(
        self,
        writes: Sequence[Write],
        groups: Sequence[Sequence[int]],
        patience: float | None = None,
        also: Callable[[Connection], None] = lambda connection: None,
    ) -> list[SaveInfo | SaveError]:
        """Save groups of profiles; *also* is what belongs into the same transaction."""
        if not writes:
            return []
        if self.read_only:
            raise UsageError(f"{self.label} was opened to be read only")
        self._meet("save", [write.held.player for write in writes])
        end = self.patience.end_of(patience)
        if not self._writing.acquire(timeout=max(end - time.monotonic(), 0)):
            raise StoreBusyError(f"{self.label} is being written by another thread; nothing was lost")
        try:
            return self._save(writes, groups, max(end - time.monotonic(), 0), also)
        finally:
            self._writing.release()

    def _save(
        self,
        writes: Sequence[Write],
        groups: Sequence[Sequence[int]],
        patience: float,
        also: Callable[[Connection], None],
    ) -> list[SaveInfo | SaveError]:
        rows = [self._ring.row(write, write.held.revision + 1) for write in writes]
        try:
            connection = self._writer()
            connection.execution_options(patience=patience)
            with connection.begin() as transaction:
                if self._ring.write(connection, writes, rows):
                    also(connection)
                    count = self._count(connection)
                    transaction.commit()
                    self._counted(count)
                    return [self._ring.done(write, row) for write, row in zip(writes, rows, strict=True)]
                transaction.rollback()
            found: dict[int, Row | SaveError] = {}
            with connection.begin():
                for group in groups:
                    some = self._ring.write_group(connection, [writes[index] for index in group])
                    found.update(zip(group, some, strict=True))
                if not any(isinstance(one, SaveError) for one in found.values()):
                    also(connection)
                count = self._count(connection)
            self._counted(count)
            # Only now, after the commit, is any of them saved.
            return [
                one if isinstance(one := found[index], SaveError) else self._ring.done(write, one)
                for index, write in enumerate(writes)
            ]
        except (*FAULTS, *SPOILT, self._driver_error) as error:
            if isinstance(error, CleaverError):
                raise
            why = trouble(self.label, error)
            if not isinstance(why, StoreBusyError):
                self._drop_writer()
            raise why from error
        finally:
            if self.in_memory:
                self._let_writer_go()  # there is one connection, and others wait for it

    def _count(self, connection: Connection) -> int:
        """Count one more transaction, in the transaction itself; 0 where none are counted."""
        if self._counter is None:
            return 0
        driver: Any = connection.connection.driver_connection
        driver.execute(_COUNT_UP)
        return int(driver.execute(_COUNT).fetchone()[0])

    def _counted(self, count: int) -> None:
        """Note beside the store that a transaction is in it; never less than was noted before."""
        if self._counter is not None and self.path is not None:
            self._keep_log(self.path)
            if self.missing:
                self.missing = max(self._counter.read() - count, 0)
            if not self.missing:
                self._counter.write(count)

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

    @checked(profile=PROFILE)
    def save(self, profile: Profile) -> SaveInfo:
        """Hold a profile, write it as its next revision, and let it go; whole or not at all.

        Raises:
            UsageError: An autosaver, or somebody else in this program, holds it; save through that.
        """
        with self.hold(profile.player) as held:
            return held.save(profile)

    @checked(profile=PROFILE, why=TEXT, what=TEXT, detail=TEXT)
    def correct(
        self, profile: Profile, *, why: str = "", what: str = "correct", detail: str = ""
    ) -> SaveInfo:
        """As `save`, for a correction by hand: the audit trail tells who made it, when and why, and what was
        there before and after.

        Args:
            profile: What is to be saved.
            why: The reason.
            what: What it is called there.
            detail: Where it comes from.

        Raises:
            UsageError: Somebody in this program holds it.
            ProfileBusyError: A game has it.
        """
        with self.hold(profile.player) as held:
            return self._corrected(held, profile, (what, detail, why), held.profile)

    def _corrected(
        self, held: Held, profile: Profile, told: tuple[str, str, str], before: Profile | None
    ) -> SaveInfo:
        what, detail, why = told
        found = change(before, profile)

        def note(connection: Connection) -> None:
            self._trail.note(connection, what, held.player, detail, why, found)

        result = self._write([self.encoded(held, profile)], [(0,)], also=note)[0]
        if isinstance(result, SaveError):
            raise result
        return result

    @checked(player=TEXT, why=TEXT)
    def restore(self, player: str, revision: int, *, why: str = "") -> SaveInfo:
        """Write an older generation of a profile as its newest revision.

        Args:
            player: Whose.
            revision: Which, as `revisions` lists them.
            why: The reason, for the audit trail.

        Raises:
            UnknownNameError: That revision is not kept.
            UsageError: It is held through this store.
            ProfileBusyError: A game has the profile.
        """
        whole("the revision", revision)
        self._refuse_held(player)
        with self._changing("restore", [player]) as connection:
            row = self._ring.one(connection, player, revision)
            if row is None:
                kept = [str(one) for one, _, _ in self._ring.kept_of(connection, player)]
                raise UnknownNameError("revision", str(revision), kept, player)
            profile = self._ring.read(player, row)
            latest, fence, _ = self._leases.take(connection, player, "", 1 + randbelow(FENCES))
            # It goes on from the newest generation there is, whatever the player's row says.
            newest = self._ring.one(connection, player, self._ring.kept_of(connection, player)[0][0])
            latest, chain = max(latest, newest.revision), newest.chain or ""
            connection.execute(
                profiles.update().where(profiles.c.player == player).values(revision=latest, chain=chain)
            )
            before = self._readable(player, newest)
        held = Held(self, player, Found(profile, revision), (latest, fence, chain))
        try:
            return self._corrected(held, profile, ("restore", f"revision {revision}", why), before)
        finally:
            held.release()

    def _readable(self, player: str, row: Any) -> Profile | None:
        """Return the profile in a generation; None where it cannot be read."""
        try:
            return self._ring.read(player, row)
        except SaveError:
            return None

    def copy(self, player: str, to: str, *, why: str = "") -> SaveInfo:
        """Save a player's profile under another id, that nobody has yet.

        Args:
            player: Whose.
            to: The other id.
            why: The reason, for the audit trail.

        Raises:
            UsageError: There is nothing saved of *player*, or *to* is taken.
        """
        profile = self.read(player)
        if profile is None:
            raise UsageError(f"{said(player)} was never saved here")
        with self.hold(to) as held:
            if held.profile is not None:
                raise UsageError(f"{said(to)} was saved here already; a copy never replaces anything")
            made = Profile(to, profile.version, profile.sections)
            return self._corrected(held, made, ("copy", f"from {player}", why), None)

    def forget(self, player: str, *, why: str = "") -> bool:
        """Delete all there is of a player: profile, generations, what is in quarantine, rows of leaderboards,
        lines of the audit trail. Returns whether there was anything.

        Backups that were made before still hold it. The trail keeps that a player was forgotten and *why*, so
        name nobody there.

        Raises:
            ProfileBusyError: A game has the player.
            UsageError: It is held through this store.
        """
        _named(player)
        self._refuse_held(player)
        with self._changing("forget", [player]) as connection:
            # Taken, so that nobody takes it meanwhile.
            revision, _, _ = self._leases.take(connection, player, "", 1 + randbelow(FENCES))
            counts = [
                connection.execute(delete(table).where(table.c.player == player)).rowcount
                for table in (generations, quarantine, audit)
            ]
            counts.append(self._boards.forget(connection, player))
            connection.execute(delete(profiles).where(profiles.c.player == player))
            there = revision > 0 or any(counts)
            if there:
                self._trail.note(connection, "forget", "", "a player, as was asked", why)
        return there

    def audit_trail(self, player: str = "") -> list[Correction]:
        """Return what was corrected by hand in this store (`correct`, `restore`, `import`, `copy`, `free`,
        `forget`), oldest first; of one player if given."""
        with self._looking() as connection:
            return self._trail.read(connection, player)

    def corrected(self, what: str, player: str, detail: str = "", *, why: str = "") -> None:
        """Add a line to the audit trail, for a correction that was made past this store."""
        with self._changing("", [player]) as connection:
            self._trail.note(connection, what, player, detail, why)

    # the store as a whole

    def verify(self) -> Iterator[tuple[str, str]]:
        """Yield (player, what is wrong) for the whole store, the player "" for the file itself; read every
        generation of everyone."""
        if self.missing:
            lost = counted(self.missing, "transaction")
            yield "", f"the store has lost its last {lost}; restore a backup if that is newer"
        try:
            with self._looking(one_instant=True) as connection:
                wrong: list[tuple[str, str]] = []
                if self.path is not None:
                    found = connection.execute(text("PRAGMA integrity_check")).scalars()
                    wrong = [("", str(what)) for what in found if what != "ok"]
                wrong += self._ring.wrong(connection) + self._boards.wrong(connection)
        except SaveError as error:
            yield "", str(error)
            return
        yield from wrong

    def backup(self, target: str | Path) -> Path:
        """Copy the whole store into a new file while it is in use, and check the copy.

        Raises:
            UsageError: The target is there already, or the store is no file.
        """
        target = Path(target)
        if self.engine.dialect.name != "sqlite":
            raise UsageError(
                f"{self.label} is a server: use its own tool for backups (pg_dump), or `cleaver saves export`"
            )
        self._meet_file()
        with self._safely():
            raw: Any = self.engine.raw_connection()
            try:
                copy_into(raw.driver_connection, target, self.id)
            finally:
                raw.close()
        return target

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

    # leaderboards

    def keep_score(self, board: str, player: str, score: int, *, lower_is_better: bool | None = None) -> bool:
        """Put a score on a leaderboard; only a player's best stays. Returns whether it is a new best.

        Args:
            board: Which one.
            player: Whose score.
            score: A whole number.
            lower_is_better: Whether the lower score is the better one, as with times; the first call for a
                board decides.
        """
        return self.keep_scores(board, {player: score}, lower_is_better=lower_is_better)[player]

    def keep_scores(
        self, board: str, scores: Mapping[str, int], *, lower_is_better: bool | None = None
    ) -> dict[str, bool]:
        """As `keep_score`, for many players in one transaction; returns who has a new best."""
        _board(board)
        for player, score in scores.items():
            _named(player)
            checked_score(score)
        with self._changing("score", list(scores)) as connection:
            now = self._leases.now(connection)
            return self._boards.keep(connection, board, scores, now, lower_is_better)

    def high_scores(self, board: str, limit: int = 10, *, start: int = 0) -> list[HighScore]:
        """Return the best of a leaderboard, at most *limit* rows from place *start* (0 is the first): equal
        scores share a rank, the earlier first."""
        _board(board)
        checked_count("limit", limit)
        checked_count("start", start, LARGEST)
        with self._looking(one_instant=True) as connection:
            return self._boards.page(connection, board, start, limit)

    def rank_of(self, board: str, player: str) -> HighScore | None:
        """Return one player's rank and score on a leaderboard; None where it has none."""
        _board(board)
        _named(player)
        with self._looking() as connection:
            return self._boards.rank(connection, board, player)

    def scores_around(self, board: str, player: str, each: int = 2) -> list[HighScore]:
        """Return the rows around a player's on a leaderboard, *each* before it and after it.

        Raises:
            UnknownNameError: The player has no score there.
        """
        _board(board)
        _named(player)
        checked_count("each", each)
        with self._looking(one_instant=True) as connection:
            return self._boards.around(connection, board, player, each)

    def end_season(self, board: str, season: str) -> str:
        """Close a season of a leaderboard: its rows can still be read, under the name that is returned
        (``"board/season"``), and the board begins anew."""
        _board(board)
        _named(season, "the name of the season")
        with self._changing("season") as connection:
            return self._boards.end_season(connection, board, season)

    def recount(self, board: str) -> None:
        """Count the rows of a leaderboard anew. Needed only after rows of it were added or deleted by hand in
        the database, which `verify` tells."""
        _board(board)
        with self._changing("recount") as connection:
            self._boards.recount(connection, board)

    def boards(self) -> list[str]:
        """Return every leaderboard, seasons that have ended included."""
        with self._looking() as connection:
            return self._boards.names(connection)

    def close(self) -> None:
        """Let go of all this process has, and close the store."""
        if os.getpid() != self._pid:  # a fork: the connections are the other process's
            self.closed = True
            self.engine.dispose(close=False)
            return
        if not self.read_only:
            try:
                with self._changing("") as connection:
                    self._leases.release_all(connection)
            except SaveError:
                pass  # the lease runs out by itself
            self.checkpoint()
        self._drop_writer()
        self.engine.dispose()
        if self._counter is not None:
            self._counter.close()
        self._keep_open.close()
        self.closed = True

    def __enter__(self) -> Store:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()


_CHANGED = f"UPDATE {meta.name} SET value = CAST(value AS INTEGER) + 1 WHERE key = '{CHANGES}'"
_COUNT_UP = f"{_CHANGED} OR key = '{COMMITS}'"
_COUNT = f"SELECT value FROM {meta.name} WHERE key = '{COMMITS}'"


def open_store(
    url: str,
    design: Design,
    *,
    generations: int = 4,
    migrations: Mapping[int, Step] | None = None,
    name: str = "",
    lease: float = LEASE,
    clock: Callable[[], float] | None = None,
    read_only: bool = False,
) -> Store:
    """Return the store at *url*, made if it is not there.

    Args:
        url: ``sqlite:///saves.db``, ``sqlite://`` in memory, ``postgresql+psycopg://host/database``.
        design: Whose profiles it keeps.
        generations: How many revisions of each profile are kept, 2 to 100.
        migrations: Python functions from one version's sections to the next, by the version they start from.
        name: Who has a profile, as others read it; by default the machine and process.
        lease: Seconds of silence after which others may take what this process has.
        clock: Seconds since 1970; the database's own clock unless given.
        read_only: Whether to read only what is there, and to make nothing.

    Raises:
        SaveError: The store cannot be opened; nothing was changed.
        UsageError: A version of profiles that nothing leads on from; a store to be read that is not there.
    """
    text_of("the address of the store", url)
    if not isinstance(design, Design):
        raise UsageError(f"a store needs a design, not {said(design)}; make one with load_design")
    if not 2 <= whole("generations", generations) <= 100:
        raise AmountError("generations", generations, "a whole number from 2 to 100")
    if not (finite(lease) and lease > 0):
        raise AmountError("lease", lease, "a number of seconds, more than 0")
    return Store(
        url,
        design,
        generations,
        Versions(design, migrations),
        (name or f"{socket.gethostname()}, process {os.getpid()}", lease, clock),
        read_only=read_only,
    )
