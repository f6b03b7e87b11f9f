"""Vitals: meters at work. Healing, draining, flows, bounds and marks, death and return.

Owns every change of a meter; `combat` and the effects go through it. Knows nothing of hits, statuses' meaning
or goods. A meter is anchored at each change and its next moment put on the schedule; between them nothing is
ticked. Start at `Vitals.shift`.
"""

from __future__ import annotations

from cleaver.core.kernel.body import Body, Meter
from cleaver.core.kernel.expressions import BoundEffect, amount_of
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import ChangeResult, HealResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.stats.account import Stats, cause_of
from cleaver.core.stats.kinds import FLOWS
from cleaver.core.vitals import course as course_of
from cleaver.core.vitals.death import Death
from cleaver.core.vitals.flows import Flows
from cleaver.core.vitals.life import Life
from cleaver.core.vitals.outlasting import Outlasting
from cleaver.design.vocabulary import METER_PARTS
from cleaver.errors import AmountError, SnapshotError, UnknownNameError, UsageError
from cleaver.rounding import NOISE, rounded, shown, snapped

TALLEST = 2.0**62  # that a maximum may be: what is raised is saved
LEAST = 0.001  # that a maximum may come to
TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.actor_kinds import MeterKind
    from cleaver.core.kernel.crossing import Crossing
    from cleaver.literals import Blocked


