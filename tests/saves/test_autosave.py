"""Autosave: spaced and gathered, flushed at the end, retried, and honest about what it could not do."""

from __future__ import annotations

import asyncio
import os
import signal
import subprocess
import sys
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest

from cleaver import (
    Design,
    Profile,
    ProfileDamagedError,
    ProfileStaleError,
    ReactionError,
    SaveError,
    UsageError,
    World,
)
from cleaver.core import read
from cleaver.hud import SaveIndicator
from cleaver.saves import Autosaver, Failure, Found, Store, Trouble, open_store
from helpers import Clock

GAME: dict[str, Any] = {
    "currencies": {"scrip": {"start": 5}},
    "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
}
DESIGN = Design.from_dict(GAME)


@pytest.fixture
def store() -> Any:
    with open_store("sqlite://", DESIGN) as opened:
        yield opened


def amount(store: Store, player: str = "ann") -> int:
    found = store.load(player)
    assert isinstance(found, Found)
    return int(found.profile.sections["currencies"]["scrip"])


def test_changes_at_1_2_3_12_20_and_leaving_at_21_write_at_1_9_17_and_21(store: Store) -> None:
    clock, world = Clock(), World(DESIGN)
    written: list[float] = []
    saver = Autosaver(store, interval=8.0, threaded=False, clock=clock)
    ann = saver.join(world, "ann")
    world.listen("saved", lambda event: written.append(clock.now))
    for tick in range(1, 22):
        clock.now = tick
        if tick in (1, 2, 3, 12, 20):
            ann.earn("scrip", 1)
        if tick == 21:
            saver.leave("ann")
        else:
            saver.pump()

    assert written == [1, 9, 17, 21]
    assert saver.writes == 4
    assert amount(store) == 10
    assert "ann" not in [actor.id for actor in world.actors]
    assert store.holder_of("ann") is None


def test_a_failure_is_told_and_tried_again_with_the_newest_state(store: Store) -> None:
    clock, world = Clock(), World(DESIGN)
    told: list[Failure] = []
    saver = Autosaver(store, interval=1.0, threaded=False, clock=clock, on_failure=told.append)
    ann = saver.join(world, "ann")
    light = SaveIndicator(saver, "ann")
    assert light.state == "saved"
    store.trouble = Trouble(failing=3)
    ann.earn("scrip", 1)
    assert light.text == "not saved yet"
    states: list[str] = []
    for tenth in range(60):
        clock.now = tenth / 10
        if tenth == 5:
            ann.earn("scrip", 1)
        saver.pump()
        states.append(light.state)

    assert len(told) == 3
    assert all(isinstance(failure, Failure) and not failure.final for failure in told)
    assert states[0] == "waiting"
    assert states[-1] == "saved"
    assert amount(store) == 7
    assert states.index("saved") == 35  # at 0, then after 0.5, 1 and 2 seconds more


def test_a_profile_taken_over_is_given_up_and_said_once(tmp_path: Path) -> None:
    now = Clock()
    told: list[Failure] = []
    now.now = 1000.0
    mine, other = (open_store(f"sqlite:///{tmp_path / 's.db'}", DESIGN, clock=now) for _ in range(2))
    clock, world = Clock(), World(DESIGN)
    saver = Autosaver(mine, interval=0.0, threaded=False, clock=clock, on_failure=told.append)
    ann = saver.join(world, "ann")
    now.now += 60  # suspended past its lease
    other.hold("ann").save(world.profile(ann))
    for _ in range(3):
        ann.earn("scrip", 50)
        saver.pump()

    assert len(told) == 1
    assert told[0].final
    assert isinstance(told[0].error, ProfileStaleError)
    assert SaveIndicator(saver, "ann").state == "failed"
    assert amount(other) == 5
    assert [failure.final for failure in saver.close()] == [True]
    mine.close()
    other.close()


def test_what_cannot_be_saved_is_said_once_until_it_can(store: Store) -> None:
    clock, world = Clock(), World(DESIGN)
    told: list[Failure] = []
    saver = Autosaver(store, interval=0.0, threaded=False, clock=clock, on_failure=told.append)
    ann = saver.join(world, "ann")
    read.parts(world).profiles.table.aside["ann"] = {"odd": {"x": "NaN"}}
    for _ in range(3):
        ann.earn("scrip", 1)
        saver.pump()
    assert len(told) == 1
    assert "profile.odd.x" in str(told[0].error)
    read.parts(world).profiles.table.aside.clear()
    ann.earn("scrip", 1)
    saver.pump()
    assert amount(store) == 9


