"""Rounding: the one way numbers are rounded, and the one way they are written.

Used by everything above it. Python's own `round` goes to even and
``int(x + 0.5)`` gives 1 for 0.49999999999999994; neither is used anywhere else.
Start at `half_up`.
"""

from __future__ import annotations

from math import ceil, floor

MODES = ("half_up", "down", "up")


def half_up(number: float) -> int:
    """Return the nearest whole number, a half going away from zero.

    >>> half_up(2.5), half_up(-2.5), half_up(0.49999999999999994)
    (3, -3, 0)
    """
    low = floor(number)
    part = number - low
    if part > 0.5 or (part == 0.5 and number > 0):
        return low + 1
    return low


def rounded(number: float, mode: str) -> int:
    """Return *number* as a whole number: "half_up", "down" (towards zero) or "up" (away from zero)."""
    if mode == "half_up":
        return half_up(number)
    if (mode == "down") == (number >= 0):
        return floor(number)
    return ceil(number)


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
    """Return a count with its word, whose plural may be given: "1 player", "10,000 players", "2 currencies"."""
    return f"{number:,} {what if number == 1 else several or what + 's'}"
