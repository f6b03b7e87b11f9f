"""Commands that save, load, and come back to an instant. Start at `save`."""

from __future__ import annotations

from typing import Annotated

from cleaver.core.kernel.results import Result
from cleaver.errors import UnknownNameError, UsageError
from cleaver.rounding import shown
from cleaver.script.command import command
from cleaver.script.lines import to_whole
from cleaver.script.parameters import ActorName, File, Number, SnapshotName, Truth, choice, words
from cleaver.script.saved import profile_of, world_of
from cleaver.script.session import MAX_SNAPSHOTS, Session

THEME = "saves"


@command(THEME, "save ana")
def save(session: Session, actor: ActorName) -> str:
    """Saves a player into the store of this run."""
    info = session.own_store().save(session.world.profile(actor))
    session.world.saved(actor, info.revision)
    session.result = Result()
    return f"{actor.id} is saved as revision {info.revision}, {info.size} bytes"


@command(THEME, "load ana")
def load(session: Session, actor: ActorName, *, from_: File = "", over: Truth = False) -> str:
    """Puts back what was saved; over=yes also where it is more than one may have by now."""
    profile = profile_of(session, from_, actor.id) if from_ else session.own_store().read(actor.id)
    if profile is None:
        session.result = Result("no_change")
        return f"{actor.id} was never saved"
    (session.world.take_back if over else session.world.load)(actor, profile)
    session.result = Result()
    return f"{actor.id} is as it was saved"


@command(THEME, "data ana helmet '\"red\"'")
def data(
    session: Session,
    actor: ActorName,
    name: Annotated[str, words("KEY")],
    value: Annotated[str, words("JSON")] = "",
) -> str:
    """Keeps something of your game's own with a player, as JSON; without a value forgets it."""
    import json  # only where it is used

    session.result = Result()
    if value:
        try:
            actor.data[name] = json.loads(value)
        except ValueError as error:
            raise UsageError(f"{value!r} is no JSON: {error}; a text stands in quotes") from None
        return f"{name} of {actor.id} is {value}"
    if actor.data.pop(name, None) is None:
        session.result = Result("no_change")
    return f"{actor.id} has no {name}"


@command(THEME, "store fail 3", acts=False)
def store(session: Session, what: Annotated[str, choice("ok", "fail", "slow")], number: Number = 0) -> str:
    """Simulates failures of this run's store: `fail` takes a number of calls, `slow` seconds."""
    from cleaver.saves import Trouble  # a database is slow to import

    failing, slow = (to_whole("N", number) if what == "fail" else 0), (number if what == "slow" else 0.0)
    session.own_store().trouble = None if what == "ok" else Trouble(failing=failing, slow=slow)
    return {
        "ok": "the store answers",
        "fail": f"the next {shown(number)} calls of the store fail",
        "slow": f"the store takes {shown(number)} s",
    }[what]


@command(THEME, "snapshot before", acts=False)
def snapshot(session: Session, name: Annotated[str, words("NAME")]) -> str:
    """Keeps the whole world, to come back to."""
    if len(session.snapshots) >= MAX_SNAPSHOTS and name not in session.snapshots:
        raise UsageError(f"a run keeps at most {MAX_SNAPSHOTS} snapshots; use one of their names again")
    session.snapshots[name] = session.remembered()
    return f"kept as {name}"


@command(THEME, "restore before")
def restore(session: Session, name: SnapshotName, *, from_: File = "") -> str:
    """Comes back to a snapshot, or begins from one in a file."""
    if from_:
        world = world_of(session, from_)
        session.changes()
        session.attach(world)
        session.result = Result()
        return f"as it was in {from_}, {shown(session.world.now)} s"
    if name not in session.snapshots:
        raise UnknownNameError("snapshot", name, tuple(session.snapshots))
    session.changes()
    session.go_back(session.snapshots[name])
    session.result = Result()
    return f"as it was at {name}, {shown(session.world.now)} s"
