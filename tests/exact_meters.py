"""Meters once more, in exact fractions, as the rules word them: smooth and stepped flows together.

By hand, for many more sessions than the tests try: ``python tests/exact_meters.py 20000``.
"""

from __future__ import annotations

import random
import sys
from collections.abc import Iterator
from fractions import Fraction
from math import ceil
from typing import Any

from cleaver import Design, World

SECOND = 1_000_000
NEAR = 4  # microseconds by which float noise may move an instant
Flow = dict[str, Any]


def exact(number: float) -> Fraction:
    return Fraction(str(number))


class Exact:
    """One meter, its value an exact fraction; time in whole microseconds."""

    def __init__(
        self, top: int, start: int, flows: list[Flow], overfill: int, whole: bool, vital: bool
    ) -> None:
        self.top, self.flows, self.cap, self.whole, self.vital = (
            Fraction(top),
            flows,
            top + overfill,
            whole,
            vital,
        )
        self.now, self.hurt_at, self.alive = 0, -1, True
        self.clocks: dict[int, int] = {}
        self.anchor(Fraction(start), Fraction(start))

    def shows(self, real: Fraction) -> Fraction:
        return self.base + int(real - self.base) if self.whole else real  # int cuts towards zero

    def limit(self, flow: Flow) -> Fraction:
        return self.top * exact(flow.get("until", 1.0 if flow["rate"] > 0 else 0.0))

    def at_work(self, stepped: bool) -> list[tuple[int, Fraction, Fraction]]:
        """The flows that are not quiet: number, rate a microsecond, limit."""
        return [
            (number, exact(flow["rate"]) / SECOND, self.limit(flow))
            for number, flow in enumerate(self.flows)
            if ("every" in flow) is stepped and self.alive and self.quiet_until(flow) <= self.now
        ]

    def quiet_until(self, flow: Flow) -> int:
        return (
            self.hurt_at + round(flow["after_hurt"] * SECOND)
            if "after_hurt" in flow and self.hurt_at >= 0
            else 0
        )

    def slope(self, real: Fraction) -> Fraction:
        up = down = Fraction(0)
        for _, rate, limit in self.course:
            ahead = real < limit if rate > 0 else real > limit
            up += rate if ahead or (real == limit and rate < 0) else 0
            down += rate if ahead or (real == limit and rate > 0) else 0
        return up if up > 0 else min(down, Fraction(0))

    def pieces(self) -> Iterator[tuple[Fraction, Fraction, Fraction, Fraction]]:
        """Where it flows to from here: for each piece its start, the value there, its slope, the value at its end."""
        start, real = Fraction(0), self.real
        limits = [limit for _, _, limit in self.course]
        while rate := self.slope(real):
            end = min(x for x in limits if x > real) if rate > 0 else max(x for x in limits if x < real)
            yield start, real, rate, end
            start, real = start + (end - real) / rate, end

    def at(self) -> Fraction:
        """The value now."""
        real, span = self.real, self.now - self.since
        for start, value, rate, end in self.pieces():
            if start > span:
                break
            passed = value + rate * (span - start)
            real = min(passed, end) if rate > 0 else max(passed, end)
        return real

    def turns(self) -> Iterator[int]:
        """After how many microseconds it is first at or beyond what changes something: a limit of a stepped flow, a
        bound."""
        stops = [limit for _, _, limit in self.at_work(stepped=True)]
        for start, value, rate, end in self.pieces():
            for stop in [*stops, self.top if rate > 0 else Fraction(0)]:
                if value < stop <= end or end <= stop < value:
                    yield ceil(start + (stop - value) / rate)

    def anchor(self, real: Fraction, shown: Fraction) -> None:
        """Go on from here. The clock of a step runs while the meter is off the limit that its flow goes to."""
        self.real, self.base, self.since = real, shown, self.now
        self.course = self.at_work(stepped=False)
        leaving, clocks = self.slope(real), {}
        for number, rate, limit in self.at_work(stepped=True):
            runs = (
                (leaving < 0 if rate > 0 else leaving > 0) if real == limit else (real < limit) is (rate > 0)
            )
            if runs:
                every = round(self.flows[number]["every"] * SECOND)
                clocks[number] = self.clocks.get(number, self.now + every)
        self.clocks = clocks

    def until(self, due: int) -> None:
        while self.alive and self.now < due:
            turns = [self.since + turn for turn in self.turns()]
            changes = [end for end in (*map(self.quiet_until, self.flows), *turns) if end > self.now]
            self.now = min([due, *self.clocks.values(), *changes])
            if self.now in changes:
                real = self.at()
                self.anchor(real, self.shows(real))
                self.die_if_empty()
            for number in [number for number, at in self.clocks.items() if at == self.now]:
                if self.alive and self.clocks.get(number) == self.now:
                    self.step(number)
        self.now = due

    def step(self, number: int) -> None:
        flow = self.flows[number]
        self.clocks[number] += round(flow["every"] * SECOND)
        limit, amount, real = self.limit(flow), exact(flow["rate"]) * exact(flow["every"]), self.at()
        if amount > 0:
            real = real if real >= limit else min(real + amount, limit)
        else:
            real = real if real <= limit else max(real + amount, limit)
        self.anchor(real, self.shows(real))
        self.die_if_empty()

    def change(self, amount: int, hurts: bool) -> None:
        """Heal, drain (below 0) or hurt."""
        real = self.at()
        before = self.shows(real)
        if not self.alive or (amount > 0 and before >= self.cap):
            return
        after = max(min(before + amount, max(Fraction(self.cap), before)), Fraction(0))
        carried = real - before if self.whole and 0 < after < self.top else Fraction(0)
        if hurts:
            self.hurt_at = self.now
        self.anchor(after + carried if self.whole else after, after)
        self.die_if_empty()

    def die_if_empty(self) -> None:
        if self.vital and self.base <= 0:
            self.alive, self.clocks, self.course = False, {}, []


