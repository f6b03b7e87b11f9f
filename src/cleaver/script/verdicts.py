"""Verdicts: how scripts went, as lines of text and as JUnit XML. Start at `verdict_lines`."""

from __future__ import annotations

import xml.etree.ElementTree as ElementTree
from pathlib import Path
from typing import Any

from cleaver import files
from cleaver.errors import UsageError
from cleaver.rounding import counted
from cleaver.script.suite import Verdict
from cleaver.visible import visible


def verdict_lines(verdict: Verdict, name: str = "") -> list[str]:
    """Return what is to be said of a script (by another *name* if given): nothing where all holds."""
    script = name or str(verdict.script)
    lines: list[str] = []
    for failure in verdict.failures:
        lines += [
            f"✗ {script}:{failure.line}: {failure.text}",
            *(f"    {part}" for part in failure.said.removeprefix("does not hold: ").split("; ")),
        ]
        lines += [
            "    the latest events before it:" if failure.before else "    no event before it",
            *(f"      {event}" for event in failure.before),
        ]
    if verdict.wrong:
        lines += [
            f"✗ {script}: cannot be played",
            *(f"    {line.strip()}" for line in verdict.wrong.splitlines()),
        ]
    if verdict.difference is not None:
        lines += [
            f"✗ {script}:{verdict.difference.line}: differs from its baseline",
            *(f"    {line}" for line in verdict.difference.told),
        ]
    return lines


def verdict_summary(verdicts: list[Verdict], *, update: bool = False) -> str:
    """Return the last line: scripts, expectations, baselines, time."""
    passed = sum(verdict.passed for verdict in verdicts)
    held, missed = (
        sum(verdict.held for verdict in verdicts),
        sum(len(verdict.failures) for verdict in verdicts),
    )
    not_passed = len(verdicts) - passed
    outcome = "passes" if passed == 1 else "all pass"
    if not_passed:
        outcome = f"{passed} pass, {not_passed} {'does' if not_passed == 1 else 'do'} not"
    parts = [
        f"{counted(len(verdicts), 'script')}: {outcome}",
        f"{held:,} of {counted(held + missed, 'expectation')} hold",
    ]
    if update:
        kept = [verdict.kept or "not kept" for verdict in verdicts]
        parts.append(
            "baselines "
            + ", ".join(
                f"{kept.count(what)} {what}"
                for what in ("written", "updated", "unchanged", "not kept")
                if what in kept
            )
        )
    else:
        compared = sum(verdict.kept in ("the same", "differs") for verdict in verdicts)
        parts.append(
            f"{sum(verdict.kept == 'the same' for verdict in verdicts)} of "
            f"{counted(compared, 'baseline')} the same"
            if compared
            else "no baselines"
        )
    return "; ".join(parts)


def plain_verdict(verdict: Verdict) -> dict[str, Any]:
    """Return a verdict as JSON-ready data."""
    difference = verdict.difference
    return {
        **verdict._asdict(),
        "script": verdict.script.as_posix(),
        "passed": verdict.passed,
        "failures": [failure._asdict() for failure in verdict.failures],
        "difference": None
        if difference is None
        else {"line": difference.line, "told": list(difference.told)},
    }


def write_junit(data: bytes, file: Path) -> None:
    """Write what `junit_of` made."""
    try:
        files.write(file, data)
    except OSError as error:
        raise UsageError(f"{file} cannot be written: {error.strerror}") from None


def junit_of(verdicts: list[Verdict]) -> bytes:
    """Return verdicts as JUnit XML, one test case a script, each with the file and the line that it failed
    at."""
    failed = sum(not verdict.passed and not verdict.wrong for verdict in verdicts)
    counts = {
        "tests": str(len(verdicts)),
        "failures": str(failed),
        "errors": str(sum(bool(verdict.wrong) for verdict in verdicts)),
        "time": f"{sum(verdict.seconds for verdict in verdicts):.3f}",
    }
    root = ElementTree.Element("testsuites", counts)
    suite = ElementTree.SubElement(root, "testsuite", {"name": "cleaver", "skipped": "0", **counts})
    for verdict in verdicts:
        case = ElementTree.SubElement(
            suite,
            "testcase",
            {
                "classname": _printable(verdict.design or "script"),
                "name": _printable(verdict.script.as_posix()),
                "file": _printable(verdict.script.as_posix()),
                "line": str(_line(verdict)),
                "time": f"{verdict.seconds:.3f}",
            },
        )
        if not verdict.passed:
            lines = verdict_lines(verdict)
            told = ElementTree.SubElement(
                case, "error" if verdict.wrong else "failure", {"message": _printable(lines[0])}
            )
            told.text = _printable("\n".join(lines))
    ElementTree.indent(root)
    data: bytes = ElementTree.tostring(root, encoding="utf-8", xml_declaration=True)
    return data


def _line(verdict: Verdict) -> int:
    """Return the line at which a script first went wrong; its first where nothing did."""
    if verdict.failures:
        return verdict.failures[0].line
    return verdict.difference.line if verdict.difference is not None else 1


def _printable(text: str) -> str:
    """Return *text* as XML 1.0 can hold it: what steers a terminal is an escape, what is none goes."""
    return visible(text).replace("\ufffe", "\ufffd").replace("\uffff", "\ufffd")
