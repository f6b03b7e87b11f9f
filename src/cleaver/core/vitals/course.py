"""Meters: a value over time. Pure functions of numbers; no events, no actors.

A course is a tuple of (rate, limit): each flow moves the value at `rate` units per second until it stands at
`limit`. From one anchor a value moves one way only, piece by piece until it rests; so it is never ticked but
worked out when asked. Moments are whole microseconds after the anchor. Start at `at`.
"""

from __future__ import annotations

from math import ceil, floor, inf

from cleaver.core.kernel.body import Course
from cleaver.rounding import NOISE as DECIMALS

NOISE = 1e-9  # of a span of time: what floats may be off by
EMPTY, FULL, TURN = -1, -2, -3
"""What `moments` gives beside the numbers of marks: the bounds, and a limit of a stepped flow."""


def stands_at(value: float, limit: float) -> bool:
    """Return whether a value is at a limit, decimal noise aside."""
    return value == limit or abs(value - limit) <= DECIMALS * abs(limit)


def slope(value: float, course: Course) -> float:
    """Return the rate at which *value* leaves where it is, in units per second; 0 if it rests.

    Where one flow stops at its limit and another pulls back, the value stays.
    """
    up = down = 0.0
    for rate, limit in course:
        at_limit = stands_at(value, limit)
        if rate > 0:
            if at_limit:
                down += rate
            elif value < limit:
                up += rate
                down += rate
        elif at_limit:
            up += rate
        elif value > limit:
            up += rate
            down += rate
    if up > 0:
        return up
    return down if down < 0 else 0.0


def _next_limit(value: float, rate: float, course: Course) -> float:
    """Return the nearest limit ahead of a value that moves at *rate*."""
    if rate > 0:
        return min(
            [limit for _, limit in course if limit > value and not stands_at(value, limit)], default=inf
        )
    return max([limit for _, limit in course if limit < value and not stands_at(value, limit)], default=-inf)


def at(value: float, course: Course, micros: int) -> float:
    """Return *value* after *micros* microseconds of *course*."""
    left = float(micros)
    while left > 0:
        rate = slope(value, course)
        if rate == 0:
            break
        limit = _next_limit(value, rate, course)
        needed = (limit - value) / rate * 1e6
        if needed * (1 - NOISE) > left:
            return value + rate * left / 1e6
        value, left = limit, left - needed
    return value


def moments(
    value: float,
    course: Course,
    top: float,
    marks: tuple[float, ...],
    above: int,
    base: int | None,
    turns: tuple[float, ...] = (),
) -> list[tuple[int, int]]:
    """Return when and what the value will reach: (microseconds, number of a mark, `EMPTY`, `FULL` or `TURN`),
    in order; each once.

    Args:
        value: The value at the anchor.
        course: The flows at work.
        top: The maximum.
        marks: The levels of the marks.
        above: Bit n is set while the value counts as above mark n.
        base: The number shown at the anchor where only whole numbers show, so that a mark is crossed, and a
            bound
            reached, when the shown number does; else None.
        turns: The limits of stepped flows, whose clocks start or stop there.

    A bound or a mark on the way down is due at the first microsecond at or after it, one on the way up at the
    first beyond it; float noise aside.
    """
    found: list[tuple[int, int]] = []
    passed = 0.0
    rate = slope(value, course)
    rising = rate > 0
    ahead = {
        number: _level(level, top, rising, base is not None)
        for number, level in enumerate(marks)
        if (above >> number & 1) != rising
    }
    while rate != 0:
        limit = _next_limit(value, rate, course)
        for number, level in tuple(ahead.items()):
            beyond = (
                rising and base is None
            )  # a smooth value crosses upward only beyond the mark, so not where this piece ends on it
            if rising:
                reached = level < limit if beyond else level <= limit
            else:
                reached = level >= limit
            if reached:
                moment = passed + max((level - value) / rate * 1e6, 0)
                found.append((floor(moment * (1 + NOISE)) + 1 if beyond else reach(moment), number))
                del ahead[number]
        for turn in turns:
            between = value < turn <= limit if rising else limit <= turn < value
            if between and not stands_at(value, turn):
                found.append((reach(passed + (turn - value) / rate * 1e6), TURN))
        passed += (limit - value) / rate * 1e6
        if rising and stands_at(limit, top) and (base is None or base < top):
            found.append((reach(passed), FULL))
        elif not rising and limit == 0 and (base is None or base > 0):
            found.append((reach(passed), EMPTY))
        value = limit
        rate = slope(value, course)
    return sorted(found, key=lambda item: item[0])


def _level(level: float, top: float, rising: bool, whole: bool) -> float:
    """Return the value at which a mark counts as crossed: where only whole numbers show, the first of them on
    the other side."""
    if not whole:
        return level
    below = floor(level + top * DECIMALS)
    return below + 1 if rising else below


def reach(moment: float) -> int:
    """Return the first whole microsecond at or after *moment*, float noise taken off first."""
    return max(ceil(moment * (1 - NOISE)), 0)


def towards_zero(number: float) -> int:
    """Return the whole part of what has flowed, float noise aside."""
    return int(number * (1 + NOISE) + (NOISE if number > 0 else -NOISE))
