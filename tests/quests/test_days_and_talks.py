"""Errands of the day, and what givers say. Worked numbers."""

from __future__ import annotations

import re
from typing import Any

import pytest

from cleaver import Actor, AmountError, Design, DesignError, UnknownNameError, World

DAILY = {"goals": [{"on": "gained", "item": "pearl"}], "reward": [{"earn": "scrip", "amount": 10}]}
DESIGN: dict[str, Any] = {
    "items": {"pearl": {}},
    "currencies": {"scrip": {}},
    "actors": {
        "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}},
        "warden": {"reach": 2, "vital": "coat", "meters": {"coat": 9}},
    },
    "quests": {
        "daily": {**DAILY, "giver": "harbourmaster", "repeat": {"days": 1}, "finish": "auto"},
        "weekly": {**DAILY, "giver": "warden", "repeat": {"days": 7}, "finish": "auto"},
        "bells": {
            "goals": [{"hold": "pearl", "count": 2}],
            "giver": "harbourmaster",
            "needs": ['self.quest.daily != "locked"'],
            "says": {"available": ["One.", "Two.", "Three."], "active": "Go.", "ready": ["Well.", "Here."], "completed": "Done."},
        },
    },
}  # fmt: skip


def begun(**more: Any) -> tuple[World, Actor]:
    world = World(Design.from_dict({**DESIGN, **more}))
    return world, world.join("diver", "ana")


def do(actor: Actor, quest: str) -> bool:
    done = actor.accept(quest).done
    actor.give("pearl")
    return done


def test_what_comes_back_by_the_day_comes_back_on_a_later_one() -> None:
    world, ana = begun()
    world.spawn("warden")
    assert world.day is None
    assert world.set_day(100).done
    assert world.set_day(100).blocked == "no_change"
    assert (do(ana, "daily"), do(ana, "weekly"), ana.purse["scrip"]) == (True, True, 20)
    world.advance(1e6)  # no clock of Cleaver's
    assert ana.accept("daily").blocked == "completed"
    world.set_day(101)
    assert [(ana.quests[name].state) for name in ("daily", "weekly")] == ["available", "completed"]
    assert any(event.name == "quest_available" and event.quest == "daily" for event in world.events)
    assert do(ana, "daily")
    world.set_day(106)
    assert ana.accept("weekly").blocked == "completed"
    world.set_day(107)
    assert (do(ana, "weekly"), ana.purse["scrip"], ana.quests["weekly"].completions) == (True, 40, 2)


def test_while_nobody_says_what_day_it_is_nothing_comes_back() -> None:
    world, ana = begun()
    do(ana, "daily")
    states = []
    for day in (5, 6):  # what ended before has ended on the first
        world.set_day(day)
        states.append(ana.quests["daily"].state)
    assert states == ["completed", "available"]


def test_a_smaller_day_is_an_error_and_a_negative_one_is_a_day() -> None:
    world, _ = begun()
    world.set_day(-3)
    world.set_day(-2)
    before = world.snapshot()
    for wrong, told in (
        (-3, "-2 or later: days only go on"),
        (1.5, "whole number"),
        (True, "whole number"),
        (2**70, "within"),
    ):
        with pytest.raises(AmountError, match=told):
            world.set_day(wrong)  # type: ignore[arg-type]  # as a host might
    assert world.snapshot() == before


def test_days_go_on_across_sessions_and_a_later_one_becomes_today() -> None:
    world, ana = begun()
    world.set_day(100)
    do(ana, "daily")
    profile = world.profile(ana)
    for day, state in ((None, "completed"), (100, "completed"), (101, "available")):
        world, bea = begun()
        if day is not None:
            world.set_day(day)
        world.leave(bea)
        ana = world.join("diver", "ana", profile=profile)
        assert (ana.quests["daily"].state, world.day) == (state, max(day or 100, 100))
    world, bea = begun()
    world.leave(bea)
    world.set_day(90)
    bea = world.join("diver", "bea")
    do(bea, "daily")
    ana = world.join("diver", "ana", profile=profile)  # who has been on day 100
    assert (world.day, ana.quests["daily"].state, bea.quests["daily"].state) == (
        100,
        "completed",
        "available",
    )
    there = World.restore(world.design, world.snapshot())
    there.set_day(101)
    world.set_day(101)
    assert there.snapshot() == world.snapshot()


