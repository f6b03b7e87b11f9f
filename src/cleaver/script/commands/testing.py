"""Commands that test: what must be true, repeated and recorded lines.

Those that are about another line are carried out by `runner`; here stands how they are written. Start at
`expect`.
"""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Annotated

from cleaver.core import read
from cleaver.errors import UsageError
from cleaver.script.command import command
from cleaver.script.parameters import (
    ActorName,
    EventName,
    Field,
    File,
    Formula,
    Rest,
    TallyName,
    Truth,
    Whole,
    choice,
)
from cleaver.script.session import Session
from cleaver.script.tallies import COUNT, ScriptTally, ways_of

THEME = "testing"


@command(THEME, "expect ana.suit == 77.5", acts=False)
def expect(session: Session, formula: Formula) -> str:
    """Holds where the formula is true."""
    raise AssertionError("carried out by the runner")


@command(THEME, "expect_error heal ana -5", acts=False)
def expect_error(session: Session, command: Rest) -> str:
    """Holds where the command is an error and changes nothing."""
    raise AssertionError("carried out by the runner")


@command(THEME, "tally lost on=damaged who=ana sum=amount")
def tally(
    session: Session,
    name: TallyName,
    *,
    on: EventName,
    who: ActorName | None = None,
    by: ActorName | None = None,
    where: Formula = "",
    sum: Field = "",
    best: Field = "",
    least: Field = "",
    first: Truth = False,
) -> str:
    """Counts events from here on, or sums up a field of theirs; read by tally.NAME."""
    known = read.parts(session.world).kinds.known
    known.need("event", on, known.events)
    given = ways_of(sum, best, least, first=first)
    if len(given) > 1:
        raise UsageError(f"{on} is tallied by {' and '.join(way for way, _ in given)}; give it one of them")
    way, field = given[0] if given else COUNT
    if field and way != "first":
        known.need(
            f"field of {on}", field, [one for one, kind in known.events[on].fields if kind == "number"]
        )
    own, other = (actor.id if actor is not None else "" for actor in (who, by))
    session.changes()
    session.tally(name, ScriptTally(on, own, other, None, way, field), where)
    return f"{name} is tallied; read tally.{name}, and tally.{name}.count"


@command(THEME, "repeat 3 hit ana by=eel1 with=sting")
def repeat(session: Session, count: Whole, command: Rest) -> str:
    """Carries a command out N times."""
    raise AssertionError("carried out by the runner")


@command(THEME, "record expect", acts=False)
def record(session: Session, what: Annotated[str, choice("on", "off", "expect")], file: File = "") -> str:
    """Writes down what is typed; expect adds what is true now."""
    from cleaver.script.recording import Recording  # only where somebody records

    if what == "on" and file:
        if session.past is None:  # an untrusted script writes no files
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
