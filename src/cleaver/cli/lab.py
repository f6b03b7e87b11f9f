"""`cleaver lab`: asks a trial questions, by playing a design many times by chance."""

from __future__ import annotations

import sys
from collections.abc import Callable
from math import isfinite
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from cleaver.cli.options import ChoiceOf, FileOf, form_option, one_output, table_option, write_table
from cleaver.cli.printing import say, say_json, say_table, within
from cleaver.errors import CleaverError, MissingExtraError, UsageError

if TYPE_CHECKING:
    from cleaver.lab import Lab

COMMON: list[Callable[[Any], Any]] = [
    click.argument("trial", type=FileOf(".toml", ".json")),
    click.option(
        "--sessions", type=click.IntRange(1), default=400, show_default=True, help="How many are played."
    ),
    click.option("--seed", type=int, default=0, show_default=True, help="Of all luck."),
    click.option("--only", metavar="PLAYER", default="", help="One kind of player alone."),
    click.option(
        "--jobs",
        type=click.IntRange(0, 256),
        default=0,
        metavar="N",
        help="How many processes play; by default one per core.",
    ),
    click.option(
        "--dask", metavar="ADDRESS", default="", help="Of a cluster's scheduler, in place of processes."
    ),
    click.option("--cache", metavar="DIR", default="", help="Keep what is played, and go on from it."),
    form_option(),
]


def _trial(context: click.Context) -> Any:
    from cleaver.lab.loading import load_trial  # only where Tab asks

    return load_trial(context.params["trial"])


def _keys(context: click.Context) -> list[str]:
    numbers = _trial(context).design.keys()
    return [number.key for number in numbers]


MEASURE = ChoiceOf(lambda context: _trial(context).tables.measures)
OVER = ChoiceOf(lambda context: _trial(context).fan)
KEY = ChoiceOf(_keys)
CHANGE = ChoiceOf(lambda context: [f"{key}=" for key in _keys(context)])
FIGURE = click.option(
    "--figure", type=FileOf(".png", dir_okay=False), metavar="FILE", help="Draw the answer."
)


@click.group("lab")
def command() -> None:
    """Play a design many times by chance, and answer questions about it.

    A TRIAL is a TOML file beside a design: a setup, kinds of players, habits, an end, measures.

    \b
    Examples:
      cleaver lab run trials/dive.toml --sessions 40
      cleaver lab compare trials/dive.toml actors.diver.guard.armour=5 --sessions 40
    """


def asking(function: Callable[..., None]) -> Callable[..., None]:
    """Give a command what all questions take."""
    for option in reversed(COMMON):
        function = option(function)
    return function


def lab_of(trial: Path, **given: Any) -> Lab:
    """Return the trial in a file, with where and how often it is played."""
    try:
        from cleaver.lab import Dask, Lab, Processes
    except ImportError as error:
        if isinstance(error, MissingExtraError):
            raise
        raise MissingExtraError("playing many sessions", "lab") from None
    engine = Dask(given["dask"]) if given["dask"] else Processes(given["jobs"])
    return Lab(
        trial,
        seed=given["seed"],
        sessions=given["sessions"],
        only=given["only"],
        engine=engine,
        cache=given["cache"],
        on_progress=_Bar() if sys.stderr.isatty() else None,
    )


class _Bar:
    """Says on the terminal how far it is, and how long it may still take."""

    def __init__(self) -> None:
        from time import monotonic

        self.now, self.began, self.before = monotonic, monotonic(), 0

    def __call__(self, done: int, total: int) -> None:
        if done <= self.before:
            self.began = self.now()
        self.before = done
        passed = self.now() - self.began
        left = f", {passed / done * (total - done):.0f} s left" if done else ""
        told = f"{done} of {total} sessions{left}" if done < total else ""
        sys.stderr.write(f"\r\x1b[K{told}")
        sys.stderr.flush()


def _guess() -> str:
    return "It rests on the guesses about players in the trial; `cleaver lab levers` shows how far."


def _tables() -> Any:
    from rich.table import Table  # slow to import, and `--help` needs none

    return Table(box=None, pad_edge=False, padding=(0, 3, 0, 0))


