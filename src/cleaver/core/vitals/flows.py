"""Flows: what moves meters by itself: their course, and their next moment on the schedule.

Start at `Flows.plan`.
"""

from __future__ import annotations

from cleaver.core.kernel.actor_kinds import FlowKind
from cleaver.core.kernel.body import Body, Course, Meter
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.spans import FAR
from cleaver.core.kernel.stage import Stage
from cleaver.core.vitals import course as course_of
from cleaver.rounding import NOISE, snapped, tidy

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Protocol

    from cleaver.core.stats.account import Stats

    class _Vitals(Protocol):
        """What is asked of `Vitals`."""

        stage: Stage
        stats: Stats

        def watched(self, meter: Meter) -> None: ...
        def bound(
            self, meter: Meter, value: float, credit: tuple[str, int], cause: int, mortal: bool = True
        ) -> None: ...
        def cross(self, meter: Meter, number: int, credit: tuple[str, int], cause: int) -> None: ...
        def after(
            self, meter: Meter, before: float, after: float, source: str, cause: int, mortal: bool = True
        ) -> None: ...
        def anchor(self, meter: Meter, real: float, base: float, *, lower: bool = False) -> None: ...
        def real(self, meter: Meter) -> float: ...
        def value(self, meter: Meter) -> float: ...


