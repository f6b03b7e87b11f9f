"""Baselines: the events of a script, kept beside it, and the first difference in words.

A file of JSON Lines: a head with the design it was played under, then each step with the events that followed
from it. Read with suspicion, as anybody may have written it. Start at `keep` and `compare`.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import Any, NamedTuple

from cleaver import files
from cleaver.core.kernel.events import Event, EventShape
from cleaver.core.wording import sentence, value_text
from cleaver.design.changes import changes, told_change
from cleaver.design.design import Design
from cleaver.errors import BaselineError
from cleaver.rounding import counted, shown
from cleaver.script.session import Step

FORMAT = 1
MAX_BYTES = 50_000_000
MAX_CHANGES = 20  # of the design, shown after a difference

Record = dict[str, Any]


class Drift(NamedTuple):
    """The first thing that is different from the baseline: where it is, and lines that say what."""

    line: int
    told: tuple[str, ...]


def baseline_of(script: Path) -> Path:
    """Return where the baseline of *script* is kept: "dive.baseline.jsonl" beside "dive.play"."""
    return script.with_suffix(".baseline.jsonl")


def record_baseline(step: Step, now: float) -> list[Record]:
    """Return a step and its events as the lines of a baseline."""
    return [
        {"line": step.line, "step": step.text, "now": now},
        *({"event": event.plain()} for event in step.events),
    ]


def keep(file: Path, design: Design, records: list[Record]) -> str:
    """Write a baseline; returns "written", "updated" or "unchanged".

    Raises:
        BaselineError: It cannot be written; the old one is as it was.
    """
    head = {"baseline": FORMAT, "cleaver": _version(), "design": design.source.tree}
    text = "".join(
        f"{json.dumps(item, ensure_ascii=False, separators=(',', ':'), default=str)}\n"
        for item in (head, *records)
    )
    try:
        old = files.read(file, MAX_BYTES).decode() if file.exists() else None
        if old == text:
            return "unchanged"
        files.write(file, text)
    except (UnicodeDecodeError, files.TooLongError):
        raise BaselineError(
            file.name, 0, "is no text; look at it, and delete it to have it written anew"
        ) from None
    except OSError as error:
        raise BaselineError(file.name, 0, f"cannot be written: {error.strerror}") from None
    return "written" if old is None else "updated"


def compare(file: Path, design: Design, records: list[Record]) -> Drift | None:
    """Return the first difference between what a baseline has and what came, None where all is the same.

    Raises:
        BaselineError: The file is no baseline.
    """
    kept = _read(file)
    head = next(kept)
    here = Step(0, "", "")
    step = 0
    came = iter(records)
    for expected in kept:
        got = next(came, None)
        if got is not None and "step" in got:
            step += 1
            here = Step(got["line"], got["step"], "")
        if got == expected:
            continue
        return Drift(here.line, (*_told(step, here, expected, got), *_since(head, design)))
    more = next(came, None)
    if more is None:
        return None
    if "step" in more:
        step, here = step + 1, Step(more["line"], more["step"], "")
    return Drift(here.line, (*_told(step, here, None, more), *_since(head, design)))


def _read(file: Path) -> Iterator[Record]:
    """Yield the head of a baseline, then its records, each looked at before it is used."""
    advice = "run `cleaver test --update` to have it written anew"
    try:
        lines = files.read(file, MAX_BYTES).decode().split("\n")
    except files.TooLongError as error:
        raise BaselineError(
            file.name, 0, f"is {error.size:,} bytes long, and a baseline may have {MAX_BYTES:,}; {advice}"
        ) from None
    except UnicodeDecodeError as error:
        raise BaselineError(file.name, 0, f"is not UTF-8 text (byte {error.start}); {advice}") from None
    except OSError as error:
        raise BaselineError(file.name, 0, f"cannot be read: {error.strerror}") from None
    for number, line in enumerate(lines, 1):
        if not line and number > 1:
            continue
        try:
            found = json.loads(line)
        except (ValueError, RecursionError):
            raise BaselineError(file.name, number, f"is no line of a baseline; {advice}") from None
        sound = isinstance(found, dict) and (
            isinstance(found.get("design"), dict)
            if number == 1
            else isinstance(found.get("step"), str) or isinstance(found.get("event"), dict)
        )
        if number == 1 and sound and found.get("baseline") != FORMAT:
            raise BaselineError(
                file.name,
                1,
                f"is of format {found.get('baseline')!r}, and this version reads {FORMAT}; {advice}",
            )
        if not sound:
            raise BaselineError(
                file.name, number, f"is no {'head' if number == 1 else 'line'} of a baseline; {advice}"
            )
        yield found


def _told(step: int, here: Step, expected: Record | None, got: Record | None) -> list[str]:
    if (
        (expected is None or "step" in expected)
        and (got is None or "step" in got)
        and not (expected and got and expected.get("step") == got.get("step"))
    ):
        was = repr(expected["step"]) if expected else "nothing more"
        return [
            f"step {step}: the script says {repr(got['step']) if got else 'nothing more'}, and the "
            f"baseline has {was}",
            "  the script itself has changed; if that was meant, run `cleaver test --update`",
        ]
    lines = [f"step {step}: {here.text}"]
    if expected and got and "step" in expected and "step" in got:
        if expected.get("now") != got["now"]:
            return [
                *lines,
                f"  expected: it is {value_text(expected.get('now'))} s",
                f"  actual:   it is {shown(got['now'])} s",
            ]
        return [
            *lines,
            f"  this stood in line {expected.get('line')} of the script, and stands in line {got['line']}; "
            "if that was meant, run "
            "`cleaver test --update`",
        ]
    lines += [f"  expected: {_sentence(expected)}", f"  actual:   {_sentence(got)}"]
    if (
        expected
        and got
        and "event" in expected
        and "event" in got
        and expected["event"].get("name") == got["event"]["name"]
    ):
        fields = [
            f"{name} was {value_text(expected['event'].get(name, 'not there'))} and is {value_text(value)}"
            for name, value in got["event"].items()
            if expected["event"].get(name) != value and name not in ("seq", "cause")
        ]
        lines.append(f"  changed fields: {', '.join(fields) or 'its number or its cause'}")
    return lines


def _sentence(item: Record | None) -> str:
    if item is None or "event" not in item:
        return "nothing more from this step"
    plain: dict[str, Any] = dict(item["event"])
    try:
        names = tuple(
            name
            for name in plain
            if name not in ("name", "seq", "time", "cause", "actor", "source", "credit")
        )
        event = Event(
            EventShape.named(plain["name"], names),
            plain["seq"],
            round(plain["time"] * 1e6),
            plain["cause"],
            plain["actor"],
            plain["source"],
            tuple(plain[name] for name in names),
            plain.get("credit"),  # a baseline of an older version has none
        )
        return f"at {shown(plain['time'])} s, {sentence(event)}"
    except (KeyError, TypeError, ValueError, AttributeError, OverflowError):
        return json.dumps(plain, ensure_ascii=False)[
            :200
        ]  # an event of another version, or of somebody's own making


def _since(head: Record, design: Design) -> list[str]:
    """Return what changed in the design since the baseline was kept, each with its line."""
    found = changes(head["design"], design.source.tree)
    if not found:
        note = (
            ""
            if head.get("cleaver") == _version()
            else f"; the baseline was kept by Cleaver {head.get('cleaver')}, and this is {_version()}"
        )
        return [f"  nothing in the design has changed since{note}"]
    lines = ["  since the baseline was kept, the design has changed:"]
    words = told_change(found, None, design.source)
    lines += [f"    {text}" for text in words[:MAX_CHANGES]]
    more = len(words) - MAX_CHANGES
    return lines + ([f"    … and {counted(more, 'more change')}"] if more > 0 else [])


def _version() -> str:
    try:
        return version("cleaver-progression")
    except PackageNotFoundError:  # run from its source, not installed
        return "0"
