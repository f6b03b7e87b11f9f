"""Unsaved: the players whose saves are looked after, what of them is unsaved, and when each is due.

Encodes profiles at a frame boundary, gives them to the writer in batches, and takes in what became of them.
Players who have traded are encoded, written and tried again together. Start at `Unsaved.gather`.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import partial
from heapq import heappop, heappush
from math import inf

from cleaver.core import read
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.delivery import Listening
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.gathered import only
from cleaver.core.world import World
from cleaver.errors import (
    CleaverError,
    ProfileStaleError,
    SaveError,
    StoreBusyError,
    StoreReadOnlyError,
    UsageError,
    said,
)
from cleaver.saves.engines import PATIENCE
from cleaver.saves.held import Write
from cleaver.saves.outcomes import SaveInfo
from cleaver.saves.reports import Failure, Reports, log
from cleaver.saves.tracked import Tracked
from cleaver.saves.writer import Batch, Done, Result, Writer

BATCH = 100  # profiles in one transaction, or a few more where they belong together
BACKOFF = (0.5, 30.0)  # seconds: the first wait after a failure, the longest
AGAIN = 0.05  # seconds until a frame tries again that found the store locked by another program
_ALWAYS = ("saved",)  # events that change nothing that is kept


def as_save_error(error: Exception) -> CleaverError:
    """Return what went wrong as an error of the library; whatever was raised where a save was made ready."""
    if isinstance(error, CleaverError):
        return error
    return SaveError(f"{type(error).__name__} while it was made ready to be saved: {error}")


def _worth_trying(result: Result) -> bool:
    return not isinstance(result, (SaveInfo, ProfileStaleError))


class Unsaved:
    """The players of one saver."""

    writer: Writer
    reports: Reports
    interval: float
    clock: Callable[[], float]
    writes: int

    def __init__(self, writer: Writer, reports: Reports, interval: float, clock: Callable[[], float]) -> None:
        self.writer, self.reports, self.interval, self.clock = writer, reports, interval, clock
        self.entries: dict[str, Tracked] = {}
        self.before: list[Callable[[Mapping[str, int]], None]] = []
        """Called before profiles are given out to be written."""
        self._heard: dict[tuple[World, str], list[Listening]] = {}  # by world and kind of player
        self._hearing: Counter[tuple[World, str]] = Counter()
        self.writes = 0
        self._raised: list[Exception] = []  # by listeners of `saved`: raised once everybody's saves are done
        self._heap: list[tuple[float, int, str]] = []
        self._serial = 0

    # who

    def entry(self, player: str) -> Tracked:
        """Return what is known of a player."""
        found = self.entries.get(player)
        if found is None:
            raise UsageError(f"{said(player)} is not being saved; join it first")
        return found

    def add(self, entry: Tracked) -> None:
        """Look after a player from now on."""
        self.entries[entry.player] = entry
        self.hear(entry)

    def drop(self, player: str) -> Tracked:
        """Look after a player no more."""
        entry = self.entries.pop(player)
        entry.mates.remove(entry)
        entry.mates = [entry]
        self.hear_no_more(entry)
        return entry

    def hear(self, entry: Tracked) -> None:
        """Listen to all that may change what is kept of a player, in the world where it is now: once for all
        players of its kind there."""
        world = entry.world
        entry.kind = world.actor(entry.player).kind
        heard = self._heard.setdefault((world, entry.kind), [])
        if not heard:
            self._listen(world, entry.kind)
            heard.append(world.listen_own("traded", self._traded, kind=entry.kind))
            # Another design may have events of its own that change what is kept.
            heard.append(world.listen("adopted", partial(self._adopted, world, entry.kind)))
            read.parts(world).profiles.noted.append(self._noted)
        self._hearing[world, entry.kind] += 1

    def _adopted(self, world: World, kind: str, event: Event) -> None:
        self._listen(world, kind)
        self.writer.store.versions.follow(world.design)  # else what it writes now could not be read here

    def _listen(self, world: World, kind: str) -> None:
        """Listen to every event that may change what is kept of the players of a kind, to each once."""
        known, heard = read.parts(world).kinds.known.events, self._heard[world, kind]
        for name in world.event_names:
            if known[name].seen_from:
                # What counts for a player as the doer, such as a record of those it defeated.
                listening = world.listen_own(name, self._credited, kind=kind)
            elif name not in _ALWAYS:
                listening = world.listen_own(name, self._changed, kind=kind)
            else:
                continue
            if listening not in heard:
                heard.append(listening)

    def hear_no_more(self, entry: Tracked) -> None:
        """Stop listening for a player; the last one of its kind takes the listeners along."""
        key = entry.world, entry.kind
        self._hearing[key] -= 1
        if not self._hearing[key]:
            del self._hearing[key]
            for listening in self._heard.pop(key):
                listening.close()
            read.parts(entry.world).profiles.noted.remove(self._noted)

    def _changed(self, event: Event) -> None:
        entry = self.entries.get(event.actor)
        # In another world somebody else may have the same id: then the same bytes come out, and none are
        # written.
        if entry is not None:
            self.touch(entry)

    def _credited(self, event: Event) -> None:
        entry = self.entries.get(event.credit)
        if entry is not None:  # see above
            self.touch(entry)

    def _noted(self, body: Body) -> None:
        entry = self.entries.get(body.id)
        if entry is not None:
            self.touch(entry)

    def _traded(self, event: Event) -> None:
        one, other = self.entries.get(event.actor), self.entries.get(event.source)
        if one is not None and other is not None and one.world is other.world:
            one.tie(other)

    def touch(self, entry: Tracked) -> None:
        """Note that a player has changed."""
        if not entry.changed:
            entry.changed = True
            self._plan(entry)

    # when

    def _due(self, entry: Tracked) -> float:
        """Return since when, or from when on, a player may be written again, on the saver's clock."""
        due = -inf if entry.last is None else entry.last + self.interval
        return max(due, entry.wait_until)

    def _plan(self, entry: Tracked, due: float | None = None) -> None:
        self._serial += 1
        due = max(self._due(entry), self.clock()) if due is None else due
        heappush(self._heap, (due, self._serial, entry.player))

    @property
    def waiting(self) -> bool:
        """Whether somebody is due."""
        return bool(self._heap) and self._heap[0][0] <= self.clock()

    # out

    def gather(self, until: float, patience: float | None = None) -> Batch | None:
        """Encode who is due, up to a batch: somebody at least, then as long as there is time.

        Args:
            until: When to stop, on `time.perf_counter`.
            patience: Seconds to wait at most, when it is written, while another program writes.
        """
        batch, begun, now = Batch([], [], [], patience), time.perf_counter(), self.clock()
        lag = 0.0
        while self._heap and self._heap[0][0] <= now and len(batch.writes) < BATCH:
            due, _, player = heappop(self._heap)
            entry = self.entries.get(player)
            if entry is None or entry.flying or not entry.changed or entry.held.lost:
                continue
            mates = self._mates(entry)
            if any(mate.flying for mate in mates):
                continue  # planned again when that one has landed
            together = max(map(self._due, mates))
            if together > now:
                self._plan(entry, together)
                continue
            lag = max(lag, now - due)
            if self._encode(mates, batch) and time.perf_counter() > until:
                break
        if not batch.writes or not self._about_to_write(batch):
            return None
        self.reports.metric("encode_seconds", time.perf_counter() - begun)
        self.reports.metric("lag_seconds", lag)
        return batch

    def last_of(self, entries: Iterable[Tracked]) -> Batch | None:
        """Encode what these players have unsaved, due or not, and those who must be written with them."""
        batch = Batch([], [], [])
        seen: set[str] = set()
        for entry in entries:
            mates = self._mates(entry)
            if entry.player in seen or entry.held.lost or any(mate.flying for mate in mates):
                continue
            seen.update(mate.player for mate in mates)
            self._encode(mates, batch)
        return batch if batch.writes and self._about_to_write(batch) else None

    def _about_to_write(self, batch: Batch) -> bool:
        """Do what must be done before a batch is written; where that fails, it is a failure of everybody in
        it, and tried again."""
        try:
            for call in self.before:
                call({entry.player: entry.held.revision + 1 for entry in batch.entries})
        except Exception as error:
            failed: list[Result] = [as_save_error(error) for _ in batch.writes]
            self._come_back(Done(batch, failed, 0.0))
            return False
        return True

    def _mates(self, entry: Tracked) -> list[Tracked]:
        """Return who must be written with a player, itself first; nobody who was taken over or has left its
        world by another way."""
        others = [mate for mate in entry.mates if mate is not entry and mate.there and not mate.held.lost]
        return [entry, *others]

    def _encode(self, mates: list[Tracked], batch: Batch) -> bool:
        """Add players to a batch who belong together; returns whether anything is to be written of them.
        Where one of them cannot be encoded, nobody is."""
        found: list[tuple[Tracked, Write]] = []
        for mate in mates:
            mate.changed = False  # until it changes again
            try:
                profile = mate.world.profile(mate.world.actor(mate.player))
                write = self.writer.store.encoded(mate.held, profile)
            except Exception as error:  # whatever it is, it costs nobody else a save
                if not mate.unfit:
                    mate.unfit = True
                    self.reports.failed([Failure(mate.player, as_save_error(error), final=False)])
                continue
            mate.unfit = False
            if write.body == mate.body:  # what is there already, also after a try that failed
                mate.settled()
            else:
                found.append((mate, write))
        if any(mate.unfit for mate in mates):
            for mate, _ in found:
                mate.changed = True
            return False
        mates[0].untie()  # what is traded from now on ties them anew
        first = len(batch.writes)
        for mate, write in found:
            mate.flying, mate.pending = True, (write.profile.version, write.body)
            batch.entries.append(mate)
            batch.writes.append(write)
        if found:
            batch.groups.append(list(range(first, len(batch.writes))))
        return bool(found)

    # in

    def take_in(self) -> None:
        """Take in what has been written since."""
        while (done := self.writer.done()) is not None:
            self._come_back(done)

    def _come_back(self, done: Done) -> None:
        """Take in what became of a batch."""
        batch = done.batch
        saved = [one for one in done.results if isinstance(one, SaveInfo)]
        if saved:
            self.reports.metric("saves", len(saved))
            self.reports.metric("save_bytes", sum(info.size for info in saved))
            self.reports.metric("save_seconds", done.seconds)
        for group in batch.groups:
            again = [batch.entries[index] for index in group if _worth_trying(done.results[index])]
            for mate in again[1:]:
                again[0].tie(mate)
        failures = [
            self._landed(entry, write, result, hurried=batch.patience is not None)
            for entry, write, result in zip(batch.entries, batch.writes, done.results, strict=True)
        ]
        self.reports.failed([failure for failure in failures if failure is not None])

    def _landed(self, entry: Tracked, write: Write, result: Result, *, hurried: bool) -> Failure | None:
        """Take in what became of one player's write; returns what is to be reported of it."""
        entry.flying = False
        if isinstance(result, SaveInfo):
            self.writes += 1
            entry.settled()
            entry.last, entry.body = self.clock(), write.body
            if entry.changed:
                self._plan(entry)
            log.debug("%s was saved, revision %d", entry.player, result.revision)
            self._tell_saved(entry, result)
            return None
        entry.changed = True
        if isinstance(result, StoreBusyError) and hurried and not self._busy_too_long(entry):
            self._plan(entry, self.clock() + AGAIN)  # a frame must not wait; nothing is wrong yet
            return None
        stale = isinstance(result, ProfileStaleError)
        if stale:
            entry.held.lost = True
        entry.failures, entry.error = entry.failures + 1, result
        entry.wait_until = self.clock() + min(BACKOFF[0] * 2 ** (entry.failures - 1), BACKOFF[1])
        if not stale:
            self._plan(entry)
        final = stale or isinstance(result, StoreReadOnlyError)
        return Failure(entry.player, result, final) if not final or entry.failures == 1 or stale else None

    def _busy_too_long(self, entry: Tracked) -> bool:
        now = self.clock()
        entry.busy_since = now if entry.busy_since is None else entry.busy_since
        return now - entry.busy_since >= PATIENCE

    def _tell_saved(self, entry: Tracked, info: SaveInfo) -> None:
        there = self.entries.get(entry.player) is entry and entry.there
        if not there or read.parts(entry.world).stage.draining:
            return
        try:
            entry.world.saved(entry.world.actor(entry.player), info.revision)
        except Exception as error:  # it is saved; what a listener raised comes after everybody's saves
            self._raised.append(error)

    def raise_errors(self) -> None:
        """Raise what listeners of `saved` raised, after everybody's saves are done."""
        raised = self.errors()
        if raised:
            raise only(raised)

    def errors(self) -> list[Exception]:
        """Return what listeners of `saved` raised, once."""
        raised, self._raised = self._raised, []
        return raised

    # the end

    def batches(self) -> Iterator[list[Tracked]]:
        """Yield all players, about a batch at a time, those together who belong together."""
        some: list[Tracked] = []
        seen: set[str] = set()
        for entry in list(self.entries.values()):
            if entry.player not in seen:
                mates = self._mates(entry)
                seen.update(mate.player for mate in mates)
                some += mates
                if len(some) >= BATCH:
                    yield some
                    some = []
        if some:
            yield some

    def grounded(self) -> None:
        """Note that nothing is being written any more, whatever became of it."""
        for entry in self.entries.values():
            entry.flying = False

    def failures(self, entries: Iterable[Tracked]) -> list[Failure]:
        """Return whose newest state is not saved, and why."""
        return [failure for entry in entries if (failure := entry.failure()) is not None]
