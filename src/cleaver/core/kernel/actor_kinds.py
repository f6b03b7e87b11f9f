"""Actor kinds: what an actor of a design starts with and can do, beside its state in `body`.

Meters and their flows, guards, attacks, pulses and statuses, as `vitals` reads them. Start at `ActorKind`.
"""

from __future__ import annotations

from cleaver.core.kernel.expressions import Amount, Effects, Expression, Span, span_of
from cleaver.core.kernel.spans import FAR, Counted, as_span, unit_of
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.binder import Binder
    from cleaver.design import models


class FlowKind:
    """A flow of a meter or of a status; formulas of stats stand in `asked`, and `made` works them out."""

    __slots__ = ("after_hurt", "asked", "every", "rate", "unless", "until", "while_")
    rate: float
    while_: str
    unless: str
    after_hurt: int
    until: float | None
    every: int
    asked: dict[str, Expression]

    def __init__(self, flow: models.Flow, bind: Binder, path: str) -> None:
        self.asked = {}
        for key in ("rate", "until", "after_hurt"):
            made = bind.expression(_text(getattr(flow, key)), f"{path}.{key}", ("self",))
            if made is not None:
                self.asked[key] = made
        self.rate = 1.0 if "rate" in self.asked else flow.rate  # type: ignore[assignment]
        self.while_ = flow.while_ or ""
        self.unless = flow.unless or ""
        self.after_hurt = 1 if isinstance(flow.after_hurt, str) else as_span(flow.after_hurt)
        self.until = None if "until" in self.asked else flow.until  # type: ignore[assignment]
        self.every = as_span(flow.every) if flow.every is not None else 0

    @classmethod
    def steady(cls, rate: float) -> FlowKind:
        """Return a flow without conditions."""
        made = cls.__new__(cls)
        made.rate, made.while_, made.unless, made.after_hurt, made.until, made.every = (
            rate,
            "",
            "",
            0,
            None,
            0,
        )
        made.asked = {}
        return made

    def made(self, scope: Any, factor: float) -> FlowKind:
        """Return it as it is for somebody, so many times as fast."""
        found = self.steady(self.rate)
        found.while_, found.unless, found.after_hurt = self.while_, self.unless, self.after_hurt
        found.until, found.every = self.until, self.every
        for key, formula in self.asked.items():
            if key == "after_hurt":
                found.after_hurt = span_of(formula, scope, least=0)
            elif key == "until":
                found.until = min(max(formula.value(scope), 0.0), 1.0)
            else:
                found.rate = formula.value(scope)
        found.rate *= factor
        return found

    @property
    def key(self) -> tuple[object, ...]:
        """What tells it from other flows of its meter."""
        asked = tuple((name, formula.formula.text) for name, formula in self.asked.items())
        return self.rate, self.while_, self.unless, self.after_hurt, self.until, self.every, asked

    def limit(self, top: float) -> float:
        """Return the value at which the flow stops, for a maximum of *top*."""
        return (
            top * (1.0 if self.until is None else self.until) if self.rate > 0 else top * (self.until or 0.0)
        )


def _text(value: object) -> str | None:
    return value if isinstance(value, str) else None


