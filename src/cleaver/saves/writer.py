"""Writer: batches of profiles on their way into a store, in a thread of its own or where it is called.

Does nothing but I/O, and never raises: what became of a batch is kept until it is asked for. Start at
`Writer`.
"""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable
from functools import partial
from typing import NamedTuple

from cleaver.errors import CleaverError, SaveError
from cleaver.saves.awaiting import off_loop
from cleaver.saves.held import Write
from cleaver.saves.outcomes import SaveInfo
from cleaver.saves.reports import log
from cleaver.saves.store import Store
from cleaver.saves.tracked import Tracked

WAITING = 2  # batches that may wait for the thread
Result = SaveInfo | CleaverError


class Batch(NamedTuple):
    """Profiles of one transaction: whose, what, and which of them (by index) only together. `patience` is how
    long to wait while another program writes (seconds), None as long as usual."""

    entries: list[Tracked]
    writes: list[Write]
    groups: list[list[int]]
    patience: float | None = None


class Done(NamedTuple):
    """What became of a batch: of each of its profiles, and the seconds it took."""

    batch: Batch
    results: list[Result]
    seconds: float


class Writer:
    """Writes batches into one store, and does what else must be done with it now and then."""

    renewed: bool

    store: Store

    def __init__(self, store: Store, *, threaded: bool) -> None:
        self.store = store
        self._jobs: queue.SimpleQueue[Callable[[], None] | None] = queue.SimpleQueue()
        self._done: queue.SimpleQueue[Done] = queue.SimpleQueue()
        self._given = 0  # batches that were given and not taken in yet
        self.renewed = True  # whether the lease could be renewed when that was last tried
        self._thread: threading.Thread | None = None
        if threaded:
            self._begin()

    def _begin(self) -> None:
        self._thread = threading.Thread(target=self._work, name="cleaver-autosave", daemon=True)
        self._thread.start()

    def look_after(self) -> None:
        """Let there be a thread again where the one there was has ended, whatever ended it."""
        if self._thread is not None and not self._thread.is_alive():
            log.error("the thread that saves has ended; another one goes on")
            self._begin()

    @property
    def threaded(self) -> bool:
        """Whether a thread of its own does the writing."""
        return self._thread is not None

    @property
    def full(self) -> bool:
        """Whether enough batches wait for the thread."""
        return self.threaded and self._given >= WAITING

    @property
    def idle(self) -> bool:
        """Whether nothing that was given has still to be taken in."""
        return not self._given

    def give(self, batch: Batch, *, now: bool = False) -> None:
        """Let a batch be written: by the thread where there is one, else (or *now*) here."""
        self._given += 1
        if self._thread is None or now:
            self._write(batch)
        else:
            self._jobs.put(lambda: self._write(batch))

    async def give_async(self, batch: Batch) -> None:
        """Let a batch be written by a thread of the asyncio loop; when the awaiting is cancelled, it goes on
        there."""
        self._given += 1
        await off_loop(self._write, batch)

    def keep_house(self, jobs: list[Callable[[float | None], None]]) -> None:
        """Let what has to be done now and then be done: by the thread where there is one, else here, without
        waiting for anybody. Each is given how long it may wait for a lock (seconds; None as usual)."""
        for job in jobs:
            if self._thread is None:
                job(0.0)
            else:
                self._jobs.put(partial(job, None))

    async def keep_house_async(self, jobs: list[Callable[[float | None], None]]) -> None:
        """As `keep_house`, by a thread of the asyncio loop."""
        for job in jobs:
            await off_loop(job, None)

    def renew(self, patience: float | None) -> None:
        """Renew the lease; `renewed` says whether that could be done."""
        try:
            self.store.renew(patience=patience)
        except SaveError:
            self.renewed = False
        else:
            self.renewed = True

    def _write(self, batch: Batch) -> None:
        begun = time.perf_counter()
        results: list[Result]
        try:
            results = list(self.store.save_groups(batch.writes, batch.groups, batch.patience))
        except CleaverError as error:
            results = [error] * len(batch.writes)
        except Exception as error:  # the writer must live on, whatever a driver raises
            failed = SaveError(f"the store failed: {error!r}; nothing was lost, it is tried again")
            results = [failed] * len(batch.writes)
        self._done.put(Done(batch, results, time.perf_counter() - begun))

    def done(self) -> Done | None:
        """Return a batch that has been written (or not) and was not asked for yet; None where there is
        none."""
        try:
            found = self._done.get_nowait()
        except queue.Empty:
            return None
        self._given -= 1
        return found

    def stop(self, until: float) -> bool:
        """Let the thread end, by the instant *until* of `time.monotonic`; returns whether it is stuck in the
        store."""
        thread = self._thread  # two may wait for it, where the waiting of one was cancelled
        if thread is None:
            return False
        self._jobs.put(None)
        thread.join(timeout=max(until - time.monotonic(), 0.01))
        self._thread = None
        return thread.is_alive()

    def _work(self) -> None:
        while (job := self._jobs.get()) is not None:
            try:
                job()
            except Exception:  # whatever a chore raises, saving goes on
                log.exception("a chore of the saver failed; saving goes on")
