"""Clock: what time it is, and what is due when.

Time is kept in whole microseconds; what a float of seconds leaves over is carried to the next call, so that
sixty frames make a second. Beside it stand the clocks that the game moves: rounds, days, and each bearer's
own turns (`spans`). Everything that will happen is a `Timer`, kept by its owner as state; the heap and the
lists
here are caches and can be made again from them. Ties go by rank, then by the number a timer was given when
made. Start at `Clock.arm`.
"""

from __future__ import annotations

from heapq import heapify, heappop, heappush
from math import floor

from cleaver.core.kernel.spans import (
    AFTER_TURNS,
    ALL_BEGUN,
    DAY,
    DAY_TO_COME,
    FAR,
    ROUND,
    TURN,
    TURN_0,
    TURN_TO_COME,
    counted,
    moment,
    seconds_of,
    split,
)
from cleaver.core.kernel.state import Record
from cleaver.errors import AmountError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, ClassVar, Protocol

    class Bearer(Protocol):
        """Whose turns a span counts: `turns` is twice the number of its turns that are over, and one more
        while one is on; `came` tells bearers apart."""

        turns: int
        came: int


SECOND = 1_000_000  # microseconds
LONGEST = 10**9  # seconds that one command may let pass
MOST_AT_ONCE = 10_000  # timers made due at the very instant at which they are made
RETURNS, STEPS, PULSES, ENDS, WAITS, LIMITS, VANISHES = range(7)
"""Ranks: what goes first of several things due at one instant."""


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
    """Now, in microseconds; how many rounds of turns have begun, and what day the game says it is; and the
    timers that are armed."""

    __slots__ = ("_far", "_heap", "_hurried", "as_of", "day", "made", "now", "remainder", "rounds")
    now: int
    remainder: float
    made: int
    rounds: int
    day: int | None
    caches: ClassVar[tuple[str, ...]] = ("as_of",)
    as_of: int | None
    """The day as of which something is taken back that a profile has, as the calendar has gone on since it
    was written; None is today."""

    def __init__(self) -> None:
        self.now = self.made = self.rounds = 0
        self.remainder, self.day = 0.0, None
        self.fresh()

    def fresh(self) -> None:
        """See `Record.fresh`."""
        self._heap: list[tuple[int, int, int, Timer]] = []
        self._far: dict[int, dict[int, Timer]] = {}  # by bearer, ROUNDS or DAYS, and number
        self._hurried = 0
        self.as_of = None

    def today(self) -> int | None:
        """Return the day as of which something happens."""
        return self.day if self.as_of is None else self.as_of

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
        if due >= FAR:
            self._far.setdefault(_whose(timer), {})[timer.number] = timer
            return
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
                timer._queued = timer.due if timer.due < FAR else -1
                if 0 <= timer.due < FAR:
                    heappush(heap, (timer.due, rank, number, timer))
        return -1

    def take(self) -> Timer:
        """Take the timer that `first` found off the schedule."""
        timer = heappop(self._heap)[3]
        timer._queued = -1
        return timer

    def renew(self, timers: list[Timer]) -> None:
        """Make the heap again from *timers*, after unpacking."""
        near = [timer for timer in timers if timer.due < FAR]
        self._heap = [(timer.due, timer.rank, timer.number, timer) for timer in near if timer.due >= 0]
        for timer in near:
            timer._queued = timer.due
        heapify(self._heap)
        self._far = {}
        for timer in timers:
            if timer.due >= FAR:
                self._far.setdefault(_whose(timer), {})[timer.number] = timer

    # clocks that the game moves

    def later(
        self, span: int, bearer: Bearer | None = None, *, starts: bool = False, rest: bool = False
    ) -> int:
        """Return the moment at which a span is over that begins now.

        So many turns are over where the last of them ends; a turn that is on is none of them, and they begin
        with its end.

        Args:
            span: Microseconds, or a span in another clock.
            bearer: Whose turns it counts, where it may count turns.
            starts: Whether it is over where the last turn begins: a pulse.
            rest: Whether it begins with a turn, and is over where the turn begins that is so many later: a
                cooldown. One that begins in no turn begins with the next.
        """
        if span < FAR:
            return self.now + span
        band, count = split(span)
        if band == ROUND:
            return moment(ROUND, self.rounds + count)
        if band == DAY:
            today = self.today()
            return moment(DAY_TO_COME, count) if today is None else moment(DAY, today + count)
        assert bearer is not None
        inside = bearer.turns & 1
        if inside and not rest and not starts:
            return moment(TURN_TO_COME, count)
        return moment(TURN, bearer.turns + 2 * count + (0 if inside else rest - starts))

    def left(self, due: int, bearer: Bearer | None = None) -> int:
        """Return the span from now to a moment. Turns count that have still to end, or to begin where that is
        what it waits for; one that is on counts as whole."""
        if due < FAR:
            return due - self.now
        band, number = split(due)
        if band == ROUND:
            return moment(ROUND, number - self.rounds)
        if band in (DAY, DAY_TO_COME):
            return moment(DAY, number - (self.day or 0 if band == DAY else 0))
        assert bearer is not None
        return moment(TURN, number if band == TURN_TO_COME else (number - bearer.turns + 1) // 2)

    def begun(self, due: int, bearer: Bearer | None = None) -> int:
        """Return the moment of a span that was to come, where a turn of its bearer has just ended or the
        first day was said; any other moment as it is, and 0 for one that has come."""
        if due < AFTER_TURNS:  # most are, and this is asked of each cooldown in each turn
            return due if due < FAR or bearer is None or due > TURN_0 + bearer.turns else 0
        band, count = split(due)
        if band == TURN_TO_COME:
            return self.later(counted("turns", count), bearer)
        if band == DAY_TO_COME:
            return self.later(counted("days", count))
        now = self.rounds if band == ROUND else self.today()
        return 0 if now is not None and count <= now else due

    def longer(self, one: int, other: int, bearer: Bearer) -> int:
        """Return the later of two moments at which something is over; of different clocks seconds come first,
        then turns, rounds and days."""

        if one < ALL_BEGUN and other < ALL_BEGUN:
            return one if one > other else other

        def order(due: int) -> int:
            band, count = split(due) if due >= FAR else (-1, 0)
            return moment(TURN, bearer.turns + 1 + 2 * count) if band == TURN_TO_COME else due

        return max(one, other, key=order)

    def instant(self, span: int) -> int:
        """Return where the clock stands that a span counts in; `NO_DAY` before the first one."""
        if span < FAR:
            return self.now
        if split(span)[0] == ROUND:
            return self.rounds
        today = self.today()
        return NO_DAY if today is None else today

    def is_open(self, days: tuple[int, int] | None) -> bool:
        """Return whether it is one of some days, the first and the last included; None is always."""
        return days is None or (self.day is not None and days[0] <= self.day <= days[1])

    def stamp(self, bearer: Bearer) -> list[int | None]:
        """Return where the clocks stand that the game moves: from when a span counts that begins now."""
        return [bearer.turns + (bearer.turns & 1), self.rounds, self.day]

    def passed(self, span: int, stamp: list[int | None], bearer: Bearer) -> bool:
        """Return whether a span in turns, rounds or days is over that began at a `stamp`."""
        band, count = split(span)
        then, now = stamp[band], (bearer.turns, self.rounds, self.day)[band]
        return then is not None and now is not None and now >= then + (2 * count if band == TURN else count)

    def time_left(self, due: int, bearer: Bearer | None = None) -> float:
        """Return what is left to a moment, at least 0: seconds, or how many turns, rounds or days."""
        return max(seconds_of(self.left(due, bearer)), 0.0)

    def next_day(self) -> int | None:
        """Return the next day on which a timer is due; None where none is."""
        far = (split(timer.due) for timer in self._far.get(DAYS, {}).values() if timer.due >= FAR)
        return min((number for band, number in far if band == DAY), default=None)

    def come(self, whose: int) -> list[Timer]:
        """Return the timers of a bearer, of `ROUNDS` or of `DAYS` that are due by now, in order, and take
        them off: they are `COMING` until they happen. What was to come begins."""
        waiting = self._far.get(whose)
        if not waiting:
            return []
        found = []
        for number, timer in list(waiting.items()):
            if timer.due < FAR or _whose(timer) != whose:  # disarmed, or armed in another clock
                del waiting[number]
                continue
            timer.due = self.begun(timer.due, timer.owner if whose >= 0 else None) or COMING
            if timer.due == COMING:
                del waiting[number]
                found.append(timer)
        if not waiting:
            del self._far[whose]
        return sorted(found, key=lambda timer: (timer.rank, timer.number))


ROUNDS, DAYS = -1, -2
NO_DAY = -(2**57)
COMING = FAR


def _whose(timer: Timer) -> int:
    """Return whose turns a timer counts, or that it counts `ROUNDS` or `DAYS`."""
    band = split(timer.due)[0]
    if band == ROUND:
        return ROUNDS
    if band in (DAY, DAY_TO_COME):
        return DAYS
    bearer: Bearer = timer.owner
    return bearer.came
