"""Drawn: what all HUD objects have in common. Start at `Drawn`."""

from __future__ import annotations

from collections.abc import Iterable

from cleaver.core.kernel.arguments import finite
from cleaver.core.kernel.delivery import Listening
from cleaver.core.kernel.living import Living
from cleaver.errors import AmountError
from cleaver.rounding import counted

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, TypeVar

    H = TypeVar("H", bound="Hearing")


def lasting(lasts: Any) -> float:
    """Return for how many seconds something is seen, if that can be."""
    if not finite(lasts) or lasts <= 0:
        raise AmountError("lasts", lasts, "more than 0 seconds")
    return float(lasts)


def clock_text(left: float, unit: str = "seconds") -> str:
    """Return seconds left as minutes and seconds, rounded up, so that "0:00" means over; turns, rounds and
    days in words."""
    if unit != "seconds":
        return counted(int(left), unit[:-1])
    whole = int(-(-left // 1))
    return f"{whole // 60}:{whole % 60:02d}"


class Drawn(Living):
    """Something a game draws: it shows what it tells when it is printed."""

    __slots__ = ()
    _instead = "make it again from the actor or the world"
    _tells: tuple[str, ...] = ("text",)
    """The attributes that its text shows."""

    def __repr__(self) -> str:
        told = " ".join(f"{name}={getattr(self, name)!r}" for name in self._tells)
        return f"<{type(self).__name__} {told}>"


class Hearing(Drawn):
    """Something that listens until it is closed, or until the `with` in which it is used is over."""

    _listening: Iterable[Listening] = ()

    def close(self) -> None:
        """Stop listening; what is on its way goes on."""
        for listening in self._listening:
            listening.close()

    def __enter__(self: H) -> H:
        return self

    def __exit__(self, *ended: Any) -> None:
        self.close()
