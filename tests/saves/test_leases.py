"""Leases: of several who ask for a player one gets it, the dead are known, and who is asked may let go."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import create_engine, text

from cleaver import Design, Profile, ProfileBusyError, ProfileStaleError, SaveError, UsageError, World
from cleaver.saves import Autosaver, open_store
from cleaver.saves.processes import this
from helpers import Clock, run
from postgres import Server
from saving import DESIGN, GAME, scrip

ROUNDS = int(os.environ.get("CLEAVER_ROUNDS", "40"))  # by hand: 300
pytestmark = pytest.mark.filterwarnings("ignore::DeprecationWarning")


def racer(url: str, number: int, rounds: int, together: Any, told: Any) -> None:
    with open_store(url, DESIGN, name=f"server {number}") as store:
        for turn in range(rounds):
            together.wait()
            try:
                store.hold(f"p{turn}")
            except SaveError as error:
                told.put((turn, type(error).__name__))
            else:
                told.put((turn, "got it"))
            together.wait()


def test_of_two_processes_that_ask_one_gets_the_player(url: str) -> None:
    with open_store(url, DESIGN):
        pass
    context = get_context("fork")
    together, told = context.Barrier(2), context.Queue()
    racers = [context.Process(target=racer, args=(url, number, ROUNDS, together, told)) for number in (1, 2)]
    for one in racers:
        one.start()
    found = [told.get(timeout=60) for _ in range(2 * ROUNDS)]
    for one in racers:
        one.join()
    for turn in range(ROUNDS):
        assert sorted(what for number, what in found if number == turn) == ["ProfileBusyError", "got it"]


def opener(url: str, together: Any, told: Any) -> None:
    together.wait()
    try:
        with open_store(url, DESIGN) as store:
            told.put(store.id)
    except SaveError as error:
        told.put(str(error))


@pytest.mark.parametrize("kind", ["sqlite", "postgres"])
def test_four_processes_open_a_fresh_database_at_once(
    kind: str, request: pytest.FixtureRequest, tmp_path: Path
) -> None:
    context = get_context("fork")
    for turn in range(max(ROUNDS // 6, 5)):
        url = f"sqlite:///{tmp_path / f's{turn}.db'}"
        if kind == "postgres":
            made: Server = request.getfixturevalue("postgres")
            admin = create_engine(made.url, isolation_level="AUTOCOMMIT")
            with admin.connect() as connection:
                connection.execute(text(f"DROP DATABASE IF EXISTS fresh{turn}"))
                connection.execute(text(f"CREATE DATABASE fresh{turn}"))
            admin.dispose()
            url = f"{made.url.rpartition('/')[0]}/fresh{turn}"
        together, told = context.Barrier(4), context.Queue()
        openers = [context.Process(target=opener, args=(url, together, told)) for _ in range(4)]
        for one in openers:
            one.start()
        ids = {told.get(timeout=60) for _ in openers}
        for one in openers:
            one.join()
        assert len(ids) == 1
        assert len(ids.pop()) == 32


def dies_with(url: str, player: str) -> None:
    child = os.fork()
    if child == 0:
        open_store(url, DESIGN, name="the one that died", lease=1000).hold(player).save(scrip(1, player))
        os.kill(os.getpid(), signal.SIGKILL)
    os.waitpid(child, 0)


def test_a_process_that_died_on_this_machine_holds_nobody_up(url: str) -> None:
    dies_with(url, "ana")
    with open_store(url, DESIGN) as store:
        dead = store.holders()[0]
        assert (dead.name, dead.players, dead.dead, dead.left > 900) == ("the one that died", 1, True, True)
        assert store.holder_of("ana") is None
        with store.hold("ana") as held:
            assert held.profile == scrip(1)


def test_one_on_another_machine_is_waited_for(url: str) -> None:
    with open_store(url, DESIGN) as store:
        dies_with(url, "ana")
        with store.engine.begin() as connection:
            connection.execute(text("UPDATE cleaver_holders SET machine = 'elsewhere' WHERE machine != ''"))
        with pytest.raises(ProfileBusyError, match="the one that died"):
            store.hold("ana")


def test_a_number_that_was_given_again_is_another_process() -> None:
    me = this()
    assert not me.dead
    assert me._replace(started="1").dead
    assert me._replace(number=2**22 + 7).dead
    assert not me._replace(namespace="elsewhere", number=2**22 + 7).dead
    assert not me._replace(machine="").dead


def test_a_lease_goes_by_the_clock_of_the_database(server_url: str, monkeypatch: pytest.MonkeyPatch) -> None:
    with open_store(server_url, DESIGN, name="A") as one:
        held = one.hold("ana")
        monkeypatch.setattr(time, "time", lambda: 4e9)  # this machine's clock is years ahead
        with open_store(server_url, DESIGN, name="B") as other, pytest.raises(ProfileBusyError) as busy:
            other.hold("ana")
        assert 20 < busy.value.left <= 30
        held.save(scrip(1))


def test_a_lease_of_a_wrong_clock_names_the_way_out(url: str) -> None:
    with open_store(url, DESIGN, name="the crashed one", clock=lambda: 4e9) as one:
        held = one.hold("ana")
        with open_store(url, DESIGN) as other:
            with pytest.raises(ProfileBusyError, match="its clock was wrong.*cleaver saves free"):
                other.hold("ana")
            assert other.free(one.holder) == 1
            with other.hold("ana") as taken:
                taken.save(scrip(2))
            assert [(line.what, line.detail) for line in other.audit_trail()] == [
                ("free", f"1 player of {one.holder}")
            ]
        with pytest.raises(ProfileStaleError):
            held.save(scrip(9))


def test_no_lock_is_held_while_a_games_own_function_reads_a_profile(url: str) -> None:
    with open_store(url, DESIGN) as old:
        old.save(scrip(7))
    newer = Design.from_dict({**GAME, "game": {"version": 2}})
    found: list[int] = []

    def step(sections: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
        with open_store(url, newer, migrations={1: dict}) as other:  # writes meanwhile
            found.append(other.save(Profile("bea", 2, {})).revision)
        return sections

    with open_store(url, newer, migrations={1: step}) as store, store.hold("ana") as held:
        assert held.profile == Profile("ana", 2, {"currencies": {"scrip": 7}})
    assert found == [1]


def test_who_is_asked_for_a_player_may_let_it_go(url: str) -> None:
    clock, world = Clock(), World(DESIGN)
    asked: list[tuple[str, str]] = []
    with open_store(url, DESIGN, name="the pier") as store, open_store(url, DESIGN, name="the reef") as other:

        def let_go(player: str, who: str) -> None:
            asked.append((player, who))
            saver.leave(player)

        saver = Autosaver(store, threaded=False, clock=clock, on_request=let_go)
        saver.join(world, "ana").earn("scrip", 3)
        with pytest.raises(ProfileBusyError):
            other.hold("ana")
        other.request_handover("ana")
        clock.now = 3
        saver.pump(5)
        assert asked == [("ana", "the reef")]
        with other.hold("ana") as held:
            assert held.profile == scrip(3)
        clock.now = 6
        saver.pump(5)
        assert len(asked) == 1
        saver.close()


def test_a_call_on_request_that_fails_costs_nobody_anything(
    url: str, caplog: pytest.LogCaptureFixture
) -> None:
    clock = Clock()

    def fails(player: str, who: str) -> None:
        raise RuntimeError(player)

    with open_store(url, DESIGN) as store:
        saver = Autosaver(store, threaded=False, clock=clock, on_request=fails)
        saver.join(World(DESIGN), "ana").earn("scrip", 3)
        store.request_handover("ana")
        clock.now = 3
        saver.pump(5)
        assert "on_request failed for ana" in caplog.text
        assert store.read("ana") == scrip(3)
        saver.close()


def test_the_command_lists_and_frees_processes(file_url: str, tmp_path: Path) -> None:
    design = tmp_path / "design.toml"
    design.write_text("[currencies]\nscrip = {}\n")
    words = (str(design), "--store", file_url)
    with open_store(file_url, DESIGN, name="the game\x1b[31m") as store:
        store.hold("ana")
        code, out, _ = run("saves", "holders", *words)
        assert code == 0
        assert r"the game\x1b[31m" in out
        assert "1   " in out
        assert store.holder in out
        code, out, _ = run("saves", "free", *words, store.holder[:6])
        assert (code, out) == (0, "1 player free now\n")
        code, _, err = run("saves", "free", *words, "zzz")
        assert (code, err.startswith("cleaver: no process has an id that begins with 'zzz'")) == (2, True)
    code, out, _ = run("saves", "holders", *words)
    assert (code, out) == (0, "no process has a player now\n")


def test_a_suspended_process_is_no_dead_one(file_url: str) -> None:
    text_of = (
        "import sys, time\nfrom cleaver import Design, open_store\n"
        f"store = open_store(sys.argv[1], Design.from_dict({GAME!r}), name='asleep')\n"
        "held = store.hold('ana')\nprint('has it', flush=True)\ntime.sleep(60)\n"
    )
    child = subprocess.Popen([sys.executable, "-c", text_of, file_url], stdout=subprocess.PIPE, text=True)
    assert child.stdout is not None
    assert child.stdout.readline() == "has it\n"
    child.send_signal(signal.SIGSTOP)
    with open_store(file_url, DESIGN) as store, pytest.raises(ProfileBusyError, match="asleep"):
        store.hold("ana")
    child.kill()
    child.wait(timeout=20)
    child.stdout.close()
    with open_store(file_url, DESIGN) as store:
        store.hold("ana").release()


def test_nobody_is_asked_for_in_vain(url: str) -> None:
    with open_store(url, DESIGN) as store:
        assert store.requests() == []
        with pytest.raises(UsageError):
            store.request_handover("")


def test_processes_that_are_gone_leave_no_rows(url: str) -> None:
    for _ in range(3):
        dies_with(url, "ana")
        with open_store(url, DESIGN) as store:
            store.hold("ana").release()
    with open_store(url, DESIGN) as store:
        store.hold("bea")
        assert [(one.players, one.dead) for one in store.holders()] == [(1, False)]
