"""`cleaver check`: what is wrong with a design."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from cleaver.design.checks import findings
from cleaver.design.design import load_design
from cleaver.errors import DesignError


@click.command("check")
@click.argument("design", type=click.Path(path_type=Path))
def command(design: Path) -> None:
    """Report everything that is wrong with the file DESIGN, each with its line and what would be right.

    \b
    Example:  cleaver check lanternreef.toml
    """
    try:
        loaded = load_design(design)
    except DesignError as error:
        for problem in error.problems:
            click.echo(str(problem))
        count = len(error.problems)
        click.echo(f"{count} problem{'s' if count != 1 else ''}", err=True)
        sys.exit(1)
    found = findings(loaded)
    for finding in found:
        click.echo(str(finding))
    if found:
        click.echo(f"{len(found)} finding{'s' if len(found) != 1 else ''}; the design can be played all the same", err=True)
        sys.exit(1)
    tables = loaded.tables
    parts = [(len(tables.actors), "kinds of actors"), (len(tables.pickups), "pickups"), (len(tables.rules), "rules"), (len(tables.currencies), "currencies")]
    click.echo(f"{design.name}: {loaded.title} is sound: {', '.join(f'{count} {what}' for count, what in parts if count)}")
