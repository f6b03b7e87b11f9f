"""Intervals: worked numbers, and that they cover what they say."""

from __future__ import annotations

from math import inf, isnan, nan

import numpy as np
import pytest

from cleaver.lab.statistics import (
    Estimate,
    fieller,
    mean,
    paired_mean,
    paired_share,
    quantile,
    share,
    survival,
)

TIMES = 400
"""Samples of which an interval must cover the truth in at least 92 of 100."""


def test_a_share_has_wilsons_interval() -> None:
    found = share(40, 100)

    assert found.value == 0.4
    assert found.low == pytest.approx(0.3094, abs=1e-4)
    assert found.high == pytest.approx(0.4980, abs=1e-4)
    assert share(0, 10).low == 0
    assert share(0, 10).high == pytest.approx(0.2775, abs=1e-4)
    assert share(0, 0)[1:] == (0.0, 1.0)


def test_a_mean_has_students_interval() -> None:
    found = mean(np.array([1.0, 2.0, 3.0, 4.0, nan]))

    assert found.value == 2.5
    assert found.high - found.value == pytest.approx(3.182446 * 1.290994 / 2, abs=1e-5)
    assert mean(np.array([3.0])) == (3.0, -inf, inf)
    assert isnan(mean(np.array([])).value)


def test_a_quantile_lies_between_two_order_statistics() -> None:
    found = quantile(np.arange(1.0, 101.0), 0.5)

    assert (found.value, found.low, found.high) == (50.0, 40.0, 61.0)


def test_kaplan_and_meier_by_hand() -> None:
    # 5 sessions: reached at 1, 2 and 4; one ended at 3 without, one at 5.
    found = survival(np.array([1.0, 2.0, nan, 4.0, nan]), np.array([9.0, 9.0, 3.0, 9.0, 5.0]))

    assert [found.at(time) for time in (0.5, 1, 2, 3, 4, 5)] == pytest.approx([1, 0.8, 0.6, 0.6, 0.3, 0.3])
    assert (found.reached, found.total) == (3, 5)
    assert found.quantile(0.5).value == 4.0
    assert found.quantile(0.9).value == inf
    assert survival(np.array([nan]), np.array([9.0])).reached == 0


def test_pairs_of_which_few_differ_have_no_interval() -> None:
    before, after = np.zeros(400), np.zeros(400)
    assert paired_share(before, after)[1:] == (0, 400, "no session differs")
    after[:10] = 1

    found = paired_share(before, after)

    assert found.estimate.value == 10 / 400
    assert isnan(found.estimate.low)
    assert found.note == "only 10 sessions differ"
    assert paired_mean(before, after).note == "only 10 sessions differ"


def test_bonett_and_prices_interval_by_hand() -> None:
    before, after = np.zeros(100), np.zeros(100)
    before[:15] = 1  # 15 lost, 45 gained
    after[15:60] = 1

    found = paired_share(before, after)

    assert found.estimate.value == pytest.approx(0.3)
    one, two = 46 / 102, 16 / 102
    reach = 1.959964 * ((one + two - (one - two) ** 2) / 102) ** 0.5
    assert found.estimate.low == pytest.approx(one - two - reach, abs=1e-6)
    assert found.estimate.high == pytest.approx(one - two + reach, abs=1e-6)


def test_fiellers_interval_by_hand() -> None:
    # A line 2 − x: it meets 0 at 2; with variance 0.01 of its height and nothing else the reach is 1.96 × 0.1.
    found = fieller(2.0, -1.0, np.array([[0.01, 0.0], [0.0, 0.0]]), 0.0)

    assert found.value == 2.0
    assert (found.low, found.high) == pytest.approx((2 - 0.195996, 2 + 0.195996), abs=1e-6)
    assert fieller(2.0, -1.0, np.array([[0.01, 0.0], [0.0, 1.0]]), 0.0)[1:] == (-inf, inf)


def covers(make: object, truth: float) -> float:
    """Return in what share of samples an interval covers the truth."""
    hits = 0
    for seed in range(TIMES):
        found: Estimate = make(np.random.default_rng(seed))  # type: ignore[operator]
        hits += found.low <= truth <= found.high
    return hits / TIMES


@pytest.mark.parametrize(
    ("make", "truth"),
    [
        (lambda dice: share(int(dice.binomial(80, 0.3)), 80), 0.3),
        (lambda dice: share(int(dice.binomial(200, 0.04)), 200), 0.04),
        (lambda dice: mean(dice.normal(5, 3, 40)), 5.0),
        (lambda dice: mean(dice.exponential(2, 200)), 2.0),
        (lambda dice: quantile(dice.exponential(1, 120), 0.5), 0.6931472),
        (lambda dice: quantile(dice.normal(0, 1, 150), 0.9), 1.2815516),
        (
            lambda dice: (
                paired_mean(
                    *(lambda one: (one, one + dice.normal(0.5, 2, 100)))(dice.normal(0, 9, 100))
                ).estimate
            ),
            0.5,
        ),
        (
            lambda dice: (
                paired_share(
                    *(lambda one: ((one < 0.4) * 1.0, ((one + dice.uniform(-0.2, 0.2, 500)) < 0.5) * 1.0))(
                        dice.uniform(0.2, 0.8, 500)
                    )
                ).estimate
            ),
            1 / 6,
        ),
        (lambda dice: _half(dice), 20 * 0.6931472),
    ],
    ids=[
        "share",
        "rare share",
        "mean",
        "skewed mean",
        "median",
        "90 %",
        "paired mean",
        "paired share",
        "half by",
    ],
)
def test_intervals_cover_what_they_say(make: object, truth: float) -> None:
    assert 0.92 <= covers(make, truth) <= 1.0


def _half(dice: np.random.Generator) -> Estimate:
    """Return by when half have reached something that takes 20 s on average, in sessions of up to 60 s."""
    times = dice.exponential(20, 150)
    ends = dice.uniform(20, 60, 150)
    return survival(np.where(times <= ends, times, nan), ends).quantile(0.5)


def test_a_line_through_points_covers_its_root() -> None:
    def root(dice: np.random.Generator) -> Estimate:
        at = np.array([1.0, 2.0, 3.0])
        heights = 2.5 - at + dice.normal(0, 0.2, 3)  # which meets 0 at 2.5
        middle = 2.0
        rows = np.stack([np.ones(3), at - middle], axis=1)
        variance = np.linalg.inv(rows.T @ rows / 0.04)
        offset, slope = variance @ (rows.T @ heights / 0.04)
        found = fieller(float(offset), float(slope), np.asarray(variance, dtype=np.float64), 0.0)
        return Estimate(found.value + middle, found.low + middle, found.high + middle)

    assert 0.92 <= covers(root, 2.5) <= 1.0
