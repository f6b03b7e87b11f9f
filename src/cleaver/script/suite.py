"""Suite: many scripts played, each under its design, side by side on every core.

Finds scripts and the design each belongs to, plays one into a `Verdict`, and compares or keeps its baseline.
Start at `find_scripts` and `run`.
"""

from __future__ import annotations

import multiprocessing
import os
import signal
import sys
import time
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

from cleaver.design.design import Design, load_design
from cleaver.design.near import designs_in, names_design, names_variant
from cleaver.errors import CleaverError, UsageError
from cleaver.script import baseline
from cleaver.script.files import read_script
from cleaver.script.runner import event_line, play
from cleaver.script.session import Session, Step

SUFFIX = ".play"
TIMEOUT = 60.0  # seconds one script may take
LATEST = 5  # events shown before an expectation that failed
MAX_SCRIPTS = 100_000


class FailedPlay(NamedTuple):
    """One expectation that did not hold: its line and text, what each side was, and the latest events before
    it."""

    line: int
    text: str
    said: str
    before: tuple[str, ...]


class Verdict(NamedTuple):
    """How one script went. `wrong` is "" or why it could not be played; `kept` what became of its
    baseline."""

    script: Path
    design: str = ""
    lines: int = 0
    held: int = 0
    failures: tuple[FailedPlay, ...] = ()
    wrong: str = ""
    kept: str = ""
    difference: baseline.Drift | None = None
    seconds: float = 0.0

    @property
    def passed(self) -> bool:
        """Whether everything holds."""
        return not (self.failures or self.wrong or self.difference)

    @property
    def exit_code(self) -> int:
        """0 if everything holds, 1 if an expectation or the baseline does not, 2 if it could not be
        played."""
        return 2 if self.wrong else int(not self.passed)


def find_scripts(paths: Sequence[Path]) -> list[Path]:
    """Return the scripts at *paths*, those in folders below them included, each once, in the order of their
    names.

    Raises:
        UsageError: A path that is not there, or holds no script.
    """
    found: dict[Path, None] = {}
    for path in paths:
        if path.is_dir():
            below = (
                (file, file.relative_to(path).parts) for file in path.rglob(f"*{SUFFIX}") if file.is_file()
            )
            inside = sorted(file for file, parts in below if not any(part.startswith(".") for part in parts))
            if not inside:
                raise UsageError(f"there is no script (*{SUFFIX}) in {path}; write one, or name one")
            found.update(dict.fromkeys(inside))
        elif path.exists():
            found[path] = None
        else:
            raise UsageError(f"{path} is not there; name a script or a folder of scripts")
    if len(found) > MAX_SCRIPTS:
        raise UsageError(
            f"{len(found):,} scripts are more than one run takes ({MAX_SCRIPTS:,}); name a folder of fewer"
        )
    return list(found)


def design_named(
    script: Path, lines: Sequence[str], given: Path | None = None, *, top: Path | None = None
) -> Path:
    """Return the design that *script* is played under: the one *given*, the one a comment in its head names,
    or the only one near.

    A comment such as ``# design: ../lanternreef.toml`` before the first command names it, from where the
    script stands. Else it is the one design in the script's folder, or in the nearest folder above that has
    one, no higher than the project, or than *top*.

    Raises:
        UsageError: There is none, or more than one.
    """
    if given is not None:
        return given
    if named := names_design(lines):
        return script.parent / named
    advice = "name it in the script's first line, as in `# design: lanternreef.toml`, or with --design"
    folder = script.resolve().parent
    for place in (folder, *folder.parents):
        near = designs_in(place)
        if len(near) == 1:
            return Path(os.path.relpath(near[0])) if near[0].is_relative_to(Path.cwd()) else near[0]
        if near:
            raise UsageError(
                f"{script.name} may belong to any of {', '.join(file.name for file in near)}; {advice}"
            )
        if place == top or (place / ".git").exists() or (place / "pyproject.toml").exists():
            break
    raise UsageError(
        f"there is no design in {said_path(folder)}, where {script.name} stands, or above; {advice}"
    )


def said_path(folder: Path) -> str:
    """Return a folder as a message names it: from here where it is below, "this folder" for here."""
    here = Path.cwd()
    if folder == here:
        return "this folder"
    return str(folder.relative_to(here)) if folder.is_relative_to(here) else str(folder)


@lru_cache(maxsize=32)
def _load(design: Path, changed: int) -> Design:
    """Return a design, read once while its file stays as it is."""
    return load_design(design)


