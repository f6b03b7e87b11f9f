"""Stages: entering, leaving, playing again. Worked numbers, and a law over everything a player has."""

from __future__ import annotations

import json
from typing import Any

import pytest

from cleaver import (
    Actor,
    BusyError,
    Design,
    DesignError,
    FormulaError,
    ReactionError,
    UnknownNameError,
    UsageError,
    World,
)
from cleaver.core import read
from cleaver.hud import Stars

DESIGN: dict[str, Any] = {
    "game": {"tags": ["wet"]},
    "inputs": {"depth": 1},
    "teams": {"north": {}},
    "currencies": {"scrip": {"start": 10}, "chest": {"pooled": True, "start": 5}},
    "items": {"pearl": {}, "lamp": {"size": 0}},
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "bag": {"most": 9},
            "lives": {"start": 3},
            "respawn": {"after": 2.0},
            "meters": {"suit": {"max": 90, "flows": [{"rate": 2, "every": 1.0}]}, "air": 60},
            "attacks": {"bolt": {"amount": 50, "cooldown": 9}},
            "pulses": {"tick": {"every": 4.0, "do": [{"earn": "scrip", "amount": 1}]}},
        },
        "eel": {"vital": "hide", "meters": {"hide": 30}},
        "boat": {"keep": True, "vital": "hull", "meters": {"hull": 50}},
    },
    "statuses": {"chill": {"lasts": 20.0}},
    "pickups": {"pearl": {"do": [{"give": "pearl"}]}, "chest": {"once": True, "do": [{"earn": "scrip", "amount": 50}]}},
    "exchanges": {"office": {"costs": {"pearl": 1}, "gives": {"scrip": 15}, "stock": 3, "restock_after": 30.0}},
    "rules": [
        {"on": "collected", "of": "pearl", "do": [{"score": 10}, {"xp": "rank", "amount": 10}]},
        {"on": "stage_entered", "do": [{"earn": "scrip", "amount": 1, "to": "everyone"}]},
    ],
    "matches": {"all": {"win_at": "all", "rules": [{"on": "collected", "of": "pearl", "do": [{"score": 1}]}]}},
    "ratings": {"dive": {"measure": "self.score", "steps": [10, 20, 30]}, "calm": {"measure": "1", "steps": [1]}},
    "levels": {"rank": {"experience": 20, "most": 9, "do": [{"raise_max": "suit", "amount": 10}]}},
    "records": {"pearls": {"on": "collected", "of": "pearl"}},
    "achievements": {"first": {"on": "collected", "of": "pearl", "reward": [{"give": "lamp"}, {"xp": "rank", "amount": 5}]}},
    "quests": {
        "all": {"goals": [{"on": "collected", "of": "pearl", "count": "all"}], "reward": [{"score": 1}]},
        "two": {"goals": [{"hold": "pearl", "count": 2}], "finish": "auto", "reward": [{"earn": "scrip", "amount": 7}]},
    },
    "stages": {
        "reef": {"pickups": {"pearl": 3, "chest": [[1, 2], [3, 4, 5]]}, "actors": {"eel": 2}, "rating": "dive"},
        "wreck": {"pickups": {"pearl": 2}, "actors": {"eel": [[7, 8]]}, "rating": "dive", "needs": ["self.stars.reef >= 1"]},
    },
}  # fmt: skip


@pytest.fixture
def world() -> World:
    return World(Design.from_dict(DESIGN))


@pytest.fixture
def ana(world: World) -> Actor:
    return world.join("diver", "ana", team="north")


def names(world: World) -> list[str]:
    return [actor.id for actor in world.actors] + [placement.id for placement in world.placements]


def had(world: World, player: str) -> dict[str, Any]:
    """Return all that there is of a player, in a shape that can be compared."""
    actor = world.actor(player)
    return {
        "profile": json.loads(json.dumps(world.profile(actor).sections)),
        "meters": {name: (actor[name].value, actor[name].max) for name in actor.meters},
        "rest": (
            actor.alive,
            actor.lives,
            actor.score,
            actor.tags,
            actor.statuses,
            actor.position,
            actor.team,
        ),
        "cooldown": actor.cooldown_left("bolt"),
        "pulse": actor.pulse_progress("tick"),
        "team": (world.value("team.north.score"), world.value("team.north.chest")),
    }


