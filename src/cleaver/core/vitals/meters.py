"""Vitals: meters at work. Healing, draining, flows, bounds and marks, death and return.

Owns every change of a meter; `combat` and the effects go through it. Knows nothing of hits, statuses' meaning
or goods. A meter is anchored at each change and its next moment put on the schedule; between them nothing is
ticked. Start at `Vitals.shift`.
"""

from __future__ import annotations

from collections.abc import Callable

from cleaver.core.kernel.body import Body, Comeback, Corpse, Course, Meter
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import MOST, Effect, amount_of, span_of
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import ChangeResult, HealResult, Result
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.vitals import course as course_of
from cleaver.design.vocabulary import METER_PARTS
from cleaver.errors import AmountError, SnapshotError, UnknownNameError, UsageError
from cleaver.rounding import NOISE, rounded, shown, snapped, tidy

TALLEST = 2.0**62  # that effects raise a maximum to: what is raised is saved
TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.actor_kinds import FlowKind, MeterKind
    from cleaver.core.kernel.crossing import Crossing
    from cleaver.literals import Blocked


class Vitals(Part):
    """Meters, death and return of one world."""

    def __init__(self, stage: Stage) -> None:
        self.stage = stage
        self.before_death: list[
            Any
        ] = []  # called with (body, cause) when a death is worked out, before `on_death`
        self.raised_by_levels: Callable[[Body, str], float] = lambda body, name: (
            0
        )  # by how much levels raised a maximum; `levels` says
        stage.due["meter"] = self.due
        stage.due["respawn"] = self.come_back
        stage.due["corpse"] = self._vanish
        stage.readable["meter"] = self.read
        stage.readable["alive"] = lambda body, name, part: body.alive
        stage.readable["lives"] = lambda body, name, part: body.lives
        stage.verbs["heal"] = (self.prepare_heal, self.commit_heal)
        stage.verbs["lives"] = (self._prepare_lives, self._commit_lives)
        stage.verbs["raise_max"] = (self._prepare_max, self._commit_max)
        stage.verbs["revive"] = (self._prepare_revive, self._commit_revive)
        stage.verbs["drain"] = (self.prepare_drain, self.commit_drain)

    # reading

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (
            Keeper(
                "meters",
                self.meters_kept,
                self.meters_back,
                of_players=False,
                known=lambda kind: kind.meters,
            ),
            Keeper("lives", self.lives_kept, self.lives_back, of_players=False),
        )

    def meter(self, body: Body, name: str) -> Meter:
        """Return a meter by its name; "" is the vital one."""
        found = body.meters.get(name or body.kind.vital)
        if found is None:
            if not name:
                raise UsageError(
                    f"{body.id} ({body.kind_name}) has no vital meter; name one of: "
                    f"{', '.join(body.meters) or 'it has none'}"
                )
            raise UnknownNameError("meter", name, tuple(body.meters), body.id)
        return found

    def real(self, meter: Meter) -> float:
        """Return the value now, what whole meters carry included. Reading never moves the anchor."""
        course = meter.course
        elapsed = self.stage.clock.now - meter.since
        return course_of.at(meter.value, course, elapsed) if course and elapsed else meter.value

    def value(self, meter: Meter) -> float:
        """Return the value that shows now."""
        course = meter.course
        if not course and not meter.kind.whole:
            return meter.value
        real = self.real(meter)
        return meter.base + course_of.towards_zero(real - meter.base) if meter.kind.whole else real

    def read(self, body: Body, name: str, part: str) -> Any:
        """Return one part of a meter: value, max, fraction, percent (text) or cells."""
        meter = body.meters.get(name) or self.meter(body, name)
        if part == "max":
            return meter.max
        value = meter.value if not meter.course and not meter.kind.whole else self.value(meter)
        if part == "value":
            return value
        fraction = value / meter.max
        if fraction > 1.0:
            fraction = 1.0
        if part == "fraction":
            return fraction
        if part == "percent":
            return percent(fraction)
        if part == "cells":
            return cells(fraction, meter.kind.cells or 1)
        raise AssertionError(f"{part} is none of {METER_PARTS}")

    # birth

    def equip(self, body: Body) -> None:
        """Give a new body its meters."""
        now = self.stage.clock.now
        for name, kind in body.kind.meters.items():
            meter = body.meters[name] = Meter(kind, body, now)
            meter.above = self.marks_above(meter, kind.start)
            self.anchor(meter, kind.start, kind.start)

    # the anchor

    def course(self, meter: Meter) -> Course:
        """Return the smooth flows at work on a meter now."""
        body, kind = meter.owner, meter.kind
        if not body.alive or not (kind.flows or body.flows):
            return ()
        top = meter.max
        if self.stage.fast and kind.plain and not body.flows:
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
        return found

    def _at_work(self, body: Body, flow: FlowKind) -> bool:
        if (flow.while_ and not body.has(flow.while_)) or (flow.unless and body.has(flow.unless)):
            return False
        return (
            not flow.after_hurt or body.hurt_at < 0 or self.stage.clock.now >= body.hurt_at + flow.after_hurt
        )

    def anchor(self, meter: Meter, real: float, base: float, *, lower: bool = False) -> None:
        """Let a meter go on from *real* now, showing *base*; works out its course and when it is due next.

        *lower* says that it was only moved down, by a hit.
        """
        meter.value, meter.base, meter.since = real, base, self.stage.clock.now
        body = meter.owner
        if not meter.kind.flows and not body.flows:
            if meter.course or meter.due >= 0:
                meter.course, meter.steps, meter.due = (), None, -1
            return
        before = meter.course
        meter.course = course = self.course(meter)
        if self.stage.fast and meter.kind.plain and not body.flows:
            meter.steps = None
            if course is before and meter.due >= 0 and lower and len(course) == 1 and course[0][0] > 0:
                # It moved away from where it flows: its next moment only comes later, so the schedule may
                # stand
                return
        else:
            self._set_steps(meter)
        self.plan(meter)

    def renew(self, body: Body) -> None:
        """Let every meter of a body go on under the conditions that hold now (tags, statuses, quiet,
        life)."""
        for meter in body.meters.values():
            if meter.kind.flows or body.flows or meter.course or meter.due >= 0:
                self.anchor(meter, self.real(meter), self.value(meter))

    def _set_steps(self, meter: Meter) -> None:
        """Start and stop the clocks of stepped flows: one runs while its meter is off the bound it flows to
        and nothing keeps it quiet."""
        body = meter.owner
        old = meter.steps or {}
        new: dict[str, int] = {}
        for flow, key in self._flows(meter):
            if flow.every and body.alive and self._at_work(body, flow) and self._may_step(meter, flow):
                new[key] = old.get(key, self.stage.clock.now + flow.every)
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
            if self.stage.fast and bare and len(course) == 1:
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
        if body.hurt_at >= 0 and body.alive and (meter.kind.quiets or body.flows):
            for flow, _ in self._flows(meter):
                quiet = body.hurt_at + flow.after_hurt
                if flow.after_hurt and quiet > self.stage.clock.now:
                    due = quiet if due < 0 else min(due, quiet)
        if due >= 0:
            self.stage.clock.arm(meter, due)
        else:
            meter.due = -1

    def _turns(self, meter: Meter) -> tuple[float, ...]:
        """Return the limits of the stepped flows at work on a meter: there their clocks start or stop."""
        if meter.kind.plain and not meter.owner.flows:
            return ()
        return tuple(
            flow.limit(meter.max)
            for flow, _ in self._flows(meter)
            if flow.every and self._at_work(meter.owner, flow)
        )

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
        body, now = meter.owner, self.stage.clock.now
        elapsed = now - meter.since
        course = meter.course
        kind = meter.kind
        if (
            self.stage.fast
            and len(course) == 1
            and kind.plain
            and not kind.mark_levels
            and not kind.whole
            and not body.flows
        ):
            rate, limit = course[0]
            if course_of.reach((limit - meter.value) / rate * 1e6) == elapsed and limit == (
                meter.max if rate > 0 else 0
            ):
                bound = meter.max if rate > 0 else 0.0  # the maximum itself, which may be a whole number
                meter.value = meter.base = bound
                meter.since = now
                self._bound(meter, bound, ("", 0), 0)
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
                self._cross(meter, number, credit, -1)
        if course_of.EMPTY in reached or course_of.FULL in reached:
            bound = 0.0 if course_of.EMPTY in reached else meter.max
            bound = int(bound) if meter.kind.whole else bound
            self.anchor(meter, bound, bound)
            self._bound(meter, bound, credit, -1)
        elif quiet_over or course_of.TURN in reached:
            self.anchor(meter, self.real(meter), self.value(meter))
        for flow, key in steps:
            if body.alive and meter.steps and meter.steps.get(key) == now:
                self._step(meter, flow, key)
        self.plan(meter)

    def _credit(self, meter: Meter) -> tuple[str, int]:
        """Return (source, cause) of the first status whose flow drains a meter now; nobody where none
        does."""
        value = self.real(meter)
        for name, flow, ailment, _ in meter.owner.flows:
            at_work = name == meter.kind.name and flow.rate < 0 and self._at_work(meter.owner, flow)
            if at_work and (
                value > flow.limit(meter.max) or course_of.stands_at(value, flow.limit(meter.max))
            ):
                return self.stage.source_of(ailment), ailment.cause
        return "", 0

    def _step(self, meter: Meter, flow: FlowKind, key: str) -> None:
        """One step of a stepped flow, the last one cut at the bound."""
        assert meter.steps is not None
        meter.steps[key] += flow.every
        amount = flow.rate * flow.every / 1e6
        limit = flow.limit(meter.max)
        real, before = self.real(meter), self.value(meter)
        if flow.rate > 0:
            target = real if real >= limit else min(real + amount, limit)
        else:
            target = real if real <= limit else max(real + amount, limit)
        target = snapped(tidy(target), meter.max)
        source, cause = next(
            (
                (self.stage.source_of(ailment), ailment.cause)
                for _, _, ailment, own in meter.owner.flows
                if own == key
            ),
            ("", 0),
        )
        shown_after = meter.base + course_of.towards_zero(target - meter.base) if meter.kind.whole else target
        self.anchor(meter, target, shown_after)
        if shown_after != before:
            name, asked = ("healed", amount) if flow.rate > 0 else ("drained", -amount)
            seq = self.stage.emit(
                name,
                meter.owner.id,
                source,
                (meter.kind.name, abs(shown_after - before), asked, before, shown_after),
                cause,
            )
            self.after(meter, before, shown_after, source, seq)

    # changes

    def shift(self, meter: Meter, amount: float) -> tuple[float, float, float]:
        """Move the shown value by *amount* (already rounded), cut at 0 and at max plus overfill.

        Returns (before, after, how much it really moved): the amount itself where it was not cut, free of
        float noise.
        """
        kind = meter.kind
        still = not meter.course and not kind.whole  # what shows is what is kept
        before = meter.value if still else self.value(meter)
        top = meter.max
        cap = top + kind.overfill
        after, moved = before + amount, amount if amount > 0 else -amount
        if after <= 0:
            if after < -NOISE * top:
                moved = before
            after = 0
        elif after >= cap and amount > 0:
            if after > cap * (1 + NOISE):
                moved = max(cap, before) - before
            after = max(cap, before)
        elif not kind.whole and (after <= top * NOISE or after >= top * (1 - 2 * NOISE)):
            after = snapped(after, top)
        if still and not kind.flows and meter.due < 0 and not meter.owner.flows:
            meter.value = meter.base = after
            meter.since = self.stage.clock.now
        elif kind.whole:
            carried = self.real(meter) - before
            if not carried or after <= 0 or after >= top:
                carried = 0
            self.anchor(meter, max(after + carried, 0), after, lower=amount < 0)
        else:
            self.anchor(meter, after, after, lower=amount < 0)
        return before, after, moved

    def marks_above(self, meter: Meter, value: float) -> int:
        """Return a bit for each mark that *value* is above, decimal noise aside."""
        levels = meter.kind.mark_levels
        if not levels:
            return 0
        top = meter.max
        slack = top * NOISE
        return sum(1 << number for number, level in enumerate(levels) if value > level * top + slack)

    def after(
        self, meter: Meter, before: float, after: float, source: str, cause: int, mortal: bool = True
    ) -> None:
        """Tell what a change of a meter brought about: marks crossed, a bound reached, and a death if
        *mortal*."""
        if meter.kind.mark_levels:
            now_above = self.marks_above(meter, after)
            changed = meter.above ^ now_above
            if changed:
                order = range(len(meter.kind.marks))
                for number in reversed(order) if after < before else order:
                    if changed >> number & 1:
                        self._cross(meter, number, (source, cause), cause)
                if meter.course:
                    self.plan(meter)
        if after <= 0 < before:
            self._bound(meter, 0, (source, cause), cause, mortal)
        elif before < meter.max <= after:
            self._bound(meter, after, (source, cause), cause)

    def _cross(self, meter: Meter, number: int, credit: tuple[str, int], cause: int) -> None:
        meter.above ^= 1 << number
        way = "up" if meter.above >> number & 1 else "down"
        self.stage.emit(
            "crossed",
            meter.owner.id,
            credit[0],
            (meter.kind.name, meter.kind.marks[number][0], way),
            credit[1] if cause < 0 else cause,
        )

    def _bound(
        self, meter: Meter, value: float, credit: tuple[str, int], cause: int, mortal: bool = True
    ) -> None:
        body = meter.owner
        seq = self.stage.emit(
            "emptied" if value <= 0 else "filled",
            body.id,
            credit[0],
            (meter.kind.name,),
            credit[1] if cause < 0 else cause,
        )
        if mortal and value <= 0 and body.alive and meter.kind.name == body.kind.vital:
            self.die(body, credit[0], seq)

    # death and return

    def die(
        self, body: Body, source: str, cause: int, attack: str = "", type: str = "", overkill: float = 0
    ) -> None:
        """Let a body die, once. What follows (`on_death`, statuses, lives, return) hangs on the event."""
        self._lie_still(body)
        self.stage.emit("died", body.id, source, (attack, type, overkill), cause)

    def _lie_still(self, body: Body) -> None:
        """Let a body be dead: nothing of it flows."""
        body.alive = False
        for meter in body.meters.values():
            real, value = self.real(meter), self.value(meter)
            meter.course, meter.steps, meter.due = (), None, -1
            meter.value, meter.base, meter.since = real, value, self.stage.clock.now

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan what a death leads to by itself, before `on_death`: statuses and cooldowns end, a life is
        taken."""
        return [("", self._buried)] if name == "died" else []

    def follow_return(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan the return of the dead, after `on_death`, which may have revived them already."""
        return [("", self._await)] if name == "died" else []

    def _buried(self, event: Event) -> None:
        body = self.stage.actors.get(event.actor)
        if body is None or body.alive:
            return
        body.cooldowns.clear()
        for clear in self.before_death:
            clear(body, event.seq)
        if body.kind.lives:
            body.lives = max(body.lives - 1, 0)
            seq = self.stage.emit("life_lost", body.id, "", (body.lives,))
            if body.lives <= 0:
                self.stage.emit("out_of_lives", body.id, "", (0,), seq)

    def _await(self, event: Event) -> None:
        body = self.stage.actors.get(event.actor)
        if body is None or body.alive:
            return
        if body.kind.vanish_after >= 0 and body.corpse is None:
            body.corpse = Corpse()
            body.corpse.owner = body
            self.stage.clock.arm(body.corpse, self.stage.clock.now + body.kind.vanish_after)
        if body.comeback is None:
            self.await_return(body, event)

    def _vanish(self, timer: Corpse) -> None:
        self.stage.depart(timer.owner)

    def await_return(self, body: Body, event: Event | None = None) -> None:
        """Let a dead body wait for its return, where its kind returns and a life is left; *event* tells of
        its death, where it died here."""
        kind = body.kind
        if body.alive or kind.respawn is None or (kind.lives and body.lives <= 0):
            return
        source = self.stage.party(event.source) if event is not None else None
        scope = Scope(self.stage, body, source, body, event=event or self._no_death(body))
        span = span_of(kind.respawn[0], scope, least=0)
        self._come_back_after(body, span)

    def _come_back_after(self, body: Body, span: int) -> None:
        if body.comeback is not None:
            self.stage.clock.disarm(body.comeback)
        body.comeback = Comeback()
        body.comeback.owner = body
        self.stage.clock.arm(body.comeback, self.stage.clock.now + span)

    def _no_death(self, body: Body) -> Event:
        """Return the death of somebody who died in an earlier session, of which nothing more is known."""
        return Event(self.stage.kinds.events["died"], 0, 0, 0, body.id, "", ("", "", 0))

    def forget(self, body: Body) -> None:
        """Drop what others keep of an actor that goes, and what is due for it."""
        clock = self.stage.clock
        for meter in body.meters.values():
            clock.disarm(meter)
        for timer in (body.comeback, body.corpse):
            if timer is not None:
                clock.disarm(timer)
        for hunter in body.hunters:
            attacker = self.stage.actors.get(hunter)
            if attacker is not None:
                for key in [key for key in attacker.cooldowns if key.partition("/")[2] == body.id]:
                    del attacker.cooldowns[key]
        self.stage.dice.forget(body.luck)

    def come_back(self, timer: Comeback) -> None:
        """Return a dead body to life, at its spawn label, with its grace."""
        body = timer.owner
        body.comeback = None
        if not body.alive:
            _, fraction, grace = body.kind.respawn or (0, 1.0, 0)
            self.reborn(body, fraction, grace)

    def place_of(self, body: Body) -> str:
        """Return the label where a body returns: its team's, else its kind's own."""
        return (
            self.stage.kinds.teams[body.team][0] if body.team in self.stage.kinds.teams else ""
        ) or body.kind.spawn

    def _wait_no_more(self, body: Body) -> None:
        """Let what waits for somebody dead, its return or its end, not come."""
        for timer in (body.comeback, body.corpse):
            if timer is not None:
                self.stage.clock.disarm(timer)
        body.comeback = body.corpse = None

    def reborn(self, body: Body, fraction: float, grace: int) -> None:
        """Bring a dead body to life with a fraction of what each meter starts with; raises no marks or
        bounds."""
        now = self.stage.clock.now
        body.alive = True
        body.hurt_at = -1
        body.grace = now + grace
        self._wait_no_more(body)
        for name, meter in body.meters.items():
            kind = meter.kind
            value = self._start_of(meter) * fraction
            if kind.whole:
                value = rounded(value, kind.mode)
            if name == body.kind.vital and value <= 0:
                value = 1 if kind.whole else meter.max * 0.01  # alive is alive
            meter.steps = None
            value = snapped(value, meter.max)
            meter.above = self.marks_above(meter, value)
            self.anchor(meter, value, value)
        self.stage.emit("respawned", body.id, "", (self.place_of(body),))

    # commands

    def heal(
        self, body: Body, amount: float, name: str = "", source: str = "", cause: int = -1
    ) -> HealResult:
        """Give back up to *amount*; what is restored is cut at max plus overfill."""
        meter = self.meter(body, name)
        if not body.alive:
            return HealResult("dead")
        amount = self.whole_amount(meter.kind, amount)
        before = self.value(meter)
        if before >= meter.max + meter.kind.overfill:
            return HealResult("full")
        before, after, moved = self.shift(meter, amount)
        if after == before:
            return HealResult()
        seq = self.stage.emit(
            "healed", body.id, source, (meter.kind.name, moved, amount, before, after), cause
        )
        self.after(meter, before, after, source, seq)
        return HealResult("", moved)

    def drain(
        self, body: Body, amount: float, name: str = "", source: str = "", cause: int = -1
    ) -> ChangeResult:
        """Take up to *amount*, past guard and shields."""
        meter = self.meter(body, name)
        if not body.alive:
            return ChangeResult("dead")
        amount = self.whole_amount(meter.kind, amount)
        before, after, moved = self.shift(meter, -amount)
        if after == before:
            return ChangeResult()
        seq = self.stage.emit(
            "drained", body.id, source, (meter.kind.name, moved, amount, before, after), cause
        )
        self.after(meter, before, after, source, seq)
        return ChangeResult("", moved)

    @staticmethod
    def whole_amount(kind: MeterKind, amount: float) -> float:
        """Return an amount as the meter takes it: rounded once where it only holds whole numbers."""
        return rounded(amount, kind.mode) if kind.whole else amount

    def revive(self, body: Body, fraction: float) -> Result:
        """Bring a dead body back at once, without grace; takes no life."""
        if body.alive:
            return Result("alive")
        if body.kind.lives and body.lives <= 0:
            self._set_lives(body, 1)
        self.reborn(body, fraction, 0)
        return Result()

    def _set_lives(self, body: Body, count: int) -> None:
        before, body.lives = body.lives, count
        self.stage.emit("adjusted", body.id, "", ("lives", "value", before, count))

    def add_lives(self, body: Body, count: int) -> ChangeResult:
        """Add lives, up to the most; none where they are not counted."""
        kind = body.kind
        most = kind.lives_most or MOST
        if not kind.lives or (count and body.lives >= most):
            return ChangeResult("most")
        added = min(count, most - body.lives)
        if added:
            self._set_lives(body, body.lives + added)
        return ChangeResult("", added, count - added)

    def _prepare_lives(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, Blocked]:
        amount = rounded(amount_of(effect.operand, scope), "half_up")
        full = not body.kind.lives or body.lives >= (body.kind.lives_most or MOST)
        if full:
            return amount, "most"
        return amount, "" if amount else "no_change"

    def _commit_lives(self, scope: Scope, effect: Effect, body: Body, amount: Any) -> None:
        self.add_lives(body, amount)

    def _prepare_max(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, Blocked]:
        amount = amount_of(effect.beside["amount"], scope)
        meter = body.meters.get(effect.operand)
        if meter is not None:
            amount = self.whole_amount(meter.kind, amount)
        return amount, "" if amount > 0 and meter is not None else "no_change"

    def _commit_max(self, scope: Scope, effect: Effect, body: Body, amount: Any) -> None:
        meter = body.meters.get(effect.operand)
        if meter is not None and amount > 0:
            top = min(meter.max + amount, TALLEST)
            self.set_max(body, effect.operand, top, effect.beside.get("keep", "value"))

    def _prepare_revive(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, Blocked]:
        fraction = float(effect.operand)
        if body.alive:
            return fraction, "alive"
        return fraction, "no_change" if body.kind.lives and body.lives <= 0 else ""

    def _commit_revive(self, scope: Scope, effect: Effect, body: Body, fraction: Any) -> None:
        if not body.kind.lives or body.lives > 0:  # only the host brings back who is out of lives
            self.revive(body, fraction)

    def set(self, body: Body, name: str, value: float) -> ChangeResult:
        """Set a meter by hand, within 0 and max plus overfill."""
        meter = self.meter(body, name)
        cap = meter.max + meter.kind.overfill
        if value > cap:
            raise AmountError(f"{body.id}.{name}", value, f"a number from 0 to {shown(cap)}")
        if meter.kind.whole and value != int(value):
            raise AmountError(f"{body.id}.{name}", value, "a whole number")
        value = snapped(value, meter.max)
        if not body.alive:
            return ChangeResult("dead")
        before = self.value(meter)
        if value == before:
            return ChangeResult("no_change")
        if meter.kind.whole:
            value = int(value)
        self.anchor(meter, value, value)
        seq = self.stage.emit("adjusted", body.id, "", (meter.kind.name, "value", before, value))
        self.after(meter, before, value, "", seq)
        return ChangeResult("", value - before)

    def set_max(
        self, body: Body, name: str, top: float, keep: str = "value", cause: int = -1
    ) -> ChangeResult:
        """Set a meter's maximum; *keep* says what stays: the "value" (clamped), the "fraction", or what is
        "missing"."""
        meter = self.meter(body, name)
        kind = meter.kind
        if kind.whole and top != int(top):
            raise AmountError(f"the max of {body.id}.{meter.kind.name}", top, "a whole number")
        top = int(top) if kind.whole else top
        old, before = meter.max, self.value(meter)
        if top == old:
            return ChangeResult("no_change")
        after = self._kept(meter, top, keep, before)
        if kind.name == body.kind.vital and not body.alive:
            after = 0
        carried = self.real(meter) - before if kind.whole and 0 < after < top else 0
        meter.max = top
        meter.above = self.marks_above(meter, after)
        self.anchor(meter, max(after + carried, 0), after)
        seq = self.stage.emit("adjusted", body.id, "", (kind.name, "max", old, top), cause)
        if after != before:
            self.stage.emit("adjusted", body.id, "", (kind.name, "value", before, after), seq)
            if after <= 0 and body.alive and kind.name == body.kind.vital:
                self.die(body, "", seq)
        return ChangeResult("", top - old)

    def _kept(self, meter: Meter, top: float, keep: str, before: float) -> float:
        """Return the value under a new maximum; one that had something is never emptied by it."""
        kind = meter.kind
        cap = top + kind.overfill
        least = 0 if before <= 0 else min(1 if kind.whole else top * 0.01, top)
        if keep == "fraction":
            after = before / meter.max * top
            return (
                min(max(rounded(after, kind.mode), least), cap)
                if kind.whole
                else snapped(min(after, cap), top)
            )
        if keep == "missing":
            return snapped(min(max(top - (meter.max - before), least), cap), top)
        return snapped(min(before, cap), top)

    def look_at(self, body: Body) -> None:
        """Raise where a body that was unpacked has what no meter can have."""
        if body.lives < 0 or set(body.meters) != set(body.kind.meters):
            raise SnapshotError(f"{body.id} has other meters than its kind, or less than no lives")
        for name, meter in body.meters.items():
            if not meter.max > 0 or not 0 <= meter.value <= meter.max + meter.kind.overfill:
                raise SnapshotError(
                    f"{body.id}.{name} is {meter.value} of {meter.max} in the snapshot, which no meter can be"
                )

    # under another design

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: meters and lives of kinds that are other ones now, and cooldowns of their attacks."""
        for body in self.stage.actors.values():
            if not crossing.touches(body):
                continue
            was, now = (kinds.actors[body.kind_name] for kinds in (crossing.old, crossing.new))
            for key in [key for key in body.cooldowns if key.partition("/")[0] not in now.attacks]:
                del body.cooldowns[key]
            if not now.lives:
                body.lives = 0
            elif not was.lives:
                body.lives = now.lives if body.alive else max(now.lives - 1, 0)
            else:
                body.lives = min(body.lives, now.lives_most or body.lives)
            for name in [name for name in body.meters if name not in now.meters]:
                body.meters.pop(name).due = -1
                crossing.ended.append(f"{body.id}.{name}")
            begun = [name for name in now.meters if name not in body.meters]
            crossing.began += [f"{body.id}.{name}" for name in begun]
            for name in begun:
                body.meters[name] = Meter(now.meters[name], body, self.stage.clock.now)
            body.meters = {name: body.meters[name] for name in now.meters}
            for name, meter in body.meters.items():
                self._fit_meter(crossing, body, meter, was.meters.get(name), now.meters[name])

    def _fit_meter(
        self, crossing: Crossing, body: Body, meter: Meter, was: MeterKind | None, now: MeterKind
    ) -> None:
        """Let a meter have the maximum of another design and what was raised on it, and its value within
        that."""
        before = top = meter.max
        real, shown_ = crossing.values.get((body.id, now.name), (now.start, now.start))
        if was is not None and was.max != now.max:
            top += now.max - was.max
        if not top > 0:
            top = now.max
        if now.whole:
            top = int(rounded(top, "half_up")) or 1
        value = shown_
        if now.whole and (was is None or not was.whole):
            value = max(int(rounded(value, now.mode)), 1) if value > 0 else 0
        value = min(value, top + now.overfill)
        if not body.alive and now.name == crossing.new.actors[body.kind_name].vital:
            value = 0
        if value != shown_:
            real = value
        meter.max, meter.value, meter.base, meter.since = top, real, value, self.stage.clock.now
        meter.kind = now
        meter.above = self.marks_above(meter, value)
        if was is None:
            return
        for part, old, new in (("max", before, top), ("value", shown_, value)):
            if old != new:
                crossing.told.append(("adjusted", body.id, (now.name, part, old, new)))

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`: what flows does so as the design says now, from where it stands."""
        for body in self.stage.actors.values():
            if not crossing.touches(body):
                continue
            for meter in body.meters.values():
                if meter.kind.flows or body.flows or meter.course or meter.due >= 0:
                    self.anchor(meter, meter.value, meter.base)
            old = crossing.old.actors[body.kind_name]
            if not body.alive and body.comeback is None and old.respawn is None:
                self.await_return(body)

    def bury(self, crossing: Crossing) -> None:
        """Let those die whose vital meter is another one now, in which nothing is left; the dead have
        nothing in it."""
        for body in list(self.stage.actors.values()):
            vital = body.meters.get(body.kind.vital)
            if not crossing.touches(body) or vital is None:
                continue
            if body.alive and self.value(vital) <= 0:
                self.die(body, "", 0)
            elif not body.alive and self.value(vital) > 0:  # one that was put aside has come back
                self._become(vital, vital.max, 0, True)

    # what outlives the session

    def _start_of(self, meter: Meter) -> float:
        kind = meter.kind
        return meter.max if kind.starts_full else min(kind.start, meter.max + kind.overfill)

    def _become(self, meter: Meter, top: float, value: float, told: bool) -> None:
        """Let a meter have exactly that maximum and value, as far as the design allows; told as adjusted
        where it was here before."""
        kind, body = meter.kind, meter.owner
        if not top > 0:
            top = kind.max
        top = int(rounded(top, "half_up")) or 1 if kind.whole else top
        value = min(max(rounded(value, kind.mode) if kind.whole else value, 0), top + kind.overfill)
        before, had = meter.max, self.value(meter)
        if (top, value) == (before, had):
            return
        meter.max, meter.steps = top, None
        meter.above = self.marks_above(meter, value)
        self.anchor(meter, value, value)
        for part, was, now in (("max", before, top), ("value", had, value)) if told else ():
            if was != now:
                self.stage.emit("adjusted", body.id, "", (kind.name, part, was, now))

    def raise_again(self, body: Body, name: str, more: float, told: bool) -> None:
        """Raise a maximum by what levels raised it; one who arrives starts with it."""
        if more:
            meter = body.meters[name]
            full = not told and meter.kind.starts_full
            self._become(meter, meter.max + more, meter.max + more if full else self.value(meter), told)

    def meters_kept(self, body: Body) -> dict[str, Any]:
        """Return the meters that are saved: their value, and what was raised on them beside what levels
        raised."""
        return {
            name: {
                "value": self.value(meter),
                "raised": meter.max - meter.kind.max - self.raised_by_levels(body, name),
            }
            for name, meter in body.meters.items()
            if meter.kind.saved
        }

    def meters_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let the meters that are saved be as they were; the maximum is the design's, and what was raised on
        it. Returns meters that are unknown."""
        for name, meter in body.meters.items():
            saved = data.pop(name, None) if meter.kind.saved else None
            if saved is not None:
                raised = saved["raised"] if "raised" in saved else max(saved["max"] - meter.kind.max, 0)
                self._become(
                    meter, meter.kind.max + self.raised_by_levels(body, name) + raised, saved["value"], told
                )
            elif meter.kind.saved and told:
                meter_top = meter.kind.max + self.raised_by_levels(body, name)
                self._become(
                    meter, meter_top, meter_top if meter.kind.starts_full else meter.kind.start, told
                )
        return data

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`: all meters, also those that are not saved."""
        return (
            Keeper("life", self._life_kept, self._life_back, of_players=False),
            Keeper("all meters", self._all_kept, self._all_back, of_players=False),
        )

    def _life_kept(self, body: Body) -> dict[str, Any]:
        wait = body.comeback.due - self.stage.clock.now if body.comeback is not None else -1
        return {"alive": body.alive, "wait": wait}

    def _life_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let somebody be alive, or dead and wait as long for its return as it did."""
        if data["alive"] and not body.alive:
            self._rise(body, told)
        elif not data["alive"] and body.alive:
            self._fall(body, told)
        if not data["alive"] and data["wait"] >= 0:
            self._come_back_after(body, data["wait"])
        return {}

    def _all_kept(self, body: Body) -> dict[str, Any]:
        return {name: [meter.max, self.value(meter), meter.kind.max] for name, meter in body.meters.items()}

    def _all_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        for name, meter in body.meters.items():
            kind = meter.kind
            # Under a design that was adopted since, a meter may be new, or have another maximum.
            top, value, of_kind = data.get(name, (kind.max, kind.start, kind.max))
            meter.steps = None  # the clocks of steps start anew
            self._become(meter, top if of_kind == kind.max else kind.max + top - of_kind, value, told)
            self.anchor(meter, self.real(meter), self.value(meter))
        return {}

    def lives_kept(self, body: Body) -> dict[str, Any]:
        """Return a player's lives, and whether it is dead, to be saved; nothing where lives are not counted
        and it is alive."""
        return {"left": body.lives, "dead": not body.alive} if body.kind.lives or not body.alive else {}

    def lives_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player have the lives that were saved, and be alive or dead.

        Who was saved dead waits for its return again, where its kind returns and a life is left; who has none
        left stays dead; who would stay dead for ever, with lives to live, is alive.
        """
        kind = body.kind
        left, dead = data.pop("left", kind.lives), data.pop("dead", False)
        if kind.lives:
            left, before = min(left, kind.lives_most or left), body.lives
            if told and left != before:
                self._set_lives(body, left)
            body.lives = left
        dead = (dead and kind.respawn is not None) or (bool(kind.lives) and left <= 0)
        if dead and body.alive:
            self._fall(body, told)
            self.await_return(body)
        elif not dead and not body.alive:
            self._rise(body, told)
        vital = body.meters.get(kind.vital)
        if body.alive and vital is not None and self.value(vital) <= 0:
            self._become(
                vital,
                vital.max,
                max(self._start_of(vital), 1 if vital.kind.whole else vital.max * 0.01),
                told,
            )
        return data

    def _fall(self, body: Body, told: bool) -> None:
        """Let somebody be dead who was dead."""
        for clear in self.before_death:
            clear(body, -1)
        vital = body.meters.get(body.kind.vital)
        if vital is not None:
            self._become(vital, vital.max, 0, told)
        self._lie_still(body)
        if told:
            self.stage.emit("died", body.id, "", ("", "", 0.0))

    def _rise(self, body: Body, told: bool) -> None:
        body.alive, body.hurt_at = True, -1
        self._wait_no_more(body)
        for meter in body.meters.values():
            self.anchor(meter, self.real(meter), self.value(meter))
        if told:
            self.stage.emit("respawned", body.id, "", (self.place_of(body),))

    # effects

    def _target(self, effect: Effect, body: Body) -> Meter | None:
        """Return the meter an effect is about; None where its target has none of that name."""
        return body.meters.get(effect.beside.get("meter", "") or body.kind.vital)

    def prepare_heal(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        amount = amount_of(effect.operand, scope)
        meter = self._target(effect, body)
        if meter is None:
            return amount, "no_change"
        if not body.alive:
            return amount, "dead"
        if self.value(meter) >= meter.max + meter.kind.overfill:
            return amount, "full"
        return amount, "" if amount > 0 else "no_change"

    def commit_heal(self, scope: Scope, effect: Effect, body: Body, amount: Any) -> None:
        """See `effects`."""
        meter = self._target(effect, body)
        if meter is not None:
            self.heal(body, amount, meter.kind.name, doer(scope, body))

    def prepare_drain(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        amount = amount_of(effect.operand, scope)
        there = self._target(effect, body) is not None
        if there and not body.alive:
            return amount, "dead"
        return amount, "" if there and amount > 0 else "no_change"

    def commit_drain(self, scope: Scope, effect: Effect, body: Body, amount: Any) -> None:
        """See `effects`."""
        meter = self._target(effect, body)
        if meter is not None:
            self.drain(body, amount, meter.kind.name, doer(scope, body))


def doer(scope: Scope, target: Body) -> str:
    """Return who does an effect: `self`, or `source` where the target is `self`."""
    who = scope.source if target is scope.me else scope.me
    return who.id if who is not None else scope.credit


def percent(fraction: float) -> str:
    """Return a fraction as percent text: no decimals, half up, "0%" only at nothing and "100%" only at all.

    >>> percent(0.003), percent(0.997), percent(0.5)
    ('1%', '99%', '50%')
    """
    number = rounded(fraction * 100, "half_up")
    if fraction > 0:
        number = max(number, 1)
    if fraction < 1:
        number = min(number, 99)
    return f"{number}%"


def cells(fraction: float, count: int) -> int:
    """Return how many of *count* cells are filled: rounded down, at least one while anything is left."""
    filled = int(fraction * count + course_of.NOISE)
    return max(filled, 1) if fraction > 0 else 0
