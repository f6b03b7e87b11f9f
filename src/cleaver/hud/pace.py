"""Pace: how fast a game goes, and what a screen says of it. Start at `Pace`."""

from __future__ import annotations

from cleaver.core.kernel.arguments import finite
from cleaver.errors import AmountError
from cleaver.hud.drawn import Drawn
from cleaver.rounding import half_up

MOST = 100.0


class Pace(Drawn):
    """Pause and slow motion in one place: give the seconds of each frame through `of`.

    Everything that runs on the world's clock stands still or slows down with it, since all of it is driven by
    `World.advance`; give what animates by itself the same seconds.

    >>> pace = Pace()
    >>> pace.speed = 0.25
    >>> pace.of(0.5), pace.text
    (0.125, '25 % speed')
    >>> pace.paused = True
    >>> pace.of(0.5), pace.text
    (0.0, 'paused')
    """

    __slots__ = ("_speed", "paused")
    paused: bool

    def __init__(self) -> None:
        self._speed, self.paused = 1.0, False

    @property
    def speed(self) -> float:
        """Seconds of the world in a second of the player, more than 0 and 100 at most."""
        return self._speed

    @speed.setter
    def speed(self, value: float) -> None:
        if not finite(value) or not 0 < value <= MOST:
            raise AmountError("speed", value, f"a number, more than 0 and {MOST:g} at most")
        self._speed = float(value)

    def of(self, seconds: float) -> float:
        """Return how many seconds the world is to go on in a frame of *seconds*."""
        return 0.0 if self.paused else seconds * self._speed

    @property
    def text(self) -> str:
        """ "paused", "25 % speed", or nothing where time goes as usual."""
        if self.paused:
            return "paused"
        return "" if self._speed == 1 else f"{max(half_up(self._speed * 100), 1)} % speed"
