"""`cleaver journal`: what a running game has written down."""

from __future__ import annotations

from pathlib import Path

import click

from cleaver.cli.options import script_type
from cleaver.cli.printing import say
from cleaver.rounding import counted


@click.group("journal")
def command() -> None:
    """Work with journals: scripts that a running game wrote (cleaver.journal).

    \b
    Example:
      cleaver journal cut session.play --from 120 --to 135 --out bug.play
    """


@command.command("cut")
@click.argument("file", type=script_type())
@click.option("--from", "start", type=float, metavar="SECONDS", help="From when; by default its beginning.")
@click.option("--to", "end", type=float, metavar="SECONDS", help="Until when; by default its end.")
@click.option(
    "--out",
    required=True,
    metavar="FILE",
    type=click.Path(path_type=Path, dir_okay=False),
    help="The new script; its files stand in FILE.files.",
)
def cut_command(file: Path, start: float | None, end: float | None, out: Path) -> None:
    """Write a stretch of the journal FILE as a script of its own, with the world as it stood."""
    from cleaver.journals.cutting import cut  # the rules are slow to load

    made = cut(file, out, start, end)
    say(f"{out}: {counted(made.commands, 'command')} from {made.start:g} s to {made.end:g} s")
    say(f"play it with: cleaver play {made.design} {out}")