def test_a_set_of_the_day_is_the_same_all_day_and_offers_again_the_next() -> None:
    sets = {"rounds": {"quests": ["a", "b", "c", "d"], "draw": 2, "days": 1}}
    quests = {name: {**DAILY, "finish": "auto"} for name in "abcd"}

    def open_on(world: World) -> list[str]:
        return [name for name in quests if world.actor("ana").quests[name].state == "available"]

    seen = []
    for day in range(20, 40):
        world, _ = begun(quests=quests, quest_sets=sets)
        world.set_day(day)
        drawn = open_on(world)
        assert len(drawn) == 2
        other, _ = begun(quests=quests, quest_sets=sets)
        for earlier in (day - 3, day - 1, day):
            other.set_day(earlier)
        assert open_on(other) == drawn
        seen.append(tuple(drawn))
    assert len({*seen}) > 3
    world, ana = begun(quests=quests, quest_sets={"rounds": {**sets["rounds"], "draw": 4, "days": 2}})
    world.set_day(10)
    assert do(ana, "a")
    world.set_day(11)  # the same two days
    assert ana.quests["a"].state == "completed"
    world.set_day(12)
    assert (ana.quests["a"].state, do(ana, "a")) == ("available", True)
    with pytest.raises(DesignError, match="draw by the clock or by the day"):
        begun(quests=quests, quest_sets={"rounds": {**sets["rounds"], "every": 9.0}})


@pytest.mark.parametrize(
    ("wrong", "told"),
    [
        ({"days": 0}, "repeat.days: is 0; it must be 1 or more"),
        ({"days": 1.5}, "repeat.days: is 1.5; it must be a whole number"),
        ({"day": 1}, "repeat.day: unknown key 'day'; did you mean 'days'?"),
        ({"days": 1, "hours": 2}, "repeat.hours: unknown key 'hours'; known: days"),
        *((wrong, "it must be seconds, or days such as") for wrong in (-1, True, "daily", 0.0001)),
    ],
)
def test_a_repeat_that_cannot_be_is_told(wrong: Any, told: str) -> None:
    with pytest.raises(DesignError, match=re.escape(told)):
        begun(quests={"daily": {**DAILY, "repeat": wrong}})


# talks


def test_a_giver_says_one_line_after_the_other_and_the_last_again() -> None:
    world, ana = begun()
    said = [ana.talk("harbourmaster") for _ in range(4)]
    assert [(one.text, one.quest, one.state, one.next) for one in said] == [
        ("One.", "bells", "available", ""),
        ("Two.", "bells", "available", ""),
        ("Three.", "bells", "available", "accept"),
        ("Three.", "bells", "available", "accept"),
    ]
    bea = world.join("diver", "bea")
    bea.talk("harbourmaster")
    bea.accept("bells")
    bea.give("pearl", 2)
    assert (
        bea.talk("harbourmaster").text == "Well."
    )  # a new state begins anew, also without a word in between
    ana.accept("bells")
    assert (ana.talk("harbourmaster").text, ana.talk("harbourmaster").next) == ("Go.", "")
    there = World.restore(world.design, world.snapshot())
    for one in (world, there):
        player = one.actor("ana")
        player.give("pearl", 2)
        assert player.quests["bells"].says == "Well."
        assert [player.talk("harbourmaster").next for _ in range(3)] == ["", "turn_in", "turn_in"]
        player.remove("pearl")  # a new state begins anew
        assert player.talk("harbourmaster").text == "Go."
        player.give("pearl")
        assert player.talk("harbourmaster").text == "Well."
        player.turn_in("bells")
        assert player.talk("harbourmaster").text == "Done."


def test_a_giver_without_lines_still_says_what_can_be_done() -> None:
    world, ana = begun()
    warden = world.spawn("warden")
    result = ana.talk("warden")
    assert (bool(result), result.text, result.quest, result.next) == (True, "", "weekly", "accept")
    ana.accept("weekly")
    assert (bool(ana.talk("warden")), ana.talk("warden").blocked) == (False, "")
    world.move(warden, 0.0, 0.0)
    world.move(ana, 3.0, 0.0)
    assert ana.talk("warden").blocked == "out_of_reach"
    warden.hurt(99)
    world.move(ana, 1.0, 0.0)
    assert ana.talk("warden").blocked == "out_of_reach"  # a dead giver is away
    ana.hurt(99)
    assert ana.talk("harbourmaster").blocked == "dead"
    assert warden.talk("harbourmaster").blocked == "not_a_player"
    with pytest.raises(UnknownNameError, match="did you mean 'harbourmaster'"):
        ana.talk("harbormaster")


def test_where_one_is_in_a_talk_is_not_saved_and_nothing_is_kept_of_who_goes() -> None:
    world, ana = begun()
    empty = world.snapshot()["parts"]["talks"]
    ana.talk("harbourmaster")
    profile = world.leave(ana)
    assert world.snapshot()["parts"]["talks"] == empty
    assert world.join("diver", "ana", profile=profile).talk("harbourmaster").text == "One."
