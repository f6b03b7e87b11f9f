"""Stores: where profiles are kept, revision by revision.

A save is one conditional update of the profile's row and one slot of its ring
of generations, in one transaction. A read that fails is never an empty profile.
Start at `open_store`.
"""

from __future__ import annotations

import time
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from cleaver.core.profile import Profile
from cleaver.errors import AmountError, ProfileDamagedError, SaveError, StoreCorruptError, StoreUnavailableError
from cleaver.saves import document

if TYPE_CHECKING:
    from sqlalchemy import Connection, Engine

    from cleaver.design.design import Design


class Found(NamedTuple):
    """A profile that was read; `recovered_from` are revisions that were damaged, newest first."""

    profile: Profile
    revision: int
    recovered_from: tuple[int, ...] = ()


class Absent(NamedTuple):
    """A player who was never saved; not the same as one who saved zero."""

    player: str


class Damaged(NamedTuple):
    """A player whose saved generations cannot be read; `tried` says what was wrong with each, newest first."""

    player: str
    tried: tuple[str, ...]


class HighScore(NamedTuple):
    """One row of a high-score table."""

    rank: int
    player: str
    score: int


class Receipt(NamedTuple):
    """What a save made: the revision, its bytes and its checksum."""

    player: str
    revision: int
    size: int
    checksum: str


class Store:
    """Profiles in a database. Made by `open_store`; close it, or use it in a `with`."""

    def __init__(self, engine: Engine, design: Design, generations: int, label: str) -> None:
        self.engine, self.design, self.generations, self.label = engine, design, generations, label
        self._prepare()

    def _prepare(self) -> None:
        from sqlalchemy import insert, inspect, select  # slow to import, and only games that save need it
        from sqlalchemy.exc import SQLAlchemyError

        from cleaver.saves.tables import LAYOUT, meta, metadata

        try:
            there = inspect(self.engine).has_table("cleaver_meta")
            with self.engine.begin() as connection:
                if there:
                    layout = connection.execute(select(meta.c.value).where(meta.c.key == "layout")).scalar()
                    if layout != str(LAYOUT):
                        raise StoreCorruptError(f"{self.label} has layout {layout}, this version reads {LAYOUT}; it was left alone")
                else:
                    metadata.create_all(connection)
                    connection.execute(insert(meta).values(key="layout", value=str(LAYOUT)))
        except SQLAlchemyError as error:
            raise self._trouble(error) from error

    def _trouble(self, error: Exception) -> SaveError:
        cause = str(getattr(error, "orig", None) or error)
        if "not a database" in cause or "malformed" in cause:
            return StoreCorruptError(f"{self.label} is no store of profiles ({cause}); it was left alone. Name another file, or put a backup in its place")
        return StoreUnavailableError(f"{self.label} cannot be used just now ({cause}); nothing was changed, trying again may help")

    def load(self, player: str) -> Found | Absent | Damaged:
        """Return what is saved of *player*; reads only.

        Raises:
            StoreUnavailableError: The store cannot be read now.
        """
        from sqlalchemy import select  # as above
        from sqlalchemy.exc import SQLAlchemyError

        from cleaver.saves.tables import generations, profiles

        try:
            with self.engine.connect() as connection:
                head = connection.execute(select(profiles.c.revision).where(profiles.c.player == player)).scalar()
                rows = connection.execute(select(generations).where(generations.c.player == player).order_by(generations.c.revision.desc())).all()
        except SQLAlchemyError as error:
            raise self._trouble(error) from error
        if head is None and not rows:
            return Absent(player)
        bad: list[int] = []
        tried: list[str] = []
        for row in rows:
            try:
                return Found(self._read(player, row), row.revision, tuple(bad))
            except SaveError as error:
                bad.append(row.revision)
                tried.append(f"revision {row.revision}: {error}")
        return Damaged(player, tuple(tried) or ("its row is there, but no generation of it",))

    def _read(self, player: str, row: object) -> Profile:
        body, revision, version = row.body, row.revision, row.version  # type: ignore[attr-defined]
        if not isinstance(body, bytes):
            raise SaveError("its body is no longer bytes")
        if document.checksum(player, revision, version, body) != row.checksum:  # type: ignore[attr-defined]
            raise SaveError("its checksum does not match")
        profile = document.decode(body)
        if profile.player != player:
            raise SaveError(f"it is the profile of {profile.player}")
        return profile

    def read(self, player: str) -> Profile | None:
        """Return the saved profile, None where there never was one; one that cannot be read is an error."""
        outcome = self.load(player)
        if isinstance(outcome, Damaged):
            raise ProfileDamagedError(f"profile {player} cannot be read: {'; '.join(outcome.tried)}. Nothing was changed; restore a backup")
        return outcome.profile if isinstance(outcome, Found) else None

    def save(self, profile: Profile) -> Receipt:
        """Write a profile as its next revision, whole or not at all.

        Raises:
            AmountError: Something in it cannot be saved; its path is named.
            ProfileDamagedError: What is saved of the player cannot be read, so nothing is written over it.
            StoreUnavailableError: The store cannot be written now.
        """
        from sqlalchemy.exc import SQLAlchemyError  # as above

        body = document.encode(profile)
        if isinstance(self.load(profile.player), Damaged):
            self.read(profile.player)
        try:
            with self.engine.begin() as connection:
                return self._write(connection, profile, body)
        except SQLAlchemyError as error:
            raise self._trouble(error) from error

    def _write(self, connection: Connection, profile: Profile, body: bytes) -> Receipt:
        from sqlalchemy import delete, insert, select, update  # as above

        from cleaver.saves.tables import generations, profiles

        player = profile.player
        head = connection.execute(select(profiles.c.revision, profiles.c.fence).where(profiles.c.player == player)).first()
        revision, fence = (head.revision + 1, head.fence) if head is not None else (1, 0)
        if head is None:
            connection.execute(insert(profiles).values(player=player, revision=revision, fence=fence))
        else:
            connection.execute(update(profiles).where(profiles.c.player == player, profiles.c.revision == head.revision).values(revision=revision))
        slot = revision % self.generations
        check = document.checksum(player, revision, profile.version, body)
        connection.execute(delete(generations).where(generations.c.player == player, generations.c.slot == slot))
        connection.execute(insert(generations).values(player=player, slot=slot, revision=revision, fence=fence, version=profile.version, checksum=check,
                                                      saved=time.time(), body=body))
        return Receipt(player, revision, len(body), check)

    def keep_score(self, board: str, player: str, score: int) -> bool:
        """Put a score on a high-score table; only a player's best stays. Returns whether it is a new best."""
        from sqlalchemy import delete, insert, select  # as above
        from sqlalchemy.exc import SQLAlchemyError

        from cleaver.saves.tables import boards

        if isinstance(score, bool) or not isinstance(score, int) or abs(score) > document.LARGEST:
            raise AmountError("the score", score, "a whole number")
        here = (boards.c.board == board) & (boards.c.player == player)
        try:
            with self.engine.begin() as connection:
                best = connection.execute(select(boards.c.score).where(here)).scalar()
                if best is not None and best >= score:
                    return False
                connection.execute(delete(boards).where(here))
                connection.execute(insert(boards).values(board=board, player=player, score=score, reached=time.time()))
        except SQLAlchemyError as error:
            raise self._trouble(error) from error
        return True

    def high_scores(self, board: str, limit: int = 10) -> list[HighScore]:
        """Return the best of a high-score table, at most *limit* rows: equal scores share a rank, the earlier first."""
        from sqlalchemy import select  # as above
        from sqlalchemy.exc import SQLAlchemyError

        from cleaver.saves.tables import boards

        if not 0 <= limit <= 10_000:
            raise AmountError("limit", limit, "a whole number from 0 to 10,000")
        try:
            with self.engine.connect() as connection:
                rows = connection.execute(select(boards.c.player, boards.c.score).where(boards.c.board == board).order_by(
                    boards.c.score.desc(), boards.c.reached, boards.c.player).limit(limit)).all()
        except SQLAlchemyError as error:
            raise self._trouble(error) from error
        return [HighScore(1 + sum(other.score > row.score for other in rows), row.player, row.score) for row in rows]

    def close(self) -> None:
        """Close the store."""
        self.engine.dispose()

    def __enter__(self) -> Store:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()


