"""Meters: bounds, flows, steps, marks, rounding, maxima. The numbers of the rules of play."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import AmountError, UnknownNameError
from cleaver.core import read
from cleaver.core.vitals import course as course_of
from cleaver.core.vitals.meters import cells, percent
from cleaver.literals import Keep
from exact_meters import session
from helpers import crate_world, heard, names


@pytest.mark.parametrize(
    ("fraction", "text"),
    [
        (0.003, "1%"),
        (0.997, "99%"),
        (0.5, "50%"),
        (0.005, "1%"),
        (0.585, "59%"),
        (1 / 3, "33%"),
        (0, "0%"),
        (1, "100%"),
    ],
)
def test_percent_text_is_whole_and_never_claims_empty_or_full(fraction: float, text: str) -> None:
    assert percent(fraction) == text


def test_cells_are_rounded_down_but_one_stays_while_anything_is_left() -> None:
    assert [cells(fraction, 20) for fraction in (0, 0.001, 0.049, 0.05, 0.1, 0.999, 1)] == [
        0,
        1,
        1,
        1,
        2,
        19,
        20,
    ]
    assert cells(0.3, 10) == 3  # 0.3 × 10 is 3, whatever floats say


def test_fractions_of_whole_numbers_are_true_divisions() -> None:
    world, box = crate_world({"max": 3, "start": 1, "whole": True})

    assert box["planks"].fraction == 1 / 3


def test_healing_gives_back_what_is_missing_and_says_so() -> None:
    world, box = crate_world({"max": 90, "start": 76})
    events = heard(world, "healed")

    assert box.heal(25).restored == 14
    assert box["planks"].value == 90
    again = box.heal(25)

    assert again.blocked == "full"
    assert not again
    assert [(event.amount, event.asked, event.before, event.after) for event in events] == [(14, 25, 76, 90)]


@pytest.mark.parametrize("amount", [-5, float("nan"), float("inf"), True, "5", None])
def test_silly_amounts_raise_and_change_nothing(amount: Any) -> None:
    world, box = crate_world({"max": 90, "start": 50})
    before = world.snapshot()

    for verb in (box.heal, box.hurt, box.drain, box["planks"].set, box["planks"].set_max, box.revive):
        with pytest.raises(AmountError):
            verb(amount)
    assert world.snapshot() == before


def test_overfill_lets_healing_go_beyond_but_not_flows() -> None:
    world, box = crate_world({"max": 100, "start": 95, "overfill": 20, "flows": [{"rate": 10}]})

    world.advance(5)
    assert box["planks"].value == 100
    assert box.heal(50).restored == 20
    assert box["planks"].value == 120
    assert box["planks"].fraction == 1
    world.advance(5)
    assert box["planks"].value == 120
    assert box.heal(1).blocked == "full"


def test_setting_by_hand_stays_in_bounds_and_zero_kills() -> None:
    world, box = crate_world(50)

    with pytest.raises(AmountError, match="from 0 to 50"):
        box["planks"].set(51)
    assert box["planks"].set(50).blocked == "no_change"
    assert box["planks"].set(0)
    assert not box.alive
    assert box["planks"].set(20).blocked == "dead"
    assert names(world.events)[-3:] == ["adjusted", "emptied", "died"]


@pytest.mark.parametrize(("keep", "value"), [("value", 60), ("fraction", 90), ("missing", 90)])
def test_a_new_maximum_keeps_what_it_is_told_to(keep: Keep, value: float) -> None:
    world, box = crate_world({"max": 100, "start": 60, "marks": {"half": 0.5}})
    if keep == "fraction":
        box["planks"].set_max(150, keep)
    else:
        box["planks"].set_max(130, keep)

    assert box["planks"].value == value
    assert names(world.events)[1:] == ["adjusted"] * (1 if keep == "value" else 2)


def test_what_is_missing_never_takes_the_last_of_a_meter() -> None:
    _, whole = crate_world({"max": 100, "start": 10, "whole": True})
    _, smooth = crate_world({"max": 100, "start": 10})
    whole["planks"].set_max(50, "missing")
    smooth["planks"].set_max(50, "missing")

    assert (whole["planks"].value, smooth["planks"].value) == (1, 0.5)


def test_a_smaller_maximum_cuts_the_value_without_marks_or_bounds() -> None:
    world, box = crate_world({"max": 100, "marks": {"half": 0.5}})
    box["planks"].set_max(40)

    assert box["planks"].value == 40
    assert [(event.part, event.before, event.after) for event in world.events[1:]] == [
        ("max", 100, 40),
        ("value", 100, 40),
    ]
    with pytest.raises(AmountError, match="greater than 0"):
        box["planks"].set_max(0)
    with pytest.raises(UnknownNameError, match="fraction"):
        box["planks"].set_max(50, "fracton")  # type: ignore[arg-type]


def test_whole_meters_round_each_amount_once_half_away_from_zero() -> None:
    for mode, left in (("half_up", 7), ("down", 8), ("up", 7)):
        _, box = crate_world({"max": 10, "whole": True, "round": mode})
        assert box.hurt(2.5).dealt == 10 - left
        assert box["planks"].value == left
    assert isinstance(box["planks"].value, int)


def test_flows_of_whole_meters_carry_the_fraction() -> None:
    world, box = crate_world({"max": 10, "start": 4, "whole": True, "flows": [{"rate": 0.5}]})
    seen = []
    for _ in range(8):
        world.advance(0.5)
        seen.append(box["planks"].value)

    assert seen == [4, 4, 4, 5, 5, 5, 5, 6]


def test_a_stepped_flow_keeps_its_clock_when_hit_again() -> None:
    world, box = crate_world({"max": 60, "flows": [{"rate": 4, "every": 0.5}]})
    events = heard(world, "healed")
    box.hurt(7)
    world.advance(0.2)
    box.hurt(1)
    world.advance(10)

    assert [(event.time, event.after, event.amount) for event in events] == [
        (0.5, 54, 2),
        (1.0, 56, 2),
        (1.5, 58, 2),
        (2.0, 60, 2),
    ]


def test_the_last_step_is_cut_and_a_stepped_drain_kills() -> None:
    world, box = crate_world({"max": 5, "flows": [{"rate": -2, "every": 1}]})
    world.advance(2.5)

    assert box["planks"].value == 1
    world.advance(0.5)
    assert box["planks"].value == 0
    assert not box.alive
    assert [(event.time, event.amount) for event in world.events if event.name == "drained"] == [
        (1, 2),
        (2, 2),
        (3, 1),
    ]


def test_quiet_after_a_hurt_then_up_to_half() -> None:
    world, box = crate_world({"max": 90, "flows": [{"rate": 5, "after_hurt": 3.0, "until": 0.5}]})
    box.hurt(80)
    world.advance(2)
    box.hurt(1)
    world.advance(3)
    assert box["planks"].value == 9  # the second hurt began the quiet anew
    world.advance(1)
    assert box["planks"].value == 14
    world.advance(100)
    assert box["planks"].value == 45


def test_flows_start_and_stop_with_their_tags() -> None:
    world, box = crate_world(
        {"max": 60, "flows": [{"rate": -1.2, "while": "wet"}, {"rate": 10, "unless": "wet"}]}
    )
    box.tag("wet")
    world.advance(20)
    assert box["planks"].value == 36
    box.untag("wet")
    world.advance(1)
    assert box["planks"].value == 46
    world.advance(5)
    assert box["planks"].value == 60


def test_where_one_flow_stops_and_another_pulls_back_the_meter_stays() -> None:
    world, box = crate_world({"max": 100, "start": 10, "flows": [{"rate": 5, "until": 0.5}, {"rate": -2}]})
    events = heard(world, "emptied")
    world.advance(40 / 3)
    assert box["planks"].value == pytest.approx(50)
    world.advance(1000)
    assert box["planks"].value == 50
    assert not events


def test_bounds_are_reached_at_the_first_microsecond_at_or_after() -> None:
    world, box = crate_world({"max": 100, "start": 90, "flows": [{"rate": 3}]})
    events = heard(world, "filled")
    world.advance(10)

    assert [event.time for event in events] == [3.333334]
    assert box["planks"].value == 100


def test_float_noise_does_not_make_a_bound_late() -> None:
    world, box = crate_world({"max": 1, "start": 0.3, "flows": [{"rate": -0.1}]})
    events = heard(world, "emptied")
    world.advance(3)

    assert [event.time for event in events] == [3.0]
    assert not box.alive


def test_marks_down_at_the_level_up_beyond_it_and_the_value_is_not_bent() -> None:
    world, box = crate_world(
        {
            "max": 100,
            "marks": {"low": 0.25, "half": 0.5},
            "flows": [{"rate": -10, "while": "wet"}, {"rate": 10, "unless": "wet"}],
        }
    )
    events = heard(world, "crossed")
    box.tag("wet")
    world.advance(8)
    assert box["planks"].value == 20
    box.untag("wet")
    world.advance(8)

    assert [(event.mark, event.way, event.time) for event in events] == [
        ("half", "down", 5.0),
        ("low", "down", 7.5),
        ("low", "up", 8.500001),
        ("half", "up", 11.000001),
    ]
    assert box["planks"].value == 100


def test_marks_are_crossed_by_hits_heals_and_hand_alike_each_once() -> None:
    world, box = crate_world({"max": 100, "marks": {"low": 0.25}})
    events = heard(world, "crossed")
    box.hurt(75)
    box.hurt(1)
    box.heal(1)
    assert [event.way for event in events] == ["down"]  # at the mark counts as below
    box.heal(1)
    box["planks"].set(10)
    box.drain(5)

    assert [event.way for event in events] == ["down", "up", "down"]


def test_marks_of_whole_meters_are_crossed_when_the_shown_number_does() -> None:
    world, box = crate_world(
        {"max": 90, "start": 24, "whole": True, "marks": {"low": 0.25}, "flows": [{"rate": -1}]}
    )
    events = heard(world, "crossed")
    world.advance(1.5)
    assert not events
    assert box["planks"].value == 23
    world.advance(0.5)
    assert [(event.time, event.way) for event in events] == [(2.0, "down")]
    assert box["planks"].value == 22


def test_a_meter_that_does_not_flow_is_never_due() -> None:
    world, box = crate_world({"max": 60, "flows": [{"rate": 4}]})
    assert read.parts(world).stage.clock.first() == -1
    box.hurt(7)
    world.advance(5)
    assert read.parts(world).stage.clock.first() == -1


@given(
    st.floats(0, 100),
    st.lists(st.tuples(st.floats(-20, 20), st.floats(0, 100)), max_size=4),
    st.lists(st.integers(0, 10**7), max_size=6),
)
def test_reading_in_between_never_changes_where_a_course_leads(
    value: float, raw: list[tuple[float, float]], cuts: list[int]
) -> None:
    course = tuple((rate, limit) for rate, limit in raw if abs(rate) > 1e-3)
    reached = [course_of.at(value, course, cut) for cut in sorted(cuts)]
    rising = sorted(reached)

    assert reached in (rising, rising[::-1])  # one way only
    assert all(min(value, 0) <= found <= 100 for found in reached)


@given(st.floats(1, 99), st.floats(0.01, 50), st.booleans())
def test_moments_and_values_agree(value: float, rate: float, up: bool) -> None:
    course = ((rate, 100.0),) if up else ((-rate, 0.0),)
    levels = (25.0, 50.0, 75.0)
    above = sum(1 << number for number, level in enumerate(levels) if value > level)
    for moment, what in course_of.moments(value, course, 100.0, levels, above, None):
        target = levels[what] if what >= 0 else 100.0 if up else 0.0
        early, late = course_of.at(value, course, max(moment - 2, 0)), course_of.at(value, course, moment + 1)
        if up:
            assert early <= target + 1e-6
            assert late >= target - 1e-6
        else:
            assert early >= target - 1e-6
            assert late <= target + 1e-6


@pytest.mark.parametrize("seed", range(60))
def test_smooth_and_stepped_flows_together_are_as_exact_fractions_give_them(seed: int) -> None:
    assert session(seed) == ""
