"""Turns in a window: whose turn it is, and who comes after. Start at `draw_turns`."""

from __future__ import annotations

from collections.abc import Iterable

from pygame import Rect

from cleaver.core import read
from cleaver.core.world import World
from cleaver.hud.drawn import clock_text
from cleaver.hud.turns import turn_order
from cleaver.hud.vitals.rings import StatusRing
from cleaver.window.lists import Line, draw_list
from cleaver.window.pen import Pen


def draw_turns(pen: Pen, world: World, rect: Rect, *, title: str = "") -> Rect:
    """Draw the order of turns within *rect*: whose turn is on, who is still to come in the round, and what
    each is under, with the turns left. Return *rect*.

    Args:
        pen: Draws.
        world: A world, or that of a replica.
        rect: Where.
        title: Above it; by default "Round" with its number.
    """

    def lines() -> Iterable[Line]:
        for row in turn_order(world):
            actor = world.actor(row.actor)
            under = []
            for status in dict.fromkeys(actor.statuses):
                ring = StatusRing(actor, status)
                shown = not ring.ready and ring.unit != "seconds"
                left = f" {clock_text(ring.left, ring.unit)}" if shown else ""
                under.append(f"{status.replace('_', ' ')}{left}")
            yield row.actor, "turn" if row.on else "", ", ".join(under), 1.0 if row.on else 0.0

    return draw_list(pen, title or f"Round {read.parts(world).turns.table.round}", lines(), rect)