def open_store(url: str, design: Design, *, generations: int = 4) -> Store:
    """Return the store at *url*, made if it is not there: ``sqlite:///saves.db``, or ``sqlite://`` in memory.

    Args:
        url: Where it is.
        design: Whose profiles it keeps.
        generations: How many revisions of each profile are kept, 2 to 100.

    Raises:
        SaveError: The store cannot be opened; nothing was changed.
    """
    from sqlalchemy import create_engine, event  # slow to import, and only games that save need it
    from sqlalchemy.engine import make_url
    from sqlalchemy.exc import ArgumentError
    from sqlalchemy.pool import StaticPool

    if not 2 <= generations <= 100:
        raise AmountError("generations", generations, "a whole number from 2 to 100")
    try:
        parsed = make_url(url)
    except ArgumentError:
        raise StoreUnavailableError(f"{url!r} is no store; write sqlite:///saves.db") from None
    if parsed.get_backend_name() != "sqlite":
        raise StoreUnavailableError(f"{url!r} is no kind of store this version knows; write sqlite:///saves.db")
    if not parsed.database or parsed.database == ":memory:":
        engine = create_engine("sqlite://", poolclass=StaticPool, connect_args={"check_same_thread": False})
        return Store(engine, design, generations, "the store in memory")
    path = Path(parsed.database)
    if path.exists() and path.stat().st_size == 0:
        raise StoreCorruptError(f"{path.name} is empty, which no store ever is; it was left alone. Delete it to begin anew, or put a backup in its place")
    path.parent.mkdir(parents=True, exist_ok=True)
    engine = create_engine(parsed)

    @event.listens_for(engine, "connect")
    def _settings(connection: object, record: object) -> None:
        cursor = connection.cursor()  # type: ignore[attr-defined]  # a raw sqlite3 connection
        for setting in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON", "cell_size_check=ON", "busy_timeout=5000"):
            cursor.execute(f"PRAGMA {setting}")
        cursor.close()

    return Store(engine, design, generations, path.name)
