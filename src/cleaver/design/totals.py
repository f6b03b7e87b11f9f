"""Totals: what the stages of a design hold, and the most that can be had in each of them, known before play.

What a formula, a pickup that returns, or anything outside the stage may add is not known in advance: `more`.
Start at `totals_of`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from cleaver.design.design import Design
from cleaver.design.models import Effect, Matcher, Rule, Stage
from cleaver.design.vocabulary import COUNTED, VERBS
from cleaver.named import NamedTuple

SCORE = "score"


class Total(NamedTuple):
    """The most of something that can be had, as far as it is known; `more` where there may be more."""

    amount: float = 0.0
    more: bool = False

    def plus(self, other: Total, times: float = 1) -> Total:
        """Return this and so many times another one."""
        return Total(self.amount + times * other.amount, self.more or (other.more and times > 0))


class StageTotals(NamedTuple):
    """What one stage holds: how many of each pickup and creature, with the loot that they may leave, and the
    most of each good, ladder and of points (`score`) that can be had in it."""

    stage: str
    pickups: dict[str, Total]
    actors: dict[str, Total]
    goods: dict[str, Total]

    @property
    def score(self) -> Total:
        """The most points."""
        return self.goods.get(SCORE, Total())


Gains = dict[str, Total]


def totals_of(design: Design) -> dict[str, StageTotals]:
    """Return what each stage of a design holds and can give, by name."""
    elsewhere = _elsewhere(design)
    return {name: _stage(design, name, stage, elsewhere) for name, stage in design.tables.stages.items()}


def laid(amount: int | tuple[tuple[float, ...], ...]) -> int:
    """Return how many of something a stage lays out."""
    return amount if isinstance(amount, int) else len(amount)


def _stage(design: Design, name: str, stage: Stage, elsewhere: set[str]) -> StageTotals:
    tables = design.tables
    actors = {
        kind: Total(laid(amount), tables.actors[kind].respawn is not None)
        for kind, amount in stage.actors.items()
    }
    pickups = {pickup: _comes_back(design, pickup, laid(amount)) for pickup, amount in stage.pickups.items()}
    goods: Gains = {}
    for kind, total in actors.items():
        lists: list[Iterable[Effect]] = [
            [effect for effect in tables.actors[kind].on_death if effect.to == "source"]
        ]
        lists += [rule.do for rule in _rules(design, "defeated", kind, tables.actors[kind].tags)]
        for effects in lists:
            _add(goods, _gained(effects), total)
        for pickup, loot in _placed(tables.actors[kind].on_death).items():
            there = pickups.get(pickup, Total())
            lies = _comes_back(design, pickup, 0).more
            pickups[pickup] = there.plus(Total(loot.amount, loot.more or lies or total.more), total.amount)
    for pickup, total in pickups.items():
        thing = tables.pickups[pickup]
        taken = Total(min(total.amount, 1)) if thing.once else total
        _add(goods, _gained(thing.do, thing.inputs), taken)
        for rule in _rules(design, "collected", pickup, thing.tags):
            _add(goods, _gained(rule.do), taken)
    for good in elsewhere:
        goods[good] = goods.get(good, Total()).plus(Total(0, True))
    return StageTotals(name, pickups, actors, goods)


def _comes_back(design: Design, pickup: str, amount: int) -> Total:
    kind = design.tables.pickups[pickup]
    return Total(amount, kind.respawn_after is not None or kind.stays)


def _add(goods: Gains, gained: Gains, times: Total) -> None:
    for good, one in gained.items():
        goods[good] = goods.get(good, Total()).plus(Total(one.amount, one.more or times.more), times.amount)


def _gained(effects: Iterable[Effect], inputs: Mapping[str, float] | None = None) -> Gains:
    """Return the most that a list of effects gives once, by good; what chance may give is counted whole."""
    found: Gains = {}
    for effect in effects:
        if effect.options():
            ways = [_gained(option.do, inputs) for option in effect.options() if option.weight != 0]
            for good in dict.fromkeys(good for way in ways for good in way):
                best = [way.get(good, Total()) for way in ways]
                most = Total(max(one.amount for one in best), any(one.more for one in best))
                found[good] = found.get(good, Total()).plus(most)
        elif (gives := VERBS[effect.verb].gives) in COUNTED:
            good = SCORE if gives == "points" else str(effect.operand)
            amount = effect.operand if gives == "points" else effect.beside.get("amount", 1)
            amount = (inputs or {}).get(amount, amount) if isinstance(amount, str) else amount
            one = Total(float(amount), False) if isinstance(amount, (int, float)) else Total(0, True)
            found[good] = found.get(good, Total()).plus(one)
    return found


def _placed(effects: Iterable[Effect]) -> Gains:
    """Return how much loot a list of effects lays out at most, by pickup."""
    found: Gains = {}
    for effect in effects:
        if effect.options():
            for option in effect.options():
                for pickup, loot in _placed(option.do).items():
                    before = found.get(pickup, Total())
                    found[pickup] = Total(max(before.amount, loot.amount), before.more or loot.more)
        elif effect.verb == "place":
            amount = effect.beside.get("amount", 1)
            known = isinstance(amount, (int, float))
            loot = Total(float(amount) if known else 0.0, not known)
            found[str(effect.operand)] = found.get(str(effect.operand), Total()).plus(loot)
    return found


def _all_rules(design: Design) -> list[Rule]:
    matches = design.tables.matches.values()
    return [*design.tables.rules, *(rule for match in matches for rule in match.rules)]


def _about(matcher: Matcher, word: str, tags: Iterable[str]) -> bool:
    return matcher.of in (None, word, *tags)


def _rules(design: Design, on: str, word: str, tags: Iterable[str]) -> list[Rule]:
    """Return the rules that pay for one of a stage's things being taken or defeated."""
    return [
        rule
        for rule in _all_rules(design)
        if rule.on == on and _about(rule, word, tags) and _pays_always(rule)
    ]


