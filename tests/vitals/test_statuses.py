"""Statuses, pulses, tags, death, lives and return."""

from __future__ import annotations

from contextlib import nullcontext
from typing import Any

import pytest

from cleaver import Actor, Design, Event, UnknownNameError, World
from cleaver.dice import draw_at, stream_of
from helpers import crate_world, heard, names
from strategies import general_way

POISON = {"lasts": 3.0, "pulses": [{"every": 0.5, "do": [{"hurt": 2}]}]}


@pytest.mark.parametrize("way", [nullcontext, general_way])
def test_two_damage_every_half_second_for_three_is_twelve(way: Any) -> None:
    with way():
        world, box = crate_world(100, statuses={"ill": POISON}, guard={"armour": 1, "grace": 9})
    events = heard(world, "damaged")
    box.status("ill")
    world.advance(3.5)

    assert box["planks"].value == 88
    assert [event.time for event in events] == [0.5, 1, 1.5, 2, 2.5, 3]
    assert box.hurt(5).dealt == 4  # a pulse gives no grace


@pytest.mark.parametrize(("stack", "lost"), [("refresh", 16), ("extend", 24), ("keep", 12), ("add", 24)])
def test_what_a_second_one_a_second_later_does(stack: str, lost: float) -> None:
    world, box = crate_world(100, statuses={"ill": {**POISON, "stack": stack}})
    box.status("ill")
    world.advance(1)
    again = box.status("ill")
    world.advance(20)

    assert again.blocked == ("no_change" if stack == "keep" else "")
    assert 100 - box["planks"].value == lost


def test_at_most_so_many_stacks_each_running_to_its_own_end() -> None:
    world, box = crate_world(100, statuses={"ill": {**POISON, "stack": "add", "most": 2}})
    box.status("ill")
    world.advance(1)
    assert box.status("ill")
    assert box.status("ill").blocked == "no_change"
    events = heard(world, "status_ended")
    world.advance(9)

    assert [(event.time, event.why) for event in events] == [(3, "over"), (4, "over")]


def test_poison_is_credited_to_who_caused_it_even_after_its_death() -> None:
    attack = {"sting": {"amount": 1, "do": [{"status": "ill"}]}}
    world, box = crate_world(
        5,
        statuses={"ill": POISON},
        crate={"player": True, "vital": "planks", "meters": {"planks": 5}, "attacks": attack},
        actors={"wasp": {"vital": "wings", "meters": {"wings": 9}, "attacks": attack}},
        rules=[{"on": "defeated", "do": [{"score": 50}]}],
    )
    wasp = world.spawn("wasp")
    box.hit(wasp, "sting")
    box.hurt(99)
    world.advance(5)

    died = [event for event in world.events if event.name == "died"]
    assert [(event.actor, event.source) for event in died] == [("box", ""), ("wasp#1", "box")]
    assert box.score == 50


def test_poison_goes_on_being_its_own_after_its_source_was_dismissed() -> None:
    world, box = crate_world(
        20, statuses={"ill": POISON}, actors={"wasp": {"vital": "wings", "meters": {"wings": 9}}}
    )
    wasp = world.spawn("wasp", "buzz")
    box.status("ill", source=wasp)
    world.dismiss(wasp)
    events = heard(world, "damaged")
    world.advance(1)

    assert [event.source for event in events] == ["buzz", "buzz"]


def test_a_status_brings_tags_flows_and_factors_and_takes_them_along() -> None:
    world, box = crate_world(
        100,
        statuses={
            "soaked": {
                "lasts": 2.0,
                "tags": ["wet"],
                "flows": [{"meter": "planks", "rate": -3}],
                "deals": 0.5,
                "through": {"fire": 3},
                "scale": 2,
            }
        },
        guard={"through": {"fire": 0.5}},
        actors={"wasp": {"vital": "wings", "meters": {"wings": 99}}},
    )
    wasp = world.spawn("wasp")
    box.status("soaked")
    events = heard(world, "untagged")

    assert "wet" in box.tags
    assert box.hurt(4, type="fire").explain() == "4 × 2 scale × 1.5 fire = 12"
    assert box.hit(wasp, amount=8).dealt == 4
    world.advance(2)
    assert box["planks"].value == 82
    assert box.tags == ()
    assert names(events) == ["untagged"]
    assert box.hit(wasp, amount=8).dealt == 8


