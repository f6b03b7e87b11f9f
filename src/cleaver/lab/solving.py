"""Solving: the value of a key at which a measure meets a target.

Looks with few sessions first, to find where the target lies; then a line is laid through fresh sessions at
values near it, of shares on the scale of log odds, and where it meets the target has Fieller's interval. The
line uses luck of its own at each value: under the same luck the points would hang together, and the interval
would be too narrow. Start at `solve`.
"""

from __future__ import annotations

from math import ceil, floor, inf, isfinite, log, sqrt
from typing import NamedTuple

import numpy as np

from cleaver.dice import stream_of
from cleaver.errors import AmountError, DesignError, UsageError
from cleaver.lab.answers import Measured, Solved, percent_said, short
from cleaver.lab.bench import Bench
from cleaver.lab.statistics import Estimate, Floats, fieller
from cleaver.rounding import half_up, shown

SURE = 3.0  # standard errors from the target at which a side is taken for known
FIRST, LAST = 100, 400  # sessions of a look, doubled until the side is known
WIDTH = 0.35  # log odds on each side of the target in which the line is laid
JUMP = 0.15  # of a share, within a thousandth of the range: a step and no slope
HALVINGS = 24


class _Look(NamedTuple):
    """What a measure came to at one value: its height on the scale of the line, with its standard error."""

    at: float
    measured: Measured
    height: float
    error: float


def solve(
    lab: Bench, key: str, measure: str, target: float, *, low: float | None = None, high: float | None = None
) -> Solved:
    """Return at which value of a key a measure meets a target, with an interval, confirmed on a fresh seed.

    Args:
        lab: The trial.
        key: The key path of a number; one that must be whole gives a whole one.
        measure: A truth (the target is a share from 0 to 1), or a number (the target is a mean).
        target: What it is to be.
        low: The least value that is looked at; a quarter of the present one unless given.
        high: The greatest one; four times the present one unless given.

    Raises:
        UsageError: A measure that is a time, or bounds that the design does not allow.
        DesignError: A key that the design does not have.
    """
    return _Solving(lab, key, measure, target, low, high).answer()


