"""Autosave: saves spaced and gathered while a game runs, and flushed when a player leaves or the game ends.

Profiles are encoded on the game's own thread at a frame boundary, so that each is a consistent picture; a
writer thread does nothing but I/O. Without a thread the same class works inline, and in an asyncio loop.
Start at `Autosaver`.
"""

from __future__ import annotations

import asyncio
import logging
import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from heapq import heappop, heappush
from types import FrameType
from typing import Literal

from cleaver.core.handles import Actor
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.stage import only
from cleaver.core.world import World
from cleaver.errors import (
    AmountError,
    CleaverError,
    ProfileStaleError,
    ReactionError,
    SaveError,
    StoreReadOnlyError,
    UsageError,
    said,
)
from cleaver.rounding import counted
from cleaver.saves.outcomes import Found, SaveInfo
from cleaver.saves.store import Held, Store, Write
from cleaver.saves.tracked import Batch, Failure, Tracked
from cleaver.saves.writer import Result, Writer

BATCH = 100  # profiles in one transaction
BACKOFF = (0.5, 30.0)  # seconds: the first wait after a failure, the longest
WHO = "an autosaver"
TRIES = 3  # to write a player who changes while the writing is awaited
CLOSING = 30.0  # seconds that closing takes at most
log = logging.getLogger("cleaver.saves")
_ALWAYS = ("saved",)  # events that change nothing that is kept
SaveState = Literal["saved", "unsaved", "saving", "waiting", "failed"]


