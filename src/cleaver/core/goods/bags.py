"""Bags: how much somebody can hold. Start at `Bags.bag_most`."""

from __future__ import annotations

from math import floor

from cleaver.core.goods.ledgers import GoodsTable, Holding, Ledger
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import MOST, BoundEffect, Expression, amount_of
from cleaver.core.kernel.results import ChangeResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.stats.account import Stats, cause_of
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Iterable
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
    stats: Stats

    def __init__(self, goods: _Goods, stats: Stats) -> None:
        self.goods, self.stats = goods, stats
        stats.fits["bag"] = self._moved

    def bag_most(self, body: Body) -> int:
        """Return how much fits into a body's bag; -1 for no limit."""
        most = body.stats.get("bag")
        if most is not None:
            return max(floor(most), 0) if most < MOST else MOST
        bag = body.kind.bag
        return -1 if bag is None or isinstance(bag, Expression) else int(bag)

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

    def fits(self, body: Body, comes: Iterable[str], goes: Iterable[str] = ()) -> bool:
        """Return whether items fit into a bag that others leave in the same step."""
        sizes = {name: size for name, (_, size) in self.goods.kinds.items.items()}
        most, more = (
            self.bag_most(body),
            sum(sizes[name] for name in comes) - sum(sizes[name] for name in goes),
        )
        return most < 0 or more <= 0 or self.bag_used(body) + more <= most

    def stow(self, body: Body, item: str, amount: int) -> None:
        """Put into a bag, or take out of it, what stays its owner's: what is put on or taken off."""
        items = self.goods.holding(body.id).items
        items[item] = items.get(item, 0) + amount

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
        self.stats.let_be(body, "bag", most)
        return self._resize(body, most)

    def _resize(self, body: Body, most: float, cause: int = -1) -> ChangeResult:
        before = max(self.bag_most(body), 0)
        limited = self.bag_most(body) >= 0
        body.stats["bag"] = most
        after = self.bag_most(body)
        if limited and before == after:
            return ChangeResult("no_change")
        self.goods.stage.emit("adjusted", body.id, "", ("bag", "max", before, after), cause)
        return ChangeResult("", after - before)

    def _moved(self, body: Body, name: str, value: float, keep: str, cause: int) -> None:
        self._resize(body, value, cause)

    def prepare_raise(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        amount = half_up(amount_of(effect.operand, scope))
        return amount, "no_change" if not amount or self.bag_most(body) < 0 else ""

    def commit_raise(self, scope: Scope, effect: BoundEffect, body: Body, amount: Any) -> None:
        """See `effects`."""
        if amount and self.bag_most(body) >= 0:  # a bag without an end cannot grow
            self.stats.raised(body, "bag", amount, cause_of(scope))
