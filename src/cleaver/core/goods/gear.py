"""Gear: what somebody wears. A thing worn is in its slot and not in the bag. Start at `Gear.wear`."""

from __future__ import annotations

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import BoundEffect, met
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.errors import UnknownNameError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Container
    from typing import Any, Protocol

    from cleaver.core.kernel.actor_kinds import ActorKind
    from cleaver.core.kernel.crossing import Crossing
    from cleaver.core.stats.kinds import StatKinds
    from cleaver.literals import Blocked

    class _Goods(Protocol):
        """What is asked of `Goods`."""

        bags: Any
        debts: Any

        def count(self, body: Body, name: str) -> int: ...
        def book(self, holder: str, good: str, amount: int, reason: str) -> None: ...
        def bring(self, holder: str, good: str, amount: int) -> None: ...


SLOT = "slot"
"""Why something is taken off whose slot has fewer places now."""
ALL = "all"
"""What `take_off` takes for everything that is worn."""


class Gear(Part):
    """What is worn in one world. Keeps no state of its own (`Body.worn`)."""

    stage: Stage
    goods: _Goods
    kinds: StatKinds

    def __init__(self, stage: Stage, goods: _Goods, kinds: StatKinds) -> None:
        self.stage, self.goods, self.kinds = stage, goods, kinds
        stage.bears["worn"] = Body.wears
        stage.readable["worn"] = lambda body, name, part: body.wears(name)
        stage.bears["set"] = self._complete
        stage.verbs["wear"] = (self._prepare_wear, self._commit_wear)
        stage.verbs["take_off"] = (self._prepare_off, self._commit_off)

    # reading

    def _complete(self, body: Body, name: str) -> int:
        """Return 1 where enough different things of a set are worn."""
        items, needed = self.kinds.sets[name]
        worn = {item for several in body.worn.values() for item in several}
        return int(len(worn.intersection(items)) >= needed)

    def slot(self, item: str) -> str:
        """Return the slot of an item, "" for one that is never worn."""
        if item not in self.stage.kinds.known.items:
            raise UnknownNameError("item", item, self.stage.kinds.known.items)
        return self.kinds.slots.get(item, "")

    def fits(self, body: Body, item: str) -> Blocked:
        """Return why somebody could not wear an item that it holds; "" if it could, where there is room."""
        if not body.kind.slots.get(self.slot(item)):
            return "no_slot"
        scope = Scope(self.stage, body)
        return "" if met(self.kinds.needs.get(item, ()), scope) else "locked"

    def refusal(self, body: Body, item: str, instead: str = "") -> tuple[Blocked, str]:
        """Return why an item cannot be put on, and what it would replace."""
        why = "dead" if not body.alive else self.fits(body, item)
        if not why and self.goods.count(body, item) < 1:
            why = "too_poor"
        if why:
            return why, ""
        slot = self.slot(item)
        worn = body.worn.get(slot, [])
        if instead and instead not in worn:
            there = ", ".join(worn) or "nothing"
            raise UsageError(f"{body.id} does not wear {instead} in {slot}; there is: {there}")
        if not instead and len(worn) >= body.kind.slots[slot]:
            instead = worn[0]
            if worn.count(item) == len(worn):
                return "no_change", ""
        if instead and not self.goods.bags.fits(body, [instead], [item]):
            return "full", ""
        return "", instead

    # putting on, taking off

    def wear(self, body: Body, item: str, instead: str = "") -> Result:
        """Put an item that is in the bag on, in one step with what it replaces: that goes into the bag.

        Args:
            body: Who wears it.
            item: The item.
            instead: What it replaces; by default, where the slot is full, what has been worn longest.
        """
        why, instead = self.refusal(body, item, instead)
        if why:
            return Result(why)
        slot = self.slot(item)
        worn = body.worn.setdefault(slot, [])
        self.goods.bags.stow(body, item, -1)
        if instead:
            worn.remove(instead)
            self.goods.bags.stow(body, instead, 1)
        worn.append(item)
        self._told("worn", body, item, slot, instead)
        return Result()

    def _told(self, name: str, body: Body, item: str, slot: str, more: str) -> None:
        """Tell what was put on or taken off, once it is whole, and let stats follow."""
        self.stage.emit(name, body.id, "", (item, slot, more))
        self.stage.touched("item", body.id)
        self.stage.touched("worn", body.id)

    def take_off(self, body: Body, item: str) -> Result:
        """Take an item off, or all of them, into the bag: whole or not at all."""
        items = self._worn(body, item)
        if not body.alive:
            return Result("dead")
        if not items:
            return Result("too_poor" if item != ALL else "no_change")
        if not self.goods.bags.fits(body, items):
            return Result("full")
        for one in items:
            self._off(body, one, "")
        return Result()

    def _worn(self, body: Body, item: str) -> list[str]:
        """Return what is to be taken off: the newest of that name, or everything, newest first."""
        if item == ALL:
            return [one for slot in body.worn.values() for one in reversed(slot)]
        self.slot(item)
        return [item] if body.wears(item) else []

    def _off(self, body: Body, item: str, why: str, *, stays: bool = True) -> None:
        slot = next(name for name, worn in body.worn.items() if item in worn)
        worn = body.worn[slot]
        del worn[len(worn) - 1 - worn[::-1].index(item)]
        if not worn:
            del body.worn[slot]
        if stays:
            self.goods.bags.stow(body, item, 1)
        self._told("taken_off", body, item, slot, why)

    def _let_go(self, body: Body, item: str, why: str) -> None:
        """Take an item off whose place is gone or whose owner has died: into the bag, or as there is room
        later; somebody who is owed nothing misses it."""
        fits = self.goods.bags.fits(body, [item])
        self._off(body, item, why, stays=fits)
        if not fits:
            self.goods.book(body.id, item, -1, why)
            if why == SLOT and body.kind.player:
                self.goods.debts.owe(body, item, 1, why)
            told = "owed" if why == SLOT and body.kind.player else "missed"
            self.stage.emit(told, body.id, "", (item, 1, why))

    # effects

    def _prepare_wear(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        return None, self.refusal(body, effect.operand)[0]

    def _commit_wear(self, scope: Scope, effect: BoundEffect, body: Body, prepared: Any) -> None:
        self.wear(body, effect.operand)

    def _prepare_off(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        items = self._worn(body, effect.operand)
        if not items:
            return None, "no_change"
        return None, "full" if body.alive and not self.goods.bags.fits(body, items) else ""

    def _commit_off(self, scope: Scope, effect: BoundEffect, body: Body, prepared: Any) -> None:
        if body.alive:
            self.take_off(body, effect.operand)
            return
        for item in self._worn(body, effect.operand):
            self._let_go(body, item, "death")

    # what outlives the session

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("worn", self.kept, self.back, "items", of_players=False, known=self._known),)

    def _known(self, kind: ActorKind) -> Container[str]:
        return self.stage.kinds.known.items

    @staticmethod
    def kept(body: Body) -> dict[str, list[int]]:
        """Return what somebody wears, to be saved: each item with its places in the order of all of them."""
        found: dict[str, list[int]] = {}
        for order, item in enumerate(item for worn in body.worn.values() for item in worn):
            found.setdefault(item, []).append(order)
        return found

    def back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let somebody wear what was saved, into the bag what it cannot wear any more; returns items that
        are unknown."""
        known, before = self._known(body.kind), self._worn(body, ALL)
        found = sorted((order, item) for item in list(data) if item in known for order in data.pop(item))
        body.worn = {}
        for _, item in found:
            body.worn.setdefault(self.kinds.slots.get(item, ""), []).append(item)
        after = self._worn(body, ALL)
        for item in dict.fromkeys([*before, *after]):
            slot, more = self.kinds.slots.get(item, ""), after.count(item) - before.count(item)
            if more and told:
                self.goods.book(body.id, item, more, self.stage.told_why)
            elif more:
                self.goods.bring(body.id, item, more)
            for _ in range(abs(more) if told else 0):
                name, why = ("worn", "") if more > 0 else ("taken_off", self.stage.told_why)
                self.stage.emit(name, body.id, "", (item, slot, why))
        self.make_room(body)
        return data

    def make_room(self, body: Body) -> None:
        """Let the newest of what is worn go where a slot has fewer places than it had."""
        for slot, worn in list(body.worn.items()):
            while len(worn) > body.kind.slots.get(slot, 0):
                self._let_go(body, worn[-1], SLOT)

    # under another design

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: what cannot be worn any more."""
        for body in self.stage.actors.values():
            worn: dict[str, list[str]] = {}
            for slot, item in [(slot, item) for slot, several in body.worn.items() for item in several]:
                if item in self._known(body.kind):
                    worn.setdefault(self.kinds.slots.get(item, ""), []).append(item)
                else:
                    crossing.told.append(("taken_off", body.id, (item, slot, "adopted")))
            body.worn = worn

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`: slots that have fewer places."""
        for body in self.stage.actors.values():
            self.make_room(body)
