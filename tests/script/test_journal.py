"""Journals: what a running game wrote, read as a script; cut, checked, and what is left out of it."""

from __future__ import annotations

import gc
import re
from functools import partial
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from click.testing import CliRunner

import cleaver
from cleaver import (
    Actor,
    Design,
    Match,
    MeterView,
    Placement,
    Profile,
    ReactionError,
    ScriptError,
    Shot,
    UsageError,
    World,
)
from cleaver.cli.main import cli
from cleaver.core import read
from cleaver.core.commands import COMMANDS, Declared
from cleaver.core.kernel.door import Call
from cleaver.journals.cutting import cut
from cleaver.journals.lines import script_line
from cleaver.script import Session, play
from cleaver.script.files import read_script

TABLES: dict[str, Any] = {
    "currencies": {"scrip": {}},
    "actors": {
        "diver": {"player": True, "vital": "suit", "meters": {"suit": {"max": 100, "flows": [{"rate": 1}]}}},
        "eel": {"vital": "hide", "meters": {"hide": 20}, "attacks": {"sting": {"amount": 12, "cooldown": 1}}},
    },
    "events": {"reached": {"fields": {"place": "name"}}},
}
DESIGN = Design.from_dict(TABLES)


def lines(path: Path) -> list[str]:
    return [line for line in path.read_text().splitlines() if not line.startswith("#")]


def replayed(path: Path, design: Design = DESIGN) -> World:
    session = Session(design, folder=path.parent)
    play(session, read_script(path), file=path.name)
    return session.world


def test_frames_are_merged_refusals_left_out_and_listeners_stand_inside_their_delivery(
    tmp_path: Path,
) -> None:
    world = World(DESIGN, seed=7)
    with cleaver.journal(world, tmp_path / "a.play"):
        ana = world.join("diver", "ana")
        eel = world.spawn("eel", "eel1")
        world.listen("damaged", lambda event: ana.earn("scrip", 3, reason="brave now"), actor=ana)
        for _ in range(120):
            world.advance(1 / 60)
            world.contacts([(eel, ana)], "sting")
            ana.revive()
        ana.spend("scrip", 50)
    written = [re.sub(r" carry=\S+", "", line) for line in lines(tmp_path / "a.play")]
    assert written == [
        "journal 1",
        "seed 7",
        "join diver ana",
        "spawn eel eel1",
        "until 0.016667",
        "hit ana by=eel1 with=sting",
        "during=3 earn ana scrip 3 reason='brave now'",
        "until 1.016667",
        "hit ana by=eel1 with=sting",
        "during=5 earn ana scrip 3 reason='brave now'",
        "until 2",
    ]  # fmt: skip
    again = replayed(tmp_path / "a.play")
    assert again.snapshot() == world.snapshot()
    assert again.actor("ana").purse["scrip"] == 6


def test_a_call_of_after_and_a_world_that_has_begun(tmp_path: Path) -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana")
    ana.hurt(30)
    world.advance(1.5)
    world.after(2, lambda: ana.hurt(5))
    with cleaver.journal(world, tmp_path / "a.play"):
        world.advance(3)
        world.adopt(DESIGN.with_values({"actors.diver.meters.suit.max": 120}))
    assert lines(tmp_path / "a.play") == [
        "journal 1",
        "restore start from=a.play.files/world1.json",
        "until 3.5",
        "hurt ana 5",
        "until 4.5",
        "adopt a.play.files/design2.json",
    ]
    assert replayed(tmp_path / "a.play").snapshot() == world.snapshot()


def test_what_a_listener_of_the_game_raised_does_not_stop_what_is_played_again(tmp_path: Path) -> None:
    world = World(DESIGN)
    with cleaver.journal(world, tmp_path / "a.play"):
        ana = world.join("diver", "ana")
        world.listen("damaged", lambda event: 1 / 0)
        with pytest.raises(ReactionError):
            ana.hurt(5)
        with pytest.raises(cleaver.AmountError):
            ana.hurt(-5)
        ana.heal(1)
    assert lines(tmp_path / "a.play")[1:] == ["join diver ana", "hurt ana 5", "heal ana 1"]
    assert replayed(tmp_path / "a.play").snapshot() == world.snapshot()