def test_a_stage_is_laid_out_by_kind_and_number_and_starts(world: World, ana: Actor) -> None:
    assert (world.stage, world.enter_stage("reef").done, world.stage) == ("", True, "reef")
    assert names(world) == ["ana", "eel1", "eel2", "pearl1", "pearl2", "pearl3", "chest1", "chest2"]
    assert [world.placement(name).position for name in ("pearl1", "chest1", "chest2")] == [
        None,
        (1, 2, 0),
        (3, 4, 5),
    ]
    assert ana.purse["scrip"] == 11  # by the rule on `stage_entered`
    entered = next(event for event in world.events if event.name == "stage_entered")
    assert {event.cause for event in world.events if event.name == "placed"} == {entered.seq}


def test_the_next_one_ends_it_and_players_stay_with_all_they_have(world: World, ana: Actor) -> None:
    world.enter_stage("reef")
    boat, turret = world.spawn("boat", "boat1"), world.spawn("eel", "mine", owner=ana)
    ana.take(world.placement("pearl1"))
    shot = ana.launch("bolt")
    assert world.enter_stage("wreck").blocked == "locked"
    assert world.stage == "reef"
    ana.rate("dive")
    assert world.enter_stage("wreck").done
    assert names(world) == ["ana", "boat1", "eel1", "pearl1", "pearl2"]
    assert (boat["hull"].value, ana.bag["pearl"], ana.score) == (50, 1, 10)
    assert world.actor("eel1").position == (7, 8, 0)
    with pytest.raises(LookupError, match="has ended with its stage"):
        shot.hit(ana)
    with pytest.raises(LookupError, match="has left"):
        turret.hurt(1)
    told = [event.name for event in world.events if event.name in ("stage_left", "stage_entered", "departed")]
    assert told == ["stage_entered", "stage_left", "departed", "departed", "departed", "stage_entered"]
    assert world.leave_stage().done
    assert (world.leave_stage().blocked, names(world), world.stage) == ("no_change", ["ana", "boat1"], "")


def test_a_name_that_is_taken_is_passed_over(world: World, ana: Actor) -> None:
    world.spawn("boat", "eel1")
    world.join("diver", "pearl2")
    world.enter_stage("reef")
    assert names(world)[3:] == ["eel2", "eel3", "pearl1", "pearl3", "pearl4", "chest1", "chest2"]


def test_needs_hold_for_every_player(world: World, ana: Actor) -> None:
    world.enter_stage("reef")
    ana.take(world.placement("pearl1"))
    ana.rate("dive")
    world.join("diver", "bea")
    assert world.enter_stage("wreck").blocked == "locked"
    world.leave(world.actor("bea"))
    assert world.enter_stage("wreck").done


def test_stars_are_kept_per_stage_and_the_total_counts_stages_once(world: World, ana: Actor) -> None:
    ana.add_score(10)
    assert (ana.rate("dive").stars, world.value("ana.stars")) == (1, 0)  # of no stage
    world.enter_stage("reef")
    ana.take(world.placement("pearl1"))
    ana.rate("dive")
    assert [world.value(f"ana.stars.{name}") for name in ("dive", "reef", "wreck")] == [2, 2, 0]
    world.enter_stage("wreck")
    ana.take(world.placement("pearl1"))
    ana.rate("dive")
    ana.rate("calm")
    assert [world.value(f"ana.stars.{name}") for name in ("dive", "reef", "wreck", "calm")] == [3, 2, 3, 1]
    assert {name: ana.ratings[name].best for name in ana.ratings} == {
        "dive": 3,
        "calm": 1,
        "reef": 2,
        "wreck": 3,
    }
    assert (ana.ratings.total, Stars(ana, "reef").text) == (6, "★★⯪")
    assert world.value("ana.stars") == 2 + 3 + 1
    assert (world.value("ana.rated.reef"), world.profile(ana).sections["ratings"]["wreck"]) == (True, 3)
    assert World(world.design).join("diver", "ana", profile=world.profile(ana)).ratings is not None


def test_all_is_all_of_the_present_stage(world: World, ana: Actor) -> None:
    world.enter_stage("reef")
    world.match("all").start()
    ana.accept("all")
    ana.take(world.placement("pearl1"))
    assert (ana.quests["all"].goals[0].progress, ana.quests["all"].goals[0].count) == (1, 3)
    ana.rate("dive")
    world.enter_stage("wreck")  # what was left lying is not met by being gone
    assert (ana.quests["all"].state, world.match("all").running) == ("active", True)
    assert (ana.quests["all"].goals[0].progress, ana.quests["all"].goals[0].count) == (0, 2)
    ana.take(world.placement("pearl1"))
    assert (ana.quests["all"].state, world.match("all").running) == ("active", True)
    ana.take(world.placement("pearl2"))
    assert (ana.quests["all"].state, world.match("all").winner) == ("ready", "ana")


