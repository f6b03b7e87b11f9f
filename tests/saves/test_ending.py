"""The end of a game: whole commands, in time, and what did not get out is written at the next start."""

from __future__ import annotations

import asyncio
import json
import os
import signal
import stat
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from cleaver import Design, Profile, SaveError, UsageError, World
from cleaver.saves import Autosaver, Found, Store, Trouble, open_store
from cleaver.saves.ending import WITHIN, Ending, Saving
from postgres import server

GAME: dict[str, Any] = {
    "currencies": {"brass": {"start": 10}, "tin": {}},
    "events": {"alloy": {}},
    "rules": [{"on": "alloy", "do": [{"spend": "brass", "amount": 1}, {"earn": "tin", "amount": 1}]}],
    "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
}
DESIGN = Design.from_dict(GAME)


def purse(store: Store, player: str = "ana") -> dict[str, int]:
    found = store.load(player)
    assert isinstance(found, Found)
    return found.profile.sections["currencies"]


def program(folder: Path, body: str) -> subprocess.Popen[str]:
    """Start a game that saves into a file of *folder*; *body* plays."""
    text = f"""
import asyncio, logging, os, signal, sys, time
from cleaver import Design, World, open_store
from cleaver.saves import Autosaver
logging.basicConfig(format="%(levelname)s %(message)s")
DESIGN = Design.from_dict({GAME!r})
store, world = open_store("sqlite:///{folder / "saves.db"}", DESIGN), World(DESIGN)
def end(*event): os.kill(os.getpid(), signal.SIGTERM)
def wait_for_ever(*event):
    end()
    while True:
        time.sleep(0.01)
{body}
"""
    return subprocess.Popen(
        [sys.executable, "-c", text], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )


def result(child: subprocess.Popen[str]) -> tuple[int, str]:
    _, err = child.communicate(timeout=60)
    return child.returncode, err


SYNC = """
saver = Autosaver(store, threaded={threaded})
with saver.closing():
    ana = saver.join(world, "ana")
    world.listen("spent", {call})
    ana.announce("alloy")
    while True:
        time.sleep(0.01)
"""
LOOP = """
async def main(saver):
    ana = await saver.join_async(world, "ana")
    world.listen("spent", end)
    ana.announce("alloy")
    await asyncio.sleep(60)
saver = Autosaver(store, threaded=False)
with saver.closing():
    asyncio.run(main(saver))
"""


@pytest.mark.parametrize(
    "body", [SYNC.format(threaded=True, call="end"), SYNC.format(threaded=False, call="end"), LOOP]
)
def test_the_command_under_way_comes_to_its_end(tmp_path: Path, body: str) -> None:
    # The signal comes after one has paid, and before the other half.
    code, err = result(program(tmp_path, body))
    assert (code, err) == (128 + signal.SIGTERM, "")
    with open_store(f"sqlite:///{tmp_path / 'saves.db'}", DESIGN) as store:
        assert purse(store) == {"brass": 9, "tin": 1}
    assert sorted(os.listdir(tmp_path)) == ["saves.db", "saves.db.count"]


def test_time_that_passes_stops_between_two_things_due(tmp_path: Path) -> None:
    # The signal comes with the second payment; without it a thousand would come.
    body = SYNC.format(threaded=False, call="lambda event: end() if world.now == 2 else None").replace(
        '    ana.announce("alloy")\n', "    for second in range(1, 1000):\n"
        '        world.after(second, lambda: ana.announce("alloy"))\n    world.advance(999)\n'
    )  # fmt: skip
    code, err = result(program(tmp_path, body))
    assert (code, err) == (128 + signal.SIGTERM, "")
    with open_store(f"sqlite:///{tmp_path / 'saves.db'}", DESIGN) as store:
        assert purse(store) == {"brass": 8, "tin": 2}


def test_a_command_that_never_ends_is_not_waited_for(tmp_path: Path) -> None:
    body = SYNC.format(threaded=False, call="wait_for_ever").replace(
        "    world.listen", "    saver.touch('ana'); saver.pump(5)\n    world.listen"
    )
    begun = time.monotonic()
    code, err = result(program(tmp_path, body))
    assert code == 128 + signal.SIGTERM
    assert "CRITICAL the program did not end within 5 s" in err
    assert time.monotonic() - begun < WITHIN + 20
    with open_store(f"sqlite:///{tmp_path / 'saves.db'}", DESIGN) as store:
        assert purse(store) == {"brass": 10, "tin": 0}  # never half of it


