"""Less glue for a game: calls that wait, an advance that stops, a frame's contacts, ids, names. Worked numbers."""

from __future__ import annotations

import json
from typing import Any

import pytest

from cleaver import (
    AmountError,
    BusyError,
    Design,
    ReactionError,
    RunawayRulesError,
    UnknownNameError,
    UsageError,
    World,
)

DESIGN: dict[str, Any] = {
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": 90, "air": {"max": 60, "flows": [{"rate": -1, "every": 1.0}]}},
            "attacks": {"bolt": {"amount": 10, "flight": 4.0}},
        },
        "eel": {
            "vital": "hide",
            "meters": {"hide": 30},
            "attacks": {"sting": {"amount": 12, "cooldown": 1.0}},
        },
        "crab": {"vital": "shell", "meters": {"shell": 5}, "attacks": {"sting": {"amount": 3}}},
    },
    "currencies": {"scrip": {}},
    "pickups": {"pearl": {"do": [{"earn": "scrip", "amount": 2}]}},
    "statuses": {"chill": {"lasts": 2.0}},
    "stages": {"reef": {"pickups": {"pearl": 1}}, "wreck": {}},
}


COURSE: dict[str, Any] = {
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": 90, "air": {"max": 60, "marks": {"thin": 0.5}, "flows": [{"rate": -1.5}]}},
        }
    },
    "rules": [{"on": "emptied", "meter": "air", "do": [{"hurt": 5}]}],
}


def world() -> World:
    made = World(Design.from_dict(DESIGN), seed=3)
    made.join("diver", "ana")
    return made


# calls that wait


def test_a_call_comes_at_its_instant_after_all_else_of_it() -> None:
    game = world()
    seen: list[Any] = []
    game.after(2.0, lambda: seen.append(("two", game.now, game.value("ana.air"))))
    game.after(1.5, lambda: seen.append(("one and a half", game.now, game.value("ana.air"))))
    game.after(2.0, lambda: seen.append(("also two", game.now, game.value("ana.air"))))
    for _ in range(7):
        game.advance(0.3)
    assert game.now == 2.1
    assert seen == [("one and a half", 1.5, 59), ("two", 2.0, 58), ("also two", 2.0, 58)]


def test_a_call_after_nothing_comes_with_the_next_advance() -> None:
    game = world()
    seen: list[str] = []
    game.listen("stage_entered", lambda event: seen.append(game.stage))
    game.listen("collected", lambda event: game.after(0, lambda: game.enter_stage("wreck")))
    game.enter_stage("reef")
    game.actor("ana").take(game.placement("pearl1"))
    assert (game.stage, seen) == ("reef", ["reef"])
    game.advance(0)
    assert (game.stage, seen) == ("wreck", ["reef", "wreck"])
    game.advance(0)
    assert seen == ["reef", "wreck"]


@pytest.mark.parametrize(
    "name", ["advance", "snapshot", "dismiss", "leave", "load", "enter_stage", "restart_stage"]
)
def test_what_is_refused_in_a_listener_says_what_to_use(name: str) -> None:
    game = world()
    profile = game.profile("ana")
    calls: dict[str, Any] = {
        "advance": lambda: game.advance(1),
        "snapshot": game.snapshot,
        "dismiss": lambda: game.dismiss("ana"),
        "leave": lambda: game.leave("ana"),
        "load": lambda: game.load("ana", profile),
        "enter_stage": lambda: game.enter_stage("reef"),
        "restart_stage": game.restart_stage,
    }
    game.listen("damaged", lambda event: calls[name]())
    with pytest.raises(ReactionError) as caught:
        game.actor("ana").hurt(1)
    [error] = caught.value.exceptions
    assert isinstance(error, BusyError)
    assert "use world.after(0, …)" in str(error)
    assert game.value("ana.suit") == 89


def test_a_call_may_do_all_but_let_time_pass() -> None:
    game = world()
    kept: list[Any] = []
    game.after(1, lambda: kept.append(json.dumps(game.snapshot())))
    game.after(1, lambda: kept.append(game.leave("ana").player))
    game.after(2, lambda: game.advance(1))
    with pytest.raises(ReactionError) as caught:
        game.advance(3)
    assert [type(error) for error in caught.value.exceptions] == [BusyError]
    assert (game.now, kept[1:], game.actors) == (3, ["ana"], ())
    assert World.restore(game.design, json.loads(kept[0])).value("ana.air") == 59


