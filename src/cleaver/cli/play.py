"""`cleaver play`: a design played from a script, a pipe or a prompt."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from pathlib import Path

import click

from cleaver.design.design import load_design
from cleaver.errors import CleaverError
from cleaver.opening import open_store
from cleaver.script import Session, Step, play
from cleaver.script.files import read_script
from cleaver.script.lines import without_comment
from cleaver.script.recording import Recording
from cleaver.script.runner import carry_out, step_lines


@click.command("play")
@click.argument("design", type=click.Path(path_type=Path))
@click.argument("script", type=click.Path(path_type=Path, allow_dash=True), required=False)
@click.option("--store", metavar="URL", help="Where profiles are kept, such as sqlite:///saves.db; in memory unless given.")
@click.option("--record", "recorded", metavar="FILE", type=click.Path(path_type=Path, dir_okay=False), help="Write what is typed as a script into a new FILE.")
@click.option("--quiet", is_flag=True, help="Tell only expectations that failed, and the summary.")
def command(design: Path, script: Path | None, store: str | None, recorded: Path | None, quiet: bool) -> None:
    """Play DESIGN with a SCRIPT, with lines from a pipe, or at a prompt.

    Exit code 1 where an expectation does not hold, 2 where a line is wrong.

    \b
    Examples:
      cleaver play lanternreef.toml dive.play
      echo "join diver ana" | cleaver play lanternreef.toml
    """
    loaded = load_design(design)
    session = Session(loaded, store=open_store(store, loaded) if store else None, remember=script is None and sys.stdin.isatty(),
                      folder=script.parent if script is not None and str(script) != "-" else None)
    session.file = design
    if recorded is not None:
        session.recording = Recording(session, recorded, design)
    if session.remember:
        _prompt(session)
        return
    lines, name = _lines(script)

    def tell(step: Step) -> None:
        if not quiet or step.failed:
            for line in step_lines(step, session.world.now, facts=not quiet):
                click.echo(line)

    outcome = play(session, lines, file=name, tell=tell)
    if outcome.held or outcome.failed:
        click.echo(f"{outcome.lines} lines, {outcome.held} of {outcome.held + outcome.failed} expectations hold")
    sys.exit(outcome.exit_code)


def _lines(script: Path | None) -> tuple[Iterable[str], str]:
    if script is None or str(script) == "-":
        return sys.stdin, "stdin"
    return read_script(script), script.name


def _prompt(session: Session) -> None:
    """Take lines from a person: a wrong one is told and taken back, nothing ends the session but quit."""
    click.echo(f"{session.design.title}. Type help for what can be said, quit to end.")
    number = 0
    while True:
        try:
            text = without_comment(click.prompt("", prompt_suffix="> ", default="", show_default=False))
        except (click.Abort, EOFError):
            click.echo()
            return
        if text in ("quit", "exit"):
            return
        if not text:
            continue
        number += 1
        try:
            step = carry_out(session, number, text)
        except CleaverError as error:
            click.echo(f"  {error}")
            continue
        for line in step_lines(step, session.world.now):
            click.echo(line)
