"""`cleaver demo`: the sample dive, printed, drawn and saved."""

from __future__ import annotations

from pathlib import Path

import click
from platformdirs import user_data_path

from cleaver import sample
from cleaver.cli.dive import tell_dive
from cleaver.cli.printing import say
from cleaver.design.design import load_design
from cleaver.errors import MissingExtraError
from cleaver.figures.timeline import Recorder, draw
from cleaver.opening import open_store
from cleaver.script import Session, play


@click.command("demo")
@click.option(
    "--out",
    type=click.Path(file_okay=False, path_type=Path),
    default=Path("."),
    show_default="this folder",
    help="Where timeline.png goes.",
)
@click.option("--store", metavar="URL", help="Where the diver is saved; by default in your own data folder.")
@click.option("--no-figure", is_flag=True, help="Do not draw the timeline.")
def command(out: Path, store: str | None, no_figure: bool) -> None:
    """Play a Lanternreef dive: a sting through the visor, thin air, a kit, pearls, scrip, and a save to come
    back to.

    \b
    Example:  cleaver demo --out /tmp
    """
    design = load_design(sample.path("lanternreef.toml"))
    where = store or f"sqlite:///{_data_folder() / 'demo.db'}"
    with open_store(where, design) as opened:
        session = Session(design, store=opened)
        recorder = Recorder("ana")
        lines = sample.path("dive.play").read_text(encoding="utf-8").splitlines()
        tell_dive(session, recorder, lines, play)
        place = opened.label if store else str(_data_folder() / "demo.db")
        again = "" if opened.in_memory else " Play the demo again and she comes back with her scrip."
    say(f"Saved: ana in {place}.{again}")
    if no_figure:
        return
    out.mkdir(parents=True, exist_ok=True)
    try:
        drawn = draw(recorder, out / "timeline.png", title="Lanternreef: ana's dive")
    except MissingExtraError as missing:
        say(f"No figure: {missing}")
    else:
        say(f"Drawn: {drawn}")


def _data_folder() -> Path:
    return user_data_path("cleaver", appauthor=False, ensure_exists=True)