def test_what_calls_raise_is_gathered_and_time_goes_on() -> None:
    game = world()
    seen: list[float] = []
    game.after(1, lambda: seen.append(1 / 0))
    game.after(2, lambda: seen.append(game.now))
    game.after(2, lambda: seen.append([][0]))
    with pytest.raises(ReactionError) as caught:
        game.advance(5)
    assert [type(error) for error in caught.value.exceptions] == [ZeroDivisionError, IndexError]
    assert (seen, game.now, game.value("ana.air")) == ([2.0], 5, 55)


def test_a_call_is_taken_back_and_tells_of_itself() -> None:
    game = world()
    seen: list[str] = []
    first, second = game.after(1, lambda: seen.append("a")), game.after(1.25, lambda: seen.append("b"))
    assert (first.due, second.waiting) == (1.0, True)
    assert repr(second).endswith("at 1.25 s>")
    second.cancel()
    game.advance(2)
    first.cancel()
    assert seen == ["a"]
    assert repr(second).endswith("at 1.25 s, over>")


def test_a_call_that_calls_itself_at_once_is_told() -> None:
    game = world()
    count = [0]

    def again() -> None:
        count[0] += 1
        game.after(0, again)

    game.after(1, again)
    with pytest.raises((RunawayRulesError, ReactionError), match="after") as caught:
        game.advance(2)
    assert "calls itself again" in str(caught.value)
    assert count[0] >= 1000
    assert game.now == 2  # time has gone on, and that chain of calls is over
    game.advance(1)


def test_calls_are_no_part_of_the_state_and_stay_over_stages() -> None:
    game = world()
    before = json.dumps(game.snapshot())
    seen: list[float] = []
    game.after(4, lambda: seen.append(game.now))
    assert json.dumps(game.snapshot()) == before
    game.enter_stage("reef")
    game.advance(1)
    game.restart_stage()
    World.restore(game.design, game.snapshot()).advance(9)
    assert seen == []
    game.advance(9)
    assert seen == [4.0]


def test_a_call_made_where_something_comes_true_by_time_comes_then() -> None:
    design = {**COURSE, "matches": {"last": {"win_when": "self.air <= 45"}}}  # after 10 s
    game = World(Design.from_dict(design))
    game.join("diver", "ana")
    game.match("last").start()
    seen: list[float] = []
    game.after(30, lambda: seen.append(game.now))
    game.listen("match_ended", lambda event: game.after(0, lambda: seen.append(game.now)))
    assert game.advance(60, stop=lambda: len(seen) == 2) == 30.0
    assert seen == [10.0, 30.0]


@pytest.mark.parametrize("wrong", [-1, float("nan"), float("inf"), "1", None])
def test_a_time_to_wait_is_a_number_of_seconds(wrong: Any) -> None:
    with pytest.raises(AmountError, match="the time to wait"):
        world().after(wrong, list)


def test_what_waits_must_be_something_to_call() -> None:
    with pytest.raises(UsageError, match="something to call"):
        world().after(1, 3)  # type: ignore[arg-type]


# an advance that stops


def test_time_stands_where_one_says_so() -> None:
    game = world()
    passed = game.advance(30, stop=lambda: game.value("ana.air") <= 47)
    assert (passed, game.now, game.value("ana.air")) == (13.0, 13.0, 47)
    assert game.advance(2.5) == 2.5
    assert game.now == 15.5


def test_it_is_found_between_two_things_that_are_due() -> None:
    game = World(Design.from_dict(COURSE))
    game.join("diver", "ana")
    assert game.advance(60, stop=lambda: game.value("ana.air") <= 42) == 12.0  # 60 less 1.5 a second
    assert game.advance(60, stop=lambda: game.now >= 13.000007) == 1.000007
    assert game.advance(60, stop=lambda: game.value("ana.air") == 0) == 40 - 13.000007


def test_where_it_holds_already_no_time_passes() -> None:
    game = world()
    seen: list[float] = []
    game.after(0, lambda: seen.append(game.now))
    assert game.advance(3, stop=lambda: True) == 0.0
    assert seen == [0.0]  # what is due now has come


def test_it_sees_what_a_call_did_at_its_instant() -> None:
    game = world()
    game.after(1.5, lambda: game.actor("ana").hurt(50))
    game.after(1.5, lambda: game.actor("ana").heal(30))
    assert game.advance(9, stop=lambda: game.value("ana.suit") < 90) == 1.5
    assert game.value("ana.suit") == 70
    assert game.advance(0.5, stop=lambda: game.value("ana.suit") < 50) == 0.5


def test_what_comes_true_by_time_alone_comes_before() -> None:
    game = World(Design.from_dict(COURSE))
    game.join("diver", "ana")
    told: list[float] = []
    game.listen("crossed", lambda event: told.append(game.now), actor="ana")
    assert game.advance(60, stop=lambda: game.value("ana.air") <= 15) == 30.0
    assert told == [20.0]
    assert game.advance(60, stop=lambda: bool(game.value("ana.suit") < 90)) == 10.0  # by the rule, at 40 s
    assert game.now == 40.0


