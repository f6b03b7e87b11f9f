"""Costs: what an attack or an ability takes of whoever uses it, in meters, money and items.

Start at `Costs`.
"""

from __future__ import annotations

from cleaver.core.goods.ledgers import ITEM, MONEY, Move
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import amount_of, whole_amount
from cleaver.core.kernel.scope import Scope
from cleaver.rounding import NOISE

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.goods.goods import Goods
    from cleaver.core.kernel.expressions import Amount
    from cleaver.core.vitals.meters import Vitals


class Bill:
    """What something costs somebody now: so much of meters, and moves of goods."""

    __slots__ = ("goods", "meters")
    meters: list[tuple[str, float]]
    goods: list[Move]

    def __init__(self, meters: list[tuple[str, float]], goods: list[Move]) -> None:
        self.meters, self.goods = meters, goods


class Costs:
    """How costs are worked out and paid in one world."""

    goods: Goods
    vitals: Vitals

    def __init__(self, goods: Goods, vitals: Vitals) -> None:
        self.goods, self.vitals = goods, vitals

    def bill(self, body: Body, costs: dict[str, Amount], scope: Scope, reason: str) -> Bill:
        """Return what something costs somebody now."""
        bill = Bill([], [])
        currencies = self.goods.kinds.currencies
        for name, amount in costs.items():
            if name in body.meters:
                meter = body.meters[name]
                asked = self.vitals.whole_amount(meter.kind, amount_of(amount, scope))
                bill.meters.append((name, asked))
            else:
                what = MONEY if name in currencies else ITEM
                bill.goods.append(Move(body, what, name, -whole_amount(amount, scope), reason))
        return bill

    def written(self, body: Body, costs: dict[str, Amount], scope: Scope) -> dict[str, float]:
        """Return how much of what something costs somebody now."""
        bill = self.bill(body, costs, scope, "")
        return {**dict(bill.meters), **{move.name: -move.amount for move in bill.goods}}

    def affords(self, body: Body, bill: Bill) -> bool:
        """Return whether somebody can pay in full; of its vital meter something must be left."""
        for name, asked in bill.meters:
            left = self.vitals.value(body.meters[name]) - asked
            slack = body.meters[name].max * NOISE
            if left <= slack if name == body.kind.vital and asked else left < -slack:
                return False
        return all(self.goods.of(body, move.name) + move.amount >= 0 for move in bill.goods)

    def pay(self, body: Body, bill: Bill) -> None:
        """Let somebody pay what it can afford."""
        self.drain(body, bill)
        self.goods.move(bill.goods)

    def drain(self, body: Body, bill: Bill) -> None:
        """Take what is paid in meters."""
        for name, asked in bill.meters:
            self.vitals.drain(body, asked, name, body.id)
