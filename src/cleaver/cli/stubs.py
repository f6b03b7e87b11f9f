"""`cleaver stubs`: the names of a design as types, so that a checker finds a misspelt one."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import click

from cleaver import files
from cleaver.cli.options import DASH, FileOf, design_argument, design_at
from cleaver.cli.printing import say
from cleaver.design.design import Design
from cleaver.errors import UsageError
from cleaver.rounding import counted
from cleaver.visible import visible


@click.command("stubs")
@design_argument()
@click.option("--out", type=FileOf(".py"), metavar="FILE", help="Write them into FILE; by default stdout.")
def command(design: Path, out: Path | None) -> None:
    """Write the names of DESIGN as a Python module of types: kinds, meters, currencies, quests and the like.
    With `name: Quest = "first_lihgt"` a type checker finds what is misspelt.

    \b
    Examples:
      cleaver stubs lanternreef.toml
      cleaver stubs lanternreef.toml --out reef_names.py
    """
    loaded = design_at(design)
    text = stubs(loaded)
    if out is None or out == DASH:
        say(text, nl=False, wrap=False)
        return
    try:
        files.write(out, text)
    except OSError as error:
        raise UsageError(f"{out} cannot be written: {error.strerror}") from None
    say(f"{out}: {counted(text.count('TypeAlias = '), 'type')} of the names of {loaded.title}")


def stubs(design: Design) -> str:
    """Return a module of `Literal` types, one for each sort of name that a design holds."""
    tables = design.tables
    kinds = tables.actors.values()
    sorts: dict[str, Iterable[str]] = {
        "Kind": tables.actors,
        "Player": (name for name, kind in tables.actors.items() if kind.player),
        "Meter": (name for kind in kinds for name in kind.meters),
        "Attack": (name for kind in kinds for name in kind.attacks),
        "Zone": (name for kind in kinds for name in kind.guard.zones),
        "Pulse": (name for kind in kinds for name in kind.pulses),
        "Status": tables.statuses,
        "Currency": tables.currencies,
        "Item": tables.items,
        "Pickup": tables.pickups,
        "Exchange": tables.exchanges,
        "Team": tables.teams,
        "Match": tables.matches,
        "Rating": tables.ratings,
        "Levels": tables.levels,
        "Record": tables.records,
        "Quest": tables.quests,
        "Achievement": tables.achievements,
        "Input": tables.inputs,
        "EventName": design.known.events,
    }
    lines = [
        f"# The names of {' '.join(visible(design.title).split())}, for type checkers.",
        "# Written by `cleaver stubs`; write it anew when they change.",
        "",
        "from typing import Literal, TypeAlias",
        "",
    ]
    for sort, names in sorts.items():
        found = list(dict.fromkeys(names))
        if found:
            lines.append(f"{sort}: TypeAlias = Literal[")
            lines += [f"    {_quoted(name)}," for name in found]
            lines.append("]")
    return "\n".join(lines) + "\n"


def _quoted(name: str) -> str:
    return '"' + name.replace("\\", "\\\\").replace('"', '\\"') + '"'