def test_names_and_texts_of_any_kind_come_back_as_they_were(tmp_path: Path) -> None:
    world = World(DESIGN)
    with cleaver.journal(world, tmp_path / "a.play"):
        odd = world.join("diver", "now")
        world.join("diver", "team=x # 'y'")
        world.spawn("eel", "a.b")["hide"].set(3.5)
        odd.earn("scrip", 2, reason="by=hand")
        odd.data["hat size"] = {"a": ["é\n", None, 1.5]}
        world.announce("reached", fields={"place": ""})
        odd.announce("reached", place='the "deep"')
    again = replayed(tmp_path / "a.play")
    assert again.snapshot() == world.snapshot()
    assert again.actor("now").data["hat size"] == {"a": ["é\n", None, 1.5]}
    with pytest.raises(UsageError, match="on one line"):
        world.join("diver", "two\nlines")


def test_a_stretch_is_cut_out_with_the_world_as_it_stood(tmp_path: Path) -> None:
    world = World(DESIGN)
    with cleaver.journal(world, tmp_path / "a.play"):
        ana, eel = world.join("diver", "ana"), world.spawn("eel", "eel1")
        for _ in range(10):
            eel.hit(ana, "sting")
            world.advance(2)
    made = cut(tmp_path / "a.play", tmp_path / "bug.play", 5, 9)
    assert (made.commands, made.start, made.end) == (2, 5, 9)
    assert lines(tmp_path / "bug.play") == [
        "journal 1",
        "restore start from=bug.play.files/world1.json",
        "until 6",
        "hit ana by=eel1 with=sting",
        "until 8",
        "hit ana by=eel1 with=sting",
        "until 9",
    ]
    assert replayed(tmp_path / "bug.play").actor("ana")["suit"].value == 100 - 5 * 12 + 9
    fixed = Design.from_dict(TABLES).with_values({"actors.eel.attacks.sting.amount": 2})
    assert replayed(tmp_path / "bug.play", fixed).actor("ana")["suit"].value == 100 - 3 * 12 + 9 - 4

    runner = CliRunner()
    done = runner.invoke(
        cli, ["journal", "cut", str(tmp_path / "a.play"), "--to", "3", "--out", str(tmp_path / "first.play")]
    )
    assert done.exit_code == 0, done.output
    assert "first.play: 4 commands from 0 s to 3 s" in done.output
    assert lines(tmp_path / "first.play")[1:3] == ["join diver ana", "spawn eel eel1"]
    with pytest.raises(UsageError, match="are there already"):
        cut(tmp_path / "a.play", tmp_path / "bug.play", 5, 9)
    (tmp_path / "there.play").write_text("join diver ana\n")
    with pytest.raises(UsageError, match="are there already"):
        cut(tmp_path / "a.play", tmp_path / "there.play", 5, 9)
    assert not (tmp_path / "there.play.files").exists()
    with pytest.raises(UsageError, match="cannot be written"):
        cut(tmp_path / "a.play", tmp_path / "nowhere" / "b.play", 5, 9)
    with pytest.raises(UsageError, match="it goes from 0 to 20 s"):
        cut(tmp_path / "a.play", tmp_path / "none.play", 30)
    with pytest.raises(UsageError, match="before it begins at 9 s"):
        cut(tmp_path / "a.play", tmp_path / "none.play", 9, 5)
    with pytest.raises(ScriptError, match="check the path"):
        cut(tmp_path / "nothing.play", tmp_path / "none.play")
    (tmp_path / "typed.play").write_text("join diver ana\n")
    with pytest.raises(UsageError, match="is no journal"):
        cut(tmp_path / "typed.play", tmp_path / "none.play")


def test_what_was_changed_afterwards_is_found_and_what_a_crash_cut_off_left_out(tmp_path: Path) -> None:
    world, path = World(DESIGN), tmp_path / "a.play"
    with cleaver.journal(world, path):
        world.join("diver", "ana").earn("scrip", 5)
    body = path.read_bytes()
    path.write_bytes(body.replace(b"scrip 5", b"scrip 9"))
    with pytest.raises(ScriptError, match="not as the game wrote them"):
        read_script(path)
    path.write_bytes(body + b"earn ana scr")
    assert replayed(path).snapshot() == world.snapshot()
    path.write_bytes(b"\n".join(line for line in body.splitlines() if not line.startswith(b"# sum")) + b"\n")
    assert replayed(path).actor("ana").purse["scrip"] == 5


