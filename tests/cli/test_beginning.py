"""Beginning and looking: `cleaver new` makes what runs at once, `cleaver show` tells what a design comes
to."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from cleaver import Design
from cleaver.figures.contents import SECTIONS
from cleaver.figures.numbers import numbers_of
from helpers import REEF, run


def test_a_new_folder_holds_a_game_of_which_everything_runs(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    code, out, _ = run("new", "old wreck", cwd=tmp_path)
    folder = tmp_path / "old wreck"

    assert code == 0
    assert "cd old wreck" in out
    assert run("check", "design.toml", cwd=folder)[1].startswith(
        "design.toml: no problems found in Old wreck"
    )
    assert run("test", cwd=folder)[1] == "1 script: passes; 6 of 6 expectations hold; no baselines\n"
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    games = [
        subprocess.run(
            [sys.executable, "game.py"],
            cwd=folder,
            capture_output=True,
            text=True,
            check=True,
            encoding="utf-8",
        ).stdout
        for _ in range(2)
    ]
    assert "comes with 5 scrip" in games[0]
    assert "comes with 20 scrip" in games[1]
    assert games[0].count("−11") == 2
    assert (tmp_path / "data/old-wreck/saves.db").exists()
    tests = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider"],
        cwd=folder,
        capture_output=True,
        text=True,
        check=False,
    )
    assert "3 passed" in tests.stdout, tests.stdout
    assert run("show", "design.toml", cwd=folder)[0] == 0


def test_a_new_folder_overwrites_nothing(tmp_path: Path) -> None:
    (tmp_path / "reef").mkdir()
    assert run("new", "reef", cwd=tmp_path)[0] == 0  # an empty one may be filled
    (tmp_path / "reef/design.toml").write_text("mine")
    code, _, err = run("new", "reef", cwd=tmp_path)
    assert code == 2
    assert "reef is there already and holds .gitignore, README.md, design.toml, …; name a new folder" in err
    assert (tmp_path / "reef/design.toml").read_text() == "mine"
    (tmp_path / "file").write_text("")
    assert run("new", "file/below", cwd=tmp_path)[0] == 2


def test_the_numbers_of_the_sample_game(reef: Design) -> None:
    numbers = numbers_of(reef)

    assert [
        (fight.attacker, fight.target, fight.first, fight.hits, fight.seconds) for fight in numbers.fights
    ] == [
        ("diver", "eel", 15, 2, 0.5),
        ("diver", "moray", 15, 6, 2.5),
        ("diver", "eel", 16, 2, 1.5),
        ("diver", "moray", 16, 5, 6.0),
        ("eel", "diver", 5, 13, 13.0),
        ("moray", "diver", 5, 13, 13.0),
    ]
    assert [(course.meter, course.seconds, course.ends) for course in numbers.courses] == [
        ("suit", 9, "50% of 90"),
        ("air", 50, "empty"),
        ("air", 6, "full"),
    ]
    assert [income.per_minute for income in numbers.incomes if income.per_minute] == [90]
    assert {price.exchange: price.minutes for price in numbers.prices} == {
        "harbour_office": None,
        "scrap_yard": None,
        "helmet_shop": pytest.approx(40 / 90),
        "chandler": pytest.approx(30 / 90),
        "tailor": pytest.approx(60 / 90),
    }
    assert [(step.needs, step.by["pearl collected"]) for step in numbers.stars] == [
        (20, 2),
        (60, 6),
        (120, 12),
    ]
    assert [(step.step, step.total, step.seconds) for step in numbers.levels][:2] == [
        (2, 100, 100 / 80),
        (3, 300, 300 / 80),
    ]


def test_who_can_never_be_defeated_is_told() -> None:
    numbers = numbers_of(
        Design.from_dict(
            {
                "actors": {
                    "diver": {
                        "player": True,
                        "vital": "suit",
                        "meters": {"suit": {"max": 9, "flows": [{"rate": 50}]}},
                        "guard": {"armour": 1},
                    },
                    "eel": {
                        "attacks": {
                            "sting": {"amount": 3, "cooldown": 1},
                            "brush": {"amount": 1, "cooldown": 1},
                        }
                    },
                }
            }
        )
    )

    assert [(fight.attack, fight.first, fight.hits, fight.seconds) for fight in numbers.fights] == [
        ("sting", 2, None, None),
        ("brush", 0, None, None),
    ]


def test_show_tells_every_section_and_draws_a_page(tmp_path: Path) -> None:
    code, out, _ = run("show", REEF)
    assert code == 0
    assert all(heading in out for heading, _ in SECTIONS.values())
    code, out, _ = run("show", REEF, "fights", "--figure", str(tmp_path / "n.png"))
    assert [row.split() for row in out.splitlines()[2:4]] == [
        ["diver", "jab", "eel", "15", "2", "0.5", "s"],
        ["diver", "jab", "moray", "15", "6", "2.5", "s"],
    ]
    assert (tmp_path / "n.png").read_bytes().startswith(b"\x89PNG")
    assert "did you mean 'fights'?" in run("show", REEF, "fight")[2]
    (tmp_path / "bare.toml").write_text("[actors.crate]\nmeters.planks = 3\n")
    assert run("show", str(tmp_path / "bare.toml"), "quests")[1] == "bare.toml has no quests\n"
    assert run("show", str(tmp_path / "bare.toml"), "--figure", str(tmp_path / "b.png"))[0] == 0
