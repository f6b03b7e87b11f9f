"""Exchanges: some goods for others — a sale, a shop, a craft, an upgrade.

Owns what was bought how often and what is left in stock; the goods themselves move through `goods`, all of a
command together or not at all. Start at `Exchanges.exchange`.
"""

from __future__ import annotations

from cleaver.core.goods.goods import Goods, Told
from cleaver.core.goods.ledgers import ITEM, MONEY, Ledger, Move
from cleaver.core.goods.pickups import in_reach
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.clock import RETURNS, Timer
from cleaver.core.kernel.effects import Draft, Effects
from cleaver.core.kernel.expressions import MOST, BoundEffect, amount_of, met, whole_amount
from cleaver.core.kernel.part import Keeper, Part, by_name
from cleaver.core.kernel.results import ExchangeResult
from cleaver.core.kernel.scope import Given, Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record, each_under_its_name
from cleaver.errors import SnapshotError, UnknownNameError
from cleaver.named import NamedTuple
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, ClassVar

    from cleaver.core.goods.kinds import ExchangeKind, GoodsKinds
    from cleaver.core.kernel.crossing import Crossing
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


class Order:
    """An exchange that was worked out and not made: `done` times. `goods` are what it costs and gives,
    `moves` all that moves with its effects; `draft` are its effects, where it is done once.

    Where it has effects and is done several times, each of these sees what the ones before it left:
    `before` are the dice that were taken before it, and it is worked out anew, time by time, when it is made.
    """

    __slots__ = ("before", "body", "done", "draft", "goods", "kind", "moves", "refused", "target")
    body: Body
    kind: ExchangeKind
    done: int
    refused: Blocked
    draft: Draft | None
    before: tuple[str, ...] | None
    target: Body | None

    def __init__(self, body: Body, kind: ExchangeKind) -> None:
        self.body, self.kind, self.done, self.refused = body, kind, 0, ""
        self.draft = self.before = self.target = None
        self.goods: list[Move] = []
        self.moves: list[Move] = []


class Offer(NamedTuple):
    """An exchange as somebody finds it: its name and title, what the next one costs by good, what is left of
    its stock (None: no end), why it cannot be used ("" if it can), and how often it can be now."""

    name: str
    title: str
    price: dict[str, int]
    stock: int | None
    blocked: Blocked
    times: int


