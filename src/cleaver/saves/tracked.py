"""Tracked: what the saver knows of one player, and what could not be saved. Start at `Tracked`."""

from __future__ import annotations

from typing import Any, NamedTuple

from cleaver.core.world import World
from cleaver.errors import CleaverError, ProfileStaleError, SaveError, UsageError
from cleaver.saves.store import Held, Write


class Failure(NamedTuple):
    """A save that did not happen: whose, why, and whether it is final."""

    player: str
    error: CleaverError
    final: bool


class Tracked:
    """One player whose saves are looked after.

    `changed` says that something is unsaved, `flying` that a write is under way, `unfit` that the profile
    cannot be encoded. `last` is when it was last written, `body` what was written then, `error` why the last
    try failed, after `failures` tries.
    """

    __slots__ = (
        "body",
        "changed",
        "error",
        "failures",
        "flying",
        "held",
        "last",
        "listening",
        "player",
        "unfit",
        "wait_until",
        "world",
    )
    world: World
    player: str
    held: Held
    changed: bool
    flying: bool
    unfit: bool
    failures: int
    wait_until: float
    body: bytes

    def __init__(self, world: World, player: str, held: Held) -> None:
        self.world, self.player, self.held = world, player, held
        self.changed = self.flying = self.unfit = False
        self.last: float | None = None
        self.failures, self.wait_until, self.body = 0, 0.0, b""
        self.error: CleaverError | None = None
        self.listening: list[Any] = []

    @property
    def there(self) -> bool:
        """Whether the player is in its world."""
        return self.player in self.world.stage.actors

    def failure(self) -> Failure | None:
        """Return why the newest state is not saved; None where it is."""
        if self.flying:
            late = SaveError(f"the store did not answer in time, so the last of {self.player} may be lost")
            return Failure(self.player, late, final=False)
        if self.unfit:
            unfit = UsageError(f"something in the profile of {self.player} cannot be saved")
            return Failure(self.player, unfit, final=False)
        if self.error is not None:
            return Failure(self.player, self.error, final=isinstance(self.error, ProfileStaleError))
        return None

    def close(self) -> None:
        """Stop listening to the player."""
        for listening in self.listening:
            listening.close()
        self.listening.clear()


Batch = list[tuple[Tracked, Write]]
