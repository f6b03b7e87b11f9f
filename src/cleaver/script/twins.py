"""Twins: one script played under two designs with the same luck, and what comes out differently. Start at
`compare`."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import zip_longest
from pathlib import Path
from typing import Any, NamedTuple

from cleaver.core import read
from cleaver.core.kernel.events import Event
from cleaver.core.wording import sentence, value_text
from cleaver.design.design import Design
from cleaver.errors import ScriptError
from cleaver.rounding import shown
from cleaver.script.runner import play
from cleaver.script.session import Session, Step
from cleaver.script.state import Values, changed, state_of

MOST_ROWS = 30  # values at the end that are shown; the rest is counted


class TwinRow(NamedTuple):
    """One thing that came out differently: what, and how it was under each design."""

    what: str
    old: str
    new: str


class _Run:
    """One script under one design."""

    def __init__(self, design: Design, lines: Sequence[str], script: Path) -> None:
        self.held = self.failed = 0
        self.said: dict[int, str] = {}  # of each expectation, by its line
        self.events: list[tuple[int, Event]] = []
        self.wrong = ""
        session = Session(design, folder=script.parent)

        def tell(step: Step) -> None:
            self.events.extend((step.line, event) for event in step.events)
            if step.text.startswith(("expect ", "expect_error ")):
                self.said[step.line] = step.said
                self.failed += step.failed
                self.held += not step.failed

        try:
            play(session, lines, file=script.name, tell=tell)
        except ScriptError as error:
            self.wrong = f"stops at line {error.line}: {error.trouble}"
        self.state: Values = state_of(session.world, session.placements)
        known = read.parts(session.world).stage.kinds.known.events
        self.counts = {
            name: count for name, count in session.counts.items() if not known[name].seen_from
        }  # not the same event from both sides


def compare(old: Design, new: Design, lines: Sequence[str], script: Path) -> tuple[list[TwinRow], bool]:
    """Return what a script brings about differently under *new* than under *old*, and whether an expectation
    fails that held."""
    one, two = _Run(old, lines, script), _Run(new, lines, script)
    rows = []
    if one.wrong or two.wrong:
        rows.append(TwinRow("the script", one.wrong or "plays", two.wrong or "plays"))
    if one.said or two.said:
        rows.append(
            TwinRow(
                "expectations that hold", *(f"{run.held} of {run.held + run.failed}" for run in (one, two))
            )
        )
    lines_told = sorted({*one.said, *two.said})
    rows += [
        TwinRow(f"line {line}", _short(one.said.get(line, "")), _short(two.said.get(line, "")))
        for line in lines_told
        if one.said.get(line) != two.said.get(line)
    ]
    rows += _first(one, two)
    ends = [
        TwinRow(f"{path} at the end", _text(was), _text(now))
        for path, was, now in changed(one.state, two.state)
    ]
    rows += ends[:MOST_ROWS]
    if len(ends) > MOST_ROWS:
        rows.append(TwinRow(f"… and {len(ends) - MOST_ROWS} more values at the end", "", ""))
    names = sorted({*one.counts, *two.counts})
    tallied = [(name, one.counts.get(name, 0), two.counts.get(name, 0)) for name in names]
    rows += [TwinRow(f"events: {name}", str(was), str(now)) for name, was, now in tallied if was != now]
    if len(rows) == 1 and rows[0].old == rows[0].new:
        rows = []
    worse = (two.wrong != "" and not one.wrong) or any(
        said == "holds" and two.said.get(line) != "holds" for line, said in one.said.items()
    )
    return rows, worse


def _first(one: _Run, two: _Run) -> list[TwinRow]:
    """Return the first event that is not the same, numbers and causes aside."""
    for first, second in zip_longest(one.events, two.events):
        if first is None or second is None or first[0] != second[0] or _plain(first[1]) != _plain(second[1]):
            line, event = min(
                (pair for pair in (first, second) if pair is not None), key=lambda pair: pair[1].time
            )
            told = (sentence(pair[1]) if pair else "nothing" for pair in (first, second))
            return [TwinRow(f"first difference, line {line}, {shown(event.time)} s", *told)]
    return []


def _plain(event: Event) -> dict[str, Any]:
    return {name: value for name, value in event.plain().items() if name not in ("seq", "cause")}


def _short(said: str) -> str:
    return said.removeprefix("does not hold: ") or "not reached"


def _text(value: Any) -> str:
    if value is None:
        return "not there"
    return ", ".join(value) or "none" if isinstance(value, tuple) else value_text(value) or "none"