class Flows:
    """The flows of the meters of one world."""

    vitals: _Vitals

    def __init__(self, vitals: _Vitals) -> None:
        self.vitals = vitals

    def course(self, meter: Meter) -> Course:
        """Return the smooth flows at work on a meter now."""
        body, kind = meter.owner, meter.kind
        if not body.alive or not (kind.flows or body.flowing):
            return ()
        top = meter.max
        if self.vitals.stage.fast and kind.plain and not body.flowing:
            return kind.course(top)
        return tuple(
            (flow.rate, flow.limit(top))
            for flow, _ in self._flows(meter)
            if not flow.every and flow.rate and self._at_work(body, flow)
        )

    def _flows(self, meter: Meter) -> list[tuple[FlowKind, str]]:
        """Return every flow of a meter, its kind's and its statuses', with the key of its steps."""
        found = [(flow, f"k{number}") for number, flow in enumerate(meter.kind.flows)]
        name = meter.kind.name
        found.extend((flow, key) for owner, flow, _, key in meter.owner.flows if owner == name)
        body = meter.owner
        more, factor = body.rates.get(name, (0, 1))
        if factor != 1 or any(flow.asked for flow, _ in found):
            scope = Scope(self.vitals.stage, body)
            found = [(flow.made(scope, factor), key) for flow, key in found]
        if more:
            found.append((FlowKind.steady(more), "r"))
        return found

    def _at_work(self, body: Body, flow: FlowKind) -> bool:
        if (flow.while_ and not body.has(flow.while_)) or (flow.unless and body.has(flow.unless)):
            return False
        if not flow.after_hurt or body.hurt_at < 0:
            return True
        clock = self.vitals.stage.clock
        if flow.after_hurt < FAR:
            return clock.now >= body.hurt_at + flow.after_hurt
        return body.hurt_on is None or clock.passed(flow.after_hurt, body.hurt_on, body)

    def renew(self, body: Body) -> None:
        """Let every meter of a body go on under the conditions that hold now (tags, statuses, quiet,
        life)."""
        for meter in body.meters.values():
            if meter.kind.flows or body.flowing or meter.course or meter.due >= 0:
                self.vitals.anchor(meter, self.vitals.real(meter), self.vitals.value(meter))

    def set_steps(self, meter: Meter) -> None:
        """Start and stop the clocks of stepped flows: one runs while its meter is off the bound it flows to
        and nothing keeps it quiet."""
        body = meter.owner
        old = meter.steps or {}
        new: dict[str, int] = {}
        for flow, key in self._flows(meter):
            if flow.every and body.alive and self._at_work(body, flow) and self._may_step(meter, flow):
                new[key] = old.get(key, self.vitals.stage.clock.now + flow.every)
        meter.steps = new or None

    @staticmethod
    def _may_step(meter: Meter, flow: FlowKind) -> bool:
        limit = flow.limit(meter.max)
        if course_of.stands_at(meter.value, limit):
            leaving = course_of.slope(meter.value, meter.course)
            return leaving < 0 if flow.rate > 0 else leaving > 0
        return meter.value < limit if flow.rate > 0 else meter.value > limit

    def plan(self, meter: Meter) -> None:
        """Put a meter's next moment on the schedule."""
        due = -1
        course = meter.course
        body = meter.owner
        if course:
            rate, limit = course[0]
            turns = self._turns(meter)
            bare = not turns and not meter.kind.mark_levels and not meter.kind.whole
            if self.vitals.stage.fast and bare and len(course) == 1:
                ahead_of = meter.value < limit if rate > 0 else meter.value > limit
                if ahead_of and limit == (meter.max if rate > 0 else 0):
                    due = meter.since + course_of.reach((limit - meter.value) / rate * 1e6)
            else:
                ahead = self._moments(meter, turns)
                if ahead:
                    due = meter.since + ahead[0][0]
        if meter.steps:
            step = min(meter.steps.values())
            due = step if due < 0 else min(due, step)
        if body.hurt_at >= 0 and body.alive and (meter.kind.quiets or body.flowing):
            for flow, _ in self._flows(meter):
                quiet = body.hurt_at + flow.after_hurt
                if 0 < flow.after_hurt < FAR and quiet > self.vitals.stage.clock.now:
                    due = quiet if due < 0 else min(due, quiet)
        if due >= 0:
            self.vitals.stage.clock.arm(meter, due)
        else:
            meter.due = -1

    def _turns(self, meter: Meter) -> tuple[float, ...]:
        """Return where clocks of stepped flows start or stop, and where conditions of statuses turn."""
        edges = self.vitals.stats.sheet(meter.owner).edges.get(meter.kind.name, ())
        found = [at if part == "value" else at * meter.max for part, at in edges]
        slack = meter.max * 4 * NOISE  # it holds at the number, or only beyond it
        found = [one for at in found for one in (at - slack, at, at + slack)]
        if not meter.kind.plain or meter.owner.flowing:
            found += [
                flow.limit(meter.max)
                for flow, _ in self._flows(meter)
                if flow.every and self._at_work(meter.owner, flow)
            ]
        return tuple(found)

    def _moments(self, meter: Meter, turns: tuple[float, ...]) -> list[tuple[int, int]]:
        levels = tuple(level * meter.max for level in meter.kind.mark_levels)
        return course_of.moments(
            meter.value,
            meter.course,
            meter.max,
            levels,
            meter.above,
            int(meter.base) if meter.kind.whole else None,
            turns,
        )

    def due(self, meter: Meter) -> None:
        """Let happen what a meter is due for now: bounds and marks of its flows, the end of a quiet,
        steps."""
        body, now = meter.owner, self.vitals.stage.clock.now
        elapsed = now - meter.since
        course = meter.course
        kind = meter.kind
        if (
            self.vitals.stage.fast
            and len(course) == 1
            and kind.plain
            and not kind.mark_levels
            and not kind.whole
            and not body.flowing
            and not self.vitals.stats.sheet(body).edges
        ):
            rate, limit = course[0]
            if course_of.reach((limit - meter.value) / rate * 1e6) == elapsed and limit == (
                meter.max if rate > 0 else 0
            ):
                bound = meter.max if rate > 0 else 0.0  # the maximum itself, which may be a whole number
                meter.value = meter.base = bound
                meter.since = now
                self.vitals.bound(meter, bound, ("", 0), 0)
            else:
                self.plan(meter)
            return
        moments = self._moments(meter, self._turns(meter)) if meter.course else []
        reached = [what for moment, what in moments if moment == elapsed]
        credit = self._credit(meter)
        steps = [
            (flow, key) for flow, key in self._flows(meter) if meter.steps and meter.steps.get(key) == now
        ]
        quiet_over = any(
            flow.after_hurt and body.hurt_at + flow.after_hurt == now for flow, _ in self._flows(meter)
        )
        for number in reached:
            if number >= 0:
                self.vitals.cross(meter, number, credit, -1)
        if course_of.EMPTY in reached or course_of.FULL in reached:
            bound = 0.0 if course_of.EMPTY in reached else meter.max
            bound = int(bound) if meter.kind.whole else bound
            self.vitals.anchor(meter, bound, bound)
            self.vitals.bound(meter, bound, credit, -1)
        elif quiet_over or course_of.TURN in reached:
            self.vitals.anchor(meter, self.vitals.real(meter), self.vitals.value(meter))
        for flow, key in steps:
            if body.alive and meter.steps and meter.steps.get(key) == now:
                self._step(meter, flow, key)
        self.vitals.watched(meter)
        self.plan(meter)

    def _credit(self, meter: Meter) -> tuple[str, int]:
        """Return (source, cause) of the first status whose flow drains a meter now; nobody where none
        does."""
        value = self.vitals.real(meter)
        ailments = {key: ailment for _, _, ailment, key in meter.owner.flows}
        for flow, key in self._flows(meter):
            ailment = ailments.get(key)
            if ailment is None:
                continue
            at_work = flow.rate < 0 and self._at_work(meter.owner, flow)
            if at_work and (
                value > flow.limit(meter.max) or course_of.stands_at(value, flow.limit(meter.max))
            ):
                return self.vitals.stage.source_of(ailment), ailment.cause
        return "", 0

    def _step(self, meter: Meter, flow: FlowKind, key: str) -> None:
        """One step of a stepped flow, the last one cut at the bound."""
        assert meter.steps is not None
        meter.steps[key] += flow.every
        amount = flow.rate * flow.every / 1e6
        limit = flow.limit(meter.max)
        real, before = self.vitals.real(meter), self.vitals.value(meter)
        if flow.rate > 0:
            target = real if real >= limit else min(real + amount, limit)
        else:
            target = real if real <= limit else max(real + amount, limit)
        target = snapped(tidy(target), meter.max)
        source, cause = next(
            (
                (self.vitals.stage.source_of(ailment), ailment.cause)
                for _, _, ailment, own in meter.owner.flows
                if own == key
            ),
            ("", 0),
        )
        shown_after = meter.base + course_of.towards_zero(target - meter.base) if meter.kind.whole else target
        self.vitals.anchor(meter, target, shown_after)
        if shown_after != before:
            name, asked = ("healed", amount) if flow.rate > 0 else ("drained", -amount)
            seq = self.vitals.stage.emit(
                name,
                meter.owner.id,
                source,
                (meter.kind.name, abs(shown_after - before), asked, before, shown_after),
                cause,
            )
            self.vitals.after(meter, before, shown_after, source, seq)