def test_after_a_failed_read_nobody_joins_and_nothing_is_written(store: Store) -> None:
    from sqlalchemy import text

    world = World(DESIGN)
    saver = Autosaver(store, threaded=False)
    store.save(world.profile(world.join("diver", "bo")))
    with store.engine.begin() as connection:
        connection.execute(text("UPDATE cleaver_generations SET checksum = 'x'"))
    with pytest.raises(ProfileDamagedError):
        saver.join(World(DESIGN), "bo")
    assert saver.close() == []


def test_a_thread_does_the_writing_and_close_flushes(tmp_path: Path) -> None:
    store, world = open_store(f"sqlite:///{tmp_path / 's.db'}", DESIGN), World(DESIGN)
    saver = Autosaver(store, interval=0.01)
    players = [saver.join(world, f"p{number}") for number in range(30)]
    for _ in range(20):
        for player in players:
            player.earn("scrip", 1)
        saver.pump(budget=1.0)
        time.sleep(0.002)
    assert saver.close() == []
    assert {amount(store, f"p{number}") for number in range(30)} == {25}
    assert saver.writes >= 30
    store.close()


def test_leaving_while_the_store_is_away_keeps_the_player(store: Store) -> None:
    world = World(DESIGN)
    saver = Autosaver(store, threaded=False)
    ann = saver.join(world, "ann")
    ann.earn("scrip", 1)
    store.trouble = Trouble(failing=-1)
    failure = saver.leave("ann")
    assert failure is not None
    assert ann.purse["scrip"] == 6
    assert len(saver.close()) == 1  # and the report says what could not be saved


def test_in_an_asyncio_loop_the_writing_goes_to_a_thread(tmp_path: Path) -> None:
    store, world = open_store(f"sqlite:///{tmp_path / 's.db'}", DESIGN), World(DESIGN)
    saver = Autosaver(store, interval=0.0, threaded=False)
    ann = saver.join(world, "ann")

    async def game() -> None:
        for _ in range(5):
            ann.earn("scrip", 1)
            await saver.pump_async()

    asyncio.run(game())
    assert amount(store) == 10
    assert saver.writes == 5
    saver.close()
    store.close()


def test_joining_takes_one_kind_or_says_which_and_never_twice(store: Store) -> None:
    saver, world = Autosaver(store, threaded=False), World(DESIGN)
    saver.join(world, "ann")
    with pytest.raises(UsageError, match="being saved already"):
        saver.join(world, "ann")
    bo = world.join("diver", "bo")
    bo.earn("scrip", 9)
    store.save(world.profile(bo))
    bo.spend("scrip", 14)
    assert saver.join(world, "bo").purse["scrip"] == 14
    saver.close()


PROGRAM = """
import sys, time
from cleaver import Design, World, open_store
from cleaver.saves import Autosaver
design = Design.from_dict(%r)
store = open_store(sys.argv[1], design)
saver, world = Autosaver(store, interval=1000.0), World(design)
with saver.closing():
    ann = saver.join(world, "ann")
    ann.earn("scrip", 1); saver.pump(); time.sleep(0.3); saver.pump()
    ann.earn("scrip", 41)
    print("ready", flush=True)
    time.sleep(30)
"""


def fails(event: object) -> None:
    raise RuntimeError("a listener failed")


def test_a_lost_save_is_never_silent(store: Store, caplog: pytest.LogCaptureFixture) -> None:
    world = World(DESIGN)
    saver = Autosaver(store, threaded=False)
    saver.join(world, "ann").earn("scrip", 1)
    store.trouble = Trouble(failing=9)
    saver.pump()
    assert [(record.name, record.levelname) for record in caplog.records] == [("cleaver.saves", "ERROR")]
    assert "ann could not be saved: " in caplog.text
    with pytest.raises(SaveError, match="1 player could not be saved at the end: ann: "), saver.closing():
        pass

    store.trouble = None
    other = Autosaver(store, threaded=False)
    other.join(World(DESIGN), "ann").earn("scrip", 1)
    store.trouble = Trouble(failing=9)
    caplog.clear()
    with pytest.raises(ZeroDivisionError), other.closing():
        raise ZeroDivisionError
    assert "1 player could not be saved at the end: ann: " in caplog.text


