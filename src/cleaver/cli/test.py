"""`cleaver test`: every script played, with what failed and what came differently than kept."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

import click
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

from cleaver.cli.printing import say
from cleaver.rounding import counted
from cleaver.script.suite import TIMEOUT, Verdict, cores, find_scripts, run
from cleaver.script.verdicts import summary, verdict_lines, write_junit


@click.command("test")
@click.argument("paths", nargs=-1, type=click.Path(path_type=Path))
@click.option(
    "--design", type=click.Path(path_type=Path), help="The design of every script; else each one's own."
)
@click.option(
    "--update",
    is_flag=True,
    help="Keep the events of each script beside it, for later runs to be compared with.",
)
@click.option(
    "--junit",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write the results as JUnit XML.",
)
@click.option(
    "--jobs",
    type=click.IntRange(0, 256),
    default=0,
    metavar="N",
    help="How many scripts are played at a time; by default one per core.",
)
@click.option(
    "--timeout",
    type=click.FloatRange(0.01, 86_400),
    default=TIMEOUT,
    metavar="SECONDS",
    help=f"How long one script may take; by default {TIMEOUT:g} s.",
)
def command(
    paths: tuple[Path, ...], design: Path | None, update: bool, junit: Path | None, jobs: int, timeout: float
) -> None:
    """Play the scripts at PATHS (files or folders; by default this folder) and show which expectations fail.

    A script is played under the design that its first line names (# design: FILE), or the only one beside or
    above it. Where a baseline stands beside a script, the first event that differs from it is shown, with
    what has changed in the design since.

    Exit code 0 where all holds, 1 where something does not, 2 where a script cannot be played.

    \b
    Examples:
      cleaver test
      cleaver test --update scripts
      cleaver test --junit results.xml --jobs 2
    """
    scripts = find_scripts(paths or (Path(),))
    verdicts: dict[Path, Verdict] = {}
    for verdict in _watched(
        run(scripts, design, jobs=jobs, update=update, timeout=timeout),
        len(scripts),
        min(jobs or cores(), len(scripts)),
    ):
        verdicts[verdict.script] = verdict
    found = [verdicts[script] for script in scripts]
    for verdict in found:
        for line in verdict_lines(verdict):
            wrong = line.startswith("✗")
            say(line, fg="bright_red" if wrong else None, bold=wrong or None)
    if junit is not None:
        write_junit(found, junit)
    say(
        summary(found, update=update),
        fg="green" if all(verdict.passed for verdict in found) else "bright_red",
    )
    sys.exit(max(verdict.exit_code for verdict in found))


def _watched(verdicts: Iterator[Verdict], count: int, jobs: int) -> Iterator[Verdict]:
    """Pass verdicts on, with a progress bar where somebody is watching."""
    columns = (
        TextColumn("playing"),
        BarColumn(40),
        MofNCompleteColumn(),
        TextColumn(f"on {counted(jobs, 'core')}"),
        TextColumn("[bold red]{task.fields[bad]}"),
    )
    console = Console(stderr=True)
    if not console.is_terminal:
        yield from verdicts
        return
    # No thread of its own: processes are forked while this runs.
    with Progress(*columns, console=console, transient=True, auto_refresh=False) as progress:
        task = progress.add_task("", total=count, bad="")
        bad = 0
        for verdict in verdicts:
            bad += not verdict.passed
            progress.update(
                task,
                advance=1,
                bad=f"{counted(bad, 'script')} so far that {'does' if bad == 1 else 'do'} not pass"
                if bad
                else "",
                refresh=True,
            )
            yield verdict
