"""Commands about what the game saw. Start at `announce`."""

from __future__ import annotations

from cleaver.core.kernel.results import Result
from cleaver.script.command import command
from cleaver.script.lines import to_number
from cleaver.script.parameters import Anybody, EventName, Field
from cleaver.script.session import Session

THEME = "quests"


@command(THEME, "announce ana reached place=wreck depth=18")
def announce(session: Session, actor: Anybody, event: EventName, /, **fields: Field) -> str:
    """An event that your game saw, - for NAME where it is about nobody."""
    own = session.design.tables.events
    types = own[event].fields if event in own else {}
    given = {
        name: to_number(f"{name}=", value) if types.get(name) == "number" else value
        for name, value in fields.items()
    }
    session.world.announce(event, "" if actor is None else actor.id, given)
    session.result = Result()
    return event if actor is None else f"{actor.id}: {event}"
