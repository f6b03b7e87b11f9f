"""Saver: players whose saves are looked after while a game runs. Start at `Saver.pump`."""

from __future__ import annotations

import asyncio
import os
import time
import weakref
from collections import deque
from collections.abc import Callable, Collection, Mapping
from functools import partial
from math import inf
from pathlib import Path
from typing import Any, Literal

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import TEXT, WORLD, checked, finite
from cleaver.core.kernel.door import Door
from cleaver.core.kernel.gathered import only
from cleaver.core.world import World
from cleaver.errors import AmountError, CleaverError, ReactionError, UsageError, said, unreadable
from cleaver.rounding import counted
from cleaver.saves.awaiting import off_loop, taken
from cleaver.saves.backups import Backups
from cleaver.saves.chores import Chores
from cleaver.saves.ending import uncut
from cleaver.saves.held import Held
from cleaver.saves.outcomes import Found
from cleaver.saves.reports import Failure, Metric, Reports, log
from cleaver.saves.spool import Note, Spool
from cleaver.saves.store import Store
from cleaver.saves.tracked import Tracked
from cleaver.saves.unsaved import Unsaved
from cleaver.saves.writer import Batch, Writer

WHO = "an autosaver"
BUDGET = 0.002  # seconds of a frame
TRIES = 3  # to write a player who changes while the writing is awaited
SaveState = Literal["saved", "unsaved", "saving", "waiting", "failed"]
_OPEN: weakref.WeakSet[Any] = weakref.WeakSet()
"""The savers that are open."""


def _folder(store: Store, spool: str | Path) -> Path | None:
    if not isinstance(spool, (str, Path)):
        raise UsageError(f"the spool is {said(spool)}; it must be the path of a folder")
    if spool:
        folder = Path(spool)
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise UsageError(
                f"the spool {folder} {unreadable(error)}; name a folder that can be made"
            ) from None
        return folder
    if store.path is not None:
        return store.path.parent
    return Path() if store.engine.dialect.name != "sqlite" else None