@command.command("run", short_help="say what each measure comes to")
@asking
@table_option(
    "--table",
    "Write all sessions as a table: .csv or .parquet, or - for CSV; above 100,000 Parquet is a folder of "
    "that name, with a file of each block.",
)
@click.option(
    "--figure",
    type=FileOf(".png", dir_okay=False),
    metavar="FILE",
    help="Draw a page; some thousand sessions more.",
)
@click.option("--measure", type=MEASURE, default="", help="What the page is about; the first unless given.")
@click.option("--target", type=float, default=None, help="What is wanted of it, for the page.")
def run(
    trial: Path,
    form: str,
    table: Path | None,
    figure: Path | None,
    measure: str,
    target: float | None,
    **given: Any,
) -> None:
    """Play it, and say what each measure comes to, by kind of player."""
    lab = lab_of(trial, **given)
    if measure:
        lab.shape.index(measure)  # before all is played
    from cleaver.lab.laboratory import MANY

    one_output(form, table)
    folder = table if table is not None and table.suffix == ".parquet" and lab.count > MANY else None
    if folder is not None:
        folder.mkdir(parents=True, exist_ok=True)
    found = lab.run(table="" if folder is None else str(folder.resolve()))
    if table is not None and folder is None:
        write_table(found.sessions.table(), table)
    if figure is not None:
        from cleaver.figures.lab import page

        page(lab.page(found, measure, target), figure)
    if form == "json":
        say_json(found.data)
        return
    say(f"{found.title}: {len(found.sessions)} sessions, seed {found.seed}")
    rows = _tables()
    titles = ["measure", "players", "value", "95 % interval", "spread"]
    for title in (*titles, *(["guesses ± 10 %"] if found.guesses else [])):
        rows.add_column(title, no_wrap=title in ("measure", "players"))
    for name, by in found.measures.items():
        for number, (group, one) in enumerate(by.items()):
            band = _band(found.guesses.get(name), one.kind == "truth") if group == "all" else ""
            rows.add_row(*map(within, ("" if number else name, group, *one.cells, band)[: len(rows.columns)]))
    say_table(rows)
    if found.odd:
        odd = "; ".join(f"{number} ({why})" for number, why in found.odd)
        say(f"The oddest sessions: {odd}")
        say(f"Look at one with: cleaver lab replay {trial} {found.odd[0][0]} --out DIR")
    say(_guess())


def _band(both: tuple[float, float] | None, truth: bool) -> str:
    from cleaver.lab.answers import percent_said, short

    if both is None:
        return ""
    low, high = (percent_said(one) if truth else short(one) for one in both)
    return f"{low} … {high}"


@command.command("compare", short_help="say what another design changes")
@asking
@click.argument("changes", type=CHANGE, nargs=-1, required=True, metavar="KEY=VALUE|DESIGN…")
def compare(trial: Path, changes: tuple[str, ...], form: str, **given: Any) -> None:
    """Play it under the design and under another one, with the same luck, and say what differs."""
    lab = lab_of(trial, **given)
    found = lab.compare(_changed(lab, changes))
    if form == "json":
        say_json(found.data)
        return
    for change in found.changes:
        say(change)
    say(f"{found.count} sessions under the same luck; {found.same} are the same")
    rows = _tables()
    for title in ("measure", "before", "after", "difference", "95 % interval", "differ"):
        rows.add_column(title, no_wrap=title == "measure")
    for name, one in found.differences.items():
        before, after = found.before[name], found.after[name]
        step, low, high = _steps(one.estimate, before.kind == "truth")
        interval = one.note or f"{low} … {high}"
        rows.add_row(*map(within, (name, before.cells[0], after.cells[0], step, interval, f"{one.differ}")))
    say_table(rows)
    say(_guess())


def _steps(estimate: Any, truth: bool) -> tuple[str, ...]:
    from cleaver.lab.answers import short

    def told(value: float) -> str:
        if not isfinite(value):
            return "–"
        text = f"{abs(value) * 100:.1f} points" if truth else short(abs(value))
        return f"{'+' if value > 0 else '−' if value < 0 else ''}{text}"

    return tuple(told(value) for value in estimate)


def _changed(lab: Lab, changes: tuple[str, ...]) -> Any:
    if len(changes) == 1 and "=" not in changes[0]:
        from cleaver.cli.options import design_at

        return design_at(Path(changes[0])).with_values(lab.trial.tables.set)
    values: dict[str, Any] = {}
    for change in changes:
        key, equals, word = change.partition("=")
        if not equals or not key:
            raise UsageError(
                f"{change!r} is neither KEY=VALUE nor alone; write KEY=VALUE…, or one design file"
            )
        values[key] = _value(word)
    return values


