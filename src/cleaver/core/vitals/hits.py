"""Combat: the hit, from the gate to what is left of the target.

The order of the steps stands in `design.steps`; those that apply are put together in a `plans.Plan`, which
tells what each of them did. Owns no state but the cooldowns on the attacker; meters are `vitals`' business,
what an attack does besides hangs on the `damaged` event. Start at `Combat.hit`.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import BoundEffect, Expression, amount_of, met, span_of
from cleaver.core.kernel.results import HitResult, Step
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.spans import FAR
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.vitals.blow import Blow
from cleaver.core.vitals.meters import Vitals, doer
from cleaver.core.vitals.plans import Plan
from cleaver.errors import UnknownNameError
from cleaver.rounding import rounded

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Protocol

    from cleaver.core.kernel.actor_kinds import AttackKind
    from cleaver.literals import Blocked

    class _Payer(Protocol):
        """What works out and takes what an attack costs."""

        def bill(self, body: Body, costs: Any, scope: Scope, reason: str) -> Any: ...
        def affords(self, body: Body, bill: Any) -> bool: ...
        def pay(self, body: Body, bill: Any) -> None: ...


class Combat:
    """Hits in one world."""

    stage: Stage
    vitals: Vitals
    effects: Effects
    costs: _Payer

    def __init__(self, stage: Stage, vitals: Vitals, effects: Effects) -> None:
        self.stage, self.vitals, self.effects = stage, vitals, effects
        self._plans: dict[object, Any] = {}
        self.truces: list[
            Any
            # Asked in turn for the friendly-fire share of a body among its own; None: not mine to say
        ] = []
        stage.verbs["hurt"] = (self.prepare_hurt, self.commit_hurt)

    def attack(self, body: Body, name: str) -> AttackKind:
        """Return an attack of a body's kind by its name."""
        found = body.kind.attacks.get(name)
        if found is None:
            raise UnknownNameError("attack", name, tuple(body.kind.attacks), body.id)
        return found

    def check(self, target: Body, zone: str, type: str) -> None:
        """Raise where a target has no such zone, or the design no such type of damage."""
        if zone and zone not in target.kind.guard.zones:
            raise UnknownNameError("zone", zone, tuple(target.kind.guard.zones), target.id)
        if type and type not in self.stage.kinds.known.hurts:
            raise UnknownNameError("type of damage", type, self.stage.kinds.known.hurts)

    def hit(self, target: Body, blow: Blow) -> HitResult:
        """Carry out a hit: gate, amount, factors, armour, rounding, shields, the vital meter."""
        self.vitals.meter(target, "")
        refused = self.gate(
            target, blow.source, blow.attack, blow.type, blow.ignores, blow.posthumous or blow.pulse, blow
        )
        if refused:
            return HitResult.refused(refused)
        prepared = self.prepared(target, blow)
        if blow.attack is not None and blow.source is not None and not blow.luck:
            blow.pause = self.cooldown(blow.attack, blow.source, target, blow.inputs)
            if blow.bill is not None:
                self.costs.pay(blow.source, blow.bill)
        before, self.stage.given = self.stage.given, blow.inputs  # they reach all that follows
        try:
            return self.land(target, blow, *prepared)
        finally:
            self.stage.given = before

    def gate(
        self,
        target: Body,
        source: Body | None,
        attack: AttackKind | None,
        type: str,
        ignores: frozenset[str],
        late: bool,
        blow: Blow | None = None,
    ) -> Blocked:
        """Return why a hit does not land; "" if it does. Changes nothing and draws nothing.

        Args:
            target: Who is hit.
            source: Who hits, if it is still there.
            attack: With what.
            type: The type of damage.
            ignores: Steps that are passed by.
            late: Whether it was on its way already, so that its source may be dead.
            blow: The hit; not needed between those who have nothing to do with each other.
        """
        if not target.alive:
            return "dead"
        now = self.stage.clock.now
        if source is not None:
            refused = self._asked(source, target, attack, ignores, late, blow)
            if refused:
                return refused
        if target.grace > now and "grace" not in ignores:
            return "grace"
        guard = target.kind.guard
        if (
            guard.immune_while
            and "immune" not in ignores
            and any(target.has(tag) for tag in guard.immune_while)
        ):
            return "immune"
        if (
            type
            and (guard.through or target.through)
            and "through" not in ignores
            and self.through(target, type, source) == 0
        ):
            return "immune"
        if blow is not None and "friendly" not in ignores and not self.share(target, blow):
            return "friendly"
        return ""

    def _asked(
        self,
        source: Body,
        target: Body,
        attack: AttackKind | None,
        ignores: frozenset[str],
        late: bool,
        blow: Blow | None,
    ) -> Blocked:
        """Return why somebody cannot hit with an attack now, whatever stands between; "" if it can. A shot
        was asked, and paid for, where it was launched."""
        if not source.alive and not late:
            return "source_dead"
        if attack is None or (blow is not None and blow.luck):
            return ""
        if attack.needs and not self._open(source, target, attack, blow):
            return "locked"
        rests = source.cooldowns and source.cooldowns.get(attack.rests_as(target.id), 0)
        if rests and rests > self.stage.clock.now and "cooldown" not in ignores:
            return "cooldown"
        if blow is not None and attack.costs:
            scope = self._scope(source, target, blow)
            blow.bill = self.costs.bill(source, attack.costs, scope, attack.name)
            if not self.costs.affords(source, blow.bill):
                return "too_poor"
        return ""

    def _scope(self, source: Body, target: Body | None, blow: Blow | None) -> Scope:
        return Scope(self.stage, source, source, target, inputs=None if blow is None else blow.inputs)

    def _open(self, source: Body, target: Body | None, attack: AttackKind, blow: Blow | None) -> bool:
        """Return whether what an attack needs holds."""
        scope = self._scope(source, target, blow)
        return met(attack.needs, scope)

    def cool(self, source: Body, attack: AttackKind, target: Body, pause: int) -> None:
        """Let an attack rest for a span before it may hit the same target again."""
        clock = self.stage.clock
        # As `later` does it, without the call, where it is seconds
        rested = clock.now + pause if pause < FAR else clock.later(pause, source, rest=True)
        source.cooldowns[attack.rests_as(target.id)] = rested
        if attack.per_target:
            target.hunters.add(source.id)

    def cooldown(
        self, attack: AttackKind, source: Body, target: Body | None, inputs: dict[str, float] | None
    ) -> int:
        """Return for what span an attack rests that is used now."""
        if attack.cooldown.__class__ is int:
            return attack.cooldown
        return span_of(attack.cooldown, Scope(self.stage, source, source, target, inputs=inputs), least=0)

    def through(self, target: Body, type: str, source: Body | None) -> float:
        """Return what gets through to a target of one type of damage."""
        if not type:
            return 1.0
        part = target.kind.guard.through.get(type, 1.0)
        if part.__class__ is Expression:
            part = part.amount(Scope(self.stage, target, source, target))
        return part * target.through.get(type, 1.0)  # type: ignore[operator]  # a number now

    def share(self, target: Body, blow: Blow) -> float:
        """Return how much of a hit counts between those two, from 0 to 1: nothing of it for whom it acts for,
        among friends what team or match say."""
        source, stage = blow.source, self.stage
        if blow.luck or source is None or source.owner:
            own = bool(blow.luck) and source is target
            credit = stage.party(stage.credit_of(blow.source_id))
            if own or stage.acts_for(source, target) or credit is target is not source:
                return 1.0 if blow.attack is not None and blow.attack.hits_owner else 0.0
        if not blow.team or blow.team != target.team or source is target:
            return 1.0
        for truce in self.truces:
            found: float | None = truce(target)
            if found is not None:
                return found
        teams = self.stage.kinds.teams
        return float(teams[target.team][1]) if target.team in teams else 0.0

    def plan(
        self, attack: AttackKind | None, target: Body, zone: str, type: str, ignores: frozenset[str]
    ) -> Plan:
        """Return the plan of hits with an attack, or with none, against a zone of a kind."""
        plans: dict[object, Any] = self.stage.kinds.hits if self.stage.fast else self._plans
        key = (attack, target.kind_name, zone, type, ignores)
        found: Plan | None = plans.get(key)
        if found is None:
            watched = bool(self.vitals.stats.sheet(target).edges)
            found = plans[key] = Plan(attack, target.kind, zone, type, ignores, watched)
        return found

    def prepared(self, target: Body, blow: Blow) -> tuple[Plan, float, float, tuple[float, ...], int]:
        """Return (plan, amount, factor of the target's scale, what other formulas give, grace) of a hit: the
        part that may raise, before anything changes."""
        stage, source = self.stage, blow.source
        plan = self.plan(blow.attack, target, blow.zone, blow.type, blow.ignores)
        amount, scale = blow.amount, 1.0
        if isinstance(amount, Expression):
            amount = amount.amount(Scope(stage, source, source, target, inputs=blow.inputs))
        if "scale" not in blow.ignores:
            if plan.scale is not None:
                scale = plan.scale.amount(Scope(stage, target, source, target, inputs=blow.inputs))
            scale *= target.scale
        numbers: tuple[float, ...] = ()
        if plan.asked:
            numbers = plan.numbers_of(
                Scope(stage, target, source, target, inputs=blow.inputs), source, target
            )
        grace = plan.grace
        if grace.__class__ is Expression:
            grace = span_of(grace, Scope(stage, target, source, target, inputs=blow.inputs), least=0)
        return plan, amount, scale, numbers, grace  # type: ignore[return-value]  # worked out

    def land(
        self,
        target: Body,
        blow: Blow,
        plan: Plan,
        base: float,
        scale: float,
        numbers: tuple[float, ...],
        grace: int,
    ) -> HitResult:
        """Carry out a hit that passed the gate and whose formulas are worked out."""
        stage, source = self.stage, blow.source
        luck = blow.luck if source is None else source.luck
        amount, asked = plan.work(base, scale, numbers, source, target, blow, self, stage, blow.crit, luck)
        steps = partial(plan.told, base, scale, asked)
        if plan.attack is not None and blow.pause and source is not None:
            self.cool(source, plan.attack, target, blow.pause)
        if amount <= 0:
            stage.emit("deflected", target.id, blow.source_id, (plan.type, plan.zone, plan.name))
            return HitResult("deflected", steps=steps)
        if grace and not blow.pulse:
            # One that is longer, such as that of a return, is not cut short
            target.grace = stage.clock.longer(target.grace, stage.clock.later(grace, target), target)
        return self.take(
            target, blow.source_id, amount, plan.critical(asked), steps, plan.name, plan.type, plan.zone,
            shields="shields" not in plan.ignores,
        )  # fmt: skip

    def take(
        self,
        target: Body,
        source: str,
        amount: float,
        critical: bool,
        steps: tuple[Step, ...] | Callable[[], tuple[Step, ...]],
        attack: str,
        type: str,
        zone: str,
        *,
        shields: bool = True,
    ) -> HitResult:
        """Let shields absorb, then the vital meter lose; tell it."""
        stage, vitals, vital = self.stage, self.vitals, target.kind.vital
        left, absorbed = amount, 0.0
        moved: tuple[tuple[Any, float, float], ...] = ()
        if shields and target.kind.shields:
            left, absorbed, moved = self._absorb(target, amount)
        meter = target.meters[vital]
        before, after, dealt = vitals.shift(meter, -left)
        overkill = left - dealt if left > dealt else 0.0
        lethal = after <= 0 < before
        target.hurt_at = stage.clock.now
        event = Event(
            stage.damaged,
            stage.seq + 1,
            stage.clock.now,
            stage.cause,
            target.id,
            source,
            (dealt, absorbed, overkill, vital, type, zone, attack, critical, before, after),
            stage.credit_of(source) if source else "",
        )
        event.steps = steps
        seq = event.seq
        stage.post(event)
        if target.quiets:
            self.quieten(target)
        for shield, had, has in moved:
            vitals.after(shield, had, has, source, seq)
        if before != after and (lethal or meter.kind.mark_levels or self.vitals.stats.sheet(target).edges):
            vitals.after(meter, before, after, source, seq, mortal=False)
        if lethal:
            vitals.death.die(target, source, seq, attack, type, overkill)
        return HitResult("", amount, dealt, absorbed, overkill, critical, lethal, steps)

    def _absorb(
        self, target: Body, amount: float
    ) -> tuple[float, float, tuple[tuple[Any, float, float], ...]]:
        """Let shields take what they can, in design order; returns (what is left, what they took, how each
        moved).

        A whole shield takes a fractional amount whole and loses it rounded up; what is left for a whole vital
        meter is whole.
        """
        vitals = self.vitals
        whole = target.meters[target.kind.vital].kind.whole
        left, absorbed = amount, 0.0
        moved = []
        for name in target.kind.shields:
            shield = target.meters[name]
            there = vitals.value(shield)
            most = rounded(there, "down") if whole else there
            taken = left if left <= there else most
            if taken > 0:
                moved.append(
                    (
                        shield,
                        *vitals.shift(shield, -(rounded(taken, "up") if shield.kind.whole else taken))[:2],
                    )
                )
                left -= taken
                absorbed += taken
        return left, absorbed, tuple(moved)

    def quieten(self, target: Body) -> None:
        """Let the flows that pause after a hurt pause."""
        if target.kind.rests_far or any(flow.after_hurt >= FAR for _, flow, _, _ in target.flows):
            target.hurt_on = self.stage.clock.stamp(target)
        for meter in target.meters.values():
            if meter.kind.quiets or any(
                flow.after_hurt and name == meter.kind.name for name, flow, _, _ in target.flows
            ):
                self.vitals.anchor(meter, self.vitals.real(meter), self.vitals.value(meter))

    # what an attack does besides

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan what follows from events about hits: an attack's own effects, and a kind's `on_death`."""
        kinds = self.stage.kinds.actors
        if (
            name == "damaged"
            and source_kind in kinds
            and any(attack.do for attack in kinds[source_kind].attacks.values())
        ):
            return [("", partial(self._struck, attacks=kinds[source_kind].attacks))]
        if name == "died" and kind in kinds and kinds[kind].on_death:
            return [(f"actors.{kind}.on_death", partial(self._died, effects=kinds[kind].on_death))]
        return []

    def _struck(self, event: Event, attacks: dict[str, AttackKind]) -> None:
        attack = attacks.get(event.attack)
        target = self.stage.actors.get(event.actor)
        if attack is None or not attack.do or event.amount <= 0 or target is None:
            return
        source = self.stage.party(event.source)
        scope = Scope(self.stage, source, source, target, event=event, place=attack.where, reason=attack.name)
        scope.credit = event.source
        self.effects.follow(attack.do, scope)

    def _died(self, event: Event, effects: tuple[BoundEffect, ...]) -> None:
        body = self.stage.actors.get(event.actor)
        if body is not None:
            scope = Scope(
                self.stage,
                body,
                self.stage.party(event.source),
                body,
                event=event,
                place=f"actors.{body.kind_name}.on_death",
                reason="death",
            )
            self.effects.follow(effects, scope)

    # effects

    def prepare_hurt(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`. Formulas are worked out here, so that doing it cannot raise."""
        amount = amount_of(effect.operand, scope)
        who = scope.source if body is scope.me else scope.me
        zone = effect.beside.get("zone", "")
        if zone not in body.kind.guard.zones:
            zone = ""
        blow = Blow(
            amount,
            who,
            zone=zone,
            type=effect.beside.get("type", ""),
            inputs=scope.inputs,
            posthumous=True,
            ignores=frozenset(effect.beside.get("ignores", ())),
            pulse=scope.pulse,
            source_id=doer(scope, body),
        )
        if not body.kind.vital:
            return None, "immune"
        return (blow, *self.prepared(body, blow)), self._gate(body, blow)

    def _gate(self, body: Body, blow: Blow) -> Blocked:
        return self.gate(body, blow.source, None, blow.type, blow.ignores, True, blow)

    def commit_hurt(self, scope: Scope, effect: BoundEffect, body: Body, prepared: Any) -> None:
        """See `effects`."""
        if prepared is None:
            return
        blow, *worked = prepared
        if not self._gate(body, blow):  # an effect before it in the list may have killed it
            self.land(body, blow, *worked)
