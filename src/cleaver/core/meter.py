"""Meters: a value over time. Pure functions of numbers; no events, no actors.

A course is a tuple of (rate, limit): each flow moves the value at `rate` units
per second until it stands at `limit`. From one anchor a value moves one way
only, piece by piece, until it rests; so it is never ticked but worked out when
asked. Moments are whole microseconds after the anchor. Start at `at`.
"""

from __future__ import annotations

from math import ceil, floor, inf

Course = tuple[tuple[float, float], ...]
NOISE = 1e-9  # of a span of time: what floats may be off by
EMPTY, FULL = -1, -2
"""What `moments` gives beside the numbers of marks: the bounds."""


def slope(value: float, course: Course) -> float:
    """Return the rate at which *value* leaves where it is, in units per second; 0 if it rests.

    Where one flow stops at its limit and another pulls back, the value stays.
    """
    up = down = 0.0
    for rate, limit in course:
        if rate > 0:
            if value < limit:
                up += rate
                down += rate
            elif value == limit:
                down += rate
        elif value > limit:
            up += rate
            down += rate
        elif value == limit:
            up += rate
    return up if up > 0 else down if down < 0 else 0.0


def _next_limit(value: float, rate: float, course: Course) -> float:
    """Return the nearest limit ahead of a value that moves at *rate*."""
    if rate > 0:
        return min([limit for _, limit in course if limit > value], default=inf)
    return max([limit for _, limit in course if limit < value], default=-inf)


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


def moments(value: float, course: Course, top: float, marks: tuple[float, ...], above: int, whole: bool) -> list[tuple[int, int]]:
    """Return when and what the value will reach: (microseconds, number of a mark, `EMPTY` or `FULL`), in order.

    Args:
        value: The value at the anchor.
        course: The flows at work.
        top: The maximum.
        marks: The levels of the marks.
        above: Bit n is set while the value counts as above mark n.
        whole: Whether only whole numbers show, so that a mark is crossed when the shown number does.

    A bound or a mark on the way down is due at the first microsecond at or after it, one on the way up at the first
    beyond it; float noise aside.
    """
    found: list[tuple[int, int]] = []
    passed = 0.0
    while True:
        rate = slope(value, course)
        if rate == 0:
            return sorted(found, key=lambda item: item[0])
        limit = _next_limit(value, rate, course)
        for number, level in enumerate(marks):
            if rate > 0 and not above >> number & 1:
                if whole:
                    level = floor(level) + 1
                    if value <= level <= limit:
                        found.append((reach(passed + (level - value) / rate * 1e6), number))
                elif value <= level < limit:
                    moment = passed + (level - value) / rate * 1e6
                    found.append((floor(moment * (1 + NOISE)) + 1, number))
            elif rate < 0 and above >> number & 1:
                level = floor(level) if whole else level
                if limit <= level <= value:
                    found.append((reach(passed + (level - value) / rate * 1e6), number))
        passed += (limit - value) / rate * 1e6
        if rate > 0 and limit == top:
            found.append((reach(passed), FULL))
        elif rate < 0 and limit == 0:
            found.append((reach(passed), EMPTY))
        value = limit


def reach(moment: float) -> int:
    """Return the first whole microsecond at or after *moment*, float noise taken off first."""
    return max(ceil(moment * (1 - NOISE)), 0)


def towards_zero(number: float) -> int:
    """Return the whole part of what has flowed, float noise aside."""
    return int(number * (1 + NOISE) + (NOISE if number > 0 else -NOISE))
