"""Types: what a user's program is told by a type checker."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from typed_program import main

ROOT = Path(__file__).parent.parent.parent


def test_the_typed_program_runs() -> None:
    lines = main()

    assert lines[0] == "−12.5 in the visor" and lines[1].startswith("pearl (pearl#1) at 0 s")
    assert lines[-1] == "nothing refused, 0 stars, 15.5"


def test_a_misspelt_field_of_an_event_is_an_error(tmp_path: Path) -> None:
    text = (ROOT / "tests/typed_program.py").read_text(encoding="utf-8")
    wrong = tmp_path / "wrong_program.py"
    wrong.write_text(text.replace("event.absorbed", "event.absorbt"), encoding="utf-8")
    done = subprocess.run(
        [sys.executable, "-m", "mypy", "--strict", "--config-file=", str(wrong)],
        capture_output=True,
        text=True,
        cwd=tmp_path,
        check=False,
        env={**os.environ, "MYPYPATH": str(ROOT / "src")},
    )

    assert 'has no attribute "absorbt"' in done.stdout and done.stdout.count("error:") == 1, done.stdout