@pytest.mark.parametrize("threaded", [False, True])
def test_code_that_raises_costs_nobody_a_save(
    store: Store, tmp_path: Path, threaded: bool, caplog: pytest.LogCaptureFixture
) -> None:
    place = open_store(f"sqlite:///{tmp_path / 's.db'}", DESIGN)
    clock, world = Clock(), World(DESIGN)
    saver = Autosaver(place, interval=0.0, threaded=threaded, clock=clock, on_failure=fails)
    players = [saver.join(world, name) for name in ("ann", "bo", "cy")]
    world.listen("saved", fails)
    for player in players:
        player.earn("scrip", 1)
    raised: list[Exception] = []
    for _ in range(500):  # a slow disk spreads the three over several pumps
        try:
            saver.pump()
        except ReactionError as error:
            raised.extend(error.exceptions)
        if len(raised) == 3:
            break
        time.sleep(0.002)
    assert len(raised) == 3
    assert [amount(place, name) for name in ("ann", "bo", "cy")] == [6, 6, 6]

    place.trouble = Trouble(failing=1)
    players[0].earn("scrip", 1)
    for _ in range(50):
        saver.pump()
        time.sleep(0.002)
    assert "on_failure failed for ann" in caplog.text
    assert saver.close() == []
    assert amount(place, "ann") == 7
    assert "a listener of `saved` failed while closing" in caplog.text
    place.close()


def test_a_listener_of_joining_or_leaving_that_raises_leaves_nobody_untracked(store: Store) -> None:
    world = World(DESIGN)
    saver = Autosaver(store, threaded=False)
    world.listen("joined", fails)
    world.listen("departed", fails)
    with pytest.raises(ReactionError):
        saver.join(world, "ann")
    world.actor("ann").earn("scrip", 1)
    saver.pump()
    assert amount(store) == 6
    with pytest.raises(ReactionError):
        saver.leave("ann")
    assert store.holder_of("ann") is None
    assert "ann" not in read.parts(world).stage.actors