def test_a_smooth_drain_that_empties_at_the_instant_its_status_ends_still_empties() -> None:
    world, box = crate_world(
        {"max": 9, "start": 0.9},
        statuses={"leak": {"lasts": 3.0, "flows": [{"meter": "planks", "rate": -0.3}]}},
    )
    wasp = world.spawn("wasp")
    box.status("leak", source=wasp)
    world.advance(5)

    died = next(event for event in world.events if event.name == "died")
    assert (died.time, died.source) == (3.0, wasp.id)
    assert not box.alive


def test_of_one_instant_steps_come_before_pulses_and_pulses_before_ends() -> None:
    world, box = crate_world(
        {"max": 60, "flows": [{"rate": 4, "every": 0.5}]},
        statuses={"ill": {"lasts": 0.5, "pulses": [{"every": 0.5, "do": [{"hurt": 2}]}]}},
    )
    box.hurt(10)
    box.status("ill")
    start = len(world.events)
    world.advance(0.5)

    assert names(world.events[start:]) == ["healed", "damaged", "status_ended"]


def test_pulses_show_their_progress_and_keep_their_place_when_paused() -> None:
    world, box = crate_world(
        100,
        crate={
            "player": True,
            "vital": "planks",
            "meters": {"planks": 100},
            "pulses": {"haul": {"every": 4.0, "do": [{"score": 6}]}},
        },
    )
    world.advance(3)
    assert box.pulse_progress("haul") == 0.75
    assert box.pause("haul")
    assert box.pause("haul").blocked == "no_change"
    world.advance(10)
    assert box.pulse_progress("haul") == 0.75
    assert box.score == 0
    box.resume("haul")
    world.advance(1)
    assert box.score == 6
    with pytest.raises(UnknownNameError, match="haul"):
        box.pause("hual")


def test_a_tag_set_on_every_frame_is_one_event(world: World, ana: Actor) -> None:
    events = heard(world, "tagged")
    done = [bool(ana.set_tag("submerged", True)) for _ in range(60)]

    assert sum(done) == 1
    assert len(events) == 1
    assert ana.set_tag("submerged", True).blocked == "no_change"


def test_a_tag_that_a_status_and_the_host_both_set_goes_with_the_last() -> None:
    world, box = crate_world(statuses={"soaked": {"lasts": 1.0, "tags": ["wet"]}})
    events = [*heard(world, "tagged")]
    world.listen_own("tagged", events.append)
    world.listen_own("untagged", events.append)
    box.status("soaked")
    box.tag("wet")
    box.untag("wet")
    assert box.tags == ("wet",)
    world.advance(1)

    assert names(events) == ["tagged", "untagged"]


def test_the_dead_are_left_alone_by_everything() -> None:
    world, box = crate_world(
        {"max": 10, "flows": [{"rate": 3}]},
        statuses={"ill": POISON},
        pickups={"glue": {"do": [{"heal": 5}], "waste": True}},
        currencies={"scrip": {}},
        game={"tags": ["wet"]},
    )
    glue = world.place("glue")
    box.status("ill")
    box.hurt(99)
    events_before = len(world.events)

    assert (
        box.heal(5).blocked,
        box.hurt(5).blocked,
        box.drain(5).blocked,
        box.take(glue).blocked,
        box.status("ill").blocked,
        box.tag("wet").blocked,
    ) == ("dead",) * 6
    world.advance(10)
    assert box["planks"].value == 0
    assert box.statuses == ()
    assert len(world.events) == events_before
    assert box.revive(0.5)
    assert box["planks"].value == 5
    assert box.revive().blocked == "alive"


