"""Turns as rows to draw: whose turn it is, and who comes after. Start at `turn_order`."""

from __future__ import annotations

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import Kind, checked
from cleaver.core.world import World
from cleaver.errors import UsageError, said
from cleaver.named import NamedTuple


class TurnRow(NamedTuple):
    """One who takes a turn: its id, the title of its kind, and whether its turn is on."""

    actor: str
    title: str
    on: bool


def _seen(name: str, value: object) -> object:
    if not isinstance(value, (Actor, World)):
        raise UsageError(f"{said(value)} is no world and no actor of one; give the world")
    return value


@checked(game=Kind("game", _seen))
def turn_order(game: World | Actor) -> tuple[TurnRow, ...]:
    """Return whose turns are on, the latest first, then who is still to come in this round, in order.

    Args:
        game: A world, a replica's world, or anybody in it.
    """
    parts = read.parts(game)
    table, actors = parts.turns.table, parts.stage.actors
    on, to_come = reversed(table.on), table.order
    return (
        *(TurnRow(name, actors[name].kind.title, True) for name in on),
        *(TurnRow(name, actors[name].kind.title, False) for name in to_come),
    )