LOCKED = """
import sqlite3
saver = Autosaver(store, threaded={threaded})
other = sqlite3.connect("{path}", isolation_level=None)
with saver.closing():
    ana, bea = saver.join(world, "ana"), saver.join(world, "bea")
    saver.flush("bea")
    other.execute("BEGIN IMMEDIATE")  # as another program would
    ana.announce("alloy")
    saver.pump()
    end()
    time.sleep(60)
"""


@pytest.mark.parametrize("threaded", [True, False])
def test_what_did_not_get_out_is_written_at_the_next_start(tmp_path: Path, threaded: bool) -> None:
    path = tmp_path / "saves.db"
    code, err = result(program(tmp_path, LOCKED.format(threaded=threaded, path=path)))
    assert code == 128 + signal.SIGTERM
    assert "WARNING 1 player could not be saved; what there is of them is kept in saves.db.unsaved-" in err
    assert "ERROR 1 player could not be saved at the end: ana: " in err
    assert "written at the next start" in err
    kept = [file for file in tmp_path.iterdir() if ".unsaved-" in file.name]
    assert [stat.S_IMODE(file.stat().st_mode) for file in kept] == [0o600]

    told: list[tuple[str, str]] = []
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        saver = Autosaver(store, threaded=False, on_recovery=lambda *one: told.append(one))
        assert purse(store) == {"brass": 9, "tin": 1}
        ana = saver.join(World(DESIGN), "ana")
        assert ana.purse["tin"] == 1
        assert saver.close() == []
    assert told == [
        ("ana", "profile ana: what the game could not save when it ended was saved now, as revision 1")
    ]
    assert sorted(os.listdir(tmp_path)) == ["saves.db", "saves.db.count"]


def test_closing_that_is_under_way_is_hurried_and_not_cut_short(tmp_path: Path) -> None:
    body = """
from cleaver.saves import Trouble
def sleep(seconds):
    end()
    time.sleep(0.05)
store.trouble = None
saver = Autosaver(store, threaded=False)
with saver.closing():
    saver.join(world, "ana").announce("alloy")
    store.trouble = Trouble(slow=1, sleep=sleep)
print("not reached")
"""
    child = program(tmp_path, body)
    out, err = child.communicate(timeout=60)
    assert (child.returncode, out, err) == (128 + signal.SIGTERM, "", "")
    with open_store(f"sqlite:///{tmp_path / 'saves.db'}", DESIGN) as store:
        assert purse(store)["tin"] == 1


def test_a_loss_is_not_silent_where_the_signal_comes_while_closing(tmp_path: Path) -> None:
    body = """
from cleaver.saves import Trouble
def sleep(seconds):
    end()
saver = Autosaver(store, threaded=False, on_failure=lambda failure: None)
with saver.closing():
    saver.join(world, "ana").announce("alloy")
    store.trouble = Trouble(failing=-1, slow=1, sleep=sleep)
"""
    code, err = result(program(tmp_path, body))
    assert code == 128 + signal.SIGTERM
    assert "ERROR 1 player could not be saved at the end: ana: the store does not answer" in err


def test_two_savers_end_together(tmp_path: Path) -> None:
    body = f"""
other = open_store("sqlite:///{tmp_path / "other.db"}", DESIGN)
one, two = Autosaver(store, threaded=False), Autosaver(other, threaded=False)
with one.closing(), two.closing():
    one.join(world, "ana").announce("alloy")
    two.join(world, "bea").announce("alloy")
    end()
    time.sleep(60)
"""
    assert result(program(tmp_path, body)) == (128 + signal.SIGTERM, "")
    for name, player in (("saves", "ana"), ("other", "bea")):
        with open_store(f"sqlite:///{tmp_path / name}.db", DESIGN) as store:
            assert purse(store, player)["tin"] == 1


