"""Tallies: events that a script or a trial counts, or sums up. Start at `Tallied`."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal, NamedTuple

from cleaver.core.kernel.events import Event

if TYPE_CHECKING:
    from cleaver.core.kernel.expressions import Expression

Way = Literal["count", "sum", "best", "least", "first"]
COUNT: tuple[Way, str] = ("count", "")
MOST_TALLIES = 100  # of one run


class Tallied(NamedTuple):
    """How far a tally is: what it comes to, 0 where nothing was counted yet, and how many events counted."""

    value: float = 0.0
    events: int = 0

    def with_event(self, event: Event, way: Way, field: str) -> Tallied:
        """Return it with one more event that counts."""
        events = self.events + 1
        if way == "count":
            return Tallied(float(events), events)
        if way == "first":
            return Tallied(self.value if self.events else event.time, events)
        value = float(event.get(field))
        if way == "sum":
            return Tallied(self.value + value, events)
        if not self.events:
            return Tallied(value, events)
        return Tallied((max if way == "best" else min)(self.value, value), events)


def ways_of(sum: str, best: str, least: str, *, first: bool) -> list[tuple[Way, str]]:
    """Return the ways to tally that are asked for, each with the field that it is of; there must be one at
    most, and none is a count."""
    ways: list[tuple[Way, str]] = [
        ("sum", sum),
        ("best", best),
        ("least", least),
        ("first", "time" if first else ""),
    ]
    return [(way, field) for way, field in ways if field]


class ScriptTally(NamedTuple):
    """What a script tallies: whose events of which name, on which condition, and what of them."""

    event: str
    who: str
    by: str
    where: Expression | None
    way: Way
    field: str

    def concerns(self, event: Event) -> bool:
        """Return whether an event is about those named; its condition is looked at apart."""
        return (not self.who or event.actor == self.who) and (
            not self.by or self.by in (event.credit, event.source)
        )