def _value(word: str) -> Any:
    from cleaver.script.lines import to_number

    try:
        return to_number("VALUE", word)
    except CleaverError:
        return word


def _values(text: str) -> list[float]:
    """Return values as written: 5,10,15 or 5..20 or 5..20:4."""
    from cleaver.lab.bench import spread

    try:
        low, dots, rest = text.partition("..")
        if not dots:
            return [float(part) for part in text.split(",")]
        high, _, count = rest.partition(":")
        return spread(float(low), float(high), int(count or 6))
    except ValueError:
        raise UsageError(f"{text!r} are no values; write 5,10,15 or 5..20 or 5..20:4") from None


@command.command("sweep", short_help="look at several values of a key")
@asking
@click.argument("key", type=KEY)
@click.argument("values")
@click.argument("other", nargs=-1, metavar="[KEY VALUES]")
@click.option("--measure", type=MEASURE, default="", help="Which one; the first unless given.")
@click.option("--target", type=float, default=None, help="Drawn as a line, or as a contour.")
@FIGURE
def sweep(
    trial: Path,
    key: str,
    values: str,
    other: tuple[str, ...],
    measure: str,
    target: float | None,
    figure: Path | None,
    form: str,
    **given: Any,
) -> None:
    """Play it at several values of KEY, or of two keys, and say how a measure moves."""
    if len(other) not in (0, 2):
        raise UsageError("a second key has values too: write KEY VALUES KEY VALUES")
    lab = lab_of(trial, **given)
    second = (other[0], _values(other[1])) if other else None
    found = lab.sweep(key, _values(values), second, measure=measure)
    if figure is not None:
        from cleaver.figures.lab import draw_sweep

        draw_sweep(found, target, figure)
    if form == "json":
        say_json(found.data)
        return
    say(f"{found.measure} over {' and '.join(found.keys)}, {found.count} sessions each, under the same luck")
    for name, present in zip(found.keys, found.now, strict=True):
        say(f"{name} is {'a formula' if present is None else f'{present:g}'} now")
    rows = _tables()
    for title in (*found.keys, found.measure, "95 % interval", "spread"):
        rows.add_column(within(title))
    for point, one in found.found.items():
        rows.add_row(*(f"{value:g}" for value in point), *map(within, one.cells))
    say_table(rows)
    say(_guess())


@command.command("solve", short_help="find the value that meets a target")
@asking
@click.argument("key", type=KEY)
@click.argument("measure", type=MEASURE)
@click.argument("target", type=float)
@click.option(
    "--from", "low", type=float, default=None, help="The least value; a quarter of the present one."
)
@click.option(
    "--to", "high", type=float, default=None, help="The greatest value; four times the present one."
)
@FIGURE
def solve(
    trial: Path,
    key: str,
    measure: str,
    target: float,
    low: float | None,
    high: float | None,
    figure: Path | None,
    form: str,
    **given: Any,
) -> None:
    """Find the value of KEY at which MEASURE meets TARGET (a share from 0 to 1, or a mean)."""
    lab = lab_of(trial, **given)
    found = lab.solve(key, measure, target, low=low, high=high)
    if figure is not None:
        from cleaver.figures.lab import draw_solved

        draw_solved(found, figure)
    if form == "json":
        say_json(found.data)
        return
    from cleaver.lab.answers import short

    truth = lab.shape.kinds[lab.shape.index(measure)] == "truth"
    wanted = f"{target:.0%}" if truth else f"{target:g}"
    if found.answer is None:
        say(f"{measure} = {wanted}: {found.why}")
    else:
        value, least, most = map(short, found.answer)
        say(
            f"{key} = {value} ({least} … {most}) for {measure} = {wanted}"
            + (f"; {found.why}" if found.why else "")
        )
    if found.confirmed is not None:
        value, interval, _ = found.confirmed.cells
        say(f"confirmed with {found.confirmed.count} fresh sessions: {value} ({interval})")
    if found.guesses is not None:
        say(f"with the guesses about players a tenth less and more: {_band(found.guesses, truth)}")
    present = "a formula" if found.now is None else f"{found.now:g}"
    say(f"{key} is {present} now; {found.count} sessions were played")
    if found.answer is None:
        say(f"Stronger numbers may be found with: cleaver lab levers {trial} {measure}")
    say(_guess())


