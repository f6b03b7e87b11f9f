"""Plants each fault of `edits` in a copy of the library and asks that the tests notice it. By hand; it takes
most of an hour.

python tests/mutants/plant.py [part of a name ...]
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from edits import EDITS, Edit

ROOT = Path(__file__).resolve().parents[2]
TESTS = (
    "adopt",
    "journal",
    "shots",
    "effect_lists",
    "stages",
    "days_and_talks",
    "worked_vitals",
    "worked_quests",
    "worked_goods",
    "hits",
    "quick_hits",
    "meters",
    "statuses",
    "goods",
    "contests",
    "quests",
    "events",
    "saves",
    "numbers",
    "round_trips",
    "tallies",
    "invariants",
    "adopting",
    "journals",
    "boards",
    "corrections",
    "awaiting",
    "rooms",
    "keeping",
    "statistics",
    "lab",
)
LONGEST = 900  # seconds that the tests may take with one fault


def noticed(edit: Edit) -> str:
    """Return what noticed a planted fault, "" where nothing did."""
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder)
        for part in ("src", "tests", "examples", "docs"):
            shutil.copytree(ROOT / part, copy / part, ignore=shutil.ignore_patterns("__pycache__"))
        for file in ("pyproject.toml", "README.md"):
            shutil.copy(ROOT / file, copy / file)
        target = copy / "src/cleaver" / edit.file
        text = target.read_text(encoding="utf-8")
        assert text.count(edit.old) == 1, edit.name
        target.write_text(text.replace(edit.old, edit.new), encoding="utf-8")
        environment = {
            **os.environ,
            "PYTHONPATH": str(copy / "src"),
            "CI": "true",
            "CLEAVER_PLANTED": "yes",
            "CLEAVER_SESSIONS": "60",
        }  # a failure need not be made small
        command = [
            sys.executable,
            "-m",
            "pytest",
            "-x",
            "-q",
            "--no-header",
            "--tb=line",
            *(str(file) for name in TESTS for file in (copy / "tests").rglob(f"test_{name}.py")),
        ]
        try:
            done = subprocess.run(
                command,
                cwd=copy,
                env=environment,
                capture_output=True,
                text=True,
                timeout=LONGEST,
                check=False,
            )
        except subprocess.TimeoutExpired:
            return "the tests never ended"
        found = [line for line in done.stdout.splitlines() if line.startswith(("FAILED", "ERROR"))]
        return (
            found[0].split(" - ")[0]
            if found
            else ""
            if done.returncode == 0
            else f"pytest ended with {done.returncode}"
        )


def one(edit: Edit) -> bool:
    """Plant one fault and say what came of it."""
    begun = time.perf_counter()
    found = noticed(edit)
    print(
        f"{'caught' if found else 'MISSED'}  {edit.name}: {found or 'every test passed'} ({time.perf_counter() - begun:.0f} s)",
        flush=True,
    )
    return bool(found)


if __name__ == "__main__":
    chosen = [edit for edit in EDITS if any(part in edit.name for part in sys.argv[1:] or [""])]
    with ThreadPoolExecutor(max_workers=os.cpu_count()) as pool:
        caught = sum(pool.map(one, chosen))
    print(f"{caught} of {len(chosen)} planted faults were noticed")
    sys.exit(0 if caught == len(chosen) else 1)
