"""Actor kinds: what an actor of a design starts with and can do, beside its state in `body`.

Meters and their flows, guards, attacks, pulses and statuses, as `vitals` reads them. Start at `ActorKind`.
"""

from __future__ import annotations

from cleaver.core.kernel.clock import micros
from cleaver.core.kernel.expressions import Amount, Effects, Expression, Span
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.kernel.binder import Binder
    from cleaver.design import models


class FlowKind:
    """A flow of a meter or of a status."""

    __slots__ = ("after_hurt", "every", "rate", "unless", "until", "while_")
    rate: float
    while_: str
    unless: str
    after_hurt: int
    until: float | None
    every: int

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
        "_courses", "cells", "flows", "mark_levels", "marks", "max", "mode", "name", "overfill", "pause",
        "plain", "quiets", "saved", "shields", "start", "starts_full", "whole",
    )  # fmt: skip
    name: str
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
        # Microseconds from a hurt to the first of its flows going on
        self.pause = min((flow.after_hurt for flow in self.flows if flow.after_hurt), default=0)
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
    zones: dict[str, float]
    through: dict[str, float]
    armour: float
    scale: Expression | None
    grace: int
    immune_while: tuple[str, ...]
    least: float
    most: float | None

    def __init__(self, guard: models.Guard, scale: Expression | None) -> None:
        self.zones, self.through, self.armour = dict(guard.zones), dict(guard.through), guard.armour
        self.scale, self.grace, self.immune_while = scale, micros(guard.grace), guard.immune_while
        self.least, self.most = guard.least, guard.most


class AttackKind:
    """An attack of a kind."""

    __slots__ = (
        "amount", "cooldown", "crit", "do", "flight", "hits_owner", "ignores", "name", "pierces", "type",
        "where",
    )  # fmt: skip
    name: str
    amount: Amount
    pierces: int
    flight: int
    hits_owner: bool
    type: str
    cooldown: Span
    do: Effects
    where: str
    crit: tuple[float, float] | None
    ignores: frozenset[str]

    def __init__(self, name: str, attack: models.Attack, bind: Binder, where: str) -> None:
        roots = ("self", "source", "target")
        self.name, self.type, self.where = name, attack.type or "", where
        self.amount = bind.amount(attack.amount, f"{where}.amount", roots)
        self.cooldown = bind.span(attack.cooldown, f"{where}.cooldown", ("self", "source"))
        self.do = bind.effects(attack.do, f"{where}.do", roots, to="target")
        self.crit = (attack.crit.chance, attack.crit.times) if attack.crit else None
        self.ignores = frozenset(attack.ignores)
        self.pierces, self.flight, self.hits_owner = (
            attack.pierces,
            micros(attack.flight),
            attack.hits_owner,
        )


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
        "attacks", "bag", "guard", "keep", "lives", "lives_most", "meters", "name", "on_death", "player",
        "pulses", "quiets", "reach", "respawn", "shields", "spawn", "tags", "title", "vanish_after", "vital",
    )  # fmt: skip
    name: str
    player: bool
    title: str
    vital: str
    tags: tuple[str, ...]
    meters: dict[str, MeterKind]
    quiets: bool
    shields: tuple[str, ...]
    guard: GuardKind
    attacks: dict[str, AttackKind]
    pulses: dict[str, PulseKind]
    on_death: Effects
    lives: int
    lives_most: int
    respawn: tuple[Span, float, int] | None
    vanish_after: int
    keep: bool
    spawn: str
    reach: float | None
    bag: int | None

    def __init__(self, name: str, actor: models.Actor, bind: Binder) -> None:
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
            key: AttackKind(key, attack, bind, f"{path}.attacks.{key}")
            for key, attack in actor.attacks.items()
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
                micros(actor.respawn.grace),
            )
            if actor.respawn
            else None
        )
        self.spawn, self.reach = actor.spawn or "", actor.reach
        self.bag = actor.bag.most if actor.bag else None
        self.vanish_after = -1 if actor.vanish_after is None else micros(actor.vanish_after)
        self.keep = actor.keep


class StatusKind:
    """Something temporary that an actor can have."""

    __slots__ = ("deals", "flows", "lasts", "most", "name", "pulses", "scale", "stack", "tags", "through")
    name: str
    most: int
    lasts: Span
    tags: tuple[str, ...]
    deals: float
    through: dict[str, float]
    scale: float
    flows: tuple[tuple[str, FlowKind], ...]
    pulses: tuple[PulseKind, ...]
    stack: str

    def __init__(self, name: str, status: models.Status, bind: Binder) -> None:
        self.name, self.stack, self.most = name, status.stack, status.most or 0
        self.lasts = bind.span(status.lasts, f"statuses.{name}.lasts")
        self.tags, self.deals, self.through, self.scale = (
            status.tags,
            status.deals,
            dict(status.through),
            status.scale,
        )
        self.flows = tuple((flow.meter, FlowKind(flow)) for flow in status.flows)
        self.pulses = tuple(
            PulseKind(str(number), pulse, bind, f"statuses.{name}.pulses[{number + 1}]")
            for number, pulse in enumerate(status.pulses)
        )
