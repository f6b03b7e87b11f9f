"""Statistics: intervals for what many sessions came to. All are two-sided, at 95 % unless said otherwise.

SciPy does the work where it has the method; the published source of each stands in its docstring. Start at
`share`.
"""

from __future__ import annotations

import warnings
from math import inf, nan, sqrt
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import stats

Floats = NDArray[np.float64]
LEVEL = 0.95
FEW = 50  # pairs that differ: below it an interval of their difference would say more than is known


class Estimate(NamedTuple):
    """A value with its interval; nan where nothing can be said."""

    value: float
    low: float
    high: float

    def holds(self, value: float) -> bool:
        """Return whether a value is within the interval."""
        return self.low <= value <= self.high


def share(hits: int, count: int, level: float = LEVEL) -> Estimate:
    """Return a share with Wilson's interval (E. B. Wilson, "Probable inference, the law of succession, and
    statistical inference", JASA 22, 1927)."""
    if not count:
        return Estimate(nan, 0.0, 1.0)
    found = stats.binomtest(hits, count).proportion_ci(confidence_level=level, method="wilson")
    return Estimate(hits / count, float(found.low), float(found.high))


def mean(values: Floats, level: float = LEVEL) -> Estimate:
    """Return a mean with Student's interval; without an interval for fewer than two values."""
    values = values[~np.isnan(values)]
    if not len(values):
        return Estimate(nan, nan, nan)
    middle = float(values.mean())
    if len(values) < 2:
        return Estimate(middle, -inf, inf)
    spread = float(values.std(ddof=1)) / sqrt(len(values))
    reach = float(stats.t.ppf((1 + level) / 2, len(values) - 1)) * spread
    return Estimate(middle, middle - reach, middle + reach)


def quantile(values: Floats, at: float, level: float = LEVEL) -> Estimate:
    """Return a quantile with the interval between two order statistics, which needs no shape of the
    distribution (W. J. Conover, "Practical Nonparametric Statistics", 3rd edition, 1999, section 3.2)."""
    values = values[~np.isnan(values)]
    if not len(values):
        return Estimate(nan, nan, nan)
    middle = float(np.quantile(values, at, method="inverted_cdf"))
    test = stats.quantile_test(values, q=middle, p=at)
    found = test.confidence_interval(confidence_level=level)
    low, high = float(found.low), float(found.high)
    return Estimate(middle, -inf if np.isnan(low) else low, inf if np.isnan(high) else high)


class Survival(NamedTuple):
    """How many have not been reached by a time yet: at each time the share, and its interval."""

    times: Floats
    share: Floats
    low: Floats
    high: Floats
    reached: int
    total: int

    def at(self, time: float) -> float:
        """Return the share that has not been reached by a time."""
        before = np.searchsorted(self.times, time, side="right")
        return float(self.share[before - 1]) if before else 1.0

    def quantile(self, reached: float) -> Estimate:
        """Return the time by which a share of all has been reached, inf where it never was; the interval is
        read off the curve's own (R. Brookmeyer and J. Crowley, "A confidence interval for the median survival
        time", Biometrics 38, 1982)."""
        left = 1 - reached

        def first(curve: Floats) -> float:
            below = np.flatnonzero(curve <= left + 1e-12)
            return float(self.times[below[0]]) if len(below) else inf

        return Estimate(first(self.share), first(self.low), first(self.high))


def survival(times: Floats, ends: Floats, level: float = LEVEL) -> Survival:
    """Return how many have not been reached by each time (E. L. Kaplan and P. Meier, "Nonparametric
    estimation from incomplete observations", JASA 53, 1958; interval by Greenwood's formula, log-log).

    Args:
        times: When it was, nan where a session ended before (n).
        ends: How long each session was (n): until then it had not been.
        level: Of the interval.
    """
    seen = ~np.isnan(times)
    count = len(times)
    if not seen.any():
        none = np.array([], dtype=float)
        return Survival(none, none, none, none, 0, count)
    data = stats.CensoredData(uncensored=times[seen], right=ends[~seen])
    curve = stats.ecdf(data).sf
    with warnings.catch_warnings():  # SciPy warns of what is mended below
        warnings.simplefilter("ignore", RuntimeWarning)
        between = curve.confidence_interval(confidence_level=level, method="log-log")
    low, high = between.low.probabilities, between.high.probabilities
    # Where all or none are left the formula divides by zero: the share itself stands there.
    low = np.where(np.isnan(low), curve.probabilities, low)
    high = np.where(np.isnan(high), curve.probabilities, high)
    return Survival(curve.quantiles, curve.probabilities, low, high, int(seen.sum()), count)


