"""Engines: where blocks of sessions are played — here, in processes of this machine, or on a cluster.

An engine is anything with ``map(function, blocks)`` that yields results in the order of the blocks. What a
session comes to does not depend on it. Start at `Serial`.
"""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor
from itertools import islice
from multiprocessing import get_context
from typing import Any, Literal, Protocol, TypeVar

from cleaver.errors import MissingExtraError, UsageError
from cleaver.lab.jobs import Task

T = TypeVar("T")
R = TypeVar("R")
Method = Literal["fork", "spawn", "forkserver"]
AHEAD = 3  # blocks for each process that are handed out before the first of them has come back


class Engine(Protocol):
    """Plays blocks."""

    def map(self, function: Callable[[Any], Any], blocks: Iterable[Any], /) -> Iterable[Any]:
        """Yield what *function* makes of each block, in their order."""


class Serial:
    """Plays in this process, one block after another."""

    def map(self, function: Callable[[T], R], blocks: Iterable[T], /) -> Iterator[R]:
        """See `Engine`."""
        return map(function, blocks)


class Processes:
    """Plays in processes of this machine.

    Args:
        count: How many; as many as there are cores for 0.
        method: How they are started; as the platform does by default.
    """

    count: int
    method: Method | None

    def __init__(self, count: int = 0, method: Method | None = None) -> None:
        if not isinstance(count, int) or isinstance(count, bool) or count < 0:
            raise UsageError(f"processes is {count!r}; it must be a whole number, 0 or more")
        self.count = count or cores()
        self.method = method

    def map(self, function: Callable[[T], R], blocks: Iterable[T], /) -> Iterator[R]:
        """See `Engine`; blocks that were not begun are dropped where somebody stops asking."""
        pool = ProcessPoolExecutor(self.count, get_context(self.method))
        todo = iter(blocks)
        try:
            waiting = deque(pool.submit(function, block) for block in islice(todo, AHEAD * self.count))
            while waiting:
                yield waiting.popleft().result()
                waiting.extend(pool.submit(function, block) for block in islice(todo, 1))
        finally:
            pool.shutdown(wait=True, cancel_futures=True)


def cores() -> int:
    """Return how many cores this process may use."""
    if hasattr(os, "sched_getaffinity"):
        return len(os.sched_getaffinity(0))
    return os.cpu_count() or 1


class Joblib:
    """Plays by joblib, with whatever backend is chosen there."""

    def __init__(self, count: int = -1) -> None:
        try:
            import joblib
        except ImportError:
            raise UsageError("joblib is not installed: pip install joblib") from None
        self._parallel = joblib.Parallel(n_jobs=count, return_as="generator")
        self._delayed = joblib.delayed

    def map(self, function: Callable[[T], R], blocks: Iterable[T], /) -> Iterator[R]:
        """See `Engine`."""
        found: Iterator[R] = self._parallel(self._delayed(function)(block) for block in blocks)
        return found


class Dask:
    """Plays on a dask cluster; a block whose worker dies is played again elsewhere.

    Args:
        address: Of the scheduler, such as "tcp://127.0.0.1:8786"; or a `distributed.Client`.

    Raises:
        UsageError: Nobody answers there, or a worker has another Cleaver or Python.
    """

    client: Any

    def __init__(self, address: Any) -> None:
        try:
            from distributed import Client
        except ImportError:
            raise MissingExtraError("a cluster", "cluster") from None
        try:
            made: Any = Client  # without types of its own
            self.client = made(address, timeout=10) if isinstance(address, str) else address
        except OSError as error:
            raise UsageError(
                f"{address} does not answer ({error}); start a scheduler and workers first"
            ) from None
        self._same(signature, "install the same on both")

    def _same(self, ask: Callable[[], str], advice: str) -> None:
        """Compare what each worker says with what is so here.

        Raises:
            UsageError: One says something else.
        """
        here = ask()
        for worker, found in self.client.run(ask).items():
            if found != here:
                raise UsageError(f"worker {worker} has {found}, and here is {here}; {advice}")

    def map(self, function: Callable[[T], R], blocks: Iterable[T], /) -> Iterator[R]:
        """See `Engine`."""
        if isinstance(function, Task):
            self._same(function.fingerprint, "it reads the design otherwise; install the same on both")
        # The design and the trial go to each worker once; a worker that comes later asks another for them.
        sent = self.client.scatter(function, broadcast=True, hash=False)
        futures = self.client.map(_call, list(blocks), function=sent, pure=False, retries=5)
        try:
            while futures:
                yield futures.pop(0).result()
        finally:
            self.client.cancel(futures)


def _call(block: Any, function: Callable[[Any], Any]) -> Any:
    return function(block)


def signature() -> str:
    """Return what must be the same wherever a session is played: Cleaver and Python."""
    import platform
    from importlib import metadata

    return f"cleaver {metadata.version('cleaver-progression')}, Python {platform.python_version()}"
