"""Clock: what time it is, and what is due when.

Time is kept in whole microseconds; what a float of seconds leaves over is carried to the next call, so that
sixty frames make a second. Everything that will happen is a `Timer`, kept by its owner as state; the heap
here is a cache and can be made again from them. Ties go by rank, then by the number a timer was given when
made. Start at `Clock.arm`.
"""

from __future__ import annotations

from heapq import heapify, heappop, heappush
from math import floor

from cleaver.core.kernel.state import Record
from cleaver.errors import AmountError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, ClassVar

SECOND = 1_000_000  # microseconds
LONGEST = 10**9  # seconds that one command may let pass
MOST_AT_ONCE = 10_000  # timers made due at the very instant at which they are made
RETURNS, STEPS, PULSES, ENDS, WAITS, LIMITS, VANISHES = range(7)
"""Ranks: what goes first of several things due at one instant."""


def micros(seconds: float) -> int:
    """Return a span of the design in whole microseconds."""
    return floor(seconds * SECOND + 0.5)


class Timer(Record):
    """Something due: when (`due`, -1 for never), and its `number` among all timers made."""

    __slots__ = ("_queued", "due", "number", "owner")
    caches: ClassVar[tuple[str, ...]] = ("owner",)
    owner: Any
    collected: ClassVar[bool] = True
    rank: ClassVar[int] = LIMITS
    verb: ClassVar[str] = ""
    due: int
    number: int

    def __init__(self) -> None:
        self.due = -1
        self.number = 0
        self._queued = -1  # due of its live entry in the heap; one pushed back is only moved when it turns up

    def fresh(self) -> None:
        """See `Record.fresh`. The owner is put back by the part that knows it."""
        self._queued = -1

    def __lt__(self, other: object) -> bool:
        return False  # two entries of one timer may tie; the order between them does not matter


class Clock(Record):
    """Now, in microseconds, and the timers that are armed."""

    __slots__ = ("_heap", "_hurried", "made", "now", "remainder")
    now: int
    remainder: float
    made: int

    def __init__(self) -> None:
        self.now = 0
        self.remainder = 0.0
        self.made = 0
        self.fresh()

    def fresh(self) -> None:
        """See `Record.fresh`."""
        self._heap: list[tuple[int, int, int, Timer]] = []
        self._hurried = 0

    def span(self, seconds: float) -> tuple[int, float]:
        """Return *seconds* as (whole microseconds, remainder to carry), without letting them pass."""
        if isinstance(seconds, bool) or not isinstance(seconds, (int, float)) or not 0 <= seconds <= LONGEST:
            raise AmountError("the time to pass", seconds, f"a number of seconds from 0 to {LONGEST:,}")
        exact = self.remainder + float(seconds) * SECOND
        whole = floor(exact + 0.5)  # half up: rounding half to even drifts under some slicings
        return max(whole, 0), exact - max(whole, 0)

    def arm(self, timer: Timer, due: int) -> None:
        """Let *timer* be due at *due*; it may be armed already, for earlier or later."""
        timer.due = due
        if timer.number == 0:
            self.made += 1
            timer.number = self.made
        if due <= self.now:
            self._hurried += 1
        queued = timer._queued
        if queued < 0 or due < queued:
            timer._queued = due
            heappush(self._heap, (due, timer.rank, timer.number, timer))

    def tick(self, now: int) -> bool:
        """Let it be *now*; return False where timers keep making each other due at one instant, without
        end."""
        if now > self.now:
            self.now, self._hurried = now, 0
        return self._hurried <= MOST_AT_ONCE

    def disarm(self, timer: Timer) -> None:
        """Let *timer* never be due."""
        timer.due = -1

    def first(self) -> int:
        """Return when the first timer is due; -1 where none is. What was put off since it was queued is
        queued anew here, so that nothing is taken for due that is not."""
        heap = self._heap
        while heap:
            due, rank, number, timer = heap[0]
            if due == timer.due == timer._queued:
                return due
            heappop(heap)
            if due == timer._queued:  # else an entry left behind when the timer was moved to an earlier time
                timer._queued = timer.due
                if timer.due >= 0:
                    heappush(heap, (timer.due, rank, number, timer))
        return -1

    def take(self) -> Timer:
        """Take the timer that `first` found off the schedule."""
        timer = heappop(self._heap)[3]
        timer._queued = -1
        return timer

    def renew(self, timers: list[Timer]) -> None:
        """Make the heap again from *timers*, after unpacking."""
        self._heap = [(timer.due, timer.rank, timer.number, timer) for timer in timers if timer.due >= 0]
        for timer in timers:
            timer._queued = timer.due
        heapify(self._heap)
