"""Numbers: what a design comes to — hits and seconds to defeat, income, prices, stars, levels.

Fights are played, by the same rules as any game, so that armour, grace, shields and what mends meanwhile
count; the rest is worked out. Inputs have their defaults, nobody stands near, and no hit is critical. Start
at `numbers_of`.
"""

from __future__ import annotations

import copy
from collections.abc import Iterator
from typing import NamedTuple

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.world import World
from cleaver.design.design import Design
from cleaver.design.models import Effect, Effects, Flow, Pulse
from cleaver.errors import CleaverError
from cleaver.rounding import is_number

MOST_HITS = 1_000
LONGEST_FIGHT = 3_600.0  # seconds
MOST_FIGHTS = 400
MOST_LEVELS = 30


class Fight(NamedTuple):
    """One kind attacking another with one attack, as often as cooldown and grace allow: `hits` and `seconds`
    until it is dead, None if it never is. Who takes turns hits once in each: `turns` are its own."""

    attacker: str
    attack: str
    target: str
    first: float
    hits: int | None
    seconds: float | None
    turns: int | None = None


class Course(NamedTuple):
    """How one flow moves a meter: from where to where in how many seconds, and under what condition."""

    kind: str
    meter: str
    rate: float
    seconds: float
    ends: str
    condition: str


class Income(NamedTuple):
    """What something brings: `amount` of a good each time, `per_minute` where it comes by the clock (else 0,
    also where a formula says how often),
    `once` where it comes but once a player."""

    source: str
    good: str
    amount: float
    per_minute: float = 0
    once: bool = False


class Price(NamedTuple):
    """What an exchange takes and gives, and the minutes of the best income that it takes (None without
    income)."""

    exchange: str
    costs: dict[str, float | str]
    gives: dict[str, float | str]
    minutes: float | None


class LevelStep(NamedTuple):
    """One star of a rating, or one level: what it needs, and how often each source must come for it."""

    name: str
    step: int
    needs: float
    total: float
    by: dict[str, float]
    seconds: float | None


class Numbers(NamedTuple):
    """All that `cleaver show` tells."""

    fights: tuple[Fight, ...]
    courses: tuple[Course, ...]
    incomes: tuple[Income, ...]
    prices: tuple[Price, ...]
    stars: tuple[LevelStep, ...]
    levels: tuple[LevelStep, ...]
    cut: bool  # whether there were more fights than are played


def numbers_of(design: Design) -> Numbers:
    """Return what a design comes to."""
    pairs, free = list(_pairs(design)), _free(design)
    fights = tuple(
        fight for fight in (_fight(free, *pair) for pair in pairs[:MOST_FIGHTS]) if fight is not None
    )
    incomes = tuple(_incomes(design))
    return Numbers(
        fights,
        tuple(_courses(design)),
        incomes,
        tuple(_prices(design, incomes)),
        tuple(_stars(design, incomes)),
        tuple(_levels(design, incomes, fights)),
        len(pairs) > MOST_FIGHTS,
    )


def _pairs(design: Design) -> Iterator[tuple[str, str, str]]:
    """Yield (attacker, attack, target) of all that stand against one another: players against the rest."""
    actors = design.tables.actors
    played = any(actor.player for actor in actors.values())
    for kind, actor in actors.items():
        for attack in actor.attacks:
            for target, other in actors.items():
                if other.vital is not None and (other.player != actor.player or not played):
                    yield kind, attack, target


def _free(design: Design) -> Design:
    """Return a design in which attacks cost and need nothing: a fight shows what they do once they are
    used."""
    if not any(
        one.costs or one.needs for actor in design.tables.actors.values() for one in actor.attacks.values()
    ):
        return design
    tree = copy.deepcopy(design.source.tree)
    for actor in tree["actors"].values():
        for attack in actor.get("attacks", {}).values():
            attack.pop("costs", None)
            attack.pop("needs", None)
    return Design.from_dict(tree)


def _enter(world: World, kind: str, name: str) -> Actor:
    return world.join(kind, name) if world.design.tables.actors[kind].player else world.spawn(kind, name)


