"""Owners, what acts for them, and shots: whom a hit counts for, and whom it spares. Worked numbers."""

from __future__ import annotations

from typing import Any

import pytest

from cleaver import Actor, CleaverError, Design, GoneError, UnknownNameError, UsageError, World

DESIGN: dict[str, Any] = {
    "inputs": {"charge": 1.0},
    "teams": {"north": {}, "south": {}},
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": 90},
            "attacks": {
                "bolt": {"amount": "10 * charge", "cooldown": 2.0, "pierces": 1, "flight": 4.0},
                "charge": {"amount": 5, "hits_owner": True},
                "sure": {"amount": 4, "crit": {"chance": 1.0, "times": 3}},
                "net": {"amount": 1, "do": [{"status": "wet"}]},
            },
        },
        "turret": {"vital": "shell", "meters": {"shell": 20}, "attacks": {"zap": {"amount": 30, "do": [{"status": "wet"}]}}},
        "eel": {"vital": "hide", "meters": {"hide": 30}, "on_death": [{"score": 7, "to": "source"}]},
        "rock": {"vital": "hide", "meters": {"hide": 5}, "guard": {"armour": 99}},
    },
    "statuses": {"wet": {"lasts": 5.0, "pulses": [{"every": 1.0, "do": [{"hurt": 40}]}]}},
    "rules": [{"on": "defeated", "of": "eel", "do": [{"score": 40}]}],
    "records": {"eels": {"on": "defeated", "of": "eel"}},
    "achievements": {"bane": {"on": "struck", "count": 2}},
}  # fmt: skip


@pytest.fixture
def world() -> World:
    return World(Design.from_dict(DESIGN))


@pytest.fixture
def ana(world: World) -> Actor:
    return world.join("diver", "ana", team="north")


def again(world: World) -> World:
    return World.restore(world.design, world.snapshot())


# owners


def test_what_an_actor_does_counts_for_its_owner_and_the_owners_owner(world: World, ana: Actor) -> None:
    turret = world.spawn("turret", "t1", owner=ana)
    drone = world.spawn("turret", "t2", owner=turret)
    eel = world.spawn("eel", "eel1")
    drone.hit(eel, "zap")
    died = next(event for event in world.events if event.name == "died")
    assert (died.source, died.credit) == ("t2", "ana")
    assert (ana.score, ana.records["eels"]) == (47, 1)  # 40 by the rule, 7 that the eel gives its source
    assert (turret.owner, drone.owner) == ("ana", "t1")


def test_a_pulse_counts_for_the_owner_also_when_both_have_gone(world: World, ana: Actor) -> None:
    turret = world.spawn("turret", "t1", owner=ana)
    eel = world.spawn("eel", "eel1")
    eel.status("wet", source=turret)
    world.dismiss(turret)
    assert ana.score == 0
    world.advance(1)  # 40 of 30
    assert (eel.alive, ana.score) == (False, 40)  # what gives to its source finds nobody
    died = next(event for event in world.events if event.name == "died")
    assert (died.source, died.credit) == ("t1", "ana")

    other = world.spawn("eel", "eel2")
    other.status("wet", source=world.spawn("turret", "t3", owner=ana))
    world.dismiss(world.actor("t3"))
    world.dismiss(ana)
    newcomer = world.join("diver", "ana")
    world.advance(1)
    died = [event for event in world.events if event.name == "died"][-1]
    assert (died.actor, died.credit, newcomer.score) == (
        "eel2",
        "ana",
        0,
    )  # the name says who; nobody gets it


def test_it_stands_in_its_owners_team_unless_it_has_one_and_goes_along(world: World, ana: Actor) -> None:
    turret = world.spawn("turret", owner=ana)
    own = world.spawn("turret", owner=ana, team="south")
    drone = world.spawn("turret", owner=turret)
    assert (turret.team, own.team, drone.team) == ("north", "south", "north")
    world.set_team(ana, "south")
    assert (turret.team, drone.team) == ("south", "south")
    world.set_team(turret, "north")  # from now on its own
    world.set_team(ana, "")
    assert (turret.team, own.team, drone.team) == ("north", "south", "north")