def test_a_journal_is_one_a_world_and_writes_over_nothing(tmp_path: Path) -> None:
    world, path = World(DESIGN), tmp_path / "a.play"
    bare = cleaver.Actor.hurt
    written = cleaver.journal(world, path)
    with pytest.raises(UsageError, match="has a journal already"):
        cleaver.journal(world, tmp_path / "b.play")
    with pytest.raises(UsageError, match="there already"):
        cleaver.journal(World(DESIGN), path)
    other = World(DESIGN)
    other.join("diver", "bea").hurt(3)  # of another world nothing is written
    written.close()
    written.close()
    assert cleaver.Actor.hurt is bare  # nothing is replaced, and nobody observes any more
    assert not read.game_of(other).observers
    assert lines(path) == ["journal 1"]
    with pytest.raises(UsageError, match="a journal is of a world"):
        cleaver.journal("world", path)  # type: ignore[arg-type]


@pytest.mark.parametrize("declared", COMMANDS.values(), ids=lambda declared: f"{declared.of}.{declared.name}")
def test_a_command_is_written_the_same_however_it_is_called(declared: Declared) -> None:
    """By place or by name, with all that it may be given, and under names that the writing uses itself."""
    sample = {
        "profile": Profile("ana", 1, {}),
        "design": DESIGN,
        "goods": {"scrip": 1},
        "fields": {"place": "deep"},
        "number": 3.5,
    }
    me = SimpleNamespace(id="me")
    plain, options = [], dict[str, Any]()
    for one in declared.arguments:
        if one.many:
            options |= {"keep": 1, "me": 2, "world": 3}  # inputs and fields may be called so
        elif one.word:
            plain.append((one.name, sample.get(one.kind.of, "x")))
        else:
            options[one.name] = sample.get(one.kind.of, "x")

    def keep(what: str, text: str | bytes) -> str:
        return f"{what}.json"

    by_place = script_line(Call(declared, me, tuple(value for _, value in plain), options), keep)
    by_name = script_line(Call(declared, me, (), dict(plain) | options), keep)
    assert by_place == by_name
    for name in options:
        assert f"{ {'source': 'by', 'profile': 'from'}.get(name, name) }=" in by_place


def test_a_command_is_written_however_it_was_bound(tmp_path: Path) -> None:
    world, path = World(DESIGN), tmp_path / "a.play"
    ana = world.join("diver", "ana")
    hurt, earn, advance, move = ana.hurt, ana.earn, world.advance, world.move  # before there is a journal
    world.after(1.0, partial(ana.earn, "scrip", 7))
    world.listen("earned", lambda event: ana.add_score(5) if event.amount == 7 else None)
    with cleaver.journal(world, path):
        hurt(3)
        earn("scrip", 2)
        move(ana, 1.0, 2.0)
        advance(2)
    assert ana.score == 5
    assert ana.purse["scrip"] >= 9
    assert replayed(path).snapshot() == world.snapshot()


def test_a_journal_that_a_listener_closes_ends_with_the_command_under_way(tmp_path: Path) -> None:
    world, path = World(DESIGN), tmp_path / "a.play"
    ana = world.join("diver", "ana")
    written = cleaver.journal(world, path)
    world.listen("damaged", lambda event: written.close())
    ana.hurt(3)
    kept = world.snapshot()
    ana.hurt(2)
    assert lines(path)[-1] == "hurt ana 3"
    assert replayed(path).snapshot() == kept


def test_a_journal_that_is_given_up_with_its_world_keeps_what_was_written(tmp_path: Path) -> None:
    world, path = World(DESIGN), tmp_path / "a.play"
    cleaver.journal(world, path)
    world.join("diver", "ana").hurt(3)
    del world
    gc.collect()  # an open file that is lost would be a warning, which is an error here
    assert lines(path)[-2:] == ["join diver ana", "hurt ana 3"]


def test_named_arguments_and_names_with_spaces_come_back(tmp_path: Path) -> None:
    world, path = World(DESIGN), tmp_path / "a.play"
    with cleaver.journal(world, path):
        ana = world.join(kind="diver", name="ana", team="")
        ana["suit"].set_max(120, keep="missing")
        ana["suit"].set_max(value=130, keep="value")
        ana.earn(amount=3, currency="scrip")
        for number, name in enumerate(("eel a", "eel b")):
            world.move(world.spawn("eel", name), number, 0)
    assert replayed(path).snapshot() == world.snapshot()
    assert "set_max ana.suit 120 keep=missing" in lines(path)
    assert replayed(path).actor("eel a").position == (0, 0, 0)


