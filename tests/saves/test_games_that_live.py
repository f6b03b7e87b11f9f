"""A game that is patched, killed, forked, cancelled and fed by other packages loses nothing, or says so."""

from __future__ import annotations

import asyncio
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy
import pytest
from hypothesis import given
from hypothesis import strategies as st

import cleaver
from cleaver import CleaverError, Design, DesignError, Profile, SnapshotError, World, open_store
from cleaver.core import kept, read
from cleaver.errors import StoreUnavailableError
from cleaver.rooms import Replica, Room
from cleaver.saves import Autosaver, Found, Trouble
from cleaver.saves.document import decode, encode
from cleaver.script import Session, play
from cleaver.script.command import COMMANDS
from cleaver.script.files import read_script
from cleaver.table import Table
from helpers import REEF
from strategies import law

DESIGN = Design.from_dict(
    {
        "currencies": {"scrip": {}},
        "actors": {
            "diver": {"player": True, "vital": "suit", "meters": {"suit": {"max": 90, "saved": True}}}
        },
        "events": {"reached": {"fields": {"depth": "number", "place": "name"}}},
        "records": {"deepest": {"on": "reached", "best": "depth"}},
    }
)


def scrip(store: Any, player: str) -> int:
    found = store.load(player)
    assert isinstance(found, Found)
    return int(found.profile.sections["currencies"]["scrip"])


# numbers from elsewhere


class Depth(float):
    """A float of somebody's own."""


NUMBERS = [numpy.float64(12.5), numpy.float32(12.5), numpy.int64(12), Depth(12.5), Fraction(25, 2)]


@pytest.mark.parametrize("number", NUMBERS, ids=lambda number: type(number).__name__)
@pytest.mark.parametrize(
    "act",
    [
        lambda ana, n: ana.announce("reached", depth=n, place="wreck"),
        lambda ana, n: ana.heal(n),
        lambda ana, n: ana["suit"].set(n),
        lambda ana, n: ana["suit"].set_max(n),
        lambda ana, n: read.parts(ana),
    ],
)
def test_numbers_from_elsewhere_are_saved_as_plain_ones(number: Any, act: Callable[..., object]) -> None:
    world = World(DESIGN)
    ana, bea = world.join("diver", "ana"), world.join("diver", "bea")
    ana.hurt(50)
    act(ana, number)
    for player in (ana, bea):
        kept.look_at_section(player.id, world.profile(player).sections)
    assert World.restore(DESIGN, json.loads(json.dumps(world.snapshot()))).snapshot() == world.snapshot()


@pytest.mark.parametrize("number", [Decimal("1.5"), True, "3", None, complex(1)])
def test_what_is_no_number_is_refused_at_the_door(number: Any) -> None:
    ana = World(DESIGN).join("diver", "ana")
    with pytest.raises(CleaverError):
        ana.heal(number)
    with pytest.raises(CleaverError):
        ana.announce("reached", depth=number, place="wreck")


def test_one_players_document_never_holds_up_anothers(monkeypatch: pytest.MonkeyPatch) -> None:
    failures: list[Any] = []
    with open_store("sqlite://", DESIGN) as store:
        world = World(DESIGN)
        saver = Autosaver(store, interval=0, threaded=False, on_failure=failures.append)
        ana, bea = saver.join(world, "ana"), saver.join(world, "bea")
        whole = world.profile

        def spoilt(actor: Any) -> Profile:
            if actor.id == "ana":
                raise TypeError("from outside")
            return whole(actor)

        monkeypatch.setattr(World, "profile", lambda self, actor: spoilt(actor))
        ana.earn("scrip", 5)
        bea.earn("scrip", 7)
        saver.pump(1)
        assert [failure.player for failure in failures] == ["ana"]
        assert (saver.state_of("ana")[0], saver.state_of("bea")[0], scrip(store, "bea")) == (
            "failed",
            "saved",
            7,
        )
        monkeypatch.undo()
        ana.earn("scrip", 1)
        saver.pump(1)
        assert scrip(store, "ana") == 6
        assert saver.close() == []


