"""Hits: every step in its order, every refusal, and the number a person can follow."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import Actor, AmountError, Design, Event, FormulaError, UnknownNameError, UsageError, World
from cleaver.core import read
from cleaver.core.vitals.blow import Blow
from helpers import crate_world, heard, names


def test_a_sting_through_the_visor(ana: Actor, eel: Actor, log: list[Event]) -> None:
    hit = eel.hit(ana, "sting", zone="visor", charge=0.5, crit=False)

    assert hit.explain() == "9 × 3 visor × 0.5 venom − 1 armour = 12.5"
    assert hit.steps == (("", 9.0, ""), ("×", 3.0, "visor"), ("×", 0.5, "venom"), ("−", 1.0, "armour"))
    assert (hit.dealt, hit.absorbed, hit.overkill, hit.critical, hit.lethal, hit.blocked, bool(hit)) == (
        12.5,
        0,
        0,
        False,
        False,
        "",
        True,
    )
    assert ana["suit"].value == 77.5
    assert names(log) == ["damaged", "status_began"]
    assert log[1].cause == log[0].seq


def test_a_forced_critical_still_draws(world: World, ana: Actor, eel: Actor) -> None:
    eel.hit(ana, "sting", crit=True)
    assert world.snapshot()["dice"][0] == {"crit/eel1": 1}
    blocked = eel.hit(ana, "sting")

    assert blocked.blocked == "cooldown"
    assert read.parts(world).stage.dice.drawn == {"crit/eel1": 1}  # one refused at the gate draws nothing


@pytest.mark.parametrize(("near", "dealt"), [(1, 9), (2, 6), (3, 4.5)])
def test_a_boss_is_safer_in_a_crowd(near: int, dealt: float) -> None:
    world, box = crate_world(guard={"scale": "2 / (1 + nearby)"}, inputs={"nearby": 1})

    assert box.hurt(9, nearby=near).dealt == dealt


def test_a_formula_that_gives_no_amount_names_itself_and_its_inputs_and_changes_nothing() -> None:
    world, box = crate_world(guard={"scale": "2 / nearby - 1"}, inputs={"nearby": 1})
    before = world.snapshot()

    with pytest.raises(FormulaError, match=r"actors.crate.guard.scale: divides by zero \(with nearby = 0\)"):
        box.hurt(9, nearby=0)
    with pytest.raises(FormulaError, match="gives -0.5"):
        box.hurt(9, nearby=4)
    assert world.snapshot() == before


def test_a_boss_is_safe_from_afar() -> None:
    world, box = crate_world(guard={"scale": "0 if near(6) == 0 else 2 / (1 + near(6))"})
    wasp = world.spawn("wasp")
    world.move(box, 0, 0)
    world.move(wasp, 10, 0)

    assert box.hurt(9).blocked == "deflected"
    world.move(wasp, 6, 0)
    assert box.hurt(9).dealt == 9


@pytest.mark.parametrize(
    ("guard", "amount", "told"),
    [
        ({"armour": 1}, 9, "9 − 1 armour = 8"),
        ({"armour": 20, "least": 2}, 9, "9 − 20 armour → at least 2 = 2"),
        ({"most": 5}, 9, "9 → at most 5 = 5"),
        (
            {"through": {"venom": 0.25}, "zones": {"visor": 3}, "armour": 1},
            12,
            "12 × 3 visor × 0.25 venom − 1 armour = 8",
        ),
    ],
)
def test_the_guard_explains_itself(guard: dict[str, Any], amount: float, told: str) -> None:
    world, box = crate_world(guard=guard)
    zone, kind = ("visor" if "zones" in guard else ""), ("venom" if "through" in guard else "")

    assert box.hurt(amount, zone=zone, type=kind).explain() == told


def test_whole_vital_meters_round_once_at_the_end() -> None:
    world, box = crate_world(
        {"max": 100, "whole": True}, guard={"through": {"venom": 0.5}, "armour": 1, "most": 12}
    )

    hit = box.hurt(7, type="venom")
    assert hit.dealt == 3
    assert hit.explain() == "7 × 0.5 venom − 1 armour → rounded 3 = 3"


def test_no_harm_is_a_deflection_without_grace_or_effects() -> None:
    world, box = crate_world(guard={"armour": 9, "grace": 1.0, "zones": {"shell": 0}})
    events = heard(world, "deflected")

    assert box.hurt(9).blocked == "deflected"
    assert box.hurt(5, zone="shell").blocked == "deflected"
    assert box.hurt(0).blocked == "deflected"
    assert box.hurt(10).dealt == 1  # no grace came of the others
    assert [(event.zone, event.attack) for event in events] == [("", ""), ("shell", ""), ("", "")]


def test_the_least_counts_for_anything_above_zero_but_not_for_a_zone_of_zero() -> None:
    world, box = crate_world(guard={"armour": 9, "least": 1, "zones": {"shell": 0}})

    assert box.hurt(0.5).dealt == 1
    assert box.hurt(5, zone="shell").blocked == "deflected"


def test_shields_absorb_in_the_order_of_the_design_then_the_vital_meter_loses() -> None:
    meters = {
        "planks": 30,
        "tar": {"max": 10, "start": 4, "shields": "planks"},
        "rope": {"max": 10, "shields": "planks"},
    }
    world, box = crate_world(crate={"player": True, "vital": "planks", "meters": meters})
    events = heard(world, "damaged")
    hit = box.hurt(9)
    assert (hit.absorbed, hit.dealt, box["tar"].value, box["rope"].value, box["planks"].value) == (
        9,
        0,
        0,
        5,
        30,
    )
    hit = box.hurt(50)

    assert (hit.amount, hit.absorbed, hit.dealt, hit.overkill, hit.lethal) == (50, 5, 30, 15, True)
    assert [(event.amount, event.absorbed, event.overkill) for event in events] == [(0, 9, 0), (30, 5, 15)]
    assert names(world.events) == ["joined", "damaged", "emptied", "damaged", "emptied", "emptied", "died"]


def test_the_gate_refuses_in_its_written_order() -> None:
    teams = {"north": {}, "south": {"friendly_fire": 0.5}}
    guard = {"grace": 1.0, "through": {"steam": 0}, "immune_while": ["hidden"]}
    kind = {
        "player": True,
        "vital": "planks",
        "meters": {"planks": 100},
        "guard": guard,
        "attacks": {"ram": {"amount": 8, "cooldown": 2.0}},
    }
    world = World(Design.from_dict({"teams": teams, "actors": {"crate": kind}}))
    one, two, far = (
        world.join("crate", "one", team="north"),
        world.join("crate", "two", team="north"),
        world.join("crate", "far", team="south"),
    )
    mate = world.join("crate", "mate", team="south")

    assert one.hit(two, "ram").blocked == "friendly"
    assert far.hit(mate, "ram").dealt == 4  # a share of a half, and a cooldown and grace from here on
    assert far.hit(mate, "ram").blocked == "cooldown"
    assert one.hit(mate, "ram").blocked == "grace"
    assert one.hit(mate, "ram", ignores=("grace",)).dealt == 8
    assert one.hit(far, amount=5, type="steam").blocked == "immune"
    far.tag("hidden")
    assert one.hit(far, amount=5).blocked == "immune"
    one.hurt(1000)
    assert one.hit(far, amount=5).blocked == "source_dead"
    far.untag("hidden")
    assert one.hit(far, amount=5, posthumous=True).dealt == 5
    assert far.hit(one, "ram").blocked == "dead"
    assert two.hit(two, amount=5).dealt == 5  # oneself is no friend


@given(
    st.lists(st.tuples(st.floats(-20, 20), st.floats(-20, 20), st.floats(-3, 3)), max_size=20),
    st.lists(st.floats(0, 30), min_size=1, max_size=12),
)
def test_near_counts_whom_a_walk_over_all_would(
    spots: list[tuple[float, float, float]], radii: list[float]
) -> None:
    world, box = crate_world()
    world.move(box, 0, 0)
    wasps = [world.spawn("wasp") for _ in spots]
    for radius in radii:
        for wasp, spot in zip(wasps, spots, strict=True):
            world.move(wasp, *spot)
        if wasps:
            wasps[0].hurt(99)
        walked = sum(
            wasp.alive and x * x + y * y + z * z <= radius * radius
            for wasp, (x, y, z) in zip(wasps, spots, strict=True)
        )
        assert (
            read.parts(world).places.near(read.body(box), radius)
            == read.parts(world).places.near(read.body(box), radius, "wasp")
            == walked
        )


def test_grace_and_cooldowns_are_over_at_their_instant() -> None:
    world, box = crate_world(guard={"grace": 0.8})
    box.hurt(1)
    world.advance(0.799999)
    assert box.hurt(1).blocked == "grace"
    world.advance(microseconds=1)
    assert box.hurt(1).dealt == 1


def test_a_second_lethal_hit_of_the_same_instant_finds_the_dead() -> None:
    world, box = crate_world(10)
    wasp = world.spawn("wasp")
    first, second = wasp.hit(box, amount=10), wasp.hit(box, amount=10)

    assert first.lethal
    assert second.blocked == "dead"
    assert names(world.events).count("died") == 1


def test_unknown_names_are_errors_with_the_nearest(ana: Actor, eel: Actor, world: World) -> None:
    before = world.snapshot()
    for call, word in (
        (lambda: eel.hit(ana, "stign"), "sting"),
        (lambda: eel.hit(ana, "sting", zone="vizor"), "visor"),
        (lambda: ana.hurt(5, type="venm"), "venom"),
        (lambda: eel.hit(ana, "sting", chrge=1), "charge"),
        (lambda: ana["siut"], "suit"),
        (lambda: ana.heal(5, "airr"), "air"),
        (lambda: ana.hurt(5, ignores=("armor",)), "armour"),  # type: ignore[arg-type]  # misspelt
        (lambda: world.actor("anna"), "ana"),
        (lambda: world.spawn("eell"), "eel"),
        (lambda: world.listen_own("damged", print), "damaged"),
        (lambda: ana.set_tag("submergd"), "submerged"),
    ):
        with pytest.raises(UnknownNameError, match=f"'{word}'|{word}"):
            call()
    with pytest.raises(UsageError, match="with what"):
        eel.hit(ana)
    with pytest.raises(AmountError):
        eel.hit(ana, amount=-5)
    assert world.snapshot() == before


def test_actors_of_two_worlds_cannot_hit_each_other(reef: Design, eel: Actor) -> None:
    with pytest.raises(UsageError, match="another world"):
        eel.hit(World(reef).join("diver", "bea"), "sting")


def test_contact_on_every_frame_hurts_once_a_cooldown(ana: Actor, eel: Actor, world: World) -> None:
    hits = 0
    for _ in range(180):
        hits += bool(eel.hit(ana, "sting", zone="visor", charge=0))
        world.advance(1 / 60)

    assert hits == 3


@given(
    st.floats(0, 50),
    st.sampled_from(["", "visor", "shell"]),
    st.booleans(),
    st.floats(0, 3),
    st.floats(0.1, 2),
    st.floats(0, 5),
    st.floats(0, 2),
    st.integers(0, 100),
)
def test_the_quick_way_and_the_general_way_are_the_same(
    amount: float,
    zone: str,
    crit: bool,
    zone_factor: float,
    through: float,
    armour: float,
    deals: float,
    seed: int,
) -> None:
    tables = {
        "inputs": {"charge": 1.0},
        "actors": {
            "crate": {
                "player": True,
                "vital": "planks",
                "meters": {
                    "planks": {"max": 60, "marks": {"low": 0.25, "half": 0.5}, "flows": [{"rate": 3}]}
                },
                "guard": {
                    "zones": {"visor": zone_factor, "shell": 0.5},
                    "through": {"venom": through},
                    "armour": armour,
                    "grace": 0.01,
                },
            },
            "wasp": {
                "vital": "wings",
                "meters": {"wings": 10},
                "attacks": {
                    "sting": {"amount": amount, "type": "venom", "crit": {"chance": 0.5, "times": 2}},
                    "jab": {"amount": f"{amount!r} * charge", "type": "venom", "cooldown": 0.02},
                    "peck": {"amount": amount},
                },
            },
        },
        "statuses": {"weak": {"deals": deals}},
    }
    logs = []
    for quick in (True, False):
        world = World(Design.from_dict(tables), seed=seed)
        box, wasp = world.join("crate", "box"), world.spawn("wasp")
        wasp.status("weak")
        told = []
        for attack in ("sting", "jab", "peck", "sting", "jab"):
            if quick:
                hit = wasp.hit(box, attack, zone=zone)
            else:
                form = read.parts(world).combat.attack(read.body(wasp), attack)
                hit = read.parts(world).done(
                    read.parts(world).combat.hit(
                        read.body(box),
                        Blow(form.amount, read.body(wasp), attack=form, zone=zone, type=form.type),
                    )
                )
            told.append(
                (hit.blocked, hit.amount, hit.dealt, hit.overkill, hit.critical, hit.lethal, hit.explain())
            )
            world.advance(0.015)
        world.advance(3)
        logs.append(
            (told, [event.plain() for event in world.events], world.snapshot()["dice"], box["planks"].value)
        )

    assert logs[0] == logs[1]
