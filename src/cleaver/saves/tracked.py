"""Tracked: what the saver knows of one player, and with whom it must be written. Start at `Tracked`."""

from __future__ import annotations

from cleaver.core import read
from cleaver.core.world import World
from cleaver.errors import CleaverError, ProfileStaleError, SaveError, UsageError
from cleaver.saves.held import Held
from cleaver.saves.reports import Failure


class Tracked:
    """One player whose saves are looked after.

    `changed` says that something is unsaved, `flying` that a write is under way, `unfit` that the profile
    cannot be encoded. `last` is when it was last written, `body` what was written then, `error` why the last
    try failed, after `failures` tries. `mates` are the players who must be written in one transaction with
    it, itself included: those it has traded with since.
    """

    __slots__ = (
        "body", "busy_since", "changed", "error", "failures", "flying", "held", "kind", "last", "mates",
        "pending", "player", "unfit", "wait_until", "world",
    )  # fmt: skip
    world: World
    player: str
    held: Held
    kind: str
    changed: bool
    flying: bool
    unfit: bool
    failures: int
    wait_until: float
    body: bytes

    def __init__(self, world: World, player: str, held: Held) -> None:
        self.world, self.player, self.held, self.kind = world, player, held, ""
        self.changed = self.flying = self.unfit = False
        self.last: float | None = None
        self.failures, self.wait_until, self.body = 0, 0.0, b""
        self.error: CleaverError | None = None
        self.busy_since: float | None = None  # when a frame first found the store locked by another program
        self.mates: list[Tracked] = [self]
        self.pending: tuple[int, bytes] | None = None  # version and bytes of what was last given out

    @property
    def there(self) -> bool:
        """Whether the player is in its world."""
        return self.player in read.parts(self.world).stage.actors

    def tie(self, other: Tracked) -> None:
        """Let both be written in one transaction, and all who must be with either."""
        if other not in self.mates:
            both = self.mates + other.mates
            for mate in both:
                mate.mates = both

    def untie(self) -> None:
        """Let each who is tied to it be written by itself again."""
        for mate in self.mates:
            mate.mates = [mate]

    def settled(self) -> None:
        """Note that what is there is what is saved."""
        self.failures, self.error, self.wait_until, self.busy_since = 0, None, 0.0, None

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
