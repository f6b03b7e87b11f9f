"""Dice: chance as a pure function of (seed, name of a stream, how many draws before).

No generator with a hidden order: each stream is named for its use ("crit/eel#3"), so that another use changes
nobody's luck. The mixer is splitmix64 (Steele, Lea and Flood, "Fast splittable pseudorandom number
generators", OOPSLA 2014). What a stream gives for a seed and a name stays the same within a major version.
Start at `stream`.
"""

from __future__ import annotations

from collections.abc import Sequence

from cleaver.errors import AmountError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import TypeVar

    T = TypeVar("T")

MASK = 2**64 - 1
GOLDEN = 0x9E3779B97F4A7C15  # the odd number nearest to 2**64 / golden ratio


def mix(state: int) -> int:
    """Return splitmix64's finalizer of a 64-bit number."""
    state &= MASK
    state = ((state ^ (state >> 30)) * 0xBF58476D1CE4E5B9) & MASK
    state = ((state ^ (state >> 27)) * 0x94D049BB133111EB) & MASK
    return state ^ (state >> 31)


def stream_of(seed: int, stream: str) -> int:
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


class Stream:
    """Numbers of one use: `draw`, `between`, `chance`, `pick`; each takes one number of the stream.

    >>> luck = stream(7, "waiter")
    >>> round(luck.draw(), 6), luck.drawn
    (0.688382, 1)
    """

    __slots__ = ("_key", "drawn")
    drawn: int

    def __init__(self, key: int) -> None:
        self._key, self.drawn = key, 0

    def draw(self) -> float:
        """Return the next number, at least 0 and below 1."""
        self.drawn = index = self.drawn + 1
        state = (
            self._key + index * GOLDEN
        ) & MASK  # `draw_at` written out: it is called a thousand times a play
        state = ((state ^ (state >> 30)) * 0xBF58476D1CE4E5B9) & MASK
        state = ((state ^ (state >> 27)) * 0x94D049BB133111EB) & MASK
        return ((state ^ (state >> 31)) >> 11) * 2.0**-53

    def between(self, low: float, high: float) -> float:
        """Return a number from *low* to *high*."""
        return low + (high - low) * self.draw()

    def chance(self, chance: float) -> bool:
        """Return whether something of that chance, from 0 to 1, comes true."""
        return self.draw() < chance

    def pick(self, among: Sequence[T]) -> T:
        """Return one of *among*, each as likely as the others.

        Raises:
            UsageError: There is nothing to choose from; no number is taken.
        """
        if not among:
            raise UsageError("there is nothing to pick from")
        return among[min(int(self.draw() * len(among)), len(among) - 1)]


def stream(seed: int, name: str) -> Stream:
    """Return a stream of dice of your own, from its beginning.

    Args:
        seed: A whole number, of any size and sign.
        name: What it is for; another name is other luck.
    """
    if isinstance(seed, bool) or not isinstance(seed, int):
        raise AmountError("seed", seed, "a whole number")
    if not isinstance(name, str):
        raise UsageError(f"name is {name!r}; it must be a text")
    return Stream(stream_of(seed, name))
