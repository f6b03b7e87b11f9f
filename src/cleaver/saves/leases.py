"""Leases: which process has which player.

A process is one row with a time until which it counts, renewed as long as it runs. Times are those of the
database's own clock, so that several machines need not agree on theirs. A process that is dead on the same
machine is known at once. Start at `Leases.take`.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import Connection, bindparam, delete, func, select, text, update
from sqlalchemy.dialects import postgresql, sqlite

from cleaver.errors import ProfileBusyError
from cleaver.saves.outcomes import Holder
from cleaver.saves.processes import Process, this
from cleaver.saves.tables import holders, profiles

_ROW = (profiles.c.revision, profiles.c.fence, profiles.c.chain)


class Leases:
    """The leases of one process in one store; each call is given the transaction it works in."""

    holder: str
    name: str
    lease: float

    def __init__(
        self, holder: str, name: str, lease: float, clock: Callable[[], float] | None, server: bool
    ) -> None:
        self.holder, self.name, self.lease = holder, name, lease
        self._clock, self._server = clock, server
        self._insert: Any = postgresql.insert if server else sqlite.insert
        self._fresh_until = 0.0  # of `time.monotonic`: until then the lease need not be renewed
        self._process = this()

    def now(self, connection: Connection) -> float:
        """Return the seconds since 1970, by the clock of the database (SQLite's is the machine's)."""
        if self._clock is not None:
            return self._clock()
        if self._server:
            return float(
                connection.execute(text("SELECT extract(epoch FROM clock_timestamp())")).scalar() or 0
            )
        return time.time()

    def local(self) -> float:
        """Return the seconds since 1970, by the machine's clock."""
        return time.time() if self._clock is None else self._clock()

    def register(self, connection: Connection, *, anew: bool = True) -> None:
        """Renew this process's lease; where not *anew*, only if half of it is over."""
        if not anew and time.monotonic() < self._fresh_until and self._clock is None:
            return
        until, process = self.now(connection) + self.lease, self._process
        row = {
            "until": until,
            "name": self.name,
            "machine": process.machine,
            "namespace": process.namespace,
            "process": process.number,
            "started": process.started,
        }
        if not self._fresh_until:  # once a run: what others have left behind
            gone = [one.id for one in self.all(connection) if not one.players and (one.dead or one.left <= 0)]
            if gone:
                connection.execute(delete(holders).where(holders.c.holder.in_(gone)))
        statement = self._insert(holders).values(holder=self.holder, **row)
        connection.execute(statement.on_conflict_do_update(index_elements=["holder"], set_=row))
        self._fresh_until = time.monotonic() + self.lease / 2

    def take(
        self, connection: Connection, player: str, heir_of: str, first_fence: int
    ) -> tuple[int, int, str]:
        """Take a player for this process; returns its revision, the new fence and the last link of its chain.

        Raises:
            ProfileBusyError: Another process that lives has it.
        """
        # The row is there before it is locked, so that two who ask at the same time take turns with it.
        made = self._insert(profiles).values(player=player, revision=0, fence=first_fence)
        connection.execute(made.on_conflict_do_nothing(index_elements=["player"]))
        here = profiles.c.player == player
        row = connection.execute(select(*_ROW).where(here).with_for_update()).one()
        busy = self.holder_of(connection, player, heir_of)
        if busy is not None:
            raise ProfileBusyError(player, busy.name, busy.left)
        self.register(connection, anew=False)
        connection.execute(
            update(profiles).where(here).values(fence=row.fence + 1, holder=self.holder, wanted=None)
        )
        return row.revision, row.fence + 1, row.chain or ""

    def holder_of(self, connection: Connection, player: str, heir_of: str = "") -> Holder | None:
        """Return which other process that lives has a player; None where nobody has."""
        row = connection.execute(
            select(holders)
            .join(profiles, profiles.c.holder == holders.c.holder)
            .where(profiles.c.player == player)
        ).first()
        if row is None or row.holder in (self.holder, heir_of) or _process(row).dead:
            return None
        left = _seconds(row.until) - self.now(connection)
        return Holder(row.name, left) if left > 0 else None

    def release(self, connection: Connection, taken: Sequence[tuple[str, int]]) -> None:
        """Let others have players, each given with the fence it was taken under."""
        here = (profiles.c.player == bindparam("who")) & (profiles.c.fence == bindparam("mark"))
        rows = [{"who": player, "mark": fence} for player, fence in taken]
        # The row stays, also of one who was never saved: its fence must never be given again.
        connection.execute(update(profiles).where(here).values(holder=None), rows)

    def release_all(self, connection: Connection) -> None:
        """Let others have all that this process has."""
        connection.execute(update(profiles).where(profiles.c.holder == self.holder).values(holder=None))
        connection.execute(delete(holders).where(holders.c.holder == self.holder))

    def all(self, connection: Connection) -> list[Holder]:
        """Return every process with a lease, by name, also one that is dead or over."""
        now = self.now(connection)
        count = func.count(profiles.c.player)
        rows = connection.execute(
            select(*holders.c, count.label("players"))
            .join(profiles, profiles.c.holder == holders.c.holder, isouter=True)
            .group_by(*holders.c)
            .order_by(holders.c.name)
        ).all()
        return [
            Holder(row.name, _seconds(row.until) - now, row.players, _process(row).dead, row.holder)
            for row in rows
        ]

    def free(self, connection: Connection, holder: str) -> int:
        """Take everything from a process, whatever its lease says; returns how many players."""
        # A new fence, or the process could go on writing what others take now.
        here = profiles.c.holder == holder
        changed = connection.execute(
            update(profiles).where(here).values(holder=None, fence=profiles.c.fence + 1)
        )
        connection.execute(delete(holders).where(holders.c.holder == holder))
        return changed.rowcount

    def ask(self, connection: Connection, player: str) -> None:
        """Ask whoever has a player to let it go."""
        connection.execute(update(profiles).where(profiles.c.player == player).values(wanted=self.name))

    def is_wanted(self, connection: Connection) -> bool:
        """Return whether others ask for any of this process's players."""
        here = (profiles.c.holder == self.holder) & profiles.c.wanted.is_not(None)
        return connection.execute(select(profiles.c.player).where(here).limit(1)).first() is not None

    def wanted(self, connection: Connection) -> list[tuple[str, str]]:
        """Return (player, who asks) of this process's players that others ask for, once each."""
        here = (profiles.c.holder == self.holder) & profiles.c.wanted.is_not(None)
        found = [
            tuple(row) for row in connection.execute(select(profiles.c.player, profiles.c.wanted).where(here))
        ]
        if found:
            connection.execute(update(profiles).where(here).values(wanted=None))
        return [(player, who) for player, who in found]


def _process(row: Any) -> Process:
    return Process(row.machine or "", row.namespace or "", row.process or 0, row.started or "")


def _seconds(value: Any) -> float:
    """Return a time as it stands in a row; one that was spoilt is over."""
    return float(value) if isinstance(value, (int, float)) else 0.0
