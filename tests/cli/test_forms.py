"""How commands report and what they take: JSON, ``-``, several files, what Tab completes, output that cannot be
written."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
import xml.etree.ElementTree as ElementTree
from pathlib import Path
from typing import Any

import pytest

from cleaver import __version__
from helpers import DIVE, REEF, run

STORE = ("--store", "sqlite:///saves.db")


def data(*words: str, cwd: Path, code: int = 0) -> Any:
    done, out, err = run(*words, "--format", "json", cwd=cwd)
    assert done == code, err
    return json.loads(out)


@pytest.fixture
def saved(tmp_path: Path) -> Path:
    """A folder with a store in which ana and bea were saved."""
    for who in ("ana", "bea"):
        lines = f"join diver {who}\nearn {who} scrip 2\nleave {who}\n"
        assert run("play", REEF, "-", *STORE, cwd=tmp_path, stdin=lines)[0] == 0
    return tmp_path


@pytest.mark.long
def test_every_report_is_there_as_data(saved: Path) -> None:
    (saved / "dive.play").write_text(f"# design: {REEF}\n" + Path(DIVE).read_text("utf-8"), "utf-8")
    (saved / "wrong.play").write_text(f"# design: {REEF}\njoin diver ana\nexpect ana.suit == 1\n", "utf-8")

    good, wrong = data("test", cwd=saved, code=1)
    assert (good["script"], good["passed"], good["failures"]) == ("dive.play", True, [])
    assert [failure["line"] for failure in wrong["failures"]] == [3]
    assert data("show", REEF, "fights", cwd=saved)["fights"][0].keys() >= {"attacker", "attack", "target"}
    assert set(data("show", REEF, cwd=saved)) > {"actors", "fights", "quests"}
    why = data("why", REEF, DIVE, "ana.suit", cwd=saved)
    assert why["value"] == why["changes"][-1]["after"]
    assert why["changes"][0]["event"]["name"] == "damaged"
    assert data("diff", REEF, REEF, DIVE, cwd=saved)["changes"] == []
    assert data("check", REEF, cwd=saved) == []
    played = data("play", REEF, DIVE, cwd=saved)
    assert played["failed"] == 0
    assert "joined" in {event["name"] for step in played["steps"] for event in step["events"]}
    rows = data("saves", "list", REEF, *STORE, cwd=saved)
    assert [(row["player"], row["revision"]) for row in rows] == [("ana", 1), ("bea", 1)]
    assert data("saves", "show", REEF, "ana", *STORE, cwd=saved)["sections"]["currencies"] == {"scrip": 2}
    for part in ("verify", "holders", "audit"):
        assert data("saves", part, REEF, *STORE, cwd=saved) == []


@pytest.mark.long
def test_a_dash_is_standard_input_or_output(saved: Path) -> None:
    design, script = Path(REEF).read_text("utf-8"), Path(DIVE).read_text("utf-8")

    assert run("check", "-", cwd=saved, stdin=design)[1].startswith("stdin: no problems found in")
    assert run("check", "-", cwd=saved, stdin='{"actor": {}}')[1].startswith(
        "stdin:1: actor: unknown section"
    )
    assert run("show", "-", "fights", cwd=saved, stdin=design)[1] == run("show", REEF, "fights", cwd=saved)[1]
    assert (
        run("why", REEF, "-", "ana.suit", cwd=saved, stdin=script)[1] == run("why", REEF, DIVE, "ana.suit")[1]
    )
    assert run("play", "-", "-", cwd=saved, stdin=design)[0] == 2
    (saved / "dive.play").write_text(f"# design: {REEF}\n" + script, "utf-8")
    junit = run("test", "--junit", "-", "--format", "json", cwd=saved)[1]
    assert "<testsuites" in junit
    exported = run("saves", "export", REEF, "ana", "--out", "-", *STORE, cwd=saved)[1]
    pretty = json.dumps(json.loads(exported), indent=2)
    assert run("saves", "import", REEF, "-", *STORE, cwd=saved, stdin=pretty)[1] == "ana: revision 2\n"


def test_check_takes_several_files_and_says_them_as_they_were_given(tmp_path: Path) -> None:
    folder = tmp_path / "two words"
    folder.mkdir()
    (folder / "a.toml").write_text("[actors.crate]\nvitl = 3\n")
    (folder / "b.toml").write_text(Path(REEF).read_text("utf-8"), "utf-8")
    code, out, err = run("check", "two words/a.toml", "two words/b.toml", cwd=tmp_path)

    assert code == 1
    assert out.splitlines()[0].startswith("two words/a.toml:2: actors.crate")
    assert "two words/b.toml: no problems found" in out
    assert "two words/a.toml: 1 error" in err
    sarif = json.loads(run("check", "two words/a.toml", "--format", "sarif", cwd=tmp_path)[1])["runs"][0]
    assert sarif["tool"]["driver"]["version"] == __version__
    place = sarif["results"][0]["locations"][0]["physicalLocation"]
    assert place == {"artifactLocation": {"uri": "two%20words/a.toml"}, "region": {"startLine": 2}}


def test_some_scripts_the_first_that_fails_and_a_line_each(tmp_path: Path) -> None:
    for name, number in (("a", 90), ("b", 1), ("c", 2)):
        (tmp_path / f"{name}.play").write_text(
            f"# design: {REEF}\njoin diver ana\nexpect ana.suit == {number}\n", "utf-8"
        )

    assert run("test", "-k", "a.play", "-v", cwd=tmp_path)[1].startswith("✓ a.play: 1 hold")
    assert run("test", "-k", "none", cwd=tmp_path)[0] == 2
    code, out, err = run("test", "-x", "--jobs", "1", "--junit", "out.xml", cwd=tmp_path)
    assert code == 1
    assert "✗ b.play:3" in out
    assert "c.play" not in out
    assert "2 of 3 scripts were played" in err
    cases = ElementTree.parse(tmp_path / "out.xml").getroot().findall("testsuite/testcase")
    assert [(case.get("file"), case.get("line")) for case in cases] == [("a.play", "1"), ("b.play", "3")]
    assert run("-V")[1] == run("--version")[1] == f"cleaver {__version__}\n"


def test_what_was_played_until_ctrl_c_is_reported(tmp_path: Path) -> None:
    (tmp_path / "a.play").write_text(f"# design: {REEF}\njoin diver ana\nexpect ana.suit == 1\n", "utf-8")
    (tmp_path / "b.play").write_text(
        f"# design: {REEF}\njoin diver ana\n" + "advance 1\nexpect ana.suit == 90\n" * 60_000, "utf-8"
    )
    process = subprocess.Popen(
        [sys.executable, "-m", "cleaver", "test", "--jobs", "1", "--timeout", "60"],
        cwd=tmp_path,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        encoding="utf-8",
        start_new_session=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler),  # a job may ignore it
    )
    time.sleep(4)
    os.killpg(process.pid, signal.SIGINT)
    out, err = process.communicate(timeout=30)

    assert process.returncode == 130, err
    assert "✗ a.play:3" in out
    assert "1 of 2 scripts were played" in err
    assert "Traceback" not in err


def completed(words: str, cwd: Path) -> list[str]:
    """What Tab offers after these words."""
    done = subprocess.run(
        [sys.executable, "-m", "cleaver"],
        env={**os.environ, "_CLEAVER_COMPLETE": "bash_complete", "COMP_LINE": words},
        cwd=cwd,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.stderr == ""
    return [line.partition(",")[2] for line in done.stdout.splitlines() if line]


def test_tab_completes_what_the_design_and_the_store_name(saved: Path) -> None:
    (saved / "reef.toml").write_text(Path(REEF).read_text("utf-8"), "utf-8")
    (saved / "dive.play").write_text(Path(DIVE).read_text("utf-8"), "utf-8")

    assert "check" in completed("cleaver c", saved)
    assert completed("cleaver check r", saved) == ["reef.toml"]
    assert completed("cleaver show reef.toml qu", saved) == ["quests"]
    assert completed("cleaver check --explain money", saved) == ["money_circle"]
    assert "ana.suit" in completed("cleaver why reef.toml dive.play ana.s", saved)
    assert completed("cleaver why reef.toml ", saved) == ["dive.play"]
    assert completed("cleaver saves show --store sqlite:///saves.db reef.toml a", saved) == ["ana"]
    assert completed("cleaver saves list --store sqlite:///s", saved) == ["sqlite:///saves.db"]
    assert completed("cleaver why gone.toml dive.play ana", saved) == []


def test_the_first_tab_loads_no_more_than_the_help(tmp_path: Path) -> None:
    code = (
        "import os, sys; os.environ.update(_CLEAVER_COMPLETE='bash_complete', COMP_LINE='cleaver ')\n"
        "import atexit; atexit.register(lambda: sys.stderr.write(' '.join(m for m in ('rich', 'pydantic') if m in sys.modules)))\n"
        "from cleaver.cli.main import main; main()"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=False, cwd=tmp_path
    )
    assert "check" in done.stdout
    assert done.stderr == ""


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="no device that is always full")
def test_output_that_cannot_be_written_is_a_line(tmp_path: Path) -> None:
    with open("/dev/full", "w") as full:
        done = subprocess.run(
            [sys.executable, "-m", "cleaver", "schema"],
            stdout=full,
            stderr=subprocess.PIPE,
            text=True,
            check=False,
        )
    assert (done.returncode, done.stderr.count("\n")) == (2, 1)
    assert "No space left" in done.stderr


def test_a_reader_that_goes_away_and_no_input_at_all_are_quiet(tmp_path: Path) -> None:
    done = subprocess.run(
        f"{sys.executable} -m cleaver schema | head -1",
        shell=True,
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.stderr, done.stdout) == ("", "{\n")
    done = subprocess.run(
        f"{sys.executable} -m cleaver play {REEF} - <&-",
        shell=True,
        capture_output=True,
        text=True,
        check=False,
    )
    assert "Traceback" not in done.stderr
    assert done.returncode in (0, 2)


def test_the_names_of_a_design_are_types_and_a_misspelt_one_is_found(tmp_path: Path) -> None:
    code, out, _ = run("stubs", REEF, "--out", "reef_names.py", cwd=tmp_path)
    assert (code, out.partition(":")[0]) == (0, "reef_names.py")
    assert (tmp_path / "reef_names.py").read_text("utf-8") == run("stubs", REEF)[1]
    (tmp_path / "use.py").write_text(
        "from reef_names import Kind, Quest\n\nright: Kind = 'moray'\nwrong: Quest = 'first_lihgt'\n"
    )
    done = subprocess.run(
        [sys.executable, "-m", "mypy", "--strict", "--cache-dir", os.devnull, "use.py"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
    )
    assert "use.py:4: error: Incompatible types" in done.stdout
    assert "Found 1 error" in done.stdout


def test_a_title_cannot_steer_the_module_of_names(tmp_path: Path) -> None:
    (tmp_path / "d.toml").write_text('[game]\ntitle = "x\\nimport os"\n[actors.crate]\n')
    module = run("stubs", "d.toml", cwd=tmp_path)[1]
    assert [line for line in module.splitlines() if line.startswith("import")] == []
    compile(module, "names", "exec")


@pytest.mark.parametrize(
    "words", [("check", "-"), ("why", REEF, "-", "ana.suit"), ("saves", "import", REEF, "-", *STORE)]
)
def test_input_that_is_no_text_is_a_line(words: tuple[str, ...], tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "cleaver", *words],
        input=b"\xff\xfe\0",
        cwd=tmp_path,
        capture_output=True,
        check=False,
    )
    assert done.returncode == 2
    assert b"Traceback" not in done.stderr
    assert b"UTF-8" in done.stderr
