"""Origin: where in the world that came from which an event tells. Start at `origin`."""

from __future__ import annotations

from cleaver.core.kernel.events import Event
from cleaver.core.parts import Parts
from cleaver.core.views import position

Place = tuple[float, float, float]


def origin(parts: Parts, event: Event) -> Place | None:
    """Return where the gain that *event* tells came from: the placement that was collected, or who died, as
    far as the world still keeps what led to it; else where its own actor stands. None where the host said no
    place."""
    before: Event | None = event
    while before is not None:
        found = _place(parts, before)
        if found is not None:
            return found
        before = _event(parts, before.cause)
    return standing(parts, event.actor)


def standing(parts: Parts, name: str) -> Place | None:
    """Return where an actor stands; None for nobody, and where the host said no place."""
    body = parts.stage.actors.get(name)
    return None if body is None else position(body)


def _place(parts: Parts, event: Event) -> Place | None:
    if event.name == "collected":
        placement = parts.pickups.table.placements.get(event.placement)
        return parts.pickups.gone.get(event.placement) if placement is None else position(placement)
    return standing(parts, event.actor) if event.name == "died" else None


def _event(parts: Parts, number: int) -> Event | None:
    """Return an event by its number, if it is kept; what led to something came shortly before it."""
    if number:
        for event in reversed(parts.stage.history):
            if event.seq <= number:
                return event if event.seq == number else None
    return None
