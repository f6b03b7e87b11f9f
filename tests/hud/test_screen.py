"""All that a screen draws in one call, where gains come from, and HUD objects that go on over stages."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from cleaver import Design, UsageError, World, hud, load_design

SAMPLE = Path(__file__).parents[2] / "src/cleaver/sample/lanternreef.toml"
DESIGN: dict[str, Any] = {
    "teams": {"north": {}, "south": {}},
    "currencies": {"scrip": {"start": 5}},
    "items": {"pearl": {}, "lamp": {"size": 0}},
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "bag": {"most": 3},
            "lives": {"start": 2},
            "respawn": {"after": 4.0},
            "meters": {
                "suit": {"max": 90, "marks": {"low": 0.25}},
                "air": {"max": 60, "cells": 12},
                "bubble": {"max": 20, "start": 9, "shields": "suit"},
            },
            "attacks": {
                "jab": {"amount": 40, "cooldown": 2.0},
                "bolt": {"amount": 5, "cooldown": 4.0, "flight": 9.0},
            },
        },
        "eel": {"vital": "hide", "meters": {"hide": 30}},
    },
    "statuses": {"chill": {"lasts": 8.0}},
    "pickups": {"pearl": {"do": [{"give": "pearl"}, {"earn": "scrip", "amount": 2}]}},
    "rules": [
        {
            "on": "defeated",
            "do": [{"earn": "scrip", "amount": 7}, {"score": 10}, {"xp": "rank", "amount": 30}],
        }
    ],
    "levels": {"rank": {"experience": 20, "most": 9}},
    "records": {"pearls": {"on": "collected", "of": "pearl"}},
    "ratings": {"dive": {"measure": "self.score", "steps": [10, 20, 30]}},
    "achievements": {"first": {"title": "First pearl", "on": "collected", "of": "pearl"}},
    "matches": {
        "duel": {
            "teams": ["north", "south"],
            "win_at": 3,
            "time_limit": 60,
            "rules": [{"on": "defeated", "do": [{"score": 1}]}],
        }
    },
    "quests": {
        "two": {
            "title": "Two pearls",
            "giver": "clerk",
            "says": {"available": "Bring me two.", "active": "Two, I said."},
            "goals": [{"hold": "pearl", "count": 2, "text": "Bring pearls"}],
        }
    },
    "stages": {"reef": {"pickups": {"pearl": [[3, 4], [5, 6]]}, "actors": {"eel": 1}, "rating": "dive"}},
}


def world() -> World:
    return World(Design.from_dict(DESIGN), seed=4)


def test_a_screen_in_one_call_worked_out() -> None:
    game = world()
    ana = game.join("diver", "ana", team="north")
    game.join("diver", "bea", team="south")
    game.match("duel").start()
    game.enter_stage("reef")
    game.move(ana, 1, 2)
    ana.accept("two")
    ana.take(game.placement("pearl1"))
    ana.hurt(79)  # 9 of it go to the bubble
    ana.status("chill")
    game.advance(2.0)
    ana.hit("eel1", "jab")
    ana.launch("bolt")
    game.advance(1.0)
    ana.rate("dive")

    shown = hud.frame(ana)
    assert shown == json.loads(json.dumps(shown))
    assert {
        key: shown[key] for key in ("id", "kind", "team", "alive", "lives", "returns", "at", "now", "stage")
    } == {
        "id": "ana",
        "kind": "diver",
        "team": "north",
        "alive": True,
        "lives": 2,
        "returns": 0.0,
        "at": [1.0, 2.0, 0.0],
        "now": 3.0,
        "stage": "reef",
    }
    assert shown["meters"]["suit"] == {
        "value": 20.0,
        "max": 90.0,
        "fraction": 20 / 90,
        "text": "20/90",
        "percent": "22%",
        "role": "low",
        "cells": 1,
        "of": 1,
        "marks": {"low": 0.25},
        "shield": 0.0,
    }
    assert (shown["meters"]["air"]["cells"], shown["meters"]["air"]["of"]) == (12, 12)
    assert shown["statuses"] == {"chill": {"stacks": 1, "left": 5.0, "fraction": 3 / 8, "unit": "seconds"}}
    cooldowns = {
        "jab": {"left": 1.0, "fraction": 0.5, "unit": "seconds"},
        "bolt": {"left": 3.0, "fraction": 0.25, "unit": "seconds"},
    }
    assert shown["cooldowns"] == cooldowns
    assert (shown["score"], shown["purse"], shown["records"]) == (11, {"scrip": 14}, {"pearls": 1})
    assert shown["bag"] == {"items": {"pearl": 1}, "slots": ["pearl", "", ""], "used": 1, "most": 3}
    assert shown["levels"] == {"rank": {"level": 2, "xp": 30, "left": 10}}
    assert shown["ratings"]["dive"] == {"best": 1, "rated": True, "stars": ["earned", "next", "missing"]}
    assert shown["quests"] == [
        {
            "quest": "two",
            "title": "Two pearls",
            "state": "active",
            "goals": ["· Bring pearls 1/2"],
            "next": "Bring pearls",
            "left": 0.0,
        }
    ]
    assert shown["givers"] == {"clerk": {"sign": "waiting", "says": "Two, I said."}}
    assert shown["achievements"] == [{"title": "First pearl", "text": "", "achieved": True}]
    assert shown["matches"]["duel"] == {
        "text": "1 - 0",
        "rows": [{"rank": 1, "side": "north", "score": 1}, {"rank": 2, "side": "south", "score": 0}],
        "clock": "0:57",
        "left": 57.0,
        "running": True,
        "paused": False,
        "winner": "",
        "round": 1,
    }
    ana.hurt(99)
    game.advance(1.5)
    assert (hud.frame(ana)["alive"], hud.frame(ana)["returns"], hud.frame(ana)["lives"]) == (False, 2.5, 1)


def test_a_screen_of_a_creature_has_what_a_creature_has() -> None:
    game = world()
    eel = game.spawn("eel")
    assert sorted(hud.frame(eel)) == sorted(
        [
            "id",
            "kind",
            "team",
            "alive",
            "lives",
            "returns",
            "tags",
            "at",
            "meters",
            "statuses",
            "cooldowns",
            "turns",
            "day",
            "now",
            "stage",
        ]
    )
    with pytest.raises(UsageError, match="actor is 'eel#1'"):
        hud.frame("eel#1")  # type: ignore[arg-type]


def test_a_look_changes_nothing_and_is_the_same_after_a_restore() -> None:
    game = World(load_design(SAMPLE), seed=2)
    ana = game.join("diver", "ana")
    game.enter_stage("shallows")
    game.actor("eel1").hit(ana, "sting")
    game.advance(1.3)
    before = json.dumps(game.snapshot())
    shown = hud.frame(ana)
    assert json.dumps(game.snapshot()) == before
    again = World.restore(game.design, json.loads(before))
    assert hud.frame(again.actor("ana")) == shown


def test_a_popup_stays_where_it_began() -> None:
    game = world()
    ana = game.join("diver", "ana")
    game.enter_stage("reef")
    popups = hud.Popups(game)
    game.move(ana, 1, 2)
    ana.take(game.placement("pearl1"))  # at 3, 4
    ana.hurt(30)
    game.move("eel1", 7, 8)
    ana.hit("eel1", "jab")
    game.dismiss("eel1")
    game.move(ana, 50, 50)
    assert [(popup.text, popup.at) for popup in popups] == [
        ("+2", (3.0, 4.0, 0.0)),
        ("−21", (1.0, 2.0, 0.0)),
        ("(9)", (1.0, 2.0, 0.0)),
        ("−30", (7.0, 8.0, 0.0)),
        ("+7", (7.0, 8.0, 0.0)),
        ("+10", (7.0, 8.0, 0.0)),
    ]


def test_what_a_death_brings_later_comes_from_the_actor() -> None:
    glow = {"lasts": 5.0, "pulses": [{"every": 1.0, "do": [{"earn": "scrip", "amount": 1}]}]}
    rules = [*DESIGN["rules"], {"on": "defeated", "do": [{"status": "glow"}]}]
    game = World(
        Design.from_dict({**DESIGN, "statuses": {**DESIGN["statuses"], "glow": glow}, "rules": rules})
    )
    ana, eel = game.join("diver", "ana"), game.spawn("eel")
    game.move(ana, 1, 2)
    game.move(eel, 7, 8)
    popups = hud.Popups(game)
    ana.hit(eel, "jab")
    game.advance(1.0)
    assert [(popup.text, popup.at) for popup in popups][-2:] == [("+10", (7, 8, 0)), ("+1", (1, 2, 0))]


def test_gains_fly_from_where_they_came() -> None:
    game = world()
    ana = game.join("diver", "ana")
    game.enter_stage("reef")
    counter = hud.Counter(ana, "scrip", at=(600, 20), screen=lambda place: (place[0] * 10, place[1] * 10))
    ana.take(game.placement("pearl1"))
    ana.hit("eel1", "jab")  # nobody said where the eel is, nor where ana is
    game.move(ana, 1, 2)
    ana.earn("scrip", 1)
    assert [(flight.amount, flight.begin) for flight in counter.flights] == [
        (2, (30, 40)),
        (7, (600, 20)),
        (1, (10, 20)),
    ]
    plain = hud.Counter(ana, "scrip", at=(600, 20))
    plain.origin = (9, 9)
    ana.take(game.placement("pearl2"))
    assert plain.flights[0].begin == (9, 9)
    assert plain.flights[0].end == (600, 20)
    with pytest.raises(UsageError, match="screen is 3"):
        hud.Counter(ana, "scrip", screen=3)  # type: ignore[arg-type]


def test_what_is_drawn_goes_on_over_stages_and_restarts() -> None:
    game = world()
    ana = game.join("diver", "ana")

    def again() -> list[Any]:
        return [
            hud.Bar(ana, "suit"),
            hud.Bar(ana, "air"),
            hud.Counter(ana, "scrip", travel=0.0),
            hud.LevelBar(ana, "rank"),
            hud.Stars(ana, "dive"),
            hud.StatusRing(ana, "chill"),
            hud.Tracker(ana, "two"),
        ]

    drawn = again()

    def same() -> None:
        for old, new in zip(drawn, again(), strict=True):
            if hasattr(old, "update"):
                old.update(100.0)
            assert repr(old) == repr(new)

    game.enter_stage("reef")
    same()
    ana.accept("two")
    ana.take(game.placement("pearl1"))
    ana.hit("eel1", "jab")
    ana.status("chill")
    ana.hurt(40)
    ana.drain(10, "air")
    same()
    game.restart_stage()
    same()
    assert ana["suit"].value == 90
    ana.hurt(30)
    same()
    game.enter_stage("reef")
    same()
    profile = game.profile(ana)
    ana.hurt(10)
    game.load(ana, profile)
    same()
