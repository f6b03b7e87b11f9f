"""`cleaver check`: the errors of a design, and likely mistakes."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any
from urllib.parse import quote

import click

from cleaver import __version__
from cleaver.cli.options import DASH, OneOf, design_argument, design_at, form_option
from cleaver.cli.printing import say, say_json
from cleaver.design.checks import RULES, looked
from cleaver.errors import DesignError, UnknownNameError
from cleaver.rounding import counted

_ERROR = "not_valid"


@click.command("check")
@design_argument("designs", nargs=-1)
@form_option("sarif")
@click.option(
    "--explain",
    metavar="NAME",
    type=OneOf(lambda context: ("all", *RULES)),
    help="Explain one rule, or `all` of them.",
)
def command(designs: tuple[Path, ...], form: str, explain: str | None) -> None:
    """Report the errors of the files DESIGNS and likely mistakes, each with its line and what would be right.

    Exit code 1 where something was found. A warning about what is meant can be silenced in the design, with a
    reason:
    [[check.silence]] rule = "…", at = "actors.eel", because = "…"

    \b
    Examples:
      cleaver check lanternreef.toml
      cleaver check --format json lanternreef.toml before.toml
      cleaver check --explain money_circle
    """
    if explain is not None:
        _explain(explain)
        return
    if not designs:
        raise click.UsageError("Missing argument 'DESIGNS'.")
    told: list[dict[str, Any]] = []
    summaries: list[tuple[str, bool]] = []
    for design in designs:
        found, summary = _look(design)
        told += found
        summaries.append((summary if not found or len(designs) == 1 else f"{design}: {summary}", bool(found)))
    if form == "json":
        say_json(told)
    elif form == "sarif":
        say_json(_sarif(told))
    else:
        for row in told:
            place = f"{row['file']}:{row['line']}" if row["line"] else row["file"]
            name = f" [{row['rule']}]" if row["rule"] != _ERROR else ""
            say(f": {said_of(row)}{name}", lead=place)
        for summary, wrong in summaries:
            say(summary, err=wrong)
    sys.exit(1 if told else 0)


def said_of(row: dict[str, Any]) -> str:
    """Return an error or a warning as one sentence: where, what is wrong, what would be right."""
    place = f"{row['key']}: " if row["key"] else ""
    advice = f"; {row['right']}" if row["right"] else ""
    return f"{place}{row['wrong']}{advice}"


def _look(design: Path) -> tuple[list[dict[str, Any]], str]:
    """Return what was found, as data, and a line that sums it up."""
    name = "stdin" if design == DASH else str(design)
    try:
        loaded = design_at(design)
    except DesignError as error:
        told = [{"rule": _ERROR, **problem._asdict(), "file": name} for problem in error.problems]
        return told, counted(len(told), "error")
    found, silenced = looked(loaded)
    told = [
        {
            "rule": finding.name,
            "file": name,
            "line": finding.line,
            "key": finding.key,
            "wrong": finding.wrong,
            "right": finding.right,
        }
        for finding in found
    ]
    quiet = len(silenced)
    hushed = f" ({quiet} silenced)" if quiet else ""
    if told:
        return told, f"{counted(len(told), 'warning')}{hushed}; the design still loads"
    tables = loaded.tables
    parts = [
        (len(tables.actors), "kind of actor", "kinds of actors"),
        (len(tables.pickups), "pickup", ""),
        (len(tables.rules), "rule", ""),
        (len(tables.currencies), "currency", "currencies"),
        (len(tables.quests), "quest", ""),
    ]
    return (
        [],
        f"{name}: no problems found in {loaded.title}: "
        f"{', '.join(counted(*part) for part in parts if part[0])}{hushed}",
    )


def _explain(name: str) -> None:
    if name != "all" and name not in RULES:
        raise UnknownNameError("rule", name, tuple(RULES))
    for rule in RULES.values() if name == "all" else [RULES[name]]:
        say(f"{rule.name}\n    {rule.explanation}")


def _sarif(told: list[dict[str, Any]]) -> dict[str, Any]:
    """Return findings in the Static Analysis Results Interchange Format, version 2.1.0 (OASIS)."""
    rules = [{"id": rule.name, "shortDescription": {"text": rule.explanation}} for rule in RULES.values()]
    rules.append({"id": _ERROR, "shortDescription": {"text": "The design cannot be loaded."}})
    results = [
        {
            "ruleId": row["rule"],
            "level": "error" if row["rule"] == _ERROR else "warning",
            "message": {"text": said_of(row)},
            "locations": [
                {
                    "physicalLocation": {
                        "artifactLocation": {"uri": quote(Path(row["file"]).as_posix())},
                        "region": {"startLine": max(row["line"], 1)},
                    }
                }
            ],
        }
        for row in told
    ]
    return {
        "version": "2.1.0",
        "runs": [
            {
                "tool": {"driver": {"name": "cleaver check", "version": __version__, "rules": rules}},
                "results": results,
            }
        ],
    }