def test_closing_ends_in_its_time_whatever_the_store_does(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    place, world = open_store(f"sqlite:///{tmp_path / 's.db'}", DESIGN), World(DESIGN)
    saver = Autosaver(place)
    for name in ("ann", "bo"):
        saver.join(world, name).earn("scrip", 1)
    place.trouble = Trouble(slow=3.0)
    begun = time.monotonic()
    failures = saver.close(timeout=0.3)

    assert time.monotonic() - begun < 2.5
    assert [failure.player for failure in failures] == ["ann", "bo"]
    assert all("did not answer in time" in str(failure.error) for failure in failures)
    assert "its leases run out by themselves" in caplog.text
    place.close()


def test_closing_works_off_the_main_thread_and_leaves_a_handler_of_ones_own(store: Store) -> None:
    found: list[object] = []

    def run() -> None:
        with Autosaver(store, threaded=False).closing() as saver:
            found.append(saver.join(World(DESIGN), "ann").id)

    thread = threading.Thread(target=run)
    thread.start()
    thread.join()
    assert found == ["ann"]

    def mine(number: int, frame: object) -> None: ...

    before = signal.signal(signal.SIGTERM, mine)
    try:
        with Autosaver(store, threaded=False).closing():
            assert signal.getsignal(signal.SIGTERM) is mine
        assert signal.getsignal(signal.SIGTERM) is mine
    finally:
        signal.signal(signal.SIGTERM, before)


SHARED = """
import sys, time
from cleaver import Design, World, open_store
from cleaver.saves import Autosaver
design = Design.from_dict(%r)
store, world = open_store("sqlite://", design), World(design)
told = []
saver = Autosaver(store, interval=0.0, on_failure=told.append)
players = [saver.join(world, f"p{number}") for number in range(5)]
until = time.monotonic() + 1.5
while time.monotonic() < until:
    for player in players:
        player.earn("scrip", 1)
    saver.pump()
    store.load("p0"), store.hold("q").release(), store.players()
failures = saver.close()
print(len(told), len(failures), store.load("p0").profile.sections["currencies"]["scrip"] == players[0].purse["scrip"])
"""


def test_a_store_in_memory_is_shared_by_threads_one_after_another() -> None:
    done = subprocess.run(
        [sys.executable, "-c", SHARED % GAME], capture_output=True, text=True, timeout=60, check=False
    )

    assert (done.returncode, done.stdout) == (0, "0 0 True\n"), done.stderr


def test_one_who_is_again_as_saved_may_leave_although_a_save_failed(store: Store) -> None:
    clock, world = Clock(), World(DESIGN)
    saver = Autosaver(store, interval=0.0, threaded=False, clock=clock, on_failure=lambda failure: None)
    ann = saver.join(world, "ann")
    ann.earn("scrip", 1)
    saver.pump()
    store.trouble = Trouble(failing=1)
    ann.earn("scrip", 1)
    saver.pump()
    ann.spend("scrip", 1)
    assert saver.leave("ann") is None
    assert amount(store) == 6


def test_what_changes_while_a_leaving_is_awaited_is_saved_too(tmp_path: Path) -> None:
    place = open_store(f"sqlite:///{tmp_path / 's.db'}", DESIGN)

    async def server() -> None:
        world, saver = World(DESIGN), Autosaver(place, threaded=False)
        for name in ("ann", "bo"):
            saver.join(world, name).earn("scrip", 1)
        place.trouble = Trouble(slow=0.05)

        async def earn(name: str) -> None:
            await asyncio.sleep(0.02)
            world.actor(name).earn("scrip", 1)

        earning = asyncio.create_task(earn("ann"))
        assert await saver.leave_async("ann") is None
        await earning
        earning = asyncio.create_task(earn("bo"))
        assert await saver.close_async() == []
        await earning

    asyncio.run(server())
    assert (amount(place, "ann"), amount(place, "bo")) == (7, 7)
    place.close()


def test_nothing_goes_past_who_holds_a_player(store: Store) -> None:
    world = World(DESIGN)
    saver = Autosaver(store, threaded=False)
    ann = saver.join(world, "ann")
    ann.earn("scrip", 1)
    saver.pump()
    with pytest.raises(UsageError, match="held by an autosaver"):
        store.restore("ann", 1)
    ann.earn("scrip", 1)
    assert saver.close() == []
    assert amount(store) == 7
    for call in (saver.flush, saver.leave, saver.touch):
        with pytest.raises(UsageError, match="join it first"):
            call("ann")


def test_a_player_is_not_moved_in_the_middle_of_a_delivery(store: Store) -> None:
    here, there = World(DESIGN), World(DESIGN)
    saver = Autosaver(store, threaded=False)
    ann = saver.join(here, "ann")
    here.listen("earned", lambda event: saver.move("ann", there))
    with pytest.raises(ReactionError):
        ann.earn("scrip", 1)
    assert [actor.id for actor in here.actors] == ["ann"]
    assert [actor.id for actor in there.actors] == []


def test_one_player_has_one_saver(store: Store) -> None:
    world = World(DESIGN)
    saver = Autosaver(store, threaded=False)
    ann = saver.join(world, "ann")
    with pytest.raises(UsageError, match="ann is held by an autosaver already"):
        Autosaver(store, threaded=False).join(World(DESIGN), "ann")
    with pytest.raises(UsageError, match="save through that"):
        store.save(world.profile(ann))
    ann.earn("scrip", 3)
    assert saver.leave("ann") is None
    assert store.save(Profile("ann", 1, {"currencies": {"scrip": 9}})).revision == 2


def test_a_player_moves_to_another_world_without_a_save_and_a_load(store: Store) -> None:
    clock, here, there = Clock(), World(DESIGN), World(DESIGN)
    saver = Autosaver(store, interval=100.0, threaded=False, clock=clock)
    ann = saver.join(here, "ann")
    ann.earn("scrip", 1)
    saver.pump()
    ann.earn("scrip", 1)
    there.join("diver", "bo")

    moved = saver.move("ann", there)
    assert moved.purse["scrip"] == 7
    assert [actor.id for actor in here.actors] == []
    moved.earn("scrip", 1)
    saver.pump()
    assert (saver.writes, amount(store)) == (1, 6)
    clock.now = 100.0
    saver.pump()
    assert (saver.writes, amount(store)) == (2, 8)

    third = World(DESIGN)
    third.join("diver", "ann")
    with pytest.raises(UsageError, match="taken in this world"):
        saver.move("ann", third)
    assert there.actor("ann").purse["scrip"] == 8
    with pytest.raises(UsageError, match="in that world already"):
        saver.move("ann", there)
    with pytest.raises(UsageError, match="join it first"):
        saver.move("bo", here)
    assert saver.close() == []


def test_joining_leaving_and_closing_may_be_awaited_and_block_no_loop(tmp_path: Path) -> None:
    place = open_store(f"sqlite:///{tmp_path / 's.db'}", DESIGN)

    async def server() -> tuple[int, list[Failure]]:
        world, saver = World(DESIGN), Autosaver(place, interval=0.0, threaded=False)
        place.trouble = Trouble(slow=0.05)
        beats = 0

        async def beat() -> None:
            nonlocal beats
            while True:
                beats += 1
                await asyncio.sleep(0.002)

        beating = asyncio.create_task(beat())
        for name in ("ann", "bo", "cy"):
            (await saver.join_async(world, name)).earn("scrip", 1)
        with pytest.raises(UsageError, match="already"):
            await saver.join_async(world, "ann")
        assert await saver.leave_async("ann") is None
        assert "ann" not in read.parts(world).stage.actors
        pumping = asyncio.create_task(saver.pump_async())
        await asyncio.sleep(0.01)
        pumping.cancel()  # what was under way lands all the same
        failures = await saver.close_async()
        beating.cancel()
        return beats, failures

    beats, failures = asyncio.run(server())
    assert failures == []
    assert beats > 30
    assert [amount(place, name) for name in ("ann", "bo", "cy")] == [6, 6, 6]
    assert [place.holder_of(name) for name in ("ann", "bo", "cy")] == [None, None, None]
    place.close()


def test_a_joining_that_is_given_up_leaves_the_profile_to_others(tmp_path: Path) -> None:
    place = open_store(f"sqlite:///{tmp_path / 's.db'}", DESIGN)

    async def server() -> None:
        saver = Autosaver(place, threaded=False)
        place.trouble = Trouble(slow=0.05)
        joining = asyncio.create_task(saver.join_async(World(DESIGN), "ann"))
        await asyncio.sleep(0.01)
        joining.cancel()
        await asyncio.wait([joining])
        await asyncio.sleep(0.3)
        for _ in range(500):
            if place.holder_of("ann") is None:
                break
            await asyncio.sleep(0.01)
        assert place.holder_of("ann") is None
        for _ in range(500):
            with suppress(UsageError):  # the taking that was given up may still be on its way
                assert (await saver.join_async(World(DESIGN), "ann")).id == "ann"
                break
            await asyncio.sleep(0.01)
        assert saver.state_of("ann") == ("saved", "")
        assert await saver.close_async() == []

    asyncio.run(server())
    place.close()


def test_what_was_recovered_is_told_on_joining(store: Store, caplog: pytest.LogCaptureFixture) -> None:
    from sqlalchemy import text

    told: list[tuple[str, str]] = []
    with store.hold("ann") as held:
        for scrip in (1, 2):
            held.save(Profile("ann", 1, {"currencies": {"scrip": scrip}}))
    with store.engine.begin() as connection:
        connection.execute(text("UPDATE cleaver_generations SET checksum = 'x' WHERE revision = 2"))
    saver = Autosaver(store, threaded=False, on_recovery=lambda *what: told.append(what))
    assert saver.join(World(DESIGN), "ann").purse["scrip"] == 1
    assert told == [("ann", "profile ann: revision 2 is damaged, loaded revision 1")]
    assert [(record.levelname, record.message) for record in caplog.records] == [("WARNING", told[0][1])]


def test_a_process_asked_to_end_saves_first(tmp_path: Path) -> None:
    url = f"sqlite:///{tmp_path / 's.db'}"
    child = subprocess.Popen(
        [sys.executable, "-c", PROGRAM % GAME, url],
        stdout=subprocess.PIPE,
        env={**os.environ, "PYTHONWARNINGS": "error"},
    )
    assert child.stdout is not None
    assert child.stdout.readline() == b"ready\n"
    child.send_signal(signal.SIGTERM)
    assert child.wait(timeout=20) == 143
    child.stdout.close()
    with open_store(url, DESIGN) as store:
        assert amount(store) == 47


def test_what_another_design_counts_by_its_own_events_is_saved_too(store: Store) -> None:
    clock, world = Clock(), World(DESIGN)
    saver = Autosaver(store, interval=1.0, threaded=False, clock=clock)
    ann = saver.join(world, "ann")
    clock.now = 2
    saver.pump()
    richer = {"events": {"found": {"fields": {}}}, "records": {"finds": {"on": "found"}}}
    world.adopt(Design.from_dict({**GAME, **richer}))
    clock.now = 4
    saver.pump()
    before = saver.writes
    ann.announce("found")
    clock.now = 6
    saver.pump()

    assert saver.writes == before + 1
    found = store.load("ann")
    assert isinstance(found, Found)
    assert found.profile.sections["records"]["finds"]["total"] == 1
    saver.leave("ann")
    assert world.listeners == ()


def test_under_a_design_of_a_newer_version_a_player_can_leave_and_come_back(store: Store) -> None:
    clock, world = Clock(), World(DESIGN)
    saver = Autosaver(store, interval=1.0, threaded=False, clock=clock)
    saver.join(world, "ann").earn("scrip", 3)
    changes = [{"from": 1, "rename": {"currencies.scrip": "brass"}}]
    newer = {"game": {"version": 2}, "currencies": {"scrip": {"start": 5}, "brass": {}}}
    world.adopt(Design.from_dict({**GAME, **newer, "saves": {"changes": changes}}))
    saver.leave("ann")
    assert saver.join(world, "ann").purse["scrip"] == 8
    saver.leave("ann")