class Autosaver:
    """Saves the players of a game as they change.

    A change is written at once where the last write is long enough ago, else when it is; leaving and closing
    flush regardless. Call `pump` once a frame, from the game's own thread.

    Args:
        store: Where to.
        interval: Seconds between two writes of one player, at least.
        on_failure: Called with each `Failure`; a final one once. Without it, failures are logged as errors
            (`cleaver.saves`). What it raises is logged too, and costs nobody a save.
        on_recovery: Called with (player, what was recovered) on joining, where the newest generation was
            damaged; it is logged as a warning either way.
        threaded: Whether a thread of its own does the writing.
        clock: Seconds, never going back.
    """

    store: Store
    interval: float
    clock: Callable[[], float]
    writes: int

    def __init__(
        self,
        store: Store,
        *,
        interval: float = 10.0,
        on_failure: Callable[[Failure], None] | None = None,
        on_recovery: Callable[[str, str], None] | None = None,
        threaded: bool = True,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        if not interval >= 0:
            raise AmountError("interval", interval, "a number of seconds, 0 or more")
        self.store, self.interval, self.clock = store, interval, clock
        self._tell, self._tell_recovery = on_failure, on_recovery
        self._raised: list[Exception] = []  # by listeners of `saved`: raised once everybody's saves are done
        self._entries: dict[str, Tracked] = {}
        self._joining: set[str] = set()  # players whose profile is being read in a thread
        self._heap: list[tuple[float, int, str]] = []
        self._serial = 0
        self._renewed = clock()
        self._writer = Writer(store, threaded=threaded)
        self.writes = 0

    # players

    def join(self, world: World, player: str, kind: str = "", *, team: str = "") -> Actor:
        """Take a player's profile and let it enter *world* with it; one that is there already gets what was
        saved.

        Raises:
            ProfileBusyError: Another process has it.
            ProfileDamagedError: It cannot be read; nothing was taken, and saving it is refused.
        """
        self._refuse_twice(player)
        return self._track(world, player, kind, team, self.store.hold(player, WHO))

    async def join_async(self, world: World, player: str, kind: str = "", *, team: str = "") -> Actor:
        """As `join`, in an asyncio loop: the profile is read in a thread of the loop."""
        self._refuse_twice(player)
        self._joining.add(player)
        holding = asyncio.ensure_future(asyncio.to_thread(self.store.hold, player, WHO))
        try:
            held = await asyncio.shield(holding)
        except asyncio.CancelledError:
            holding.add_done_callback(_give_back)  # nobody waits for it any more
            raise
        finally:
            self._joining.discard(player)
        return self._track(world, player, kind, team, held)

    def _refuse_twice(self, player: str) -> None:
        if player in self._entries or player in self._joining:
            raise UsageError(f"{player} is being saved already")

    def _track(self, world: World, player: str, kind: str, team: str, held: Held) -> Actor:
        raised: ReactionError | None = None
        try:
            self._enter(world, player, kind, team, held)
        except ReactionError as error:  # the player is there; a listener or a rule failed after that
            raised = error
        except CleaverError:
            held.release()
            raise
        if player not in world.stage.actors:  # a listener took it out again
            held.release()
            raise raised or UsageError(f"{player} left the world while joining it")
        entry = self._entries[player] = Tracked(world, player, held)
        self._hear(entry)
        self._tell_recovered(held)
        if raised is not None:
            raise raised
        return world.actor(player)

    def _hear(self, entry: Tracked) -> None:
        """Listen to everything that happens to a player."""
        world = entry.world
        known, actor = world.kinds.known.events, world.actor(entry.player)
        for name in world.event_names:
            if name not in _ALWAYS and not known[name].seen_from:
                entry.listening.append(world.listen(name, self._changed, actor=actor))

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
        entry = self._entry(player)
        old, actor = entry.world, entry.world.actor(player)
        old.stage.idle("moving a player")  # or it would be in both
        if old is world:
            raise UsageError(f"{player} is in that world already")
        same = actor.team if actor.team in world.kinds.teams else ""
        raised: list[Exception] = []
        try:
            world.join(kind or actor.kind, player, team=team or same, profile=old.profile(actor))
        except ReactionError as error:  # it is there; a listener or a rule failed after that
            raised.append(error)
        entry.close()
        try:
            old.leave(actor)
        except ReactionError as error:
            raised.append(error)
        entry.world = world
        self._hear(entry)
        self.touch(player)
        if raised:
            raise only(raised)
        return world.actor(player)

    @staticmethod
    def _enter(world: World, player: str, kind: str, team: str, held: Held) -> None:
        if player in world.stage.actors:
            if held.profile is not None:
                world.take_back(world.actor(player), held.profile)
            return
        kinds = [name for name, found in world.stage.kinds.actors.items() if found.player]
        if not kind and len(kinds) != 1:
            raise UsageError(f"{player} enters as what? the player kinds are: {', '.join(kinds)}")
        world.join(kind or kinds[0], player, team=team, profile=held.profile)

    def _tell_recovered(self, held: Held) -> None:
        note = held.outcome.note if isinstance(held.outcome, Found) else ""
        if not note:
            return
        log.warning("%s", note)
        if self._tell_recovery is not None:
            try:
                self._tell_recovery(held.player, note)
            except Exception:  # somebody else's code costs nobody a save
                log.exception("on_recovery failed for %s", held.player)

    def _changed(self, event: Event) -> None:
        entry = self._entries.get(event.actor)
        if entry is not None and not entry.changed:
            entry.changed = True
            self._plan(entry)

    def touch(self, player: str) -> None:
        """Note that a player has changed in a way no event tells of (a saved meter that flows)."""
        entry = self._entry(player)
        if not entry.changed:
            entry.changed = True
            self._plan(entry)

    def _entry(self, player: str) -> Tracked:
        found = self._entries.get(player)
        if found is None:
            raise UsageError(f"{said(player)} is not being saved; join it first")
        return found

    def _plan(self, entry: Tracked) -> None:
        now = self.clock()
        due = now if entry.last is None else max(entry.last + self.interval, now)
        self._serial += 1
        heappush(self._heap, (max(due, entry.wait_until), self._serial, entry.player))

    def state_of(self, player: str) -> tuple[SaveState, str]:
        """Return (state, why) of a player's saves: "saved", "unsaved", "saving", "waiting" (to try again) or
        "failed"."""
        entry = self._entries.get(player)
        if entry is None:
            return "unsaved", "nobody is saving this player"
        if entry.held.lost:
            return "failed", "another process has taken the profile over"
        if entry.unfit:
            return "failed", "something in the profile cannot be saved"
        if entry.flying:
            return "saving", ""
        if entry.failures:
            return (
                "waiting",
                f"tried {entry.failures} times, again in {max(entry.wait_until - self.clock(), 0):.1f} s",
            )
        return ("unsaved", "") if entry.changed else ("saved", "")

    # the frame

    def pump(self, budget: float = 0.002) -> int:
        """Take in what was written, and give out what is due, for at most about *budget* seconds; returns how
        many were given out."""
        begun, given = time.perf_counter(), 0
        self._take_in()
        self._keep_lease()
        while self._heap and self._heap[0][0] <= self.clock() and not self._writer.full:
            batch = self._gather(begun + budget)
            if not batch:
                break
            given += len(batch)
            self._writer.give(batch)
            self._take_in()
            if time.perf_counter() - begun > budget:
                break
        self._raise()
        return given

    async def pump_async(self, budget: float = 0.002) -> int:
        """As `pump`, in an asyncio loop: encoding here, the writing in a thread of the loop."""
        begun, given = time.perf_counter(), 0
        self._take_in()
        self._keep_lease()
        while self._heap and self._heap[0][0] <= self.clock():
            batch = self._gather(begun + budget)
            if not batch:
                break
            given += len(batch)
            # The thread puts its result in by itself, so that a cancelled `await` loses none.
            await asyncio.to_thread(self._writer.write, batch)
            self._take_in()
        self._raise()
        return given

    def _raise(self) -> None:
        """Raise what listeners of `saved` raised, after everybody's saves are done."""
        raised, self._raised = self._raised, []
        if raised:
            raise only(raised)

    def _gather(self, until: float) -> Batch:
        """Encode what is due, up to a batch; at least one, then as long as the budget lasts."""
        batch: Batch = []
        now = self.clock()
        while self._heap and self._heap[0][0] <= now and len(batch) < BATCH:
            player = heappop(self._heap)[2]
            entry = self._entries.get(player)
            if entry is None or entry.flying or not entry.changed or entry.held.lost:
                continue
            write = self._encode(entry)
            if write is not None:
                batch.append((entry, write))
                if time.perf_counter() > until and len(batch) >= 1:
                    break
        return batch

    def _encode(self, entry: Tracked) -> Write | None:
        try:
            write = self.store.encoded(entry.held, entry.world.profile(entry.world.actor(entry.player)))
        except CleaverError as error:
            entry.changed = False  # until it changes again
            if not entry.unfit:
                entry.unfit = True
                self._fail(entry, error, final=False)
            return None
        entry.changed = entry.unfit = False
        if write.body == entry.body:  # what is there already, also after a try that failed
            entry.failures, entry.error, entry.wait_until = 0, None, 0.0
            return None
        entry.flying = True
        return write

    def _take_in(self) -> None:
        for entry, write, result in self._writer.results():
            self._landed(entry, write, result)

    def _landed(self, entry: Tracked, write: Write, result: Result) -> None:
        entry.flying = False
        if isinstance(result, SaveInfo):
            self.writes += 1
            entry.last, entry.failures, entry.wait_until, entry.body = self.clock(), 0, 0.0, write.body
            entry.error = None
            if entry.changed:
                self._plan(entry)
            self._tell_saved(entry, result)
            return
        final = isinstance(result, (ProfileStaleError, StoreReadOnlyError))
        if isinstance(result, ProfileStaleError):
            entry.held.lost = True
        entry.failures, entry.error = entry.failures + 1, result
        entry.wait_until = self.clock() + min(BACKOFF[0] * 2 ** (entry.failures - 1), BACKOFF[1])
        entry.changed = True
        if not isinstance(result, ProfileStaleError):
            self._plan(entry)
        if not final or entry.failures == 1 or isinstance(result, ProfileStaleError):
            self._fail(entry, result, final=final)

    def _tell_saved(self, entry: Tracked, info: SaveInfo) -> None:
        there = self._entries.get(entry.player) is entry and entry.there
        if not there or entry.world.stage.draining:
            return
        try:
            entry.world.saved(entry.world.actor(entry.player), info.revision)
        except ReactionError as error:  # it is saved; what a listener raised comes after everybody's saves
            self._raised.append(error)

    def _fail(self, entry: Tracked, error: CleaverError, *, final: bool) -> None:
        if self._tell is None:
            log.error("%s could not be saved%s: %s", entry.player, " any more" if final else "", error)
            return
        try:
            self._tell(Failure(entry.player, error, final))
        except Exception:  # somebody else's code costs nobody a save
            log.exception("on_failure failed for %s, who could not be saved: %s", entry.player, error)

    def _keep_lease(self) -> None:
        now = self.clock()
        if self._entries and now - self._renewed > self.store.lease / 3:
            self._renewed = now
            try:
                self.store.renew()
            except SaveError:
                self._renewed = now - self.store.lease / 3 + 1.0  # again in a second

    # the end

    def flush(self, player: str) -> Failure | None:
        """Write what a player has unsaved, now; returns the failure if it could not be."""
        entry = self._entry(player)
        self._await([entry], float("inf"))
        batch = self._last_of([entry])
        if batch:
            self._writer.write(batch)
            self._take_in()
        return entry.failure()

    def leave(self, player: str) -> Failure | None:
        """Write a player's last state, let it leave the world and give its profile back; returns the failure
        if it could not be saved.

        A player who could not be saved stays, so that nothing is lost: try again, or `close`.
        """
        failure = self.flush(player)
        if failure is not None and not failure.final:
            return failure
        entry = self._forget(player)
        try:
            if entry.there:
                entry.world.leave(entry.world.actor(player))
        finally:  # also where a listener of `departed` raises
            self._let_go(entry)
        self._raise()
        return failure

    async def leave_async(self, player: str) -> Failure | None:
        """As `leave`, in an asyncio loop: the writing is done in a thread of the loop."""
        entry = self._entry(player)
        for _ in range(TRIES):
            await self._await_async([entry], float("inf"))
            batch = self._last_of([entry])
            if batch:
                await asyncio.to_thread(self._writer.write, batch)
                self._take_in()
            if entry.error is not None or not entry.changed:
                break
        # What changed while it was awaited is written here and now, so that nothing is lost.
        failure = self.flush(player) if entry.changed and entry.error is None else entry.failure()
        if failure is not None and not failure.final:
            return failure
        self._forget(player)
        try:
            if entry.there:
                entry.world.leave(entry.world.actor(player))
        finally:
            await asyncio.to_thread(self._let_go, entry)
        self._raise()
        return failure

    def _let_go(self, entry: Tracked) -> None:
        entry.held.release()
        self.store.checkpoint()

    def _forget(self, player: str) -> Tracked:
        entry = self._entries.pop(player)
        entry.close()
        return entry

    def close(self, timeout: float = CLOSING) -> list[Failure]:
        """Write everything that is unsaved, a hundred players at a time, and stop; returns what could not be
        saved, and why.

        Ends within about *timeout* seconds, whatever the store and other people's listeners do.
        """
        until = time.monotonic() + timeout  # the game's own clock may stand by now
        failures = []
        for entries in self._batches():
            self._await(entries, until)
            batch = self._last_of(entries)
            if batch:
                self._writer.give(batch)
                self._await(entries, until)
            failures += self._failures_of(entries)
        stuck = self._writer.stop(until)
        self._release(self._forget_all(), stuck, timeout)
        return failures

    async def close_async(self, timeout: float = CLOSING) -> list[Failure]:
        """As `close`, in an asyncio loop, which goes on meanwhile."""
        until = time.monotonic() + timeout
        failures = []
        for entries in self._batches():
            for _ in range(TRIES):  # again where somebody changed while the loop went on
                await self._await_async(entries, until)
                batch = self._last_of(entries)
                if batch:
                    writing = asyncio.ensure_future(asyncio.to_thread(self._writer.write, batch))
                    await asyncio.wait([writing], timeout=max(until - time.monotonic(), 0))
                    self._take_in()
                if not any(entry.changed and entry.error is None for entry in entries):
                    break
            failures += self._failures_of(entries)
        stuck = any(entry.flying for entry in self._entries.values())
        stuck = stuck or await asyncio.to_thread(self._writer.stop, until)
        # The world and its listeners are the loop's own: only the store is left to a thread.
        await asyncio.to_thread(self._release, self._forget_all(), stuck, timeout)
        return failures

    def _forget_all(self) -> list[Tracked]:
        for error in self._raised:
            log.error("a listener of `saved` failed while closing: %s", error, exc_info=error)
        self._raised = []
        return [self._forget(player) for player in list(self._entries)]

    def _release(self, entries: list[Tracked], stuck: bool, timeout: float) -> None:
        if stuck:
            log.error("the store did not answer within %g s; its leases run out by themselves", timeout)
            return
        for entry in entries:
            entry.held.release()
        self.store.checkpoint()

    def _batches(self) -> Iterator[list[Tracked]]:
        entries = list(self._entries.values())
        yield from (entries[start : start + BATCH] for start in range(0, len(entries), BATCH))

    def _last_of(self, entries: list[Tracked]) -> Batch:
        """Return what these players have unsaved."""
        batch: Batch = []
        for entry in entries:
            if not entry.flying and not entry.held.lost:
                entry.changed = True
                write = self._encode(entry)
                if write is not None:
                    batch.append((entry, write))
        return batch

    def _failures_of(self, entries: list[Tracked]) -> list[Failure]:
        return [failure for entry in entries if (failure := entry.failure()) is not None]

    def _await(self, entries: list[Tracked], until: float) -> None:
        """Wait until none of these is being written, or the time is over."""
        self._take_in()
        while any(entry.flying for entry in entries) and time.monotonic() < until:
            time.sleep(0.001)
            self._take_in()

    async def _await_async(self, entries: list[Tracked], until: float) -> None:
        self._take_in()
        while any(entry.flying for entry in entries) and time.monotonic() < until:
            await asyncio.sleep(0.001)
            self._take_in()

    @contextmanager
    def closing(self) -> Iterator[Autosaver]:
        """Flush and stop at the end of the block, also when the process is asked to end (SIGTERM) in the
        middle of it.

        Off the main thread, or where the program has a handler of its own, SIGTERM is left to that.

        Raises:
            SaveError: Somebody could not be saved. Where the block raises already, it is logged instead.
        """

        def ended(number: int, frame: FrameType | None) -> None:
            raise SystemExit(128 + number)

        own = threading.current_thread() is threading.main_thread()
        own = own and signal.getsignal(signal.SIGTERM) is signal.SIG_DFL
        if own:
            signal.signal(signal.SIGTERM, ended)
        try:
            yield self
        except BaseException:
            self._end(own, raising=True)
            raise
        self._end(own, raising=False)

    def _end(self, own: bool, *, raising: bool) -> None:
        if own:
            signal.signal(signal.SIGTERM, signal.SIG_DFL)
        failures = self.close()
        if not failures:
            return
        lost = "; ".join(f"{failure.player}: {failure.error}" for failure in failures)
        what = f"{counted(len(failures), 'player')} could not be saved at the end: {lost}"
        if not raising:
            raise SaveError(what)
        log.error("%s", what)


def _give_back(holding: asyncio.Future[Held]) -> None:
    """Release a profile that was read for somebody who does not wait for it any more."""
    if not holding.cancelled() and holding.exception() is None:
        holding.result().release()
