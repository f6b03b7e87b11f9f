"""Checks of goods: where they come from, where they go, and what exchanges make of them."""

from __future__ import annotations

from collections import Counter, deque
from collections.abc import Iterable, Iterator, Mapping
from math import inf

from cleaver.design.checks.finding import Told, all_effects, formulas_of, rule
from cleaver.design.checks.vitals import trials
from cleaver.design.design import Design
from cleaver.design.lines import Path
from cleaver.design.models import Exchange
from cleaver.design.names import named_in
from cleaver.design.vocabulary import COUNTED, GOODS, VERBS
from cleaver.rounding import half_up, is_number

WHOLE_VERBS = [verb for verb, spec in VERBS.items() if (spec.gives or spec.takes) in COUNTED]
FREE = ""  # stands for the cost of what costs nothing
MOST_TURNS = 100  # that a good becomes cheaper in the search for circles


def _goods(design: Design) -> Iterator[tuple[Path, str]]:
    for section in ("currencies", "items"):
        for name in getattr(design.tables, section):
            yield (section, name), name


def given_amounts(design: Design) -> set[str]:
    """Return every good that something in the design gives."""
    found = {str(effect.operand) for _, effect in all_effects(design) if VERBS[effect.verb].gives in GOODS}
    found |= {
        good
        for exchange in design.tables.exchanges.values()
        for good, amount in exchange.gives.items()
        if amount
    }
    return found | {name for name, currency in design.tables.currencies.items() if currency.start}


def goods_taken(design: Design) -> set[str]:
    """Return every good that something in the design takes, or asks for."""
    found = {str(effect.operand) for _, effect in all_effects(design) if VERBS[effect.verb].takes in GOODS}
    found |= {good for exchange in design.tables.exchanges.values() for good in exchange.costs}
    found |= {name for name, item in design.tables.items.items() if item.slot is not None}
    found |= {name for actor in design.tables.actors.values() for one in actor.priced() for name in one.costs}
    found |= {goal.hold for quest in design.tables.quests.values() for goal in quest.goals if goal.hold}
    texts = " ".join(formulas_of(design))
    return found | {name for _, name in _goods(design) if f".{name}" in texts or f'"{name}"' in texts}


@rule
def good_nobody_gives(design: Design) -> Iterable[Told]:
    """A currency or item that no pickup, rule, reward, pulse or exchange gives, and that nobody starts
    with."""
    there = given_amounts(design)
    for path, name in _goods(design):
        if name not in there:
            yield path, f"nothing gives {name}", "let a pickup, a reward or an exchange give it"


@rule
def good_nobody_takes(design: Design) -> Iterable[Told]:
    """A currency or item that can be gained but that nothing takes or asks for: it only piles up."""
    wanted = goods_taken(design)
    limited = {name for name, item in design.tables.items.items() if item.most is not None}
    for path, name in _goods(design):
        if name not in wanted and name not in limited:
            yield path, f"nothing takes {name} or asks for it", "let an exchange cost it, or a rule spend it"


@rule
def part_of_a_whole(design: Design) -> Iterable[Told]:
    """A part of something that is counted in whole numbers: money, items, points, experience. What is earned,
    given or paid is rounded each time, so 0.4 is nothing, however often it comes."""
    for path, effect in all_effects(design):
        amount = effect.operand if VERBS[effect.verb].operand == "amount" else effect.beside.get("amount")
        if effect.verb in WHOLE_VERBS and is_number(amount) and _is_part(amount):
            yield (*path, "amount" if "amount" in effect.beside else effect.verb), *_rounded(amount)
    for name, exchange in design.tables.exchanges.items():
        for key in ("costs", "gives"):
            for good, amount in getattr(exchange, key).items():
                if is_number(amount) and _is_part(amount):
                    yield ("exchanges", name, key, good), *_rounded(amount)
    for trial in trials(design):
        verb = trial.effect.verb if trial.effect is not None else ""
        if verb in WHOLE_VERBS and is_number(trial.value) and 0 < trial.value < 1:
            yield trial.path, *_rounded(trial.value)


def _is_part(amount: float) -> bool:
    return amount != int(amount)


def _rounded(amount: float) -> tuple[str, str]:
    return (
        f"is {amount:g}, and is rounded to {half_up(amount)} each time",
        "write a whole number, or let more of it come less often",
    )


@rule
def all_has_an_end(design: Design) -> Iterable[Told]:
    """An exchange of all there is whose price or needs change with each one: one command does it 100,000
    times at most."""
    for name, exchange in design.tables.exchanges.items():
        formulas = [
            amount
            for amount in (*exchange.costs.values(), *exchange.gives.values())
            if isinstance(amount, str)
        ]
        if exchange.all and (formulas or exchange.needs):
            yield (
                ("exchanges", name, "all"),
                "is done 100,000 times at most by one command, as each one is worked out anew",
                "make what it costs and gives numbers, or let it be asked for again",
            )


