"""Commands about who is there. Start at `join`."""

from __future__ import annotations

from typing import Annotated

from cleaver.core.kernel.results import Result
from cleaver.core.profile import Profile
from cleaver.errors import UsageError
from cleaver.script.command import command
from cleaver.script.parameters import ActorName, File, Free, PlayerKind, Team, Whole, number_word
from cleaver.script.saved import profile_of
from cleaver.script.session import Session

THEME = "who is there"
X = Annotated[float, number_word("X")]
Y = Annotated[float, number_word("Y")]
Z = Annotated[float, number_word("Z")]


@command(THEME, "seed 7")
def seed(session: Session, number: Whole) -> str:
    """Sets the dice, before anything else."""
    if session.started:
        raise UsageError("seed comes before anything else; the dice cannot be changed in the middle")
    from cleaver.core.world import World  # the one command that makes a world

    session.changes()
    session.attach(World(session.design, number, history=session.history))
    session.result = Result()
    return f"seed set to {number}"


@command(THEME, "join diver ana team=north")
def join(session: Session, kind: PlayerKind, name: Free, *, team: Team = "", from_: File = "") -> str:
    """Lets a player enter, with what the store or a file has of it."""
    if from_:
        profile: Profile | None = profile_of(session, from_, name)
    else:
        profile = session.store.read(name) if session.store is not None else None
    session.world.join(kind, name, team=team, profile=profile)
    session.result = Result()
    return f"{name} enters as {kind}{', as it was saved' if profile else ''}"


@command(THEME, "leave ana")
def leave(session: Session, actor: ActorName) -> str:
    """Saves a player, who then leaves."""
    info = session.own_store().save(session.world.profile(actor))
    session.world.saved(actor, info.revision)
    session.world.leave(actor)
    session.result = Result()
    return f"{actor.id} leaves, saved as revision {info.revision}"
