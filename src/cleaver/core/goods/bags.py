"""Bags: how much somebody can hold. Start at `Bags.bag_most`."""

from __future__ import annotations

from cleaver.core.goods.ledgers import GoodsTable, Holding, Ledger
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import MOST, BoundEffect, amount_of
from cleaver.core.kernel.results import ChangeResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Protocol

    from cleaver.core.goods.kinds import GoodsKinds
    from cleaver.literals import Blocked

    class _Goods(Protocol):
        """What is asked of `Goods`."""

        kinds: GoodsKinds
        overlay: Ledger | None
        stage: Stage
        table: GoodsTable

        def holding(self, holder: str) -> Holding: ...


class Bags:
    """The bags of one world."""

    goods: _Goods

    def __init__(self, goods: _Goods) -> None:
        self.goods = goods

    def bag_most(self, body: Body) -> int:
        """Return how much fits into a body's bag; -1 for no limit."""
        held = self.goods.table.held.get(body.id)
        if held is not None and held.bag >= 0:
            return held.bag
        return -1 if body.kind.bag is None else body.kind.bag

    def bag_used(self, body: Body) -> int:
        """Return how much of a body's bag is taken, by the sizes of what it holds."""
        if self.goods.overlay is not None and body.id in self.goods.overlay.room:
            return (
                max(self.bag_most(body), 0) - self.goods.overlay.room[body.id]
                if self.bag_most(body) >= 0
                else 0
            )
        held = self.goods.table.held.get(body.id)
        items = self.goods.kinds.items
        return (
            sum(number * items[name][1] for name, number in held.items.items() if name in items)
            if held is not None
            else 0
        )

    def read_bag(self, body: Body, name: str, part: str) -> int:
        """Return how much of a bag is used, or left."""
        used, most = self.bag_used(body), self.bag_most(body)
        if part == "used":
            return used
        if most < 0:
            return MOST
        return most if part == "most" else max(most - used, 0)

    def resize(self, body: Body, most: int) -> ChangeResult:
        """Let a body's bag hold *most*; what it holds already stays, also where it is more."""
        before = self.bag_most(body)
        if before == most:
            return ChangeResult("no_change")
        self.goods.holding(body.id).bag = most
        self.goods.stage.emit("adjusted", body.id, "", ("bag", "max", max(before, 0), most))
        return ChangeResult("", most - max(before, 0))

    def prepare_raise(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        amount = half_up(amount_of(effect.operand, scope))
        return amount, "no_change" if not amount or self.bag_most(body) < 0 else ""

    def commit_raise(self, scope: Scope, effect: BoundEffect, body: Body, amount: Any) -> None:
        """See `effects`."""
        if amount and self.bag_most(body) >= 0:  # a bag without an end cannot grow
            self.resize(body, min(self.bag_most(body) + amount, MOST))