class Difference(NamedTuple):
    """How two designs differ in one measure under the same luck: the estimate (nan bounds where too little
    differs), how many pairs differ, of how many, and why there is no interval."""

    estimate: Estimate
    differ: int
    total: int
    note: str = ""


def paired_mean(before: Floats, after: Floats, level: float = LEVEL) -> Difference:
    """Return the mean of the differences of pairs, with Student's interval."""
    both = ~(np.isnan(before) | np.isnan(after))
    steps = after[both] - before[both]
    differ = int(np.count_nonzero(steps))
    if not differ:
        return Difference(Estimate(0.0 if len(steps) else nan, nan, nan), 0, len(steps), "no session differs")
    if differ < FEW:
        return Difference(
            Estimate(float(steps.mean()), nan, nan), differ, len(steps), f"only {differ} sessions differ"
        )
    return Difference(mean(steps, level), differ, len(steps))


def paired_share(before: Floats, after: Floats, level: float = LEVEL) -> Difference:
    """Return the difference of two shares of the same sessions, with the adjusted Wald interval of D. G.
    Bonett and R. M. Price ("Adjusted Wald confidence interval for a difference of binomial proportions based
    on paired data", Journal of Educational and Behavioral Statistics 37, 2012)."""
    count = len(before)
    gained = int(np.count_nonzero((after > 0) & (before == 0)))
    lost = int(np.count_nonzero((after == 0) & (before > 0)))
    step = (gained - lost) / count if count else nan
    differ = gained + lost
    if not differ:
        return Difference(Estimate(step, nan, nan), 0, count, "no session differs")
    if differ < FEW:
        return Difference(Estimate(step, nan, nan), differ, count, f"only {differ} sessions differ")
    one, two = (gained + 1) / (count + 2), (lost + 1) / (count + 2)
    reach = float(stats.norm.ppf((1 + level) / 2)) * sqrt((one + two - (one - two) ** 2) / (count + 2))
    middle = one - two
    return Difference(Estimate(step, max(middle - reach, -1.0), min(middle + reach, 1.0)), differ, count)


def fieller(
    offset: float, slope: float, variance: Floats, target: float, level: float = LEVEL, count: int = 0
) -> Estimate:
    """Return where a straight line reaches a height, with Fieller's interval (E. C. Fieller, "Some problems
    in interval estimation", Journal of the Royal Statistical Society B 16, 1954).

    Args:
        offset: The line's height at 0.
        slope: How much it rises for 1.
        variance: The variances and covariance of the two (2 × 2).
        target: The height.
        level: Of the interval.
        count: How many observations the line was laid through beyond two; 0 for many.

    Returns:
        The place; from -inf to inf where the slope may be 0.
    """
    place = (target - offset) / slope if slope else nan
    z = float(stats.t.ppf((1 + level) / 2, count) if count > 0 else stats.norm.ppf((1 + level) / 2))
    v11, v12, v22 = float(variance[0][0]), float(variance[0][1]), float(variance[1][1])
    g = z * z * v22 / (slope * slope) if slope else inf
    if g >= 1:
        return Estimate(place, -inf, inf)
    a = slope * slope - z * z * v22
    b = -2 * ((target - offset) * slope + z * z * v12)
    c = (target - offset) ** 2 - z * z * v11
    root = sqrt(max(b * b - 4 * a * c, 0.0))
    return Estimate(place, (-b - root) / (2 * a), (-b + root) / (2 * a))
