"""Dice: the luck of a world.

The streams of `cleaver.dice`, as a world keeps them: adding an actor changes nobody else's luck, and a
snapshot holds counters only. Start at `Dice.draw`.
"""

from __future__ import annotations

from cleaver.core.kernel.state import Record
from cleaver.dice import GOLDEN, MASK, draw_at, stream_of


class Dice(Record):
    """The seed and, per stream, how often it was drawn."""

    __slots__ = ("_keys", "drawn", "seed")
    seed: int
    drawn: dict[str, int]

    def __init__(self, seed: int) -> None:
        self.seed = seed
        self.drawn = {}
        self.fresh()

    def fresh(self) -> None:
        """See `Record.fresh`."""
        self._keys: dict[str, int] = {}

    def draw(self, stream: str) -> float:
        """Return the next number of *stream*, at least 0 and below 1."""
        key = self._keys.get(stream)
        if key is None:
            key = self._key(stream)
        drawn = self.drawn
        index = drawn[stream] = drawn.get(stream, 0) + 1
        state = (key + index * GOLDEN) & MASK  # `draw_at` written out: a third of the time of a critical hit
        state = ((state ^ (state >> 30)) * 0xBF58476D1CE4E5B9) & MASK
        state = ((state ^ (state >> 27)) * 0x94D049BB133111EB) & MASK
        return ((state ^ (state >> 31)) >> 11) * 2.0**-53

    def peek(self, stream: str, ahead: int) -> float:
        """Return the number that *stream* will give after *ahead* others, without drawing it."""
        return draw_at(self._key(stream), self.drawn.get(stream, 0) + ahead)

    def _key(self, stream: str) -> int:
        key = self._keys.get(stream)
        if key is None:
            key = self._keys[stream] = stream_of(self.seed, stream)
        return key

    def forget(self, stream: str) -> None:
        """Drop a stream: that of something gone for good."""
        self.drawn.pop(stream, None)
        self._keys.pop(stream, None)
