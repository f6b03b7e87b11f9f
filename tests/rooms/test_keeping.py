"""A room on disk: what was killed comes back as it was."""

from __future__ import annotations

import asyncio
import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given

from cleaver import Design, SaveError, UnknownNameError, UsageError, World, load_design, sample
from cleaver.core import read
from cleaver.rooms import Replica, Room
from cleaver.saves import Autosaver, Trouble, open_store
from strategies import DESIGNS, STREAMS, Play, law

REEF = load_design(sample.path("lanternreef.toml"))


def step(room: Room, number: int) -> None:
    """Do what is done in step *number* of a room."""
    world = room.world
    world.actor("eel1").hit(f"p-{number % 3}", "sting")
    world.actor("p-1").earn("scrip", number % 5)
    room.do("p-2", {"do": "accept", "what": "first_light"})
    room.tick(0.05)


def begun(folder: Path | None, **keys: Any) -> Room:
    """Return a room with three players and an eel."""
    room = Room(REEF, "reef", seed=5, folder=folder, **keys)
    for number in range(3):
        asyncio.run(room.enter(f"p-{number}", kind="diver", shown_as=f"Diver {number}"))
    room.world.spawn("eel", "eel1")
    return room


@law
@given(design=DESIGNS, stream=STREAMS)
def test_a_recovered_room_is_the_one_that_was_closed(
    tmp_path_factory: pytest.TempPathFactory, design: Design, stream: list[Any]
) -> None:
    folder = tmp_path_factory.mktemp("room")
    play = Play(design)
    clock = [0.0]
    room = Room(design, "room", world=play.world, folder=folder, clock=lambda: clock[0])
    for command in stream:
        play.do(command)
    room.close()

    again = Room.recover(folder, design)

    assert again.world.snapshot() == room.world.snapshot()
    again.close()


@pytest.mark.parametrize("seconds", [1.5, 2.4])
def test_a_room_that_is_killed_comes_back_up_to_the_last_second(tmp_path: Path, seconds: float) -> None:
    code = (
        f"import sys, time; sys.path[:0] = {[str(Path(__file__).parent), str(Path(__file__).parents[1])]!r}\n"
        f"from pathlib import Path\nfrom test_keeping import *\nroom = begun(Path({str(tmp_path / 'room')!r}))\n"
        "for number in range(100000):\n    step(room, number)\n    print(number, flush=True)\n    time.sleep(0.01)\n"
    )
    with subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True) as child:
        assert child.stdout is not None
        assert child.stdout.readline() == "0\n"
        began = time.monotonic()
        last = 0
        while time.monotonic() - began < seconds:
            last = int(child.stdout.readline())
        os.kill(child.pid, signal.SIGKILL)
        last = max([last, *(int(line) for line in child.stdout if line.strip().isdecimal())])

    again = Room.recover(tmp_path / "room", REEF)

    reference = begun(None)
    steps = 0
    while reference.world.now < again.world.now:
        step(reference, steps)
        steps += 1
    assert again.world.now == reference.world.now
    assert last - steps < 130  # a second of steps of ten milliseconds, and some
    # The last step may have been cut within: what it did before its time passed.
    assert abs(read.parts(again.world).stage.seq - read.parts(reference.world).stage.seq) <= 40
    snapshots = [reference.world.snapshot()]
    if again.world.snapshot() != snapshots[0]:
        world = reference.world
        world.actor("eel1").hit(f"p-{steps % 3}", "sting")
        snapshots.append(world.snapshot())
        world.actor("p-1").earn("scrip", steps % 5)
        snapshots.append(world.snapshot())
        reference.do("p-2", {"do": "accept", "what": "first_light"})
        snapshots.append(world.snapshot())
    assert again.world.snapshot() in snapshots
    again.close()


