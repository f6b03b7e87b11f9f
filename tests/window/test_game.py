"""The game of the examples, and the one that `cleaver new --window` begins: played without a monitor."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pygame
import pytest
from game.dive import Dive

import cleaver
from cleaver.saves import Autosaver, Found
from cleaver.window import Window
from helpers import run

EXAMPLES = Path(__file__).parent.parent.parent / "examples"
DESIGN = EXAMPLES / "game/lanternreef.toml"


class Played:
    """A dive in a hidden window, with what it is saved in."""

    def __init__(self, folder: Path, window: Window) -> None:
        self.design = folder / "design.toml"
        shutil.copy(DESIGN, self.design)
        self.watch = cleaver.Watch(self.design)
        self.store = cleaver.open_store(f"sqlite:///{folder / 'saves.db'}", self.watch.design)
        self.saver = Autosaver(self.store)
        self.dive = Dive(window, self.saver, self.watch)

    def saved(self, slot: str = "slot1") -> dict[str, object]:
        """Return what is saved of a slot."""
        found = self.store.load(slot)
        assert isinstance(found, Found)
        return dict(found.profile.sections)


@pytest.fixture
def played(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Played]:
    monkeypatch.setenv("SDL_VIDEODRIVER", "dummy")
    with Window("game", (640, 400), hidden=True) as window:
        game = Played(tmp_path, window)
        with game.saver.closing():
            yield game


def play(*words: str, where: Path) -> str:
    """Return what a program prints."""
    done = subprocess.run(
        [sys.executable, "-W", "error", *words],
        cwd=where,
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, "SDL_VIDEODRIVER": "dummy", "XDG_DATA_HOME": str(where / "data")},
    )
    assert (done.returncode, done.stderr) == (0, "")
    return done.stdout


@pytest.mark.long
def test_the_game_plays_itself_and_its_numbers_are_those_of_its_journal(tmp_path: Path) -> None:
    files = {name: tmp_path / name for name in ("game.png", "saves.db", "session.play")}
    words = ["-m", "game", "--frames", "1000", "--picture", str(files["game.png"])]
    words += ["--saves", str(files["saves.db"]), "--journal", str(files["session.play"])]

    told = play(*words, where=EXAMPLES).strip()

    assert "slot1.scrip == 85 and slot1.pearl == 0" in told, "four pearls sold, and the first catch turned in"
    with files["session.play"].open("a") as journal:
        journal.write(f"expect {told}\n")
    assert run("test", str(files["session.play"]), cwd=tmp_path)[1].startswith("1 script: passes; 1 of 1")
    picture = pygame.image.load(files["game.png"])
    assert picture.get_size() == (1280, 800)
    assert len({tuple(picture.get_at((x, y))) for x in range(0, 1280, 8) for y in range(0, 800, 8)}) > 100
    again = play(*words[:-4], "--saves", str(tmp_path / "other.db"), where=EXAMPLES).strip()
    assert again == told, "the same game, with and without a journal"


def test_the_game_is_small() -> None:
    lines = sum(len(file.read_text().splitlines()) for file in (EXAMPLES / "game").glob("*.py"))

    assert lines < 500


def test_closing_the_window_saves(played: Played) -> None:
    dive = played.dive
    dive.open("slot1")
    for _ in dive.window:
        dive.frame(1 / 60)
        if dive.window.frame == 5 and dive.reef is not None:
            dive.reef.diver.earn("scrip", 37)
            pygame.event.post(pygame.event.Event(pygame.QUIT))
    assert dive.window.frame == 6
    dive.close()

    assert played.saved()["currencies"] == {"scrip": 42}


def test_a_number_saved_in_the_file_is_played_with_in_the_next_frame(played: Played) -> None:
    dive = played.dive
    dive.open("slot1")
    dive.frame(1 / 60)
    played.design.write_text(
        played.design.read_text().replace("max = 60\nsaved = true  ", "max = 80\nsaved = true  ")
    )

    dive.frame(1 / 60)  # sees that it is being written
    dive.frame(1 / 60)

    assert dive.reef is not None
    assert dive.reef.diver["suit"].max == 80
    assert dive.problem == ""
    played.design.write_text(played.design.read_text().replace("max = 80", "max = -80"))
    dive.frame(1 / 60)
    dive.frame(1 / 60)
    assert "it must be greater than 0" in dive.problem
    assert dive.reef.diver["suit"].max == 80


def test_playing_again_and_the_next_stage_keep_what_the_rules_say(played: Played) -> None:
    dive = played.dive
    dive.open("slot1")
    reef = dive.reef
    assert reef is not None
    diver = reef.diver
    for pearl in reef.world.placements_of("pearl"):
        diver.take(pearl)
    diver.exchange("office")
    kept = (diver.purse["scrip"], diver.score, diver.achievements["first_pearl"].achieved)
    assert kept == (65, 40, True)

    dive.press("r")

    assert (diver.purse["scrip"], diver.score, diver.achievements["first_pearl"].achieved) == (5, 0, True)
    assert reef.world.value("pickups.pearl.left") == 6
    diver.add_score(60)
    diver.earn("scrip", 9)
    reef.world.move(diver, 17.0, 5.0)
    dive._play(reef, 0.0)
    reef.world.match("tide").end()
    dive._play(reef, 1 / 60)
    assert (dive.mode, dive.lines[0]) == ("end", "60 points: 1 of 3 stars")
    dive.press("return")
    assert (dive.mode, reef.world.stage, diver.purse["scrip"]) == ("dive", "wreck", 14)
    assert [fish.kind for fish in reef.fishes()] == ["eel", "eel", "eel", "moray"]


def test_a_stage_that_is_locked_is_not_entered(played: Played) -> None:
    dive = played.dive
    dive.open("slot1")
    assert dive.reef is not None
    dive.reef.world.match("tide").end()
    dive._play(dive.reef, 1 / 60)
    assert (dive.mode, dive.lines[0]) == ("end", "0 points: 0 of 3 stars")

    dive.press("return")

    assert (dive.mode, dive.reef.world.stage) == ("dive", "shallows")


def test_a_game_that_is_over_goes_on_where_the_stage_began_or_anew(played: Played) -> None:
    dive = played.dive
    dive.open("slot1")

    def lose() -> None:
        assert dive.reef is not None
        for _ in range(3 * 300):
            dive.reef.diver.hurt(500)
            dive.frame(1 / 30)
            if dive.mode == "over":
                return

    lose()
    assert dive.mode == "over"
    dive.press("r")
    assert dive.reef is not None
    assert (dive.mode, dive.reef.diver.lives, dive.reef.diver.alive) == ("dive", 3, True)
    lose()
    dive.close()
    assert played.saved()["lives"] == {"dead": True, "left": 0}
    dive.open("slot1")
    assert (dive.reef.diver.lives, dive.reef.diver.alive) == (3, True)


def test_three_slots_are_three_players(played: Played) -> None:
    dive = played.dive
    dive.press("down")
    dive.press("return")
    assert dive.reef is not None
    dive.reef.diver.earn("scrip", 10)
    dive.press("escape")

    assert dive.reef is None
    assert dive.lines == ["1   empty", "2   15 scrip", "3   empty"]


@pytest.mark.parametrize("shape", [(1280, 800), (640, 400)], ids=str)
def test_every_screen_of_it_is_drawn(played: Played, shape: tuple[int, int]) -> None:
    dive = played.dive
    seen = set()
    for key in ("", "return", "p", "p", "t", "l", "l", "tab", "down", "right", "r", "escape"):
        if key:
            dive.press(key)
        dive.frame(1 / 60)
        seen.add(pygame.image.tobytes(dive.window.surface, "RGB"))
    assert len(seen) >= 9


def test_a_new_folder_may_begin_with_a_window(tmp_path: Path) -> None:
    code, out, _ = run("new", "reef", "--window", cwd=tmp_path)
    assert code == 0
    assert "game.py         a small game in a window" in out
    assert "python game.py" in out

    told = play("game.py", "--frames", "90", "--picture", "game.png", where=tmp_path / "reef")

    assert told == "ana leaves with 5 scrip and 0 points\n"
    assert pygame.image.load(tmp_path / "reef/game.png").get_size() == (1280, 800)
    assert run("test", cwd=tmp_path / "reef")[0] == 0
