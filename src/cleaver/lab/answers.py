"""Answers: what a question comes to, as values, as words, and as data for programs. Start at `Run`."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import inf, isfinite, nan
from typing import Any

import numpy as np

from cleaver.errors import UnknownNameError, UsageError
from cleaver.lab.sessions import Floats, Kind, Sessions
from cleaver.lab.statistics import (
    Difference,
    Estimate,
    Survival,
    mean,
    paired_mean,
    paired_share,
    quantile,
    share,
    survival,
)
from cleaver.rounding import shown

QUANTILES = (0.1, 0.5, 0.9)
FAN = (0.1, 0.25, 0.5, 0.75, 0.9)


def number_said(value: float) -> float | None:
    """Return a number for JSON; what is not finite is null."""
    return float(value) if isfinite(value) else None


def short(value: float) -> str:
    """Return a number with as many digits as one reads."""
    if not isfinite(value):
        return "–" if value != value else "never" if value > 0 else "−∞"
    digits = 0 if abs(value) >= 100 else 1 if abs(value) >= 10 else 2
    return shown(round(value, digits))


def percent_said(value: float) -> str:
    """Return a share as percent."""
    return "–" if value != value else f"{value * 100:.1f} %"


@dataclass(frozen=True, slots=True)
class Measured:
    """One measure of one group: a share for a truth, a mean with quantiles for a number, and for a time how
    many reached it, and when half of all had (`half`, inf where fewer ever did). Its quantiles are those of
    the curve, which tells how it would be had a session that ended before, as at a death, gone on."""

    kind: Kind
    count: int
    estimate: Estimate
    quantiles: Mapping[float, Estimate] = field(default_factory=dict)
    curve: Survival | None = None
    half: float = nan

    @classmethod
    def of(cls, sessions: Sessions, name: str) -> Measured:
        """Return what a measure came to."""
        kind = sessions.shape.kinds[sessions.shape.index(name)]
        values = sessions.measure(name)
        if kind == "truth":
            return cls(kind, len(values), share(int(values.sum()), len(values)))
        if kind == "time":
            curve = survival(values, sessions.seconds)
            found = share(curve.reached, curve.total)
            reached = np.sort(values[~np.isnan(values)])
            half = float(reached[(len(values) - 1) // 2]) if 2 * len(reached) >= len(values) else inf
            return cls(kind, len(values), found, {at: curve.quantile(at) for at in QUANTILES}, curve, half)
        return cls(kind, len(values), mean(values), {at: quantile(values, at) for at in QUANTILES})

    @property
    def data(self) -> dict[str, Any]:
        """It for JSON."""
        value, low, high = map(number_said, self.estimate)
        key = {"truth": "share", "number": "mean", "time": "reached"}[self.kind]
        found: dict[str, Any] = {key: value, "low": low, "high": high, "sessions": self.count}
        if self.quantiles:
            found["quantiles"] = {f"{at:g}": number_said(one.value) for at, one in self.quantiles.items()}
        return found

    @property
    def cells(self) -> tuple[str, str, str]:
        """What to read: the value, its interval, and how it is spread."""
        value, low, high = self.estimate
        if self.kind == "truth":
            return percent_said(value), f"{percent_said(low)} … {percent_said(high)}", ""
        spread = ", ".join(f"{at:.0%} {short(one.value)}" for at, one in self.quantiles.items())
        if self.kind == "time":
            told = f"half by {short(self.half)} s" if isfinite(self.half) else "half never"
            return f"{percent_said(value)} reach it", f"{percent_said(low)} … {percent_said(high)}", told
        return short(value), f"{short(low)} … {short(high)}", spread


@dataclass(frozen=True, slots=True)
class Run:
    """What `run` found: each measure by group of players, and the oddest sessions."""

    title: str
    seed: int
    sessions: Sessions
    measures: Mapping[str, Mapping[str, Measured]]
    odd: tuple[tuple[int, str], ...]
    guesses: Mapping[str, tuple[float, float]]
    """From where to where each measure of all goes where the players' inputs are a tenth less and more."""

    @classmethod
    def of(
        cls,
        title: str,
        seed: int,
        sessions: Sessions,
        guesses: Mapping[str, tuple[float, float]] | None = None,
    ) -> Run:
        """Return what sessions came to."""
        groups = {group: sessions.of(group) for group in sessions.groups}
        measures = {
            name: {group: Measured.of(part, name) for group, part in groups.items()}
            for name in sessions.shape.measures
        }
        return cls(title, seed, sessions, measures, oddest(sessions), dict(guesses or {}))

    @property
    def data(self) -> dict[str, Any]:
        """It for JSON."""
        return {
            "sessions": len(self.sessions),
            "seed": self.seed,
            "measures": {
                name: {group: one.data for group, one in by.items()} for name, by in self.measures.items()
            },
            "guesses": {name: list(map(number_said, both)) for name, both in self.guesses.items()},
            "oddest": [{"session": at, "why": why} for at, why in self.odd],
        }


