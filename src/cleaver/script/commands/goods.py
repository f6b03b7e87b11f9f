"""Commands about things, money and exchanges. Start at `place`."""

from __future__ import annotations

from typing import Annotated

from cleaver.core.handles import Actor
from cleaver.core.kernel.results import ChangeResult, Result
from cleaver.rounding import counted
from cleaver.script.command import command, said
from cleaver.script.parameters import (
    ActorName,
    Currency,
    ExchangeName,
    GoodsGiven,
    Input,
    Item,
    PickupName,
    PlacementName,
    Reason,
    Spot,
    Whole,
    actor,
    words,
)
from cleaver.script.session import Session

THEME = "goods"


@command(THEME, "place sealant kit at=3,4 mends=60")
def place(
    session: Session,
    pickup: PickupName,
    /,
    *names: Annotated[str, words("NAME")],
    at: Spot | None = None,
    **inputs: Input,
) -> str:
    """Lays pickups out."""
    given = session.all_free(list(names)) or [""]
    made = [session.world.place(pickup, name, at=at, **inputs).id for name in given]
    session.result = Result()
    return f"{', '.join(made)} {'lies' if len(made) == 1 else 'lie'} there"


@command(THEME, "remove_placement kit")
def remove_placement(session: Session, placement: PlacementName) -> str:
    """Takes a placement out of the world, as nobody did."""
    placement.remove()
    session.result = Result()
    return f"{placement.id} is gone"


@command(THEME, "take ana kit")
def take(session: Session, actor: Annotated[Actor, actor("ACTOR")], placement: PlacementName) -> str:
    """Takes a placement."""
    return said(session, actor.take(placement), f"{actor.id} takes {placement.id}")


@command(THEME, "earn ana scrip 10")
def earn(
    session: Session, actor: ActorName, currency: Currency, amount: Whole, *, reason: Reason = "earn"
) -> str:
    """Gains money."""
    return _moved(session, currency, actor.earn(currency, amount, reason=reason))


@command(THEME, "spend ana scrip 4")
def spend(
    session: Session, actor: ActorName, currency: Currency, amount: Whole, *, reason: Reason = "spend"
) -> str:
    """Spends money, all or nothing."""
    return _moved(session, currency, actor.spend(currency, amount, reason=reason))


@command(THEME, "give ana pearl 2")
def give(
    session: Session, actor: ActorName, item: Item, amount: Whole = 1, *, reason: Reason = "give"
) -> str:
    """Gives an item, all or nothing."""
    return _moved(session, item, actor.give(item, amount, reason=reason))


@command(THEME, "remove ana pearl")
def remove(
    session: Session, actor: ActorName, item: Item, amount: Whole = 1, *, reason: Reason = "remove"
) -> str:
    """Takes an item away, all or nothing."""
    return _moved(session, item, actor.remove(item, amount, reason=reason))


def _moved(session: Session, good: str, result: ChangeResult) -> str:
    over = f", {result.over} did not fit" if result.over else ""
    return said(session, result, f"{result.amount} {good}{over}")


@command(THEME, "bag ana 12")
def bag(session: Session, actor: ActorName, most: Whole) -> str:
    """Sets how much a bag holds."""
    return said(session, actor.bag.resize(most), f"the bag of {actor.id} holds {most}")


@command(THEME, "exchange ana harbour_office")
def exchange(
    session: Session, actor: ActorName, exchange: ExchangeName, *, times: Whole | None = None
) -> str:
    """Sells, buys or crafts."""
    result = actor.exchange(exchange, times)
    return said(session, result, f"{exchange}, {counted(result.times, 'time')}")


@command(THEME, "trade ana bea gives=pearl:2 gets=scrip:30")
def trade(
    session: Session,
    actor: ActorName,
    other: Annotated[Actor, actor("OTHER")],
    *,
    gives: GoodsGiven | None = None,
    gets: GoodsGiven | None = None,
) -> str:
    """Lets two players give each other goods, all or nothing."""
    result = session.world.trade(actor, gives or {}, other, gets or {})
    session.result = result
    if result.blocked:
        return f"refused: {result.blocked}" + (f" ({result.who})" if result.who else "")
    return f"{actor.id} gives {_listed(gives)}, {other.id} gives {_listed(gets)}"


def _listed(goods: dict[str, int] | None) -> str:
    return ", ".join(f"{count} {good}" for good, count in (goods or {}).items() if count) or "nothing"