def test_the_handler_is_there_only_while_it_is_needed(tmp_path: Path) -> None:
    with open_store("sqlite://", DESIGN) as store:
        assert signal.getsignal(signal.SIGTERM) is signal.SIG_DFL
        with Autosaver(store).closing():
            assert signal.getsignal(signal.SIGTERM) is not signal.SIG_DFL
            with Autosaver(store).closing():
                pass
            assert Ending.current is not None
        assert Ending.current is None
        assert signal.getsignal(signal.SIGTERM) is signal.SIG_DFL
        found: list[Any] = []
        thread = threading.Thread(target=lambda: found.append(Ending.join(Saving(print, print, list))))
        thread.start()
        thread.join()
        assert found == [None]


# the spool


@pytest.fixture
def store(file_url: str) -> Iterator[Store]:
    with open_store(file_url, DESIGN, lease=1000) as opened:
        yield opened


def left(file_url: str, *players: str) -> Path:
    """Let a run end without having saved *players*, each with 1 tin; returns what it left."""
    with open_store(file_url, DESIGN) as store:
        world, saver = World(DESIGN), Autosaver(store, threaded=False)
        for player in players:
            saver.join(world, player).announce("alloy")
        store.trouble = Trouble(failing=-1)
        assert len(saver.close()) == len(players)
        found = saver._spool.path
    assert found is not None
    return found


def test_what_is_older_than_what_is_saved_is_set_aside(file_url: str, store: Store) -> None:
    path = left(file_url, "ana", "bea")
    store.save(Profile("ana", 1, {"currencies": {"brass": 3, "tin": 7}}))
    told: list[tuple[str, str]] = []
    Autosaver(store, threaded=False, on_recovery=lambda *one: told.append(one)).close()

    assert purse(store) == {"brass": 3, "tin": 7}
    assert purse(store, "bea") == {"brass": 9, "tin": 1}
    aside = path.with_suffix(".aside")
    assert f"is older than what is saved now (revision 1); it was set aside in {aside.name}" in told[0][1]
    assert [one["player"] for one in json.loads(aside.read_text())["profiles"]] == ["ana"]
    assert not path.exists()


def test_one_whom_somebody_took_and_did_not_write_still_fits(file_url: str, store: Store) -> None:
    left(file_url, "ana")
    store.hold("ana").release()
    Autosaver(store, threaded=False).close()
    assert purse(store)["tin"] == 1


def test_what_had_got_out_after_all_is_left_alone(file_url: str, store: Store) -> None:
    path = left(file_url, "ana")
    body = json.loads(path.read_text())["profiles"][0]["body"]
    with store.hold("ana") as held:
        held.save(Profile("ana", 1, json.loads(body)["sections"]))
    told: list[Any] = []
    Autosaver(store, threaded=False, on_recovery=lambda *one: told.append(one)).close()
    assert (told, store.revisions("ana")[0][0], path.exists()) == ([], 1, False)


def test_what_cannot_be_decided_yet_waits_and_comes_before_the_player_joins(
    file_url: str, store: Store, caplog: pytest.LogCaptureFixture
) -> None:
    path = left(file_url, "ana", "bea")
    store.trouble = Trouble(failing=-1)
    saver = Autosaver(store, threaded=False)
    assert path.exists()
    assert "what an earlier run left is still to be saved" in caplog.text
    store.trouble = None
    assert saver.join(World(DESIGN), "ana").purse["tin"] == 1
    assert purse(store) == {"brass": 9, "tin": 1}
    assert [one["player"] for one in json.loads(path.read_text())["profiles"]] == ["bea"]
    assert saver.close() == []


def test_two_savers_of_one_store_leave_a_file_each(file_url: str) -> None:
    with open_store(file_url, DESIGN) as store:
        savers = [Autosaver(store, threaded=False) for _ in range(2)]
        for saver, player in zip(savers, ("ana", "bea"), strict=True):
            saver.join(World(DESIGN), player).announce("alloy")
        store.trouble = Trouble(failing=-1)
        for saver in savers:
            assert len(saver.close()) == 1
        store.trouble = None
        Autosaver(store, threaded=False).close()
        assert (purse(store)["tin"], purse(store, "bea")["tin"]) == (1, 1)