def test_a_room_begins_a_stretch_each_minute_and_keeps_the_last_three(tmp_path: Path) -> None:
    clock = [0.0]
    room = begun(tmp_path, clock=lambda: clock[0])
    for number in range(400):
        clock[0] += 1
        step(room, number)
    room.close()

    assert [path.name for path in sorted(tmp_path.glob("*.play"))] == [
        f"reef.{number:06d}.play" for number in (5, 6, 7)
    ]
    again = Room.recover(tmp_path, REEF)
    assert again.world.snapshot() == room.world.snapshot()
    # A stretch that died as it began: the one before is whole.
    again.close()
    (tmp_path / "reef.000009.play").write_text("journal 1\n")
    once_more = Room.recover(tmp_path, REEF)
    assert once_more.world.snapshot() == room.world.snapshot()
    once_more.close()


def test_players_are_seen_again_and_a_newer_save_wins(tmp_path: Path) -> None:
    url = f"sqlite:///{tmp_path / 'saves.db'}"

    async def play() -> None:
        store = open_store(url, REEF)
        saver = Autosaver(store, threaded=False)
        room = Room(REEF, "reef", saver=saver, folder=tmp_path / "room")
        assert await room.enter("p-1", kind="diver", shown_as="Ana") == "new"
        assert await room.enter("p-2", kind="diver", shown_as="Bram") == "new"
        room.world.actor("p-1").earn("scrip", 30)
        room.world.actor("p-2").earn("scrip", 20)
        room.tick(0.05)
        saver.flush("p-1")
        saver.flush("p-2")
        room.world.actor("p-1").earn("scrip", 3)
        room.close()  # and then a crash: nobody leaves
        shutil.copytree(tmp_path / "room", tmp_path / "copy")
        await saver.leave_async("p-1")
        await saver.leave_async("p-2")
        store.close()

    async def again() -> None:
        store = open_store(url, REEF)
        saver = Autosaver(store, threaded=False)
        with store.hold("p-2", "another server") as held:
            profile = held.profile
            assert profile is not None
            profile.sections["currencies"]["scrip"] = 99
            held.save(profile)
        room = Room.recover(tmp_path / "copy", REEF, saver=saver)
        with pytest.raises(UnknownNameError):
            room.full("p-1")  # nobody looks on before having come back
        # Its save of 33 at leaving is newer than the journal: it comes in with that.
        assert await room.enter("p-1", kind="diver", shown_as="Ana") == "found"
        assert await room.enter("p-2", kind="diver", shown_as="Bram") == "found"
        replica = Replica(REEF.for_clients())
        replica.feed(room.full("p-2"))
        assert (replica.value("Bram.scrip"), room.world.actor("p-1").purse["scrip"]) == (99, 33)
        room.close()
        await saver.close_async()
        store.close()

    asyncio.run(play())
    asyncio.run(again())