def judge(
    script: Path,
    given: Path | None = None,
    *,
    update: bool = False,
    timeout: float = TIMEOUT,
    variant: str = "",
) -> Verdict:
    """Play one script and return how it went; keep its baseline where *update* says so, else compare it where
    there is one."""
    begun = time.perf_counter()
    verdict = _judge(script, given, update, timeout, variant)
    return verdict._replace(seconds=time.perf_counter() - begun)


def _judge(script: Path, given: Path | None, update: bool, timeout: float, variant: str) -> Verdict:
    failures: list[FailedPlay] = []
    records: list[baseline.Record] = []
    latest: deque[str] = deque(maxlen=LATEST)
    name = ""
    try:
        lines = read_script(script)
        place = design_named(script, lines, given)
        name = place.name
        design = _load(place, place.stat().st_mtime_ns if place.exists() else 0)
        variant = variant or names_variant(lines)
        design = design.variant(variant) if variant else design
        session = Session(design, folder=script.parent)

        def tell(step: Step) -> None:
            if step.failed:
                failures.append(FailedPlay(step.line, step.text, step.said, tuple(latest)))
            now = session.world.now
            latest.extend(event_line(event, -1.0) for event in step.events[-LATEST:])
            records.extend(baseline.record_baseline(step, now))

        with _at_most(timeout):
            outcome = play(session, lines, file=script.name, tell=tell)
        found = Verdict(script, name, outcome.lines, outcome.held, tuple(failures))
        file = baseline.baseline_of(script)
        if update:
            return found._replace(kept="not kept" if failures else baseline.keep(file, design, records))
        if file.exists():
            difference = baseline.compare(file, design, records)
            return found._replace(kept="differs" if difference else "the same", difference=difference)
        return found
    except CleaverError as error:
        return Verdict(script, name, failures=tuple(failures), wrong=str(error))
    except RecursionError:
        return Verdict(
            script,
            name,
            failures=tuple(failures),
            wrong=f"{script.name} asks for more than Python's stack holds; make it plainer",
        )


class _TooLate(BaseException):
    """Time is up; no `Exception`, as reactions gather those and go on."""


@contextmanager
def _at_most(seconds: float) -> Iterator[None]:
    """Stop what takes longer; only where the system has a timer for it, and only in a main thread."""

    def late(number: int, frame: object) -> None:
        raise _TooLate

    try:
        before = signal.signal(signal.SIGALRM, late)
    except (AttributeError, ValueError):  # no such timer, or no main thread
        yield
        return
    theirs = signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield
    except _TooLate:
        raise UsageError(
            f"took longer than {seconds:g} s and was stopped; give it more with --timeout, or make it shorter"
        ) from None
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
        signal.setitimer(signal.ITIMER_REAL, *theirs)  # whoever had the timer before has it again


def cores() -> int:
    """Return how many cores this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def run(
    scripts: Sequence[Path],
    given: Path | None = None,
    *,
    jobs: int = 0,
    update: bool = False,
    timeout: float = TIMEOUT,
    variant: str = "",
) -> Iterator[Verdict]:
    """Play scripts on so many processes (one a core unless given) and yield each verdict as it comes.

    Raises:
        UsageError: A process ended by itself, as where memory ran out; the verdicts until then have come.
    """
    jobs = min(jobs or cores(), len(scripts))
    if jobs <= 1:
        for script in scripts:
            yield judge(script, given, update=update, timeout=timeout, variant=variant)
        return
    # Processes that fork find the library and the design read already, which is most of the time that a short
    # script takes.
    method = "fork" if sys.platform == "linux" else "spawn"
    first = judge(scripts[0], given, update=update, timeout=timeout, variant=variant)
    yield first
    share = max(
        1, min(20, len(scripts) // (jobs * 16))
    )  # small, so that no core waits long for the last ones
    shares = [scripts[start : start + share] for start in range(1, len(scripts), share)]
    with ProcessPoolExecutor(jobs, mp_context=multiprocessing.get_context(method)) as pool:
        waiting = [pool.submit(_judge_all, some, given, update, timeout, variant) for some in shares]
        try:
            for done in as_completed(waiting):
                yield from done.result()
        except BrokenProcessPool:
            raise UsageError(
                "a process that played scripts ended by itself, as where memory runs out; play with --jobs "
                "1 to see which script"
            ) from None
        finally:
            pool.shutdown(cancel_futures=True)


def _judge_all(
    scripts: Sequence[Path], given: Path | None, update: bool, timeout: float, variant: str
) -> list[Verdict]:
    return [judge(one, given, update=update, timeout=timeout, variant=variant) for one in scripts]
