"""Spans and moments beyond seconds: turns, rounds of turns, days, as whole numbers.

A span of seconds is a number of microseconds, and so is the instant at which it is over. A span in another
clock is a `Counted`; its moment is a number beyond `FAR`, in a band of its own, and so later than every
instant, until that clock comes there. So whoever compares a moment with now is right without knowing of
clocks, as long as the moment is taken away when its clock has come: `Clock` does so with timers, the parts
with what they keep. Start at `moment`.
"""

from __future__ import annotations

from math import floor

from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.design.models import ByRoundsOrDays, Open

FAR = 2**62  # microseconds from here on are none
_BAND = 2**59
_MIDDLE = 2**58
TURN, ROUND, DAY, TURN_TO_COME, DAY_TO_COME = range(5)
"""What a moment counts: a bearer's turns, rounds and days; a span that begins with the end of the turn that
is on, or with the first day that the game says."""
FARTHEST_DAY = 10**15
CLOCKS = ("turns", "rounds", "days")
TURN_0 = FAR + _MIDDLE
"""The moment of turn 0: `moment(TURN, n)` is n more."""
AFTER_TURNS = FAR + _BAND
"""From here on a moment counts something else."""
ALL_BEGUN = FAR + TURN_TO_COME * _BAND
"""From here on a span is only to come."""


class Counted(int):
    """A span in turns, rounds or days, as a number beyond `FAR`; no plain `int` by its class, so that what is
    written out for microseconds leaves it alone."""


def moment(band: int, number: int) -> int:
    """Return a moment: number *number* of a clock."""
    return FAR + band * _BAND + _MIDDLE + number


def split(far: int) -> tuple[int, int]:
    """Return what a moment or span beyond `FAR` counts, and its number."""
    band, number = divmod(far - FAR, _BAND)
    return band, number - _MIDDLE


def counted(clock: str, count: int) -> Counted:
    """Return a span of so many turns, rounds or days."""
    return Counted(moment(CLOCKS.index(clock), count))


def as_span(span: float | ByRoundsOrDays) -> int:
    """Return a span of the design, seconds or in another clock: whole microseconds, or `Counted`."""
    if isinstance(span, (int, float)):
        return floor(span * 1_000_000 + 0.5)
    return counted(span.clock, span.count)


def days_of(open: Open | None) -> tuple[int, int] | None:
    """Return the first and the last day on which something is open; None where it always is."""
    return None if open is None else (open.days[0], open.days[1])


def as_data(span: int) -> Any:
    """Return a span as a profile writes it: microseconds, or such as ``{"turns": 2}``."""
    if span < FAR:
        return int(span)
    band, number = split(span)
    return {CLOCKS[band]: number}


def from_data(data: Any) -> int:
    """Return the span that a profile has written."""
    if isinstance(data, dict):
        return next(counted(clock, count) for clock, count in data.items())
    return int(data)


class Periods(NamedTuple):
    """Calendar days by so many together, such as weeks: how many, and a day with which one begins."""

    days: int
    start: int

    def of(self, day: int) -> int:
        """Return the number of the period that a day is in."""
        return (day - self.start) // self.days


def seconds_of(span: int) -> float:
    """Return a span as a number: seconds, or how many turns, rounds or days."""
    return span / 1_000_000 if span < FAR else float(split(span)[1])


def more(span: int, added: int, most: int) -> int:
    """Return a span with another added to it, but at most so many times the other (0 for no bound); of
    different clocks the other one."""
    if unit_of(span) != unit_of(added):
        return added
    if added < FAR:
        return min(span + added, most * added) if most else span + added
    unit, one, other = unit_of(added), split(span)[1], split(added)[1]
    return counted(unit, min(one + other, most * other) if most else one + other)


def unit_of(span: int) -> str:
    """Return what a span, or the moment of one, counts: "seconds", "turns", "rounds" or "days"."""
    return "seconds" if span < FAR else (*CLOCKS, "turns", "days")[split(span)[0]]
