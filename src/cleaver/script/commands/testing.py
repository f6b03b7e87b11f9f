"""Commands that test: what must be true, repeated and recorded lines.

Those that are about another line are carried out by `runner`; here stands how they are written. Start at
`expect`.
"""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Annotated

from cleaver.errors import UsageError
from cleaver.script.command import command
from cleaver.script.parameters import File, Formula, Rest, Whole, choice
from cleaver.script.session import Session

THEME = "testing"


@command(THEME, "expect ana.suit == 77.5", acts=False)
def expect(session: Session, formula: Formula) -> str:
    """Holds where the formula is true."""
    raise AssertionError("carried out by the runner")


@command(THEME, "expect_error heal ana -5", acts=False)
def expect_error(session: Session, command: Rest) -> str:
    """Holds where the command is an error and changes nothing."""
    raise AssertionError("carried out by the runner")


@command(THEME, "repeat 3 hit ana by=eel1 with=sting")
def repeat(session: Session, count: Whole, command: Rest) -> str:
    """Carries a command out N times."""
    raise AssertionError("carried out by the runner")


@command(THEME, "record expect", acts=False)
def record(session: Session, what: Annotated[str, choice("on", "off", "expect")], file: File = "") -> str:
    """Writes down what is typed; expect adds what is true now."""
    from cleaver.script.recording import Recording  # only where somebody records

    if what == "on" and file:
        if not session.remember:  # an untrusted script writes no files
            raise UsageError("a script records nothing by itself; play it with --record FILE")
        if session.started:
            raise UsageError(
                "a recording begins with a fresh world, or what came before would be missing from it; play "
                "with --record FILE"
            )
        session.recording = Recording(session, FilePath(file), session.file)
    recording = session.recording
    if recording is None:
        raise UsageError(
            "nothing is being recorded; write record on FILE before anything else, or play with --record FILE"
        )
    if what == "expect":
        added = [f"    {line}" for line in recording.expect() or ["nothing: nothing changed"]]
        return "\n".join([f"added to {recording.file.name}:", *added])
    recording.on = what == "on"
    return f"{recording.file.name} {'is written' if recording.on else 'is left as it is, until record on'}"
