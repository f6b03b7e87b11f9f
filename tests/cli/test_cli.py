"""The command line, as a person and a shell meet it."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from helpers import DIVE, REEF, run


def test_a_second_demo_comes_back_with_the_scrip_of_the_first(tmp_path: Path) -> None:
    code, first, _ = run("demo", "--out", str(tmp_path), "--store", f"sqlite:///{tmp_path / 'd.db'}")
    again, second, _ = run("demo", "--no-figure", "--store", f"sqlite:///{tmp_path / 'd.db'}")

    assert (code, again) == (0, 0)
    assert "no scrip" in first
    assert "91 scrip" in first
    assert "9 × 3 visor × 0.5 venom − 1 armour = 12.5" in first
    assert "back with 91 scrip" in second
    assert "172 scrip" in second
    assert (tmp_path / "timeline.png").read_bytes().startswith(b"\x89PNG")


def test_the_demo_goes_on_without_the_figures_extra(tmp_path: Path) -> None:
    (tmp_path / "matplotlib.py").write_text("raise ImportError('not here')")
    code, out, _ = run("demo", "--out", str(tmp_path), "--store", "sqlite://", PYTHONPATH=str(tmp_path))

    assert code == 0
    assert (
        "No figure: drawing figures needs the extra 'figures': pip install \"cleaver-progression[figures]\""
        in out
    )
    assert not (tmp_path / "timeline.png").exists()


def test_play_tells_what_came_of_each_line_and_its_exit_code(tmp_path: Path) -> None:
    code, out, _ = run("play", REEF, DIVE)
    assert code == 0
    assert "6 of 6 expectations hold" in out
    assert "  ← #" in out
    (tmp_path / "no.play").write_text("join diver ana\nexpect ana.suit == 3\n")
    code, out, _ = run("play", REEF, str(tmp_path / "no.play"))
    assert code == 1
    assert "✗ expect ana.suit == 3  → does not hold: ana.suit == 3: ana.suit is 90" in out
    code, _, err = run("play", REEF, stdin="join diver ana\nhurt ana five\n")
    assert code == 2
    assert err.startswith("cleaver: stdin:2: hurt ana five")
    assert "'five'" in err


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("play", "none.toml"), "none.toml: cannot be read"),
        (("play", REEF, "none.play"), "none.play"),
        (("chekc", REEF), "did you mean 'check'?"),
        (("play",), "Missing argument"),
        (("play", REEF, DIVE, "--stor", "x"), "--store"),
        (("play", REEF, DIVE, "--store", "x"), "sqlite:///saves.db"),
    ],
)
def test_wrong_use_is_one_clear_message_and_exit_code_2(words: tuple[str, ...], told: str) -> None:
    code, out, err = run(*words)

    assert code == 2
    assert told in err
    assert not out


def test_check_tells_every_problem_or_that_there_is_none(tmp_path: Path) -> None:
    code, out, _ = run("check", REEF)
    assert code == 0
    assert "no problems found in Lanternreef" in out
    (tmp_path / "bad.toml").write_text('[actors.diver]\nplyer = true\n[[rules]]\non = "dmaged"\ndo = []\n')
    code, out, err = run("check", str(tmp_path / "bad.toml"))
    assert code == 1
    assert out.count("bad.toml:") == 2
    assert "2 errors" in err


def test_schema_prints_json_and_help_lists_every_command() -> None:
    assert json.loads(run("schema")[1])["title"] == "Cleaver design"
    out = run("--help")[1]
    assert all(word in out for word in ("check", "demo", "play", "saves", "schema", "why"))
    for name in ("check", "demo", "play", "schema", "why"):
        assert "Example" in run(name, "--help")[1]
    assert run("--version")[1].startswith("cleaver")


@pytest.mark.long
def test_saves_are_listed_shown_moved_checked_and_previewed(tmp_path: Path) -> None:
    store = ("--store", f"sqlite:///{tmp_path / 's.db'}")
    script = tmp_path / "two.play"
    script.write_text(
        "join diver ana\nearn ana scrip 12\ngive ana pearl 2\naccept ana first_light\nsave ana\nearn ana scrip 3\nsave ana\nleave ana\n"
        "join diver bea\nleave bea\njoin diver ana\nexpect ana.scrip == 15 and ana.pearl == 2\n"
    )
    assert run("play", REEF, str(script), *store)[0] == 0
    code, out, _ = run("saves", "list", REEF, *store)
    assert code == 0
    assert [line.split()[:2] for line in out.splitlines()[1:]] == [["ana", "3"], ["bea", "1"]]
    code, out, _ = run("saves", "show", REEF, "ana", *store)
    assert "revision 3, version 1; generations 3, 2, 1; not in use" in out
    assert "scrip: 15" in out
    assert "first_light: active; goals 0/1" in out
    assert json.loads(run("saves", "show", REEF, "ana", "--format", "json", *store)[1])["sections"][
        "currencies"
    ] == {"scrip": 15}
    assert run("saves", "restore", REEF, "ana", "1", *store)[1] == "ana: revision 1 is back, as revision 4\n"
    assert run("saves", "verify", REEF, *store)[:2] == (0, "2 players: no errors found\n")
    code, out, _ = run("saves", "export", REEF, *store, "--out", str(tmp_path / "all.jsonl"))
    assert code == 0
    assert len((tmp_path / "all.jsonl").read_text().splitlines()) == 2
    code, _, err = run("saves", "export", REEF, *store, "--out", str(tmp_path / "all.jsonl"))
    assert code == 2
    assert "is there already" in err
    (tmp_path / "latin.jsonl").write_bytes(b'{"player": "andr\xe9"}')
    code, _, err = run("saves", "import", REEF, str(tmp_path / "latin.jsonl"), *store)
    assert code == 2
    assert "latin.jsonl is not UTF-8 text (byte 16); nothing was imported" in err
    other = ("--store", f"sqlite:///{tmp_path / 'other.db'}")
    assert (
        run("saves", "import", REEF, str(tmp_path / "all.jsonl"), *other)[1]
        == "ana: revision 1\nbea: revision 1\n"
    )
    assert run("saves", "export", REEF, *other)[1] == (tmp_path / "all.jsonl").read_text()
    assert run("saves", "backup", REEF, str(tmp_path / "copy.db"), *store)[0] == 0
    assert run("saves", "backup", REEF, str(tmp_path / "copy.db"), *store)[0] == 2

    text = Path(REEF).read_text(encoding="utf-8")
    (tmp_path / "new.toml").write_text(
        text.replace("version = 1", "version = 2")
        .replace("scrip", "brass")
        .replace("[saves]", '[[saves.changes]]\nfrom = 1\nrename = { scrip = "brass" }\n[saves]')
        .replace(
            '[[saves.changes]]\nfrom = 1\nrename = { scrip = "brass" }\n[saves]',
            '[saves]\nchanges = [ { from = 1, rename = { scrip = "brass" } } ]',
        ),
        encoding="utf-8",
    )
    code, out, err = run("saves", "preview", str(tmp_path / "new.toml"), *store)
    assert (code, out) == (
        0,
        "version 1 → 2: scrip becomes brass\n2 players: everything is known to this design\n",
    ), err
    (tmp_path / "lost.toml").write_text(
        text.replace("pearl = {}", "").replace("pearl", "lamp"), encoding="utf-8"
    )
    code, out, err = run("saves", "preview", str(tmp_path / "lost.toml"), *store)
    assert code == 1, err
    assert "items.pearl is unknown to this design: 1 of 2 players have it" in out, err
    assert run("saves", "show", REEF, "nobody", *store)[0] == 2


def test_a_stores_trouble_is_met_in_a_script(tmp_path: Path) -> None:
    code, out, err = run(
        "play",
        REEF,
        stdin="join diver ana\nstore fail 1\nexpect_error save ana\nsave ana\nstore slow 0.01\nsave ana\nstore ok\nexpect count.saved == 2\n",
    )

    assert code == 0, out + err
    assert "the store does not answer" in out


def test_check_reports_as_data_and_explains_its_rules(tmp_path: Path) -> None:
    (tmp_path / "slip.toml").write_text(
        '[actors.eel]\nvital = "hide"\nmeters.hide = 30\n[actors.eel.attacks.bite]\namount = 0\ncooldown = 1.0\n'
    )
    code, out, _ = run("check", str(tmp_path / "slip.toml"), "--format", "json")
    assert code == 1
    assert [(row["rule"], row["line"], row["key"]) for row in json.loads(out)] == [
        ("zero_amount", 5, "actors.eel.attacks.bite.amount")
    ]
    code, out, _ = run("check", str(tmp_path / "slip.toml"), "--format", "sarif")
    found = json.loads(out)["runs"][0]["results"][0]
    assert code == 1
    assert (found["ruleId"], found["locations"][0]["physicalLocation"]["region"]["startLine"]) == (
        "zero_amount",
        5,
    )
    assert run("check", "--explain", "money_circle")[1].startswith(
        "money_circle\n    Exchanges that, one after another, make money or goods out of nothing"
    )
    assert run("check", "--explain", "money_cirle")[0] == 2
    assert run("check")[0] == 2


def test_why_tells_a_value_at_the_end_of_a_script() -> None:
    code, out, _ = run("why", REEF, DIVE, "ana.scrip")

    assert code == 0
    assert out.startswith("ana.scrip is 91 now\n  0 at the start\n  +6 at 4 s, #")
    assert "+45 at 24 s" in out
    assert "ana uses harbour_office, 3 times" in out
    assert run("why", REEF, DIVE, "ana.scrp")[0] == 2