def oddest(sessions: Sessions, count: int = 3) -> tuple[tuple[int, str], ...]:
    """Return the sessions that lie farthest from the middle of a measure, each with why: by how many times
    the median distance from the median it lies away."""
    found: list[tuple[float, int, str]] = []
    for name, kind in zip(sessions.shape.measures, sessions.shape.kinds, strict=True):
        values = sessions.measure(name)
        there = ~np.isnan(values)
        if kind != "number" or there.sum() < 10:
            continue
        middle = float(np.median(values[there]))
        away = np.abs(values - middle)
        usual = float(np.median(away[there]))
        if usual <= 0:
            continue
        at = int(np.nanargmax(away))
        found.append(
            (float(away[at]) / usual, int(sessions.number[at]), f"{name} {short(float(values[at]))}")
        )
    return tuple((at, why) for _, at, why in sorted(found, reverse=True)[:count])


@dataclass(frozen=True, slots=True)
class Compared:
    """What `compare` found: each measure under both designs and how they differ under the same luck."""

    changes: tuple[str, ...]
    count: int
    same: int
    before: Mapping[str, Measured]
    after: Mapping[str, Measured]
    differences: Mapping[str, Difference]

    @property
    def data(self) -> dict[str, Any]:
        """It for JSON."""
        return {
            "changes": list(self.changes),
            "sessions": self.count,
            "same": self.same,
            "measures": {
                name: {
                    "before": self.before[name].data,
                    "after": self.after[name].data,
                    "difference": number_said(one.estimate.value),
                    "low": number_said(one.estimate.low),
                    "high": number_said(one.estimate.high),
                    "differ": one.differ,
                    "note": one.note,
                }
                for name, one in self.differences.items()
            },
        }


@dataclass(frozen=True, slots=True)
class Swept:
    """What `sweep` found: a measure at each value of a key, or of two."""

    keys: tuple[str, ...]
    values: tuple[tuple[float, ...], ...]
    now: tuple[float | None, ...]
    measure: str
    kind: Kind
    found: Mapping[tuple[float, ...], Measured]
    count: int

    @property
    def data(self) -> dict[str, Any]:
        """It for JSON."""
        return {
            "keys": list(self.keys),
            "now": list(self.now),
            "measure": self.measure,
            "sessions": self.count,
            "points": [{"at": list(at), **one.data} for at, one in self.found.items()],
        }


@dataclass(frozen=True, slots=True)
class Lever:
    """How a measure moves with one number: below and above what it is now."""

    key: str
    guess: bool
    now: float
    values: tuple[float, float]
    down: Difference
    up: Difference
    cliff: bool

    @property
    def reach(self) -> float:
        """How much it moves at most, either way."""
        steps = [
            abs(one.estimate.value)
            for one in (self.down, self.up)
            if one.estimate.value == one.estimate.value
        ]
        return max(steps, default=0.0)


@dataclass(frozen=True, slots=True)
class Levers:
    """What `levers` found: the numbers that move a measure, the strongest first; how many were looked at."""

    measure: str
    kind: Kind
    now: Measured
    found: tuple[Lever, ...]
    looked: int
    count: int

    @property
    def data(self) -> dict[str, Any]:
        """It for JSON."""
        return {
            "measure": self.measure,
            "now": self.now.data,
            "looked": self.looked,
            "sessions": self.count,
            "levers": [
                {
                    "key": one.key,
                    "guess": one.guess,
                    "now": one.now,
                    "values": list(one.values),
                    "down": number_said(one.down.estimate.value),
                    "up": number_said(one.up.estimate.value),
                    "cliff": one.cliff,
                }
                for one in self.found
            ],
        }