def test_an_owner_that_has_left_owns_nothing_of_who_comes_under_its_name(world: World, ana: Actor) -> None:
    turret = world.spawn("turret", "t1", owner=ana)
    world.dismiss(ana)
    newcomer = world.join("diver", "ana", team="south")
    assert turret.hit(newcomer, "zap").dealt == 30
    there = again(world)
    assert there.actor("t1").hit(there.actor("ana"), "zap").dealt == 30
    eel = world.spawn("eel")
    turret.hit(eel, "zap")
    assert newcomer.score == 0


def test_it_does_not_hit_its_owner_whatever_the_team_allows(world: World, ana: Actor) -> None:
    lone = world.join("diver", "lone")
    for owner in (ana, lone):
        turret = world.spawn("turret", owner=owner)
        drone = world.spawn("turret", owner=turret)
        assert turret.hit(owner, "zap").blocked == "friendly"
        assert drone.hit(owner, "zap").blocked == "friendly"
        assert drone.hit(turret, "zap").blocked == "friendly"
        assert turret.hit(owner, "zap", ignores=("friendly",)).dealt == 30
        assert owner.hit(turret, "bolt").dealt == 10 if owner is lone else True


def test_what_one_owns_defeats_none_of_ones_own(world: World, ana: Actor) -> None:
    bea = world.join("diver", "bea", team="north")
    turret = world.spawn("turret", owner=ana, team="south")  # of another team than its owner
    turret.hit(bea, "zap")
    assert ana.achievements["bane"].progress == 0  # bea stands on ana's side
    turret.hit(world.join("diver", "cid", team="south"), "zap", ignores=("friendly",))
    turret.hit(world.spawn("eel"), "zap")
    assert ana.achievements["bane"].achieved


# shots


def test_a_shot_lands_with_its_inputs_and_pierces_one_more(world: World, ana: Actor) -> None:
    eels = [world.spawn("eel") for _ in range(3)]
    shot = ana.launch("bolt", charge=2.0)
    assert (shot.id, shot.by, shot.left, shot.seconds_left, world.shots) == ("bolt#1", "ana", 2, 4.0, (shot,))
    assert shot.hit(eels[0]).dealt == 20
    assert shot.hit(eels[0]).blocked == "spent"  # each once
    assert shot.hit(eels[1]).dealt == 20
    assert shot.hit(eels[2]).blocked == "spent"
    assert (shot.left, world.shots, [eel["hide"].value for eel in eels]) == (0, (), [10, 10, 30])


def test_who_launched_it_is_spared_and_so_are_friends_and_that_uses_nothing_up(
    world: World, ana: Actor
) -> None:
    bea, eel = world.join("diver", "bea", team="north"), world.spawn("eel")
    shot = ana.launch("bolt")
    assert shot.hit(ana).blocked == "friendly"
    assert shot.hit(bea).blocked == "friendly"
    assert shot.hit(eel).dealt == 10
    assert ana.launch("charge").hit(ana).dealt == 5
    turret = world.spawn("turret", owner=ana)
    assert turret.launch("zap").hit(ana).blocked == "friendly"
    assert (ana["suit"].value, shot.left) == (85, 1)


def test_what_bounces_off_has_landed(world: World, ana: Actor) -> None:
    shot, rock = ana.launch("bolt"), world.spawn("rock")
    assert shot.hit(rock).blocked == "deflected"
    assert shot.hit(rock).blocked == "spent"
    assert shot.left == 1


def test_dead_and_cooldown_are_asked_where_it_is_launched(world: World, ana: Actor) -> None:
    eel = world.spawn("eel")
    first = ana.launch("bolt")
    assert ana.cooldown_left("bolt") == 2.0
    assert (bool(ana.launch("bolt")), ana.launch("bolt").blocked) == (False, "cooldown")
    assert ana.hit(eel, "bolt").dealt == 10  # a stroke of it rests by itself
    world.advance(2)
    second = ana.launch("bolt")
    assert (bool(second), second.hit(eel).dealt) == (True, 10)  # no cooldown where it lands
    ana.hurt(200)
    assert ana.launch("bolt").blocked == "dead"
    assert first.hit(eel).dealt == 10
    assert (eel.alive, ana.score) == (False, 47)  # what was caused alive pays the dead