@command.command("levers", short_help="say which numbers matter")
@asking
@click.argument("measure", type=MEASURE)
@FIGURE
def levers(trial: Path, measure: str, figure: Path | None, form: str, **given: Any) -> None:
    """Move every number of the design, and every guess about players, by a tenth, and say which matter."""
    lab = lab_of(trial, **given)
    found = lab.levers(measure)
    if figure is not None:
        from cleaver.figures.lab import draw_levers

        draw_levers(found, figure)
    if form == "json":
        say_json(found.data)
        return
    say(f"{measure} is {found.now.cells[0]} now")
    say(f"{found.looked} numbers were moved by a tenth, under the same luck")
    for guess, title in ((False, "number of the design"), (True, "guess about players")):
        rows = _tables()
        for column in (title, "now", "a tenth less", "a tenth more", ""):
            rows.add_column(within(column))
        those = [one for one in found.found if one.guess == guess]
        for one in those[:10]:
            steps = [_steps(side.estimate, found.kind == "truth")[0] for side in (one.down, one.up)]
            rows.add_row(*map(within, (one.key, f"{one.now:g}", *steps, "cliff" if one.cliff else "")))
        if those:
            say_table(rows)
    if not found.found:
        say("Nothing moves it.")


@command.command("when", short_help="say who has not reached a time yet")
@asking
@click.argument("measure", type=MEASURE)
@FIGURE
def when(trial: Path, measure: str, figure: Path | None, form: str, **given: Any) -> None:
    """Say how many have not reached MEASURE, a time, by when."""
    lab = lab_of(trial, **given)
    found = lab.when(measure)
    if figure is not None:
        from cleaver.figures.lab import draw_when

        draw_when(measure, found, figure)
    reached = [float(curve.times[-1]) for curve in found.values() if len(curve.times)]
    whole = all(curve.at(max(reached, default=0.0)) == 0 for curve in found.values())
    longest = max(reached) if whole and reached else lab.shape.longest
    times = [longest * part / 8 for part in range(1, 9)]
    if form == "json":
        say_json(
            {group: [{"time": at, "left": curve.at(at)} for at in times] for group, curve in found.items()}
        )
        return
    say(f"{measure}: who has not reached it, by seconds (Kaplan–Meier: as if all had gone on)")
    rows = _tables()
    for title in ("players", *(f"{at:.0f} s" for at in times), "half by"):
        rows.add_column(title)
    for group, curve in found.items():
        half = curve.quantile(0.5).value
        rows.add_row(
            group, *(f"{curve.at(at):.0%}" for at in times), f"{half:.0f} s" if isfinite(half) else "never"
        )
    say_table(rows)
    say(_guess())


@command.command("over", short_help="say how a value goes over time")
@asking
@click.argument("name", type=OVER)
@FIGURE
def over(trial: Path, name: str, figure: Path | None, form: str, **given: Any) -> None:
    """Say how NAME, a value over time, goes: its quantiles, and how many go on."""
    lab = lab_of(trial, **given)
    times, quantiles, left = lab.over(name)
    if figure is not None:
        from cleaver.figures.lab import draw_over

        draw_over(name, times, quantiles, left, figure)
    titles = ("10 %", "25 %", "50 %", "75 %", "90 %")
    if form == "json":
        say_json(
            [
                {"time": float(at), "left": float(on), **dict(zip(titles, map(float, row), strict=True))}
                for at, row, on in zip(times, quantiles, left, strict=True)
            ]
        )
        return
    from cleaver.lab.answers import short

    rows = _tables()
    for title in ("seconds", *titles, "go on"):
        rows.add_column(title)
    for at, row, on in zip(times, quantiles, left, strict=True):
        rows.add_row(f"{at:g}", *(short(float(value)) for value in row), f"{on:.0%}")
    say_table(rows)
    say(_guess())


@command.command("replay", short_help="write a session as a script")
@asking
@click.argument("number", type=click.IntRange(0))
@click.option(
    "--out", type=click.Path(path_type=Path, file_okay=False), required=True, metavar="DIR", help="Where."
)
def replay(trial: Path, number: int, out: Path, form: str, **given: Any) -> None:
    """Write session NUMBER as a script with its design, for play, why and test."""
    written = lab_of(trial, **given).replay(number, out)
    if form == "json":
        say_json([str(path) for path in written])
        return
    design, script = written
    say(f"{script}\nplay it with: cleaver play {design} {script}")
