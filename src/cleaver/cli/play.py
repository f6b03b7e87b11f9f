"""`cleaver play`: a design played from a script, a pipe or a prompt."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Iterable
from pathlib import Path

import click

from cleaver.cli.printing import say
from cleaver.design.design import load_design
from cleaver.opening import open_store
from cleaver.prompt.live import Live
from cleaver.prompt.plain import converse
from cleaver.script import Session, Step, play
from cleaver.script.files import read_script
from cleaver.script.recording import Recording
from cleaver.script.runner import step_lines


@click.command("play")
@click.argument("design", type=click.Path(path_type=Path))
@click.argument("script", type=click.Path(path_type=Path, allow_dash=True), required=False)
@click.option(
    "--store",
    metavar="URL",
    help="Where profiles are kept, such as sqlite:///saves.db; by default in memory.",
)
@click.option(
    "--record",
    "recorded",
    metavar="FILE",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Write what is typed as a script into a new FILE.",
)
@click.option("--plain", is_flag=True, help="Play line by line, not full screen.")
@click.option("--quiet", is_flag=True, help="Print only expectations that failed, and the summary.")
def command(
    design: Path, script: Path | None, store: str | None, recorded: Path | None, plain: bool, quiet: bool
) -> None:
    """Play DESIGN with a SCRIPT, with lines from a pipe, or by hand: a live view of the terminal, where
    `help` says what can be typed.

    Exit code 1 where an expectation does not hold, 2 where a line is wrong.

    \b
    Examples:
      cleaver play lanternreef.toml dive.play
      echo "join diver ana" | cleaver play lanternreef.toml
      cleaver play lanternreef.toml --record mine.play
    """
    loaded = load_design(design)
    session = Session(
        loaded,
        store=open_store(store, loaded) if store else None,
        remember=script is None and sys.stdin.isatty(),
        folder=script.parent if script is not None and str(script) != "-" else None,
    )
    session.file = design
    if recorded is not None:
        session.recording = Recording(session, recorded, design)
    if session.remember:
        _prompt(session, plain)
        return
    lines, name = _lines(script)

    def tell(step: Step) -> None:
        if not quiet or step.failed:
            for line in step_lines(step, session.world.now, events=not quiet):
                say(line)

    outcome = play(session, lines, file=name, tell=tell)
    if outcome.held or outcome.failed:
        say(f"{outcome.lines} lines, {outcome.held} of {outcome.held + outcome.failed} expectations hold")
    sys.exit(outcome.exit_code)


def _lines(script: Path | None) -> tuple[Iterable[str], str]:
    if script is None or str(script) == "-":
        return sys.stdin, "stdin"
    return read_script(script), script.name


def _prompt(session: Session, plain: bool) -> None:
    """Let a person play: full screen where the terminal and textual allow it, else line by line."""
    live = Live(session, time.monotonic)
    if not plain and sys.stdout.isatty() and os.environ.get("TERM", "dumb") != "dumb":
        try:
            from cleaver.prompt.screen import PlayApp  # textual is an extra, and slow to import
        except ImportError:
            say(
                "The full screen needs the extra 'prompt': pip install \"cleaver-progression[prompt]\". "
                "Playing line by line."
            )
        else:
            PlayApp(live).run()
            return
    converse(live)