def test_it_lands_when_its_owner_has_left_and_nobody_gets_the_points(world: World, ana: Actor) -> None:
    bea, eel = world.join("diver", "bea", team="north"), world.spawn("eel", "eel1")
    shot = ana.launch("sure")
    world.leave(ana)
    newcomer = world.join("diver", "ana")
    assert shot.hit(bea).blocked == "friendly"  # its team is that of the launch
    eel["hide"].set(12)
    result = shot.hit(eel)
    assert (result.dealt, result.critical, result.lethal, newcomer.score) == (12, True, True, 0)
    died = next(event for event in world.events if event.name == "died")
    assert (died.source, died.credit, died.attack) == ("ana", "ana", "sure")


def test_its_effects_come_with_it(world: World, ana: Actor) -> None:
    eel = world.spawn("eel")
    shot = ana.launch("net")
    world.leave(ana)
    shot.hit(eel)
    assert eel.statuses == ("wet",)


def test_its_flight_ends_and_using_it_then_says_so(world: World, ana: Actor) -> None:
    eel = world.spawn("eel")
    dropped, flown = ana.launch("charge", "s1"), ana.launch("bolt", "s2")
    dropped.drop()
    for use in (lambda: dropped.hit(eel), dropped.drop, lambda: dropped.left):
        with pytest.raises(GoneError, match="shot 's1' was dropped; launch another"):
            use()
    world.advance(3.999999)
    assert flown.hit(eel).dealt == 10
    world.advance(0.000001)
    with pytest.raises(GoneError, match="shot 's2' is at the end of its flight"):
        flown.hit(eel)
    refused = World(world.design).join("diver", "ana")
    refused.launch("bolt")
    with pytest.raises(UsageError, match="was not launched .cooldown.; ask `if shot:`"):
        refused.launch("bolt").hit(refused)
    assert ana.launch("charge", "s1").id == "s1"  # the name is free again


def test_a_name_is_one_thing(world: World, ana: Actor) -> None:
    ana.launch("charge", "s1")
    for take in (
        lambda: world.spawn("eel", "s1"),
        lambda: ana.launch("charge", "ana"),
        lambda: ana.launch("net", "s1"),
    ):
        with pytest.raises(UsageError, match="is taken in this world"):
            take()
    with pytest.raises(UnknownNameError, match="did you mean 's1'"):
        world.shot("s11")
    with pytest.raises(UnknownNameError, match="did you mean 'bolt'"):
        ana.launch("bolts")
    with pytest.raises(UnknownNameError, match="did you mean 'charge'"):
        ana.launch("bolt", charg=1.0)
    before = world.snapshot()
    with pytest.raises(CleaverError):
        ana.launch("bolt", "x" * 500)
    assert world.snapshot() == before


def test_shots_go_on_in_a_snapshot(world: World, ana: Actor) -> None:
    eel, other = world.spawn("eel", "eel1"), world.spawn("eel", "eel2")
    ana.launch("bolt", "s1", charge=2.0).hit(eel)
    world.advance(1)
    there = again(world)
    shot = there.shot("s1")
    assert (shot.left, shot.seconds_left, shot.hit(there.actor("eel1")).blocked) == (1, 3.0, "spent")
    assert shot.hit(there.actor("eel2")).dealt == world.shot("s1").hit(other).dealt == 20
    there.advance(3)
    world.advance(3)
    assert there.snapshot() == world.snapshot()
    assert world.shots == ()


def test_nothing_is_kept_of_shots_that_have_ended(world: World, ana: Actor) -> None:
    def life() -> str:
        ana.launch("sure", "s").drop()
        ana.launch("charge", "t")
        world.advance(30)
        world.dismiss(world.spawn("turret", "t1", owner=ana))
        return str(len(str(world.snapshot()["parts"]["shots"])))

    assert life() == life() == life()
