"""The `cleaver` command: gathers the commands, turns errors into one line on stderr and an exit code.

0 is done, 1 an expectation or check that failed, 2 wrong use or bad input.
"""

from __future__ import annotations

import sys
from importlib import import_module
from typing import Any

import click

from cleaver.cli.printing import say
from cleaver.errors import CleaverError

COMMANDS = {
    "new": "make a small working game to begin from",
    "demo": "play the sample dive, draw it, save it",
    "play": "play a design: a script, a pipe, or a prompt",
    "test": "play scripts, show what fails or differs",
    "check": "report what is wrong with a design",
    "show": "show what a design contains and comes to",
    "why": "explain how a value in a script came about",
    "diff": "show what changed between two designs",
    "saves": "list, show, check and move saved profiles",
    "schema": "print the JSON Schema of a design file",
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
@click.version_option(package_name="cleaver-progression", message="%(prog)s %(version)s")
def cli() -> None:
    """Player progression for games: play a design, check it, save what players earned.

    \b Begin with:  cleaver demo, or cleaver new reef
    """


def main() -> Any:
    """Run the command line; the entry point of the `cleaver` command."""
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="replace")
    try:
        return cli.main(prog_name="cleaver", standalone_mode=False)
    except click.ClickException as error:
        if isinstance(error, click.UsageError) and error.ctx is not None:
            say(error.ctx.get_usage(), err=True)
            say(f"Try '{error.ctx.command_path} --help' for help.\n", err=True)
        say(f"Error: {error.format_message()}", err=True)
        sys.exit(2)
    except click.Abort:
        say("stopped", err=True)
        sys.exit(130)
    except CleaverError as error:
        say(f"cleaver: {error}", err=True)
        sys.exit(2)
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(0)
