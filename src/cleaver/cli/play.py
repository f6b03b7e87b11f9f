"""`cleaver play`: a design played from a script, a pipe or a prompt."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import click

from cleaver import tables
from cleaver.cli.options import (
    DASH,
    StoreUrl,
    design_argument,
    design_at,
    form_option,
    one_output,
    script_type,
    table_option,
    variant_option,
    write_table,
)
from cleaver.cli.printing import say, say_json
from cleaver.core.kernel.events import Event
from cleaver.core.world import HISTORY
from cleaver.design.near import names_variant
from cleaver.design.watch import Watch
from cleaver.errors import UsageError
from cleaver.opening import open_store
from cleaver.prompt.live import Live
from cleaver.prompt.plain import converse
from cleaver.script import Session, Step, play
from cleaver.script.files import read_script
from cleaver.script.recording import Recording
from cleaver.script.runner import step_lines
from cleaver.script.suite import design_named

ALL = 10_000_000  # gains and losses that are kept where a table of them is asked for


@click.command("play")
@design_argument()
@click.argument("script", type=script_type(), required=False)
@click.option(
    "--store",
    metavar="URL",
    type=StoreUrl(),
    help="Where profiles are kept, such as sqlite:///saves.db; by default in memory.",
)
@click.option(
    "--record",
    "recorded",
    metavar="FILE",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Write what is typed as a script into a new FILE.",
)
@table_option("--events", "Write the events of a script as a table: .csv or .parquet, or - for CSV.")
@table_option("--books", "Write every gain and loss of goods as a table, in the same way.")
@click.option(
    "--watch", is_flag=True, help="Go on under the design as it is saved in an editor (at the prompt)."
)
@click.option("--plain", is_flag=True, help="Play line by line, not full screen.")
@click.option("--quiet", is_flag=True, help="Print only expectations that failed, and the summary.")
@variant_option()
@form_option()
def command(
    design: Path,
    script: Path | None,
    store: str | None,
    recorded: Path | None,
    events: Path | None,
    books: Path | None,
    watch: bool,
    plain: bool,
    quiet: bool,
    variant: str,
    form: str,
) -> None:
    """Play DESIGN with a SCRIPT, with lines from a pipe, or by hand: a live view of the terminal, where
    `help` says what can be typed. A script alone is played under the design that it names.

    Exit code 1 where an expectation does not hold, 2 where a line is wrong.

    \b
    Examples:
      cleaver play lanternreef.toml dive.play
      cleaver play dive.play
      echo "join diver ana" | cleaver play lanternreef.toml
      cleaver play lanternreef.toml --record mine.play
    """
    if design == DASH and (script is None or script == DASH):
        raise UsageError("the design and the script cannot both come from standard input")
    one_output(form, events, books)
    if script is None and design.suffix == ".play":  # a script alone: it names its design
        script, design = design, design_named(design, read_script(design))
    lines, name = _lines(script)
    if not variant and isinstance(lines, list):
        variant = names_variant(lines)
    loaded = design_at(design, variant)
    session = Session(
        loaded,
        store=click.get_current_context().with_resource(open_store(store, loaded)) if store else None,
        remember=script is None and sys.stdin.isatty(),
        folder=script.parent if script is not None and str(script) != "-" else None,
        history=ALL if books else HISTORY,
    )
    session.file = design
    if recorded is not None:
        session.recording = Recording(session, recorded, design, moving=watch)
    if session.past is not None:
        if events or books:
            raise UsageError("--events and --books need a script, or lines from a pipe")
        _prompt(session, plain, Watch(design, variant) if watch else None)
        return
    if watch:
        raise UsageError("--watch is for the prompt: leave the SCRIPT out, and type")
    piped = DASH in (events, books)  # then everything else goes to standard error
    steps: list[dict[str, Any]] = []
    told: list[Event] = []

    def tell(step: Step) -> None:
        if events:
            told.extend(step.events)
        if form == "json":
            steps.append(_plain(step, session.world.now))
        elif not quiet or step.failed:
            for line in step_lines(step, session.world.now, events=not quiet):
                say(line, err=piped)

    outcome = play(session, lines, file=name, tell=tell)
    write_table(tables.events(told), events)
    write_table(tables.books(session.world), books)
    if form == "json":
        counts = {"lines": outcome.lines, "held": outcome.held, "failed": outcome.failed}
        say_json({**counts, "steps": steps})
    elif outcome.held or outcome.failed:
        held = f"{outcome.held} of {outcome.held + outcome.failed} expectations hold"
        say(f"{outcome.lines} lines, {held}", err=piped)
    sys.exit(outcome.exit_code)


def _plain(step: Step, now: float) -> dict[str, Any]:
    return {
        "line": step.line,
        "text": step.text,
        "said": step.said,
        "failed": step.failed,
        "time": now,
        "events": [event.plain() for event in step.events],
    }


def _lines(script: Path | None) -> tuple[Iterable[str], str]:
    if script is None or str(script) == "-":
        return sys.stdin, "stdin"
    return read_script(script), script.name


def _prompt(session: Session, plain: bool, watch: Watch | None) -> None:
    """Let a person play: full screen where the terminal and textual allow it, else line by line."""
    live = Live(session, time.monotonic, watch)
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
