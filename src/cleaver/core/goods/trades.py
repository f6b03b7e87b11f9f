"""Trades: goods of two players that change hands in one step. Keeps no state; start at `Trades.trade`."""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.core.goods.goods import Goods
from cleaver.core.goods.ledgers import ITEM, MONEY, Ledger, Move
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import MOST
from cleaver.core.kernel.part import Part
from cleaver.core.kernel.results import TradeResult
from cleaver.core.kernel.stage import Stage
from cleaver.errors import AmountError, UnknownNameError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any

    from cleaver.literals import Blocked

REASON = "trade"


class Trades(Part):
    """What players give each other in one world."""

    stage: Stage
    goods: Goods

    def __init__(self, stage: Stage, goods: Goods) -> None:
        self.stage, self.goods = stage, goods
        self.told: Callable[[Body, Mapping[str, int], Body, Mapping[str, int]], None]
        """Called with who has given what to whom for what."""

    def trade(
        self, one: Body, gives: Mapping[str, Any], other: Body, gives_back: Mapping[str, Any]
    ) -> TradeResult:
        """Let two players give each other goods: all of it moves, or nothing does."""
        if one is other:
            raise UsageError(f"{one.id} cannot trade with itself; name two players")
        for body in (one, other):
            if not body.kind.player:
                raise UsageError(f"{body.id} is no player; only players trade")
        moves = self._moves(one, gives, other) + self._moves(other, gives_back, one)
        for body in (one, other):
            if not body.alive:
                return TradeResult("dead", body.id)
        ledger = Ledger()
        self.goods.begin(ledger)
        # What leaves goes first: it makes room for what arrives.
        for move in sorted(moves, key=lambda move: move.amount > 0):
            refused: Blocked = self.goods.try_more(ledger, [move])
            if refused:
                return TradeResult(refused, move.body.id)
        if not moves:
            return TradeResult("no_change")
        stage = self.stage
        before, stage.cause = stage.cause, stage.emit("traded", one.id, other.id, ())
        self.goods.move(ledger.moves)
        stage.cause = before
        self.told(one, gives, other, gives_back)
        return TradeResult()

    def _moves(self, giver: Body, given: Mapping[str, Any], taker: Body) -> list[Move]:
        kinds = self.goods.kinds
        moves = []
        for good, amount in given.items():
            if good not in kinds.currencies and good not in kinds.items:
                raise UnknownNameError("good", good, (*kinds.currencies, *kinds.items))
            if isinstance(amount, bool) or not isinstance(amount, int) or not 0 <= amount <= MOST:
                raise AmountError(
                    f"the amount of {good} that {giver.id} gives", amount, f"a whole number from 0 to {MOST}"
                )
            if amount:
                what = MONEY if good in kinds.currencies else ITEM
                moves.append(Move(giver, what, good, -amount, REASON, taker.id))
                moves.append(Move(taker, what, good, amount, REASON, giver.id))
                moves[-1].strict = True
        return moves
