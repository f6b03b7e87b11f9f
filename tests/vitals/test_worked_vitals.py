"""Worked numbers of hits, meters, flows, deaths and who gets the credit: each is a case in which an earlier
version was wrong."""

from __future__ import annotations

from contextlib import nullcontext
from typing import Any

import pytest

from cleaver import GoneError, UnknownNameError, World
from cleaver.core import read
from cleaver.hud import Bar
from helpers import crate_world, heard, names
from strategies import general_way


def biting(bite: float, meter: dict[str, Any], **more: Any) -> tuple[World, Any, Any]:
    """A crate of 60 and a wasp that takes so much with each sting."""
    world, box = crate_world(
        {"max": 60, **meter},
        actors={
            "wasp": {
                "vital": "wings",
                "meters": {"wings": 10},
                "attacks": {"sting": {"amount": bite}, **more},
            }
        },
    )
    return world, box, world.spawn("wasp")


def test_one_attack_does_not_disturb_the_steps_of_a_flow() -> None:
    world, box, wasp = biting(7, {"flows": [{"rate": 4, "every": 0.5}]})
    wasp.hit(box, "sting")
    found = []
    for _ in range(4):
        world.advance(0.5)
        found.append(box["planks"].value)
    assert found == [55, 57, 59, 60]


def test_bites_race_a_stepped_flow_to_its_death() -> None:
    world, box, wasp = biting(6, {"flows": [{"rate": 3, "every": 1}]})
    found = []
    for _ in range(8):
        wasp.hit(box, "sting")
        found.append(box["planks"].value)
        world.advance(0.8)
    assert found == [54, 48, 45, 42, 39, 36, 30, 27]
    while box.alive:
        wasp.hit(box, "sting")
        if box.alive:
            world.advance(0.8)
    assert world.now == pytest.approx(12.0)


def test_a_smooth_flow_beside_a_stepped_one_keeps_its_clock_under_fire() -> None:
    world, box, wasp = biting(10, {"flows": [{"rate": 1}, {"rate": 4, "every": 0.5}]})
    wasp.hit(box, "sting")
    world.advance(0.25)
    wasp.hit(box, "sting")  # 60 − 10 + 0.25 − 10
    world.advance(0.25)  # + 0.25, and the first step of 2
    assert box["planks"].value == 42.5


@pytest.mark.parametrize("listening", [False, True])
def test_a_mark_crossed_by_a_slow_flow_and_again_by_a_hit_is_told_both_ways(listening: bool) -> None:
    world, box = crate_world(
        {"max": 100_000, "start": 49_999, "marks": {"half": 0.5}, "flows": [{"rate": 1}]},
        actors={"wasp": {"vital": "wings", "meters": {"wings": 10}, "attacks": {"sting": {"amount": 5}}}},
    )
    wasp, crossed = world.spawn("wasp"), heard(world, "crossed")
    if listening:
        world.listen("crossed", lambda event: wasp.hit(box, "sting") if event.way == "up" else None)
    world.advance(microseconds=1_000_001)
    if not listening:
        wasp.hit(box, "sting")
    assert [event.way for event in crossed] == ["up", "down"]


def test_events_are_the_same_whatever_way_a_hit_takes() -> None:
    told = []
    for listens in (False, True):
        world, box, wasp = biting(70, {})
        if listens:
            world.listen("damaged", lambda event: None)
        wasp.hit(box, "sting")
        told.append([repr(event.plain()) for event in world.events])
    with general_way():
        world, box, wasp = biting(70, {})
    wasp.hit(box, "sting")
    assert told[0] == told[1] == [repr(event.plain()) for event in world.events]


def test_what_waits_is_delivered_after_a_hit_in_a_listener_too() -> None:
    world, box, wasp = biting(5, {"start": 50})
    seen: list[str] = []

    def answer(event: Any) -> None:
        box.heal(1)
        wasp.hit(box, "sting")

    for name in ("damaged", "healed"):
        world.listen(name, lambda event: seen.append(event.name))
    world.listen("departed", answer)
    world.dismiss(world.spawn("wasp"))
    assert seen == ["healed", "damaged"]
    assert not read.parts(world).stage.queue


def test_where_one_flow_stops_at_a_mark_and_another_pulls_back_time_goes_on() -> None:
    world, box = crate_world(
        {"max": 60, "marks": {"half": 0.5}, "flows": [{"rate": -4, "until": 0.5}, {"rate": -1}]}
    )
    crossed = heard(world, "crossed")
    world.advance(6)
    assert box["planks"].value == 30
    world.advance(4)
    assert box["planks"].value == 26
    assert len(crossed) == 1


