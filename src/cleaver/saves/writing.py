"""Writing: who holds a player, and what is written of it. Start at `WritingStore.save_groups`."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from secrets import randbelow
from typing import Any

from sqlalchemy import Connection

from cleaver.core.kept import look_at_section
from cleaver.core.profile import Profile
from cleaver.errors import CleaverError, ProfileDamagedError, SaveError, StoreBusyError, UsageError
from cleaver.rounding import counted
from cleaver.saves import document
from cleaver.saves.engines import FAULTS, SPOILT, trouble
from cleaver.saves.held import Held, Row, Write
from cleaver.saves.opened import CHANGED, OpenedStore, to_name
from cleaver.saves.outcomes import Absent, DamagedProfile, Holder, SaveInfo
from cleaver.saves.tables import COMMITS, meta

FENCES = 2**40  # a player's first fence is drawn, so that none is given twice to one who was forgotten
COUNT_UP = f"{CHANGED} OR key = '{COMMITS}'"
COUNTED = f"SELECT value FROM {meta.name} WHERE key = '{COMMITS}'"


class WritingStore(OpenedStore):
    """A store to write into, by who holds the players."""

    missing: int

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
        to_name(player)
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
        to_name(player)
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
                f"{player} is held by {mine.who} already; save through that (flush, or held.save), or "
                "let it go first"
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
        look_at_section(profile.player, profile.sections)
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
        driver.execute(COUNT_UP)
        return int(driver.execute(COUNTED).fetchone()[0])

    def _counted(self, count: int) -> None:
        """Note beside the store that a transaction is in it; never less than was noted before."""
        if self._counter is not None and self.path is not None:
            self._keep_log(self.path)
            if self.missing:
                self.missing = max(self._counter.read() - count, 0)
            if not self.missing:
                self._counter.write(count)
