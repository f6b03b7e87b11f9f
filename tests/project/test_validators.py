"""What Cleaver writes, read by programs that others made for the same formats."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
import tarfile
from pathlib import Path

import pytest
import sizes
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
        info = packed.extractfile(next(name for name in packed.getnames() if name.endswith("PKG-INFO")))
        assert info is not None
        page = info.read().decode()
    assert "# Cleaver" in page
    assert re.findall(r"\]\((?!https?:|#)[^)]*\)", page) == []  # a page of an index has no folders beside it
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


def test_the_links_of_the_readme_lead_to_where_the_repository_is() -> None:
    sys.path.insert(0, str(ROOT))
    try:
        from hatch_build import readable_alone
    finally:
        sys.path.remove(str(ROOT))
    text = "See [a window](docs/window.md), [below](#use).\n\n![A dive](docs/dive.png)\n"
    assert readable_alone(text, "https://reef.invalid/cleaver/") == (
        "See [a window](https://reef.invalid/cleaver/docs/window.md), [below](#use).\n\n"
        "![A dive](https://reef.invalid/cleaver/docs/dive.png)\n"
    )
    assert readable_alone(text, "") == "See a window, [below](#use).\n\n"


def committed(folder: Path) -> None:
    for words in (("init", "-q"), ("add", "-A"), ("commit", "-qm", "begin")):
        who = ("-c", "user.name=diver", "-c", "user.email=diver@reef.invalid")
        subprocess.run(["git", *who, *words], cwd=folder, check=True, capture_output=True)


@pytest.mark.long
def test_the_hook_looks_at_every_file_that_is_a_design(tmp_path: Path) -> None:
    ours, theirs = tmp_path / "cleaver", tmp_path / "reef"
    for name in ("pyproject.toml", "hatch_build.py", "README.md", "LICENSE", ".pre-commit-hooks.yaml"):
        ours.mkdir(exist_ok=True)
        shutil.copy(ROOT / name, ours)
    shutil.copytree(ROOT / "src", ours / "src", ignore=shutil.ignore_patterns("__pycache__"))
    committed(ours)
    page = (ROOT / "docs/testing.md").read_text(encoding="utf-8")
    snippet = re.search(r"```yaml\n(repos:.*?)```", page, re.DOTALL)
    assert snippet
    theirs.mkdir()
    settings = re.sub(r"repo: \S+", f"repo: {ours}", snippet[1]).replace("rev: v0.2.0", "rev: HEAD")
    (theirs / ".pre-commit-config.yaml").write_text(settings)
    (theirs / "reef.toml").write_text('[game]\ntitle = "Reef"\n[actors.eel]\nvitl = "hide"\n')
    (theirs / "levels.toml").write_text("[actors.eel.meters]\nhide = -3\n")  # named in args
    (theirs / "settings.toml").write_text("[tool.other]\nvitl = 3\n")
    committed(theirs)
    done = subprocess.run(
        [sys.executable, "-m", "pre_commit", "run", "--all-files"],
        cwd=theirs,
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, "PRE_COMMIT_HOME": str(tmp_path / "home")},
    )
    assert done.returncode == 1, done.stdout + done.stderr
    assert "reef.toml:4: actors.eel.vitl: unknown key 'vitl'; did you mean 'vital'?" in done.stdout
    assert "levels.toml:2: actors.eel.meters.hide.max: is -3; it must be greater than 0" in done.stdout
    assert "settings" not in done.stdout


@pytest.mark.long
def test_the_base_brings_nothing_else_and_is_as_large_as_the_readme_says() -> None:
    packages = sizes.brought("")
    assert [one.name for one in packages] == [sizes.OWN]
    page = (ROOT / "README.md").read_text(encoding="utf-8")
    assert re.search(r"^\| `pip install \.` \| .* \| 1 \| (\d+) MB \|$", page, re.MULTILINE)
    told = int(re.findall(r"^\| `pip install \.` .* (\d+) MB \|$", page, re.MULTILINE)[0])
    assert abs(sum(one.size for one in packages) / 1e6 - told) < 1.5
    page = (ROOT / "docs/platforms.md").read_text(encoding="utf-8")
    rows = re.findall(r"^\| `\w+` \| (\S+) \| (.*?) \| [\d.,]+ MB \|$", page, re.MULTILINE)
    assert len(rows) > 20
    for name, licence in rows:  # a licence that asks for one's own code is named in words
        assert licence != "not stated", name
        assert (
            not sizes.COPYLEFT.search(licence)
            or f"`{name.removesuffix('-binary')}`" in page.partition("<!--")[0]
        )
