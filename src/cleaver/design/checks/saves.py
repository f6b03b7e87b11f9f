"""Checks of what is saved."""

from __future__ import annotations

from collections.abc import Iterable

from cleaver.design.checks.finding import Told, rule
from cleaver.design.design import Design
from cleaver.design.models import Actor, Status
from cleaver.design.vocabulary import VERBS


@rule
def leaving_cures(design: Design) -> Iterable[Told]:
    """Some meters of a player are saved, and what wears them down is not: leaving and joining again cures it,
    or fills another meter up."""
    tables = design.tables
    for kind, actor in tables.actors.items():
        saved = [name for name, meter in actor.meters.items() if meter.saved]
        if not actor.player or not saved:
            continue
        if "statuses" not in tables.saves.include:
            for name, status in tables.statuses.items():
                worn = [meter for meter in saved if _wears(status, actor, meter)]
                if worn:
                    yield (
                        ("statuses", name),
                        f"is not saved, and {kind}'s {worn[0]} is: leaving cures {name}",
                        'add "statuses" to `[saves] include`',
                    )
        for name, meter in actor.meters.items():
            if not meter.saved and any(flow.drains for flow in meter.flows):
                yield (
                    ("actors", kind, "meters", name),
                    f"is not saved, and {saved[0]} is: leaving fills {name} up",
                    "say saved = true on it",
                )


def _wears(status: Status, actor: Actor, meter: str) -> bool:
    """Return whether a status takes from a meter of an actor."""
    if any(flow.meter == meter and flow.drains for flow in status.flows):
        return True
    return any(
        VERBS[effect.verb].takes == "meter" and effect.beside.get("meter", actor.vital) == meter
        for pulse in status.pulses
        for effect in pulse.do
    )
