"""`cleaver show`: what a design contains, and what its numbers come to."""

from __future__ import annotations

from pathlib import Path

import click

from cleaver.cli.options import ChoiceOf, FileOf, design_argument, design_at, form_option, variant_option
from cleaver.cli.printing import say, say_json, say_table
from cleaver.design.design import Design
from cleaver.errors import UnknownNameError
from cleaver.figures.contents import SECTIONS, rows_of, tables_of
from cleaver.figures.numbers import Numbers, numbers_of


@click.command("show")
@design_argument()
@click.argument("section", required=False, type=ChoiceOf(lambda context: SECTIONS))
@variant_option()
@form_option()
@click.option(
    "--figure",
    type=FileOf(".png"),
    metavar="FILE",
    help="Draw the numbers as one page of charts (PNG); of the stages where SECTION is stages.",
)
def command(design: Path, section: str | None, variant: str, form: str, figure: Path | None) -> None:
    """Show what DESIGN contains as tables, with what its numbers come to: hits and seconds to defeat, seconds
    to empty and fill, income, prices, stars, levels.

    SECTION is one of actors, fights, stats, abilities, meters, statuses, pickups, goods, income, exchanges,
    rules, stages, matches, ratings, levels, quests, achievements.

    \b
    Examples:
      cleaver show lanternreef.toml
      cleaver show lanternreef.toml fights
      cleaver show lanternreef.toml --figure numbers.png
      cleaver show lanternreef.toml stages --figure stages.png
    """
    if section is not None and section not in SECTIONS:
        raise UnknownNameError("section", section, tuple(SECTIONS))
    loaded = design_at(design, variant)
    numbers = numbers_of(loaded)
    if form == "json":
        say_json(rows_of(loaded, numbers, section or ""))
        _draw(figure, loaded, numbers, section, err=True)
        return
    shown = tables_of(loaded, numbers, section or "")
    for number, (heading, table) in enumerate(shown):
        say(f"{chr(10) if number else ''}{heading}", bold=True)
        say_table(table)
    if not shown:
        say(f"{design.name} has no {section or 'content'}")
    _draw(figure, loaded, numbers, section)


def _draw(
    figure: Path | None, design: Design, numbers: Numbers, section: str | None, *, err: bool = False
) -> None:
    if figure is None:
        return
    if section == "stages":
        from cleaver.figures.stages import stages  # matplotlib is slow to import

        drawn = stages(design, figure)
    else:
        from cleaver.figures.overview import overview  # slow to import, and few need it

        drawn = overview(numbers, figure, title=design.title)
    say(f"Drawn: {drawn}", err=err)
