"""Events: listeners, rules, causes, and what happens when one of them fails."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import pytest

from cleaver import (
    Actor,
    BusyError,
    Design,
    Event,
    GoneError,
    Listening,
    ReactionError,
    RunawayRulesError,
    UnknownNameError,
    UsageError,
    World,
)
from cleaver.core import read
from helpers import crate_world, heard, names


def test_nobody_listening_is_normal() -> None:
    world, box = crate_world()

    assert box.hurt(5).dealt == 5


def test_the_same_listener_is_called_once_and_adding_never_replaces(world: World, ana: Actor) -> None:
    calls: list[str] = []

    def first(event: Event) -> None:
        calls.append("first")

    world.listen_own("damaged", first)
    world.listen("damaged", lambda event: calls.append("second"))
    world.listen_own("damaged", first)
    world.listen_own("damaged", first, actor=ana)
    ana.hurt(5)

    assert calls == ["first", "second", "first"]
    assert len(world.listeners) == 3
    assert "damaged of ana" in repr(world.listeners[2])


def test_listeners_are_called_in_order_of_registration_whatever_they_ask_for(
    world: World, ana: Actor
) -> None:
    calls: list[int] = []
    asked: list[dict[str, Any]] = [
        {"actor": ana},
        {},
        {"kind": "diver"},
        {},
        {"actor": "ana"},
        {"kind": "eel"},
    ]
    for number, whom in enumerate(asked):
        world.listen("damaged", partial(lambda number, event: calls.append(number), number), **whom)
    ana.hurt(5)
    ana.hurt(5)
    world.advance(1)
    ana.hurt(5)

    assert calls == [0, 1, 2, 3, 4] * 2


def test_a_handle_stops_listening_also_during_delivery(world: World, ana: Actor) -> None:
    calls: list[str] = []
    later = world.listen("healed", lambda event: calls.append("later"))
    second: Listening
    world.listen("damaged", lambda event: second.close())
    second = world.listen("damaged", lambda event: calls.append("second"))
    with later:
        ana.hurt(5)
    ana.heal(5)

    assert calls == []
    assert not later.open
    later.close()


def test_a_listener_added_during_delivery_hears_only_later_events(world: World, ana: Actor) -> None:
    calls: list[int] = []
    world.listen("damaged", lambda event: world.listen("damaged", lambda event: calls.append(event.seq)))
    first = ana.hurt(5)
    assert first
    assert calls == []
    world.advance(1)
    ana.hurt(5)

    assert len(calls) == 1


def test_one_that_fails_stops_no_other_and_is_raised_at_the_end(world: World, ana: Actor) -> None:
    calls: list[float] = []

    def fails(event: Event) -> None:
        raise ValueError("the lamp broke")

    world.listen_own("damaged", fails)
    world.listen("damaged", lambda event: calls.append(event.amount))
    with pytest.raises(ReactionError) as caught:
        ana.hurt(5)

    assert calls == [4]
    assert ana["suit"].value == 86
    assert [str(error) for error in caught.value.exceptions] == ["the lamp broke"]
    world.advance(1)
    with pytest.raises(ReactionError):
        ana.hurt(5)
    assert not read.parts(world).stage.queue
    assert calls == [4, 4]


def test_time_reaches_its_end_though_a_listener_fails() -> None:
    world, box = crate_world({"max": 10, "flows": [{"rate": -1, "every": 1}]})
    seen: list[float] = []

    def fails(event: Event) -> None:
        seen.append(event.time)
        raise ValueError("again")

    world.listen_own("drained", fails)
    with pytest.raises(ReactionError) as caught:
        world.advance(3.5)

    assert world.now == 3.5
    assert seen == [1, 2, 3]
    assert len(caught.value.exceptions) == 3


def test_a_command_of_a_listener_acts_at_once_and_its_events_follow_in_the_queue() -> None:
    world, box = crate_world({"max": 100})
    order: list[tuple[str, float]] = []

    def mend(event: Event) -> None:
        order.append(("damaged", box["planks"].value))
        box.heal(3)
        order.append(("after", box["planks"].value))

    world.listen_own("damaged", mend)
    world.listen("damaged", lambda event: order.append(("second", event.after)))
    world.listen("healed", lambda event: order.append(("healed", event.after)))
    box.hurt(10)

    assert order == [("damaged", 90), ("after", 93), ("second", 90), ("healed", 93)]
    assert [event.cause for event in world.events][-2:] == [0, world.events[-2].seq]


def test_time_and_snapshots_are_refused_in_a_listener(world: World, ana: Actor, eel: Actor) -> None:
    calls: list[Callable[[], object]] = [lambda: world.advance(1), world.snapshot, lambda: world.dismiss(eel)]
    for call in calls:
        with world.listen("healed", partial(lambda call, event: call(), call)):
            ana.drain(10)
            with pytest.raises(ReactionError) as caught:
                ana.heal(5)
            assert isinstance(caught.value.exceptions[0], BusyError)


def test_rules_that_feed_each_other_end_and_are_named() -> None:
    world, box = crate_world(
        {"max": 100, "start": 50},
        rules=[
            {"on": "healed", "do": [{"drain": 1, "meter": "planks"}]},
            {"on": "drained", "do": [{"heal": 1}]},
        ],
    )
    with pytest.raises(RunawayRulesError, match=r"rules\[1\]; rules\[2\]|rules\[2\]; rules\[1\]"):
        box.heal(1)
    assert not read.parts(world).stage.queue


def test_a_respawn_that_kills_again_at_once_ends_too() -> None:
    world, box = crate_world(
        10,
        crate={"player": True, "vital": "planks", "meters": {"planks": 10}, "respawn": {"after": 0}},
        rules=[{"on": "respawned", "do": [{"hurt": 99}]}],
    )
    box.hurt(10)
    with pytest.raises(RunawayRulesError, match="respawn"):
        world.advance(1)
    assert world.now == 1


def test_rules_match_by_name_party_field_and_formula() -> None:
    rules = [
        {"on": "damaged", "of": "wasp", "where": "amount >= 5 and zone == 'lid'", "do": [{"score": 1}]},
        {"on": "defeated", "of": "bug", "do": [{"score": 10}]},
        {"on": "struck", "type": "fire", "do": [{"score": 100}]},
        {"on": "mended", "do": [{"score": 1000}]},
    ]
    world, box = crate_world(
        100,
        rules=rules,
        guard={"zones": {"lid": 1}, "through": {"fire": 1}},
        actors={
            "wasp": {
                "vital": "wings",
                "meters": {"wings": 10},
                "tags": ["bug"],
                "attacks": {"sting": {"amount": 5}},
                "guard": {"through": {"fire": 2}},
            }
        },
    )
    wasp = world.spawn("wasp")

    wasp.hit(box, "sting")
    assert box.score == 0
    wasp.hit(box, "sting", zone="lid")
    assert box.score == 1
    box.hurt(6, zone="lid")  # of nobody
    assert box.score == 1
    box.hit(wasp, amount=1, type="fire")
    assert box.score == 101
    box.heal(3, source=box)
    assert box.score == 101  # mending oneself is left out
    wasp.heal(1, source=box)
    assert box.score == 1101
    box.hit(wasp, amount=99)
    assert box.score == 1111


def test_an_effect_list_of_goods_happens_whole_or_not_at_all() -> None:
    rules = [{"on": "damaged", "do": [{"spend": "scrip", "amount": 5}, {"give": "nail"}, {"score": 1}]}]
    world, box = crate_world(
        100, rules=rules, currencies={"scrip": {"start": 5}}, items={"nail": {"most": 5}}
    )
    box.hurt(1)
    assert (box.purse["scrip"], box.bag["nail"], box.score) == (0, 1, 1)
    box.hurt(1)
    assert (box.purse["scrip"], box.bag["nail"], box.score) == (0, 1, 1)


def test_the_doer_of_a_rule_is_who_was_hit() -> None:
    world, box = crate_world(
        100,
        rules=[{"on": "damaged", "where": "source.alive", "do": [{"hurt": 2, "to": "source"}]}],
        actors={"wasp": {"vital": "wings", "meters": {"wings": 10}, "attacks": {"sting": {"amount": 5}}}},
    )
    wasp = world.spawn("wasp")
    events = heard(world, "damaged")
    wasp.hit(box, "sting")

    assert [(event.actor, event.source, event.cause) for event in events][:2] == [
        ("box", "wasp#1", 0),
        ("wasp#1", "box", events[0].seq),
    ]


def test_a_hosts_own_events_are_declared_checked_and_matched() -> None:
    world, box = crate_world(
        events={
            "reached": {"fields": {"place": "name", "depth": "number"}},
            "logged": {"fields": {"place": "name", "deep": "number"}},
        },
        rules=[
            {
                "on": "reached",
                "where": "depth > 10",
                "do": [{"announce": "logged", "place": "event.place", "deep": "event.depth * 2"}],
            }
        ],
    )
    events = heard(world, "logged")
    box.announce("reached", place="wreck", depth=18)
    box.announce("reached", place="pier", depth=2)

    assert [(event.place, event.deep, event.actor) for event in events] == [("wreck", 36, "box")]
    for fields, error in (
        ({"place": "wreck"}, UsageError),
        ({"place": "wreck", "depth": 1, "dpth": 1}, UnknownNameError),
        ({"place": 3, "depth": 1}, ValueError),
    ):
        with pytest.raises(error):
            box.announce("reached", **fields)
    with pytest.raises(UnknownNameError, match="reached"):
        box.announce("reachd")
    assert len(events) == 1


def test_events_are_numbered_whoever_listens(reef: Design) -> None:
    logs = []
    for listening in (True, False):
        world = World(reef, seed=1)
        ana, eel = world.join("diver", "ana"), world.spawn("eel")
        if listening:
            world.listen("damaged", lambda event: None)
        eel.hit(ana, "sting")
        world.advance(5)
        logs.append([event.plain() for event in world.events])

    assert logs[0] == logs[1]


def test_handles_of_who_has_left_say_so(world: World, eel: Actor) -> None:
    world.dismiss(eel)

    with pytest.raises(GoneError, match="'eel1' has left this world"):
        eel.hurt(1)
    with pytest.raises(UnknownNameError, match="unknown actor 'eel1'"):
        world.actor("eel1")
    again = world.spawn("eel", "eel1")  # the name is free again, and its bearer another
    with pytest.raises(GoneError):
        eel.hurt(1)
    assert again.hurt(1)


def test_history_keeps_as_many_events_as_it_was_told(reef: Design) -> None:
    world = World(reef, history=3)
    for name in ("a", "b", "c", "d"):
        world.join("diver", name)

    assert names(world.events) == ["joined"] * 3
    assert world.events[0].actor == "b"


def test_an_event_says_which_fields_it_has(world: World, ana: Actor) -> None:
    with pytest.raises(AttributeError, match="has no field 'amuont'; it has: tag"):
        ana.tag("submerged")
        world.events[-1].amuont  # noqa: B018


def test_a_listener_added_during_delivery_does_not_hear_the_other_side_of_the_same_event(
    world: World, ana: Actor, eel: Actor
) -> None:
    heard: list[int] = []

    def add(event: Event) -> None:
        world.listen("struck", lambda struck: heard.append(struck.seq))

    with world.listen_own("damaged", add):
        eel.hit(ana, "sting")
    assert heard == []
    world.advance(5)  # the venom
    assert len(heard) == 6
