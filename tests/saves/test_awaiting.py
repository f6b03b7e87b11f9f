"""Stores that are awaited: the same calls and answers, a loop that goes on, players handed over."""

from __future__ import annotations

import asyncio
import inspect
import threading
from collections.abc import Coroutine
from typing import Any

import pytest

from cleaver import AmountError, ProfileBusyError, UnknownNameError, UsageError, World
from cleaver.rooms import Room
from cleaver.saves import AsyncStore, Autosaver, Found, HighScore, Store, open_store
from saving import DESIGN, scrip

OWN = {"hold": {"heir_of", "wait"}, "save": {"held"}}  # what one of the two has more


def test_each_awaited_call_is_that_of_the_store() -> None:
    awaited = dict(inspect.getmembers(AsyncStore, inspect.iscoroutinefunction))
    assert len(awaited) >= 20
    for name, call in awaited.items():
        mine = inspect.signature(call).parameters
        theirs = inspect.signature(inspect.unwrap(getattr(Store, name))).parameters
        assert set(mine) ^ set(theirs) == OWN.get(name, set()), name
        for both in set(mine) & set(theirs):
            assert mine[both] == theirs[both], (name, both)


def test_a_store_is_awaited(url: str) -> None:
    async def server(store: AsyncStore) -> None:
        assert (await store.save(scrip(5))).revision == 1
        held = await store.hold("ana")
        assert (await store.save(scrip(6), held)).revision == 2
        with pytest.raises(UsageError, match="held by this program"):
            await store.save(scrip(7))
        await store.release([held])
        assert await store.read("ana") == scrip(6)
        assert isinstance(await store.load("ana"), Found)
        assert [revision for revision, _, _ in await store.revisions("ana")] == [2, 1]
        await store.restore("ana", 1)
        await store.copy("ana", "bea")
        assert await store.players() == ["ana", "bea"]
        assert await store.forget("bea")
        assert [line.what for line in await store.audit_trail()] == ["restore", "forget"]
        assert await store.keep_score("dive", "ana", 5)
        assert await store.keep_scores("dive", {"bea": 9}) == {"bea": True}
        assert await store.rank_of("dive", "ana") == HighScore(2, "ana", 5)
        assert await store.high_scores("dive", 1, start=1) == [HighScore(2, "ana", 5)]
        assert len(await store.scores_around("dive", "ana", 1)) == 2
        with pytest.raises(UnknownNameError):
            await store.scores_around("dive", "cid")
        assert await store.end_season("dive", "spring") == "dive/spring"
        assert await store.boards() == ["dive/spring"]
        assert await store.holder_of("ana") is None
        (me,) = await store.holders()
        assert await store.free(me.id) == 0

    with open_store(url, DESIGN) as store:
        asyncio.run(server(AsyncStore(store)))


class Slow:
    """A store's call that waits until it is let go on."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, name: str) -> None:
        self.begun, self.go_on = threading.Event(), threading.Event()
        call: Any = getattr(Store, name)

        def slow(store: Store, *given: Any, **named: Any) -> Any:
            self.begun.set()
            assert self.go_on.wait(5)
            return call(store, *given, **named)

        monkeypatch.setattr(Store, name, slow)

    async def given_up(self, call: Coroutine[Any, Any, Any]) -> None:
        """Begin a call, let the loop go on beside it, and wait for it no more."""
        doing = asyncio.ensure_future(call)
        while not self.begun.is_set():
            await asyncio.sleep(0)  # the loop goes on
        doing.cancel()
        with pytest.raises(asyncio.CancelledError):
            await doing
        self.go_on.set()


def test_what_was_begun_is_finished_where_nobody_waits_for_it(
    file_url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    with open_store(file_url, DESIGN) as store:
        slow = Slow(monkeypatch, "keep_score")
        asyncio.run(slow.given_up(AsyncStore(store).keep_score("dive", "ana", 5)))
        assert store.rank_of("dive", "ana") == HighScore(1, "ana", 5)


def test_a_profile_taken_for_somebody_who_waits_no_more_is_let_go(
    file_url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    with open_store(file_url, DESIGN) as store, open_store(file_url, DESIGN) as other:
        slow = Slow(monkeypatch, "hold")
        asyncio.run(slow.given_up(AsyncStore(store).hold("ana")))
        with other.hold("ana"):
            pass


@pytest.mark.parametrize("how", ["hold", "join", "enter"])
def test_a_player_of_another_process_is_handed_over(url: str, how: str) -> None:
    asked: list[str] = []

    async def one(saver: Autosaver, done: asyncio.Event) -> None:
        saver.join(World(DESIGN), "ana").earn("scrip", 3)
        while not done.is_set():
            await saver.pump_async()
            for player in asked:
                await saver.leave_async(player)
                asked.clear()
            await asyncio.sleep(0.02)

    async def both() -> None:
        with (
            open_store(url, DESIGN, name="the pier") as pier,
            open_store(url, DESIGN, name="the reef") as reef,
        ):
            done = asyncio.Event()
            saver = Autosaver(pier, threaded=False, on_request=lambda player, who: asked.append(player))
            other = Autosaver(reef, threaded=False)
            pumping = asyncio.ensure_future(one(saver, done))
            await asyncio.sleep(0)
            with pytest.raises(ProfileBusyError, match="the pier"):
                await AsyncStore(reef).hold("ana", wait=0)
            if how == "hold":
                held = await AsyncStore(reef).hold("ana", wait=20)
                assert held.profile == scrip(3)
            elif how == "join":
                world = World(DESIGN)
                await other.join_async(world, "ana", wait=20)
                assert world.value("ana.scrip") == 3
            else:
                room = Room(DESIGN, "reef", saver=other)
                assert await room.enter("ana", wait=20) == "found"
                assert room.world.value("ana.scrip") == 3
            done.set()
            await pumping
            await other.close_async()
            await saver.close_async()

    asyncio.run(both())


def test_who_hands_nothing_over_keeps_it(file_url: str) -> None:
    with open_store(file_url, DESIGN, name="the pier") as pier, open_store(file_url, DESIGN) as reef:
        with pier.hold("ana"):
            with pytest.raises(ProfileBusyError, match="the pier"):
                asyncio.run(AsyncStore(reef).hold("ana", wait=0.05))
            assert pier.requests() == [("ana", reef.name)]
        with pytest.raises(AmountError, match="wait is -1; it must be a number of seconds, 0 or more"):
            asyncio.run(AsyncStore(reef).hold("ana", wait=-1))
