"""What comes from elsewhere: files that are none, texts that steer a terminal, numbers and words beyond all
bounds. Each is a message, and nothing else happens."""

from __future__ import annotations

import json
import os
import xml.etree.ElementTree as ElementTree
from pathlib import Path
from typing import Any

import pytest

from cleaver import AmountError, CleaverError, Design, DesignError, World, load_design, open_store
from cleaver.files import TooLongError, read, write
from cleaver.hud import sentence
from cleaver.script import Session, play
from cleaver.visible import visible
from helpers import REEF, crate_world, run

STEERS = "\x1b[31mred\x07\x9b2J\u202egnihton\u2066[bold]x[/bold]"

# files


@pytest.fixture(params=["device", "pipe", "folder", "link to a device"])
def odd(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    """Something that is no regular file."""
    path = tmp_path / "odd.toml"
    if request.param == "device":
        return Path("/dev/zero")
    if request.param == "pipe":
        os.mkfifo(path)
    elif request.param == "folder":
        path.mkdir()
    else:
        path.symlink_to("/dev/zero")
    return path


@pytest.mark.long
def test_what_is_no_regular_file_is_neither_read_nor_waited_for(odd: Path, tmp_path: Path) -> None:
    with pytest.raises(OSError, match=r"no regular file|directory"):
        read(odd, 100)
    with pytest.raises(DesignError, match="cannot be read"):
        load_design(odd)
    for words in (
        ("check", str(odd)),
        ("play", REEF, str(odd)),
        ("test", str(odd), "--design", REEF),
        ("why", REEF, str(odd), "ana.suit"),
        ("diff", REEF, str(odd)),
        ("saves", "import", REEF, str(odd), "--store", f"sqlite:///{tmp_path}/s.db"),
        ("saves", "list", REEF, "--store", f"sqlite:///{odd}"),
    ):
        code, out, err = run(*words)
        assert code in (1, 2), (words, out, err)
        assert out + err


def test_files_are_read_within_a_limit(tmp_path: Path) -> None:
    path = tmp_path / "long.toml"
    path.write_bytes(b"x" * 101)
    assert len(read(path, 101)) == 101
    with pytest.raises(TooLongError, match="101 bytes"):
        read(path, 100)
    with pytest.raises(OSError, match="no path"):
        read("a\0b", 100)


def test_nothing_is_written_through_a_link(tmp_path: Path) -> None:
    precious, link = tmp_path / "precious", tmp_path / "link"
    precious.write_text("mine")
    link.symlink_to(precious)
    (tmp_path / ".link.new").symlink_to(precious)
    write(link, "anew")
    assert (precious.read_text(), link.read_text(), link.is_symlink()) == ("mine", "anew", False)
    assert sorted(file.name for file in tmp_path.iterdir()) == ["link", "precious"]


def test_baselines_recordings_and_exports_overwrite_nothing_through_a_link(tmp_path: Path) -> None:
    precious = tmp_path / "precious"
    precious.write_text("mine")
    script = tmp_path / "dive.play"
    script.write_text("join diver ana\nexpect ana.scrip == 0\n")
    baseline = tmp_path / "dive.baseline.jsonl"
    code, _, _ = run("test", str(script), "--design", REEF, "--update")
    assert code == 0
    made = next(file for file in tmp_path.iterdir() if file.name not in ("precious", "dive.play"))
    made.unlink()
    made.symlink_to(precious)
    run("test", str(script), "--design", REEF, "--update")
    link = tmp_path / "link.play"
    link.symlink_to(precious)
    code, _, _ = run("play", REEF, "--record", str(link), stdin="join diver ana\n")
    assert code == 2
    with open_store(f"sqlite:///{tmp_path / 's.db'}", load_design(REEF)):
        pass
    assert run("saves", "export", REEF, "--out", str(link), "--store", f"sqlite:///{tmp_path}/s.db")[0] == 2
    assert precious.read_text() == "mine"
    assert not baseline.exists() or not baseline.is_symlink()


def test_a_script_reads_profiles_of_its_own_folder_only(tmp_path: Path) -> None:
    world = World(load_design(REEF))
    tree = {"format": 2, "player": "ana", "version": 1, "sections": {"currencies": {"scrip": 7}}}
    folder = tmp_path / "scripts"
    folder.mkdir()
    for place in (tmp_path, folder):
        (place / "ana.json").write_text(json.dumps(tree))
    (folder / "link.json").symlink_to(tmp_path / "ana.json")
    for name, fits in (
        ("ana.json", True),
        ("../ana.json", False),
        ("link.json", False),
        ("/etc/hostname", False),
    ):
        session = Session(world.design, folder=folder)
        lines = ["join diver ana", f"load ana from={name}", "expect ana.scrip == 7"]
        if fits:
            assert not play(session, lines).failed
        else:
            with pytest.raises(CleaverError, match="outside of the script's folder"):
                play(session, lines)


# terminals


def test_what_steers_a_terminal_is_shown_as_what_it_is() -> None:
    shown = visible(STEERS)
    assert shown == r"\x1b[31mred\x07\x9b2J\u202egnihton\u2066[bold]x[/bold]"
    assert visible("añejo — 日本\n\tplain 😀") == "añejo — 日本\n\tplain 😀"
    assert visible("\ud800") == r"\ud800"


@pytest.mark.long
def test_no_command_prints_what_steers_a_terminal(tmp_path: Path) -> None:
    design = tmp_path / "design.toml"
    title = json.dumps(STEERS)
    design.write_text(
        f"[game]\ntitle = {title}\n[currencies]\nscrip = {{}}\n[texts]\nearned = {title}\n"
        '[actors.diver]\nplayer = true\nvital = "suit"\nmeters.suit = 90\n'
        f'[quests.dive]\ntitle = {title}\ntext = {title}\ngoals = [ {{ on = "earned" }} ]\n'
    )
    other = tmp_path / "other.toml"
    other.write_text(design.read_text().replace("90", "91").replace("red", "blue"))
    script = tmp_path / f"a{STEERS.replace('/', '_')}.play"
    script.write_text(
        f"join diver 'ana{STEERS}'\nearn 'ana{STEERS}' scrip 5\nexpect 1 == 2\nearn {STEERS} scrip 1\n"
    )
    store = f"sqlite:///{tmp_path / 's.db'}"
    with open_store(store, load_design(design)) as opened:
        saved = World(opened.design)
        opened.save(saved.profile(saved.join("diver", f"ana{STEERS}")))
        opened.restore(f"ana{STEERS}", 1)
        opened.keep_score("dive", f"ana{STEERS}", 1)
    for words in (
        ("check", str(design)),
        ("show", str(design)),
        ("play", str(design), str(script)),
        ("play", str(design), "--plain"),
        ("test", str(script), "--design", str(design)),
        ("diff", str(design), str(other)),
        ("why", str(design), str(script), "ana.suit"),
        ("saves", "list", str(design), "--store", store),
        ("saves", "show", str(design), f"ana{STEERS}", "--store", store),
        ("saves", "verify", str(design), "--store", store),
        ("saves", "audit", str(design), "--store", store),
        ("saves", "show", str(design), STEERS, "--store", store),
        ("saves", STEERS),
        (STEERS,),
    ):
        _, out, err = run(*words, stdin=f"join diver 'ana{STEERS}'\nearn 'ana{STEERS}' scrip 5\n")
        for letter in "\x1b\x07\x9b\u202e\u2066":
            assert letter not in out + err, (words, out, err)


def test_junit_is_xml_for_any_name_of_a_file(tmp_path: Path) -> None:
    script = tmp_path / "a<b>&\"\x1b\x08'.play"
    script.write_text("join diver ana\nexpect ana.scrip == 1\n")
    report = tmp_path / "junit.xml"
    run("test", str(script), "--design", REEF, "--junit", str(report))
    assert ElementTree.parse(report).getroot() is not None  # our own


# numbers and words


@pytest.mark.parametrize(
    "line",
    [
        "until nan",
        "until inf",
        f"until 1{'0' * 400}",
        "advance inf",
        f"hurt ana 1{'0' * 400}",
        "move ana 1e200 0",
        "hurt ana 5 amount=1",
        "hurt ana 5 self=1",
        "hit ana by=eel1 with=sting target=1",
        "place sealant k pickup=1",
        "rate ana dive rating=1",
        "expect near(3) > 1",
        "load ana from='a\0b'",
        "earn ana scrip 1e400",
    ],
)
def test_a_silly_line_is_a_message_at_that_line(line: str) -> None:
    session = Session(load_design(REEF))
    with pytest.raises(CleaverError, match="script:3"):
        play(session, ["join diver ana", "spawn eel eel1", line])


def test_one_silly_script_does_not_end_the_others(tmp_path: Path) -> None:
    (tmp_path / "a.play").write_text("join diver ana\nuntil nan\n")
    (tmp_path / "b.play").write_text("join diver ana\nexpect ana.scrip == 0\n")
    code, out, _ = run("test", str(tmp_path), "--design", REEF)
    assert code == 2
    assert "2 scripts: 1 pass, 1 does not" in out


@pytest.mark.parametrize(
    "text", ["{actor:>1000000000}", "{amount:d}", "{amount:{x}}", "{actor!z}", "{amount:>{amount}}"]
)
def test_a_text_says_what_and_never_how(text: str) -> None:
    with pytest.raises(DesignError, match="says how a field is to be written"):
        Design.from_dict({"texts": {"damaged": text}})


@pytest.mark.parametrize("name", ["amount", "self", "target", "zone", "type"])
def test_an_input_is_never_called_like_what_a_call_takes_already(name: str) -> None:
    with pytest.raises(DesignError, match="choose another"):
        Design.from_dict({"inputs": {name: 1}})


def test_a_place_has_bounds() -> None:
    world, box = crate_world()
    for far in (1e200, 1e13, float("nan")):
        with pytest.raises(AmountError):
            world.move(box, far, 0)


# limits


def test_thousands_of_listeners_cost_each_no_more_than_a_few() -> None:
    world, box = crate_world()
    looked: list[int] = []

    class Counted:
        """A listener that counts how often it is compared."""

        def __init__(self, number: int) -> None:
            self.number = number

        def __call__(self, event: Any) -> None:
            pass

        def __hash__(self) -> int:
            return hash(self.number)

        def __eq__(self, other: object) -> bool:
            looked.append(1)
            return self is other

    listening = [world.listen("damaged", Counted(number)) for number in range(4_000)]
    for one in listening:
        one.close()
    assert len(looked) < 8_000  # it was millions, each compared with all before it
    assert world.listeners == ()
    assert box.hurt(1)


def test_listeners_that_cannot_be_looked_up_are_still_there_once() -> None:
    class Odd:
        """A listener that is equal to its like, and cannot be looked up."""

        heard = 0
        __hash__ = None  # type: ignore[assignment]

        def __eq__(self, other: object) -> bool:
            return isinstance(other, Odd)

        def __call__(self, event: Any) -> None:
            Odd.heard += 1

    world, box = crate_world()
    one, two = world.listen("damaged", Odd()), world.listen("damaged", Odd())
    assert one is two
    box.hurt(1)
    one.close()
    box.hurt(1)
    assert Odd.heard == 1


def test_names_and_titles_are_shown_and_not_obeyed_in_sentences() -> None:
    world, _ = crate_world()
    world.join("crate", "ana[bold]")
    assert sentence(world.events[-1]) == "ana[bold] enters"
