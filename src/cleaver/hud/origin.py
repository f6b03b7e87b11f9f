"""Origin: where in the world that came from which an event tells. Start at `origin`."""

from __future__ import annotations

from cleaver.core.kernel.events import Event
from cleaver.core.parts import Parts
from cleaver.core.views import position

Place = tuple[float, float, float]


def origin(parts: Parts, event: Event) -> Place | None:
    """Return where the gain in *event* came from: the placement that was collected, or who died, at the same
    instant; else where its own actor stands. None where the host said no place."""
    before: Event | None = event
    while before is not None:
        found = _place(parts, before)
        if found is not None:
            return found
        before = _cause(parts, before)
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


def _cause(parts: Parts, event: Event) -> Event | None:
    """Return the event that another one follows from, if it came at the same instant and is still kept."""
    for before in reversed(parts.stage.history):
        if before.seq <= event.cause or before.time_us < event.time_us:
            return before if before.seq == event.cause and before.time_us == event.time_us else None
    return None