@rule
def pooled_and_gone(design: Design) -> Iterable[Told]:
    """A currency that teams share, in a design that saves money: what a team has is in nobody's profile."""
    if "currencies" in design.tables.saves.include and any(
        kind.player for kind in design.tables.actors.values()
    ):
        for name, currency in design.tables.currencies.items():
            if currency.pooled and design.tables.teams:
                yield (
                    ("currencies", name, "pooled"),
                    f"what a team has of {name} is in nobody's profile, so it is gone when the world is",
                    "let each have its own, or keep it with the world's snapshot",
                )


@rule
def dead_exchange(design: Design) -> Iterable[Told]:
    """An exchange that costs something nobody can have."""
    there = given_amounts(design)
    for name, exchange in design.tables.exchanges.items():
        for good in exchange.costs:
            if good not in there:
                yield (
                    ("exchanges", name, "costs", good),
                    f"nothing gives {good}, so it can never happen",
                    f"let something give {good}, or cost another good",
                )


@rule
def most_below_price(design: Design) -> Iterable[Told]:
    """An exchange that costs more of a good than anyone may hold."""
    for name, exchange in design.tables.exchanges.items():
        for good, amount in exchange.costs.items():
            most = _most(design, good)
            if not isinstance(amount, str) and most is not None and amount > most:
                yield (
                    ("exchanges", name, "costs", good),
                    f"costs {amount:g} {good}, and nobody may have more than {most}",
                    "raise most, or lower the price",
                )


def _most(design: Design, good: str) -> int | None:
    tables = design.tables
    found = tables.currencies.get(good) or tables.items.get(good)
    return None if found is None else found.most


def _constant(exchange: Exchange) -> bool:
    return not any(isinstance(amount, str) for amount in (*exchange.costs.values(), *exchange.gives.values()))


@rule
def money_circle(design: Design) -> Iterable[Told]:
    """Exchanges that, one after another, make money or goods out of nothing: buy, craft and sell at a
    gain."""
    found = list(_circles(design, design.tables.currencies, "money"))
    yield from found or _circles(design, design.tables.items, "goods")


def _cheapest(base: str, using: Mapping[str, list[Exchange]]) -> dict[str, float]:
    """Return for how much of one good each other can be had, by exchanges one after another; *using* are the
    exchanges that each good is a cost of."""
    cheapest = {base: 1.0}
    waiting, turns = deque([FREE, base]), Counter[str]()
    while waiting:
        for exchange in using.get(waiting.popleft(), ()):
            if len(exchange.gives) != 1:
                continue
            ((good, amount),) = exchange.gives.items()
            price = sum(float(cost) * cheapest.get(one, inf) for one, cost in exchange.costs.items())
            # One that becomes cheaper for ever is part of a circle that gains, which is what is looked for.
            cheaper = amount and price / float(amount) < cheapest.get(good, inf) and turns[good] < MOST_TURNS
            if good != base and cheaper:
                cheapest[good] = price / float(amount)
                turns[good] += 1
                waiting.append(good)
    return cheapest


def _circles(design: Design, bases: Iterable[str], what: str) -> Iterator[Told]:
    plain = {name: exchange for name, exchange in design.tables.exchanges.items() if _constant(exchange)}
    using: dict[str, list[Exchange]] = {}
    for exchange in plain.values():
        for good in exchange.costs or (FREE,):
            using.setdefault(good, []).append(exchange)
    given_by_some = {good for exchange in plain.values() for good in exchange.gives}
    sound: set[str] = set()
    for base in bases:
        if base not in using or base not in given_by_some or base in sound:
            continue  # no circle goes through it
        cheapest = _cheapest(base, using)
        costs = {
            name: sum(float(amount) * cheapest.get(good, inf) for good, amount in exchange.costs.items())
            for name, exchange in plain.items()
        }
        # Where, at these prices, no exchange gives more than it costs, no circle of theirs can gain, whatever
        # it begins with: one search serves all the goods that it reached.
        if all(
            float(amount) * cheapest.get(good, 0) <= costs[name] * (1 + 1e-9)
            for name, exchange in plain.items()
            for good, amount in exchange.gives.items()
        ):
            sound.update(good for good, price in cheapest.items() if price > 0)
            continue
        for name, exchange in plain.items():
            cost, gain = costs[name], float(exchange.gives.get(base, 0))
            if gain > cost * (1 + 1e-9):
                yield (
                    ("exchanges", name),
                    f"gives {gain:g} {base} for goods that {cost:g} {base} buy: {what} out of nothing",
                    "pay less, or sell them dearer",
                )


@rule
def pickup_for_nobody(design: Design) -> Iterable[Told]:
    """A pickup whose effects name meters that none of those it is for has."""
    tables = design.tables
    for name, pickup in tables.pickups.items():
        kinds = [
            actor
            for kind, actor in tables.actors.items()
            if (kind in pickup.for_ or set(pickup.for_) & {*actor.tags, *tables.teams})
            or (not pickup.for_ and actor.player)
        ]
        meters = {meter for actor in kinds for meter in actor.meters}
        for number, effect in enumerate(pickup.do):
            meter = next(named_in([effect], "meter"), None)
            if meter is not None and effect.to in (None, "self") and kinds and meter not in meters:
                yield (
                    ("pickups", name, "do", number),
                    f"none of those it is for has a meter {meter}",
                    "name a meter they have, or say who it is for",
                )