def _fight(design: Design, attacker: str, attack: str, target: str) -> Fight | None:
    world = World(design, history=0)
    source, victim = _enter(world, attacker, "attacker"), _enter(world, target, "target")
    first, hits = 0.0, 0
    if design.tables.actors[attacker].turns:
        return _fight_in_turns(world, source, attack, victim)
    try:
        while world.now < LONGEST_FIGHT and hits < MOST_HITS:
            result = source.hit(victim, attack, crit=False)
            if result.blocked in ("immune", "friendly"):
                return Fight(attacker, attack, target, 0, None, None)
            if result or result.blocked == "deflected":
                hits += 1
                first = result.dealt + result.absorbed + result.overkill if hits == 1 else first
            if result.lethal or not victim.alive:
                return Fight(attacker, attack, target, first, hits, world.now)
            pause = source.cooldown_left(attack, victim) if result or result.blocked == "deflected" else 0
            world.advance(max(pause, 1 / 60))
    except CleaverError:  # a formula that cannot be worked out at its defaults: `check` tells of it
        return None
    return Fight(attacker, attack, target, first, None, None)


def _fight_in_turns(world: World, source: Actor, attack: str, victim: Actor) -> Fight | None:
    """Return how a fight goes in which the attacker hits once in each of its turns."""
    told = source.kind, attack, victim.kind
    first, hits, turns = 0.0, 0, 0
    try:
        for _ in range(2 * MOST_HITS):
            if not victim.alive:
                break
            if world.next_turn() is not source:
                continue
            turns += 1
            result = source.hit(victim, attack, crit=False)
            if result.blocked in ("immune", "friendly"):
                break
            if result or result.blocked == "deflected":
                hits += 1
                first = result.dealt + result.absorbed + result.overkill if hits == 1 else first
    except CleaverError:  # a formula that cannot be worked out, as in `_fight`
        return None
    dead = not victim.alive
    return Fight(*told, first, hits if dead else None, None, turns if dead else None)


def _courses(design: Design) -> Iterator[Course]:
    for kind, actor in design.tables.actors.items():
        for name, meter in actor.meters.items():
            for flow in meter.flows:
                if any(isinstance(one, str) for one in (flow.rate, flow.until, flow.after_hurt)):
                    continue  # a formula of stats: each actor has its own
                top = (
                    _enter(World(design), kind, "one")[name].max if isinstance(meter.max, str) else meter.max
                )
                yield _course(kind, name, top, flow)


def _course(kind: str, meter: str, most: float, flow: Flow) -> Course:
    # What rests for turns, rounds or days goes on at once by the clock
    after = flow.after_hurt if isinstance(flow.after_hurt, (int, float)) else 0.0
    rate = float(flow.rate)
    until = (0.0 if rate < 0 else 1.0) if flow.until is None else float(flow.until)
    span = most * (1 - until if rate < 0 else until)
    conditions = [f"while {flow.while_}"] if flow.while_ else []
    conditions += [f"unless {flow.unless}"] if flow.unless else []
    conditions += [f"from {after:g} s after a hurt"] if after else []
    ends = {0.0: "empty", 1.0: "full"}.get(until, f"{until:.0%} of {most:g}")
    return Course(kind, meter, rate, span / abs(rate) if rate else 0.0, ends, ", ".join(conditions))


def _given(effects: Effects) -> Iterator[tuple[str, float]]:
    """Yield (good, amount) of what effects give: money, items, points, experience, on the average where it
    is left to chance; formulas are passed over."""
    for effect in effects:
        if isinstance(effect.chance, str):
            continue
        if effect.verb == "choose":
            yield from _chosen(effect)
            continue
        amount = _amount(effect)
        if amount is not None and effect.chance is not None:
            amount *= effect.chance
        if amount is not None and effect.verb in ("earn", "give", "xp"):
            yield str(effect.operand), amount
        elif amount is not None and effect.verb == "score":
            yield "score", amount


def _chosen(effect: Effect) -> Iterator[tuple[str, float]]:
    """Yield what a `choose` gives on the average; weights that are formulas are passed over."""
    weights = [option.weight for option in effect.options()]
    if any(isinstance(weight, str) for weight in weights):
        return
    certain = effect.chance if isinstance(effect.chance, float) else 1.0
    for option in effect.options():
        share = certain * float(option.weight) / sum(map(float, weights))
        for good, amount in _given(option.do):
            yield good, amount * share


def _amount(effect: Effect) -> float | None:
    amount = effect.operand if effect.verb == "score" else effect.beside.get("amount", 1)
    return float(amount) if is_number(amount) else None


