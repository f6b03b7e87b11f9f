"""Commands about quests, achievements and what the game saw. Start at `accept`."""

from __future__ import annotations

from cleaver.core.handles import Actor
from cleaver.core.kernel.results import Result
from cleaver.script.command import command, said
from cleaver.script.lines import to_number
from cleaver.script.parameters import AchievementName, ActorName, Anybody, EventName, Field, Giver, QuestName
from cleaver.script.session import Session

THEME = "quests"


@command(THEME, "accept ana drowned_bells")
def accept(session: Session, actor: ActorName, quest: QuestName) -> str:
    """Begins a quest."""
    return _quest_said(session, actor.accept(quest), actor, quest, "accepted")


@command(THEME, "turn_in ana drowned_bells")
def turn_in(session: Session, actor: ActorName, quest: QuestName) -> str:
    """Turns a ready quest in."""
    return _quest_said(session, actor.turn_in(quest), actor, quest, "turned in")


@command(THEME, "abandon ana drowned_bells")
def abandon(session: Session, actor: ActorName, quest: QuestName) -> str:
    """Gives a quest up."""
    return _quest_said(session, actor.abandon(quest), actor, quest, "given up")


@command(THEME, "fail ana drowned_bells")
def fail(session: Session, actor: ActorName, quest: QuestName) -> str:
    """Lets a quest fail."""
    return _quest_said(session, actor.fail(quest), actor, quest, "failed")


def _quest_said(session: Session, result: Result, actor: Actor, quest: str, done: str) -> str:
    return said(session, result, f"{quest}: {done}, {actor.quests[quest].state}")


@command(THEME, "talk ana harbourmaster")
def talk(session: Session, actor: ActorName, giver: Giver) -> str:
    """Lets a giver say its next line."""
    result = actor.talk(giver)
    then = {"accept": f"; next: accept {actor.id} {result.quest}"}
    then["turn_in"] = f"; next: turn_in {actor.id} {result.quest}"
    text = f"{giver}: {result.text or '(nothing to say)'}{then.get(result.next, '')}"
    session.result = result
    return f"refused: {result.blocked}" if result.blocked else text


@command(THEME, "grant ana eel_bane")
def grant(session: Session, actor: ActorName, achievement: AchievementName) -> str:
    """Gives an achievement, once for ever."""
    return said(session, actor.grant(achievement), f"{actor.id} achieves {achievement}")


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