@dataclass(frozen=True, slots=True)
class Page:
    """What stands on the page of a run: the run, the measure that it is about and what is wanted of it, the
    numbers that move that measure, and how it goes over the strongest; None where nothing moves it."""

    run: Run
    measure: str
    target: float | None
    levers: Levers
    swept: Swept | None

    @property
    def title(self) -> str:
        """What it is about, what it is now, and what is wanted."""
        now = self.run.measures[self.measure]["all"]
        wanted = ""
        if self.target is not None:
            told = short(self.target) if now.kind == "number" else percent_said(self.target)
            wanted = f"; {told} is wanted"
        return f"{self.run.title}: {self.measure} is {now.cells[0]} now{wanted}"


@dataclass(frozen=True, slots=True)
class Solved:
    """What `solve` found: the value with its interval, or why there is none; what a fresh seed gave there."""

    key: str
    measure: str
    target: float
    now: float | None
    answer: Estimate | None
    why: str
    looks: Mapping[float, Measured]
    confirmed: Measured | None
    count: int
    guesses: tuple[float, float] | None = None
    """From where to where the measure goes there, with the players' inputs a tenth less and more."""

    @property
    def data(self) -> dict[str, Any]:
        """It for JSON."""
        value, low, high = (None, None, None) if self.answer is None else map(number_said, self.answer)
        return {
            "key": self.key,
            "measure": self.measure,
            "target": self.target,
            "now": self.now,
            "value": value,
            "low": low,
            "high": high,
            "why": self.why,
            "sessions": self.count,
            "confirmed": None if self.confirmed is None else self.confirmed.data,
            "guesses": None if self.guesses is None else list(map(number_said, self.guesses)),
            "looks": [{"at": at, **one.data} for at, one in sorted(self.looks.items())],
        }


def difference(before: Sessions, after: Sessions, name: str) -> Difference:
    """Return how a measure differs between the same sessions of two designs; of a time, how the mean differs
    where a session that ended before counts with its end."""
    kind = before.shape.kinds[before.shape.index(name)]
    one, two = before.measure(name), after.measure(name)
    if kind == "truth":
        return paired_share(one, two)
    if kind == "time":
        one = np.where(np.isnan(one), before.seconds, one)
        two = np.where(np.isnan(two), after.seconds, two)
    return paired_mean(one, two)


def curves_of(sessions: Sessions, measure: str) -> dict[str, Survival]:
    """Return how many have not reached a time yet, by kind of player.

    Raises:
        UsageError: The measure is no time.
    """
    shape = sessions.shape
    if shape.kinds[shape.index(measure)] != "time":
        times = [name for name, kind in zip(shape.measures, shape.kinds, strict=True) if kind == "time"]
        others = f"ask for {' or '.join(times)}" if times else "say first = true of an event"
        raise UsageError(f"{measure} is no time; {others}")
    groups = {group: sessions.of(group) for group in sessions.groups}
    return {group: survival(part.measure(measure), part.seconds) for group, part in groups.items()}


def fan_of(sessions: Sessions, name: str) -> tuple[Floats, Floats, Floats]:
    """Return a value over time: see `Lab.over`.

    Raises:
        UnknownNameError: The trial does not look at it.
    """
    shape = sessions.shape
    if name not in shape.fan:
        raise UnknownNameError("value over time", name, shape.fan)
    values = sessions.fan[:, :, shape.fan.index(name)]
    there = ~np.isnan(values)
    quantiles = np.full((shape.looks, len(FAN)), np.nan)
    for at in range(shape.looks):
        if there[:, at].any():
            quantiles[at] = np.quantile(values[there[:, at], at], FAN)
    return np.arange(1.0, shape.looks + 1) * shape.every, quantiles, there.mean(axis=0)
