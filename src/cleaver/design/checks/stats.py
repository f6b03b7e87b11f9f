"""Checks of stats, gear and abilities: what nothing reads, what can never be complete or paid."""

from __future__ import annotations

import re
from collections.abc import Iterable

from cleaver.design.checks.finding import Told, formulas_of, rule
from cleaver.design.design import Design
from cleaver.design.lines import Path


@rule
def stat_nobody_reads(design: Design) -> Iterable[Told]:
    """A stat that no formula reads: it goes up and down, and nothing comes of it."""
    read = set(re.findall(r"\.([a-z][a-z0-9_]*)", " ".join(formulas_of(design))))
    for kind, actor in design.tables.actors.items():
        for stat in actor.stats:
            if stat not in read:
                path: Path = ("actors", kind, "stats", stat)
                yield path, f"nothing reads {stat}", "let an attack, a maximum or a price ask for it"


@rule
def slot_without_things(design: Design) -> Iterable[Told]:
    """A slot that no item of the design is worn in."""
    there = {item.slot for item in design.tables.items.values()}
    for kind, actor in design.tables.actors.items():
        for slot in actor.slots:
            if slot not in there:
                yield (
                    ("actors", kind, "slots", slot),
                    f"nothing is worn in {slot}",
                    f'let an item have slot = "{slot}"',
                )


@rule
def set_never_complete(design: Design) -> Iterable[Told]:
    """A set that asks for more different things than it has, or than anybody has slots for."""
    for name, one in design.tables.item_sets.items():
        slots = [design.tables.items[item].slot or "" for item in one.items]
        most = 0
        for actor in design.tables.actors.values():
            places = {slot: min(slots.count(slot), actor.slots.get(slot, 0)) for slot in set(slots)}
            most = max(most, sum(places.values()))
        for count in one.pieces:
            if int(count) > most:
                wrong = f"asks for {count} different things of {name}, and {most} can be worn together"
                yield ("item_sets", name, "pieces", count), wrong, "ask for fewer, or give a kind more slots"


@rule
def cost_beyond_the_meter(design: Design) -> Iterable[Told]:
    """An attack or an ability that costs more of a meter than there can be of it: it is never used."""
    for kind, actor in design.tables.actors.items():
        for what, each in (("attacks", actor.attacks), ("abilities", actor.abilities)):
            for name, priced in each.items():
                for meter, cost in priced.costs.items():
                    form = actor.meters.get(meter)
                    if form is None or isinstance(cost, str) or isinstance(form.max, str):
                        continue
                    if cost > form.max or (meter == actor.vital and cost >= form.max):
                        yield (
                            ("actors", kind, what, name, "costs", meter),
                            f"is {cost:g}, and {meter} is {form.max:g} at most",
                            "let it cost less",
                        )