def test_decimal_noise_decides_nothing() -> None:
    world, box = crate_world(1)
    for _ in range(10):
        box.hurt(0.1)
    assert not box.alive

    world, box = crate_world({"max": 1, "start": 0.3})
    full = heard(world, "filled")
    for _ in range(7):
        box.heal(0.1)
    assert box["planks"].value == 1
    assert len(full) == 1

    world, box = crate_world({"max": 100, "whole": True}, guard={"through": {"cut": 0.7}})
    assert (
        box.hurt(45, type="cut").dealt == 32
    )  # 31.5, half away from zero; 31.499999999999996 as floats multiply

    world, box = crate_world({"max": 200, "start": 57})
    assert box["planks"].percent == "29%"

    world, box = crate_world({"max": 2_000_000_000, "start": 1_999_999_998})
    assert box.heal(1).restored == 1
    assert box["planks"].value == 1_999_999_999


def test_a_new_maximum_by_fraction_never_goes_beyond_and_never_takes_the_last() -> None:
    _, box = crate_world({"max": 10, "overfill": 5})
    box.heal(5)
    box["planks"].set_max(30, "fraction")
    assert box["planks"].value <= 35

    _, box = crate_world({"max": 100, "whole": True, "start": 1})
    box["planks"].set_max(10, "fraction")
    assert box["planks"].value == 1
    assert box.alive


def test_a_whole_meter_goes_by_the_number_it_shows() -> None:
    world, box = crate_world({"max": 10, "whole": True, "marks": {"low": 0.5}, "flows": [{"rate": -0.5}]})
    crossed, when = heard(world, "crossed"), []
    world.listen("crossed", lambda event: when.append(world.now))
    world.advance(20)
    assert len(crossed) == 1
    assert when == [10.0]

    world, box = crate_world(
        {"max": 10, "whole": True, "flows": [{"rate": 0.5}]},
        actors={"wasp": {"vital": "wings", "meters": {"wings": 10}}},
    )
    full = heard(world, "filled")
    world.advance(5)
    assert not full  # it never stopped showing its bound


def test_a_whole_shield_takes_a_fraction_whole_and_loses_it_rounded_up() -> None:
    world, box = crate_world(
        {"max": 20},
        crate={
            "meters": {
                "planks": {"max": 20},
                "tar": {"max": 6, "start": 3, "whole": True, "shields": "planks"},
            }
        },
    )
    result = box.hurt(1.5)
    assert (result.absorbed, result.dealt, box["tar"].value, box["planks"].value) == (1.5, 0, 1, 20)


def test_the_inputs_of_a_hit_reach_all_that_follows_from_it_at_once() -> None:
    world, box = crate_world(
        60,
        inputs={"charge": 1},
        events={"seen": {"fields": {"much": "number"}}},
        crate={"on_death": [{"announce": "seen", "much": "charge"}]},
        rules=[{"on": "damaged", "do": [{"announce": "seen", "much": "charge * 10"}]}],
        actors={
            "wasp": {
                "vital": "wings",
                "meters": {"wings": 10},
                "attacks": {
                    "sting": {"amount": "10 * charge", "do": [{"drain": "charge", "to": "target"}]},
                    "end": {"amount": 90},
                },
            }
        },
    )
    wasp, seen = world.spawn("wasp"), heard(world, "seen")
    wasp.hit(box, "sting", charge=0.5)
    assert box["planks"].value == 60 - 5 - 0.5
    assert [event.much for event in seen] == [5]
    wasp.hit(box, "end", charge=0.25)
    assert [event.much for event in seen] == [5, 2.5, 0.25]
    box.revive()
    wasp.hit(box, "sting")
    assert seen[-1].much == 10  # without inputs, the design's


def test_only_a_flow_at_work_gets_the_credit_for_what_it_empties() -> None:
    leak = {"lasts": 99, "flows": [{"meter": "planks", "rate": -2, "while": "wet"}]}
    for wet, credit in ((False, ""), (True, "wasp#1")):
        world, box = crate_world(
            {"max": 10, "flows": [{"rate": -1}]}, statuses={"leak": leak}, game={"tags": ["wet"]}
        )
        wasp, died = world.spawn("wasp"), heard(world, "died")
        box.status("leak", source=wasp)
        box.set_tag("wet", wet)
        world.advance(10)
        assert [event.source for event in died] == [credit]