def session(seed: int) -> str:
    """Play one random session both ways; return what differs, "" for nothing."""
    dice = random.Random(seed)
    top, whole, vital = dice.choice([4, 10, 20, 33, 60]), dice.random() < 0.3, dice.random() < 0.6
    flows: list[Flow] = []
    for _ in range(dice.randint(1, 4)):
        flow: Flow = {"rate": dice.choice([-7, -2, -1.5, -1, -0.4, 0.3, 1, 2, 4, 5.5])}
        if dice.random() < 0.55:
            flow["every"] = dice.choice([0.1, 0.25, 0.5, 0.7, 1.3])
        if dice.random() < 0.5:
            flow["until"] = dice.choice([0.0, 0.25, 0.5, 0.75, 1.0])
        if dice.random() < 0.3:
            flow["after_hurt"] = dice.choice([0.3, 1.0, 2.5])
        flows.append(flow)
    overfill = dice.choice([0, 0, 5, 10])
    start = dice.choice([top, top, 0 if not vital else 1, top // 2])
    meter: dict[str, Any] = {"max": top, "start": start, "flows": flows, "overfill": overfill, "whole": whole}
    actor: dict[str, Any] = {
        "player": True,
        "meters": {"suit": meter},
        **({"vital": "suit"} if vital else {}),
    }
    world = World(Design.from_dict({"actors": {"diver": actor}}))
    ana = world.join("diver", "ana")
    sliced = world.restore(world.design, world.snapshot())
    truth = Exact(top, start, flows, overfill, whole, vital)
    for _ in range(dice.randint(1, 14)):
        span = dice.choice(
            [50_000, 333_333, 500_000, 1_000_000, 2_500_000, 7_777_777, dice.randint(1, 9_000_000)]
        )
        world.advance(microseconds=span)
        left = span
        while left:
            part = min(left, dice.choice([1, 16_667, 250_000, 3_000_000]))
            sliced.advance(microseconds=part if part > 1 or left < 50 else 1)
            left -= part
        early = truth_at(truth, span - NEAR)
        truth.until(truth.now + span)
        late = truth_at(truth, NEAR)
        found, exactly = ana["suit"].value, truth.shows(truth.at())
        fits = (early, float(exactly), late)
        if not any(abs(found - value) < 1e-4 for value in fits) or (
            ana.alive != truth.alive and early == late
        ):
            return f"seed {seed}, {truth.now / SECOND} s: {found} for {float(exactly)} ({fits}); {meter}"
        if ana.alive != truth.alive or not any(abs(found - value) < 1e-4 for value in fits[1:2]):
            return ""  # an instant within float noise of this one: from here on they are two sessions
        if (
            sliced.actor("ana")["suit"].value != found
            and abs(sliced.actor("ana")["suit"].value - found) > 1e-9 * top
        ):
            return f"seed {seed}, {truth.now / SECOND} s: {sliced.actor('ana')['suit'].value} sliced, {found} whole"
        what, amount = dice.choice(["heal", "hurt", "drain", "none"]), dice.randint(1, 12)
        for hero in (ana, sliced.actor("ana")):
            if what == "hurt" and vital and hero.alive:
                hero.hurt(amount)
            elif what in ("heal", "drain") and hero.alive:
                getattr(hero, what)(amount, "suit")
        if what != "none" and (what != "hurt" or vital):
            truth.change(amount if what == "heal" else -amount, what == "hurt")
    return ""


def truth_at(truth: Exact, span: int) -> float:
    """What the meter would show so many microseconds from now."""
    other = Exact.__new__(Exact)
    other.__dict__.update({**truth.__dict__, "clocks": dict(truth.clocks)})
    other.until(other.now + max(span, 0))
    return float(other.shows(other.at()))


if __name__ == "__main__":
    wrong = [found for seed in range(int(sys.argv[1])) if (found := session(seed))]
    print(*wrong[:10], sep="\n")
    print(f"{len(wrong)} of {sys.argv[1]} sessions differ")