READERS = {
    "World": "shot actor find contacts placement profile placements_of after match listen listen_own value why "
    "snapshot leave move",  # it dismisses; the short way of a command
    "Actor": "pulse_progress cooldown_left bought price offers usable ability_left set_tag hit",  # which tags, or untags
}


@pytest.mark.parametrize(
    "cls", [World, Actor, Placement, Shot, Match, MeterView], ids=lambda cls: cls.__name__
)
def test_every_command_of_a_game_is_written(cls: type) -> None:
    """What is not written changes nothing, or is made of what is (contacts)."""
    known = {*READERS.get(cls.__name__, "").split(), *(name for of, name in COMMANDS if of == cls.__name__)}
    public = {name for name, found in vars(cls).items() if callable(found) and not name.startswith("_")}
    assert public - known == set()


def test_where_things_stood_when_something_followed_is_written_before_it(tmp_path: Path) -> None:
    loot = Design.from_dict(
        {
            "currencies": {"scrip": {}},
            "pickups": {"gem": {"do": [{"earn": "scrip", "amount": 1}]}},
            "actors": {
                "diver": {"player": True, "vital": "suit", "meters": {"suit": 10}},
                "crab": {
                    "vital": "shell",
                    "meters": {"shell": 5},
                    "pulses": {"drop": {"every": 1, "do": [{"place": "gem"}]}},
                },
            },
        }
    )
    world, path = World(loot), tmp_path / "a.play"
    with cleaver.journal(world, path):
        ana, crab = world.join("diver", "ana"), world.spawn("crab", "crab1")

        def second(event: cleaver.Event) -> None:
            if event.placement == "gem#2":
                ana.earn("scrip", 1)

        world.listen_own("placed", second)
        for frame in range(25):
            world.move(crab, frame, 0)
            world.advance(0.1)
    spots = [placement.position for placement in world.placements]
    assert spots == [(9, 0, 0), (19, 0, 0)]
    again = replayed(path, loot)
    assert [placement.position for placement in again.placements] == spots
    assert again.snapshot() == world.snapshot()
    assert [line for line in lines(path) if line.startswith("move")] == [
        "move crab1 9 0 0.0",
        "move crab1 19 0 0.0",
        "move crab1 24 0 0.0",
    ]


def test_what_is_due_between_two_calls_of_one_instant_comes_between_them(tmp_path: Path) -> None:
    cold = {"lasts": 5, "pulses": [{"every": 9, "at_once": True, "do": [{"hurt": 3}]}]}
    still = {"player": True, "vital": "suit", "meters": {"suit": 100}}
    design = Design.from_dict({"actors": {"diver": still}, "statuses": {"cold": cold}})
    world, path = World(design), tmp_path / "a.play"
    with cleaver.journal(world, path):
        ana = world.join("diver", "ana")
        world.after(1, lambda: (ana.status("cold"), ana.heal(2)))
        world.after(1, lambda: ana.heal(2))
        world.advance(2)
    assert ana["suit"].value == 99
    assert lines(path)[2:] == ["until 1", "status ana cold", "until 1", "heal ana 2", "until 2"]
    assert replayed(path, design).snapshot() == world.snapshot()


def test_what_was_done_before_a_save_is_on_the_disk_when_it_is_told(tmp_path: Path) -> None:
    world, path = World(DESIGN), tmp_path / "a.play"
    with cleaver.journal(world, path):
        ana = world.join("diver", "ana")
        ana.earn("scrip", 5)
        there: list[list[str]] = []
        world.listen("saved", lambda event: there.append(lines(path)))
        world.saved(ana, 3)
    assert there == [["journal 1", "join diver ana", "earn ana scrip 5"]]
    assert lines(path)[-1] == "saved ana 3"
    assert replayed(path).snapshot() == world.snapshot()


def test_a_full_disk_ends_the_journal_and_not_the_game(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    world, path = World(DESIGN), tmp_path / "a.play"
    written = cleaver.journal(world, path)
    ana = world.join("diver", "ana")

    class Full:
        closed = False

        def write(self, data: bytes) -> int:
            raise OSError(28, "No space left on device")

        def close(self) -> None:
            self.closed = True

    real, written._file = written._file, Full()  # type: ignore[assignment]
    assert ana.hurt(5).dealt == 5
    assert ana.hurt(5).dealt == 5
    real.close()
    assert written.trouble == "a.play ends at 0 s: it cannot be written (no space left on device)"
    assert [record.name for record in caplog.records] == ["cleaver.journals"]
    written.close()
    cleaver.journal(world, tmp_path / "b.play").close()