def _pays_always(rule: Rule) -> bool:
    return not rule.fields()


def _elsewhere(design: Design) -> set[str]:
    """Return the goods that can be had also by what is no part of a stage: quests, pulses, other rules."""
    tables = design.tables
    lists: list[Iterable[Effect]] = [
        rule.do
        for rule in _all_rules(design)
        if rule.on not in ("collected", "defeated") or not _pays_always(rule)
    ]
    for actor in tables.actors.values():
        lists += [pulse.do for pulse in actor.pulses.values()] + [
            attack.do for attack in actor.attacks.values()
        ]
        lists += [[effect for effect in actor.on_death if effect.to not in (None, "self", "source")]]
    lists += [pulse.do for status in tables.statuses.values() for pulse in status.pulses]
    lists += [exchange.do for exchange in tables.exchanges.values()]
    lists += [ladder.do for ladder in tables.levels.values()]
    for quest in tables.quests.values():
        lists += [quest.reward, *(goal.reward for goal in quest.goals)]
    lists += [achievement.reward for achievement in tables.achievements.values()]
    found = {good for effects in lists for good in _gained(effects)}
    return found | {good for exchange in tables.exchanges.values() for good in exchange.gives}


def endless(design: Design, pickup: str) -> bool:
    """Return whether there may always be one more of a pickup, whatever the stages hold."""
    tables = design.tables
    lists: list[Iterable[Effect]] = [rule.do for rule in _all_rules(design)]
    lists += [kind.do for kind in tables.pickups.values()]
    lists += [exchange.do for exchange in tables.exchanges.values()]
    lists += [pulse.do for actor in tables.actors.values() for pulse in actor.pulses.values()]
    lists += [pulse.do for status in tables.statuses.values() for pulse in status.pulses]
    return any(pickup in _placed(effects) for effects in lists)
