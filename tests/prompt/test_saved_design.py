"""`cleaver play --watch`: the session follows what is saved in the design's file."""

from __future__ import annotations

import os
from pathlib import Path

from click.testing import CliRunner

from cleaver.cli.main import cli
from cleaver.design.watch import Watch
from cleaver.prompt.live import Live
from cleaver.script import Session
from cleaver.script.recording import Recording

TEXT = """
[actors.diver]
player = true
vital = "suit"
meters = { suit = 100 }
[actors.eel]
vital = "hide"
meters = { hide = 20 }
attacks = { sting = { amount = 12 } }
[pickups.kit]
do = [ { heal = 10 } ]
"""


def saved(file: Path, text: str, at: int) -> None:
    file.write_text(text)
    os.utime(file, (at, at))


def test_a_saved_number_counts_at_once_errors_are_told_once_and_undo_takes_it_back(tmp_path: Path) -> None:
    file = tmp_path / "reef.toml"
    saved(file, TEXT, 1_000)
    watch = Watch(file)
    live = Live(Session(watch.design, remember=True), lambda: 0.0, watch)
    for line in ("join diver ana", "spawn eel eel1", "hit ana by=eel1 with=sting"):
        live.enter(line)
    assert live.look_at_file() is None

    saved(file, TEXT.replace("12", "20"), 1_001)
    said = live.look_at_file()
    assert said is not None
    assert said.lines == (
        "reef.toml was saved; the game goes on with it",
        "    actors.eel.attacks.sting.amount was 12 and is 20",
    )
    assert live.look_at_file() is None
    live.enter("hit ana by=eel1 with=sting")
    assert live.session.world.actor("ana")["suit"].value == 68

    saved(file, TEXT.replace("12", '"twelve"'), 1_002)
    said = live.look_at_file()
    assert said is not None
    assert said.wrong
    assert said.lines[0] == "reef.toml has errors; the game goes on as it was"
    assert live.look_at_file() is None
    saved(file, TEXT.partition("[actors.eel]")[0], 1_003)
    said = live.look_at_file()
    assert said is not None
    assert "kind eel is gone, used by eel1" in said.lines[1]

    live.enter("undo")
    live.enter("undo")
    live.enter("hit ana by=eel1 with=sting")
    assert live.session.world.actor("ana")["suit"].value == 76


def test_what_is_recorded_meanwhile_is_played_again_as_it_was(tmp_path: Path) -> None:
    file, script = tmp_path / "reef.toml", tmp_path / "mine.play"
    saved(file, TEXT, 1_000)
    watch = Watch(file)
    session = Session(watch.design, remember=True)
    session.recording = Recording(session, script, file, moving=True)
    live = Live(session, lambda: 0.0, watch)
    for line in ("join diver ana", "spawn eel eel1", "hit ana by=eel1 with=sting"):
        live.enter(line)
    saved(file, TEXT.replace("12", "20"), 1_001)
    assert live.look_at_file() is not None
    live.enter("hit ana by=eel1 with=sting")
    live.enter("expect ana.suit == 68")
    assert "adopt mine.play.files/design2.json" in script.read_text().splitlines()
    done = CliRunner().invoke(cli, ["test", str(script)])
    assert done.exit_code == 0, done.output


def test_with_a_script_it_is_refused(tmp_path: Path) -> None:
    (tmp_path / "reef.toml").write_text(TEXT)
    (tmp_path / "a.play").write_text("join diver ana\n")
    done = CliRunner().invoke(cli, ["play", str(tmp_path / "reef.toml"), str(tmp_path / "a.play"), "--watch"])
    assert done.exit_code != 0


def test_scripts_adopt_values_and_files(tmp_path: Path) -> None:
    (tmp_path / "reef.toml").write_text(TEXT)
    (tmp_path / "hard.toml").write_text(TEXT.replace("12", "20"))
    (tmp_path / "a.play").write_text(
        "join diver ana\nspawn eel eel1\nadopt actors.eel.attacks.sting.amount=30\n"
        "hit ana by=eel1 with=sting\nexpect ana.suit == 70\nadopt hard.toml\nhit ana by=eel1 with=sting\n"
        "expect ana.suit == 50\nadopt actors.eel.attacks.sting.amount='10 + 5'\nhit ana by=eel1 with=sting\n"
        "expect ana.suit == 35\nexpect_error adopt nowhere.toml\nexpect_error adopt\n"
        "expect_error adopt actors.eel.attacks.stng.amount=3\n"
        "place kit kit1\ntake ana kit1\nadopt actors.eel.attacks.sting.amount=2\nexpect not kit1.present\n"
    )
    done = CliRunner().invoke(cli, ["play", str(tmp_path / "reef.toml"), str(tmp_path / "a.play")])
    assert done.exit_code == 0, done.output
    assert "actors.eel.attacks.sting.amount was 12 and is 30" in done.output
