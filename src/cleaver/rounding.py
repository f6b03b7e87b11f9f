"""Rounding: the one way numbers are rounded, and the one way they are written.

Used by everything above it. Python's own `round` goes to even, and sums of decimals end a hair beside what
they mean (45 × 0.7 is 31.499999999999996): every rounding looks past that much, `NOISE`. Start at `half_up`.
"""

from __future__ import annotations

from math import ceil, floor

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import TypeGuard

MODES = ("half_up", "down", "up")
NOISE = 1e-12  # of a number: what sums and products of decimals may be off by; it decides nothing
_MOST_NOISE = 1e-6  # however large the number
_FEW = 1e9  # numbers below this keep a millionth in fifteen digits


def _slack(number: float) -> float:
    return min(abs(number) * NOISE, _MOST_NOISE)


def at_least(number: float, wanted: float) -> bool:
    """Return whether a number is as much as is wanted, decimal noise aside; whole numbers are compared
    exactly.

    >>> at_least(0.7 + 0.1 + 0.1 + 0.1, 1), at_least(2**60 - 1, 2**60), at_least(0.999, 1)
    (True, False, False)
    """
    return number >= wanted or (isinstance(number, float) and number + _slack(wanted) >= wanted)


def tidy(number: float) -> float:
    """Return a sum of decimals without the noise of its terms: fifteen digits of it, where it has so few that
    nothing is lost by that.

    >>> tidy(0.1 + 0.1 + 0.1), tidy(0.1 * 3 + 10**6), tidy(7)
    (0.3, 1000000.3, 7)
    """
    return float(f"{number:.15g}") if isinstance(number, float) and abs(number) < _FEW else number


def is_number(value: object) -> TypeGuard[float]:
    """Return whether a value is a number; true and false are none."""
    return isinstance(value, (int, float)) and not isinstance(value, bool)


def half_up(number: float) -> int:
    """Return the nearest whole number, a half going away from zero; decimal noise aside.

    >>> half_up(2.5), half_up(-2.5), half_up(45 * 0.7), half_up(0.4999)
    (3, -3, 32, 0)
    """
    if isinstance(number, int):
        return number
    size = abs(number)
    low = floor(size)
    whole = low + 1 if size - low >= 0.5 - _slack(size) else low
    return whole if number >= 0 else -whole


def rounded(number: float, mode: str) -> int:
    """Return *number* as a whole number: "half_up", "down" (towards zero) or "up" (away from zero); decimal
    noise aside.

    >>> rounded(2.9999999999999996, "down"), rounded(3.0000000000000004, "up"), rounded(-2.5, "down")
    (3, 3, -2)
    """
    if mode == "half_up":
        return half_up(number)
    slack = _slack(number)
    if (mode == "down") == (number >= 0):
        return floor(number + slack)
    return ceil(number - slack)


def snapped(value: float, top: float) -> float:
    """Return *value*, or 0 or *top* where it is as close to that as decimal noise: a part in 10¹² of *top*.

    >>> snapped(1 - 10 * 0.1 + 1e-16, 1), snapped(0.7 + 0.1 + 0.1 + 0.1, 1), snapped(0.5, 1)
    (0, 1, 0.5)
    """
    slack = top * NOISE
    if value <= slack:
        return 0 if value >= -slack else value
    return top if -slack <= value - top <= slack else value


def shown(number: float) -> str:
    """Return *number* as a person writes it: no needless decimals, a real minus sign.

    >>> shown(12.50), shown(-3.0), shown(1 / 3)
    ('12.5', '−3', '0.3333')
    """
    if isinstance(number, int):
        text = str(number)
    elif abs(number) >= 1e15:
        text = f"{number:.6g}"
    else:
        text = f"{number:.4f}".rstrip("0").rstrip(".")
        if float(text) == 0 and number != 0:
            text = f"{number:.3g}"
    return "0" if text == "-0" else text.replace("-", "−")


def counted(number: int, what: str, several: str = "") -> str:
    """Return a count with its word, whose plural may be given: "1 player", "10,000 players", "2
    currencies"."""
    return f"{number:,} {what if number == 1 else several or what + 's'}"