def test_what_is_saved_is_in_the_journal_first(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A coin that was saved with its player does not lie there again in a room that comes back."""
    written: list[str] = []

    async def play() -> None:
        store = open_store(f"sqlite:///{tmp_path / 'saves.db'}", REEF)
        saver = Autosaver(store, threaded=False)
        room = Room(REEF, "reef", saver=saver, folder=tmp_path / "room")
        await room.enter("p-1", kind="diver", shown_as="Ana")
        room.world.place("pearl", "pearl1")
        assert room.do("p-1", {"do": "take", "what": "pearl1"}).done
        monkeypatch.setattr("cleaver.journals.writing.os.fsync", lambda file: written.append("journal"))
        give = saver._writer.give

        def given(*all: Any, **keys: Any) -> Any:
            written.append("store")
            return give(*all, **keys)

        monkeypatch.setattr(saver._writer, "give", given)
        assert saver.flush("p-1") is None
        monkeypatch.undo()
        assert written[:2] == ["journal", "store"]  # on the disk before it is saved
        shutil.copytree(tmp_path / "room", tmp_path / "copy")  # as the disk has it if it dies now
        await saver.close_async()
        room.close()
        store.close()

    asyncio.run(play())
    again = Room.recover(tmp_path / "copy", REEF)
    assert [one.present for one in again.world.placements if one.id == "pearl1"] in ([], [False])
    assert again.world.actor("p-1").bag["pearl"] == 1
    again.close()


def saved(store: Any) -> Any:
    """Return the money that a store has of the first player."""
    return store.load("p-1").profile.sections["currencies"]


def test_who_is_as_new_as_the_store_stands_where_it_stood(tmp_path: Path) -> None:
    url = f"sqlite:///{tmp_path / 'saves.db'}"

    async def play(room: Room | None) -> None:
        store = open_store(url, REEF)
        saver = Autosaver(store, threaded=False)
        if room is None:
            room = Room(REEF, "reef", saver=saver, folder=tmp_path / "room")
            assert await room.enter("p-1", kind="diver", shown_as="Ana") == "new"
            room.world.actor("p-1").earn("scrip", 30)
            room.tick(0.05)
            saver.flush("p-1")
            room.world.actor("p-1").hurt(20)
            room.world.actor("p-1").earn("scrip", 3)
            room.tick(0.05)
        else:
            room = Room.recover(tmp_path / "room", REEF, saver=saver)
            assert await room.enter("p-1", shown_as="Ana") == "recovered"
            actor = room.world.actor("p-1")
            assert (actor["suit"].value, actor.purse["scrip"]) == (71, 33)
            assert saver.flush("p-1") is None
            assert saved(store)["scrip"] == 33
        room.close()
        # The process dies: its lease is let go by the next one's, as of one that has ended.
        for entry in list(saver._unsaved.entries.values()):
            entry.held.release()
        store.close()

    asyncio.run(play(None))
    asyncio.run(play(Room(REEF, "other")))


def test_who_does_not_come_back_may_leave_and_is_saved(tmp_path: Path) -> None:
    url = f"sqlite:///{tmp_path / 'saves.db'}"
    room = Room(REEF, "reef", folder=tmp_path / "room")
    asyncio.run(room.enter("p-1", kind="diver", shown_as="Ana"))
    room.world.actor("p-1").earn("scrip", 8)
    room.close()

    async def again() -> None:
        store = open_store(url, REEF)
        saver = Autosaver(store, threaded=False)
        back = Room.recover(tmp_path / "room", REEF, saver=saver)
        assert (back.absent, back.viewers) == (("p-1",), ())
        await back.leave("p-1")
        assert (back.absent, back.viewers, back.world.actors) == ((), (), ())
        assert saved(store)["scrip"] == 8
        await saver.close_async()
        back.close()
        store.close()

    asyncio.run(again())


def test_who_cannot_be_saved_stays_and_the_room_goes_on(tmp_path: Path) -> None:
    async def server() -> None:
        with open_store(f"sqlite:///{tmp_path / 'saves.db'}", REEF) as store:
            saver = Autosaver(store, threaded=False)
            room = Room(REEF, "reef", saver=saver)
            await room.enter("p-1", kind="diver", shown_as="Ana")
            room.world.actor("p-1").earn("scrip", 3)
            store.trouble = Trouble(failing=-1)
            with pytest.raises(SaveError, match="^p-1 could not be saved, and stays: .*worth trying again"):
                await room.leave("p-1")
            with pytest.raises(SaveError, match="^p-1 could not be saved: .*; the room goes on here$"):
                room.freeze()
            assert room.viewers == ("p-1",)
            assert room.do("p-1", {"do": "accept", "what": "first_light"}).done
            store.trouble = None
            await room.leave("p-1")
            profile = store.read("p-1")
            assert profile is not None
            assert profile.sections["currencies"] == {"scrip": 3}
            await saver.close_async()

    asyncio.run(server())


def test_whom_another_process_has_taken_over_leaves_and_that_is_said(tmp_path: Path) -> None:
    async def server() -> None:
        url = f"sqlite:///{tmp_path / 'saves.db'}"
        with open_store(url, REEF) as store, open_store(url, REEF) as other:
            saver = Autosaver(store, threaded=False)
            room = Room(REEF, "reef", saver=saver)
            await room.enter("p-1", kind="diver", shown_as="Ana")
            room.world.actor("p-1").earn("scrip", 3)
            other.free(store.holder)
            held = other.hold("p-1")
            with pytest.raises(SaveError, match="^p-1 has left, and cannot be saved any more: "):
                await room.leave("p-1")
            held.release()
            assert (room.viewers, room.world.players) == ((), ())
            await saver.close_async()

    asyncio.run(server())


def test_who_was_saved_before_and_not_since_stands_where_it_stood(tmp_path: Path) -> None:
    """The store's save is of before the room: it is not newer than the journal."""
    url = f"sqlite:///{tmp_path / 'saves.db'}"

    async def play(step: int) -> None:
        store = open_store(url, REEF)
        saver = Autosaver(store, threaded=False)
        if step < 2:
            room = Room(REEF, "reef", saver=saver, folder=tmp_path / f"room{step}")
            assert await room.enter("p-1", kind="diver", shown_as="Ana") == ("new", "found")[step]
            room.world.actor("p-1").earn("scrip", 5)
            if step == 0:
                await room.leave("p-1")
        else:
            room = Room.recover(tmp_path / "room1", REEF, saver=saver)
            assert await room.enter("p-1") == "recovered"
            assert room.world.actor("p-1").purse["scrip"] == 10
        room.close()
        for entry in list(saver._unsaved.entries.values()):
            entry.held.release()  # as of a process that has died
        store.close()

    for step in range(3):
        asyncio.run(play(step))


def test_whose_profile_is_elsewhere_stays_absent_and_may_try_again(tmp_path: Path) -> None:
    url = f"sqlite:///{tmp_path / 'saves.db'}"
    room = Room(REEF, "reef", folder=tmp_path / "room")
    asyncio.run(room.enter("p-1", kind="diver", shown_as="Ana"))
    room.close()

    async def again() -> None:
        store = open_store(url, REEF)
        saver = Autosaver(store, threaded=False)
        back = Room.recover(tmp_path / "room", REEF, saver=saver)
        with store.hold("p-1", "another part of this program"), pytest.raises(UsageError, match="is held"):
            await back.enter("p-1")
        assert back.absent == ("p-1",)
        moved = Room.thaw(back.freeze(), REEF, saver=saver)  # nor is it forgotten where the room moves
        assert moved.absent == ("p-1",)
        assert await moved.enter("p-1") == "recovered"
        assert moved.alias("p-1") == "Ana"
        await saver.close_async()
        store.close()

    asyncio.run(again())


def test_a_journal_that_cannot_be_written_stops_no_room(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = [0.0]
    room = begun(tmp_path / "room", clock=lambda: clock[0])
    assert room.trouble == ""

    def full(*all: Any, **keys: Any) -> Any:
        raise UsageError("no space is left")

    monkeypatch.setattr("cleaver.rooms.keeping.Journal", full)
    clock[0] = 61
    room.tick(0.1)
    assert room.trouble == "no space is left"
    step(room, 1)
    monkeypatch.undo()
    clock[0] = 122
    room.tick(0.1)
    assert room.trouble == ""
    room.close()
    again = Room.recover(tmp_path / "room", REEF)
    assert again.world.snapshot() == room.world.snapshot()
    again.close()


def test_a_new_room_does_not_write_over_an_old_one(tmp_path: Path) -> None:
    begun(tmp_path).close()
    with pytest.raises(UsageError, match="bring that back by Room.recover"):
        Room(REEF, "reef", folder=tmp_path)


def test_a_room_without_a_journal_says_so(tmp_path: Path) -> None:
    with pytest.raises(UsageError, match="say which room"):
        Room.recover(tmp_path, REEF)
    with pytest.raises(UsageError, match="there is no journal"):
        Room.recover(tmp_path, REEF, "reef")
    with pytest.raises(UsageError, match="cannot name files"):
        Room(REEF, "a/b", folder=tmp_path)
    assert isinstance(Room(REEF, "a/b").world, World)
