"""Arguments: whether what a game gives is a number that can be used. Start at `amount`."""

from __future__ import annotations

from math import isfinite

from cleaver.core.kinds import MOST
from cleaver.errors import AmountError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


def amount(what: str, value: Any, *, most: float = MOST) -> float:
    """Return *value* if it can be an amount: finite, 0 or more. The direction is in the verb, never in the sign."""
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not isfinite(value) or not 0 <= value <= most:
        right = "a finite number, 0 or more (the direction is in the verb: heal, hurt)" if most == MOST else f"a number from 0 to {most:g}"
        raise AmountError(what, value, right)
    return value


def number(what: str, value: Any) -> float:
    """Return *value* if it is a finite number."""
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not isfinite(value):
        raise AmountError(what, value, "a finite number")
    return value


def whole(what: str, value: Any) -> int:
    """Return *value* if it is a whole number, 0 or more."""
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= MOST:
        raise AmountError(what, value, f"a whole number from 0 to {MOST}")
    return value


def whole_if(number: float) -> float:
    """Return a number as a whole one where it is."""
    return int(number) if number == int(number) else number
