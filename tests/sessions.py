"""The long run, by hand: many random sessions of each law, each failure told once, shortened.

    python tests/sessions.py 20000 [part of a name ...]

Hypothesis draws the sessions; failures are told apart by where they were raised, and streams of commands are
shortened by leaving commands out, which is much faster than shrinking everything.
"""

from __future__ import annotations

import importlib
import json
import sys
import tempfile
import time
import traceback
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from cleaver import Design

FOLDER = Path(__file__).parent
MODULES = ("test_invariants", "test_tallies", "test_round_trips", "test_arguments")
Case = dict[str, Any]


def failure(call: Any, case: Case) -> tuple[str, str] | None:
    """Return where and how a call fails with these arguments, or None."""
    try:
        call(**case)
    except Exception as error:
        frames = [
            frame for frame in traceback.extract_tb(error.__traceback__) if "hypothesis" not in frame.filename
        ]
        return (
            f"{Path(frames[-1].filename).name}:{frames[-1].lineno}",
            f"{type(error).__name__}: {str(error)[:400]}",
        )
    return None


def shortened(call: Any, case: Case, where: str) -> Case:
    """Return the case with every command left out that the failure can do without."""
    for name, value in case.items():
        if not isinstance(value, list):
            continue
        size = max(len(value) // 2, 1)
        while size:
            start = 0
            while start < len(case[name]):
                shorter = {**case, name: case[name][:start] + case[name][start + size :]}
                found = failure(call, shorter)
                if found is not None and found[0] == where:
                    case = shorter
                else:
                    start += size
            size //= 2
    return case


def run(test: Any, sessions: int) -> int:
    """Run one law over many sessions and print what it finds; returns how many different failures there
    were."""
    call, strategies = test.hypothesis.inner_test, test.hypothesis._given_kwargs
    failures: dict[str, tuple[str, Case]] = {}
    begun = time.perf_counter()

    @given(st.fixed_dictionaries(strategies))
    @settings(
        max_examples=sessions,
        deadline=None,
        suppress_health_check=list(HealthCheck),
        phases=[Phase.generate],
        database=None,
    )
    def all_of_them(case: Case) -> None:
        found = failure(call, case)
        if found is not None and found[0] not in failures:
            failures[found[0]] = (found[1], shortened(call, case, found[0]))

    all_of_them()
    print(
        f"{call.__name__}: {sessions} sessions in {time.perf_counter() - begun:.0f} s, {len(failures)} kinds of failures",
        flush=True,
    )
    for where, (error, case) in failures.items():
        print(f"  {where}: {error}")
        for name, value in case.items():
            if isinstance(value, (Design, dict)):
                kept = Path(tempfile.mkdtemp()) / "design.json"
                kept.write_text(json.dumps(value.source.tree if isinstance(value, Design) else value))
                value = f"Design.from_dict(json.load(open({str(kept)!r})))"
            print(f"    {name} = {value!r}", flush=True)
    return len(failures)


def main(sessions: int, parts: list[str]) -> int:
    """Run every law whose name has one of the parts; returns how many kinds of failures there were."""
    found = 0
    for module in MODULES:
        for name, test in vars(importlib.import_module(module)).items():
            if (
                name.startswith("test_")
                and hasattr(test, "hypothesis")
                and any(part in name for part in parts or [""])
            ):
                found += run(test, sessions)
    return found


if __name__ == "__main__":
    sys.path[:0] = [str(FOLDER), str(FOLDER / "laws"), str(FOLDER / "kernel")]
    sys.exit(1 if main(int(sys.argv[1]), sys.argv[2:]) else 0)
