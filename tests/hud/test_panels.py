"""Dialogue, pace, sliders: what a screen needs beside bars, worked by hand."""

from __future__ import annotations

import pytest

from cleaver import Actor, AmountError, Design, UsageError, World
from cleaver.hud import Bar, Dialogue, Pace, Sliders


def talker(**keys: object) -> tuple[World, Actor, Dialogue]:
    """Return a player and a dialogue with a giver of one quest."""
    quest = {
        "title": "Pearls",
        "giver": "bo",
        "goals": [{"on": "gained", "item": "pearl", "count": 1}],
        "reward": [{"earn": "scrip", "amount": 5}],
        "says": {"available": ["One.", "Two."], "active": "Go.", "ready": "Give.", "completed": "Thanks."},
    } | keys
    world = World(
        Design.from_dict(
            {
                "currencies": {"scrip": {"most": 100}},
                "items": {"pearl": {}},
                "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 9}}},
                "quests": {"pearls": quest},
            }
        )
    )
    ana = world.join("diver", "ana")
    return world, ana, Dialogue(ana, letters=10)


def test_letters_appear_and_a_press_shows_the_rest() -> None:
    _, _, dialogue = talker()
    dialogue.begin("bo")

    assert (dialogue.open, dialogue.typed, dialogue.title, dialogue.answer) == (True, "", "Pearls", "go_on")
    dialogue.update(0.2)
    assert dialogue.typed == "On"
    assert dialogue.go_on() is None
    assert dialogue.typed == "One."


def test_a_talk_leads_through_its_lines_to_the_quest_and_gives_its_reward_once() -> None:
    _, ana, dialogue = talker()
    said = []

    def press() -> None:
        dialogue.update(9)
        dialogue.go_on()
        said.append((dialogue.text, dialogue.answer, ana.quests["pearls"].state))

    dialogue.begin("bo")
    for _ in range(3):
        press()
    ana.give("pearl")
    dialogue.begin("bo")
    for _ in range(3):
        press()

    assert said == [
        ("Two.", "accept", "available"),
        ("Go.", "go_on", "active"),
        ("", "", "active"),
        ("Thanks.", "go_on", "completed"),
        ("", "", "completed"),
        ("", "", "completed"),
    ]
    assert ana.purse["scrip"] == 5


def test_a_dialogue_that_is_ended_accepts_nothing() -> None:
    _, ana, dialogue = talker(says={"available": "One."})
    dialogue.begin("bo")
    assert dialogue.answer == "accept"

    dialogue.end()

    assert (dialogue.open, dialogue.go_on(), ana.quests["pearls"].state) == (False, None, "available")


def test_what_is_refused_is_said_and_the_talk_stays_open() -> None:
    _, ana, dialogue = talker(says={"available": "One."})
    dialogue.begin("bo")
    dialogue.update(9)
    ana.hurt(99)

    done = dialogue.go_on()

    assert done is not None
    assert (done.blocked, dialogue.refused, dialogue.open) == ("dead", "dead", True)
    assert dialogue.begin("bo").blocked == "dead"


@pytest.mark.parametrize("letters", [-1, float("nan"), "9"], ids=str)
def test_letters_are_a_number(letters: object) -> None:
    _, ana, _ = talker()
    with pytest.raises(AmountError, match="letters"):
        Dialogue(ana, letters=letters)  # type: ignore[arg-type]


def test_a_pace_pauses_and_slows_what_it_is_given() -> None:
    pace = Pace()
    assert (pace.of(0.5), pace.text) == (0.5, "")
    pace.speed = 0.25
    assert (pace.of(0.5), pace.text) == (0.125, "25 % speed")
    pace.speed = 0.001
    assert pace.text == "1 % speed"
    pace.paused = True
    assert (pace.of(0.5), pace.text) == (0.0, "paused")


@pytest.mark.parametrize("speed", [0, -1, 101, float("nan"), True, "2"], ids=str)
def test_a_speed_is_above_nothing(speed: object) -> None:
    with pytest.raises(AmountError, match="speed"):
        Pace().speed = speed  # type: ignore[assignment]


def slid(world: World, **keys: str) -> Sliders:
    """Return sliders of a world."""
    return Sliders(world, keys)


def test_a_slider_changes_the_number_in_the_running_world(world: World, ana: Actor) -> None:
    bar = Bar(ana, "suit")
    sliders = slid(world, suit="actors.diver.meters.suit.max", armour="actors.diver.guard.armour")

    assert [(row.text, row.step, row.chosen) for row in sliders.rows] == [("90", 5, True), ("1", 0.1, False)]
    sliders.turn(2)
    assert (bar.text, sliders.rows[0].text, sliders.rows[0].changed) == ("90/100", "100", True)
    sliders.choose(-1)
    sliders.turn(-3)
    assert [(row.text, row.chosen) for row in sliders.rows] == [("100", False), ("0.7", True)]
    assert type(world.design.tables.actors["diver"].meters["suit"].max) is float
    sliders.reset()
    assert (bar.text, [row.text for row in sliders.rows]) == ("90/90", ["90", "1"])


def test_a_number_that_the_design_does_not_allow_changes_nothing(world: World) -> None:
    sliders = slid(world, armour="actors.diver.guard.armour")
    before = world.design

    sliders.turn(-11)

    assert sliders.problem == "is -0.1; it must be 0 or more"
    assert world.design is before
    sliders.turn(1)
    assert (sliders.problem, sliders.rows[0].text) == ("", "1.1")


def test_keys_do_what_they_say(world: World) -> None:
    sliders = slid(world, hide="actors.eel.meters.hide", jab="actors.diver.attacks.jab.amount")

    assert [sliders.press(key) for key in ("down", "right", "x")] == [True, True, False]
    assert [row.text for row in sliders.rows] == ["30", "16"]
    sliders.press("up")
    sliders.press("left")
    assert [row.text for row in sliders.rows] == ["28", "16"]
    sliders.press("backspace")
    assert [row.text for row in sliders.rows] == ["30", "15"]


def test_a_number_that_is_gone_shows_as_gone_and_stays(world: World) -> None:
    sliders = slid(world, kit="pickups.sealant.inputs.mends")
    tables = {**world.design.source.written}
    tables["pickups"] = {**tables["pickups"], "sealant": {"do": [{"heal": 25}]}}
    world.adopt(Design.from_dict(tables))

    sliders.turn(1)
    sliders.reset()

    assert (sliders.rows[0].value, sliders.rows[0].text) == (None, "–")


@pytest.mark.parametrize(
    "key", ["actors.eel.attacks.sting.amount", "actors.nobody", "game.title", "", "actors.diver"], ids=str
)
def test_a_key_without_a_number_is_an_error(world: World, key: str) -> None:
    with pytest.raises(UsageError, match="is no number of this design"):
        slid(world, a=key)


def test_a_step_is_above_nothing(world: World) -> None:
    with pytest.raises(AmountError, match=r"the step of actors\.eel\.meters\.hide"):
        Sliders(world, {"a": "actors.eel.meters.hide"}, steps={"actors.eel.meters.hide": 0})
