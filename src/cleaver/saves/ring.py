"""Ring: the generations of each player, a few revisions in turn: how they are read, proved and written.

Each call is given the transaction it works in. Start at `Ring.load` and `Ring.write`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select

from cleaver.core.profile import Profile
from cleaver.errors import ProfileStaleError, SaveError
from cleaver.saves import document
from cleaver.saves.chain import chain_link
from cleaver.saves.held import Held, Row, Write
from cleaver.saves.outcomes import Absent, DamagedProfile, Found, SaveInfo
from cleaver.saves.tables import generations, profiles, quarantine
from cleaver.saves.versions import Versions

_COLUMNS = ("player", "slot", "revision", "fence", "version", "checksum", "saved", "body", "before", "chain")
_KEEP = (
    f"INSERT INTO cleaver_generations ({', '.join(_COLUMNS)}) "
    f"VALUES ({', '.join(f'{{{name}}}' for name in _COLUMNS)}) ON CONFLICT (player, slot) DO UPDATE SET "
    + ", ".join(f"{name} = excluded.{name}" for name in _COLUMNS[2:])
)
_ADVANCE = (
    "UPDATE cleaver_profiles SET revision = {revision}, chain = {chain} WHERE player = {player} AND revision "
    "= {revision} - 1 AND fence = {fence}"
)


class GenerationRing:
    """The generations of one store: *kept* of each player, under the store's *id*; *now* gives the seconds
    since 1970."""

    id: str
    kept: int
    versions: Versions

    def __init__(
        self, id: str, kept: int, versions: Versions, server: bool, now: Callable[[], float]
    ) -> None:
        self.id, self.kept, self.versions, self._now = id, kept, versions, now
        mark = "%({0})s" if server else ":{0}"
        marks = {name: mark.format(name) for name in _COLUMNS}
        self._advance, self._keep = _ADVANCE.format(**marks), _KEEP.format(**marks)

    # reading

    def load(self, connection: Connection, player: str, missing: int) -> Found | Absent | DamagedProfile:
        """Return what is saved of a player, carried over to the design's version; *missing* is how many
        transactions the whole store has lost."""
        head = connection.execute(
            select(profiles.c.revision, profiles.c.chain).where(profiles.c.player == player)
        ).first()
        rows = connection.execute(
            select(generations).where(generations.c.player == player).order_by(generations.c.revision.desc())
        ).all()
        if (head is None or head.revision == 0) and not rows:
            return Absent(player)
        if head is None:
            return DamagedProfile(player, ("its generations are there, but not its row",))
        wrong = _not_together(head, rows)
        if wrong:
            return DamagedProfile(player, (wrong,))
        bad: list[int] = []
        tried: list[str] = []
        if not rows or rows[0].revision < head.revision:
            bad.append(head.revision)
            tried.append(f"revision {head.revision}: it is not there")
        for row in rows:
            try:
                profile = self.read(player, row)
            except SaveError as error:
                bad.append(row.revision)
                tried.append(f"revision {row.revision}: {error}")
                continue
            return Found(self.versions.carry(profile), row.revision, tuple(bad), missing)
        return DamagedProfile(player, tuple(tried))

    def read(self, player: str, row: Any) -> Profile:
        """Return the profile in one generation; raises where it is not what was written."""
        if not isinstance(row.body, bytes):
            raise SaveError("its body is no longer bytes")
        if document.checksum(player, row.revision, row.version, row.body) != row.checksum:
            raise SaveError("its checksum does not match")
        if row.chain is not None and row.chain != chain_link(
            self.id, player, row.revision, row.before or "", row.checksum
        ):
            raise SaveError("it is another store's, or was altered")
        profile = document.decode(row.body)
        if profile.player != player or profile.version != row.version:
            raise SaveError(f"it is the profile of {profile.player}, version {profile.version}")
        return profile

    def one(self, connection: Connection, player: str, revision: int) -> Any:
        """Return one generation of a player; None where it is not kept."""
        here = (generations.c.player == player) & (generations.c.revision == revision)
        return connection.execute(select(generations).where(here)).first()

    def newest(self, connection: Connection, player: str) -> bytes | None:
        """Return the newest generation of a player as it stands there, unread."""
        newest = select(generations.c.body).where(generations.c.player == player)
        found = connection.execute(newest.order_by(generations.c.revision.desc()).limit(1)).scalar()
        return found if isinstance(found, bytes) else None

    def kept_of(self, connection: Connection, player: str) -> list[tuple[int, float, int]]:
        """Return (revision, when, bytes) of each generation of a player, newest first."""
        columns = (generations.c.revision, generations.c.saved, func.length(generations.c.body))
        here = select(*columns).where(generations.c.player == player)
        rows = connection.execute(here.order_by(generations.c.revision.desc())).all()
        return [(row[0], row[1], row[2]) for row in rows]

    def wrong(self, connection: Connection) -> list[tuple[str, str]]:
        """Return (player, what is wrong) for everybody, every generation read."""
        heads = {row.player: row for row in connection.execute(select(profiles))}
        by_player: dict[str, list[Any]] = {}
        for row in connection.execute(select(generations).order_by(generations.c.revision.desc())):
            by_player.setdefault(row.player, []).append(row)
        found = [
            (player, what)
            for player, rows in sorted(by_player.items())
            for what in self._wrong_of(player, heads.get(player), rows)
        ]
        return found + [
            (player, f"revision {head.revision} is not there")
            for player, head in sorted(heads.items())
            if head.revision and player not in by_player
        ]

    def _wrong_of(self, player: str, head: Any, rows: Sequence[Any]) -> Iterator[str]:
        """Yield what is wrong with one player's generations, newest first, and its row."""
        if head is None:
            yield "its generations are there, but not its row"
        else:
            wrong = _not_together(head, rows)
            if wrong:
                yield wrong
            elif rows[0].revision < head.revision:
                yield f"revision {head.revision} is not there"
        later: Any = None
        for row in rows:
            try:
                self.read(player, row)
            except SaveError as error:
                yield f"revision {row.revision}: {error}"
            links = (row.chain, later.before) if later is not None else (None, None)
            follows = later is not None and later.revision == row.revision + 1
            if follows and None not in links and links[0] != links[1]:
                yield f"revision {later.revision} does not follow on the revision {row.revision} that is here"
            later = row

    # writing

    def row(self, write: Write, revision: int, chain: str | None = None) -> Row:
        """Return one generation as it is to be written; *chain* is the link before it, unless that is the one
        known."""
        held = write.held
        check = document.checksum(held.player, revision, write.profile.version, write.body)
        before = held.chain if chain is None else chain
        return {
            "player": held.player,
            "slot": revision % self.kept,
            "revision": revision,
            "fence": held.fence,
            "version": write.profile.version,
            "checksum": check,
            "saved": self._now(),
            "body": write.body,
            "before": before,
            "chain": chain_link(self.id, held.player, revision, before, check),
        }

    def write(self, connection: Connection, writes: Sequence[Write], rows: list[Row]) -> bool:
        """Write several generations; returns whether all of them were the next of whoever may write them."""
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

    def write_group(self, connection: Connection, writes: Sequence[Write]) -> list[Row | SaveError]:
        """Write a few profiles, all or none: those that look stale are looked at one by one."""
        with connection.begin_nested() as point:
            found = [self._write_one(connection, write) for write in writes]
            refused = [
                write.held.player
                for write, one in zip(writes, found, strict=True)
                if isinstance(one, SaveError)
            ]
            if not refused:
                return found
            point.rollback()
        because = SaveError(
            f"it is written together with the profile of {refused[0]}, which was refused; nothing was written"
        )
        return [one if isinstance(one, SaveError) else because for one in found]

    def _write_one(self, connection: Connection, write: Write) -> Row | SaveError:
        held, row = write.held, self.row(write, write.held.revision + 1)
        if self.write(connection, [write], [row]):
            return row
        found = connection.execute(
            select(profiles.c.revision, profiles.c.fence, profiles.c.chain, generations.c.checksum)
            .join(
                generations,
                (generations.c.player == profiles.c.player) & (generations.c.revision == profiles.c.revision),
                isouter=True,
            )
            .where(profiles.c.player == held.player)
        ).first()
        mine = found is not None and found.fence == held.fence  # a fence is given once
        if found is not None and mine and found.revision > held.revision:
            # It is our own commit whose answer was lost; what is to be saved may have changed since.
            if (found.revision, found.checksum) == (row["revision"], row["checksum"]):
                return row
            row = self.row(write, found.revision + 1, found.chain or "")
            if self.write(connection, [write], [row]):
                return row
        held.lost = True
        if found is not None and mine:
            return ProfileStaleError(
                f"profile {held.player} has gone back from revision {held.revision} to {found.revision}: an "
                "older store was put in place of the one that was open. Nothing was written; start the game "
                "anew"
            )
        return ProfileStaleError(
            f"profile {held.player} was taken over by another process since; what this one had was not "
            "written over it. Let the player join again"
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
                        player=row.player, revision=row.revision, found=self._now(), body=body
                    )
                )
            connection.execute(delete(generations).where(here))

    @staticmethod
    def done(write: Write, row: Row) -> SaveInfo:
        """Note in what is held that a generation is in the store."""
        held = write.held
        held.revision, held.chain = row["revision"], row["chain"]
        held.outcome = Found(write.profile, row["revision"])
        return SaveInfo(held.player, row["revision"], len(write.body), row["checksum"])


def _not_together(head: Any, rows: Sequence[Any]) -> str:
    """Return in what way a player's row does not fit its generations, newest first; "" where it does, as far
    as can be known."""
    if rows and rows[0].revision > head.revision:
        return f"its row says revision {head.revision}, and revision {rows[0].revision} is there"
    links = (rows[0].chain, head.chain) if rows and rows[0].revision == head.revision else (None, None)
    if None not in links and links[0] != links[1]:
        return f"revision {head.revision} is not the one that was saved last"
    return ""
