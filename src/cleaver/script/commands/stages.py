"""Commands about stages. Start at `stage`."""

from __future__ import annotations

from typing import Annotated

from cleaver.errors import UsageError
from cleaver.rounding import counted
from cleaver.script.command import command, said
from cleaver.script.parameters import StageName, choice
from cleaver.script.session import Session

THEME = "stages"


@command(THEME, "stage enter shallows")
def stage(
    session: Session, what: Annotated[str, choice("enter", "leave", "restart")], name: StageName = ""
) -> str:
    """Enters a stage, leaves it, or puts it back to how it began."""
    world = session.world
    if what == "enter":
        if not name:
            raise UsageError(f"STAGE is missing: which one? ({', '.join(session.design.tables.stages)})")
        result = world.enter_stage(name)
    elif name:
        raise UsageError(f"{name!r} is an unexpected argument; write: stage {what}")
    else:
        name = world.stage
        result = world.leave_stage() if what == "leave" else world.restart_stage()
    creatures = len(world.actors) - len(world.players)
    there = f"{counted(creatures, 'creature')}, {counted(len(world.placements), 'placement')}"
    done = {"enter": f"{name} begins: {there}", "restart": f"{name} begins anew: {there}"}
    return said(session, result, done.get(what, f"{name} is left"))