MOST_COUNTED = 100
"""Of an exchange that is another each time, how many an offer counts."""


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
    effects: Effects
    table: ExchangeTable

    name = "exchanges"

    def __init__(self, stage: Stage, goods: Goods, effects: Effects) -> None:
        self.stage, self.goods, self.kinds, self.effects = stage, goods, goods.kinds, effects
        stage.verbs["exchange"] = (self._prepare, self._follow)
        self.table = ExchangeTable()
        stage.due["restock"] = self._restock
        stage.readable["bought"] = lambda body, name, part: self.bought(body, name)

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (by_name("exchanges", lambda: self.table.bought, lambda: self.kinds.exchanges),)

    def remember(self) -> Any:
        """See `Part`: what is left of each stock, and how long until there is more."""
        left = self.stage.clock.left
        return {
            name: [stock.left, left(stock.due) if stock.due >= 0 else -1]
            for name, stock in self.table.stocks.items()
        }

    def put_back(self, data: Any) -> None:
        """See `Part`."""
        clock = self.stage.clock
        for name, stock in list(self.table.stocks.items()):
            clock.disarm(stock)
            if name not in data:
                del self.table.stocks[name]
                continue
            stock.left, wait = data[name]
            if wait >= 0:
                clock.arm(stock, clock.later(wait))

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: what was bought of exchanges that are gone is forgotten here, and no stock is fuller
        than it may be."""
        exchanges = self.kinds.exchanges
        for name, stock in list(self.table.stocks.items()):
            kind = exchanges.get(name)
            if kind is None or kind.stock is None:
                stock.due = -1
                del self.table.stocks[name]
            else:
                stock.left = min(stock.left, kind.stock)
        crossing.only(self.table.bought, exchanges)

    def relink(self) -> None:
        """See `Part`."""
        each_under_its_name(self.table.stocks, "name")
        for name, stock in self.table.stocks.items():
            if not 0 <= stock.left <= (self.kind(name).stock or 0):
                raise SnapshotError(
                    f"the stock of {name} in the snapshot is {stock.left}, which it cannot be"
                )
        for player, bought in self.table.bought.items():
            if min(bought.values(), default=0) < 0:
                raise SnapshotError(f"{player} has bought less than nothing in the snapshot")

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
        return {good: whole_amount(amount, scope) for good, amount in kind.costs.items()}

    def _scope(self, body: Body, kind: ExchangeKind, bought: int) -> Scope:
        return Scope(
            self.stage,
            body,
            inputs=Given.over(self.stage.kinds.inputs, {"bought": bought}),
            place=f"exchanges.{kind.name}",
            reason=kind.name,
        )

    def refusal(self, body: Body, kind: ExchangeKind) -> Blocked:
        """Return why a body may not use an exchange, whatever it can pay; "" if it may."""
        if not body.alive:
            return "dead"
        if not self._open(body, kind, self.bought(body, kind.name)):
            return "locked"
        if not self.stage.clock.is_open(kind.open):
            return "closed"
        if kind.at is not None and not in_reach(self.stage, body, kind.at, kind.reach):
            return "out_of_reach"
        return "sold_out" if self.left(kind.name) == 0 else ""

    def _open(self, body: Body, kind: ExchangeKind, bought: int) -> bool:
        if not kind.needs:
            return True
        scope = self._scope(body, kind, bought)
        return met(kind.needs, scope)

    def exchange(
        self, body: Body, name: str, times: int | None, target: Body | None = None
    ) -> ExchangeResult:
        """Exchange once, *times* times or nothing, or (where the design says `all`) as often as it can."""
        drawn: list[str] = []
        order = self.order(body, name, times, drawn, target)
        if order.refused:
            return ExchangeResult(order.refused)
        self.fill(order)
        self.effects.draw(drawn)
        return ExchangeResult("", order.done)

    def how_many(self, body: Body, name: str) -> int:
        """Return how often somebody could use an exchange now, one after another; where each one is another,
        no more than `MOST_COUNTED` are counted."""
        kind = self.kind(name)
        order = Order(body, kind)
        if self.refusal(body, kind):
            return 0
        stock = self.left(name)
        most = MOST if stock is None else stock
        ledger = Ledger()
        self.goods.begin(ledger)
        if kind.constant:
            self._at_once(order, ledger, most, all_of_them=False)
            return order.done
        most = min(most, MOST_COUNTED)
        if not kind.do:
            outer, self.goods.overlay = self.goods.overlay, ledger
            try:
                self._repeat(order, ledger, most, [], all_of_them=False)
            finally:
                self.goods.overlay = outer
            return order.done
        twin, drawn = self.stage.twin(), list[str]()
        for done in range(most):
            one = twin.exchanges.order(twin.stage.actors[body.id], name, 1, drawn)
            if one.refused:
                return done
            twin.exchanges.fill(one)
            twin.stage.queue.clear()
        return most

    def offers(self, body: Body) -> tuple[Offer, ...]:
        """Return every exchange as somebody finds it now."""
        found = []
        for name, kind in self.kinds.exchanges.items():
            blocked = self.order(body, name, 1, []).refused
            times = 0 if blocked else self.how_many(body, name)
            price = self.price(body, name)
            found.append(Offer(name, kind.title, price, self.left(name), blocked, times))
        return tuple(found)

    def order(
        self, body: Body, name: str, times: int | None, drawn: list[str], target: Body | None = None
    ) -> Order:
        """Work an exchange out; changes nothing.

        Args:
            body: Whose it is.
            name: The exchange.
            times: How often, or not at all; None for once, or as often as it can where the design says `all`.
            drawn: The dice that were taken before it in the same step; those of its effects are added.
            target: Whom effects on a target are for.
        """
        kind = self.kind(name)
        order = Order(body, kind)
        order.target = target
        order.refused = self.refusal(body, kind)
        if order.refused:
            return order
        wanted = times if times is not None else 1 if not kind.all else MOST if kind.constant else MOST_TIMES
        stock = self.left(name)
        if stock is not None and wanted > stock:
            if times is not None:
                order.refused = "sold_out"
                return order
            wanted = stock
        if kind.do and wanted > 1:
            order.refused = self._rehearse(order, wanted, drawn)
            return order
        ledger = Ledger()
        self.goods.begin(ledger)
        if kind.constant:
            stopped = self._at_once(order, ledger, wanted, all_of_them=times is not None)
        else:
            # So that what each needs and costs is asked of what the ones before it leave.
            outer, self.goods.overlay = self.goods.overlay, ledger
            try:
                stopped = self._repeat(order, ledger, wanted, drawn, all_of_them=times is not None)
            finally:
                self.goods.overlay = outer
        if not order.done or (times is not None and order.done < times):
            order.refused = stopped or "no_change"
        order.moves = ledger.moves
        return order

    def _at_once(self, order: Order, ledger: Ledger, wanted: int, *, all_of_them: bool) -> Blocked:
        """Work an order out whose goods are always the same: as often as *wanted*, or as it can be done;
        returns what stopped it."""
        single = self._moves(order.body, order.kind, 0)
        if not any(move.amount for move in single):
            return "no_change"
        least, most = 0, wanted + 1
        stopped: Blocked = ""
        tried = wanted
        while most - least > 1:
            for move, one in zip(moves := self._moves(order.body, order.kind, 0), single, strict=True):
                move.amount = one.amount * tried
            refused = self.goods.try_more(ledger, moves)
            if refused:
                most, stopped = tried, refused
                if all_of_them:
                    break
            else:
                least, order.goods = tried, moves
                self.goods.begin(ledger)
            tried = (least + most) // 2
        order.done, ledger.moves = least, order.goods
        return stopped

    def _repeat(
        self, order: Order, ledger: Ledger, wanted: int, drawn: list[str], *, all_of_them: bool
    ) -> Blocked:
        """Work an order out as often as *wanted*, or as it can be done; returns what stopped it."""
        body, kind = order.body, order.kind
        before = self.bought(body, kind.name)
        for done in range(wanted):
            if not self._open(body, kind, before + done):
                return "locked"
            goods = self._moves(body, kind, before + done)
            moves = goods
            if kind.do:
                scope = self._scope(body, kind, before + done)
                scope.target = order.target
                draft = self.effects.work_out(kind.do, scope, drawn)
                moves = goods + draft.ledger.moves
                if draft.refused:
                    return draft.refused
                if not draft.changes and not any(move.amount > 0 for move in moves):
                    return draft.reasons[0] if draft.reasons else "no_change"  # it would pay for nothing
                order.draft = draft
            elif not any(move.amount for move in moves):
                return "no_change"
            refused = self.goods.try_more(ledger, moves)
            if refused:
                rest = range(done, wanted) if all_of_them else ()
                return (
                    "too_poor"
                    if any(self._too_poor(order, ledger, before + more) for more in rest)
                    else refused
                )
            order.goods += goods
            order.done += 1
        return ""

    def _too_poor(self, order: Order, ledger: Ledger, bought: int) -> bool:
        """Return whether one more cannot be paid; else it is paid."""
        costs = [move for move in self._moves(order.body, order.kind, bought) if move.amount < 0]
        return self.goods.try_more(ledger, costs) == "too_poor"

    def _rehearse(self, order: Order, wanted: int, drawn: list[str]) -> Blocked:
        """Do an order whose effects may change what the next one asks for, time by time, in a copy of the
        world; returns what stopped it."""
        twin = self.stage.twin()
        if self.goods.overlay is not None:
            twin.goods.take_over(self.goods.overlay)
        body, exchanges = twin.stage.actors[order.body.id], twin.exchanges
        order.before = tuple(drawn)
        for _ in range(wanted):
            on = None if order.target is None else twin.stage.actors[order.target.id]
            one: Order = exchanges.order(body, order.kind.name, 1, drawn, on)
            if one.refused:
                return one.refused
            exchanges.fill(one)
            twin.stage.queue.clear()
            order.moves += [move.of(self.stage.actors[move.body.id]) for move in one.moves]
        order.done = wanted
        return ""

    def fill(self, order: Order) -> None:
        """Make an order that was worked out: one event of it, and one of each good that comes or goes."""
        stage, body, kind = self.stage, order.body, order.kind
        before, stage.cause = stage.cause, stage.emit("exchanged", body.id, "", (kind.name, order.done))
        told = self.goods.sums(order.moves)
        if order.before is None:
            self._make(order, told)
        else:
            taken = list(order.before)
            for _ in range(order.done):
                self._make(self.order(body, kind.name, 1, taken, order.target), told)
        stage.cause = before

    def _make(self, order: Order, told: Told | None) -> None:
        stage, body, kind, done = self.stage, order.body, order.kind, order.done
        bought = self.table.bought.setdefault(body.id, {})
        bought[kind.name] = min(bought.get(kind.name, 0) + done, MOST)
        stage.touched("bought", body.id)
        if kind.stock is not None:
            stock = self.table.stocks.get(kind.name)
            if stock is None:
                stock = self.table.stocks[kind.name] = Stock(kind.name, kind.stock)
            stock.left -= done
            if kind.restock_after and stock.due < 0:
                stage.clock.arm(stock, stage.clock.later(kind.restock_after))
        self.goods.move(order.goods, told)
        if order.draft is not None:
            self.effects.finish(order.draft, told)

    def _moves(self, body: Body, kind: ExchangeKind, bought: int) -> list[Move]:
        scope = self._scope(body, kind, bought)
        moves = []
        for sign, goods in ((-1, kind.costs), (1, kind.gives)):
            for good, amount in goods.items():
                what = MONEY if good in self.kinds.currencies else ITEM
                move = Move(body, what, good, sign * whole_amount(amount, scope), kind.name)
                move.strict = True
                moves.append(move)
        return moves

    # effects

    def _prepare(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        times = effect.beside.get("times")
        count = None if times is None else half_up(amount_of(times, scope))
        if count == 0:
            return 0, "no_change"
        return count, self.order(body, effect.operand, count, []).refused

    def _follow(self, scope: Scope, effect: BoundEffect, body: Body, times: Any) -> bool:
        return times == 0 or bool(self.exchange(body, effect.operand, times))

    def _restock(self, stock: Stock) -> None:
        stock.left = self.kind(stock.name).stock or 0
