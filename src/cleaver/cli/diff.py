"""`cleaver diff`: what changed between two designs, and what that does to scripts."""

from __future__ import annotations

import sys
from pathlib import Path

import click
from rich.table import Table

from cleaver.cli.options import design_argument, design_at, form_option, script_at, script_type
from cleaver.cli.printing import say, say_json, say_table, within
from cleaver.design.changes import changes, told_change
from cleaver.rounding import counted
from cleaver.script.twins import TwinRow, compare


@click.command("diff")
@design_argument("old")
@design_argument("new")
@click.argument("scripts", nargs=-1, type=script_type())
@form_option()
def command(old: Path, new: Path, scripts: tuple[Path, ...], form: str) -> None:
    """Show in words what changed from the design OLD to the design NEW, and what that does to SCRIPTS under
    the same luck, side by side.

    Exit code 1 where an expectation that holds under OLD does not under NEW.

    \b
    Examples:
      cleaver diff before.toml lanternreef.toml
      cleaver diff before.toml lanternreef.toml dive.play
    """
    one, two = design_at(old), design_at(new)
    read = [(script, script_at(script)[0]) for script in scripts]
    found = changes(one.source.tree, two.source.tree)
    words = told_change(found, one.source, two.source)
    if form == "json":
        compared = [(script, *compare(one, two, lines, script)) for script, lines in read]
        data = {
            "old": str(old),
            "new": str(new),
            "changes": words,
            "scripts": [
                {"script": str(script), "worse": less, "differences": [row._asdict() for row in rows]}
                for script, rows, less in compared
            ],
        }
        say_json(data)
        sys.exit(int(any(less for _, _, less in compared)))
    say(f"{old} → {new}: {counted(len(words), 'change') if words else 'nothing has changed'}")
    for text in words:
        say(f"  {text}")
    worse = False
    for script, lines in read:
        rows, less = compare(one, two, lines, script)
        worse = worse or less
        say(f"\n{script}: {'the same under both' if not rows else 'under the same luck'}")
        if rows:
            say_table(_table(rows, *_names(old, new)))
    sys.exit(1 if worse else 0)


def _names(old: Path, new: Path) -> tuple[str, str]:
    return (old.name, new.name) if old.name != new.name else ("old", "new")


def _table(rows: list[TwinRow], old: str, new: str) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, 3, 0, 0))
    table.add_column("", no_wrap=True)
    for title in (old, new):
        table.add_column(within(title), overflow="fold", min_width=14)
    for row in rows:
        table.add_row(*(within(part) for part in ("  " + row.what, row.old, row.new)))
    return table
