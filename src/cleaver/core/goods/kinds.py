"""Kinds of goods: currencies, items, pickups and exchanges, bound for play. Start at `GoodsKinds`."""

from __future__ import annotations

from cleaver.core.kernel.spans import as_span, days_of
from cleaver.rounding import is_number

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.kernel.binder import Binder
    from cleaver.core.kernel.expressions import Amount, Effects, Expression, Span
    from cleaver.design import models


class CurrencyKind:
    """A currency: what a player starts with, the most there may be, whether teams share one purse."""

    __slots__ = ("most", "pooled", "start")
    start: int
    most: int | None
    pooled: bool

    def __init__(self, currency: models.Currency) -> None:
        self.start, self.most, self.pooled = currency.start, currency.most, currency.pooled


class PickupKind:
    """A thing that can lie in the world."""

    __slots__ = (
        "cooldown", "do", "for_", "inputs", "name", "needs", "once", "reach", "respawn_after", "respawn_in",
        "split", "stays", "tags", "waste",
    )  # fmt: skip
    name: str
    inputs: dict[str, float]
    for_: tuple[str, ...]
    tags: tuple[str, ...]
    do: Effects
    needs: tuple[Expression, ...]
    once: bool
    reach: Amount | None
    waste: bool
    stays: bool
    split: bool
    cooldown: Span
    respawn_after: int
    respawn_in: tuple[tuple[str, float, float], ...]

    def __init__(self, name: str, pickup: models.Pickup, bind: Binder) -> None:
        self.name, self.inputs, self.for_, self.tags = name, dict(pickup.inputs), pickup.for_, pickup.tags
        self.do = bind.effects(pickup.do, f"pickups.{name}.do", locals=pickup.inputs)
        self.needs = bind.conditions(pickup.needs, f"pickups.{name}.needs", locals=pickup.inputs)
        self.once = pickup.once
        self.waste, self.stays, self.split = pickup.waste, pickup.stays, pickup.split
        self.reach = bind.reach(pickup.reach, f"pickups.{name}")
        self.cooldown = bind.span(pickup.cooldown, f"pickups.{name}.cooldown", locals=pickup.inputs)
        self.respawn_after = as_span(pickup.respawn_after) if pickup.respawn_after is not None else -1
        self.respawn_in = tuple((axis, low, high) for axis, (low, high) in sorted(pickup.respawn_in.items()))


class Spot:
    """A place of the design."""

    __slots__ = ("x", "y", "z")
    x: float
    y: float
    z: float

    def __init__(self, at: tuple[float, ...]) -> None:
        self.x, self.y, self.z = (*at, 0.0)[:3]


class ExchangeKind:
    """Some goods for others."""

    __slots__ = (
        "all",
        "at",
        "constant",
        "costs",
        "do",
        "gives",
        "name",
        "needs",
        "open",
        "reach",
        "restock_after",
        "stock",
        "title",
    )
    name: str
    title: str
    constant: bool
    """Whether each one is like the one before: so many of them are one sum."""
    all: bool
    open: tuple[int, int] | None
    stock: int | None
    reach: Amount | None
    restock_after: int
    at: Spot | None
    costs: dict[str, Amount]
    gives: dict[str, Amount]
    do: Effects
    needs: tuple[Expression, ...]

    def __init__(self, name: str, exchange: models.Exchange, bind: Binder) -> None:
        path = f"exchanges.{name}"
        self.name, self.all, self.stock = name, exchange.all, exchange.stock
        self.title = exchange.title or name.replace("_", " ")
        self.reach = bind.reach(exchange.reach, path)
        self.open = days_of(exchange.open)
        self.restock_after = as_span(exchange.restock_after) if exchange.restock_after is not None else 0
        self.at = Spot(exchange.at) if exchange.at else None
        self.costs = {
            good: bind.amount(amount, f"{path}.costs.{good}", locals=("bought",))
            for good, amount in exchange.costs.items()
        }
        self.gives = {
            good: bind.amount(amount, f"{path}.gives.{good}", locals=("bought",))
            for good, amount in exchange.gives.items()
        }
        self.do = bind.effects(exchange.do, f"{path}.do", locals=("bought",))
        self.needs = bind.conditions(exchange.needs, f"{path}.needs", locals=("bought",))
        numbers = all(is_number(amount) for amount in (*self.costs.values(), *self.gives.values()))
        self.constant = numbers and not (self.do or self.needs or self.costs.keys() & self.gives.keys())


class GoodsKinds:
    """The goods of a design, by name; `items` gives (the most there may be, the size of one)."""

    __slots__ = ("currencies", "exchanges", "items", "pickups")
    currencies: dict[str, CurrencyKind]
    items: dict[str, tuple[int | None, int]]
    pickups: dict[str, PickupKind]
    exchanges: dict[str, ExchangeKind]

    def __init__(self, tables: models.DesignTables, bind: Binder) -> None:
        self.currencies = {name: CurrencyKind(currency) for name, currency in tables.currencies.items()}
        self.items = {name: (item.most, item.size) for name, item in tables.items.items()}
        self.pickups = bind.each("pickups", tables.pickups, lambda name, one: PickupKind(name, one, bind))
        self.exchanges = bind.each(
            "exchanges", tables.exchanges, lambda name, one: ExchangeKind(name, one, bind)
        )
