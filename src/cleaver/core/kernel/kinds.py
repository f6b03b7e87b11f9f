"""Kinds: a design bound for play, its formulas compiled once.

Made from the checked tables of a design, once per design, and shared by all its
worlds: nothing here belongs to a world, and every formula takes its scope as an
argument. What a path reads is passed in (`names.reader`). Start at `Kinds`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from cleaver.core.kernel.clock import micros
from cleaver.core.kernel.events import EventShape
from cleaver.design.paths import FormulaNames, Known, Path
from cleaver.design.vocabulary import VERBS
from cleaver.errors import CleaverError, FormulaError
from cleaver.formula import Formula, Reader, failing
from cleaver.rounding import half_up, shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.body import Body
    from cleaver.core.kernel.events import Event
    from cleaver.core.kernel.stage import Stage
    from cleaver.design import models
    from cleaver.design.design import Design

MOST = 2**63 - 1  # of any amount
MOST_LEVEL = 10_000  # of a ladder that names no last one
MakeReader = Callable[[Path], Reader]


class Scope:
    """What a formula or an effect list is about: `me` (self), `source`, `target`, the event at hand, and the
    inputs."""

    __slots__ = (
        "credit",
        "event",
        "inputs",
        "match",
        "me",
        "place",
        "pulse",
        "reason",
        "source",
        "stage",
        "target",
    )

    def __init__(
        self,
        stage: Stage,
        me: Body | None,
        source: Body | None = None,
        target: Body | None = None,
        *,
        event: Event | None = None,
        inputs: dict[str, float] | None = None,
        place: str = "",
        reason: str = "",
        pulse: bool = False,
    ) -> None:
        self.stage, self.me, self.source, self.target, self.event = stage, me, source, target, event
        self.inputs = (stage.given or stage.kinds.inputs) if inputs is None else inputs
        self.place = place  # where in the design the list stands
        self.reason = reason  # what goods are booked under
        self.match = ""  # the match whose rule it is
        self.credit = ""  # who did it, where that actor has left the world
        self.pulse = pulse  # whether a status or a pulse does it


class NobodyError(FormulaError):
    """A formula reads an actor that is not there: nobody caused the event."""


class Expression:
    """A formula compiled for play."""

    __slots__ = ("fn", "formula", "readers", "where")

    def __init__(self, formula: Formula, make_reader: MakeReader, where: str) -> None:
        self.formula, self.where = formula, where
        self.fn = formula.compile(make_reader)
        self.readers = tuple((text, make_reader(path)) for text, path in formula.reads)

    def value(self, scope: Scope) -> Any:
        """Return what the formula gives; raise `FormulaError` with the values it read where it gives
        nothing."""
        try:
            return self.fn(scope)
        except ArithmeticError as error:
            raise self.trouble(failing(error), scope) from None
        except NobodyError as error:
            raise NobodyError(self.formula.text, error.trouble, self.where) from None

    def amount(self, scope: Scope) -> float:
        """Return the formula as an amount: finite and 0 or more."""
        value: float = self.value(scope)
        if not 0 <= value <= MOST:
            raise self.trouble(f"gives {value:g}, and an amount is finite and 0 or more", scope)
        return value

    def holds(self, scope: Scope) -> bool:
        """Return whether the formula is true; one that asks about nobody is not."""
        try:
            return bool(self.value(scope))
        except NobodyError:
            return False

    def trouble(self, what: str, scope: Scope) -> FormulaError:
        """Return an error that names the formula and what it read."""
        read = []
        for text, reader in self.readers:
            try:
                value = reader(scope)
            except CleaverError:
                continue
            if not callable(value):
                read.append(f"{text} = {shown(value) if isinstance(value, (int, float)) else value}")
        return FormulaError(
            self.formula.text, what + (f" (with {', '.join(read)})" if read else ""), self.where
        )


Amount = float | Expression


def amount_of(amount: Amount, scope: Scope) -> float:
    """Return a number, or what a formula gives as an amount."""
    return amount.amount(scope) if isinstance(amount, Expression) else amount


class Effect:
    """One effect, bound."""

    __slots__ = ("beside", "operand", "to", "verb", "when", "where")

    def __init__(
        self, verb: str, operand: Any, beside: dict[str, Any], to: str, when: Expression | None, where: str
    ) -> None:
        self.verb, self.operand, self.beside, self.to, self.when, self.where = (
            verb,
            operand,
            beside,
            to,
            when,
            where,
        )


Effects = tuple[Effect, ...]


class FlowKind:
    """A flow of a meter or of a status."""

    __slots__ = ("after_hurt", "every", "rate", "unless", "until", "while_")

    def __init__(self, flow: models.Flow) -> None:
        self.rate = flow.rate
        self.while_ = flow.while_ or ""
        self.unless = flow.unless or ""
        self.after_hurt = micros(flow.after_hurt)
        self.until = flow.until
        self.every = micros(flow.every) if flow.every is not None else 0

    def limit(self, top: float) -> float:
        """Return the value at which the flow stops, for a maximum of *top*."""
        return (
            top * (1.0 if self.until is None else self.until) if self.rate > 0 else top * (self.until or 0.0)
        )


class MeterKind:
    """A meter of a kind."""

    __slots__ = (
        "_courses",
        "cells",
        "flows",
        "mark_levels",
        "marks",
        "max",
        "mode",
        "name",
        "overfill",
        "plain",
        "quiets",
        "saved",
        "shields",
        "start",
        "starts_full",
        "whole",
    )

    def __init__(self, name: str, meter: models.MeterTable) -> None:
        self.name = name
        self.whole = meter.whole
        self.max: float = int(meter.max) if meter.whole else meter.max
        self.starts_full = meter.start is None
        start = self.max if meter.start is None else meter.start
        self.start: float = int(start) if meter.whole else start
        self.mode = meter.round
        self.marks = tuple(sorted(meter.marks.items(), key=lambda item: (item[1], item[0])))
        self.mark_levels = tuple(level for _, level in self.marks)
        self.flows = tuple(FlowKind(flow) for flow in meter.flows)
        self.quiets = any(flow.after_hurt for flow in self.flows)
        self.plain = not any(
            flow.every or flow.while_ or flow.unless or flow.after_hurt for flow in self.flows
        )
        self._courses: dict[float, tuple[tuple[float, float], ...]] = {}
        self.overfill: float = int(meter.overfill) if meter.whole else meter.overfill
        self.shields = meter.shields or ""
        self.cells = meter.cells
        self.saved = meter.saved

    def course(self, top: float) -> tuple[tuple[float, float], ...]:
        """Return the flows of a plain meter, whose flows are always at work, for a maximum of *top*; one
        tuple serves all actors."""
        found = self._courses.get(top)
        if found is None:
            found = self._courses[top] = tuple(
                (flow.rate, flow.limit(top)) for flow in self.flows if flow.rate
            )
        return found


class GuardKind:
    """What stands between a hit and the meters of a kind."""

    __slots__ = ("armour", "grace", "immune_while", "least", "most", "scale", "through", "zones")

    def __init__(self, guard: models.Guard, scale: Expression | None) -> None:
        self.zones, self.through, self.armour = dict(guard.zones), dict(guard.through), guard.armour
        self.scale, self.grace, self.immune_while = scale, micros(guard.grace), guard.immune_while
        self.least, self.most = guard.least, guard.most


class AttackKind:
    """An attack of a kind."""

    __slots__ = ("amount", "cooldown", "crit", "do", "ignores", "name", "type", "where")

    def __init__(self, name: str, attack: models.Attack, amount: Amount, do: Effects, where: str) -> None:
        self.name, self.amount, self.type, self.cooldown, self.do, self.where = (
            name,
            amount,
            attack.type or "",
            micros(attack.cooldown),
            do,
            where,
        )
        self.crit = (attack.crit.chance, attack.crit.times) if attack.crit else None
        self.ignores = frozenset(attack.ignores)


class PulseKind:
    """Effects repeated every so many microseconds. `pays` is (currency, amount) where all it does is earn a
    constant for its owner."""

    __slots__ = ("do", "every", "name", "pays")

    def __init__(self, name: str, every: float, do: Effects) -> None:
        self.name, self.every, self.do = name, micros(every), do
        self.pays: tuple[str, int] | None = None
        only = do[0] if len(do) == 1 else None
        if (
            only is not None
            and only.verb == "earn"
            and only.to == "owner"
            and only.when is None
            and not isinstance(only.beside["amount"], Expression)
        ):
            self.pays = only.operand, half_up(only.beside["amount"])


class ActorKind:
    """A kind of actor."""

    __slots__ = (
        "attacks",
        "bag",
        "guard",
        "lives",
        "lives_most",
        "meters",
        "name",
        "on_death",
        "player",
        "pulses",
        "quiets",
        "reach",
        "respawn",
        "shields",
        "spawn",
        "tags",
        "title",
        "vital",
    )

    def __init__(self, name: str, actor: models.Actor, bind: _Binder) -> None:
        self.name, self.player, self.title = name, actor.player, actor.title or name
        self.vital = actor.vital or ""
        self.tags = actor.tags
        self.meters = {key: MeterKind(key, meter) for key, meter in actor.meters.items()}
        self.quiets = any(meter.quiets for meter in self.meters.values())
        self.shields = tuple(
            key for key, meter in self.meters.items() if meter.shields and meter.shields == self.vital
        )
        path = f"actors.{name}"
        scale = bind.expression(actor.guard.scale, f"{path}.guard.scale", ("self", "source"))
        self.guard = GuardKind(actor.guard, scale)
        self.attacks = {
            key: AttackKind(
                key,
                attack,
                bind.amount(attack.amount, f"{path}.attacks.{key}.amount", ("self", "source", "target")),
                bind.effects(
                    attack.do, f"{path}.attacks.{key}.do", ("self", "source", "target"), to="target"
                ),
                f"{path}.attacks.{key}",
            )
            for key, attack in actor.attacks.items()
        }
        self.pulses = {
            key: PulseKind(key, pulse.every, bind.effects(pulse.do, f"{path}.pulses.{key}.do"))
            for key, pulse in actor.pulses.items()
        }
        self.on_death = bind.effects(actor.on_death, f"{path}.on_death", event="died")
        self.lives = actor.lives.start if actor.lives else 0
        self.lives_most = (actor.lives.most or 0) if actor.lives else 0
        self.respawn = (
            (micros(actor.respawn.after), actor.respawn.fraction, micros(actor.respawn.grace))
            if actor.respawn
            else None
        )
        self.spawn, self.reach = actor.spawn or "", actor.reach
        self.bag = actor.bag.most if actor.bag else None


class StatusKind:
    """Something temporary that an actor can have."""

    __slots__ = ("deals", "flows", "lasts", "most", "name", "pulses", "scale", "stack", "tags", "through")

    def __init__(self, name: str, status: models.Status, bind: _Binder) -> None:
        self.name, self.stack, self.most = name, status.stack, status.most or 0
        self.lasts = micros(status.lasts) if status.lasts is not None else 0
        self.tags, self.deals, self.through, self.scale = (
            status.tags,
            status.deals,
            dict(status.through),
            status.scale,
        )
        self.flows = tuple((flow.meter, FlowKind(flow)) for flow in status.flows)
        self.pulses = tuple(
            PulseKind(
                str(number), pulse.every, bind.effects(pulse.do, f"statuses.{name}.pulses[{number + 1}].do")
            )
            for number, pulse in enumerate(status.pulses)
        )


class PickupKind:
    """A thing that can lie in the world."""

    __slots__ = (
        "cooldown",
        "do",
        "for_",
        "inputs",
        "name",
        "reach",
        "respawn_after",
        "respawn_in",
        "split",
        "stays",
        "tags",
        "waste",
    )

    def __init__(self, name: str, pickup: models.Pickup, bind: _Binder) -> None:
        self.name, self.inputs, self.for_, self.tags = name, dict(pickup.inputs), pickup.for_, pickup.tags
        self.do = bind.effects(pickup.do, f"pickups.{name}.do", locals=pickup.inputs)
        self.reach, self.waste, self.stays, self.split = (
            pickup.reach,
            pickup.waste,
            pickup.stays,
            pickup.split,
        )
        self.cooldown = micros(pickup.cooldown)
        self.respawn_after = micros(pickup.respawn_after) if pickup.respawn_after is not None else -1
        self.respawn_in = tuple((axis, low, high) for axis, (low, high) in sorted(pickup.respawn_in.items()))


class CurrencyKind:
    """A currency: what a player starts with, the most there may be, whether teams share one purse."""

    __slots__ = ("most", "pooled", "start")

    def __init__(self, currency: models.Currency) -> None:
        self.start, self.most, self.pooled = currency.start, currency.most, currency.pooled


class Spot:
    """A place of the design."""

    __slots__ = ("x", "y", "z")

    def __init__(self, at: tuple[float, ...]) -> None:
        self.x, self.y, self.z = (*at, 0.0)[:3]


class ExchangeKind:
    """Some goods for others."""

    __slots__ = ("all", "at", "costs", "gives", "name", "needs", "reach", "restock_after", "stock")

    def __init__(self, name: str, exchange: models.Exchange, bind: _Binder) -> None:
        path = f"exchanges.{name}"
        self.name, self.all, self.stock, self.reach = name, exchange.all, exchange.stock, exchange.reach
        self.restock_after = micros(exchange.restock_after) if exchange.restock_after is not None else 0
        self.at = Spot(exchange.at) if exchange.at else None
        self.costs = {
            good: bind.amount(amount, f"{path}.costs.{good}", locals=("bought",))
            for good, amount in exchange.costs.items()
        }
        self.gives = {
            good: bind.amount(amount, f"{path}.gives.{good}", locals=("bought",))
            for good, amount in exchange.gives.items()
        }
        self.needs = bind.conditions(exchange.needs, f"{path}.needs", locals=("bought",))


class Match:
    """What picks events: the bound form of `on`, `of`, the fields and `where`."""

    __slots__ = ("fields", "mirrored", "named", "of", "of_kind", "on", "own_side", "where")

    def __init__(self, matcher: models.Matcher, path: str, bind: _Binder) -> None:
        spec = bind.known.events[matcher.on]
        self.mirrored = bool(spec.seen_from)
        self.named: str = spec.name
        self.on: str = spec.seen_from or spec.name
        kind = bind.events[self.on]
        self.of = matcher.of or ""
        self.of_kind = self.of in bind.known.kinds and self.of not in bind.known.tags
        self.fields = tuple((kind.index[name], value) for name, value in matcher.fields().items())
        self.where = bind.expression(
            matcher.where, f"{path}.where", ("self", "source", "target"), event=matcher.on
        )
        self.own_side = matcher.own_side

    def leaves_out(self, stage: Stage, event: Event) -> bool:
        """Return whether an event is left out because one did it to oneself, or struck or defeated one's own
        side."""
        if not self.mirrored or self.own_side or not event.source:
            return False
        if self.named == "mended":
            return event.source == event.actor and stage.party(event.source) is not None
        return stage.same_side(event.source, event.actor)


class RuleKind:
    """On events that match, do effects."""

    __slots__ = ("do", "match", "where")

    def __init__(self, rule: models.Rule, path: str, bind: _Binder) -> None:
        self.match = Match(rule, path, bind)
        self.do = bind.effects(rule.do, f"{path}.do", ("self", "source", "target"), event=rule.on)
        self.where = path


class TallyKind:
    """How events are counted. `spec` tells tallies apart that count different things; those of one owner that
    are `shared` count together."""

    __slots__ = ("count", "field", "how", "match", "reset_on", "shared", "spec", "where", "who", "within")

    def __init__(self, tally: models.Tallying, path: str, bind: _Binder) -> None:
        self.match = Match(tally, path, bind)
        self.how, field = tally.way()
        if tally.count == "all" and self.how == "count" and self.match.on == "collected":
            self.how, field = "distinct", "placement"  # one that comes back and is taken again is still one
        kind = bind.events[self.match.on]
        self.field = kind.index[field] if field else -1
        self.within = micros(tally.within) if tally.within is not None else 0
        self.reset_on, self.who, self.where = tally.reset_on or "", tally.who, path
        self.count: Amount | str | None = (
            tally.count
            if tally.count in (None, "all")
            else bind.amount(tally.count, f"{path}.count", ("self",))
        )
        self.shared = self.how in ("count", "sum") and not self.within and not self.reset_on
        self.spec = json_of(
            [
                tally.on,
                self.match.of,
                tally.fields(),
                tally.where,
                self.how,
                field,
                self.within,
                self.reset_on,
                self.who,
                tally.own_side,
            ]
        )


class GoalKind:
    """One goal of a quest: a tally, or something held."""

    __slots__ = ("count", "hand_over", "hidden", "hold", "optional", "reward", "tally", "text")

    def __init__(self, goal: models.Goal, path: str, bind: _Binder) -> None:
        self.tally = TallyKind(goal, path, bind) if goal.on else None
        self.hold, self.hand_over, self.optional, self.hidden = (
            goal.hold or "",
            goal.hand_over,
            goal.optional,
            goal.hidden,
        )
        self.reward = bind.effects(goal.reward, f"{path}.reward")
        count = 1 if goal.count is None else goal.count
        self.count: Amount | str = "all" if count == "all" else bind.amount(count, f"{path}.count", ("self",))
        self.text = goal.text or (
            f"{goal.on} {goal.of or ''}".strip() if goal.on else f"hold {self.hold}"
        ).replace("_", " ")


class QuestKind:
    """A quest."""

    __slots__ = (
        "fails",
        "finish",
        "giver",
        "goals",
        "in_turn",
        "name",
        "needs",
        "needs_goals",
        "repeat",
        "reward",
        "says",
        "text",
        "time_limit",
        "title",
        "turn_in_lasts",
    )

    def __init__(self, name: str, quest: models.Quest, bind: _Binder) -> None:
        path = f"quests.{name}"
        self.name, self.title, self.text, self.giver = (
            name,
            quest.title or name.replace("_", " "),
            quest.text,
            quest.giver,
        )
        self.needs = bind.conditions(quest.needs, f"{path}.needs", roots=("self",))
        self.goals = tuple(
            GoalKind(goal, f"{path}.goals[{number + 1}]", bind) for number, goal in enumerate(quest.goals)
        )
        self.in_turn, self.finish, self.needs_goals = (
            quest.order == "in_turn",
            quest.finish,
            quest.needs_goals or 0,
        )
        self.reward = bind.effects(quest.reward, f"{path}.reward")
        self.fails = tuple(
            TallyKind(fail, f"{path}.fails[{number + 1}]", bind) for number, fail in enumerate(quest.fails)
        )
        self.says: dict[str, str] = {str(state): line for state, line in quest.says.items()}
        self.turn_in_lasts = micros(quest.turn_in_lasts)
        self.time_limit = micros(quest.time_limit) if quest.time_limit is not None else 0
        self.repeat = micros(quest.repeat) if quest.repeat is not None else -1


class QuestSetKind:
    """A set of quests of which some are drawn."""

    __slots__ = ("draw", "every", "quests")

    def __init__(self, table: models.QuestSet) -> None:
        self.quests, self.draw, self.every = (
            table.quests,
            table.draw,
            micros(table.every) if table.every is not None else 0,
        )


class AchievementKind:
    """Something achieved once: its ranks with their counts; one without ranks has the rank ""."""

    __slots__ = ("hidden", "icon", "name", "ranks", "reward", "tally", "text", "title")

    def __init__(self, name: str, achievement: models.Achievement, bind: _Binder) -> None:
        path = f"achievements.{name}"
        self.name, self.title, self.text, self.icon, self.hidden = (
            name,
            achievement.title or name.replace("_", " "),
            achievement.text,
            achievement.icon,
            achievement.hidden,
        )
        self.tally = TallyKind(achievement, path, bind) if achievement.on else None
        count = bind.amount(1 if achievement.count is None else achievement.count, f"{path}.count", ("self",))
        self.ranks: dict[str, Amount] = dict(achievement.ranks) or {"": count}
        self.reward = bind.effects(achievement.reward, f"{path}.reward")


class MatchKind:
    """A contest."""

    __slots__ = (
        "friendly_fire",
        "name",
        "on_tie",
        "rounds",
        "rules",
        "teams",
        "time_limit",
        "win_at",
        "win_when",
    )

    def __init__(self, name: str, match: models.MatchTable, bind: _Binder) -> None:
        self.name, self.teams, self.win_at, self.on_tie, self.rounds = (
            name,
            match.teams,
            match.win_at,
            match.on_tie,
            match.rounds,
        )
        self.rules = tuple(
            RuleKind(rule, f"matches.{name}.rules[{number + 1}]", bind)
            for number, rule in enumerate(match.rules)
        )
        self.win_when = bind.expression(match.win_when, f"matches.{name}.win_when", ("self",))
        self.time_limit = micros(match.time_limit) if match.time_limit is not None else 0
        self.friendly_fire = None if match.friendly_fire is None else float(match.friendly_fire)


class RatingKind:
    """Stars for a result."""

    __slots__ = ("conditions", "measure", "name", "rising", "steps", "unit")

    def __init__(self, name: str, rating: models.Rating, bind: _Binder) -> None:
        self.name, self.steps, self.rising, self.unit = (
            name,
            rating.steps,
            rating.better == "higher",
            rating.unit,
        )
        self.measure = bind.expression(rating.measure, f"ratings.{name}.measure", ("self",))
        whens = bind.conditions(
            [mark.when for mark in rating.conditions], f"ratings.{name}.conditions", roots=("self",)
        )
        self.conditions = tuple(zip([mark.text for mark in rating.conditions], whens, strict=True))


class LevelKind:
    """A ladder of levels: a formula of the level, or the steps of a table."""

    __slots__ = ("do", "experience", "most", "name", "steps")

    def __init__(self, name: str, ladder: models.LevelLadder, bind: _Binder) -> None:
        self.name = name
        formula = ladder.experience if isinstance(ladder.experience, str) else None
        self.experience = bind.expression(formula, f"levels.{name}.experience", (), locals=("level",))
        self.steps = () if isinstance(ladder.experience, str) else ladder.experience
        self.most = ladder.most or (len(self.steps) + 1 if self.steps else MOST_LEVEL)
        self.do = bind.effects(ladder.do, f"levels.{name}.do", event="levelled", locals=("level",))


class _Binder:
    """Turns the formulas and effects of the tables into bound ones."""

    def __init__(self, known: Known, events: dict[str, EventShape], make_reader: MakeReader) -> None:
        self.known, self.events, self.make_reader = known, events, make_reader

    def expression(
        self,
        text: str | None,
        where: str,
        roots: Iterable[str] = ("self", "source"),
        *,
        event: str = "",
        locals: Iterable[str] = (),
    ) -> Expression | None:
        if text is None:
            return None
        from cleaver.parsing import parse  # slow to import, and needed only once a design is there

        spec = self.known.events[event] if event else None
        return Expression(
            parse(text, FormulaNames(self.known, roots, spec, locals), where=where), self.make_reader, where
        )

    def amount(
        self,
        amount: float | str,
        where: str,
        roots: Iterable[str] = ("self", "source"),
        *,
        event: str = "",
        locals: Iterable[str] = (),
    ) -> Amount:
        return (
            self.expression(amount, where, roots, event=event, locals=locals) or 0.0
            if isinstance(amount, str)
            else amount
        )

    def conditions(
        self,
        texts: Iterable[str],
        where: str,
        *,
        roots: Iterable[str] = ("self", "source"),
        locals: Iterable[str] = (),
    ) -> tuple[Expression, ...]:
        """Bind a list of formulas, each a condition."""
        found = (
            self.expression(text, f"{where}[{number + 1}]", roots, locals=locals)
            for number, text in enumerate(texts)
        )
        return tuple(expression for expression in found if expression is not None)

    def effects(
        self,
        effects: Iterable[models.Effect],
        where: str,
        roots: Iterable[str] = ("self", "source"),
        *,
        to: str = "self",
        event: str = "",
        locals: Iterable[str] = (),
    ) -> Effects:
        found = []
        for number, effect in enumerate(effects):
            place = f"{where}[{number + 1}]"
            keys: dict[str, Any] = {"roots": tuple(roots), "event": event, "locals": tuple(locals)}

            def bound(value: Any, kind: str, place: str = place, keys: dict[str, Any] = keys) -> Any:
                return self.amount(value, place, **keys) if kind == "amount" else value

            spec = VERBS[effect.verb]
            kinds = dict(spec.beside)
            beside = {key: bound(value, kinds.get(key, "")) for key, value in effect.beside.items()}
            if effect.verb == "announce":
                beside = self._announced(str(effect.operand), beside, place, keys)
            found.append(
                Effect(
                    effect.verb,
                    bound(effect.operand, spec.operand),
                    beside,
                    effect.to or to,
                    self.expression(effect.when, place, **keys),
                    place,
                )
            )
        return tuple(found)

    def _announced(
        self, event: str, beside: dict[str, Any], place: str, keys: dict[str, Any]
    ) -> dict[str, Any]:
        types = dict(self.known.events[event].fields)
        made = {}
        for key, value in beside.items():
            formula = (types[key] == "number" and isinstance(value, str)) or (
                types[key] == "name" and str(value).startswith("event.")
            )
            made[key] = self.expression(str(value), place, **keys) if formula else value
        return made


class Kinds:
    """Everything a world needs of its design."""

    __slots__ = (
        "achievements",
        "actors",
        "currencies",
        "design",
        "events",
        "exchanges",
        "fingerprint",
        "inputs",
        "items",
        "known",
        "levels",
        "make_reader",
        "matches",
        "pickups",
        "quest_sets",
        "quests",
        "ratings",
        "records",
        "rules",
        "statuses",
        "tallied",
        "tallies",
        "teams",
    )

    def __init__(self, design: Design, make_reader: MakeReader) -> None:
        tables, known = design.tables, design.known
        self.design, self.known, self.fingerprint, self.make_reader = (
            design,
            known,
            design.fingerprint,
            make_reader,
        )
        self.events = {name: EventShape(spec) for name, spec in known.events.items() if not spec.seen_from}
        bind = _Binder(known, self.events, make_reader)
        self.inputs = dict(tables.inputs)
        self.currencies = {name: CurrencyKind(currency) for name, currency in tables.currencies.items()}
        self.items = {name: (item.most, item.size) for name, item in tables.items.items()}
        self.actors = {name: ActorKind(name, actor, bind) for name, actor in tables.actors.items()}
        self.statuses = {name: StatusKind(name, status, bind) for name, status in tables.statuses.items()}
        self.pickups = {name: PickupKind(name, pickup, bind) for name, pickup in tables.pickups.items()}
        self.exchanges = {
            name: ExchangeKind(name, exchange, bind) for name, exchange in tables.exchanges.items()
        }
        self.rules = tuple(
            RuleKind(rule, f"rules[{number + 1}]", bind) for number, rule in enumerate(tables.rules)
        )
        self.matches = {name: MatchKind(name, match, bind) for name, match in tables.matches.items()}
        self.ratings = {name: RatingKind(name, rating, bind) for name, rating in tables.ratings.items()}
        self.levels = {name: LevelKind(name, ladder, bind) for name, ladder in tables.levels.items()}
        self.records = {
            name: TallyKind(record, f"records.{name}", bind) for name, record in tables.records.items()
        }
        self.quests = {name: QuestKind(name, quest, bind) for name, quest in tables.quests.items()}
        self.quest_sets = {name: QuestSetKind(table) for name, table in tables.quest_sets.items()}
        self.achievements = {
            name: AchievementKind(name, achievement, bind)
            for name, achievement in tables.achievements.items()
        }
        tallies = [
            *self.records.values(),
            *(goal.tally for quest in self.quests.values() for goal in quest.goals if goal.tally is not None),
            *(fail for quest in self.quests.values() for fail in quest.fails),
            *(
                achievement.tally
                for achievement in self.achievements.values()
                if achievement.tally is not None
            ),
        ]
        self.tallies = {tally.spec: tally for tally in tallies}  # by what they count
        self.tallied = {tally.match.on for tally in self.tallies.values()}
        for tally in self.tallies.values():
            if tally.reset_on:
                spec = known.events[tally.reset_on]
                self.tallied.add(spec.seen_from or spec.name)
        self.teams = {name: (team.spawn or "", team.friendly_fire) for name, team in tables.teams.items()}


def json_of(parts: list[Any]) -> str:
    """Return a short text that is the same for the same parts."""
    import hashlib  # once per tally of a design
    import json

    return hashlib.sha256(json.dumps(parts, sort_keys=True, default=str).encode()).hexdigest()[:12]


def bind(design: Design, make_reader: MakeReader) -> Kinds:
    """Return *design* bound for play; the work is done once per design."""
    if design.bound is None:
        design.bound = Kinds(design, make_reader)
    found: Kinds = design.bound
    return found
