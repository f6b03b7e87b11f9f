"""Trouble: a stand-in for a store far away, for games that want to see what their players would.

Slow, failing at will, limiting writes per player. Set it on any store:
``store.trouble = Trouble(slow=0.5)``. Start at `Trouble`.
"""

from __future__ import annotations

import time
from collections.abc import Callable

from cleaver.errors import AmountError, StoreUnavailableError


class Trouble:
    """What goes wrong: the next `failing` calls fail, each call takes `slow` seconds, a player is written
    once in `spacing` seconds at most.

    Args:
        failing: How many calls fail from now on; -1 for all of them.
        slow: Seconds each call takes.
        spacing: Seconds that must lie between two writes of one player, as hosted stores ask for; 0 for no
            limit.
        clock: Seconds, for `spacing`.
        sleep: How to wait, for `slow`.
    """

    failing: int
    slow: float
    spacing: float
    calls: int
    refused: int

    def __init__(
        self,
        *,
        failing: int = 0,
        slow: float = 0.0,
        spacing: float = 0.0,
        clock: Callable[[], float] = time.monotonic,
        sleep: Callable[[float], None] = time.sleep,
    ) -> None:
        if slow < 0 or spacing < 0 or failing < -1:
            raise AmountError(
                "trouble", (failing, slow, spacing), "made of numbers from 0 (failing = -1 for always)"
            )
        self.failing, self.slow, self.spacing = failing, slow, spacing
        self.calls = self.refused = 0
        self._clock, self._sleep = clock, sleep
        self._written: dict[str, float] = {}

    def meet(self, what: str, players: list[str]) -> None:
        """Let one call meet the trouble: wait, fail, or pass."""
        self.calls += 1
        if self.slow:
            self._sleep(self.slow)
        if self.failing:
            self.failing -= self.failing > 0
            self.refused += 1
            raise StoreUnavailableError(
                f"the store does not answer ({what}); nothing was lost, and it is worth trying again"
            )
        if what == "save" and self.spacing:
            now = self._clock()
            early = [
                player for player in players if now - self._written.get(player, -self.spacing) < self.spacing
            ]
            if early:
                self.refused += 1
                raise StoreUnavailableError(
                    f"too many writes of {', '.join(early[:3])}: at most one in {self.spacing:g} s; nothing "
                    "was lost, try again later"
                )
            for player in players:
                self._written[player] = now
