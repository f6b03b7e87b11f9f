"""Never in the way: no frame and no event loop waits for a lock that somebody else has."""

from __future__ import annotations

import asyncio
import logging
import sqlite3
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import pytest
from sqlalchemy import create_engine, event, text

from cleaver import StoreBusyError, World
from cleaver.saves import Autosaver, Failure, Found, Metric, Store, Trouble, open_store
from helpers import Clock
from saving import DESIGN

NOTICED = 1.0  # seconds: far more than any budget here, far less than a wait for a lock (5)


@pytest.fixture
def store(url: str) -> Iterator[Store]:
    with open_store(url, DESIGN, lease=0.1) as opened:
        yield opened


@contextmanager
def locked(store: Store) -> Iterator[None]:
    """Let another program write, and not come to an end."""
    if store.path is not None:
        other = sqlite3.connect(store.path, isolation_level=None)
        other.execute("BEGIN IMMEDIATE")
        yield
        other.execute("ROLLBACK")
        other.close()
    else:
        engine = create_engine(store.engine.url)
        with engine.connect() as connection, connection.begin():
            connection.execute(text("LOCK TABLE cleaver_profiles, cleaver_holders IN EXCLUSIVE MODE"))
            yield
        engine.dispose()


def amount(store: Store, player: str = "ana") -> int:
    found = store.load(player)
    return int(found.profile.sections["currencies"]["scrip"]) if isinstance(found, Found) else -1


@pytest.mark.parametrize("threaded", [True, False])
def test_no_frame_waits_for_a_lock(store: Store, threaded: bool) -> None:
    failures: list[Failure] = []
    world, saver = World(DESIGN), Autosaver(store, interval=0, threaded=threaded, on_failure=failures.append)
    ana = saver.join(world, "ana")
    longest = 0.0
    with locked(store):
        for _ in range(20):
            ana.earn("scrip", 1)
            begun = time.perf_counter()
            saver.pump(0.002)
            longest = max(longest, time.perf_counter() - begun)
            time.sleep(0.02)  # beyond a third of the lease, so that it must be renewed, too
    assert longest < NOTICED
    assert saver.state_of("ana")[0] in ("unsaved", "saving")  # nothing is wrong yet
    assert failures == []
    assert saver.close() == []
    assert amount(store) == 20


def test_a_store_locked_for_long_is_reported(store: Store) -> None:
    clock, world = Clock(), World(DESIGN)
    failures: list[Failure] = []
    saver = Autosaver(store, interval=0, threaded=False, on_failure=failures.append, clock=clock)
    saver.join(world, "ana").earn("scrip", 1)
    with locked(store):
        for clock.now in (0, 0.1, 2, 4.9):
            saver.pump(0.002)
        assert failures == []
        clock.now = 5.1
        saver.pump(0.002)
        assert [type(failure.error) for failure in failures] == [StoreBusyError]
        assert "is being written by another program" in str(failures[0].error)
        assert "nothing was lost" in str(failures[0].error)
        assert saver.state_of("ana") == ("waiting", "tried 1 time, again in 0.5 s")
    clock.now = 5.7
    saver.pump(0.002)
    assert amount(store) == 1
    assert saver.state_of("ana") == ("saved", "")
    saver.close()


def test_another_thread_that_saves_is_not_waited_for_either(store: Store) -> None:
    world, saver = World(DESIGN), Autosaver(store, interval=0, threaded=False)
    saver.join(world, "ana").earn("scrip", 1)
    with store._writing:
        begun = time.perf_counter()
        saver.pump(0.002)
        assert time.perf_counter() - begun < NOTICED
    assert saver.close() == []


async def ticks(found: list[float]) -> None:
    """Note the longest time in which an event loop did nothing else."""
    last = time.perf_counter()
    while True:
        await asyncio.sleep(0.001)
        now = time.perf_counter()
        found[0] = max(found[0], now - last)
        last = now


def test_no_event_loop_waits_for_a_lock(store: Store) -> None:
    async def main() -> None:
        longest = [0.0]
        ticking = asyncio.create_task(ticks(longest))
        saver, world = Autosaver(store, interval=0, threaded=False), World(DESIGN)
        ana = await saver.join_async(world, "ana")
        with locked(store):
            ana.earn("scrip", 1)
            waiting = [
                asyncio.create_task(saver.pump_async()),
                asyncio.create_task(saver.leave_async("ana")),
                asyncio.create_task(saver.join_async(world, "bea")),
            ]
            await asyncio.sleep(0.3)
        await asyncio.gather(*waiting)
        world.actor("bea").earn("scrip", 2)
        with locked(store):
            closing = asyncio.create_task(saver.close_async())
            await asyncio.sleep(0.3)
        assert await closing == []
        ticking.cancel()
        assert longest[0] < NOTICED

    asyncio.run(main())
    assert (amount(store), amount(store, "bea")) == (1, 2)


def test_who_changes_again_and_again_while_leaving_stays_and_is_told_why(store: Store) -> None:
    async def main() -> None:
        saver, world = Autosaver(store, interval=0, threaded=False), World(DESIGN)
        ana = await saver.join_async(world, "ana")
        world.listen("saved", lambda event: ana.earn("scrip", 1))
        store.trouble = Trouble(failing=0, slow=0.01)
        ana.earn("scrip", 1)
        failure = await saver.leave_async("ana")
        assert failure is not None
        assert (failure.final, "let it leave again" in str(failure.error)) == (False, True)
        assert "ana" in [actor.id for actor in world.actors]
        saver.close()

    asyncio.run(main())


def test_closing_many_gives_all_of_them_back_at_once(store: Store) -> None:
    world, saver = World(DESIGN), Autosaver(store, threaded=False)
    for number in range(250):
        saver.join(world, f"p{number}").earn("scrip", 1)
    begun: list[Any] = []
    event.listen(store.engine, "commit", begun.append)
    assert saver.close() == []
    assert len(begun) == 3 + 1  # three batches, and their release
    assert store.hold("p249").profile is not None


def test_counts_and_times_come_to_a_hook_that_may_fail(
    store: Store, caplog: pytest.LogCaptureFixture
) -> None:
    found: list[tuple[Metric, float]] = []
    world = World(DESIGN)
    saver = Autosaver(store, interval=0, threaded=False, on_metric=lambda *one: found.append(one))
    for name in ("ana", "bea"):
        saver.join(world, name).earn("scrip", 1)
    with caplog.at_level(logging.DEBUG, logger="cleaver.saves"):
        saver.pump(5)
    assert [name for name, _ in found] == [
        "encode_seconds",
        "lag_seconds",
        "saves",
        "save_bytes",
        "save_seconds",
    ]
    values = dict(found)
    assert values["saves"] == 2
    assert values["save_bytes"] == sum(row[2] for name in ("ana", "bea") for row in store.revisions(name))
    assert values["save_seconds"] > 0
    assert [record.getMessage() for record in caplog.records] == [
        "ana was saved, revision 1",
        "bea was saved, revision 1",
    ]
    found.clear()
    store.trouble = Trouble(failing=-1)
    world.actor("ana").earn("scrip", 1)
    saver.pump(5)
    assert ("save_failures", 1) in found
    store.trouble = None
    saver.close()

    def fails(name: Metric, value: float) -> None:
        raise RuntimeError(name)

    caplog.clear()
    other = Autosaver(store, threaded=False, on_metric=fails)
    other.join(world, "cid").earn("scrip", 1)
    other.pump(5)
    assert amount(store, "cid") == 1
    assert "on_metric failed for saves" in caplog.text
    other.close()