def play(world: World, ana: Actor) -> None:
    """Change all there is to change."""
    world.move(ana, 5.0, 6.0)
    ana.hurt(30)
    ana.status("chill")
    ana.set_tag("wet")
    for name in ("pearl1", "pearl2"):
        ana.take(world.placement(name))
    ana.exchange("office")
    ana.take(world.placement("chest1"))
    ana.hit(world.actor("eel1"), "bolt")
    ana.accept("two")
    ana.earn("chest", 9)
    ana.set_input("depth", 4)
    world.advance(6)
    ana.hurt(999)
    world.match("all").start()
    world.advance(1)


def test_playing_again_puts_everything_back_but_what_is_kept(world: World, ana: Actor) -> None:
    ana.hurt(11)
    ana.set_tag("wet")
    world.move(ana, 1.0, 1.0)
    world.advance(1.5)
    before = had(world, "ana")
    world.enter_stage("reef")
    play(world, ana)
    assert had(world, "ana") != before
    now = world.now
    assert world.restart_stage().done
    assert (world.now, world.stage, names(world)[1:3]) == (now, "reef", ["eel1", "eel2"])
    assert (len(world.placements), world.actor("eel1")["hide"].value) == (5, 30)
    after = had(world, "ana")
    kept = {"achievements", "records"}
    # What is kept: what was achieved, and what it gave (a lamp, 5 experience); what the new start gave: 1 scrip.
    assert {name: after["profile"][name] for name in after["profile"] if name not in kept} == {
        **{name: before["profile"][name] for name in before["profile"] if name not in kept},
        "currencies": {"scrip": 11},
        "items": {"lamp": 1},
        "levels": {"rank": {"xp": 5, "level": 1}},
    }
    assert (ana.achievements["first"].achieved, ana.records["pearls"]) == (True, 2)
    assert {**after, "profile": 0} == {**before, "profile": 0}
    assert read.parts(world).exchanges.left("office") == 3
    assert not world.match("all").running
    assert (world.value("pickups.pearl.taken"), world.value("pickups.pearl.placed")) == (0, 3)
    assert ana.take(world.placement("chest1")).done  # the once of it is put back, too
    assert ("scrip", "restarted") in {(line.good, line.reason) for line in world.books.sums("", "ana")}
    for good in ("scrip", "pearl", "lamp"):
        held = ana.purse[good] if good == "scrip" else ana.bag[good]
        assert world.books.came(good, "ana") - world.books.went(good, "ana") == held


def test_it_can_be_played_again_as_often_as_one_likes_and_from_a_snapshot(world: World, ana: Actor) -> None:
    world.enter_stage("reef")
    play(world, ana)
    there = World.restore(world.design, world.snapshot())
    states = []
    for one in (world, there, world):
        one.restart_stage()
        state = had(one, "ana")
        assert state["profile"].pop("records")["pearls"]["total"] in (2, 4)
        states.append(state)
        play(one, one.actor("ana"))
    assert states[0] == states[1] == states[2]


def test_rewards_of_what_is_kept_come_once_more_and_not_twice(world: World, ana: Actor) -> None:
    world.enter_stage("reef")
    for _ in range(3):
        ana.take(world.placement("pearl1"))
        assert (ana.bag["lamp"], ana.levels["rank"].xp) == (1, 15)
        world.restart_stage()
        assert (ana.bag["lamp"], ana.levels["rank"].xp) == (1, 5)


def test_what_is_kept_is_the_designs_to_say() -> None:
    world = World(
        Design.from_dict({**DESIGN, "game": {**DESIGN["game"], "restart_keeps": ["currencies", "quests"]}})
    )
    ana = world.join("diver", "ana")
    world.enter_stage("reef")
    play(world, ana)
    scrip = ana.purse["scrip"]
    world.restart_stage()
    assert (ana.purse["scrip"], ana.quests["two"].state) == (scrip + 1, "active")
    assert (ana.achievements["first"].achieved, ana.records["pearls"], ana.bag["lamp"]) == (False, 0, 0)
    with pytest.raises(DesignError, match="restart_keeps"):
        Design.from_dict({"game": {"restart_keeps": ["coins"]}})


def test_who_came_later_goes_back_to_how_it_arrived(world: World, ana: Actor) -> None:
    world.enter_stage("reef")
    world.advance(3)
    bea = world.join("diver", "bea")
    bea.take(world.placement("pearl1"))
    world.leave(ana)
    world.restart_stage()
    assert (bea.bag["pearl"], bea.score, bea.purse["scrip"], bea.pulse_progress("tick")) == (0, 0, 11, 0)


