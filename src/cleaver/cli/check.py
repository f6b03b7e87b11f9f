"""`cleaver check`: the errors of a design, and likely mistakes."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any
from urllib.parse import quote

import click

from cleaver.cli.options import DASH, ChoiceOf, FileOf, design_argument, design_at, form_option
from cleaver.cli.printing import say, say_json
from cleaver.design.checks import RULES, looked
from cleaver.design.near import has_game
from cleaver.errors import DesignError, DesignFileError, Problem, UnknownNameError
from cleaver.rounding import counted

_ERROR = "not_valid"
EXPLAINED = {rule.name: rule.explanation for rule in RULES.values()} | {
    _ERROR: "The design cannot be loaded: it has an error, such as an unknown key or name, a value of the "
    "wrong kind or out of range, a formula that cannot be worked out. It cannot be silenced."
}


@click.command("check")
@design_argument("designs", nargs=-1)
@form_option("sarif")
@click.option(
    "--explain",
    metavar="NAME",
    type=ChoiceOf(lambda context: ("all", *EXPLAINED)),
    help="Explain one rule, or `all` of them.",
)
@click.option("--with-game", is_flag=True, help="Pass over DESIGNS that have no [game] section.")
@click.option(
    "--also",
    type=FileOf(".toml", ".json"),
    metavar="FILE",
    multiple=True,
    help="Check FILE, too, whatever it has.",
)
def command(
    designs: tuple[Path, ...], form: str, explain: str | None, with_game: bool, also: tuple[Path, ...]
) -> None:
    """Report the errors of the files DESIGNS and likely mistakes, each with its line and what would be right.

    Exit code 1 if something was found, 2 if a file cannot be read. A warning about what is meant can be
    silenced in the design, with a reason:
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
    if not designs and not also:
        raise click.UsageError("Missing argument 'DESIGNS'.")
    here = [design for design in designs if not with_game or design in also or has_game(design)]
    here += [design for design in also if design not in here]
    if not here:
        say(f"no design with a [game] section among {counted(len(designs), 'file')}")
    told: list[dict[str, Any]] = []
    summaries: list[tuple[str, bool]] = []
    unread = False
    for design in here:
        try:
            found, summary = _look(design)
        except DesignFileError as error:
            say(f"cleaver: {error}", err=True)
            unread = True
            continue
        told += found
        summaries.append((summary if not found or len(here) == 1 else f"{design}: {summary}", bool(found)))
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
    sys.exit(2 if unread else 1 if told else 0)


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
        if not any(loaded.source.tree.values()):
            raise DesignError(
                [Problem(name, 0, "", "nothing in it", "begin with a kind of actor: [actors.diver]")]
            )
    except DesignFileError:
        raise
    except DesignError as error:
        told = [{"rule": _ERROR, **problem._asdict(), "file": name} for problem in error.problems]
        return told, counted(len(told), "error")
    found, silenced = looked(loaded)
    known = {(one.name, one.key) for one in (*found, *silenced)}
    for variant in loaded.tables.variants:  # what holds in a variant alone
        more, _ = looked(loaded.variant(variant))
        new = [one for one in more if (one.name, one.key) not in known]
        found += [one._replace(key=f"variants.{variant}: {one.key}") for one in new]
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
    if name != "all" and name not in EXPLAINED:
        raise UnknownNameError("rule", name, tuple(EXPLAINED))
    for rule in EXPLAINED if name == "all" else [name]:
        say(f"{rule}\n    {EXPLAINED[rule]}")


def _sarif(told: list[dict[str, Any]]) -> dict[str, Any]:
    """Return findings in the Static Analysis Results Interchange Format, version 2.1.0 (OASIS)."""
    from cleaver import __version__  # slow to find out

    rules = [{"id": name, "shortDescription": {"text": text}} for name, text in EXPLAINED.items()]
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
