"""`cleaver check`: the errors of a design, and likely mistakes."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from cleaver.cli.printing import say
from cleaver.design.checks import RULES, looked
from cleaver.design.design import load_design
from cleaver.errors import DesignError, UnknownNameError
from cleaver.rounding import counted

_ERROR = "not_valid"


@click.command("check")
@click.argument("design", type=click.Path(path_type=Path), required=False)
@click.option(
    "--format",
    "form",
    type=click.Choice(["text", "json", "sarif"]),
    default="text",
    show_default=True,
    help="How to report.",
)
@click.option("--explain", metavar="NAME", help="Explain one rule, or `all` of them.")
def command(design: Path | None, form: str, explain: str | None) -> None:
    """Report the errors of the file DESIGN and likely mistakes, each with its line and what would be right.

    Exit code 1 where something was found. A warning about what is meant can be silenced in the design, with a
    reason:
    [[check.silence]] rule = "…", at = "actors.eel", because = "…"

    \b
    Examples:
      cleaver check lanternreef.toml
      cleaver check --explain money_circle
    """
    if explain is not None:
        _explain(explain)
        return
    if design is None:
        raise click.UsageError("Missing argument 'DESIGN'.")
    told, summary = _look(design)
    if form == "json":
        say(json.dumps(told, indent=2))
    elif form == "sarif":
        say(json.dumps(_sarif(told), indent=2))
    else:
        for row in told:
            place = f"{row['file']}:{row['line']}" if row["line"] else row["file"]
            name = f" [{row['rule']}]" if row["rule"] != _ERROR else ""
            say(place, nl=False, bold=True)
            say(f": {said_of(row)}{name}")
        say(summary, err=bool(told))
    sys.exit(1 if told else 0)


def said_of(row: dict[str, Any]) -> str:
    """Return an error or a warning as one sentence: where, what is wrong, what would be right."""
    place = f"{row['key']}: " if row["key"] else ""
    advice = f"; {row['right']}" if row["right"] else ""
    return f"{place}{row['wrong']}{advice}"


def _look(design: Path) -> tuple[list[dict[str, Any]], str]:
    """Return what was found, as data, and a line that sums it up."""
    try:
        loaded = load_design(design)
    except DesignError as error:
        told = [{"rule": _ERROR, **problem._asdict()} for problem in error.problems]
        return told, counted(len(told), "error")
    found, silenced = looked(loaded)
    told = [
        {
            "rule": finding.name,
            "file": finding.file,
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
        f"{design.name}: no problems found in {loaded.title}: "
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
                        "artifactLocation": {"uri": row["file"]},
                        "region": {"startLine": max(row["line"], 1)},
                    }
                }
            ],
        }
        for row in told
    ]
    return {
        "version": "2.1.0",
        "runs": [{"tool": {"driver": {"name": "cleaver check", "rules": rules}}, "results": results}],
    }