class MeterKind:
    """A meter of a kind."""

    __slots__ = (
        "_courses", "asks", "cells", "flows", "keep", "mark_levels", "marks", "max", "mode", "name",
        "overfill", "pause", "plain", "quiets", "saved", "shields", "start", "starts_full", "whole",
    )  # fmt: skip
    name: str
    keep: str
    asks: bool
    """Whether a flow of it has a formula."""
    whole: bool
    starts_full: bool
    marks: tuple[tuple[str, float], ...]
    mark_levels: tuple[float, ...]
    flows: tuple[FlowKind, ...]
    quiets: bool
    pause: int
    plain: bool
    shields: str
    cells: int | None
    saved: bool
    mode: str

    def __init__(self, name: str, meter: models.MeterTable, bind: Binder, path: str) -> None:
        self.name = name
        self.whole = meter.whole
        top = 1.0 if isinstance(meter.max, str) else meter.max  # a formula is worked out for each actor
        self.max: float = int(top) if meter.whole else top
        self.keep = meter.keep
        self.starts_full = meter.start is None
        start = self.max if meter.start is None else meter.start
        self.start: float = int(start) if meter.whole else start
        self.mode = meter.round
        self.marks = tuple(sorted(meter.marks.items(), key=lambda item: (item[1], item[0])))
        self.mark_levels = tuple(level for _, level in self.marks)
        self.flows = tuple(
            FlowKind(flow, bind, f"{path}.flows[{number + 1}]") for number, flow in enumerate(meter.flows)
        )
        self.asks = any(flow.asked for flow in self.flows)
        self.quiets = any(flow.after_hurt for flow in self.flows)
        # Microseconds from a hurt to the first of its flows going on
        self.pause = min((flow.after_hurt for flow in self.flows if flow.after_hurt), default=0)
        self.plain = not any(
            flow.every or flow.while_ or flow.unless or flow.after_hurt or flow.asked for flow in self.flows
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
    zones: dict[str, Amount]
    through: dict[str, Amount]
    armour: Amount
    scale: Expression | None
    grace: Span
    immune_while: tuple[str, ...]
    least: float
    most: float | None

    def __init__(self, guard: models.Guard, bind: Binder, path: str) -> None:
        roots = ("self", "source", "target")
        self.zones, self.through = (
            {key: bind.amount(amount, f"{path}.{name}.{key}", roots) for key, amount in table.items()}
            for name, table in (("zones", guard.zones), ("through", guard.through))
        )
        self.armour = bind.amount(guard.armour, f"{path}.armour", roots)
        self.scale = bind.expression(guard.scale, f"{path}.scale", roots)
        self.grace, self.immune_while = bind.span(guard.grace, f"{path}.grace", roots), guard.immune_while
        self.least, self.most = guard.least, guard.most


_ALL = ("self", "source", "target")


class PricedKind:
    """What an attack or an ability asks of whoever uses it, and how long it rests."""

    __slots__ = ("cooldown", "costs", "name", "needs", "where")
    name: str
    costs: dict[str, Amount]
    needs: tuple[Expression, ...]
    cooldown: Span
    where: str

    def __init__(self, name: str, priced: models.Attack | models.Ability, bind: Binder, where: str) -> None:
        self.name, self.where = name, where
        self.costs = {
            good: bind.amount(amount, f"{where}.costs.{good}", _ALL) for good, amount in priced.costs.items()
        }
        self.needs = bind.conditions(priced.needs, f"{where}.needs", roots=_ALL)
        self.cooldown = bind.span(priced.cooldown, f"{where}.cooldown", _ALL)


class AttackKind(PricedKind):
    """An attack of a kind."""

    __slots__ = (
        "amount", "crit", "do", "flight", "hits_owner", "ignores", "per_target", "pierces", "type",
    )  # fmt: skip
    amount: Amount
    pierces: Amount
    flight: Span
    hits_owner: bool
    type: str
    per_target: bool
    do: Effects
    crit: tuple[Amount, Amount] | None
    ignores: frozenset[str]

    def __init__(self, name: str, attack: models.Attack, bind: Binder, where: str) -> None:
        super().__init__(name, attack, bind, where)
        self.type = attack.type or ""
        self.amount = bind.amount(attack.amount, f"{where}.amount", _ALL)
        self.per_target = attack.cooldown_per == "target"
        self.do = bind.effects(attack.do, f"{where}.do", _ALL, to="target")
        self.crit = None
        if attack.crit is not None:
            chance = bind.amount(attack.crit.chance, f"{where}.crit.chance", _ALL)
            self.crit = chance, bind.amount(attack.crit.times, f"{where}.crit.times", _ALL)
        self.ignores = frozenset(attack.ignores)
        self.pierces = bind.amount(attack.pierces, f"{where}.pierces")
        self.flight, self.hits_owner = bind.span(attack.flight, f"{where}.flight"), attack.hits_owner

    @property
    def plain(self) -> bool:
        """Whether nothing is asked of who uses it."""
        return not self.costs and not self.needs

    def rests_as(self, target: str) -> str:
        """Return the name under which its cooldown against somebody is kept; "" is whoever a shot meets."""
        return f"{self.name}/{target if self.per_target else ''}"


class AbilityKind(PricedKind):
    """Something that a kind can do."""

    __slots__ = ("do", "reach", "revives", "targets", "title", "waste")
    title: str
    targets: str
    reach: Amount | None
    do: Effects
    waste: bool
    revives: bool

    def __init__(self, name: str, ability: models.Ability, bind: Binder, where: str) -> None:
        super().__init__(name, ability, bind, where)
        self.title = ability.title or name.replace("_", " ")
        self.targets, self.waste = ability.targets, ability.waste
        self.reach = None if ability.reach is None else bind.amount(ability.reach, f"{where}.reach", _ALL)
        self.do = bind.effects(ability.do, f"{where}.do", _ALL)
        self.revives = any(effect.verb == "revive" for effect in self.do)

    @property
    def clock(self) -> str:
        """What its cooldown is called beside those of attacks."""
        return f"use {self.name}"

    @property
    def rests_as(self) -> str:
        """The name under which its cooldown is kept."""
        return f"{self.clock}/"


class PulseKind:
    """Effects repeated after each span, for the first time at the end of one, or `at_once`.

    `pays` is (currency, amount) where all it does is earn a constant for its owner, `hurts` (amount, type)
    where all it does is hurt whom it is on by a constant.
    """

    __slots__ = ("at_once", "do", "every", "hurts", "name", "pays")
    name: str
    every: Span
    at_once: bool
    do: Effects

    def __init__(self, name: str, pulse: models.Pulse, bind: Binder, where: str) -> None:
        self.name = name
        self.every = bind.span(pulse.every, f"{where}.every")
        self.do = do = bind.effects(pulse.do, f"{where}.do")
        self.at_once = pulse.at_once
        self.pays: tuple[str, int] | None = None
        only = do[0] if len(do) == 1 else None
        if (
            only is not None
            and only.verb == "earn"
            and only.to == "owner"
            and only.when is None
            and only.chance is None
            and not isinstance(only.beside["amount"], Expression)
        ):
            self.pays = only.operand, half_up(only.beside["amount"])
        self.hurts: tuple[float, str] | None = None
        if (
            only is not None
            and only.verb == "hurt"
            and only.to == "self"
            and only.when is None
            and only.chance is None
            and not isinstance(only.operand, Expression)
            and set(only.beside) <= {"type"}
        ):
            self.hurts = only.operand, only.beside.get("type", "")


class ActorKind:
    """A kind of actor."""

    __slots__ = (
        "abilities", "attacks", "bag", "bases", "guard", "keep", "lives", "lives_most", "meters", "name",
        "on_death", "player", "pulses", "quiets", "reach", "respawn", "rests_far", "shields", "slots",
        "spawn", "stats", "tags", "team", "title", "turns", "vanish_after", "vital",
    )  # fmt: skip
    name: str
    player: bool
    turns: bool
    title: str
    vital: str
    tags: tuple[str, ...]
    meters: dict[str, MeterKind]
    quiets: bool
    rests_far: bool
    """Whether a flow of it rests after a hurt by a clock that the game moves."""
    shields: tuple[str, ...]
    guard: GuardKind
    attacks: dict[str, AttackKind]
    abilities: dict[str, AbilityKind]
    pulses: dict[str, PulseKind]
    on_death: Effects
    lives: int
    lives_most: int
    respawn: tuple[Span, float, Span] | None
    vanish_after: int
    keep: bool
    spawn: str
    reach: Amount | None
    bag: Amount | None
    team: str
    slots: dict[str, int]
    stats: tuple[str, ...]
    bases: dict[str, Amount]
    """What all that can be modified is before anything changes it: stats, maxima, rates, the bag."""

    def __init__(self, name: str, actor: models.Actor, bind: Binder) -> None:
        self.name, self.player, self.title = name, actor.player, actor.title or name
        self.vital = actor.vital or ""
        self.tags = actor.tags
        self.meters = {
            key: MeterKind(key, meter, bind, f"actors.{name}.meters.{key}")
            for key, meter in actor.meters.items()
        }
        self.quiets = any(meter.quiets for meter in self.meters.values())
        flows = (flow for meter in self.meters.values() for flow in meter.flows)
        self.rests_far = any(flow.after_hurt >= FAR for flow in flows)
        self.shields = tuple(
            key for key, meter in self.meters.items() if meter.shields and meter.shields == self.vital
        )
        path = f"actors.{name}"
        self.guard = GuardKind(actor.guard, bind, f"{path}.guard")
        self.attacks = {
            key: AttackKind(key, attack, bind, f"{path}.attacks.{key}")
            for key, attack in actor.attacks.items()
        }
        self.abilities = {
            key: AbilityKind(key, ability, bind, f"{path}.abilities.{key}")
            for key, ability in actor.abilities.items()
        }
        self.pulses = {
            key: PulseKind(key, pulse, bind, f"{path}.pulses.{key}") for key, pulse in actor.pulses.items()
        }
        self.on_death = bind.effects(actor.on_death, f"{path}.on_death", event="died")
        self.lives = actor.lives.start if actor.lives else 0
        self.lives_most = (actor.lives.most or 0) if actor.lives else 0
        self.respawn = (
            (
                bind.span(actor.respawn.after, f"{path}.respawn.after", event="died"),
                actor.respawn.fraction,
                bind.span(actor.respawn.grace, f"{path}.respawn.grace"),
            )
            if actor.respawn
            else None
        )
        self.spawn = actor.spawn or ""
        self.reach = bind.reach(actor.reach, path)
        self.bag = bind.amount(actor.bag.most, f"{path}.bag.most", ("self",)) if actor.bag else None
        self.team, self.slots, self.stats = actor.team or "", dict(actor.slots), tuple(actor.stats)
        self.bases = {
            key: bind.amount(stat.base, f"{path}.stats.{key}.base", ("self",))
            for key, stat in actor.stats.items()
        }
        for key, meter in actor.meters.items():
            top = bind.amount(meter.max, f"{path}.meters.{key}.max", ("self",))
            self.bases[f"{key}.max"] = top if isinstance(top, Expression) else self.meters[key].max
            self.bases[f"{key}.rate"] = 0.0
        self.bases["bag"] = -1 if self.bag is None else self.bag
        self.vanish_after = -1 if actor.vanish_after is None else as_span(actor.vanish_after)
        self.keep, self.turns = actor.keep, actor.turns


class StatusKind:
    """Something temporary that an actor can have."""

    __slots__ = (
        "active_when",
        "deals",
        "flows",
        "for_",
        "in_turns",
        "lasts",
        "most",
        "name",
        "pulses",
        "scale",
        "stack",
        "tags",
        "through",
    )
    name: str
    most: int
    lasts: Span
    tags: tuple[str, ...]
    deals: Amount
    through: dict[str, Amount]
    scale: Amount
    flows: tuple[tuple[str, FlowKind], ...]
    pulses: tuple[PulseKind, ...]
    stack: str
    active_when: Expression | None
    in_turns: bool
    """Whether it counts turns, so that only who takes turns can have it."""
    for_: tuple[str, ...]

    def __init__(self, name: str, status: models.Status, bind: Binder) -> None:
        self.name, self.stack, self.most = name, status.stack, status.most or 0
        self.for_ = status.for_
        self.active_when = bind.expression(status.active_when, f"statuses.{name}.active_when", ("self",))
        self.lasts = bind.span(status.lasts, f"statuses.{name}.lasts")
        path = f"statuses.{name}"
        self.tags = status.tags
        self.deals = bind.amount(status.deals, f"{path}.deals", ("self",))
        self.scale = bind.amount(status.scale, f"{path}.scale", ("self",))
        self.through = {
            key: bind.amount(amount, f"{path}.through.{key}", ("self",))
            for key, amount in status.through.items()
        }
        self.flows = tuple(
            (flow.meter, FlowKind(flow, bind, f"{path}.flows[{number + 1}]"))
            for number, flow in enumerate(status.flows)
        )
        self.pulses = tuple(
            PulseKind(str(number), pulse, bind, f"statuses.{name}.pulses[{number + 1}]")
            for number, pulse in enumerate(status.pulses)
        )
        spans = [
            self.lasts,
            *(pulse.every for pulse in self.pulses),
            *(flow.after_hurt for _, flow in self.flows),
        ]
        self.in_turns = any(isinstance(span, Counted) and unit_of(span) == "turns" for span in spans)
