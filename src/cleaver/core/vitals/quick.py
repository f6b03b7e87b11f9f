"""Quick hits: what most hits are, done by a plan that was worked out once.

It runs the same plans as `hits`, without what most hits do not need. `hits` stays the truth: whatever is not
looked at here (a mark crossed, a bound reached, a death, statuses that change what gets through, friends)
goes the way of `Combat.hit`, and a hit that is done here changes and tells the same to the last digit.
Start at `Quick.hit`.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import MOST, Expression
from cleaver.core.kernel.gathered import only
from cleaver.core.kernel.results import HitResult, Step
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import NEW, Stage
from cleaver.core.vitals.blow import PULSE_IGNORES
from cleaver.core.vitals.hits import Combat
from cleaver.core.vitals.meters import Vitals
from cleaver.core.vitals.plans import Plan
from cleaver.errors import FormulaError
from cleaver.rounding import NOISE, snapped

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

_NOTHING: frozenset[str] = frozenset()


class Quick:
    """Quick hits in one world."""

    combat: Combat
    stage: Stage
    vitals: Vitals

    def __init__(self, combat: Combat) -> None:
        self.combat, self.stage, self.vitals = combat, combat.stage, combat.vitals
        self._plans: dict[Any, Plan | None] = combat.stage.kinds.hits if self.stage.fast else {}
        self._scope = Scope(combat.stage, None)

    def _planned(self, source: Body, target: Body, attack: object, zone: object) -> Plan | None:
        """Return the plan of an attack, kept under names; None where the general way is to say what is wrong,
        or has more to do."""
        if attack.__class__ is not str or zone.__class__ is not str:
            return None
        found = source.kind.attacks.get(attack)
        if found is None or (zone and zone not in target.kind.guard.zones):
            return None  # nothing is kept under names that are none
        made = None
        if (
            self.stage.fast
            and target.kind.vital
            and not found.ignores
            and not isinstance(found.cooldown, Expression)
            and found.plain
        ):
            made = self.combat.plan(found, target, zone, found.type, _NOTHING)
            made = made if made.grace.__class__ is int else None
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
            plan = self._plans[source.kind_name, attack, target.kind_name, zone]
        except (KeyError, TypeError):  # of an attack or a zone that is none
            plan = self._planned(source, target, attack, zone)
        if plan is None:
            return None
        inputs = stage.kinds.inputs
        if given:
            if not _usable(given, inputs):
                return None  # the general way says what is wrong
            inputs = given if len(given) == len(inputs) else {**inputs, **given}
        if not (
            plan.open
            and target.alive
            and source.alive
            and target.grace <= stage.clock.now
            and not source.cooldowns
        ):  # else nothing of the gate can apply
            if not source.here or not target.here:
                return None
            refused = self.combat.gate(target, source, plan.attack, plan.type, _NOTHING, False)
            if refused:
                return HitResult.refused(refused)
        if plan.fixed and source.deals == 1:
            return self._land(
                plan, source, target, plan.constant, False, plan.steps, inputs if given else None
            )
        base, scale, numbers = plan.amount, 1.0, ()
        if plan.asks:
            found = self._worked_out(plan, source, target, inputs)
            if found is None:
                return None
            base, scale, numbers = found
        # From here on the dice may be drawn: the general way is no way back.
        amount, asked = plan.work(
            base, scale, numbers, source, target, None, self.combat, stage, crit, source.luck
        )
        steps = partial(plan.told, base, scale, asked)
        at = plan.critical_at
        critical = at >= 0 and asked[at]
        return self._land(plan, source, target, amount, critical, steps, inputs if given else None)

    def hurt(
        self, target: Body, amount: float, type: str, zone: str, source: Body | None
    ) -> HitResult | None:
        """Hurt by a bare amount; None, with nothing changed, where that needs the general way."""
        stage, kind = self.stage, target.kind
        if source is not None and (
            source.lead is not None or not source.alive or (source.team and source.team == target.team)
        ):
            return None
        if (
            not kind.vital
            or not stage.fast
            or target.ill
            or stage.lasting
            or not target.alive
            or target.grace > stage.clock.now
            or (zone and zone not in kind.guard.zones)
            or (type and type not in stage.kinds.known.hurts)
            or (amount.__class__ is not float and amount.__class__ is not int)
            or not 0 <= amount <= MOST
        ):
            return None
        plan = self.combat.plan(None, target, zone, type, _NOTHING)
        if not plan.open or plan.grace.__class__ is not int:
            return None
        scale, numbers = 1.0, ()
        if plan.asks:
            found = self._worked_out(plan, source, target, stage.kinds.inputs)
            if found is None:
                return None
            _, scale, numbers = found
        amount_left, asked = plan.work(
            amount, scale, numbers, source, target, None, self.combat, stage, None, ""
        )
        steps = partial(plan.told, amount, scale, asked)
        return self._land(plan, source, target, amount_left, False, steps, None)

    def _worked_out(
        self, plan: Plan, source: Body | None, target: Body, inputs: dict[str, float]
    ) -> tuple[Any, float, Any] | None:
        """Return what the formulas of a plan give, its amount, its scale, and those in place of constants;
        None where that is no usable number: the general way says what is wrong."""
        scope, base, scale = self._scope, plan.amount, 1.0
        scope.source, scope.target, scope.inputs = source, target, inputs
        try:
            if base.__class__ is Expression:
                scope.me = source
                base = base.fn(scope)
            if plan.scale is not None:
                scope.me = target
                scale = plan.scale.fn(scope) * target.scale
            numbers = plan.numbers_of(scope, source, target) if plan.asked else ()
        except (ArithmeticError, FormulaError):
            return None
        usable = 0 <= base <= MOST and 0 <= scale <= MOST  # type: ignore[operator]
        return (base, scale, numbers) if usable else None

    def _land(
        self,
        plan: Plan,
        source: Body | None,
        target: Body,
        amount: float,
        critical: bool,
        steps: tuple[Step, ...] | Callable[[], tuple[Step, ...]],
        inputs: dict[str, float] | None,
    ) -> HitResult:
        """Do what `Combat.land` does once an amount is worked out, and deliver it."""
        stage = self.stage
        if plan.cooldown:
            self.combat.cool(source, plan.attack, target, plan.cooldown)  # type: ignore[arg-type]  # of an attack
        if inputs is not None:
            stage.given = inputs  # they reach all that follows
        if amount > 0:
            if plan.grace:
                target.grace = stage.clock.now + plan.grace  # type: ignore[operator]  # whole
            if plan.simple and not target.flowing:
                struck = self._strike(plan, source, target, amount, critical, steps)
                if struck is not None:
                    if inputs is not None:
                        stage.given = None  # where it only waits: told in a listener
                    return struck
        name = "" if source is None else source.id
        try:
            if amount <= 0:
                stage.emit("deflected", target.id, name, (plan.type, plan.zone, plan.name))
                result = HitResult("deflected", steps=steps)
            else:
                result = self.combat.take(
                    target, name, amount, critical, steps, plan.name, plan.type, plan.zone
                )
        finally:
            stage.given = None
        stage.drain()
        return result

    def pulse(self, target: Body, amount: float, type: str, source: Body | None, source_id: str) -> None:
        """Let a pulse hurt by a constant: what the effect `hurt` does with what a pulse does not pass by."""
        kind, stage = target.kind, self.stage
        if not kind.vital or self.combat.through(target, type, source) == 0:
            return
        plan = self.combat.plan(None, target, "", type, PULSE_IGNORES)
        scale = target.scale
        if plan.scale is not None:
            scale = plan.scale.amount(Scope(stage, target, source, target)) * scale
        numbers = plan.numbers_of(Scope(stage, target, source, target), source, target) if plan.asked else ()
        left, asked = plan.work(amount, scale, numbers, source, target, None, self.combat, stage, None, "")
        if left > 0:
            steps = partial(plan.told, amount, scale, asked)
            known = source_id.__class__ is str and (source is None or source.lead is None)
            quick = plan.simple and not target.flowing and known
            if not quick or self._strike(plan, source, target, left, False, steps) is None:
                self.combat.take(target, source_id, left, False, steps, "", type, "")
        else:
            stage.emit("deflected", target.id, source_id, (type, "", ""))

    def _strike(
        self,
        plan: Plan,
        source: Body | None,
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
                vitals.flows.plan(meter)  # else its next moment only comes later, so the schedule may stand
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
        by, by_kind = ("", "") if source is None else (source.id, source.kind_name)
        event.actor, event.source, event.steps = target.id, by, steps
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
            errors = stage.give_out(event, target.kind_name, by_kind, stage.given)
            if errors is not None:
                raise only(errors)
        result = NEW(HitResult)
        result.blocked, result.done, result.amount, result.dealt = "", True, amount, left
        result.absorbed, result.overkill, result.critical, result.lethal = absorbed, 0.0, critical, False
        result.worked = steps
        return result


def _usable(given: dict[str, float], known: dict[str, float]) -> bool:
    """Return whether inputs are known ones, and plain numbers."""
    for name, value in given.items():
        if name not in known or (value.__class__ is not float and value.__class__ is not int):
            return False
        if not -1e300 < value < 1e300:
            return False
    return True