def _a_minute(amount: float, pulse: Pulse) -> float:
    return amount * 60 / pulse.every if isinstance(pulse.every, (int, float)) else 0


def _incomes(design: Design) -> Iterator[Income]:
    tables = design.tables
    for kind, actor in tables.actors.items():
        for name, pulse in actor.pulses.items():
            for good, amount in _given(pulse.do):
                yield Income(f"{kind}'s {name}", good, amount, _a_minute(amount, pulse))
        for good, amount in _given(actor.on_death):
            yield Income(f"{kind} defeated", good, amount)
    for name, status in tables.statuses.items():
        for pulse in status.pulses:
            for good, amount in _given(pulse.do):
                yield Income(f"status {name}", good, amount, _a_minute(amount, pulse))
    for name, pickup in tables.pickups.items():
        for good, amount in _given(pickup.do):
            yield Income(
                f"pickup {name}",
                good,
                amount,
                amount * 60 / pickup.respawn_after if isinstance(pickup.respawn_after, float) else 0,
            )
    for rule in tables.rules:
        for good, amount in _given(rule.do):
            yield Income(f"{rule.of or ''} {rule.on}".strip(), good, amount)
    for name, quest in tables.quests.items():
        for good, amount in _given(
            (*quest.reward, *(effect for goal in quest.goals for effect in goal.reward))
        ):
            yield Income(f"quest {name}", good, amount, once=quest.repeat is None)
    for name, achievement in tables.achievements.items():
        for good, amount in _given(achievement.reward):
            yield Income(f"achievement {name}", good, amount, once=True)


def _prices(design: Design, incomes: tuple[Income, ...]) -> Iterator[Price]:
    best: dict[str, float] = {}
    for income in incomes:
        best[income.good] = max(best.get(income.good, 0), income.per_minute)
    player = next((kind for kind, actor in design.tables.actors.items() if actor.player), "")
    buyer = World(design, history=0).join(player, "buyer") if player else None
    for name, exchange in design.tables.exchanges.items():
        minutes: float | None = 0.0
        try:
            first: dict[str, int] = buyer.price(name) if buyer is not None else {}
        except CleaverError:
            first = {}
        for good in exchange.costs:
            minutes = (
                minutes + first[good] / best[good]
                if minutes is not None and good in first and best.get(good)
                else None
            )
        yield Price(name, dict(exchange.costs), dict(exchange.gives), minutes if exchange.costs else None)


def _stars(design: Design, incomes: tuple[Income, ...]) -> Iterator[LevelStep]:
    points = {
        income.source: income.amount
        for income in incomes
        if income.good == "score" and income.amount > 0 and not income.once
    }
    for name, rating in design.tables.ratings.items():
        simple = rating.measure == "self.score" and rating.better == "higher"
        for number, needs in enumerate(rating.steps, 1):
            by = {source: needs / amount for source, amount in points.items()} if simple else {}
            yield LevelStep(name, number, needs, needs, by, None)


def _levels(design: Design, incomes: tuple[Income, ...], fights: tuple[Fight, ...]) -> Iterator[LevelStep]:
    for name, ladder in design.tables.levels.items():
        world = World(design, history=0)
        sources = {
            income.source: income.amount
            for income in incomes
            if income.good == name and income.amount > 0 and not income.once
        }
        rate = max((income.per_minute / 60 for income in incomes if income.good == name), default=0.0)
        for kind in design.tables.actors:  # by the quickest fight that pays
            paid = sources.get(f"{kind} defeated", 0.0)
            quick = [
                fight.seconds
                for fight in fights
                if fight.target == kind
                and fight.seconds is not None
                and design.tables.actors[fight.attacker].player
            ]
            # One that is over at once says nothing of how often there is one to fight
            if paid and any(quick):
                rate = max(rate, paid / min(filter(None, quick)))
        total, kind_of = 0.0, read.parts(world).kinds.contests.levels[name]
        for level in range(1, min(ladder.most or MOST_LEVELS, MOST_LEVELS)):
            try:
                needs = read.parts(world).levels.step(kind_of, level)
            except CleaverError:
                break
            if not needs:
                break
            total += needs
            yield LevelStep(
                name,
                level + 1,
                needs,
                total,
                {source: total / amount for source, amount in sources.items()},
                total / rate if rate else None,
            )
