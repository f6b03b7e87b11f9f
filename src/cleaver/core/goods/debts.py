"""Debts: what players have earned and had no room for; it is given as soon as it fits.

Start at `Debts.owe`.
"""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.core.goods.ledgers import Debt, GoodsTable, Ledger, Move
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import MOST
from cleaver.core.kernel.stage import Reaction, Stage

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Iterable
    from typing import Any, Protocol

    from cleaver.core.goods.kinds import GoodsKinds
    from cleaver.literals import Blocked

    class _Goods(Protocol):
        """What is asked of `Goods`."""

        kinds: GoodsKinds
        stage: Stage
        table: GoodsTable

        def move(self, moves: Iterable[Move], told: Any = None) -> None: ...
        def settle(self, ledger: Ledger, reasons: list[Blocked] | None = None) -> Blocked: ...
        @staticmethod
        def split_gain(body: Body, items: Mapping[str, int], reason: str) -> Ledger: ...


class Debts:
    """What the players of one world are owed."""

    goods: _Goods

    def __init__(self, goods: _Goods) -> None:
        self.goods = goods

    def owed_kept(self, body: Body) -> dict[str, Any]:
        """Return what a player is owed, to be saved: by item, how many for which reason, in order."""
        kept: dict[str, Any] = {}
        for number, debt in enumerate(self.goods.table.owed.get(body.id, ())):
            kept.setdefault(debt.item, []).append([number, debt.amount, debt.reason])
        return kept

    def owed_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player be owed what was saved; returns items that are unknown."""
        known = [
            (place, name, amount, reason)
            for name in self.goods.kinds.items
            for place, amount, reason in data.pop(name, ())
        ]
        self.goods.table.owed.pop(body.id, None)
        if known:
            self.goods.table.owed[body.id] = [
                Debt(name, amount, reason) for _, name, amount, reason in sorted(known)
            ]
        return data

    def owe(self, body: Body, item: str, amount: int, reason: str) -> None:
        """Keep for a player what it has earned and has no room for."""
        debts = self.goods.table.owed.setdefault(body.id, [])
        for debt in debts:
            if (debt.item, debt.reason) == (item, reason):
                debt.amount = min(debt.amount + amount, MOST)
                return
        debts.append(Debt(item, amount, reason))

    def pay_debts(self, body: Body) -> None:
        """Give a player what it is owed, in order, as far as it fits now."""
        debts = self.goods.table.owed.get(body.id)
        for debt in tuple(debts or ()):
            ledger = self.goods.split_gain(body, {debt.item: debt.amount}, debt.reason)
            self.goods.settle(ledger)
            debt.amount = ledger.moves[0].over
            self.goods.move(ledger.moves)
        if debts:
            self.goods.table.owed[body.id] = [debt for debt in debts if debt.amount]
            if not self.goods.table.owed[body.id]:
                del self.goods.table.owed[body.id]

    def plan(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan the payment of what is owed: when something was lost, or a bag has grown."""
        return [("", self._room_made)] if name in ("lost", "adjusted") and self.goods.kinds.items else []

    def _room_made(self, event: Event) -> None:
        body = self.goods.stage.players.get(event.actor)
        if body is not None and event.actor in self.goods.table.owed:
            self.pay_debts(body)
