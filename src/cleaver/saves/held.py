"""Held: a profile that this process has, and what is written of it. Start at `Held`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple, Protocol

from cleaver.core.profile import Profile
from cleaver.errors import SaveError
from cleaver.saves.outcomes import Absent, Found, SaveInfo


class _Store(Protocol):
    """What is asked of the store a profile was taken from."""

    def save_many(self, writes: Sequence[Write]) -> list[SaveInfo | SaveError]: ...

    def encoded(self, held: Held, profile: Profile) -> Write: ...

    def release(self, helds: Sequence[Held]) -> None: ...


Row = dict[str, Any]
"""One generation as it is written, by column."""


class Write(NamedTuple):
    """One profile to be saved, encoded: what a batch consists of."""

    held: Held
    profile: Profile
    body: bytes


class Held:
    """A profile that this process has, and nobody else may write; made by `Store.hold`. `outcome` is `Found`
    or `Absent`, `who` what it is held for."""

    store: _Store
    player: str
    outcome: Found | Absent
    revision: int
    fence: int
    chain: str
    who: str
    lost: bool

    def __init__(
        self,
        store: _Store,
        player: str,
        outcome: Found | Absent,
        place: tuple[int, int, str],
        who: str = "this program",
    ) -> None:
        self.store, self.player, self.outcome = store, player, outcome
        self.revision, self.fence, self.chain = place
        self.who = who
        self.lost = False

    @property
    def profile(self) -> Profile | None:
        """The profile as it was read; None for a player who was never saved."""
        return self.outcome.profile if isinstance(self.outcome, Found) else None

    def save(self, profile: Profile) -> SaveInfo:
        """Write *profile* as the next revision.

        Raises:
            ProfileStaleError: Another process has taken it over; this one may not write it any more.
            StoreUnavailableError: The store cannot be written now.
            AmountError: Something in the profile cannot be saved; its path is named.
        """
        result = self.store.save_many([self.store.encoded(self, profile)])[0]
        if isinstance(result, SaveError):
            raise result
        return result

    def release(self) -> None:
        """Let others have the profile."""
        self.store.release([self])

    def __enter__(self) -> Held:
        return self

    def __exit__(self, *error: object) -> None:
        self.release()