def test_a_hook_that_raises_is_a_failure_and_everybody_is_tried_again() -> None:
    failures: list[Any] = []
    now = [0.0]
    with open_store("sqlite://", DESIGN) as store:
        world = World(DESIGN)
        saver = Autosaver(store, interval=0, threaded=False, on_failure=failures.append, clock=lambda: now[0])
        ana = saver.join(world, "ana")

        def fails() -> None:
            raise ZeroDivisionError("a hook of the host's")

        no_more = saver.before_writing(fails)
        ana.earn("scrip", 5)
        saver.pump(1)
        assert [str(failure.error)[:17] for failure in failures] == ["ZeroDivisionError"]
        no_more()
        now[0] = 9.0
        saver.pump(1)
        assert scrip(store, "ana") == 5
        saver.close()


def test_whatever_a_chore_raises_saving_goes_on(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    with open_store(f"sqlite:///{tmp_path}/s.db", DESIGN) as store:
        world = World(DESIGN)
        saver = Autosaver(store, interval=0)
        ana = saver.join(world, "ana")

        def chore(patience: float | None) -> None:
            raise SystemError("the table of files is full")

        saver._writer.keep_house([chore])
        ana.earn("scrip", 5)
        for _ in range(200):
            saver.pump(1)
            if saver.state_of("ana")[0] == "saved":
                break
            time.sleep(0.01)
        assert scrip(store, "ana") == 5
        assert "a chore of the saver failed" in caplog.text
        saver.close()


# one limit


def deep(levels: int) -> Any:
    value: Any = 1
    for _ in range(levels):
        value = {"next": value}
    return value


@pytest.mark.parametrize("value", [deep(19), 2**63, -(2**63), {"half": "\ud800"}, {"\ud800": 1}, [deep(30)]])
def test_own_data_that_could_not_be_read_back_is_refused_at_the_door(value: Any) -> None:
    ana = World(DESIGN).join("diver", "ana")
    with pytest.raises(CleaverError, match=r"talk|utf|half"):
        ana.data["talk"] = value
    assert "talk" not in ana.data


def test_what_is_taken_is_read_back(tmp_path: Path) -> None:
    with open_store(f"sqlite:///{tmp_path}/s.db", DESIGN) as store:
        saver = Autosaver(store, threaded=False)
        ana = saver.join(World(DESIGN), "ana")
        ana.data["talk"] = deep(18)
        ana.data["most"] = 2**63 - 1
        ana["suit"].set_max(2**62)
        assert saver.close() == []
        back = Autosaver(store, threaded=False)
        again = back.join(World(DESIGN), "ana")
        assert (again.data["talk"], again.data["most"]) == (deep(18), 2**63 - 1)
        back.close()
    with pytest.raises(CleaverError):
        ana["suit"].set_max(2**63 - 1)


# stores


def killed(path: Path, play: Callable[[Any], None]) -> None:
    """Let another process play with a store, and be killed in the middle of it."""
    pid = os.fork()
    if pid == 0:
        try:
            play(open_store(f"sqlite:///{path}", DESIGN))
        finally:
            os.kill(os.getpid(), 9)
    os.waitpid(pid, 0)


def test_a_store_is_whole_where_file_and_log_are(tmp_path: Path) -> None:
    """The header of the file names pages that only the log has: so a kill in the middle of a checkpoint leaves
    it."""
    path = tmp_path / "s.db"

    def grow(store: Any) -> None:
        for number in range(30):
            store.save(Profile(f"p{number}", 1, {"notes": {"text": "x" * 9000}}))

    killed(path, grow)
    with path.open("r+b") as file:
        file.seek(28)
        file.write((10_000).to_bytes(4, "big"))
    log = path.with_name("s.db-wal")
    assert log.stat().st_size
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        assert len(store.players()) == 30


def test_a_backup_copied_beside_an_old_log_is_not_mixed_with_it(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    path, backup = tmp_path / "s.db", tmp_path / "b.db"

    def play(store: Any) -> None:
        for value in range(1, 4):
            for name in ("ana", "bea", "cid"):
                store.save(Profile(name, 1, {"currencies": {"scrip": value}, "notes": {"text": "x" * 3000}}))
            store.checkpoint()
            if value == 1:
                store.backup(backup)
        store.save(Profile("ana", 1, {"currencies": {"scrip": 9}}))

    killed(path, play)
    shutil.copy(backup, path)
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        assert [scrip(store, name) for name in ("ana", "bea", "cid")] == [1, 1, 1]
    assert "the log of another file" in caplog.text


def test_a_log_that_belongs_to_its_file_stays(tmp_path: Path) -> None:
    path = tmp_path / "s.db"

    def play(store: Any) -> None:
        for value in range(1, 30):
            store.save(Profile("ana", 1, {"currencies": {"scrip": value}, "notes": {"text": "x" * 3000}}))
            if value % 7 == 0:
                store.checkpoint()

    killed(path, play)
    with open_store(f"sqlite:///{path}", DESIGN) as store, open_store(f"sqlite:///{path}", DESIGN) as other:
        assert scrip(store, "ana") == scrip(other, "ana") == 29
    assert not list(tmp_path.glob("*.replaced-*"))


def test_a_store_that_was_moved_away_is_not_backed_up(tmp_path: Path) -> None:
    store = open_store(f"sqlite:///{tmp_path}/s.db", DESIGN)
    store.save(Profile("ana", 1, {}))
    (tmp_path / "s.db").rename(tmp_path / "moved.db")
    with pytest.raises(StoreUnavailableError):
        store.backup(tmp_path / "b.db")
    store.close()
    assert not (tmp_path / "b.db").exists()
    assert not (tmp_path / "s.db").exists()


def test_half_copies_of_killed_processes_go_at_the_next_start(tmp_path: Path) -> None:
    with open_store(f"sqlite:///{tmp_path}/s.db", DESIGN) as store:
        folder = tmp_path / "backups"
        folder.mkdir()
        left = folder / f".s-20261101T000000000Z.db.{'a' * 32}"
        fresh = folder / f".s-20261101T000000000Z.db.{'b' * 32}"
        for file in (left, fresh):
            file.touch()
        os.utime(left, (0, 0))
        Autosaver(store, threaded=False, backups=folder).close()
        assert (left.exists(), fresh.exists()) == (False, True)


def test_a_fork_is_refused_with_what_to_do(tmp_path: Path) -> None:
    read, write = os.pipe()
    with open_store(f"sqlite:///{tmp_path}/s.db", DESIGN) as store, store.hold("ana") as held:
        held.save(Profile("ana", 1, {}))
        pid = os.fork()
        if pid == 0:
            said = ""
            try:
                held.save(Profile("ana", 1, {}))
            except CleaverError as error:
                said = str(error)
            store.close()
            os.write(write, said.encode())
            os._exit(0)
        os.waitpid(pid, 0)
        assert "fork; open it anew" in os.read(read, 1000).decode()
        assert held.save(Profile("ana", 1, {})).revision == 2
    os.close(read)
    os.close(write)


@pytest.mark.parametrize(
    "change",
    [
        "UPDATE cleaver_profiles SET revision='x' WHERE player='ann'",
        "UPDATE cleaver_generations SET revision='x' WHERE player='ann' AND revision=1",
        "UPDATE cleaver_scores SET points='x' WHERE player='ann'",
        "UPDATE cleaver_audit SET before='{'",
        "DELETE FROM cleaver_meta WHERE key='commits'",
        "UPDATE cleaver_profiles SET fence='x' WHERE player='bo'",
        "UPDATE cleaver_profiles SET player=x'ff' WHERE player='ann'",
    ],
)
def test_a_spoilt_row_is_a_documented_error(tmp_path: Path, change: str) -> None:
    path = tmp_path / "s.db"
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        for name in ("ann", "bo"):
            store.save(Profile(name, 1, {}))
            store.keep_score("b", name, 3)
        store.correct(Profile("ann", 1, {}))
    connection = sqlite3.connect(path)
    connection.execute(change)
    connection.commit()
    connection.close()
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        asked: list[Callable[[], object]] = [
            lambda: list(store.verify()),
            lambda: store.load("ann"),
            lambda: store.save(Profile("bo", 1, {})),
            store.audit_trail,
            lambda: store.rank_of("b", "bo"),
            store.players,
        ]
        for ask in asked:
            try:
                ask()
            except CleaverError:
                pass


# the end of a program

PROGRAM = """
import sys
from cleaver import Design, World, open_store
from cleaver.saves import Autosaver
design = Design.from_dict({"currencies": {"scrip": {}}, "actors": {"diver": {"player": True}}})
store = open_store(sys.argv[1], design)
saver = Autosaver(store)
ana = saver.join(World(design), "ana")
ana.earn("scrip", 1)
saver.pump(1)
ana.earn("scrip", 100)
"""


@pytest.mark.parametrize(
    ("end", "saved"), [("", True), ("1 / 0", True), ("sys.exit(3)", True), ("del saver", False)]
)
def test_a_program_that_ends_without_closing_saves_or_says_so(tmp_path: Path, end: str, saved: bool) -> None:
    url = f"sqlite:///{tmp_path}/s.db"
    done = subprocess.run(
        [sys.executable, "-c", PROGRAM + end, url], capture_output=True, text=True, timeout=60
    )
    with open_store(url, DESIGN) as store:
        assert not saved or scrip(store, "ana") == 101
    assert "saver" in done.stderr
    assert ("ana was not saved" in done.stderr) is not saved


def test_a_cancelled_close_can_be_closed_again(tmp_path: Path) -> None:
    async def game() -> None:
        store = open_store(f"sqlite:///{tmp_path}/s.db", DESIGN)
        saver = Autosaver(store, interval=0)
        saver.join(World(DESIGN), "ana").earn("scrip", 3)
        store.trouble = Trouble(slow=0.4)
        with pytest.raises(asyncio.TimeoutError):
            await asyncio.wait_for(saver.close_async(), 0.1)
        store.trouble = None
        assert saver.close() == []
        assert scrip(store, "ana") == 3
        store.close()

    asyncio.run(game())


def test_a_player_whose_leaving_was_cancelled_may_come_in_again(tmp_path: Path) -> None:
    async def game() -> None:
        store = open_store(f"sqlite:///{tmp_path}/s.db", DESIGN)
        room = Room(DESIGN, "r1", saver=Autosaver(store, interval=0))
        await room.enter("ana")
        assert room.saver is not None
        room.saver.flush("ana")
        other = sqlite3.connect(tmp_path / "s.db", isolation_level=None)
        other.execute("BEGIN IMMEDIATE")
        with pytest.raises(asyncio.TimeoutError):
            await asyncio.wait_for(room.leave("ana"), 0.3)
        other.execute("ROLLBACK")
        other.close()
        await asyncio.sleep(0.2)
        assert await room.enter("ana") in ("found", "here")
        assert [player.id for player in room.world.players] == list(room.viewers) == ["ana"]
        room.saver.close()
        store.close()

    asyncio.run(game())


# what is written is read back

TEXTS = st.text(max_size=12) | st.sampled_from(
    ["a\nb", "a\rb", "a\x0bb", "a\x1cb", "a\x85b", "a\u2028b", "'", "a=b", "# x", ""]
)


@law
@given(TEXTS, st.sampled_from(["data", "announce", "reason", "placement"]))
def test_any_text_that_is_taken_is_played_back_by_its_journal(
    tmp_path_factory: pytest.TempPathFactory, text: str, door: str
) -> None:
    design = cleaver.load_design(REEF)
    path = tmp_path_factory.mktemp("journal") / "j.play"
    world = World(design)
    with cleaver.journal(world, path) as journal:
        ana = world.join("diver", "ana")
        try:
            if door == "data":
                ana.data[text] = 1
            elif door == "announce":
                ana.announce("reached", place=text, depth=1)
            elif door == "reason":
                ana.earn("scrip", 1, reason=text)
            else:
                world.place("pearl", text)
        except CleaverError:
            pass
        ana.earn("scrip", 7)
        assert not journal.trouble
    session = Session(design, folder=path.parent)
    play(session, read_script(path), file=path.name)
    assert session.world.snapshot() == world.snapshot()


@pytest.mark.parametrize("name", [name for name in COMMANDS if name not in ("quit", "record", "store")])
def test_an_option_of_any_name_is_a_step_or_an_error_of_the_script(name: str) -> None:
    design = cleaver.load_design(REEF)
    for word in (
        "session",
        "actor",
        "event",
        "self",
        "name",
        "what",
        "fields",
        "args",
        "class",
        "None",
        *COMMANDS,
    ):
        session = Session(design)
        try:
            play(session, ["join diver ana", "spawn eel eel1", f"{COMMANDS[name].example} {word}=1"])
        except CleaverError:
            pass


@pytest.mark.parametrize(
    "change",
    [
        lambda snapshot: snapshot["clock"].__setitem__(3, 1e18),
        lambda snapshot: snapshot["clock"].__setitem__(2, 10**400),
        lambda snapshot: snapshot["parts"]["quests"][0]["ana"]["drowned_bells"][4].pop(),
        lambda snapshot: snapshot["parts"]["goods"][1]["ana"][1].__setitem__("scrip", -1),
    ],
)
def test_a_snapshot_that_no_world_writes_is_refused(change: Callable[[Any], object]) -> None:
    design = cleaver.load_design(REEF)
    world = World(design)
    ana = world.join("diver", "ana")
    ana.gain_xp("rank", 350)
    ana.earn("scrip", 5)
    ana.accept("drowned_bells")
    world.advance(1.5)
    snapshot = json.loads(json.dumps(world.snapshot()))
    World.restore(design, json.loads(json.dumps(snapshot)))
    change(snapshot)
    with pytest.raises(SnapshotError):
        World.restore(design, snapshot)


@pytest.mark.parametrize(
    "message",
    [b'{"a":1,"b":2}', b'["x",[]]', b"[null,[]]", b"[1.5,[]]", b"[" * 100_000, b'"ab"', b"[1,[[[1],2]]]"],
)
def test_a_replica_refuses_nonsense_and_takes_the_next_full_view(message: bytes) -> None:
    design = cleaver.load_design(REEF)
    room = Room(design, "r", seed=5)
    asyncio.run(room.enter("p1", kind="diver", shown_as="Ana"))
    replica = Replica(design.for_clients())
    replica.feed(room.full("p1"))
    with pytest.raises(CleaverError):
        replica.feed(message)
    replica.advance(0.1)
    replica.feed(room.full("p1"))


# designs that would take long

HEAD = '[actors.diver]\nplayer = true\nvital = "suit"\nmeters.suit = 90\n'


def test_a_key_of_thousands_of_parts_and_thousands_of_errors_are_told_at_once(tmp_path: Path) -> None:
    path = tmp_path / "d.toml"
    path.write_text(HEAD + "[game]\n" + ".".join(["a"] * 20_000) + " = 1\n")
    with pytest.raises(DesignError, match="parts"):
        cleaver.load_design(path)
    path.write_text(HEAD + "".join(f"[currencies.coin{number}]\nbig = 1\n" for number in range(150)))
    with pytest.raises(DesignError, match=r"150 errors(.|\n)*and 50 more") as caught:
        cleaver.load_design(path)
    assert (len(caught.value.problems), caught.value.more) == (100, 50)


def chain(count: int) -> str:
    return HEAD + "".join(
        f"[quests.q{number}]\n"
        + (f"needs = [\"self.quest.q{number - 1} == 'completed'\"]\n" if number else "")
        + 'goals = [ { on = "defeated", count = 3 } ]\nreward = [ { score = 5 } ]\n'
        for number in range(count)
    )


@pytest.mark.parametrize(
    "make", [chain, lambda count: HEAD + "".join(f"k{one} = 1\n" for one in range(count * 20))]
)
def test_twice_the_size_takes_little_more_than_twice_the_time(
    make: Callable[[int], str], tmp_path: Path
) -> None:
    from cleaver.design.checks import findings

    def seconds(count: int) -> float:
        path = tmp_path / "d.toml"
        path.write_text(make(count))
        begun = time.process_time()
        try:
            findings(cleaver.load_design(path))
        except DesignError:
            pass
        return time.process_time() - begun

    seconds(50)
    small, large = (min(seconds(count) for _ in range(3)) for count in (200, 400))
    assert large <= 3.2 * small  # 2.6 on a quiet machine


# what goes to other programs


def test_a_cell_that_a_spreadsheet_would_work_out_stays_a_text() -> None:
    text = Table(("who", "n"), [("=1+1", -3), ("@x", 1), ("ana", 2)]).to_csv()
    assert text == "who,n\n'=1+1,-3\n'@x,1\nana,2\n"


def test_a_journal_has_the_limits_of_its_length() -> None:
    session = Session(DESIGN)
    with pytest.raises(CleaverError, match="no line of a journal"):
        play(session, ["journal 1", "join diver ana", "repeat 1000000 earn ana scrip 1"])


def test_an_event_has_no_field_that_the_call_would_take_for_another_thing() -> None:
    with pytest.raises(DesignError, match="word of the call"):
        Design.from_dict({"events": {"reached": {"fields": {"event": "number"}}}})


def test_a_boards_name_is_as_long_in_every_store() -> None:
    with open_store("sqlite://", DESIGN) as store:
        store.keep_score("b" * 100, "ana", 1)
        with pytest.raises(CleaverError, match="at most 100 letters"):
            store.keep_score("b" * 101, "ana", 1)


@pytest.mark.parametrize("odd", [None, 5, 1.5, b"x", [], object()], ids=lambda odd: type(odd).__name__)
def test_wrong_types_are_documented_errors(odd: Any, tmp_path: Path) -> None:
    with open_store("sqlite://", DESIGN) as store:
        calls: list[Callable[[], object]] = [
            lambda: open_store(odd, DESIGN),
            lambda: open_store("sqlite://", odd),
            lambda: Autosaver(odd),
            lambda: Autosaver(store, threaded=False, spool=odd),
            lambda: Autosaver(store, threaded=False).join(odd, "ana"),
            lambda: Room(odd, "r"),
            lambda: asyncio.run(Room(DESIGN, "r").enter(odd, kind="diver")),
            lambda: Room.recover(odd, DESIGN),
            lambda: store.save(odd),
        ]
        for call in calls:
            with pytest.raises(CleaverError):
                call()
    with pytest.raises(CleaverError):
        World(DESIGN, history=-1)


def test_a_goal_for_all_of_what_is_not_there_yet_is_saved_and_comes_back() -> None:
    goal = {"on": "collected", "of": "pearl", "count": "all"}
    design = Design.from_dict(
        {
            "pickups": {"pearl": {"do": [{"score": 1}]}},
            "actors": {"diver": {"player": True}},
            "quests": {"sweep": {"goals": [goal]}},
        }
    )
    world = World(design)
    world.join("diver", "ana").accept("sweep")
    kept = decode(encode(world.profile("ana")))
    assert kept.sections["quests"]["sweep"]["goals"][0]["target"] == 0
    again = World.restore(design, json.loads(json.dumps(world.snapshot())))
    other = World(design)
    other.join("diver", "ana", profile=kept)
    for there in (other, again):
        there.actor("ana").take(there.place("pearl"))
        assert there.actor("ana").quests["sweep"].state == "ready"
