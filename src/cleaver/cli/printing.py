"""Printing: everything the commands print goes through here.

One console says how wide the terminal is, whether there are colours, and which signs it can show; nothing of
what is printed steers the terminal. Start at `say`.
"""

from __future__ import annotations

import json
import os
import shutil
import sys
from typing import IO, TYPE_CHECKING, Any

import click

from cleaver.visible import plainer, visible

if TYPE_CHECKING:
    from rich.console import Console
    from rich.table import Table
    from rich.text import Text

ENDLESS = 100_000  # columns, where nothing is wrapped
GAP = 3  # columns between two columns of a table


def coloured(stream: IO[str]) -> bool:
    """Return whether to colour what goes to *stream*: never with NO_COLOR, always with FORCE_COLOR, else on a
    terminal that is not "dumb"."""
    if os.environ.get("NO_COLOR"):
        return False
    if os.environ.get("FORCE_COLOR"):
        return True
    return stream.isatty() and os.environ.get("TERM", "dumb" if os.name == "posix" else "") != "dumb"


def columns(stream: IO[str]) -> int:
    """Return how many columns a line may have: COLUMNS, else those of the terminal; no limit in a pipe."""
    if not stream.isatty() and not os.environ.get("COLUMNS"):
        return ENDLESS
    return shutil.get_terminal_size().columns


def console(*, err: bool = False) -> Console:
    """Return what prints tables, and lines with markup."""
    from rich.console import Console  # slow to import, and `--help` prints no tables

    stream = sys.stderr if err else sys.stdout
    colours = coloured(stream)
    forced = colours and (not stream.isatty() or os.environ.get("TERM", "dumb") == "dumb")
    return Console(
        stderr=err,
        highlight=False,
        width=columns(stream),
        color_system=("standard" if forced else "auto") if colours else None,
        force_terminal=True if forced else None,
    )


def say(
    text: str = "",
    *,
    err: bool = False,
    nl: bool = True,
    fg: str | None = None,
    bold: bool | None = None,
    wrap: bool = True,
    lead: str = "",
) -> None:
    """Print a text, with whole words in each line of a terminal unless it is code (*wrap* False).

    *fg* and *bold* are as with `click.style`; *lead* is a bold beginning.
    """
    stream = sys.stderr if err else sys.stdout
    lead, text = printable(lead, stream), printable(lead + text, stream)
    width = columns(stream)
    if wrap and stream.isatty() and any(len(line) > width for line in text.splitlines()):
        text = "\n".join(_wrapped(line, width) for line in text.split("\n"))
    if lead and text.startswith(lead):
        text = click.style(lead, bold=True) + text[len(lead) :]
    # The stream is named, as click takes one of its own where the encoding is ASCII, and writes UTF-8 there.
    click.secho(text, file=stream, nl=nl, fg=fg, bold=bold, color=coloured(stream))


def say_json(data: Any, *, sort_keys: bool = False) -> None:
    """Print data for programs: JSON of ASCII characters."""
    click.echo(json.dumps(data, indent=2, sort_keys=sort_keys), file=sys.stdout)


def _wrapped(line: str, width: int) -> str:
    if len(line) <= width:
        return line
    import textwrap  # only for what is too long

    hanging = " " * (len(line) - len(line.lstrip(" ")) + 2)
    return textwrap.fill(
        line,
        width,
        subsequent_indent=hanging,
        break_long_words=False,
        break_on_hyphens=False,
        replace_whitespace=False,
    )


def say_table(table: Table) -> None:
    """Print a table; where its words do not fit beside each other, each row as a paragraph."""
    out = console()
    if _fitted(table, out.width):
        with out.capture() as captured:
            out.print(table)
        rows = captured.get().splitlines()
    else:
        rows = _paragraphs(table)
    for row in rows:
        click.echo(row.rstrip(), file=sys.stdout, color=coloured(sys.stdout))


def _fitted(table: Table, width: int) -> bool:
    """Give the columns of a table widths in which words stay whole; return False where there is no room."""
    least, most = [], []
    for column in table.columns:
        lines = [line for one in (column.header, *column.cells) for line in _words(one).splitlines()]
        most.append(max(map(len, lines), default=0))
        parts = lines if column.no_wrap else [word for line in lines for word in line.split()]
        least.append(max(map(len, parts), default=0))
    room = width - sum(least) - GAP * (len(least) - 1)
    if room < 0:
        return False
    for _ in range(min(room, sum(most) - sum(least))):
        wanting = [number for number, now in enumerate(least) if now < most[number]]
        least[min(wanting, key=least.__getitem__)] += 1
    for column, fitting in zip(table.columns, least, strict=True):
        column.width = fitting
    return True


def _paragraphs(table: Table) -> list[str]:
    """Return the rows of a table as text: the first cell, then each of the others under its title."""
    rows = []
    width = columns(sys.stdout)
    for cells in zip(*(column.cells for column in table.columns), strict=True):
        for number, (column, inside) in enumerate(zip(table.columns, cells, strict=True)):
            text = _words(inside)
            if text.strip() and number:
                title = _words(column.header)
                text = f"  {title}: " * bool(title) + ", ".join(line.strip() for line in text.splitlines())
            if text.strip():
                rows += _wrapped(text.rstrip() if number else text.strip(), width).splitlines()
    return rows


def _words(cell: object) -> str:
    from rich.text import Text  # slow to import, and few need it

    return cell.plain if isinstance(cell, Text) else Text.from_markup(str(cell)).plain


def printable(text: str, stream: Any = None) -> str:
    """Return a text as *stream* (standard output) can show it."""
    return plainer(visible(text), getattr(stream or sys.stdout, "encoding", None) or "utf-8")


def cell(text: object) -> Text:
    """Return a text for a table, as it stands: no markup, nothing that steers the terminal."""
    from rich.text import Text  # slow to import, and few need it

    return Text(printable(str(text)))


def within(text: object) -> str:
    """Return a text that may stand within markup."""
    from rich.markup import escape  # slow to import, and few need it

    return escape(printable(str(text)))
