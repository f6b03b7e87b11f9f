"""`cleaver test`: every script played, with what failed and what came differently than kept."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

import click
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

from cleaver.cli.options import DASH, FileOf, form_option, script_type, write_out
from cleaver.cli.printing import console, say, say_json
from cleaver.errors import UsageError
from cleaver.rounding import counted
from cleaver.script.suite import TIMEOUT, Verdict, cores, find_scripts, run
from cleaver.script.verdicts import junit_of, plain_verdict, verdict_lines, verdict_summary, write_junit


@click.command("test")
@click.argument("paths", nargs=-1, type=script_type())
@click.option(
    "--design", type=FileOf(".toml", ".json"), help="The design of every script; else each one's own."
)
@click.option(
    "--update",
    is_flag=True,
    help="Keep the events of each script beside it, for later runs to be compared with.",
)
@click.option("-k", "named", metavar="TEXT", default="", help="Only scripts whose path holds TEXT.")
@click.option("-x", "first", is_flag=True, help="Stop at the first script that does not pass.")
@click.option("-v", "verbose", is_flag=True, help="A line for every script, also where all holds.")
@click.option("--junit", type=FileOf(".xml"), metavar="FILE", help="Write the results as JUnit XML.")
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
    help=f"How long one script may take; by default {TIMEOUT:g} s. Not on Windows.",
)
@click.option("--variant", metavar="NAME", default="", help="The variant under which all are played.")
@form_option()
def command(
    paths: tuple[Path, ...],
    design: Path | None,
    update: bool,
    named: str,
    first: bool,
    verbose: bool,
    junit: Path | None,
    jobs: int,
    timeout: float,
    variant: str,
    form: str,
) -> None:
    """Play the scripts at PATHS (files or folders; by default this folder) and show which expectations fail.

    A script is played under the design that its first line names (# design: FILE), or the only one beside or
    above it. Where a baseline stands beside a script, the first event that differs from it is shown, with
    what has changed in the design since.

    Exit code 0 where all holds, 1 where something does not, 2 where a script cannot be played. Ctrl-C ends it
    with what was played until then.

    \b
    Examples:
      cleaver test
      cleaver test --update scripts
      cleaver test -x -k dive
      cleaver test --junit results.xml --jobs 2
    """
    scripts = [script for script in find_scripts(paths or (Path(),)) if named in script.as_posix()]
    if not scripts:
        raise UsageError(f"no script there has {named!r} in its path; leave -k out to play all")
    verdicts, stopped = _played(
        run(scripts, design, jobs=jobs, update=update, timeout=timeout, variant=variant),
        len(scripts),
        min(jobs or cores(), len(scripts)),
        first=first,
    )
    found = [verdicts[script] for script in scripts if script in verdicts]
    if form == "json":
        say_json([plain_verdict(verdict) for verdict in found])
    elif junit != DASH:  # else the XML alone goes to standard output
        _tell(found, update=update, verbose=verbose)
    if junit is not None:
        data = junit_of(found)
        write_out(data) if junit == DASH else write_junit(data, junit)
    if len(found) < len(scripts):
        say(f"{len(found)} of {counted(len(scripts), 'script')} were played", err=True)
    sys.exit(130 if stopped else max((verdict.exit_code for verdict in found), default=0))


def _played(
    verdicts: Iterator[Verdict], count: int, jobs: int, *, first: bool
) -> tuple[dict[Path, Verdict], bool]:
    """Return how each script went, by its path, and whether somebody stopped it meanwhile."""
    found: dict[Path, Verdict] = {}
    try:
        for verdict in _watched(verdicts, count, jobs):
            found[verdict.script] = verdict
            if first and not verdict.passed:
                break
    except KeyboardInterrupt:
        return found, True
    return found, False


def _tell(found: list[Verdict], *, update: bool, verbose: bool) -> None:
    for verdict in found:
        if verbose and verdict.passed:
            say(f"✓ {verdict.script}: {verdict.held} hold, {verdict.seconds:.2f} s")
        for line in verdict_lines(verdict):
            wrong = line.startswith("✗")
            say(line, fg="bright_red" if wrong else None, bold=wrong or None)
    passed = all(verdict.passed for verdict in found)
    say(verdict_summary(found, update=update), fg="green" if passed else "bright_red")


def _watched(verdicts: Iterator[Verdict], count: int, jobs: int) -> Iterator[Verdict]:
    """Pass verdicts on, with a progress bar where somebody is watching."""
    out = console(err=True)
    wide = out.width >= 100
    columns = [
        *((TextColumn("playing"), BarColumn(40)) if wide else ()),
        MofNCompleteColumn(),
        *((TextColumn(f"on {counted(jobs, 'core')}"),) if wide else ()),
        TextColumn("[bold red]{task.fields[bad]}"),
    ]
    if not sys.stderr.isatty() or out.is_dumb_terminal:
        yield from verdicts
        return
    # No thread of its own: processes are forked while this runs.
    with Progress(*columns, console=out, transient=True, auto_refresh=False) as progress:
        task = progress.add_task("", total=count, bad="")
        bad = 0
        for verdict in verdicts:
            bad += not verdict.passed
            progress.update(
                task,
                advance=1,
                bad=f"{bad} {'does' if bad == 1 else 'do'} not pass" if bad else "",
                refresh=True,
            )
            yield verdict
