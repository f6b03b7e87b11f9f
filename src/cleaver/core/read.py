"""Read: what the rest of Cleaver asks of a running world, and a game does not: its parts and what they hold.

HUD, rooms, lab, scripts, figures and windows read through this, and change nothing here. Whatever a part
offers without an underscore may be read: `parts(world).stage.players`, `parts(actor).vitals.value(meter)`.
Start at `parts`.
"""

from __future__ import annotations

from cleaver.core.game import Game, game_of, parts_of
from cleaver.core.handles import Actor
from cleaver.core.kernel.body import Body
from cleaver.core.somebody import body_of

__all__ = ["Game", "body", "game_of", "parts"]

parts = parts_of


def body(actor: Actor) -> Body:
    """Return the state of an actor.

    Raises:
        GoneError: It has left its world.
    """
    return body_of(game_of(actor), actor)
