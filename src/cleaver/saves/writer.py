"""Writer: batches of profiles on their way into a store, in a thread of its own or where it is called.

Does nothing but I/O, and never raises: what a batch came to is kept until it is asked for. Start at `Writer`.
"""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Iterator

from cleaver.errors import CleaverError, SaveError
from cleaver.saves.outcomes import SaveInfo
from cleaver.saves.store import Store, Write
from cleaver.saves.tracked import Batch, Tracked

WAITING = 2  # batches that may wait for the thread
Result = SaveInfo | CleaverError


class Writer:
    """Writes batches into one store."""

    store: Store

    def __init__(self, store: Store, *, threaded: bool) -> None:
        self.store = store
        self._jobs: queue.Queue[Batch | None] = queue.Queue()
        self._results: queue.Queue[tuple[Batch, list[SaveInfo | SaveError] | CleaverError]] = queue.Queue()
        self._given = 0  # to the thread, and not back yet
        self._thread: threading.Thread | None = None
        if threaded:
            self._thread = threading.Thread(target=self._work, name="cleaver-autosave", daemon=True)
            self._thread.start()

    @property
    def full(self) -> bool:
        """Whether enough batches wait for the thread."""
        return self._given >= WAITING

    def give(self, batch: Batch) -> None:
        """Let a batch be written: by the thread where there is one, else now."""
        if self._thread is None:
            self.write(batch)
            return
        self._given += 1
        self._jobs.put(batch)

    def write(self, batch: Batch) -> None:
        """Write a batch now, in whatever thread this is."""
        try:
            found: list[SaveInfo | SaveError] | CleaverError = self.store.save_many(
                [write for _, write in batch]
            )
        except CleaverError as error:
            found = error
        except Exception as error:  # the writer must live on, whatever a driver raises
            found = SaveError(f"the store failed: {error!r}; nothing was lost, it is tried again")
        self._results.put((batch, found))

    def results(self) -> Iterator[tuple[Tracked, Write, Result]]:
        """Yield what has been written since this was asked last, player by player, with what came of it."""
        while True:
            try:
                batch, found = self._results.get_nowait()
            except queue.Empty:
                return
            self._given = max(self._given - 1, 0)
            for index, (entry, write) in enumerate(batch):
                yield entry, write, found if isinstance(found, CleaverError) else found[index]

    def stop(self, until: float) -> bool:
        """Let the thread end, by the instant *until* of `time.monotonic`; returns whether it is stuck in the
        store."""
        if self._thread is None:
            return False
        self._jobs.put(None)
        self._thread.join(timeout=max(until - time.monotonic(), 0.01))
        stuck, self._thread = self._thread.is_alive(), None
        return stuck

    def _work(self) -> None:
        while (batch := self._jobs.get()) is not None:
            self.write(batch)