def test_trades_with_one_who_has_left_stand(world: World, ana: Actor) -> None:
    bea, cid = world.join("diver", "bea"), world.join("diver", "cid")
    ana.give("pearl", 3)
    world.enter_stage("reef")
    assert world.trade(ana, {"pearl": 2}, bea, {"scrip": 4})
    assert world.trade(cid, {"scrip": 1}, ana, {"pearl": 1})
    world.leave(bea)
    world.restart_stage()
    assert (ana.bag["pearl"], ana.purse["scrip"] - 1, cid.purse["scrip"] - 1, cid.bag["pearl"]) == (
        1,
        14,
        10,
        0,
    )
    # And once more: what stands was taken in.
    world.restart_stage()
    assert (ana.bag["pearl"], ana.purse["scrip"] - 1) == (1, 14)


def test_one_who_was_dead_lives_again_and_waits_for_no_return(world: World, ana: Actor) -> None:
    world.enter_stage("reef")
    ana.hurt(999)
    world.restart_stage()
    assert (ana.alive, ana.lives, ana["suit"].value) == (True, 3, 90)
    respawned = sum(event.name == "respawned" for event in world.events)
    world.advance(5)
    assert sum(event.name == "respawned" for event in world.events) == respawned


def test_what_changes_is_told_and_nothing_follows_from_it(world: World, ana: Actor) -> None:
    world.enter_stage("reef")
    ana.take(world.placement("pearl1"))
    heard: list[tuple[str, Any]] = []
    for name in ("lost", "spent", "scored", "adjusted", "restarted"):
        world.listen(name, lambda event: heard.append((event.name, event.plain().get("reason", ""))))
    world.restart_stage()
    assert [name for name, _ in heard].count("restarted") == 1
    assert ("lost", "restarted") in heard
    assert ("spent", "restarted") in heard
    assert ana.score == 0


def test_listeners_are_heard_out_and_may_not_turn_the_stage(world: World, ana: Actor) -> None:
    world.enter_stage("reef")
    tried: list[type] = []

    def turn(event: Any) -> None:
        for call in (world.restart_stage, world.leave_stage, lambda: world.enter_stage("wreck")):
            try:
                call()
            except BusyError as error:
                tried.append(type(error))
        raise ValueError("mine")

    with world.listen("stage_left", turn), pytest.raises(ReactionError) as error:
        world.restart_stage()
    assert (len(tried), [str(one) for one in error.value.exceptions]) == (3, ["mine"])
    assert (world.stage, len(world.placements)) == ("reef", 5)


def test_wrong_use_changes_nothing(world: World, ana: Actor) -> None:
    before = world.snapshot()
    with pytest.raises(UsageError, match="enter one first"):
        world.restart_stage()
    with pytest.raises(UnknownNameError, match="did you mean 'reef'"):
        world.enter_stage("reeef")
    assert world.snapshot() == before
    fickle = {
        **DESIGN["actors"],
        "eel": {"vital": "hide", "meters": {"hide": 3}, "pulses": {"p": {"every": "self.x", "do": []}}},
    }
    world = World(Design.from_dict({**DESIGN, "actors": fickle}))
    world.join("diver", "ana")
    world.place("pearl")
    before = world.snapshot()
    with pytest.raises(FormulaError):
        world.enter_stage("reef")
    assert world.snapshot() == before


@pytest.mark.parametrize(
    ("stage", "told"),
    [
        ({"pickups": {"perl": 1}}, "did you mean 'pearl'"),
        ({"actors": {"ell": 1}}, "did you mean 'eel'"),
        ({"actors": {"diver": 1}}, "is a player kind"),
        ({"pickups": {"pearl": -1}}, "it must be how many, up to 10,000, or a list of places"),
        ({"pickups": {"pearl": [[1]]}}, "a list of places such as"),
        ({"pickups": {"pearl": [[1, "2"]]}}, "a list of places such as"),
        ({"rating": "dives"}, "did you mean 'dive'"),
        ({"needs": ["self.starz >= 1"]}, "did you mean 'self.stars'"),
    ],
)
def test_a_stage_that_cannot_be_is_told(stage: dict[str, Any], told: str) -> None:
    with pytest.raises(DesignError) as error:
        Design.from_dict({**DESIGN, "stages": {"odd": stage}})
    assert told in str(error.value)


def test_a_stage_and_a_rating_may_not_share_a_name() -> None:
    with pytest.raises(DesignError, match="has the name of the rating 'dive'"):
        Design.from_dict({**DESIGN, "stages": {"dive": {}}})
