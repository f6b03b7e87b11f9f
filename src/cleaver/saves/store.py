"""Stores: where profiles are kept, revision by revision, each written by one process at a time.

A save is one conditional update of the profile's row and one slot of its ring of generations, in one
transaction; a batch is executemany of both. A read that fails is never an empty profile. Start at
`open_store` and `Store.hold`.
"""

from __future__ import annotations

import os
import socket
import threading
import time
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple
from weakref import WeakValueDictionary

from sqlalchemy import Connection, Engine, delete, func, insert, inspect, select, text, update
from sqlalchemy.dialects import postgresql, sqlite

from cleaver.core.kernel.arguments import checked, own_name, whole
from cleaver.core.profile import Profile
from cleaver.design.design import Design
from cleaver.errors import (
    AmountError,
    ProfileBusyError,
    ProfileDamagedError,
    ProfileStaleError,
    SaveError,
    StoreCorruptError,
    StoreUnavailableError,
    UnknownNameError,
    UsageError,
)
from cleaver.saves import document
from cleaver.saves.engines import FAULTS, make_engine, same_file, trouble
from cleaver.saves.outcomes import Absent, Damaged, Found, HighScore, Holder, SaveInfo
from cleaver.saves.tables import LAYOUT, boards, generations, holders, meta, metadata, profiles, quarantine
from cleaver.saves.trouble import Trouble
from cleaver.saves.versions import Step, Versions

LEASE = 30.0  # seconds that a process may be silent before others may take its profiles


class Write(NamedTuple):
    """One profile to be saved, encoded: what a batch consists of."""

    held: Held
    profile: Profile
    body: bytes


class Held:
    """A profile that this process has, and nobody else may write; made by `Store.hold`. `outcome` is `Found`
    or `Absent`, `who` what it is held for."""

    store: Store
    player: str
    outcome: Found | Absent
    revision: int
    fence: int
    who: str
    lost: bool

    def __init__(
        self,
        store: Store,
        player: str,
        outcome: Found | Absent,
        revision: int,
        fence: int,
        who: str = "this program",
    ) -> None:
        self.store, self.player, self.outcome = store, player, outcome
        self.revision, self.fence, self.who = revision, fence, who
        self.lost = False

    @property
    def profile(self) -> Profile | None:
        """The profile as it was read; None for a player who was never saved."""
        return self.outcome.profile if isinstance(self.outcome, Found) else None

    def save(self, profile: Profile) -> SaveInfo:
        """Write *profile* as the next revision.

        Raises:
            ProfileStaleError: Another process has taken it over; this one may not write it any more.
            StoreUnavailableError: The store cannot be written now.
            AmountError: Something in the profile cannot be saved; its path is named.
        """
        result = self.store.save_many([self.store.encoded(self, profile)])[0]
        if isinstance(result, SaveError):
            raise result
        return result

    def release(self) -> None:
        """Let others have the profile."""
        if not self.lost:
            self.store._release(self)
            self.lost = True

    def __enter__(self) -> Held:
        return self

    def __exit__(self, *error: object) -> None:
        self.release()


def _named(value: object, what: str = "the id of a player") -> None:
    """Refuse what can be no id before a database sees it: wrong use is no damaged store, nor one worth trying
    again."""
    if own_name(what, value) == "":
        raise UsageError(f"{what} is empty; give it at least one letter")