def test_what_is_set_aside_is_never_written_over(file_url: str, store: Store) -> None:
    path = left(file_url, "ana", "bea")
    store.trouble = Trouble(failing=-1)
    saver = Autosaver(store, threaded=False)
    store.trouble = None
    for player in ("ana", "bea"):
        store.save(Profile(player, 1, {"currencies": {"brass": 3, "tin": 7}}))
        saver.join(World(DESIGN), player)
    saver.close()
    aside = json.loads(path.with_suffix(".aside").read_text())["profiles"]
    assert [one["player"] for one in aside] == ["ana", "bea"]


def test_what_was_taken_back_is_reported_on_the_games_own_thread(file_url: str, store: Store) -> None:
    left(file_url, "ana")
    threads: list[tuple[threading.Thread, str]] = []

    async def main() -> None:
        store.trouble = Trouble(failing=-1)
        saver = Autosaver(
            store,
            threaded=False,
            on_recovery=lambda player, note: threads.append((threading.current_thread(), note)),
        )
        store.trouble = None
        await saver.join_async(World(DESIGN), "ana")
        saver.close()

    asyncio.run(main())
    assert [(thread is threading.main_thread(), "was saved now" in note) for thread, note in threads] == [
        (True, True)
    ]


@pytest.mark.parametrize("wrong", ["{", "[]", '{"format": 1}', "other store", "other body", "link"])
def test_a_file_that_is_none_of_ours_is_left_alone_and_told(
    file_url: str, store: Store, caplog: pytest.LogCaptureFixture, wrong: str
) -> None:
    path = left(file_url, "ana")
    tree = json.loads(path.read_text())
    if wrong == "other store":
        path.write_text(json.dumps({**tree, "store": "x"}))
    elif wrong == "other body":
        tree["profiles"][0]["body"] = tree["profiles"][0]["body"].replace('"tin":1', '"tin":9')
        path.write_text(json.dumps(tree))
    elif wrong == "link":
        path.rename(path.with_name("elsewhere"))
        path.symlink_to(path.with_name("elsewhere"))
    else:
        path.write_text(wrong)
    Autosaver(store, threaded=False).close()
    assert "it was left alone" in caplog.text
    assert path.exists()
    assert store.players() == []


def test_a_folder_where_nothing_can_be_written_is_told(
    store: Store, tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    saver = Autosaver(store, threaded=False, spool=tmp_path / "nowhere")
    saver.join(World(DESIGN), "ana").announce("alloy")
    (tmp_path / "nowhere").rmdir()  # made at the start, taken away since
    store.trouble = Trouble(failing=-1)
    assert len(saver.close()) == 1
    assert "could not be kept in a file either" in caplog.text
    store.trouble = None


def test_a_folder_that_cannot_be_made_is_told_at_the_start(store: Store, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("mine")
    with pytest.raises(UsageError, match="spool"):
        Autosaver(store, threaded=False, spool=tmp_path / "file" / "unsaved")


def test_a_server_that_is_away_at_the_end_gets_it_at_the_next_start(tmp_path: Path) -> None:
    with server() as made:
        store, world = open_store(made.url, DESIGN), World(DESIGN)
        saver = Autosaver(store, threaded=False, spool=tmp_path)
        ana = saver.join(world, "ana")
        ana.announce("alloy")
        saver.flush("ana")
        made.stop()
        ana.announce("alloy")
        with pytest.raises(SaveError, match=r"It is kept in postgres\.unsaved-"), saver.closing():
            pass
        store.close()
        made.start()
        with open_store(made.url, DESIGN) as again:
            assert purse(again)["tin"] == 1
            Autosaver(again, threaded=False, spool=tmp_path).close()
            assert purse(again)["tin"] == 2
    assert os.listdir(tmp_path) == []


def test_a_store_in_memory_leaves_no_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    with open_store("sqlite://", DESIGN) as store:
        saver = Autosaver(store, threaded=False)
        saver.join(World(DESIGN), "ana").announce("alloy")
        store.trouble = Trouble(failing=-1)
        assert len(saver.close()) == 1
    assert os.listdir(tmp_path) == []
