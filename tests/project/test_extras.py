"""What is said where the package of an extra is not there: one line that names the extra, never a traceback."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from helpers import DIVE, REEF

BLOCKED = "import sys; sys.modules.update(dict.fromkeys({0!r}.split())); "
STORE = "sqlite:///saves.db"


def without(packages: str, *words: str, where: Path) -> tuple[int, str]:
    """Return the exit code and what a command prints where some packages are not installed."""
    code = BLOCKED.format(packages) + "from cleaver.__main__ import main; main()"
    done = subprocess.run(
        [sys.executable, "-c", code, *words],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        cwd=where,
        check=False,
        stdin=subprocess.DEVNULL,
        env={**os.environ, "XDG_DATA_HOME": str(where), "COLUMNS": "200"},
    )
    return done.returncode, done.stdout


@pytest.mark.parametrize(
    ("packages", "words", "extra"),
    [
        ("click", "demo", "cli"),
        ("sqlalchemy", "new reef", "saves"),
        ("sqlalchemy", "demo --no-figure", "saves"),
        ("sqlalchemy", f"saves list {REEF} --store {STORE}", "saves"),
        ("sqlalchemy", "saves --help", "saves"),
        ("sqlalchemy", f"play {REEF} {DIVE}", "saves"),
        ("matplotlib", f"show {REEF} --figure reef.png", "figures"),
        ("pandas", f"play {REEF} {DIVE} --quiet --store {STORE} --events e.parquet", "lab"),
        ("pyarrow", f"play {REEF} {DIVE} --quiet --store {STORE} --events e.parquet", "lab"),
        ("psycopg", f"saves list {REEF} --store postgresql://127.0.0.1:1/none", "postgres"),
    ],
)
def test_a_missing_extra_is_a_line_that_names_it(
    tmp_path: Path, packages: str, words: str, extra: str
) -> None:
    code, told = without(packages, *words.split(), where=tmp_path)

    assert "Traceback" not in told, told
    if extra:
        assert "cleaver-progression[" in told
        assert extra in told.partition("cleaver-progression[")[2].partition("]")[0].split(",")
        assert code != 0 or "--quiet" not in words


@pytest.mark.parametrize(
    ("packages", "code"),
    [
        ("sqlalchemy", "import cleaver.saves"),
        ("sqlalchemy", "import cleaver; cleaver.open_store('sqlite://', cleaver.Design.from_dict({}))"),
        ("pygame", "import cleaver.window"),
        ("pandas", "from cleaver import tables; tables.Table(('a',), [(1,)]).to_frame()"),
        (
            "matplotlib",
            "import cleaver, cleaver.figures.economy as e; e.economy(cleaver.World(cleaver.Design.from_dict({})).books, 'x.png')",
        ),
    ],
)
def test_python_says_it_too(tmp_path: Path, packages: str, code: str) -> None:
    done = subprocess.run(
        [sys.executable, "-c", BLOCKED.format(packages) + code],
        capture_output=True,
        text=True,
        cwd=tmp_path,
        check=False,
    )
    last = done.stderr.splitlines()[-1]
    assert last.startswith("cleaver.errors.MissingExtraError: ")
    assert "pip install" in last