def test_a_death_takes_a_life_then_has_its_own_effects_and_one_return() -> None:
    crate = {
        "player": True,
        "vital": "planks",
        "meters": {"planks": {"max": 10, "marks": {"low": 0.5}}},
        "lives": {"start": 2, "most": 3},
        "respawn": {"after": 2.0, "fraction": 0.4, "grace": 1.5},
        "on_death": [{"spend": "scrip", "amount": 3}],
        "spawn": "shed",
    }
    world, box = crate_world(
        crate=crate, currencies={"scrip": {"start": 10}}, teams={"north": {"spawn": "pier"}}
    )
    mate = world.join("crate", "mate", team="north")
    box.hurt(99)
    mate.hurt(99)
    assert [name for name in names(world.events) if name in ("died", "life_lost", "spent")][:3] == [
        "died",
        "life_lost",
        "spent",
    ]
    assert box.purse["scrip"] == 7
    world.advance(1.999)
    assert not box.alive
    assert box.lives == 1
    world.advance(0.001)
    assert box.alive
    assert box["planks"].value == 4
    assert box.hurt(1).blocked == "grace"
    assert [(event.actor, event.place) for event in world.events if event.name == "respawned"] == [
        ("box", "shed"),
        ("mate", "pier"),
    ]
    assert names(world.events).count("crossed") == 2  # the return raises none
    world.advance(1.5)
    box.hurt(99)
    world.advance(99)
    assert not box.alive
    assert names(world.events)[-3:] == ["life_lost", "out_of_lives", "spent"]
    assert box.lives == 0


def test_reviving_by_hand_before_the_return_is_the_only_return() -> None:
    world, box = crate_world(
        crate={"player": True, "vital": "planks", "meters": {"planks": 10}, "respawn": {"after": 2.0}}
    )
    box.hurt(10)
    world.advance(1)
    box.revive()
    box.hurt(3)
    world.advance(5)

    assert box["planks"].value == 7
    assert names(world.events).count("respawned") == 1


def test_drowning_begins_when_air_is_out_and_ends_at_the_surface(
    world: World, ana: Actor, log: list[Event]
) -> None:
    ana.tag("submerged")
    world.advance(52)

    assert "drowning" in ana.statuses
    assert ana["suit"].value == 80
    ana.untag("submerged")
    assert ana.statuses == ()


def test_a_pulse_may_come_at_the_start_as_well() -> None:
    world, box = crate_world(
        statuses={
            "venom": {"lasts": 2, "pulses": [{"every": 0.5, "at_once": True, "do": [{"hurt": 2}]}]},
            "later": {"lasts": 2, "pulses": [{"every": 0.5, "do": [{"hurt": 2}]}]},
        }
    )
    full = box["planks"].value
    box.status("venom")
    assert box["planks"].value == full  # due at the next advance
    world.advance(0)
    assert box["planks"].value == full - 2
    world.advance(5)
    assert box["planks"].value == full - 5 * 2  # at 0, 0.5, 1, 1.5 and 2 s
    box.status("later")
    world.advance(5)
    assert box["planks"].value == full - 5 * 2 - 4 * 2


def test_a_pulse_that_is_left_to_chance_does_not_always_come() -> None:
    design = Design.from_dict(
        {
            "actors": {
                "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}},
                "winch": {
                    "pulses": {
                        "haul": {
                            "every": 1,
                            "do": [{"earn": "scrip", "amount": 1, "to": "owner", "chance": 0.5}],
                        }
                    }
                },
            },
            "currencies": {"scrip": {}},
            "statuses": {
                "venom": {"lasts": 100, "pulses": [{"every": 1, "do": [{"hurt": 0.1, "chance": 0.5}]}]}
            },
        }
    )
    world = World(design, seed=1)
    ana = world.join("diver", "ana")
    world.spawn("winch", "w", owner=ana)
    ana.status("venom")
    world.advance(100)

    hurts = len([event for event in world.events if event.name == "damaged"])
    key, other = (
        stream_of(1, "statuses.venom.pulses[1].do[1]/ana"),
        stream_of(1, "actors.winch.pulses.haul.do[1]/w"),
    )
    assert hurts == sum(draw_at(key, index) < 0.5 for index in range(100))
    assert ana.purse["scrip"] == sum(draw_at(other, index) < 0.5 for index in range(100))
    assert 30 < hurts < 70
    assert 30 < ana.purse["scrip"] < 70
