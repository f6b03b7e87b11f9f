"""`cleaver why`: how a value came to be what it is at the end of a script."""

from __future__ import annotations

from pathlib import Path

import click

from cleaver.cli.printing import say
from cleaver.design.design import load_design
from cleaver.hud.telling import tale
from cleaver.script import Session, play
from cleaver.script.files import read_script


@click.command("why")
@click.argument("design", type=click.Path(path_type=Path))
@click.argument("script", type=click.Path(path_type=Path))
@click.argument("path")
def command(design: Path, script: Path, path: str) -> None:
    """Play SCRIPT under DESIGN, then explain how the value at PATH came to be, back to where it began.

    \b
    Example:  cleaver why lanternreef.toml dive.play ana.suit
    """
    session = Session(load_design(design), history=100_000, folder=script.parent)
    play(session, read_script(script), file=script.name)
    for line in tale(session.world.why(path)):
        say(line)