class _Solving:
    """One question, while it is answered."""

    def __init__(
        self, lab: Bench, key: str, measure: str, target: float, low: float | None, high: float | None
    ) -> None:
        self.lab, self.key, self.measure, self.target = lab, key, measure, target
        shape = lab.shape
        self.kind = shape.kinds[shape.index(measure)]
        if self.kind == "time":
            raise UsageError(f'{measure} is a time; ask `when`, or measure a share such as "now >= 60"')
        if not isfinite(target) or (self.kind == "truth" and not 0 < target < 1):
            raise AmountError("target", target, "between 0 and 1" if self.kind == "truth" else "a number")
        known = lab.number(key)
        self.now = None if known is None else known.value
        self.whole = known is not None and known.whole
        if self.now is None and (low is None or high is None):
            raise UsageError(f"{key} is no number now; say from where to where with low and high")
        middle = abs(self.now or 0.0) or 1.0
        self.low = low if low is not None else middle / 4
        self.high = high if high is not None else middle * 4
        if not self.low < self.high:
            raise UsageError(f"{self.low:g} … {self.high:g} is no range; the first must be less")
        if self.whole:
            self.low, self.high = float(ceil(self.low)), float(floor(self.high))
        self.looks: dict[float, Measured] = {}
        self.count = self.fresh = 0

    def answer(self) -> Solved:
        """Look until it is known."""
        try:
            low, high = self._look(self.low), self._look(self.high)
        except DesignError as error:
            problem = error.problems[0]
            raise UsageError(f"{self.key}: {problem.wrong}; {problem.right}; give other bounds") from None
        side = self._side(low)
        if side == self._side(high):
            best = min((low, high), key=lambda look: abs(look.height))
            return self._none(
                f"not within {shown(self.low)} … {shown(self.high)}; "
                f"best {self._told(best.measured)} at {shown(best.at)}"
            )
        for _ in range(HALVINGS):
            if self._near(low, high):
                break
            middle = self._between(low, high)
            if middle is None:
                break
            look = self._look(middle)
            if self._side(look) == side:
                low = look
            else:
                high = look
        if self._jumps(low, high):
            return self._none(
                f"jumps between {shown(low.at)} and {shown(high.at)}, "
                f"from {self._told(low.measured)} to {self._told(high.measured)}",
                Estimate(high.at if abs(high.height) < abs(low.height) else low.at, low.at, high.at),
            )
        return self._line(low, high)

    # looking

    def _look(self, value: float) -> _Look:
        """Look at a value with as many sessions as it takes to know on which side of the target it is."""
        count = FIRST
        while True:
            found = self._at(value, count, self.lab.seed)
            if abs(found.height) >= SURE * found.error or count >= LAST:
                return found
            count *= 2

    def _at(self, value: float, count: int, seed: int) -> _Look:
        design = self.lab.changed({self.key: half_up(value) if self.whole else value})
        sessions = self.lab.play(count, design=design, seed=seed)
        self.count += count
        measured = Measured.of(sessions, self.measure)
        self.looks[value] = measured
        values = sessions.measure(self.measure)
        height, error = _height(values[~np.isnan(values)], self.target, self.kind == "truth")
        return _Look(value, measured, height, error)

    def _side(self, look: _Look) -> bool:
        return look.height > 0

    def _near(self, low: _Look, high: _Look) -> bool:
        """Return whether the target is so near that a line may be laid between them: it is in doubt on which
        side one of them is, or both are near."""
        if self.whole and high.at - low.at <= 1:
            return True
        doubt = any(abs(one.height) < SURE * one.error for one in (low, high))
        near = 2 * WIDTH if self.kind == "truth" else 8 * max(low.error, high.error)
        return max(abs(low.height), abs(high.height)) <= (2 * near if doubt else near)

    def _between(self, low: _Look, high: _Look) -> float | None:
        """Return where to look next: where a line through both meets the target, kept off the ends."""
        share = (
            low.height / (low.height - high.height)
            if isfinite(low.height - high.height) and low.height != high.height
            else 0.5
        )
        share = min(max(share, 0.1), 0.9)
        middle = low.at + (high.at - low.at) * share
        if self.whole:
            middle = float(half_up(middle))
            if middle in (low.at, high.at):
                middle = float(half_up((low.at + high.at) / 2))
            if middle in (low.at, high.at):
                return None
        if abs(high.at - low.at) <= 1e-6 * max(abs(low.at), abs(high.at), 1e-9):
            return None
        return middle

    def _jumps(self, low: _Look, high: _Look) -> bool:
        narrow = abs(high.at - low.at) <= 1e-3 * (self.high - self.low)
        if self.kind != "truth" or self.whole or not narrow:
            return False
        return abs(high.measured.estimate.value - low.measured.estimate.value) >= JUMP

    # the answer

    def _line(self, low: _Look, high: _Look) -> Solved:
        count = max(self.lab.count, 200)
        place, slope = self._rough(low, high)
        answer = Estimate(place, -inf, inf)
        for _ in range(4):
            reach = WIDTH / abs(slope) if self.kind == "truth" else max(4 * low.error, 1e-12) / abs(slope)
            reach = min(reach, (self.high - self.low) / 2)
            if self.whole:
                reach = max(round(reach), 1)
                place = float(half_up(place))
            points = [min(max(place + step * reach, self.low), self.high) for step in (-1.0, 0.0, 1.0)]
            looks = [self._at(value, count, self._fresh_seed()) for value in dict.fromkeys(points)]
            answer, slope = _fitted(looks)
            if not isfinite(answer.value) or not slope:
                break
            inside = min(points) <= answer.value <= max(points)
            if inside and isfinite(answer.low) and isfinite(answer.high):
                break
            place = min(max(answer.value, self.low), self.high)
            count *= 2
        value = float(half_up(answer.value)) if self.whole and isfinite(answer.value) else answer.value
        if not isfinite(value) or not self.low <= value <= self.high:
            return self._none(f"no line could be laid near {shown(place)}; play more sessions")
        checked = self._at(value, 2 * count, self._fresh_seed()).measured
        answer = Estimate(value, answer.low, answer.high)
        sure = checked.estimate.holds(self.target)
        near = self._told(checked)
        why = "" if sure or self.whole else f"a fresh seed gives {near} there"
        if self.whole and not sure:
            why = f"no whole number meets it; {shown(value)} is nearest, with {near}"
        return self._solved(answer, why, checked)

    def _rough(self, low: _Look, high: _Look) -> tuple[float, float]:
        slope = (high.height - low.height) / (high.at - low.at)
        return low.at - low.height / slope, slope

    def _fresh_seed(self) -> int:
        self.fresh += 1
        return stream_of(self.lab.seed, f"solve/{self.key}/{self.measure}/{self.fresh}") >> 1

    def _told(self, measured: Measured) -> str:
        value = measured.estimate.value
        return percent_said(value) if self.kind == "truth" else short(value)

    def _none(self, why: str, answer: Estimate | None = None) -> Solved:
        return self._solved(answer, why, None)

    def _solved(self, answer: Estimate | None, why: str, confirmed: Measured | None) -> Solved:
        return Solved(
            self.key, self.measure, self.target, self.now, answer, why, self.looks, confirmed, self.count
        )


def _height(values: Floats, target: float, truth: bool) -> tuple[float, float]:
    """Return how far a measure is above its target, with the standard error: of a share in log odds (half a
    hit is added on each side, so that none and all have odds too: J. B. S. Haldane, "The estimation and
    significance of the logarithm of a ratio of frequencies", Annals of Human Genetics 20, 1956)."""
    count = len(values)
    if not truth:
        error = float(values.std(ddof=1)) / sqrt(count) if count > 1 else inf
        return float(values.mean()) - target if count else 0.0, error
    hits = float(values.sum())
    odds = log((hits + 0.5) / (count - hits + 0.5)) - log(target / (1 - target))
    return odds, sqrt(1 / (hits + 0.5) + 1 / (count - hits + 0.5))


def _fitted(looks: list[_Look]) -> tuple[Estimate, float]:
    """Return where a line through some points meets height 0, with its interval, and its slope; each point
    weighs as much as it is known."""
    at = np.array([look.at for look in looks])
    heights = np.array([look.height for look in looks])
    weights = 1 / np.maximum([look.error for look in looks], 1e-12) ** 2
    middle = float(np.average(at, weights=weights))  # where offset and slope do not hang together
    design = np.stack([np.ones_like(at), at - middle], axis=1)
    variance = np.linalg.pinv(design.T @ (design * weights[:, None]))
    offset, slope = variance @ (design.T @ (weights * heights))
    found = fieller(float(offset), float(slope), variance, 0.0)
    return Estimate(found.value + middle, found.low + middle, found.high + middle), float(slope)