class Store:
    """Profiles in a database. Made by `open_store`; close it, or use it in a `with`."""

    engine: Engine
    design: Design
    generations: int
    label: str
    path: Path | None
    versions: Versions
    name: str
    lease: float
    clock: Callable[[], float]
    holder: str

    def __init__(
        self,
        engine: Engine,
        design: Design,
        kept: int,
        label: str,
        path: Path | None,
        versions: Versions,
        name: str,
        lease: float,
        clock: Callable[[], float],
    ) -> None:
        self.engine, self.design, self.generations, self.label, self.path = engine, design, kept, label, path
        self.versions, self.name, self.lease, self.clock = versions, name, lease, clock
        self.trouble: Trouble | None = None
        self.holder = uuid.uuid4().hex
        self._held: WeakValueDictionary[str, Held] = WeakValueDictionary()  # what is held through this store
        self._taking: dict[str, object] = {}  # players who are being taken just now, by any thread
        self._registered_until = 0.0
        self._upsert = postgresql.insert if engine.dialect.name == "postgresql" else sqlite.insert
        self._inode: tuple[int, int] | None = None
        self._connection: Connection | None = None
        self._writing = threading.Lock()
        # Every engine here has a driver
        self._driver_error: type[Exception] = engine.dialect.dbapi.Error  # type: ignore[union-attr]
        mark = "%({0})s" if engine.dialect.name == "postgresql" else ":{0}"
        marks = {
            name: mark.format(name)
            for name in ("player", "slot", "revision", "fence", "version", "checksum", "saved", "body")
        }
        self._advance, self._keep = _ADVANCE.format(**marks), _KEEP.format(**marks)
        self._prepare()

    def _prepare(self) -> None:
        try:
            new = not inspect(self.engine).has_table("cleaver_meta")
            with self.engine.begin() as connection:
                if new:
                    metadata.create_all(connection)
                    found = connection.execute(select(meta.c.value).where(meta.c.key == "layout")).scalar()
                    if found is None:
                        connection.execute(
                            insert(meta),
                            [
                                {"key": "layout", "value": str(LAYOUT)},
                                {"key": "id", "value": uuid.uuid4().hex},
                            ],
                        )
                layout = connection.execute(select(meta.c.value).where(meta.c.key == "layout")).scalar()
            if layout != str(LAYOUT):
                raise StoreCorruptError(
                    f"{self.label} has layout {layout}, and this version reads {LAYOUT}; it was left alone"
                )
            if self.path is not None:
                found_at = os.stat(self.path)
                self._inode = (found_at.st_dev, found_at.st_ino)
        except FAULTS as error:
            raise trouble(self.label, error) from error

    def _reading(self) -> Connection:
        return self.engine.connect().execution_options(reading=True)

    def _meet(self, what: str, players: Sequence[str]) -> None:
        if self.trouble is not None:
            self.trouble.meet(what, list(players))
        if self.path is not None and not same_file(self.path, self._inode):
            raise StoreUnavailableError(
                f"{self.label} was moved away or replaced while it was open; nothing was written to either "
                "file. Put it back, or open "
                "the store anew"
            )

    # reading

    def load(self, player: str) -> Found | Absent | Damaged:
        """Return what is saved of *player*, carried over to the design's version; reads only, takes no lease.

        Raises:
            StoreUnavailableError: The store cannot be read now.
            ProfileTooNewError: It is of a newer version; there is no falling back to an older generation.
            MigrationError: A step from an older version failed.
        """
        _named(player)
        self._meet("load", [player])
        try:
            with self._reading() as connection:
                return self._load(connection, player)
        except FAULTS as error:
            raise trouble(self.label, error) from error

    def _load(self, connection: Connection, player: str) -> Found | Absent | Damaged:
        head = connection.execute(select(profiles.c.revision).where(profiles.c.player == player)).scalar()
        rows = connection.execute(
            select(generations).where(generations.c.player == player).order_by(generations.c.revision.desc())
        ).all()
        if (head is None or head == 0) and not rows:
            return Absent(player)
        if head is None:
            return Damaged(player, ("its generations are there, but not its row",))
        bad: list[int] = []
        tried: list[str] = []
        if not rows or rows[0].revision < head:
            bad.append(head)
            tried.append(f"revision {head}: it is not there")
        for row in rows:
            try:
                profile = self._read(player, row)
            except SaveError as error:
                bad.append(row.revision)
                tried.append(f"revision {row.revision}: {error}")
                continue
            return Found(self.versions.carry(profile), row.revision, tuple(bad))
        return Damaged(player, tuple(tried))

    @staticmethod
    def _read(player: str, row: Any) -> Profile:
        if not isinstance(row.body, bytes):
            raise SaveError("its body is no longer bytes")
        if document.checksum(player, row.revision, row.version, row.body) != row.checksum:
            raise SaveError("its checksum does not match")
        profile = document.decode(row.body)
        if profile.player != player or profile.version != row.version:
            raise SaveError(f"it is the profile of {profile.player}, version {profile.version}")
        return profile

    def read(self, player: str) -> Profile | None:
        """Return the saved profile, None where there never was one; one that cannot be read is an error."""
        _named(player)
        outcome = self.load(player)
        if isinstance(outcome, Damaged):
            raise ProfileDamagedError(
                f"profile {player} cannot be read: {'; '.join(outcome.tried)}. Nothing was changed; restore "
                "a backup"
            )
        return outcome.profile if isinstance(outcome, Found) else None

    def players(self) -> list[str]:
        """Return every player that was ever saved, by id."""
        try:
            with self._reading() as connection:
                return sorted(
                    connection.execute(select(profiles.c.player).where(profiles.c.revision > 0)).scalars()
                )
        except FAULTS as error:
            raise trouble(self.label, error) from error

    def revisions(self, player: str) -> list[tuple[int, float, int]]:
        """Return (revision, when in seconds since 1970, bytes) of each generation kept of a player, newest
        first."""
        _named(player)
        try:
            with self._reading() as connection:
                columns = (generations.c.revision, generations.c.saved, func.length(generations.c.body))
                rows = connection.execute(
                    select(*columns)
                    .where(generations.c.player == player)
                    .order_by(generations.c.revision.desc())
                ).all()
                return [(row[0], row[1], row[2]) for row in rows]
        except FAULTS as error:
            raise trouble(self.label, error) from error

    def holder_of(self, player: str) -> Holder | None:
        """Return which other process has a profile now; None where nobody has."""
        _named(player)
        try:
            with self._reading() as connection:
                return self._holder_of(connection, player)
        except FAULTS as error:
            raise trouble(self.label, error) from error

    def _holder_of(self, connection: Connection, player: str) -> Holder | None:
        row = connection.execute(
            select(holders.c.holder, holders.c.name, holders.c.until)
            .join(profiles, profiles.c.holder == holders.c.holder)
            .where(profiles.c.player == player)
        ).first()
        if row is None or row.holder == self.holder or row.until <= self.clock():
            return None
        return Holder(row.name, row.until - self.clock())

    # leases

    def renew(self) -> None:
        """Renew this process's lease, for all it has; call it well within `lease` seconds. `Autosaver`
        does."""
        try:
            with self.engine.begin() as connection:
                self._register(connection)
        except FAULTS as error:
            raise trouble(self.label, error) from error

    def _register(self, connection: Connection) -> None:
        until = self.clock() + self.lease
        statement = self._upsert(holders).values(holder=self.holder, name=self.name, until=until)
        connection.execute(statement.on_conflict_do_update(index_elements=["holder"], set_={"until": until}))
        self._registered_until = until

    def hold(self, player: str, who: str = "this program") -> Held:
        """Take a profile for this process, then read it.

        Args:
            player: Whose.
            who: What it is held for, for the message to whoever asks for it meanwhile.

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
            return self._take(player, who)
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

    def _take(self, player: str, who: str) -> Held:
        self._meet("load", [player])
        try:
            with self.engine.begin() as connection:
                busy = self._holder_of(connection, player)
                if busy is not None:
                    raise ProfileBusyError(player, busy.name, busy.left)
                outcome = self._load(connection, player)
                if isinstance(outcome, Damaged):
                    raise ProfileDamagedError(
                        f"profile {player} cannot be read: {'; '.join(outcome.tried)}. Nothing was changed; "
                        "restore a backup"
                    )
                if self._registered_until - self.clock() < self.lease / 2:
                    self._register(connection)
                head = connection.execute(
                    select(profiles.c.revision, profiles.c.fence).where(profiles.c.player == player)
                ).first()
                revision, fence = (head.revision, head.fence + 1) if head is not None else (0, 1)
                statement = self._upsert(profiles).values(
                    player=player, revision=revision, fence=fence, holder=self.holder
                )
                connection.execute(
                    statement.on_conflict_do_update(
                        index_elements=["player"], set_={"fence": fence, "holder": self.holder}
                    )
                )
                held = self._held[player] = Held(self, player, outcome, revision, fence, who)
                return held
        except FAULTS as error:
            raise trouble(self.label, error) from error

    def _release(self, held: Held) -> None:
        try:
            with self.engine.begin() as connection:
                mine = (profiles.c.player == held.player) & (profiles.c.fence == held.fence)
                connection.execute(update(profiles).where(mine).values(holder=None))
                connection.execute(delete(profiles).where(mine & (profiles.c.revision == 0)))
        except FAULTS:
            return  # the lease runs out by itself

    # writing

    def encoded(self, held: Held, profile: Profile) -> Write:
        """Return a profile ready to be saved; raises where something in it cannot be."""
        if profile.player != held.player:
            raise UsageError(f"this is the profile of {profile.player}, and {held.player} is held")
        return Write(held, profile, document.encode(profile))

    def save_many(self, writes: Sequence[Write]) -> list[SaveInfo | SaveError]:
        """Save several profiles in one transaction; returns a info each, or why just that one was refused.

        Raises:
            StoreUnavailableError: The store cannot be written now; none of them was saved.
        """
        if not writes:
            return []
        self._meet("save", [write.held.player for write in writes])
        rows = [self._row(write) for write in writes]
        with self._writing:
            try:
                connection = self._writer()
                with connection.begin() as transaction:
                    if self._write(connection, writes, rows):
                        transaction.commit()
                        return [self._done(write, row) for write, row in zip(writes, rows, strict=True)]
                    transaction.rollback()
                with connection.begin():
                    return [
                        self._write_one(connection, write, row)
                        for write, row in zip(writes, rows, strict=True)
                    ]
            except (*FAULTS, self._driver_error) as error:
                self._drop_writer()
                raise trouble(self.label, error) from error
            finally:
                if self._in_memory:
                    self._let_writer_go()  # there is one connection, and others wait for it

    def _writer(self) -> Connection:
        """Return the connection that saves go through; held, as taking one from the pool costs as much as a
        save."""
        if self._connection is None:
            self._connection = self.engine.connect().execution_options(writer=True)
        return self._connection

    @property
    def _in_memory(self) -> bool:
        return self.path is None and self.engine.dialect.name == "sqlite"

    def _let_writer_go(self) -> None:
        if self._connection is not None:
            self._connection.close()
            self._connection = None

    def _drop_writer(self) -> None:
        if self._in_memory:
            self._let_writer_go()  # in memory the connection is the database
        elif self._connection is not None:
            connection, self._connection = self._connection, None
            try:
                connection.invalidate()
                connection.close()
            except FAULTS:
                return  # it was broken, which is why it goes

    def _row(self, write: Write) -> dict[str, Any]:
        held, revision = write.held, write.held.revision + 1
        check = document.checksum(held.player, revision, write.profile.version, write.body)
        return {
            "player": held.player,
            "slot": revision % self.generations,
            "revision": revision,
            "fence": held.fence,
            "version": write.profile.version,
            "checksum": check,
            "saved": self.clock(),
            "body": write.body,
        }

    def _write(self, connection: Connection, writes: Sequence[Write], rows: list[dict[str, Any]]) -> bool:
        cursor: Any = (
            connection.connection.cursor()
        )  # the driver's own: SQLAlchemy's would double the time of a single save
        cursor.executemany(self._advance, rows)
        if cursor.rowcount != len(rows):
            return False
        cursor.executemany(self._keep, rows)
        cursor.close()
        for write in writes:
            if isinstance(write.held.outcome, Found) and write.held.outcome.recovered_from:
                self._set_aside(connection, write.held)
        return True

    def _write_one(self, connection: Connection, write: Write, row: dict[str, Any]) -> SaveInfo | SaveError:
        if self._write(connection, [write], [row]):
            return self._done(write, row)
        held = write.held
        found = connection.execute(
            select(profiles.c.revision, profiles.c.fence, generations.c.checksum)
            .join(
                generations,
                (generations.c.player == profiles.c.player) & (generations.c.revision == profiles.c.revision),
                isouter=True,
            )
            .where(profiles.c.player == held.player)
        ).first()
        if (
            found is not None
            and found.fence == held.fence
            and found.revision == row["revision"]
            and found.checksum == row["checksum"]
        ):
            return self._done(write, row)  # our own commit, whose answer was lost
        held.lost = True
        return ProfileStaleError(
            f"profile {held.player} was taken over by another process since; what this one had was not "
            "written over it. Let the player "
            "join again"
        )

    def _set_aside(self, connection: Connection, held: Held) -> None:
        """Put generations that were found damaged into quarantine, where nothing overwrites them."""
        bad = held.outcome.recovered_from if isinstance(held.outcome, Found) else ()
        if bad:
            here = (
                (generations.c.player == held.player)
                & generations.c.revision.in_(bad)
                & (generations.c.revision <= held.revision)
            )
            for row in connection.execute(select(generations).where(here)).all():
                body = row.body if isinstance(row.body, bytes) else str(row.body).encode()
                connection.execute(
                    insert(quarantine).values(
                        player=row.player, revision=row.revision, found=self.clock(), body=body
                    )
                )
            connection.execute(delete(generations).where(here))

    @staticmethod
    def _done(write: Write, row: dict[str, Any]) -> SaveInfo:
        held = write.held
        held.revision = row["revision"]
        held.outcome = Found(write.profile, row["revision"])
        return SaveInfo(held.player, row["revision"], len(write.body), row["checksum"])

    @checked
    def save(self, profile: Profile) -> SaveInfo:
        """Hold a profile, write it as its next revision, and let it go; whole or not at all.

        Raises:
            UsageError: An autosaver, or somebody else in this program, holds it; save through that.
        """
        with self.hold(profile.player) as held:
            return held.save(profile)

    @checked
    def restore(self, player: str, revision: int) -> SaveInfo:
        """Write an older generation of a profile as its newest revision.

        Raises:
            UnknownNameError: That revision is not kept.
            UsageError: It is held through this store.
            ProfileBusyError: A game has the profile.
        """
        whole("the revision", revision)
        self._refuse_held(player)
        busy = self.holder_of(player)
        if busy is not None:
            raise ProfileBusyError(player, busy.name, busy.left)
        try:
            with self.engine.begin() as connection:
                row = connection.execute(
                    select(generations).where(
                        (generations.c.player == player) & (generations.c.revision == revision)
                    )
                ).first()
                if row is None:
                    kept = [
                        str(found)
                        for found in connection.execute(
                            select(generations.c.revision).where(generations.c.player == player)
                        ).scalars()
                    ]
                    raise UnknownNameError("revision", str(revision), kept, player)
                profile = self._read(player, row)
                head = connection.execute(select(profiles).where(profiles.c.player == player)).first()
                latest = max(head.revision if head is not None else 0, revision)
                fence = (head.fence if head is not None else 0) + 1
                statement = self._upsert(profiles).values(
                    player=player, revision=latest, fence=fence, holder=None
                )
                connection.execute(
                    statement.on_conflict_do_update(
                        index_elements=["player"], set_={"revision": latest, "fence": fence, "holder": None}
                    )
                )
            held = Held(self, player, Found(profile, revision), latest, fence)
            return held.save(profile)
        except FAULTS as error:
            raise trouble(self.label, error) from error

    # the store as a whole

    def verify(self) -> Iterator[tuple[str, str]]:
        """Yield (player, what is wrong) for the whole store, the player "" for the file itself; read every
        generation of everyone."""
        try:
            with self._reading() as connection:
                if self.path is not None:
                    for found in connection.execute(text("PRAGMA integrity_check")).scalars():
                        if found != "ok":
                            yield "", str(found)
                heads = {
                    row.player: row.revision
                    for row in connection.execute(select(profiles.c.player, profiles.c.revision))
                }
                rows = connection.execute(
                    select(generations).order_by(generations.c.player, generations.c.revision)
                ).all()
        except FAULTS as error:
            yield "", str(trouble(self.label, error))
            return
        newest: dict[str, int] = {}
        for row in rows:
            newest[row.player] = row.revision
            try:
                self._read(row.player, row)
            except SaveError as error:
                yield row.player, f"revision {row.revision}: {error}"
        for player, revision in sorted(heads.items()):
            if revision and newest.get(player, 0) < revision:
                yield player, f"revision {revision} is not there"
        for player in sorted(set(newest) - set(heads)):
            yield player, "its generations are there, but not its row"

    def backup(self, target: str | Path) -> Path:
        """Copy the whole store into a new file while it is in use, and check the copy.

        Raises:
            UsageError: The target is there already, or the store is no file.
        """
        target = Path(target)
        if target.exists():
            raise UsageError(f"{target} is there already; a backup never overwrites anything")
        if self.engine.dialect.name != "sqlite":
            raise UsageError(
                f"{self.label} is a server: use its own tool for backups (pg_dump), or `cleaver saves export`"
            )
        import sqlite3  # only where a file is copied

        copy = sqlite3.connect(target)
        try:
            raw: Any = self.engine.raw_connection()
            raw.driver_connection.backup(copy)
            raw.close()
            if copy.execute("PRAGMA integrity_check").fetchone() != ("ok",):
                raise StoreCorruptError(
                    f"the copy of {self.label} is damaged; it was left at {target} to be looked at"
                )
        finally:
            copy.close()
        return target

    def checkpoint(self) -> None:
        """Let what is in SQLite's log go into the file itself; nothing to do elsewhere."""
        if self.path is not None:
            try:
                with self.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
                    connection.exec_driver_sql("PRAGMA wal_checkpoint(PASSIVE)")
            except FAULTS:
                return  # a reader is at work; next time

    # high scores

    def keep_score(self, board: str, player: str, score: int) -> bool:
        """Put a score on a high-score table; only a player's best stays. Returns whether it is a new best."""
        _named(player)
        _named(board, "the name of the board")
        if isinstance(score, bool) or not isinstance(score, int) or abs(score) > document.LARGEST:
            raise AmountError("the score", score, "a whole number")
        here = (boards.c.board == board) & (boards.c.player == player)
        try:
            with self.engine.begin() as connection:
                best = connection.execute(select(boards.c.score).where(here)).scalar()
                if best is not None and best >= score:
                    return False
                connection.execute(delete(boards).where(here))
                connection.execute(
                    insert(boards).values(board=board, player=player, score=score, reached=self.clock())
                )
        except FAULTS as error:
            raise trouble(self.label, error) from error
        return True

    def high_scores(self, board: str, limit: int = 10) -> list[HighScore]:
        """Return the best of a high-score table, at most *limit* rows: equal scores share a rank, the earlier
        first."""
        _named(board, "the name of the board")
        if isinstance(limit, bool) or not isinstance(limit, int) or not 0 <= limit <= 10_000:
            raise AmountError("limit", limit, "a whole number from 0 to 10,000")
        try:
            with self._reading() as connection:
                rows = connection.execute(
                    select(boards.c.player, boards.c.score)
                    .where(boards.c.board == board)
                    .order_by(boards.c.score.desc(), boards.c.reached, boards.c.player)
                    .limit(limit)
                ).all()
        except FAULTS as error:
            raise trouble(self.label, error) from error
        return [
            HighScore(1 + sum(other.score > row.score for other in rows), row.player, row.score)
            for row in rows
        ]

    def close(self) -> None:
        """Let go of all this process has, and close the store."""
        try:
            with self.engine.begin() as connection:
                connection.execute(
                    update(profiles).where(profiles.c.holder == self.holder).values(holder=None)
                )
                connection.execute(delete(holders).where(holders.c.holder == self.holder))
        except (*FAULTS, SaveError):
            pass  # the lease runs out by itself
        self.checkpoint()
        self._drop_writer()
        self.engine.dispose()

    def __enter__(self) -> Store:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()


