"""Autosave: saves spaced and gathered while a game runs, and flushed when a player leaves or the game ends.

Profiles are encoded on the game's own thread at a frame boundary, so that each is a consistent picture; a
writer thread does nothing but I/O. Without a thread the same class works inline, and in an asyncio loop.
Start at `Autosaver`.
"""

from __future__ import annotations

import asyncio
import queue
import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from heapq import heappop, heappush
from types import FrameType
from typing import Any, Literal, NamedTuple

from cleaver.core.handles import Actor
from cleaver.core.kernel.events import Event
from cleaver.core.world import World
from cleaver.errors import (
    AmountError,
    CleaverError,
    ProfileStaleError,
    SaveError,
    StoreReadOnlyError,
    UsageError,
)
from cleaver.saves.outcomes import SaveInfo
from cleaver.saves.store import Held, Store, Write

BATCH, WAITING = 100, 2  # profiles in one transaction; batches that may wait for the writer
BACKOFF = (0.5, 30.0)  # seconds: the first wait after a failure, the longest
_ALWAYS = ("saved",)  # events that change nothing that is kept
SaveState = Literal["saved", "unsaved", "saving", "waiting", "failed"]


class Failure(NamedTuple):
    """A save that did not happen: whose, why, and whether it is final."""

    player: str
    error: CleaverError
    final: bool


class _Entry:
    """What the saver knows of one player."""

    __slots__ = (
        "body",
        "changed",
        "failures",
        "flying",
        "held",
        "last",
        "listening",
        "player",
        "said",
        "wait_until",
        "world",
    )

    def __init__(self, world: World, player: str, held: Held) -> None:
        self.world, self.player, self.held = world, player, held
        self.changed = self.flying = self.said = False
        self.last: float | None = None  # when it was last written
        self.failures = 0
        self.wait_until = 0.0
        self.body = b""
        self.listening: list[Any] = []


