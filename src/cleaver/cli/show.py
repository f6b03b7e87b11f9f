"""`cleaver show`: what a design contains, and what its numbers come to."""

from __future__ import annotations

from pathlib import Path

import click
from rich.console import Console

from cleaver.cli.printing import say
from cleaver.design.design import load_design
from cleaver.errors import UnknownNameError
from cleaver.figures.contents import SECTIONS, tables_of
from cleaver.figures.numbers import numbers_of


@click.command("show")
@click.argument("design", type=click.Path(path_type=Path))
@click.argument("section", required=False)
@click.option(
    "--figure",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Draw the numbers as one page of charts (PNG).",
)
def command(design: Path, section: str | None, figure: Path | None) -> None:
    """Show what DESIGN contains as tables, with what its numbers come to: hits and seconds to defeat, seconds
    to empty and fill, income, prices, stars, levels.

    SECTION is one of actors, fights, meters, statuses, pickups, goods, income, exchanges, rules, matches,
    ratings, levels, quests, achievements.

    \b
    Examples:
      cleaver show lanternreef.toml
      cleaver show lanternreef.toml fights
      cleaver show lanternreef.toml --figure numbers.png
    """
    if section is not None and section not in SECTIONS:
        raise UnknownNameError("section", section, tuple(SECTIONS))
    loaded = load_design(design)
    numbers = numbers_of(loaded)
    console = Console(highlight=False)
    shown = tables_of(loaded, numbers, section or "")
    for number, (heading, table) in enumerate(shown):
        console.print(f"{chr(10) if number else ''}[bold]{heading}[/bold]")
        console.print(table)
    if not shown:
        say(f"{design.name} has no {section or 'content'}")
    if figure is not None:
        from cleaver.figures.overview import overview  # matplotlib is slow to import

        say(f"Drawn: {overview(numbers, figure, title=loaded.title)}")
