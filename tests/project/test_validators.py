"""What Cleaver writes, read by programs that others made for the same formats."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import tarfile
from pathlib import Path

import pytest
from junitparser import JUnitXml
from sarif_pydantic import Sarif

from helpers import DIVE, REEF, run

ROOT = Path(__file__).parent.parent.parent
TAPLO = shutil.which("taplo", path=str(Path(sys.executable).parent))


@pytest.fixture
def wrong(tmp_path: Path) -> Path:
    """A folder with designs in which something is wrong, one of them in a folder with a space."""
    (tmp_path / "two words").mkdir()
    text = Path(REEF).read_text("utf-8")
    (tmp_path / "two words" / "a.toml").write_text(text.replace("lasts = 3.0", "last = 3.0"), "utf-8")
    (tmp_path / "b.toml").write_text(text.replace("armour = 1", "armour = -1"), "utf-8")
    return tmp_path


def test_sarif_is_read_as_sarif(wrong: Path) -> None:
    _, out, _ = run("check", "two words/a.toml", "b.toml", REEF, "--format", "sarif", cwd=wrong)

    read = Sarif.model_validate_json(out)
    assert read.version == "2.1.0"
    results = read.runs[0].results or []
    assert len(results) == 2
    places = [(result.locations or [])[0].physical_location for result in results]
    assert [place.artifact_location.uri for place in places if place and place.artifact_location] == [
        "two%20words/a.toml",
        "b.toml",
    ]


def test_junit_is_read_as_junit(tmp_path: Path) -> None:
    (tmp_path / "good.play").write_text(f"# design: {REEF}\n" + Path(DIVE).read_text("utf-8"), "utf-8")
    (tmp_path / "bad.play").write_text(f"# design: {REEF}\njoin diver ana\nexpect ana.suit == 1\n", "utf-8")
    (tmp_path / "worse.play").write_text(f"# design: {REEF}\njoin diverr ana\n", "utf-8")
    run("test", "--junit", "all.xml", cwd=tmp_path)

    read = JUnitXml.fromfile(str(tmp_path / "all.xml"))
    assert (read.tests, read.failures + read.errors) == (3, 2)
    assert {case.name: bool(case.result) for suite in read for case in suite} == {
        "good.play": False,
        "bad.play": True,
        "worse.play": True,
    }


@pytest.mark.skipif(TAPLO is None, reason="no linter of TOML for this machine")
def test_a_linter_of_toml_agrees_with_the_loader_by_our_schema(wrong: Path) -> None:
    assert TAPLO is not None
    (wrong / "schema.json").write_text(run("schema", cwd=wrong)[1], "utf-8")
    shutil.copy(REEF, wrong / "right.toml")
    good = [wrong / "right.toml", *(ROOT / "examples").rglob("*.toml")]

    def lint(*files: Path) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [TAPLO or "", "lint", "--schema", f"file://{wrong}/schema.json", *map(str, files)],
            capture_output=True,
            text=True,
            check=False,
        )

    done = lint(*good)
    assert done.returncode == 0, done.stderr
    for file in (wrong / "two words" / "a.toml", wrong / "b.toml"):
        assert lint(file).returncode != 0, file


def test_what_is_published_holds_what_its_tests_need(tmp_path: Path) -> None:
    subprocess.run(
        [sys.executable, "-m", "build", "--no-isolation", "--outdir", str(tmp_path), str(ROOT)],
        check=True,
        capture_output=True,
    )
    made = sorted(tmp_path.iterdir())

    assert [file.suffix for file in made] == [".whl", ".gz"]
    told = subprocess.run(
        [sys.executable, "-m", "twine", "check", "--strict", *map(str, made)],
        capture_output=True,
        text=True,
        check=False,
    )
    assert told.returncode == 0, told.stdout
    with tarfile.open(made[1]) as packed:
        inside = {name.partition("/")[2] for name in packed.getnames()}
    needed = {
        str(path.relative_to(ROOT))
        for folder in ("src", "tests", "examples", "docs", "benchmarks")
        for path in (ROOT / folder).rglob("*")
        if path.is_file() and not {"__pycache__", ".mypy_cache"} & set(path.parts) and path.suffix != ".pyc"
    }
    tracked = needed | {"README.md", "mkdocs.yml", "pyproject.toml", ".pre-commit-hooks.yaml"}
    assert not tracked - inside, sorted(tracked - inside)[:9]


def test_the_schema_is_a_schema() -> None:
    import jsonschema

    _, out, _ = run("schema")
    jsonschema.Draft202012Validator.check_schema(json.loads(out))
