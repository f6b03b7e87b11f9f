"""Types: what a user's program is told by a type checker."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from typed_program import main

ROOT = Path(__file__).parent.parent.parent


def test_the_typed_program_runs() -> None:
    lines = main()

    assert lines[0] == "−12.5 in the visor"
    assert lines[1].startswith("pearl (pearl#1) at 0 s")
    assert lines[-1] == "nothing refused, 0 stars, 15.5"


def misspelt(folder: Path) -> list[Path]:
    """Return the typed program, and the one in the README with its lambda, with a field of an event
    misspelt."""
    text = (ROOT / "tests/typed_program.py").read_text(encoding="utf-8")
    page = (ROOT / "README.md").read_text(encoding="utf-8")
    program = next(
        block for block in re.findall(r"```python\n(.*?)```", page, re.DOTALL) if "lambda event" in block
    )
    made = {
        "wrong_program.py": text.replace("event.absorbed", "event.absorbt"),
        "wrong_readme.py": program.replace("event.amount", "event.amuont"),
    }
    for name, wrong in made.items():
        (folder / name).write_text(wrong, encoding="utf-8")
    return [folder / name for name in made]


@pytest.mark.long
def test_a_misspelt_field_of_an_event_is_an_error(tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "mypy", "--strict", "--config-file=", *map(str, misspelt(tmp_path))],
        capture_output=True,
        text=True,
        cwd=tmp_path,
        check=False,
        env={**os.environ, "MYPYPATH": str(ROOT / "src")},
    )

    assert 'has no attribute "absorbt"' in done.stdout, done.stdout
    assert "wrong_readme.py:" in done.stdout, done.stdout
    assert done.stdout.count("error:") == 2, done.stdout


def pyright(folder: Path, *args: str) -> dict[str, Any]:
    """Return what pyright says, as data. It is a program for node, which it brings along where it can."""
    command = [sys.executable, "-m", "pyright"]
    if subprocess.run([*command, "--version"], capture_output=True, check=False, cwd=folder).returncode:
        pytest.skip("pyright has no node to run on")
    done = subprocess.run(
        [*command, "--outputjson", *args], capture_output=True, text=True, check=False, cwd=folder
    )
    said: dict[str, Any] = json.loads(done.stdout)
    return said


def test_pyright_finds_nothing_in_the_typed_program_and_a_misspelt_field(tmp_path: Path) -> None:
    (tmp_path / "right_program.py").write_bytes((ROOT / "tests/typed_program.py").read_bytes())
    misspelt(tmp_path)
    (tmp_path / "pyrightconfig.json").write_text('{"typeCheckingMode": "strict"}')

    found = pyright(tmp_path, "--pythonpath", sys.executable)["generalDiagnostics"]

    assert {Path(error["file"]).name for error in found} == {"wrong_program.py", "wrong_readme.py"}, found
    for field in ("absorbt", "amuont"):
        assert any(field in error["message"] for error in found), field


@pytest.mark.long
def test_the_types_of_everything_public_are_known(tmp_path: Path) -> None:
    found = pyright(tmp_path, "--verifytypes", "cleaver", "--ignoreexternal")["typeCompleteness"]

    unknown = [
        (symbol["name"], diagnostic["message"])
        for symbol in found["symbols"]
        if not symbol["isTypeKnown"] or symbol["isTypeAmbiguous"]
        for diagnostic in symbol["diagnostics"]
    ]
    assert found["completenessScore"] >= 0.98, unknown[:20]
    assert sum(found["exportedSymbolCounts"].values()) > 3_000
