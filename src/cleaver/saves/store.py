"""Stores: where profiles are kept, revision by revision, each written by one process at a time.

A save is one conditional update of the profile's row and one slot of its ring of generations, in one
transaction; a batch is executemany of both. A read that fails is never an empty profile. Start at
`open_store` and `Store.hold`.
"""

from __future__ import annotations

import os
import socket
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from secrets import randbelow
from typing import Any

from sqlalchemy import Connection, delete, text

from cleaver.core.kept import LARGEST
from cleaver.core.kernel.arguments import PROFILE, TEXT, checked, finite, line, whole
from cleaver.core.kernel.arguments import text as text_of
from cleaver.core.profile import Profile
from cleaver.design.design import Design
from cleaver.errors import AmountError, SaveError, UnknownNameError, UsageError, said
from cleaver.rounding import counted
from cleaver.saves.boards import checked_count, checked_score
from cleaver.saves.files import copy_into
from cleaver.saves.held import Held
from cleaver.saves.opened import to_name
from cleaver.saves.outcomes import Correction, Found, HighScore, SaveInfo
from cleaver.saves.tables import audit, generations, profiles, quarantine
from cleaver.saves.trail import change
from cleaver.saves.versions import Step, Versions
from cleaver.saves.writing import FENCES, WritingStore

LEASE = 30.0  # seconds that a process may be silent before others may take its profiles
LONGEST_BOARD = 100  # letters


def _board(value: object) -> None:
    """Refuse what can be no board's name, or is too long for one: the same for every store."""
    to_name(line("the name of the board", value, LONGEST_BOARD), "the name of the board")


class Store(WritingStore):
    """Profiles in a database. Made by `open_store`; close it, or use it in a `with`."""

    closed: bool

    # writing

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
        to_name(player)
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
            to_name(player)
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
        to_name(player)
        with self._looking() as connection:
            return self._boards.rank(connection, board, player)

    def scores_around(self, board: str, player: str, each: int = 2) -> list[HighScore]:
        """Return the rows around a player's on a leaderboard, *each* before it and after it.

        Raises:
            UnknownNameError: The player has no score there.
        """
        _board(board)
        to_name(player)
        checked_count("each", each)
        with self._looking(one_instant=True) as connection:
            return self._boards.around(connection, board, player, each)

    def end_season(self, board: str, season: str) -> str:
        """Close a season of a leaderboard: its rows can still be read, under the name that is returned
        (``"board/season"``), and the board begins anew."""
        _board(board)
        to_name(season, "the name of the season")
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