class Autosaver:
    """Saves the players of a game as they change.

    A change is written at once where the last write is long enough ago, else when it is; leaving and closing
    flush regardless. Call `pump` once a frame, from the game's own thread.

    Args:
        store: Where to.
        interval: Seconds between two writes of one player, at least.
        on_failure: Called with each `Failure`; a final one is told once.
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
        threaded: bool = True,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        if not interval >= 0:
            raise AmountError("interval", interval, "a number of seconds, 0 or more")
        self.store, self.interval, self.clock = store, interval, clock
        self._tell = on_failure
        self._entries: dict[str, _Entry] = {}
        self._heap: list[tuple[float, int, str]] = []
        self._serial = 0
        self._renewed = clock()
        self._jobs: queue.Queue[list[tuple[_Entry, Write]] | None] = queue.Queue()
        self._results: queue.Queue[
            tuple[list[tuple[_Entry, Write]], list[SaveInfo | SaveError] | CleaverError]
        ] = queue.Queue()
        self._waiting = 0
        self._thread: threading.Thread | None = None
        self.writes = 0
        if threaded:
            self._thread = threading.Thread(target=self._work, name="cleaver-autosave", daemon=True)
            self._thread.start()

    # players

    def join(self, world: World, player: str, kind: str = "", *, team: str = "") -> Actor:
        """Take a player's profile and let it enter *world* with it; one that is there already gets what was
        saved.

        Raises:
            ProfileBusyError: Another process has it.
            ProfileDamagedError: It cannot be read; nothing was taken, and saving it is refused.
        """
        if player in self._entries:
            raise UsageError(f"{player} is being saved already")
        held = self.store.hold(player)
        try:
            if player in world.stage.actors:
                actor = world.actor(player)
                if held.profile is not None:
                    world.take_back(actor, held.profile)
            else:
                kinds = [name for name, found in world.stage.kinds.actors.items() if found.player]
                if not kind and len(kinds) != 1:
                    raise UsageError(f"{player} enters as what? the player kinds are: {', '.join(kinds)}")
                actor = world.join(kind or kinds[0], player, team=team, profile=held.profile)
        except CleaverError:
            held.release()
            raise
        entry = self._entries[player] = _Entry(world, player, held)
        for name in world.event_names:
            if name not in _ALWAYS and not world.stage.kinds.known.events[name].seen_from:
                entry.listening.append(world.listen(name, self._changed, actor=actor))
        return actor

    def _changed(self, event: Event) -> None:
        entry = self._entries.get(event.actor)
        if entry is not None and not entry.changed:
            entry.changed = True
            self._plan(entry)

    def touch(self, player: str) -> None:
        """Note that a player has changed in a way no event tells of (a saved meter that flows)."""
        entry = self._entries[player]
        if not entry.changed:
            entry.changed = True
            self._plan(entry)

    def _plan(self, entry: _Entry) -> None:
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
        if entry.said:
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
        while self._heap and self._heap[0][0] <= self.clock() and self._waiting < WAITING:
            batch = self._gather(begun + budget)
            if not batch:
                break
            given += len(batch)
            if self._thread is not None:
                self._waiting += 1
                self._jobs.put(batch)
            else:
                self._results.put((batch, self._write(batch)))
                self._take_in()
            if time.perf_counter() - begun > budget:
                break
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
            self._results.put((batch, await asyncio.to_thread(self._write, batch)))
            self._take_in()
        return given

    def _gather(self, until: float) -> list[tuple[_Entry, Write]]:
        """Encode what is due, up to a batch; at least one, then as long as the budget lasts."""
        batch: list[tuple[_Entry, Write]] = []
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

    def _encode(self, entry: _Entry) -> Write | None:
        try:
            write = self.store.encoded(entry.held, entry.world.profile(entry.world.actor(entry.player)))
        except CleaverError as error:
            entry.changed = False  # until it changes again
            if not entry.said:
                entry.said = True
                self._fail(entry, error, final=False)
            return None
        entry.changed = entry.said = False
        if write.body == entry.body:
            return None
        entry.flying = True
        return write

    def _write(self, batch: list[tuple[_Entry, Write]]) -> list[SaveInfo | SaveError] | CleaverError:
        try:
            return self.store.save_many([write for _, write in batch])
        except CleaverError as error:
            return error
        except Exception as error:  # the writer must live on, whatever a driver raises
            return SaveError(f"the store failed: {error!r}; nothing was lost, it is tried again")

    def _work(self) -> None:
        while (batch := self._jobs.get()) is not None:
            self._results.put((batch, self._write(batch)))

    def _take_in(self) -> None:
        while True:
            try:
                batch, results = self._results.get_nowait()
            except queue.Empty:
                return
            if self._thread is not None:
                self._waiting = max(self._waiting - 1, 0)
            for index, (entry, write) in enumerate(batch):
                self._landed(entry, write, results if isinstance(results, CleaverError) else results[index])

    def _landed(self, entry: _Entry, write: Write, result: SaveInfo | CleaverError) -> None:
        entry.flying = False
        if isinstance(result, SaveInfo):
            self.writes += 1
            entry.last, entry.failures, entry.wait_until, entry.body = self.clock(), 0, 0.0, write.body
            if (
                self._entries.get(entry.player) is entry
                and entry.player in entry.world.stage.actors
                and not entry.world.stage.draining
            ):
                entry.world.saved(entry.world.actor(entry.player), result.revision)
            if entry.changed:
                self._plan(entry)
            return
        final = isinstance(result, (ProfileStaleError, StoreReadOnlyError))
        if isinstance(result, ProfileStaleError):
            entry.held.lost = True
        entry.failures += 1
        entry.wait_until = self.clock() + min(BACKOFF[0] * 2 ** (entry.failures - 1), BACKOFF[1])
        entry.changed = True
        if not isinstance(result, ProfileStaleError):
            self._plan(entry)
        if not final or entry.failures == 1 or isinstance(result, ProfileStaleError):
            self._fail(entry, result, final=final)

    def _fail(self, entry: _Entry, error: CleaverError, *, final: bool) -> None:
        if self._tell is not None:
            self._tell(Failure(entry.player, error, final))

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
        entry = self._entries[player]
        while entry.flying and self._thread is not None:
            time.sleep(0.001)
            self._take_in()
        entry.changed = True
        write = self._encode(entry)
        if write is None:
            return (
                Failure(player, UsageError("something in the profile cannot be saved"), final=False)
                if entry.said
                else None
            )
        result = self._write([(entry, write)])
        outcome = result if isinstance(result, CleaverError) else result[0]
        self._landed(entry, write, outcome)
        return (
            None
            if isinstance(outcome, SaveInfo)
            else Failure(player, outcome, final=isinstance(outcome, ProfileStaleError))
        )

    def leave(self, player: str) -> Failure | None:
        """Write a player's last state, let it leave the world and give its profile back; returns the failure
        if it could not be saved.

        A player who could not be saved stays, so that nothing is lost: try again, or `close`.
        """
        failure = self.flush(player)
        if failure is not None and not failure.final:
            return failure
        entry = self._entries.pop(player)
        for listening in entry.listening:
            listening.close()
        if player in entry.world.stage.actors:
            entry.world.leave(entry.world.actor(player))
        entry.held.release()
        self.store.checkpoint()
        return failure

    def close(self) -> list[Failure]:
        """Write everything that is unsaved and stop; returns what could not be saved, and why."""
        failures = []
        for player in list(self._entries):
            failure = self.flush(player)
            if failure is not None:
                failures.append(failure)
            entry = self._entries.pop(player)
            for listening in entry.listening:
                listening.close()
            entry.held.release()
        if self._thread is not None:
            self._jobs.put(None)
            self._thread.join(timeout=30)
            self._thread = None
        self.store.checkpoint()
        return failures

    @contextmanager
    def closing(self) -> Iterator[Autosaver]:
        """Flush and stop at the end of the block, also when the process is asked to end (SIGTERM) in the
        middle of it."""

        def ended(number: int, frame: FrameType | None) -> None:
            raise SystemExit(128 + number)

        before = signal.signal(signal.SIGTERM, ended)
        try:
            yield self
        finally:
            signal.signal(signal.SIGTERM, before)
            self.close()