def test_what_floats_leave_over_is_dropped_where_time_stands() -> None:
    game = world()
    game.advance(1.5000004, stop=lambda: game.now >= 1)
    game.advance(0.0000004)  # 0.4 and 0.4 would be one microsecond
    assert game.now == 1.0


@pytest.mark.parametrize("wrong", [3, "soon"])
def test_a_stop_must_be_something_to_call(wrong: Any) -> None:
    game = world()
    with pytest.raises(UsageError, match="stop is"):
        game.advance(1, stop=wrong)
    assert game.now == 0


# contacts


def test_contacts_of_a_frame_hurt_once() -> None:
    game = world()
    eel, crab = game.spawn("eel"), game.spawn("crab")
    bea = game.join("diver", "bea")
    for _ in range(10):
        results = game.contacts([(eel, "ana"), (crab.id, bea), (eel, bea)], "sting")
        game.advance(1 / 60)
    assert [result.blocked for result in results] == ["cooldown", "", "cooldown"]
    assert (game.value("ana.suit"), game.value("bea.suit")) == (78, 48)


def test_contacts_are_looked_at_before_anybody_is_hit() -> None:
    game = world()
    eel = game.spawn("eel")
    for pairs, error in (
        ([(eel, "ana"), ("ana", eel)], UnknownNameError),  # ana has no sting
        ([(eel, "ana"), (eel, "nobody")], UnknownNameError),
        ([(eel, "ana"), (eel,)], UsageError),
        ([(eel, "ana"), (eel, 3)], UsageError),
        ("ana", UsageError),
        (3, UsageError),
    ):
        with pytest.raises(error):
            game.contacts(pairs, "sting")  # type: ignore[arg-type]
    assert game.value("ana.suit") == 90


def test_a_listener_that_fails_spares_the_other_contacts() -> None:
    game = world()
    eel, crab = game.spawn("eel"), game.spawn("crab")
    game.listen("damaged", lambda event: 1 / 0 if event.source == eel.id else 0)
    with pytest.raises(ReactionError) as caught:
        game.contacts([(eel, "ana"), (crab, "ana")], "sting")
    assert [type(error) for error in caught.value.exceptions] == [ZeroDivisionError]
    assert game.value("ana.suit") == 75


# ids and names


def test_ids_stand_for_actors() -> None:
    one, other = world(), world()
    for game in (one, other):
        game.join("diver", "bea")
        game.spawn("eel", "eel")
    by_handle: dict[str, Any] = {name: other.actor(name) for name in ("ana", "bea", "eel")}
    by_id = {name: name for name in by_handle}
    for game, who in ((one, by_id), (other, by_handle)):
        game.actor("eel").hit(who["ana"], "sting")
        game.actor("ana").hurt(5, source=who["eel"])
        game.actor("ana").drain(2, source=who["eel"])
        game.actor("ana").heal(1, source=who["bea"])
        game.actor("ana").status("chill", source=who["eel"])
        game.actor("ana").launch("bolt", "shot").hit(who["eel"])
        assert game.actor("eel").cooldown_left("sting", who["ana"]) == 1.0
        game.actor("bea").earn("scrip", 5)
        game.move(who["eel"], 1, 2)
        game.trade(who["bea"], {"scrip": 2}, who["ana"], {})
        game.load(who["ana"], game.profile(who["ana"]))
        game.dismiss(who["eel"])
        game.leave(who["bea"])
    assert one.snapshot() == other.snapshot()
    assert list(one.events) == list(other.events)
    assert one.value("ana.suit") == 90 - 12 - 5 - 2 + 1


def test_what_lies_in_another_world_is_not_moved() -> None:
    one, other = world(), world()
    one.enter_stage("reef")
    other.enter_stage("reef")
    with pytest.raises(UsageError, match="another world"):
        one.move(other.placement("pearl1"), 1, 2)
    assert other.placement("pearl1").position is None
    with pytest.raises(UsageError, match="thing is 7; it must be an actor or a placement of this world"):
        one.move(7, 1, 2)  # type: ignore[arg-type]
    one.move("pearl1", 1, 2)
    assert one.placement("pearl1").position == (1, 2, 0)


def test_whatever_stands_under_a_name_is_found() -> None:
    game = world()
    game.enter_stage("reef")
    shot = game.actor("ana").launch("bolt")
    assert game.find("ana") is game.actor("ana")
    assert game.find("pearl1") == game.placement("pearl1")
    assert game.find(shot.id) == shot
    assert game.find("nobody") is None
    game.advance(5)
    assert game.find(shot.id) is None
