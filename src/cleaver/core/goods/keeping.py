"""Keeping: money and items as a profile has them. Start at `GoodsKept.money_kept`."""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.core.goods.ledgers import ITEM, MONEY, GoodsTable, Holding, Move
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.stage import Stage
from cleaver.core.stats.account import EARLIER

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Protocol

    from cleaver.core.goods.kinds import GoodsKinds

    class _Goods(Protocol):
        """What is asked of `Goods`."""

        kinds: GoodsKinds
        bags: Any
        stage: Stage
        table: GoodsTable

        def shift(self, move: Move, amount: int, holder: str = "") -> int: ...
        def tell(self, move: Move, amount: int, over: int, now: int) -> None: ...
        def bring(self, holder: str, good: str, amount: int) -> None: ...
        def holding(self, holder: str) -> Holding: ...


class GoodsKept:
    """What of goods outlives a session."""

    goods: _Goods

    def __init__(self, goods: _Goods) -> None:
        self.goods = goods

    def money_kept(self, body: Body) -> dict[str, Any]:
        """Return a player's own money, to be saved. What its team has in common is the team's; of a pooled
        currency that is what it had without a team."""
        held = self.goods.table.held.get(body.id)
        own = {} if held is None else held.purse
        return {
            name: own.get(name, 0)
            for name, kind in self.goods.kinds.currencies.items()
            if not kind.pooled or name in own
        }

    def money_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player have the money that was saved, and of a currency that never was what one starts with,
        or nothing where it is pooled; returns those that are unknown."""
        purse = self.goods.holding(body.id).purse
        for name, kind in self.goods.kinds.currencies.items():
            if kind.pooled and name not in data:
                self._become(body, MONEY, name, 0, told)
                purse.pop(name, None)
            elif told or name in data:
                self._become(body, MONEY, name, data.pop(name, kind.start), told)
                purse.setdefault(name, 0)  # that it has none of it is known, too
        return data

    def beyond(self, sections: Mapping[str, Any]) -> tuple[str, int, int] | None:
        """Return the first amount in the sections of a profile that is beyond what the design lets one have:
        (path, amount, most)."""
        limits = (
            ("currencies", {name: kind.most for name, kind in self.goods.kinds.currencies.items()}),
            ("items", {name: most for name, (most, _) in self.goods.kinds.items.items()}),
        )
        for section, mosts in limits:
            for name, amount in sections.get(section, {}).items():
                most = mosts.get(name)
                if most is not None and amount > most:
                    return f"{section}.{name}", amount, most
        return None

    def items_kept(self, body: Body) -> dict[str, Any]:
        """Return the items a body holds, to be saved."""
        held = self.goods.table.held.get(body.id)
        return {} if held is None else {name: count for name, count in held.items.items() if count}

    def items_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a body hold the items that were saved and no others; returns those that are unknown."""
        size = data.pop("bag size", -1)  # as Cleaver 0.2.0 kept it
        if size >= 0:
            body.raised.setdefault("bag", {})[EARLIER] = size - self.goods.bags.bag_most(body)
        for name in self.goods.kinds.items:
            self._become(body, ITEM, name, data.pop(name, 0), told)
        return data

    def _become(self, body: Body, what: str, name: str, amount: int, told: bool) -> None:
        """Let a body have exactly *amount* of a good; *told*: report it, with the reason why it is only
        told."""
        held = self.goods.holding(body.id)
        now = (held.purse if what == MONEY else held.items).get(name, 0)
        if told and amount != now:
            move = Move(body, what, name, amount - now, self.goods.stage.told_why)
            self.goods.tell(move, move.amount, 0, self.goods.shift(move, move.amount, body.id))
        elif not told:
            if what == MONEY:
                held.purse[name] = amount
            elif amount:
                held.items[name] = amount
            if amount > now:
                self.goods.bring(body.id, name, amount - now)
