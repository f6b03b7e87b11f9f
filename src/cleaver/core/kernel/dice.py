"""Dice: chance as a pure function of (seed, stream, how many draws before).

No generator with a hidden order: each stream is named for its use ("crit/eel#3"), so that adding an actor
changes nobody else's luck and a snapshot holds counters only. The mixer is splitmix64 (Steele, Lea and Flood,
"Fast splittable pseudorandom number generators", OOPSLA 2014). Start at `Dice.draw`.
"""

from __future__ import annotations

from cleaver.core.kernel.state import Record

_MASK = 2**64 - 1
GOLDEN = 0x9E3779B97F4A7C15  # the odd number nearest to 2**64 / golden ratio


def mix(state: int) -> int:
    """Return splitmix64's finalizer of a 64-bit number."""
    state &= _MASK
    state = ((state ^ (state >> 30)) * 0xBF58476D1CE4E5B9) & _MASK
    state = ((state ^ (state >> 27)) * 0x94D049BB133111EB) & _MASK
    return state ^ (state >> 31)


def key_of(seed: int, stream: str) -> int:
    """Return the 64-bit key of a stream: its UTF-8 bytes, eight at a time, then their number, mixed into the
    seed."""
    data = stream.encode()
    key = mix(seed)
    for start in range(0, len(data), 8):
        key = mix(key ^ int.from_bytes(data[start : start + 8], "little"))
    return mix(key ^ len(data))


def draw_at(key: int, index: int) -> float:
    """Return draw number *index* (from 0) of a stream's key: 53 bits, at least 0 and below 1."""
    return (mix(key + (index + 1) * GOLDEN) >> 11) * 2.0**-53


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
        state = (key + index * GOLDEN) & _MASK  # `draw_at` written out: a third of the time of a critical hit
        state = ((state ^ (state >> 30)) * 0xBF58476D1CE4E5B9) & _MASK
        state = ((state ^ (state >> 27)) * 0x94D049BB133111EB) & _MASK
        return ((state ^ (state >> 31)) >> 11) * 2.0**-53

    def peek(self, stream: str, ahead: int) -> float:
        """Return the number that *stream* will give after *ahead* others, without drawing it."""
        return draw_at(self._key(stream), self.drawn.get(stream, 0) + ahead)

    def _key(self, stream: str) -> int:
        key = self._keys.get(stream)
        if key is None:
            key = self._keys[stream] = key_of(self.seed, stream)
        return key

    def forget(self, stream: str) -> None:
        """Drop a stream: that of something gone for good."""
        self.drawn.pop(stream, None)
        self._keys.pop(stream, None)