def test_a_refresh_that_prolongs_nothing_changes_nothing() -> None:
    world, box = crate_world(60, statuses={"ill": {"lasts": 2}})
    assert box.status("ill")
    before = world.snapshot()
    assert box.status("ill").blocked == "no_change"
    assert box.status("ill", lasts=1).blocked == "no_change"
    assert world.snapshot() == before
    world.advance(1)
    assert box.status("ill")


def test_a_death_goes_in_its_order_and_a_revive_among_its_effects_is_the_only_return() -> None:
    world, box = crate_world(
        10,
        crate={"lives": {"start": 2}, "respawn": {"after": 1}, "on_death": [{"revive": 0.5}]},
        statuses={"ill": {"lasts": 9}},
    )
    box.status("ill")
    box.hurt(99)
    assert names(world.events)[-5:] == ["emptied", "died", "status_ended", "life_lost", "respawned"]
    assert box.alive
    assert box["planks"].value == 5
    assert box.lives == 1
    world.advance(5)
    assert names(world.events).count("respawned") == 1
    box.hurt(99)
    assert not box.alive
    assert box.lives == 0
    assert names(world.events)[-1] == "out_of_lives"
    world.advance(5)
    assert not box.alive


def test_an_effect_on_a_meter_that_is_not_there_does_nothing() -> None:
    world, box = crate_world(
        20,
        crate={"meters": {"planks": 20, "air": 9}},
        statuses={
            "choke": {
                "lasts": 3,
                "pulses": [{"every": 1, "do": [{"drain": 1, "meter": "air"}]}],
                "flows": [{"meter": "air", "rate": -1}],
            }
        },
    )
    wasp = world.spawn("wasp")
    wasp.status("choke")
    box.status("choke")
    world.advance(2)
    assert box["air"].value == 5
    assert wasp["wings"].value == 10
    with pytest.raises(UnknownNameError):
        wasp.drain(1, "air")


def test_listeners_of_a_kind_follow_the_kind_one_has_now() -> None:
    world, box = crate_world(
        20,
        actors={
            "boat": {"player": True, "vital": "hull", "meters": {"hull": 30}},
            "wasp": {"vital": "wings", "meters": {"wings": 10}},
        },
    )
    crates: list[Any] = []
    boats: list[Any] = []
    world.listen("damaged", crates.append, kind="crate")
    world.listen("damaged", boats.append, kind="boat")
    box.hurt(1)
    world.leave(box)
    world.join("boat", "box").hurt(1)
    assert (len(crates), len(boats)) == (1, 1)


@pytest.mark.parametrize(
    ("value", "most", "text"),
    [
        (89.96, 90, "89.9/90"),
        (0.04, 90, "0.1/90"),
        (90, 90, "90/90"),
        (0, 90, "0/90"),
        (12.5, 90, "12.5/90"),
        (89.9999, 90, "89.9/90"),
    ],
)
def test_a_bar_never_reads_full_or_empty_while_it_is_not(value: float, most: float, text: str) -> None:
    _, box = crate_world({"max": most})
    box["planks"].set(value)
    assert Bar(box, "planks").numbers == text


def test_those_who_are_gone_are_forgotten_and_their_names_may_be_given_again() -> None:
    world, box = crate_world(
        60,
        actors={
            "wasp": {
                "vital": "wings",
                "meters": {"wings": 10},
                "attacks": {"sting": {"amount": 1, "cooldown": 99, "crit": {"chance": 0.5}}},
            }
        },
    )
    wasp = world.spawn("wasp", "buzz")
    wasp.hit(box, "sting")
    world.dismiss(wasp)
    again = world.spawn("wasp", "buzz")
    assert again.hit(box, "sting")  # the cooldown was the other's
    with pytest.raises(GoneError):
        wasp.alive  # noqa: B018  # reading is what is tried
    world.dismiss(again)
    assert "buzz" not in str(world.snapshot()["actors"]) + str(world.snapshot()["dice"])


@pytest.mark.parametrize("way", [nullcontext, general_way])
def test_contact_on_every_frame_hurts_once_a_grace(way: Any) -> None:
    with way():
        world, box = crate_world(
            60,
            guard={"grace": 0.5},
            actors={"wasp": {"vital": "wings", "meters": {"wings": 10}, "attacks": {"sting": {"amount": 6}}}},
        )
    wasp, found = world.spawn("wasp"), []
    for _ in range(12):
        found.append(wasp.hit(box, "sting").blocked)
        world.advance(0.1)
    assert [index for index, blocked in enumerate(found) if not blocked] == [0, 5, 10]
    assert set(found) == {"", "grace"}


