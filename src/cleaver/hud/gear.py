"""Gear, abilities and shops as rows to draw: what is worn, what can be done, what can be had.

Each reads the present when asked. Start at `worn`, `abilities` and `shop`.
"""

from __future__ import annotations

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import HANDLE, checked
from cleaver.core.kernel.expressions import span_of
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.spans import seconds_of, unit_of
from cleaver.errors import FormulaError
from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.literals import Blocked


class WornSlot(NamedTuple):
    """One slot: what is in it, the one worn longest first, how many places it has, and which items of the bag
    fit into it."""

    slot: str
    items: tuple[str, ...]
    places: int
    fits: tuple[str, ...]


class AbilityRow(NamedTuple):
    """One ability: its name and title, what it costs now, what is `left` until it can be used again, how much
    of that is over (from 0 to 1), why it cannot be used now, on whomever, and the `unit` of what is left:
    seconds, turns, rounds or days."""

    name: str
    title: str
    costs: dict[str, float]
    left: float
    fraction: float
    blocked: Blocked
    unit: str


class ShopRow(NamedTuple):
    """One exchange: its name and title, what the next one costs by good, how much of each is missing, what is
    left of its stock (None: no end), why it cannot be used, and how often it could be now."""

    name: str
    title: str
    price: dict[str, int]
    missing: dict[str, int]
    stock: int | None
    blocked: Blocked
    times: int


@checked(actor=HANDLE)
def worn(actor: Actor) -> tuple[WornSlot, ...]:
    """Return the slots of an actor, in the order of the design."""
    gear, body = read.parts(actor).gear, read.body(actor)
    held = [item for item, count in actor.bag.items() if count]
    return tuple(
        WornSlot(
            slot,
            items,
            body.kind.slots[slot],
            tuple(item for item in held if gear.slot(item) == slot and not gear.refusal(body, item)[0]),
        )
        for slot, items in actor.worn.items()
    )


@checked(actor=HANDLE)
def abilities(actor: Actor) -> tuple[AbilityRow, ...]:
    """Return the abilities of an actor, in the order of the design."""
    parts, body = read.parts(actor).abilities, read.body(actor)
    found = []
    for name, kind in body.kind.abilities.items():
        rests = parts.rests(body, name)
        left = seconds_of(rests)
        try:
            whole = seconds_of(span_of(kind.cooldown, Scope(parts.stage, body, body, body), least=0))
        except FormulaError:  # it asks about a target
            whole = left
        over = 1.0 if not left else min(max(1 - left / max(whole, left), 0.0), 1.0)
        blocked = parts.asked(body, kind)
        found.append(
            AbilityRow(name, kind.title, parts.price(body, name), left, over, blocked, unit_of(rests))
        )
    return tuple(found)


@checked(actor=HANDLE)
def shop(actor: Actor) -> tuple[ShopRow, ...]:
    """Return the exchanges as an actor finds them, in the order of the design."""
    goods, body = read.parts(actor).goods, read.body(actor)
    found = []
    for offer in actor.offers():
        short = {good: amount - goods.of(body, good) for good, amount in offer.price.items()}
        missing = {good: amount for good, amount in short.items() if amount > 0}
        found.append(ShopRow(offer.name, offer.title, offer.price, missing, *offer[3:]))
    return tuple(found)
