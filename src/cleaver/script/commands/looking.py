"""Commands that show the world, its events and the commands, and those that step back and forth. Start at
`show`."""

from __future__ import annotations

from typing import Annotated

from cleaver.errors import UsageError
from cleaver.rounding import counted
from cleaver.script.command import COMMANDS, command, find, themes
from cleaver.script.commands.time import TYPED_ONLY
from cleaver.script.parameters import Reading, ValuePath, Whole, actor
from cleaver.script.session import Session

THEME = "looking"
Somebody = Annotated[str, actor("NAME")._replace(read=lambda session, what, word: word)]
CommandName = Annotated[str, Reading("COMMAND", lambda session, what, word: word, lambda asked: COMMANDS)]


@command(THEME, "show ana", acts=False)
def show(session: Session, name: Somebody = "") -> str:
    """Shows everyone, or one."""
    from cleaver.script.looking import describe  # the only command that draws

    return describe(session.world, name)


@command(THEME, "why ana.suit", acts=False)
def why(session: Session, path: ValuePath) -> str:
    """Explains how a value came about, back to where it began."""
    from cleaver.core.story import tale  # only where somebody asks

    lines = tale(session.world.why(path))
    return "\n".join(f"{'    ' if number else ''}{line}" for number, line in enumerate(lines))


@command(THEME, "events 5", acts=False)
def events(session: Session, count: Whole = 10) -> str:
    """Shows the latest events."""
    from cleaver.script.looking import latest_events  # slow to import, and few need it

    found = latest_events(session.world, count)
    return "\n".join([f"the latest {counted(len(found), 'event')}", *(f"    {line}" for line in found)])


@command(THEME, "choose ana", acts=False)
def choose(session: Session, name: Somebody = "") -> str:
    """At the prompt: whom to look at in detail."""
    raise UsageError(TYPED_ONLY)


@command(THEME, "help hit", acts=False, name="help")
def show_help(session: Session, name: CommandName = "") -> str:
    """Lists commands."""
    if name:
        found = find(name)
        return f"{found.usage}\n    {found.help}\n    for example: {found.example}"
    lines = [f"    {theme:<18}{' '.join(names)}" for theme, names in themes().items()]
    return "\n".join(["help COMMAND says how one is written, with an example: help hit", *lines])


@command(THEME, "undo", acts=False)
def undo(session: Session) -> str:
    """Takes back the last command that acted."""
    raise AssertionError("carried out by the runner")


@command(THEME, "redo", acts=False)
def redo(session: Session) -> str:
    """Brings back what undo took."""
    raise AssertionError("carried out by the runner")


@command(THEME, "quit", acts=False, name="quit")
def end(session: Session) -> str:
    """Ends the session."""
    return "the session ends here"  # where it is a line of its own, `play` and the prompt end before this