def test_a_sting_that_a_shield_takes_whole_brings_no_venom() -> None:
    world, box = crate_world(
        20,
        crate={"meters": {"planks": 20, "tar": {"max": 6, "shields": "planks"}}},
        statuses={"venom": {"lasts": 3}},
        actors={
            "wasp": {
                "vital": "wings",
                "meters": {"wings": 10},
                "attacks": {"sting": {"amount": 4, "do": [{"status": "venom"}]}},
            }
        },
    )
    wasp = world.spawn("wasp")
    found = []
    for _ in range(2):
        result = wasp.hit(box, "sting")
        found.append((result.absorbed, result.dealt, "venom" in box.statuses))
    assert found == [(4, 0, False), (2, 2, True)]


def test_a_mark_counts_as_reached_whatever_the_decimals_say() -> None:
    world, box = crate_world({"max": 1, "marks": {"low": 0.3}})
    crossed = heard(world, "crossed")
    for _ in range(7):
        box.drain(0.1)  # 0.3 and some decimal noise are left
    assert [event.way for event in crossed] == ["down"]
    box.heal(0.0)
    assert len(crossed) == 1


def test_a_death_ends_the_cooldowns_of_who_died() -> None:
    world, box = crate_world(
        60,
        actors={
            "wasp": {
                "vital": "wings",
                "meters": {"wings": 10},
                "attacks": {"sting": {"amount": 1, "cooldown": 9}},
            }
        },
    )
    wasp = world.spawn("wasp")
    assert wasp.hit(box, "sting")
    assert wasp.hit(box, "sting").blocked == "cooldown"
    wasp["wings"].set(0)
    wasp.revive()
    assert wasp.hit(box, "sting")


def test_what_a_whole_meter_carries_is_kept_through_a_healing() -> None:
    world, box = crate_world({"max": 100, "whole": True, "start": 10, "flows": [{"rate": 0.5}]})
    world.advance(1)
    box.heal(5)
    box.hurt(2)
    world.advance(1)  # the second half of the first point
    assert box["planks"].value == 14


def test_an_earlier_hurt_keeps_nobody_quiet_who_is_loaded_alive() -> None:
    world, box = crate_world({"max": 20, "start": 10, "saved": True, "flows": [{"rate": 2, "after_hurt": 1}]})
    kept = world.profile(box)
    box.hurt(99)
    world.load(box, kept)
    world.advance(0.5)
    assert box["planks"].value == 11


def test_what_was_raised_is_raised_once_however_often_it_is_loaded() -> None:
    world, box = crate_world({"max": 100, "saved": True})
    box["planks"].set_max(120)
    kept = world.profile(box)
    for _ in range(3):
        world.load(box, kept)
    assert (box["planks"].max, box["planks"].value) == (120, 100)


def test_extending_ends_at_its_most() -> None:
    world, box = crate_world(60, statuses={"ill": {"lasts": 1, "stack": "extend", "most": 2}})
    for _ in range(5):
        box.status("ill")
    found = []
    for _ in range(2):
        world.advance(1)
        found.append(len(box.statuses))
    assert found == [1, 0]


def test_who_was_revived_and_dies_again_waits_for_the_whole_return() -> None:
    world, box = crate_world(10, crate={"respawn": {"after": 2}})
    returns: list[float] = []
    world.listen("respawned", lambda event: returns.append(world.now))
    box.hurt(99)
    world.advance(1)
    box.revive()
    world.advance(0.5)
    box.hurt(99)
    world.advance(9)
    assert returns == [1.0, 3.5]


def test_who_comes_back_is_no_longer_quiet_from_the_hurt_that_killed() -> None:
    world, box = crate_world({"max": 20, "start": 10, "flows": [{"rate": 2, "after_hurt": 5}]})
    box.hurt(99)
    box.revive()
    world.advance(1)
    assert box["planks"].value == 12


@pytest.mark.parametrize("armour", [0, 0.0])
def test_a_whole_amount_stays_whole_whatever_way_a_hit_takes(armour: float) -> None:
    told = []
    for way in (nullcontext, general_way):
        with way():
            wasp_kind = {"vital": "wings", "meters": {"wings": 10}, "attacks": {"sting": {"amount": 3}}}
            world, box = crate_world(10, guard={"armour": armour}, actors={"wasp": wasp_kind})
        told.append(repr(world.spawn("wasp").hit(box, "sting").dealt))
    assert told == ["3", "3"]
