"""What all benchmarks share: interleaved rounds, medians, one printed row a figure beside its bar."""

from __future__ import annotations

import gc
import os
import statistics
import sys
from collections.abc import Callable
from time import perf_counter

MOST_ROUNDS = int(os.environ.get("CLEAVER_ROUNDS", "99"))  # CI has less time than patience
ROWS: list[tuple[str, float, float, bool]] = []


def ratio(
    what: str,
    new: Callable[[], object],
    baseline: Callable[[], object],
    *,
    bar: float,
    rounds: int = 9,
    more: bool = False,
    share: int = 1,
    each: int = 1,
    clock: Callable[[], float] = perf_counter,
) -> float:
    """Time both in interleaved rounds, order reversed every round; print and keep the median ratio beside its
    bar.

    With *more*, the ratio is how many times faster *new* is, and the bar is the least it may be. Where the
    baseline is too slow to be run whole, it is given one *share*-th of the work, and its time is multiplied.
    *clock* says what counts as time.
    *each* is how many of what is measured *new* does: the time of one is printed beside the ratio.
    """
    rounds = min(rounds, MOST_ROUNDS)
    ratios, news = [], []
    gc.collect()
    gc.disable()
    try:
        for number in range(rounds):
            times = {}
            for name, call in (("new", new), ("baseline", baseline))[:: 1 if number % 2 else -1]:
                start = clock()
                call()
                times[name] = clock() - start
            times["baseline"] *= share
            news.append(times["new"] / each)
            ratios.append(times["baseline"] / times["new"] if more else times["new"] / times["baseline"])
    finally:
        gc.enable()
    return told(what, statistics.median(ratios), bar, more=more, beside=absolute(statistics.median(news)))


def absolute(seconds: float) -> str:
    """Return a time as text, in the unit that suits it."""
    for unit, size in (("s", 1.0), ("ms", 1e-3)):
        if seconds >= size:
            return f"{seconds / size:.3g} {unit}"
    return f"{seconds * 1e6:.3g} µs"


def told(
    what: str, figure: float, bar: float, *, more: bool = False, unit: str = "×", beside: str = ""
) -> float:
    """Print and keep one figure beside its bar; *beside* is what it is in time."""
    held = figure >= bar if more else figure <= bar
    ROWS.append((what, figure, bar, held))
    print(
        f"{'ok  ' if held else 'MISS'} {what:<78} {figure:8.2f} {unit}   bar {'≥' if more else '≤'} {bar:g}"
        f"{f'   {beside}' if beside else ''}",
        flush=True,
    )
    return figure


def finish() -> None:
    """Say how many bars hold; exit code 1 where one does not and --strict was given."""
    missed = [row for row in ROWS if not row[3]]
    print(f"{len(ROWS) - len(missed)} of {len(ROWS)} bars hold")
    if missed and "--strict" in sys.argv:
        sys.exit(1)
