"""Later: calls of the game that wait for their time. They are not part of the state, and a restored world has
none. Start at `Later`."""

from __future__ import annotations

from collections.abc import Callable
from heapq import heappop, heappush

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


class Later:
    """A call of the game that waits for its time."""

    __slots__ = ("_call", "due_us", "waiting")
    due_us: int
    waiting: bool

    def __init__(self, call: Callable[[], Any], due_us: int) -> None:
        self._call, self.due_us, self.waiting = call, due_us, True

    @property
    def due(self) -> float:
        """When it comes, in seconds since the world began."""
        return self.due_us / 1e6

    def cancel(self) -> None:
        """Do not make this call; has no effect once it was made."""
        self.waiting = False

    def come(self) -> None:
        """Make the call."""
        self.waiting = False
        self._call()

    def __repr__(self) -> str:
        name = getattr(self._call, "__qualname__", self._call)
        return f"<Later {name} at {self.due:g} s{'' if self.waiting else ', over'}>"


class Calls:
    """The calls that wait in one world, in `heap`; those of one instant come in the order in which they were
    made. `taken` counts those that have come."""

    __slots__ = ("_made", "heap", "taken")
    heap: list[tuple[int, int, Later]]
    taken: int

    def __init__(self) -> None:
        self.heap = []
        self._made = self.taken = 0

    def add(self, call: Callable[[], Any], due: int) -> Later:
        """Let a call wait until the microsecond *due*."""
        self._made += 1
        later = Later(call, due)
        heappush(self.heap, (due, self._made, later))
        return later

    def first(self) -> int:
        """Return when the first one is due; -1 where none is."""
        heap = self.heap
        while heap and not heap[0][2].waiting:
            heappop(heap)
        return heap[0][0] if heap else -1

    def take(self) -> Later:
        """Take the one that `first` found."""
        self.taken += 1
        return heappop(self.heap)[2]