class Vitals(Part):
    """Meters, death and return of one world."""

    death: Death
    outlasting: Outlasting
    life: Life
    flows: Flows
    stats: Stats

    def __init__(self, stage: Stage, stats: Stats) -> None:
        self.stage: Stage = stage
        self.stats: Stats = stats
        self.death, self.outlasting, self.flows = Death(self), Outlasting(self), Flows(self)
        self.life = Life(self)
        stats.fits["max"], stats.fits["rate"] = self._moved_max, self._moved_rate
        stats.fits[FLOWS] = lambda body, name, value, keep, cause: self.flows.renew(body)
        self.before_death: list[
            Any
        ] = []  # called with (body, cause) when a death is worked out, before `on_death`
        stage.due["meter"] = self.flows.due
        stage.due["respawn"] = self.death.come_back
        stage.due["corpse"] = self.death.vanish
        stage.readable["meter"] = self.read
        stage.readable["alive"] = lambda body, name, part: body.alive
        stage.readable["lives"] = lambda body, name, part: body.lives
        stage.verbs["heal"] = (self.prepare_heal, self.commit_heal)
        stage.verbs["lives"] = (self.death.prepare_lives, self.death.commit_lives)
        stage.verbs["raise_max"] = (self._prepare_max, self._commit_max)
        stage.verbs["revive"] = (self.death.prepare_revive, self.death.commit_revive)
        stage.verbs["drain"] = (self.prepare_drain, self.commit_drain)

    # reading

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (
            Keeper(
                "meters",
                self.outlasting.meters_kept,
                self.outlasting.meters_back,
                of_players=False,
                known=lambda kind: kind.meters,
            ),
        )

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`: all meters, also those that are not saved."""
        outlasting = self.outlasting
        return (Keeper("all meters", outlasting.all_kept, outlasting.all_back, of_players=False),)

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
            meter.max = self.top(meter)
            start = self.start_of(meter)
            meter.above = self.marks_above(meter, start)
            self.anchor(meter, start, start)

    # the maximum

    def top(self, meter: Meter) -> float:
        """Return the maximum of a meter by the account of its owner."""
        body, kind = meter.owner, meter.kind
        target = f"{kind.name}.max"
        if target not in self.stats.sheet(body).worked and target not in body.raised:
            return kind.max
        return self.as_top(kind, self.stats.worked_out(body, target))

    @staticmethod
    def as_top(kind: MeterKind, value: float) -> float:
        """Return a value as a maximum: above 0, whole where the meter is, and no more than can be saved."""
        value = min(value, TALLEST)
        if kind.whole:
            return max(int(rounded(value, "half_up")) if value > 0 else 0, 1)
        return max(value, LEAST)

    def _moved_max(self, body: Body, name: str, value: float, keep: str, cause: int) -> None:
        """Let a maximum be what it came to, where that is another."""
        meter = body.meters.get(name)
        if meter is not None:
            self._resize(meter, self.as_top(meter.kind, value), keep or meter.kind.keep, cause)

    def _moved_rate(self, body: Body, name: str, value: float, keep: str, cause: int) -> None:
        """Let the flows of a meter go on as they came to."""
        meter = body.meters.get(name)
        if meter is not None:
            self.stats.set_rate(body, name)
            self.anchor(meter, self.real(meter), self.value(meter))

    # the anchor

    def anchor(self, meter: Meter, real: float, base: float, *, lower: bool = False) -> None:
        """Let a meter go on from *real* now, showing *base*; works out its course and when it is due next.

        *lower* says that it was only moved down, by a hit.
        """
        meter.value, meter.base, meter.since = real, base, self.stage.clock.now
        body = meter.owner
        if not meter.kind.flows and not body.flowing:
            if meter.course or meter.due >= 0:
                meter.course, meter.steps, meter.due = (), None, -1
            return
        before = meter.course
        meter.course = course = self.flows.course(meter)
        if self.stage.fast and meter.kind.plain and not body.flowing:
            meter.steps = None
            if course is before and meter.due >= 0 and lower and len(course) == 1 and course[0][0] > 0:
                # It moved away from where it flows: its next moment only comes later, so the schedule may
                # stand
                return
        else:
            self.flows.set_steps(meter)
        self.flows.plan(meter)

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
        if still and not kind.flows and meter.due < 0 and not meter.owner.flowing:
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
                        self.cross(meter, number, (source, cause), cause)
                if meter.course:
                    self.flows.plan(meter)
        if after <= 0 < before:
            self.bound(meter, 0, (source, cause), cause, mortal)
        elif before < meter.max <= after:
            self.bound(meter, after, (source, cause), cause)
        self.watched(meter, cause)

    def watched(self, meter: Meter, cause: int = -1) -> None:
        """Let statuses that hang on what a meter stands at begin or end."""
        stage = self.stage
        if not self.stats.sheet(meter.owner).edges.get(meter.kind.name):
            return
        before, stage.cause = stage.cause, cause if cause >= 0 else stage.cause
        stage.touched("meter", meter.owner.id)
        stage.cause = before

    def cross(self, meter: Meter, number: int, credit: tuple[str, int], cause: int) -> None:
        """Tell that a mark was crossed, by its number."""
        meter.above ^= 1 << number
        way = "up" if meter.above >> number & 1 else "down"
        self.stage.emit(
            "crossed",
            meter.owner.id,
            credit[0],
            (meter.kind.name, meter.kind.marks[number][0], way),
            credit[1] if cause < 0 else cause,
        )

    def bound(
        self, meter: Meter, value: float, credit: tuple[str, int], cause: int, mortal: bool = True
    ) -> None:
        """Tell that a meter is empty or full; the vital one at 0 is a death."""
        body = meter.owner
        seq = self.stage.emit(
            "emptied" if value <= 0 else "filled",
            body.id,
            credit[0],
            (meter.kind.name,),
            credit[1] if cause < 0 else cause,
        )
        if mortal and value <= 0 and body.alive and meter.kind.name == body.kind.vital:
            self.death.die(body, credit[0], seq)

    # death and return

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

    def _prepare_max(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        amount = amount_of(effect.beside["amount"], scope)
        meter = body.meters.get(effect.operand)
        if meter is not None:
            amount = self.whole_amount(meter.kind, amount)
        return amount, "" if amount > 0 and meter is not None else "no_change"

    def _commit_max(self, scope: Scope, effect: BoundEffect, body: Body, amount: Any) -> None:
        meter = body.meters.get(effect.operand)
        if meter is not None and amount > 0:
            target, keep = f"{effect.operand}.max", effect.beside.get("keep", "value")
            self.stats.raised(body, target, min(amount, TALLEST), cause_of(scope), keep)

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
        self.stats.let_be(body, f"{kind.name}.max", top)
        return self._resize(meter, int(top) if kind.whole else top, keep, cause)

    def _resize(self, meter: Meter, top: float, keep: str, cause: int) -> ChangeResult:
        """Let a meter have a maximum, and tell it."""
        kind, body = meter.kind, meter.owner
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
                self.death.die(body, "", seq)
        self.watched(meter, seq)
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

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`."""
        self.outlasting.go_across(crossing)

    # what outlives the session

    def start_of(self, meter: Meter) -> float:
        """Return what a meter starts with, by the share of its maximum where that was raised."""
        kind = meter.kind
        return meter.max if kind.starts_full else min(kind.start, meter.max + kind.overfill)

    def become(self, meter: Meter, top: float, value: float, told: bool) -> None:
        """Let a meter have exactly that maximum and value, as far as the design allows; told as adjusted
        where it was here before."""
        kind, body = meter.kind, meter.owner
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

    # effects

    def _target(self, effect: BoundEffect, body: Body) -> Meter | None:
        """Return the meter an effect is about; None where its target has none of that name."""
        return body.meters.get(effect.beside.get("meter", "") or body.kind.vital)

    def prepare_heal(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
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

    def commit_heal(self, scope: Scope, effect: BoundEffect, body: Body, amount: Any) -> None:
        """See `effects`."""
        meter = self._target(effect, body)
        if meter is not None:
            self.heal(body, amount, meter.kind.name, doer(scope, body))

    def prepare_drain(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        amount = amount_of(effect.operand, scope)
        there = self._target(effect, body) is not None
        if there and not body.alive:
            return amount, "dead"
        return amount, "" if there and amount > 0 else "no_change"

    def commit_drain(self, scope: Scope, effect: BoundEffect, body: Body, amount: Any) -> None:
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
