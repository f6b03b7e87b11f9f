"""Awaiting: a store for servers on asyncio, whose loop waits for nothing. Start at `AsyncStore`."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import ParamSpec, TypeVar

from cleaver.core.profile import Profile
from cleaver.errors import AmountError, ProfileBusyError
from cleaver.saves.held import Held
from cleaver.saves.outcomes import Absent, Correction, DamagedProfile, Found, HighScore, Holder, SaveInfo
from cleaver.saves.store import Store

P = ParamSpec("P")
T = TypeVar("T")

LOOK = 0.1  # seconds from one look at whether a player was handed over to the next


async def off_loop(call: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
    """Call something in a thread of the loop. What was begun is finished, also where nobody waits for it any
    more."""
    return await asyncio.shield(_begun(partial(call, *args, **kwargs)))


def _begun(call: Callable[[], T]) -> asyncio.Future[T]:
    # No task: one that waits for its thread would be dropped where the loop ends.
    return asyncio.get_running_loop().run_in_executor(None, call)


async def taken(store: Store, player: str, take: Callable[[], Held], wait: float) -> Held:
    """Return what *take* takes, in a thread of the loop.

    Args:
        store: Which one.
        player: Whose profile it is.
        take: Takes it.
        wait: Seconds that another process which has it gets to hand it over; it is asked.

    Raises:
        ProfileBusyError: It still has it then.
    """
    if not wait >= 0:
        raise AmountError("wait", wait, "a number of seconds, 0 or more")
    loop = asyncio.get_running_loop()
    until: float | None = None  # that process gets its time from when it was asked
    while True:
        taking = _begun(take)
        try:
            return await asyncio.shield(taking)
        except asyncio.CancelledError:
            taking.add_done_callback(_give_back)  # nobody waits for it any more
            raise
        except ProfileBusyError:
            if not wait or (until is not None and loop.time() >= until):
                raise
        if until is None:
            await off_loop(store.request_handover, player)
            until = loop.time() + wait
        await asyncio.sleep(min(LOOK, max(until - loop.time(), 0)))


def _give_back(taking: asyncio.Future[Held]) -> None:
    """Release a profile that was read for somebody who does not wait for it any more."""
    if not taking.cancelled() and taking.exception() is None:
        taking.result().release()


class AsyncStore:
    """A store whose calls are awaited: each is done in a thread of the loop, as the call of `Store` of its
    name does it. Where the awaiting is cancelled, what was begun is finished there.

    Args:
        store: Which one; it stays usable as it is, and is closed through it.
    """

    store: Store

    def __init__(self, store: Store) -> None:
        self.store = store

    # profiles

    async def load(self, player: str) -> Found | Absent | DamagedProfile:
        """As `Store.load`."""
        return await off_loop(self.store.load, player)

    async def read(self, player: str) -> Profile | None:
        """As `Store.read`."""
        return await off_loop(self.store.read, player)

    async def players(self) -> list[str]:
        """As `Store.players`."""
        return await off_loop(self.store.players)

    async def revisions(self, player: str) -> list[tuple[int, float, int]]:
        """As `Store.revisions`."""
        return await off_loop(self.store.revisions, player)

    async def hold(self, player: str, who: str = "this program", *, wait: float = 0.0) -> Held:
        """As `Store.hold`. Another process that has the player is asked to hand it over.

        Args:
            player: Whose profile.
            who: What it is held for, for the message to whoever asks for it meanwhile.
            wait: Seconds which that process gets for it, 0 or more.

        Raises:
            ProfileBusyError: It still has the player then.
        """
        return await taken(self.store, player, lambda: self.store.hold(player, who), wait)

    async def save(self, profile: Profile, held: Held | None = None) -> SaveInfo:
        """As `Store.save`, or as `Held.save` of what is *held*."""
        return await off_loop(self.store.save if held is None else held.save, profile)

    async def release(self, helds: Sequence[Held]) -> None:
        """As `Store.release`."""
        await off_loop(self.store.release, helds)

    async def correct(
        self, profile: Profile, *, why: str = "", what: str = "correct", detail: str = ""
    ) -> SaveInfo:
        """As `Store.correct`."""
        return await off_loop(self.store.correct, profile, why=why, what=what, detail=detail)

    async def restore(self, player: str, revision: int, *, why: str = "") -> SaveInfo:
        """As `Store.restore`."""
        return await off_loop(self.store.restore, player, revision, why=why)

    async def copy(self, player: str, to: str, *, why: str = "") -> SaveInfo:
        """As `Store.copy`."""
        return await off_loop(self.store.copy, player, to, why=why)

    async def forget(self, player: str, *, why: str = "") -> bool:
        """As `Store.forget`."""
        return await off_loop(self.store.forget, player, why=why)

    async def audit_trail(self, player: str = "") -> list[Correction]:
        """As `Store.audit_trail`."""
        return await off_loop(self.store.audit_trail, player)

    # who is where

    async def holder_of(self, player: str) -> Holder | None:
        """As `Store.holder_of`."""
        return await off_loop(self.store.holder_of, player)

    async def holders(self) -> list[Holder]:
        """As `Store.holders`."""
        return await off_loop(self.store.holders)

    async def free(self, holder: str, *, why: str = "") -> int:
        """As `Store.free`."""
        return await off_loop(self.store.free, holder, why=why)

    async def request_handover(self, player: str) -> None:
        """As `Store.request_handover`."""
        await off_loop(self.store.request_handover, player)

    # leaderboards

    async def keep_score(
        self, board: str, player: str, score: int, *, lower_is_better: bool | None = None
    ) -> bool:
        """As `Store.keep_score`."""
        return await off_loop(self.store.keep_score, board, player, score, lower_is_better=lower_is_better)

    async def keep_scores(
        self, board: str, scores: Mapping[str, int], *, lower_is_better: bool | None = None
    ) -> dict[str, bool]:
        """As `Store.keep_scores`."""
        return await off_loop(self.store.keep_scores, board, scores, lower_is_better=lower_is_better)

    async def high_scores(self, board: str, limit: int = 10, *, start: int = 0) -> list[HighScore]:
        """As `Store.high_scores`."""
        return await off_loop(self.store.high_scores, board, limit, start=start)

    async def rank_of(self, board: str, player: str) -> HighScore | None:
        """As `Store.rank_of`."""
        return await off_loop(self.store.rank_of, board, player)

    async def scores_around(self, board: str, player: str, each: int = 2) -> list[HighScore]:
        """As `Store.scores_around`."""
        return await off_loop(self.store.scores_around, board, player, each)

    async def end_season(self, board: str, season: str) -> str:
        """As `Store.end_season`."""
        return await off_loop(self.store.end_season, board, season)

    async def boards(self) -> list[str]:
        """As `Store.boards`."""
        return await off_loop(self.store.boards)
