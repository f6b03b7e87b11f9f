"""The `cleaver` command: gathers the commands, turns errors into one line on stderr and an exit code.

0 is done, 1 an expectation or check that failed, 2 wrong use or bad input.
"""

from __future__ import annotations

import os
import sys
from importlib import import_module
from typing import Any

import click
from click.shell_completion import CompletionItem

from cleaver.cli.printing import say
from cleaver.errors import CleaverError
from cleaver.visible import SPARE

COMMANDS = {
    "new": "make a small working game to begin from",
    "demo": "play the sample dive, draw it, save it",
    "play": "play a design: a script, a pipe, or a prompt",
    "test": "play scripts, show what fails or differs",
    "check": "report what is wrong with a design",
    "show": "show what a design contains and comes to",
    "why": "explain how a value in a script came about",
    "diff": "show what changed between two designs",
    "lab": "play many sessions by chance, and ask them",
    "journal": "cut a bug out of what a running game wrote",
    "saves": "list, show, check and move saved profiles",
    "schema": "print the JSON Schema of a design file",
    "stubs": "write the names of a design as types",
    "completion": "print what a shell needs to complete commands",
}


class _Group(click.Group):
    """Loads the module of a command only when it is used, and handles errors in one place."""

    def list_commands(self, context: click.Context) -> list[str]:
        """See click."""
        return list(COMMANDS)

    def get_command(self, context: click.Context, name: str) -> click.Command | None:
        """See click."""
        if name not in COMMANDS:
            return None
        command: click.Command = import_module(f"cleaver.cli.{name}").command
        return command

    def shell_complete(self, ctx: click.Context, incomplete: str) -> list[CompletionItem]:
        """Complete the commands without loading them."""
        found = [
            CompletionItem(name, help=text) for name, text in COMMANDS.items() if name.startswith(incomplete)
        ]
        return found + click.Command.shell_complete(self, ctx, incomplete)

    def format_commands(self, context: click.Context, formatter: click.HelpFormatter) -> None:
        """See click."""
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))

    def resolve_command(
        self, context: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """See click."""
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            from cleaver.errors import UnknownNameError  # only for a misspelt command

            raise UnknownNameError("command", args[0], tuple(COMMANDS))
        return super().resolve_command(context, args)


@click.group(
    cls=_Group, context_settings={"help_option_names": ["-h", "--help"]}, invoke_without_command=False
)
@click.version_option(
    None, "--version", "-V", package_name="cleaver-progression", message="%(prog)s %(version)s"
)
def cli() -> None:
    """Player progression for games: play a design, check it, save what players earned.

    \b Begin with:  cleaver demo, or cleaver new reef
    """


def main() -> Any:
    """Run the command line; the entry point of the `cleaver` command."""
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors=SPARE)
    if "_CLEAVER_COMPLETE" in os.environ:
        import_module("cleaver.cli.completion")  # how each shell asks
    code = _run()
    try:
        sys.stdout.flush()
    except OSError as error:
        code = code if isinstance(error, BrokenPipeError) else _cannot(error)
        # What could not be written must not be tried again while Python ends.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    sys.exit(code)


def _run() -> int:
    """Run a command; returns the exit code. The one place where errors become a line."""
    try:
        cli.main(prog_name="cleaver", standalone_mode=False)
    except SystemExit as done:
        return done.code if isinstance(done.code, int) else 0
    except click.ClickException as error:
        if isinstance(error, click.UsageError) and error.ctx is not None:
            say(error.ctx.get_usage(), err=True)
            say(f"Try '{error.ctx.command_path} --help' for help.\n", err=True)
        say(f"Error: {error.format_message()}", err=True)
        return 2
    except click.Abort:
        say("stopped", err=True)
        return 130
    except CleaverError as error:
        say(f"cleaver: {error}", err=True)
        return 2
    except BrokenPipeError:
        return 0
    except OSError as error:
        return _cannot(error)
    return 0


def _cannot(error: OSError) -> int:
    what = f"{error.filename}: " if error.filename else ""
    say(f"cleaver: {what}{error.strerror or error}", err=True)
    return 2
