"""Quick hits: what most hits are, done by a plan that was worked out once.

The plan of an attack against a zone of a kind lists its steps as data: numbers that stand still, and what has
to be asked. `hits` stays the truth: whatever is not in a plan (a mark crossed, a bound reached, a death,
statuses that change what gets through, friends) goes the way of `Combat.hit`, and a hit that is done here
changes and tells the same to the last digit. Start at `Quick.hit`.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import MOST, Amount, Expression
from cleaver.core.kernel.results import HitResult, Step
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import NEW, Stage, only
from cleaver.core.vitals.hits import Combat, hardened
from cleaver.core.vitals.meters import Vitals
from cleaver.rounding import NOISE, rounded, snapped

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.kernel.actor_kinds import ActorKind, AttackKind, MeterKind

_NOTHING: frozenset[str] = frozenset()


class Plan:
    """One attack of one kind against one zone of another, worked out once.

    `of` applies the steps to an amount, `told` lists them; the same in the same order as `Combat.land`.
    """

    __slots__ = (
        "above_all",
        "amount",
        "armour",
        "asks",
        "attack",
        "constant",
        "cooldown",
        "crit",
        "fixed",
        "grace",
        "layered",
        "least",
        "mark_levels",
        "mode",
        "most",
        "name",
        "open",
        "paused",
        "scale",
        "shields",
        "simple",
        "soft",
        "steps",
        "through",
        "type",
        "vital",
        "whole",
        "zone",
        "zone_factor",
    )
    attack: AttackKind
    name: str
    type: str
    zone: str
    vital: str
    amount: Amount
    scale: Expression | None
    asks: bool
    crit: tuple[float, float] | None
    cooldown: int
    zone_factor: float
    through: float
    grace: int
    armour: float
    least: float
    most: float | None
    whole: bool
    mode: str
    soft: bool
    mark_levels: tuple[float, ...]
    above_all: int
    shields: tuple[tuple[str, bool], ...]
    paused: tuple[str, ...]
    simple: bool
    layered: bool
    open: bool
    constant: float
    fixed: bool
    steps: tuple[Step, ...]

    def __init__(self, attack: AttackKind, target: ActorKind, zone: str) -> None:
        guard, meter = target.guard, target.meters[target.vital]
        self.attack, self.name, self.type, self.zone = attack, attack.name, attack.type, zone
        self.amount, self.crit = attack.amount, attack.crit
        self.cooldown = attack.cooldown if isinstance(attack.cooldown, int) else 0
        self.zone_factor = guard.zones[zone] if zone else 1.0
        self.through = guard.through.get(attack.type, 1.0) if attack.type else 1.0
        self.grace, self.scale = guard.grace, guard.scale
        self.armour, self.least, self.most = guard.armour, guard.least, guard.most
        self.vital, self.whole, self.mode = target.vital, meter.whole, meter.mode
        self.soft = not (guard.armour or guard.least or meter.whole or guard.most is not None)
        self.mark_levels = meter.mark_levels
        self.above_all = (1 << len(meter.mark_levels)) - 1
        self.shields = tuple((name, target.meters[name].whole) for name in target.shields)
        self.paused = tuple(name for name, one in target.meters.items() if one.quiets)
        self.simple = is_simple(target)
        self.layered = bool(self.shields or self.paused or self.whole)
        self.open = self.through != 0 and not guard.immune_while
        """Whether nothing but the states of the two can refuse it."""
        self.asks = isinstance(attack.amount, Expression) or guard.scale is not None
        self.fixed = not self.asks and attack.crit is None
        self.constant, self.steps = -1.0, ()
        if not isinstance(attack.amount, Expression) and self.fixed:
            self.constant = self.of(attack.amount, 1.0, 1.0, 1.0)
            self.steps = self.told(attack.amount, False, 1.0, 1.0)

    def of(self, amount: float, times: float, deals: float, scale: float) -> float:
        """Return what is left of an amount after all steps; 0 or less where it bounces off."""
        if self.zone:
            amount *= self.zone_factor
        if times != 1:
            amount *= times
        if deals != 1:
            amount *= deals
        if scale != 1:
            amount *= scale
        if self.through != 1:
            amount *= self.through
        if self.soft or amount <= 0:
            return amount
        if self.armour:
            amount = hardened(amount, self.armour)
        if self.least and amount < self.least:
            amount = self.least
        if self.whole:
            amount = rounded(max(amount, 0), self.mode)
        if self.most is not None and amount > self.most:
            amount = rounded(self.most, "down") if self.whole else self.most
        return amount

    def told(self, amount: float, critical: bool, deals: float, scale: float) -> tuple[Step, ...]:
        """Return the steps of a hit that was worked out by `of`."""
        steps: list[Step] = [("", amount, "")]
        if self.zone:
            steps.append(("×", self.zone_factor, self.zone))
        if critical and self.crit is not None:
            steps.append(("×", self.crit[1], "critical"))
        for factor, what in ((deals, "deals"), (scale, "scale"), (self.through, self.type)):
            if factor != 1:
                steps.append(("×", factor, what))
        for _, factor, _ in steps[1:]:
            amount *= factor
        if amount > 0:
            self._guarded(amount, steps)
        return tuple(steps)

    def _guarded(self, amount: float, steps: list[Step]) -> None:
        if self.armour:
            amount = hardened(amount, self.armour)
            steps.append(("−", self.armour, "armour"))
        if self.least and amount < self.least:
            amount = self.least
            steps.append(("→", amount, "at least"))
        if self.whole:
            exact = max(amount, 0)
            amount = rounded(exact, self.mode)
            if amount != exact:
                steps.append(("→", amount, "rounded"))
        if self.most is not None and amount > self.most:
            most = rounded(self.most, "down") if self.whole else self.most
            steps.append(("→", most, "at most"))


def is_simple(target: ActorKind) -> bool:
    """Return whether the meters of a kind are of shapes that a plan knows.

    The vital meter and its shields rest, or have one flow, upward, which pauses after a hurt or is always at
    work; with whole numbers none flows on under fire. What else pauses has that one flow too.
    """
    vital = target.meters[target.vital]
    struck = [vital, *(target.meters[name] for name in target.shields)]
    return (
        all(_rises(meter) for meter in struck)
        and not any(meter.whole and meter.flows and meter.plain for meter in struck)
        and (vital.whole or not any(meter.whole for meter in struck))
        and not any(meter.mark_levels for meter in struck[1:])
        and all(_rises(meter) for meter in target.meters.values() if meter.quiets)
    )


def _rises(meter: MeterKind) -> bool:
    if not meter.flows:
        return True
    flow = meter.flows[0]
    return len(meter.flows) == 1 and flow.rate > 0 and not (flow.every or flow.while_ or flow.unless)


def plan_of(attack: AttackKind, target: ActorKind, zone: str) -> Plan | None:
    """Return the plan of a hit against a zone that is there, or None where there is none: steps that are left
    out, nothing vital, a formula for how long it rests."""
    if not target.vital or attack.ignores or attack.cooldown.__class__ is not int:
        return None
    return Plan(attack, target, zone)


class Quick:
    """Quick hits in one world."""

    combat: Combat
    stage: Stage
    vitals: Vitals

    def __init__(self, combat: Combat) -> None:
        self.combat, self.stage, self.vitals = combat, combat.stage, combat.vitals
        self._plans: dict[tuple[str, str, str, str], Plan | None] = combat.stage.kinds.hits
        if not self.stage.fast:
            self._plans = {}
        self._scope = Scope(combat.stage, None)

    def _planned(self, source: Body, target: Body, attack: object, zone: object) -> Plan | None:
        if attack.__class__ is not str or zone.__class__ is not str:
            return None  # the general way says what is wrong
        found = source.kind.attacks.get(attack)
        if found is None or (zone and zone not in target.kind.guard.zones):
            return None  # as above; nothing is kept under names that are none
        made = plan_of(found, target.kind, zone) if self.stage.fast else None
        self._plans[source.kind_name, attack, target.kind_name, zone] = made
        return made

    def hit(
        self,
        source: Body,
        target: Body,
        attack: str | None,
        zone: str,
        crit: bool | None,
        given: dict[str, float],
    ) -> HitResult | None:
        """Carry out a hit by its plan, or return None where that needs the general way; nothing has changed
        then."""
        stage = self.stage
        if target.ill or source.lead is not None or stage.lasting:
            return None
        if source.team and source.team == target.team:
            return None
        try:
            plan = self._plans[source.kind_name, attack, target.kind_name, zone]  # type: ignore[index]
        except (KeyError, TypeError):  # of an attack or a zone that is none
            plan = self._planned(source, target, attack, zone)
        if plan is None:
            return None
        if given:
            inputs = stage.kinds.inputs
            for name, value in given.items():
                if (
                    name not in inputs
                    or (value.__class__ is not float and value.__class__ is not int)
                    or not -1e300 < value < 1e300
                ):
                    return None  # the general way says what is wrong
            inputs = given if len(given) == len(inputs) else {**inputs, **given}
        now = stage.clock.now
        if not (
            plan.open and target.alive and source.alive and target.grace <= now and not source.cooldowns
        ):  # else nothing of the gate can apply
            if not source.here or not target.here:
                return None
            refused = self.combat.gate(target, source, plan.attack, plan.type, _NOTHING, False)
            if refused:
                return HitResult.refused(refused)
        deals = source.deals
        if plan.fixed and deals == 1:
            amount, critical = plan.constant, False
            steps: tuple[Step, ...] | Callable[[], tuple[Step, ...]] = plan.steps
        else:
            base, scale = plan.amount, 1.0
            if plan.asks:
                scope = self._scope
                scope.source, scope.target = source, target
                scope.inputs = inputs if given else stage.kinds.inputs
                try:
                    if base.__class__ is Expression:
                        scope.me = source
                        base = base.fn(scope)
                    if plan.scale is not None:
                        scope.me = target
                        scale = plan.scale.fn(scope) * target.scale
                except ArithmeticError:
                    return None  # as above
                if not (0 <= base <= MOST and 0 <= scale <= MOST):  # type: ignore[operator]  # a number by now
                    return None
            # From here on the dice may be drawn, so the general way is no way back; what it would do is done
            # here.
            times, critical = 1.0, False
            if plan.crit is not None:
                chance, times = plan.crit
                drawn = stage.dice.draw(source.luck) < chance
                critical = drawn if crit is None else crit
                times = times if critical else 1.0
            amount = plan.of(base, times, deals, scale)  # type: ignore[arg-type]  # as above
            steps = partial(plan.told, base, critical, deals, scale)  # type: ignore[arg-type]  # as above
        if plan.cooldown:
            self.combat.cool(source, plan.attack, target, plan.cooldown)
        if given:
            stage.given = inputs
        if amount > 0:
            if plan.grace:
                target.grace = now + plan.grace
            if plan.simple and not target.flows:
                struck = self._strike(plan, source, target, amount, critical, steps)
                if struck is not None:
                    if given:
                        stage.given = None  # where it only waits: told in a listener
                    return struck
        try:
            if amount <= 0:
                stage.emit("deflected", target.id, source.id, (plan.type, plan.zone, plan.name))
                result = HitResult("deflected", steps=steps)
            else:
                result = self.combat.take(
                    target, source.id, amount, critical, steps, plan.name, plan.type, plan.zone
                )
        finally:
            stage.given = None
        stage.drain()
        return result

    def pulse(self, target: Body, amount: float, type: str, source: Body | None, source_id: str) -> None:
        """Let a pulse hurt by a constant: what the effect `hurt` does with what a pulse does not pass by."""
        kind = target.kind
        if not kind.vital:
            return
        scale = target.scale
        if kind.guard.scale is not None:
            scale = kind.guard.scale.amount(Scope(self.stage, target, source, target)) * scale
        through = self.combat.through(target, type)
        if through == 0:
            return
        steps: list[Step] = [("", amount, "")]
        for factor, what in ((scale, "scale"), (through, type)):
            if factor != 1:
                amount *= factor
                steps.append(("×", factor, what))
        meter = kind.meters[kind.vital]
        if meter.whole and amount > 0:
            whole = rounded(amount, meter.mode)
            if whole != amount:
                steps.append(("→", whole, "rounded"))
            amount = whole
        if amount > 0:
            self.combat.take(target, source_id, amount, False, tuple(steps), "", type, "")
        else:
            self.stage.emit("deflected", target.id, source_id, (type, "", ""))

    def _strike(
        self,
        plan: Plan,
        source: Body,
        target: Body,
        amount: float,
        critical: bool,
        steps: tuple[Step, ...] | Callable[[], tuple[Step, ...]],
    ) -> HitResult | None:
        """Do what `Combat.take` does where meters only go down, between two marks; None, with nothing
        changed, where more would happen."""
        stage, vitals, meters = self.stage, self.vitals, target.meters
        now = stage.clock.now
        meter = meters[plan.vital]
        course = meter.course
        before = vitals.real(meter) if course and meter.since != now else meter.value
        left, absorbed, shield, kept = amount, 0.0, None, 0.0
        if plan.layered:
            for name in plan.paused:
                if not meters[name].number:
                    return None  # it gets its number among all timers in the order of the general way
            if plan.whole and (course or before != meter.base or before.__class__ is not int):
                return None  # it carries a part of a whole number
            for name, whole in plan.shields:
                one = meters[name]
                if whole and (one.value != one.base or one.value.__class__ is not int):
                    return None
                there = vitals.real(one) if one.course else one.value
                if there == 0:
                    continue
                kept, slack = there - left, one.max * NOISE
                if not slack < kept < one.max - slack:
                    return None
                shield, absorbed, left = one, 0.0 + left, left - left
                break
        after = before - left
        if shield is None:
            top = meter.max
            slack = top * NOISE
            levels = plan.mark_levels
            if not (
                slack < after < top - slack
                and (
                    not levels
                    or (meter.above == plan.above_all and after > levels[-1] * top + slack)
                    or vitals.marks_above(meter, after) == meter.above
                )
            ):
                return None
        elif shield.course:
            vitals.shift(shield, -amount)
        else:
            shield.value = shield.base = kept
            shield.since = now
        if shield is not None and course:
            before, after, _ = vitals.shift(meter, -left)
        else:
            if shield is not None and not plan.whole and after >= meter.max * (1 - 2 * NOISE):
                after = snapped(after, meter.max)  # one that is full is exactly that
            meter.value = meter.base = after
            meter.since = now
            if course and meter.due < 0:
                vitals.plan(meter)  # else its next moment only comes later, so the schedule may stand
        target.hurt_at = now
        if plan.layered:
            for name in plan.paused:
                one = meters[name]
                if one.course or one.value != one.base or one.due < 0 or one.steps is not None:
                    vitals.anchor(one, vitals.real(one), vitals.value(one))
                else:  # it stands, and its pause ends later
                    one.since = now
                    stage.clock.arm(one, now + one.kind.pause)
        event = NEW(Event)  # as `Event(…)`, without the call
        event.shape, event.seq, event.time_us, event.cause = stage.damaged, stage.seq + 1, now, stage.cause
        event.actor, event.source, event.steps = target.id, source.id, steps
        event.credit = event.source
        event.values = (
            left,
            absorbed,
            0.0,
            plan.vital,
            plan.type,
            plan.zone,
            plan.name,
            critical,
            before,
            after,
        )
        if stage.draining or stage.queue or stage.told_only:
            stage.post(event)
            stage.drain()
        else:  # the same, without the queue where nothing waits
            stage.seq = event.seq
            errors = stage.give_out(event, target.kind_name, source.kind_name, stage.given)
            if errors is not None:
                raise only(errors)
        result = NEW(HitResult)  # as above
        result.blocked, result.done, result.amount, result.dealt = "", True, amount, left
        result.absorbed, result.overkill, result.critical, result.lethal = absorbed, 0.0, critical, False
        result.worked = steps
        return result
