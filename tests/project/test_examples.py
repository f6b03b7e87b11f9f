"""Every example prints what is kept beside it, and holds no slip that `check` would find."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import local_postgres
import pytest

from cleaver import load_design, sample
from cleaver.design.checks import findings

EXAMPLES = sorted((Path(__file__).parent.parent.parent / "examples").glob("*/[0-9]*.py"))


@pytest.mark.long
@pytest.mark.parametrize("program", EXAMPLES, ids=lambda program: program.stem)
def test_an_example_prints_what_is_kept_beside_it(program: Path, tmp_path: Path) -> None:
    if "postgresql" in program.stem and local_postgres.programs() is None and not os.environ.get("CI"):
        pytest.skip("PostgreSQL is not installed")
    done = subprocess.run(
        [sys.executable, "-W", "error", str(program)],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        encoding="utf-8",
        check=False,
        env={"PYTHONIOENCODING": "utf-8", "PATH": os.environ["PATH"]},
    )

    assert done.stderr == ""
    assert done.stdout == program.with_suffix(".txt").read_text(encoding="utf-8")


def test_the_sample_design_gives_no_false_alarm() -> None:
    assert findings(load_design(sample.path("lanternreef.toml"))) == []