_KEEP = (
    "INSERT INTO cleaver_generations (player, slot, revision, fence, version, checksum, saved, body) "
    "VALUES ({player}, {slot}, {revision}, {fence}, {version}, {checksum}, {saved}, {body}) ON CONFLICT "
    "(player, slot) DO UPDATE SET "
    "revision = excluded.revision, fence = excluded.fence, version = excluded.version, checksum = "
    "excluded.checksum, saved = excluded.saved, "
    "body = excluded.body"
)
_ADVANCE = (
    "UPDATE cleaver_profiles SET revision = {revision} WHERE player = {player} AND revision = "
    "{revision} - 1 AND fence = {fence}"
)


def open_store(
    url: str,
    design: Design,
    *,
    generations: int = 4,
    migrations: Mapping[int, Step] | None = None,
    name: str = "",
    lease: float = LEASE,
    clock: Callable[[], float] = time.time,
) -> Store:
    """Return the store at *url*, made if it is not there.

    Args:
        url: ``sqlite:///saves.db``, ``sqlite://`` in memory, ``postgresql+psycopg://host/database``.
        design: Whose profiles it keeps.
        generations: How many revisions of each profile are kept, 2 to 100.
        migrations: Python functions from one version's sections to the next, by the version they start from.
        name: Who has a profile, as others read it; by default the machine and process.
        lease: Seconds of silence after which others may take what this process has.
        clock: Seconds since 1970.

    Raises:
        SaveError: The store cannot be opened; nothing was changed.
        UsageError: A version of profiles that nothing leads on from.
    """
    if not 2 <= generations <= 100:
        raise AmountError("generations", generations, "a whole number from 2 to 100")
    if not lease > 0:
        raise AmountError("lease", lease, "a number of seconds, more than 0")
    versions = Versions(design, migrations)
    engine, label, path = make_engine(url)
    return Store(
        engine,
        design,
        generations,
        label,
        path,
        versions,
        name or f"{socket.gethostname()}, process {os.getpid()}",
        lease,
        clock,
    )
