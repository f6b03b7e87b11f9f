"""The long run, by hand: many random sessions of each law, each failure told once, shortened.

    python tests/sessions.py 20000 [PART ...] [-PART ...]

Takes the laws whose name has a PART, and none of those after a minus. Hypothesis draws the sessions, anew in
each run, and every law is tried on each of them. Failures differ where they were raised at different places.
Streams of commands are shortened by leaving commands out, which is much faster than shrinking everything.
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
from hypothesis.errors import UnsatisfiedAssumption

from cleaver import Design

FOLDER = Path(__file__).parent
MODULES = (
    "test_invariants",
    "test_tallies",
    "test_round_trips",
    "test_arguments",
    "test_adopting",
    "test_journals",
    "test_rooms",
)
Case = dict[str, Any]


def failure(call: Any, case: Case) -> tuple[str, str] | None:
    """Return where and how a call fails with these arguments, or None."""
    try:
        call(**case)
    except UnsatisfiedAssumption:
        return None
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


class Draws:
    """Every strategy that the laws draw from, once: laws that draw from the same ones try the same session.
    Drawing a design and its commands takes longer than most laws."""

    def __init__(self, laws: list[Any]) -> None:
        self.strategies: list[Any] = []
        self.places = [self._places(law.hypothesis._given_kwargs) for law in laws]

    def _places(self, wanted: dict[str, Any]) -> dict[str, int]:
        places: dict[str, int] = {}
        for name, strategy in wanted.items():
            same = [n for n, known in enumerate(self.strategies) if known is strategy]
            free = [n for n in same if n not in places.values()]
            if not free:
                self.strategies.append(strategy)
                free = [len(self.strategies) - 1]
            places[name] = free[0]
        return places

    def case(self, law: int, drawn: list[Any]) -> Case:
        """Return the arguments of one law out of what was drawn."""
        return {name: drawn[place] for name, place in self.places[law].items()}


def run(laws: list[Any], sessions: int) -> int:
    """Try every law on each of many sessions and print what it finds; returns how many different failures
    there were."""
    draws = Draws(laws)
    calls = [law.hypothesis.inner_test for law in laws]
    failures: dict[tuple[str, str], tuple[str, Case]] = {}
    tried = 0
    begun = time.perf_counter()

    @given(st.tuples(*draws.strategies))
    @settings(
        max_examples=sessions,
        deadline=None,
        suppress_health_check=list(HealthCheck),
        phases=[Phase.generate],
        database=None,
    )
    def all_of_them(drawn: tuple[Any, ...]) -> None:
        nonlocal tried
        tried += 1
        for number, call in enumerate(calls):
            case = draws.case(number, list(drawn))
            found = failure(call, case)
            if found is not None and (call.__name__, found[0]) not in failures:
                failures[call.__name__, found[0]] = (found[1], shortened(call, case, found[0]))
                report(call.__name__, found[0], *failures[call.__name__, found[0]])
        if tried % 1_000 == 0:
            print(f"{tried} sessions in {time.perf_counter() - begun:.0f} s", flush=True)

    all_of_them()
    for call in calls:
        kinds = sum(name == call.__name__ for name, _ in failures)
        print(f"{call.__name__}: {tried} sessions, {kinds} kinds of failures")
    print(f"{time.perf_counter() - begun:.0f} s", flush=True)
    return len(failures)


def report(law: str, where: str, error: str, case: Case) -> None:
    """Print one failure with the shortest session found for it."""
    print(f"{law}: {where}: {error}")
    for name, value in case.items():
        if isinstance(value, Design):
            kept = Path(tempfile.mkdtemp()) / "design.json"
            kept.write_text(json.dumps(value.source.tree))
            value = f"Design.from_dict(json.load(open({str(kept)!r})))"
        print(f"    {name} = {value!r}", flush=True)


def main(sessions: int, parts: list[str]) -> int:
    """Run every law whose name has one of the parts and none of those after a minus; returns how many kinds
    of failures there were."""
    left_out = [part[1:] for part in parts if part.startswith("-")]
    wanted = [part for part in parts if not part.startswith("-")] or [""]
    laws = [
        test
        for module in MODULES
        for name, test in vars(importlib.import_module(module)).items()
        if name.startswith("test_")
        and hasattr(test, "hypothesis")
        and any(part in name for part in wanted)
        and not any(part in name for part in left_out)
    ]
    return run(laws, sessions)


if __name__ == "__main__":
    sys.path[:0] = [str(FOLDER), *(str(FOLDER / part) for part in ("laws", "kernel", "rooms"))]
    sys.exit(1 if main(int(sys.argv[1]), sys.argv[2:]) else 0)
