"""Printing: everything the commands print, with nothing in it that steers the terminal. Start at `say`."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from cleaver.visible import visible

if TYPE_CHECKING:
    from rich.text import Text


def say(
    text: str = "", *, err: bool = False, nl: bool = True, fg: str | None = None, bold: bool | None = None
) -> None:
    """Print a text; *fg* and *bold* are as with `click.style`."""
    click.secho(visible(text), err=err, nl=nl, fg=fg, bold=bold)


def cell(text: object) -> Text:
    """Return a text for a table, as it stands: no markup, nothing that steers the terminal."""
    from rich.text import Text  # slow to import, and `--help` prints no tables

    return Text(visible(str(text)))


def within(text: object) -> str:
    """Return a text that may stand within markup."""
    from rich.markup import escape  # as above

    return escape(visible(str(text)))