class Saver:
    """What looks after the saves of players, without its end."""

    store: Store
    interval: float
    clock: Callable[[], float]

    def __init__(
        self,
        store: Store,
        *,
        interval: float = 10.0,
        on_failure: Callable[[Failure], None] | None = None,
        on_recovery: Callable[[str, str], None] | None = None,
        on_metric: Callable[[Metric, float], None] | None = None,
        threaded: bool = True,
        clock: Callable[[], float] = time.monotonic,
        spool: str | Path = "",
        backups: str | Path = "",
        every: float = 3600.0,
        keep: int = 24,
        on_request: Callable[[str, str], None] | None = None,
    ) -> None:
        if not isinstance(store, Store):
            raise UsageError(f"a saver needs a store, not {said(store)}; open one with open_store")
        if not (finite(interval) and interval >= 0):
            raise AmountError("interval", interval, "a number of seconds, 0 or more")
        folder = _folder(store, spool)
        self.store, self.interval, self.clock = store, interval, clock
        self._door = Door()  # its own calls that are under way
        self._pid = os.getpid()
        self._reports = Reports(on_failure, on_recovery, on_metric)
        self._writer = Writer(store, threaded=threaded)
        self._unsaved = Unsaved(self._writer, self._reports, interval, clock)
        self._joining: set[str] = set()  # players whose profile is being read in a thread
        self._chores = Chores(store, self._writer, clock)
        if backups:
            self._chores.back_up(Backups(store, Path(backups), every, keep))
        self._on_request = on_request
        self._end_by = inf  # of `time.monotonic`: when the process must have ended
        self._spool = Spool(store, folder)
        _OPEN.add(self)
        self._spool.look()
        self._notes: deque[Note] = deque(self._spool.take_back())  # not reported yet
        self._report_notes()

    @property
    def writes(self) -> int:
        """How many saves have been made."""
        return self._unsaved.writes

    @uncut
    @checked(world=WORLD, player=TEXT, kind=TEXT, team=TEXT)
    def join(self, world: World, player: str, kind: str = "", *, team: str = "") -> Actor:
        """Take a player's profile and let it enter *world* with it; one that is there already gets what was
        saved.

        Raises:
            ProfileBusyError: Another process has it.
            ProfileDamagedError: It cannot be read; nothing was taken, and saving it is refused.
        """
        self._refuse_twice(player)
        return self._track(world, player, kind, team, self._hold(player))

    async def join_async(
        self, world: World, player: str, kind: str = "", *, team: str = "", wait: float = 0.0
    ) -> Actor:
        """As `join`, in an asyncio loop: the profile is read in a thread of the loop.

        Args:
            world: Where the player comes in.
            player: Its id.
            kind: Its kind.
            team: Its team.
            wait: Seconds that another process which has the player gets to hand it over; it is asked.

        Raises:
            ProfileBusyError: It still has the player then.
        """
        return self._track(world, player, kind, team, await self._hold_async(player, wait))

    async def _hold_async(self, player: str, wait: float) -> Held:
        """Take a player's profile in a thread of the loop."""
        self._refuse_twice(player)
        self._joining.add(player)
        try:
            return await taken(self.store, player, partial(self._hold, player), wait)
        finally:
            self._joining.discard(player)

    @uncut
    def hand_over(self, players: Collection[str]) -> Failure | None:
        """Write what some players have unsaved, and look after them no more; returns the failure if somebody
        could not be saved, and then all of them are looked after as before. Their leases stay, for whoever
        goes on with them: see `inherit`."""
        for player in players:
            failure = self.flush(player)
            if failure is not None:
                return failure
        for player in players:
            self._unsaved.drop(player)
        return None

    @uncut
    def inherit(self, world: World, players: Collection[str], heir_of: str) -> None:
        """Look after players who stand in *world*, in place of another process that has handed them over; all
        of them or none.

        Args:
            world: Where they stand.
            players: Who.
            heir_of: The `holder` of that process's store; what it would still write is refused from now on.

        Raises:
            ProfileBusyError: A third process has one of them.
        """
        helds: list[Held] = []
        try:
            for player in players:
                self._refuse_twice(player)
                helds.append(self.store.hold(player, WHO, heir_of=heir_of))
        except BaseException:
            self.store.release(helds)
            raise
        for held in helds:
            self._go_on(world, held)

    def _go_on(self, world: World, held: Held) -> None:
        """Look after a player who stands in a world, as it is there."""
        self._unsaved.add(Tracked(world, held.player, held))
        self.touch(held.player)

    def held(self, player: str) -> Held | None:
        """Return what is held of a player: its profile as it was read, and the revision that was saved last;
        None where nobody looks after it."""
        entry = self._unsaved.entries.get(player)
        return None if entry is None else entry.held

    async def resume_async(self, world: World, player: str, revision: int, *, wait: float = 0.0) -> bool:
        """Look after a player again who stands in *world* after a crash, and is as new there as in the store.

        Args:
            world: Where it stands.
            player: Who.
            revision: Of the last save that the world knows of.
            wait: Seconds that another process which has the player gets to hand it over; it is asked.

        Returns:
            False where the store has a newer one, or the player has left meanwhile: nothing is held then, and
            the player is to join anew.

        Raises:
            ProfileBusyError: Another process has it.
            ProfileDamagedError: It cannot be read.
        """
        held = await self._hold_async(player, wait)
        if held.revision > revision or player not in read.parts(world).stage.players:
            await off_loop(held.release)
            return False
        self._go_on(world, held)
        self._report_notes()
        return True

    def _refuse_twice(self, player: str) -> None:
        if player in self._unsaved.entries or player in self._joining:
            raise UsageError(f"{player} is being saved already")

    def _hold(self, player: str) -> Held:
        """Take a player's profile. This may be another thread: what is to be reported waits for the game's
        own."""
        if player in self._spool.waiting:
            self._notes.extend(self._spool.take_back(player))
        held = self.store.hold(player, WHO)
        if isinstance(held.outcome, Found) and held.outcome.note:
            self._notes.append((player, held.outcome.note))
        return held

    def _report_notes(self) -> None:
        while self._notes:
            self._reports.recovered(*self._notes.popleft())

    def _track(self, world: World, player: str, kind: str, team: str, held: Held) -> Actor:
        raised: ReactionError | None = None
        try:
            self._enter(world, player, kind, team, held)
        except ReactionError as error:  # the player is there; a listener or a rule failed after that
            raised = error
        except CleaverError:
            held.release()
            raise
        if player not in read.parts(world).stage.actors:  # a listener took it out again
            held.release()
            raise raised or UsageError(f"{player} left the world while joining it")
        self._unsaved.add(Tracked(world, player, held))
        self._report_notes()
        if raised is not None:
            raise raised
        return world.actor(player)

    @uncut
    def move(self, player: str, world: World, kind: str = "", *, team: str = "") -> Actor:
        """Let a player go from its world into another, with all that is kept, without a save and a load.

        Args:
            player: Who.
            world: Where to.
            kind: As what; as what it is now by default.
            team: For which team; for the same one by default, where the new world has it.

        Raises:
            CleaverError: The new world does not take it; nothing has changed.
        """
        entry = self._unsaved.entry(player)
        old, actor = entry.world, entry.world.actor(player)
        read.parts(old).stage.idle("moving a player")  # or it would be in both
        if old is world:
            raise UsageError(f"{player} is in that world already")
        same = actor.team if actor.team in read.parts(world).kinds.teams else ""
        raised: list[Exception] = []
        try:
            world.join(kind or actor.kind, player, team=team or same, profile=old.profile(actor))
        except ReactionError as error:  # it is there; a listener or a rule failed after that
            raised.append(error)
        self._unsaved.hear_no_more(entry)
        try:
            old.leave(actor)
        except ReactionError as error:
            raised.append(error)
        entry.world = world
        self._unsaved.hear(entry)
        self.touch(player)
        if raised:
            raise only(raised)
        return world.actor(player)

    @staticmethod
    def _enter(world: World, player: str, kind: str, team: str, held: Held) -> None:
        if player in read.parts(world).stage.actors:
            if held.profile is not None:
                world.take_back(world.actor(player), held.profile)
            return
        kinds = [name for name, found in read.parts(world).stage.kinds.actors.items() if found.player]
        if not kind and len(kinds) != 1:
            raise UsageError(f"{player} enters as what? the player kinds are: {', '.join(kinds)}")
        world.join(kind or kinds[0], player, team=team, profile=held.profile)

    def touch(self, player: str) -> None:
        """Note that a player has changed in a way no event tells of (a saved meter that flows)."""
        self._unsaved.touch(self._unsaved.entry(player))

    def state_of(self, player: str) -> tuple[SaveState, str]:
        """Return (state, why) of a player's saves: "saved", "unsaved", "saving", "waiting" (to try again) or
        "failed"."""
        entry = self._unsaved.entries.get(player)
        if entry is None:
            return "unsaved", "nobody is saving this player"
        if entry.held.lost:
            return "failed", "another process has taken the profile over"
        if entry.unfit:
            return "failed", "something in the profile cannot be saved"
        if entry.flying:
            return "saving", ""
        if entry.failures:
            wait = max(entry.wait_until - self.clock(), 0)
            return "waiting", f"tried {counted(entry.failures, 'time')}, again in {wait:.1f} s"
        return ("unsaved", "") if entry.changed else ("saved", "")

    def before_writing(self, call: Callable[[], None]) -> Callable[[], None]:
        """Call a function before profiles are given out to be written: for what must be on the disk before
        them, such as the journal of what they come from. Returns a function that ends this."""
        return self.about_to_write(lambda revisions: call())

    def about_to_write(self, call: Callable[[Mapping[str, int]], None]) -> Callable[[], None]:
        """As `before_writing`, for a function that is given who is about to be written, by id, and as which
        revision."""
        self._unsaved.before.append(call)
        return partial(self._unsaved.before.remove, call)

    @uncut
    def pump(self, budget: float = BUDGET) -> int:
        """Take in what was written, and give out what is due, for at most about *budget* seconds; returns how
        many were given out.

        It never waits for a lock that another program or thread has for longer than that.
        """
        until, given = time.perf_counter() + budget, 0
        self._unsaved.take_in()
        self._writer.look_after()
        self._writer.keep_house(self._chores.due(bool(self._unsaved.entries)))
        while self._unsaved.waiting and not self._writer.full:
            # Where there is no thread, the frame itself would wait for a lock.
            patience = None if self._writer.threaded else max(until - time.perf_counter(), 0.0)
            batch = self._unsaved.gather(until, patience)
            if batch is None:
                break
            given += len(batch.writes)
            self._writer.give(batch)
            self._unsaved.take_in()
            if time.perf_counter() > until:
                break
        self._report_notes()
        self._hear_requests()
        self._unsaved.raise_errors()
        return given

    async def pump_async(self, budget: float = BUDGET) -> int:
        """As `pump`, in an asyncio loop: encoding here, the writing in a thread of the loop."""
        until, given = time.perf_counter() + budget, 0
        self._unsaved.take_in()
        await self._writer.keep_house_async(self._chores.due(bool(self._unsaved.entries)))
        while self._unsaved.waiting:
            batch = self._unsaved.gather(until)
            if batch is None:
                break
            given += len(batch.writes)
            await self._writer.give_async(batch)
            self._unsaved.take_in()
            until = time.perf_counter() + budget  # others had their turn meanwhile
        self._report_notes()
        self._hear_requests()
        self._unsaved.raise_errors()
        return given

    def _hear_requests(self) -> None:
        for player, who in self._chores.requests():
            if self._on_request is not None and player in self._unsaved.entries:
                try:
                    self._on_request(player, who)
                except Exception:  # somebody else's code costs nobody a save
                    log.exception("on_request failed for %s, asked for by %s", player, who)

    @uncut
    def flush(self, player: str) -> Failure | None:
        """Write what a player has unsaved, now; returns the failure if it could not be."""
        entry = self._unsaved.entry(player)
        self._await(entry.mates, inf)
        self._write_now(self._unsaved.last_of([entry]))
        return entry.failure()

    def _write_now(self, batch: Batch | None) -> None:
        if batch is not None:
            self._writer.give(batch, now=True)
            self._unsaved.take_in()

    def _await(self, entries: list[Tracked], until: float) -> None:
        """Wait until none of these is being written, or the time is over."""
        self._unsaved.take_in()
        while self._still(entries) and time.monotonic() < min(until, self._end_by):
            time.sleep(0.001)
            self._unsaved.take_in()

    async def _await_async(self, entries: list[Tracked], until: float) -> None:
        self._unsaved.take_in()
        while self._still(entries) and time.monotonic() < until:
            await asyncio.sleep(0.001)
            self._unsaved.take_in()

    def _still(self, entries: list[Tracked]) -> bool:
        if self._writer.idle:  # where a pump was cut short, nobody is writing what it had encoded
            self._unsaved.grounded()
        return any(entry.flying for entry in entries)
