"""Sight: whose screens may know of what, as the design says. Start at `Sight`."""

from __future__ import annotations

from cleaver.core.kernel.events import Event
from cleaver.design.design import Design
from cleaver.design.models.values import SeenBy

OWN = frozenset(("item", "currency", "quest", "achievement", "rating", "levels", "exchange", "stat"))
"""Fields of what is a player's own: an event that has one is its owner's, if the design says no other."""
OWN_EVENTS = frozenset(("loaded", "saved", "traded"))
NAMING = frozenset(("winner", "place"))
"""Fields that may hold the id of somebody; so may all fields of names that the design's own events have."""


class Sight:
    """Who may know of what, in one design."""

    design: Design
    meters: dict[str, dict[str, SeenBy]]
    statuses: dict[str, SeenBy]
    goods: dict[str, SeenBy]

    def __init__(self, design: Design) -> None:
        tables = design.tables
        self.design = design
        self.meters = {
            kind: {
                name: meter.seen_by or ("all" if name == actor.vital else "owner")
                for name, meter in actor.meters.items()
            }
            for kind, actor in tables.actors.items()
        }
        self.statuses = {name: status.seen_by or "all" for name, status in tables.statuses.items()}
        self.goods = {
            name: currency.seen_by or ("team" if currency.pooled else "owner")
            for name, currency in tables.currencies.items()
        } | {name: item.seen_by or "owner" for name, item in tables.items.items()}
        self._own = {name: event.seen_by or "all" for name, event in tables.events.items()}
        self._hidden = {name for name, one in tables.achievements.items() if one.hidden}

    def of_event(self, event: Event, kind: str) -> SeenBy:
        """Return who may know of an event on an actor of a kind; the narrower one where it is about
        several."""
        name = event.name
        if name in self._own:
            return self._own[name]
        if name in OWN_EVENTS:
            return "owner"
        index = event.shape.index
        if "meter" in index:
            return self.meters.get(kind, {}).get(event.get("meter"), "owner")
        if "status" in index:
            return self.statuses.get(event.get("status"), "all")
        for field in ("item", "currency"):
            if field in index:
                return self.goods.get(event.get(field), "owner")
        return "owner" if not OWN.isdisjoint(index) else "all"

    def names_in(self, event: Event) -> frozenset[str] | tuple[str, ...]:
        """Return the fields of an event that may hold somebody's id."""
        if event.name in self._own:
            fields = self.design.tables.events[event.name].fields
            return tuple(field for field, kind in fields.items() if kind == "name")
        return NAMING
