"""Exchanges: some goods for others — a sale, a shop, a craft, an upgrade.

Owns what was bought how often and what is left in stock; the goods themselves move through `goods`, all of a
command together or not at all. Start at `Exchanges.exchange`.
"""

from __future__ import annotations

from cleaver.core.goods.goods import ITEM, MONEY, Goods, Ledger, Move
from cleaver.core.goods.pickups import within
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.clock import RETURNS, Timer
from cleaver.core.kernel.expressions import amount_of
from cleaver.core.kernel.part import Keeper, Part, by_name
from cleaver.core.kernel.results import ExchangeResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record, each_under_its_name
from cleaver.errors import UnknownNameError
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import ClassVar

    from cleaver.core.goods.kinds import ExchangeKind, GoodsKinds
    from cleaver.literals import Blocked

MOST_TIMES = 100_000  # that one command may exchange


class Stock(Timer):
    """What is left of an exchange's stock; due when it is full again, so long after the first was taken from
    a full one."""

    __slots__ = ("left", "name")
    rank: ClassVar[int] = RETURNS
    verb: ClassVar[str] = "restock"
    left: int
    name: str

    def __init__(self, name: str, left: int) -> None:
        super().__init__()
        self.name, self.left = name, left


class ExchangeTable(Record):
    """The state of this part: how often each actor has used each exchange, and the stocks."""

    __slots__ = ("bought", "stocks")
    bought: dict[str, dict[str, int]]
    stocks: dict[str, Stock]

    def __init__(self) -> None:
        self.bought, self.stocks = {}, {}


class Exchanges(Part):
    """The exchanges of one world."""

    stage: Stage
    goods: Goods
    kinds: GoodsKinds
    table: ExchangeTable

    name = "exchanges"

    def __init__(self, stage: Stage, goods: Goods) -> None:
        self.stage, self.goods, self.kinds = stage, goods, goods.kinds
        self.table = ExchangeTable()
        stage.due["restock"] = self._restock

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (by_name("exchanges", lambda: self.table.bought, lambda: self.kinds.exchanges),)

    def relink(self) -> None:
        """See `Part`."""
        each_under_its_name(self.table.stocks, "name")
        for stock in self.table.stocks:
            self.kind(stock)

    def forget(self, body: Body) -> None:
        """Drop how often somebody who goes has bought."""
        self.table.bought.pop(body.id, None)

    def kind(self, name: str) -> ExchangeKind:
        """Return an exchange of the design by its name."""
        found = self.kinds.exchanges.get(name)
        if found is None:
            raise UnknownNameError("exchange", name, tuple(self.kinds.exchanges))
        return found

    def bought(self, body: Body, name: str) -> int:
        """Return how often a body has used an exchange."""
        return self.table.bought.get(body.id, {}).get(name, 0)

    def left(self, name: str) -> int | None:
        """Return what is left of an exchange's stock; None where it has no limit."""
        kind = self.kind(name)
        if kind.stock is None:
            return None
        stock = self.table.stocks.get(name)
        return kind.stock if stock is None else stock.left

    def price(self, body: Body, name: str) -> dict[str, int]:
        """Return what the next one would cost a body."""
        kind = self.kind(name)
        scope = self._scope(body, kind, self.bought(body, name))
        return {good: half_up(amount_of(amount, scope)) for good, amount in kind.costs.items()}

    def _scope(self, body: Body, kind: ExchangeKind, bought: int) -> Scope:
        return Scope(
            self.stage,
            body,
            inputs={**self.stage.kinds.inputs, "bought": bought},
            place=f"exchanges.{kind.name}",
            reason=kind.name,
        )

    def refusal(self, body: Body, kind: ExchangeKind) -> Blocked:
        """Return why a body may not use an exchange, whatever it can pay; "" if it may."""
        if not body.alive:
            return "dead"
        if not self._open(body, kind, self.bought(body, kind.name)):
            return "locked"
        if kind.reach is not None and kind.at is not None and not within(body, kind.at, kind.reach):
            return "out_of_reach"
        return "sold_out" if self.left(kind.name) == 0 else ""

    def _open(self, body: Body, kind: ExchangeKind, bought: int) -> bool:
        if not kind.needs:
            return True
        scope = self._scope(body, kind, bought)
        return all(need.holds(scope) for need in kind.needs)

    def exchange(self, body: Body, name: str, times: int | None) -> ExchangeResult:
        """Exchange once, *times* times or nothing, or (where the design says `all`) as often as it can."""
        kind = self.kind(name)
        refused = self.refusal(body, kind)
        if refused:
            return ExchangeResult(refused)
        usual = MOST_TIMES if kind.all else 1
        wanted = usual if times is None else times
        stock = self.left(name)
        if stock is not None and wanted > stock:
            if times is not None:
                return ExchangeResult("sold_out")
            wanted = stock
        ledger = Ledger()
        ledger.strict = True
        self.goods.begin(ledger)
        self.goods.overlay = (
            ledger  # so that what each needs and costs is asked of what the ones before it leave
        )
        try:
            done, refused = self._repeat(body, kind, ledger, wanted)
        finally:
            self.goods.overlay = None
        if not done or (times is not None and done < times):
            return ExchangeResult(refused or "no_change")
        self._commit(body, kind, ledger, done)
        return ExchangeResult("", done)

    def _repeat(self, body: Body, kind: ExchangeKind, ledger: Ledger, wanted: int) -> tuple[int, Blocked]:
        """Work an exchange out as often as *wanted*; returns (how often it can be done, what stopped it)."""
        before = self.bought(body, kind.name)
        for done in range(wanted):
            if not self._open(body, kind, before + done):
                return done, "locked"
            moves = self._moves(body, kind, before + done)
            if not any(move.amount for move in moves):
                return done, "no_change"
            refused = self.goods.try_more(ledger, moves)
            if refused:
                return done, refused
        return wanted, ""

    def _moves(self, body: Body, kind: ExchangeKind, bought: int) -> list[Move]:
        scope = self._scope(body, kind, bought)
        moves = []
        for sign, goods in ((-1, kind.costs), (1, kind.gives)):
            for good, amount in goods.items():
                what = MONEY if good in self.kinds.currencies else ITEM
                moves.append(Move(body, what, good, sign * half_up(amount_of(amount, scope)), kind.name))
        return moves

    def _commit(self, body: Body, kind: ExchangeKind, ledger: Ledger, done: int) -> None:
        stage = self.stage
        bought = self.table.bought.setdefault(body.id, {})
        bought[kind.name] = bought.get(kind.name, 0) + done
        if kind.stock is not None:
            stock = self.table.stocks.get(kind.name)
            if stock is None:
                stock = self.table.stocks[kind.name] = Stock(kind.name, kind.stock)
            stock.left -= done
            if kind.restock_after and stock.due < 0:
                stage.clock.arm(stock, stage.clock.now + kind.restock_after)
        before, stage.cause = stage.cause, stage.emit("exchanged", body.id, "", (kind.name, done))
        self.goods.commit_sums(ledger)
        stage.cause = before

    def _restock(self, stock: Stock) -> None:
        stock.left = self.kind(stock.name).stock or 0
