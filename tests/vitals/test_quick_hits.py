"""Quick hits: what most hits are, done by a plan; the general way stays the truth."""

from __future__ import annotations

import json
import os
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cleaver import Actor, CleaverError, Design, World
from cleaver.core import read
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.state import slots_of
from strategies import TENTHS, general_way, pick

CASES = int(os.environ.get("CLEAVER_CASES") or 150)
Command = tuple[Any, ...]

_PAUSED = [{"rate": 2.3, "after_hurt": 0.5}]
_METER = st.fixed_dictionaries(
    {"max": pick(20, 33, 61.7)},
    optional={
        "flows": pick(_PAUSED, _PAUSED, [{"rate": 1.7}], [{"rate": -1.0}], [{"rate": 3, "every": 0.4}]),
        "marks": pick({"low": 0.25}, {"low": 0.25, "half": 0.5}),
        "whole": st.booleans(),
        "round": pick("half_up", "down", "up"),
    },
)
_SHIELD = st.fixed_dictionaries(
    {"max": pick(9, 50, 200), "shields": st.just("hide")},
    optional={"flows": pick(_PAUSED, [{"rate": 1.1}]), "whole": st.booleans()},
).map(lambda meter: {"start": meter["max"] // 2, **meter})
_GUARD = st.fixed_dictionaries(
    {"zones": st.just({"fin": 0.7})},
    optional={
        "armour": pick(0, 0.3, 1, 4),
        "least": pick(0.5, 2),
        "most": pick(2.5, 7),
        "scale": pick("0.5 + self.hide.fraction", "2", "source.hide.fraction", "1 / (source.hide - 5)"),
        "through": pick({"venom": 0.5}, {"venom": 0}),
        "grace": pick(0, 0, 0.3),
    },
)
_ATTACKS = st.fixed_dictionaries(
    {"amount": pick(3, 0.7, 2.25, 0, "1 + charge", "self.hide.fraction * 4")},
    optional={
        "type": st.just("venom"),
        "crit": st.just({"chance": 0.4, "times": 2}),
        "cooldown": pick(0, 0.2),
        "do": st.just([{"status": "chill"}]),
    },
)
_DESIGNS = st.fixed_dictionaries(
    {
        "inputs": st.just({"charge": 1}),
        "teams": st.just({"shoal": {"friendly_fire": 0.5}}),
        "actors": st.fixed_dictionaries(
            {
                "eel": st.fixed_dictionaries(
                    {
                        "vital": st.just("hide"),
                        "meters": st.fixed_dictionaries(
                            {"hide": _METER}, optional={"aura": _SHIELD, "film": _SHIELD, "nerve": _METER}
                        ),
                        "guard": _GUARD,
                        "attacks": st.fixed_dictionaries({"sting": _ATTACKS, "brush": _ATTACKS}),
                    },
                    optional={"respawn": st.just({"after": 1})},
                )
            }
        ),
        "statuses": st.just(
            {
                "chill": {"deals": 0.8, "lasts": 0.4},
                "soak": {"lasts": 0.6, "flows": [{"meter": "hide", "rate": -2}]},
                "frail": {"lasts": 0.3, "scale": 1.5},
            }
        ),
    }
)
_WHO = pick("one", "two")
_COMMANDS = st.one_of(
    *[
        st.tuples(
            st.just("hit"),
            _WHO,
            _WHO,
            pick("sting", "brush"),
            pick("", "fin"),
            pick(None, True, False),
            TENTHS,
        )
    ]
    * 6,
    st.tuples(st.just("advance"), pick(1, 16_667, 100_000, 400_000, 2_000_000)),
    st.tuples(st.just("heal"), _WHO, TENTHS),
    st.tuples(st.just("status"), _WHO, pick("chill", "soak", "frail")),
    st.tuples(st.just("set"), _WHO, pick(0.5, 3, 12)),
    st.tuples(st.just("max"), _WHO, pick(25, 40, 18.5), pick("value", "fraction", "missing")),
    st.tuples(st.just("team"), _WHO),
)


def carried_out(world: World, command: Command) -> Any:
    """Carry out one command; returns what came of it as text."""
    what, *words = command
    try:
        if what == "advance":
            return world.advance(microseconds=words[0])
        actor = world.actor(words[0])
        if what == "hit":
            _, target, attack, zone, crit, charge = words
            result = actor.hit(world.actor(target), attack, zone=zone, crit=crit, charge=charge)
            return repr(result), result.explain()
        if what == "heal":
            return repr(actor.heal(words[1]))
        if what == "status":
            return repr(actor.status(words[1]))
        if what == "set":
            return repr(actor["hide"].set(words[1]))
        if what == "max":
            return repr(actor["hide"].set_max(words[1], words[2]))
        return repr(world.set_team(actor, "" if actor.team else "shoal"))
    except CleaverError as error:
        return type(error).__name__, str(error)


def state(world: World) -> str:
    """A world as it is written down, but for when meters are looked at next: short cuts may look too early."""
    found = world.snapshot()
    place = slots_of(Body).index("meters")
    for body in found["actors"]:
        for meter in body[place].values():
            del meter[0]
    return json.dumps(found)


@settings(max_examples=CASES)
@given(_DESIGNS, st.integers(0, 50).flatmap(lambda size: st.lists(_COMMANDS, min_size=size, max_size=size)))
def test_a_quick_hit_does_what_the_general_way_does(tables: dict[str, Any], commands: list[Command]) -> None:
    try:
        design = Design.from_dict(tables)
    except CleaverError:
        return  # such as marks of a meter that nothing can reach
    quick = World(design, seed=5)
    with general_way():
        general = World(design, seed=5)
    for world in (quick, general):
        for name in ("one", "two"):
            world.spawn("eel", name)
    for command in commands:
        assert carried_out(quick, command) == carried_out(general, command), command
        assert state(quick) == state(general), command
    assert json.dumps([event.plain() for event in quick.events]) == json.dumps(
        [event.plain() for event in general.events]
    )


# that they are quick

_PLAIN: dict[str, Any] = {"max": 1000}


@pytest.mark.parametrize(
    ("meters", "guard", "left"),
    [
        ({"hide": _PLAIN}, {"armour": 1}, {"hide": 996}),
        ({"hide": {**_PLAIN, "whole": True}}, {"scale": "0.75"}, {"hide": 996}),
        ({"hide": {**_PLAIN, "flows": _PAUSED}}, {"least": 4}, {"hide": 992}),
        ({"hide": _PLAIN, "aura": {"max": 100, "shields": "hide"}}, {}, {"hide": 1000, "aura": 94}),
        (
            {
                "hide": {**_PLAIN, "whole": True, "flows": _PAUSED},
                "aura": {"max": 100, "shields": "hide", "flows": _PAUSED},
            },
            {"scale": "2", "most": 5},
            {"hide": 1000, "aura": 90},
        ),
        ({"hide": {**_PLAIN, "marks": {"low": 0.25}, "flows": [{"rate": 1}]}}, {}, {"hide": 994}),
    ],
)
def test_hits_of_every_common_shape_go_the_short_way(
    meters: dict[str, Any], guard: dict[str, Any], left: dict[str, float], monkeypatch: pytest.MonkeyPatch
) -> None:
    tables = {
        "actors": {
            "eel": {"vital": "hide", "meters": meters, "guard": guard, "attacks": {"sting": {"amount": 3}}}
        }
    }
    world = World(Design.from_dict(tables))
    one, two = world.spawn("eel"), world.spawn("eel")
    one.hit(two, "sting")

    def long_way(*args: object, **named: object) -> None:
        raise AssertionError("this hit has a plan")

    monkeypatch.setattr(read.parts(world).combat, "take", long_way)
    monkeypatch.setattr(read.parts(world).combat, "hit", long_way)
    assert one.hit(two, "sting").done
    assert {name: two[name].value for name in left} == left


def two_eels(**meters: Any) -> tuple[World, Actor, Actor]:
    world = World(
        Design.from_dict(
            {
                "actors": {
                    "eel": {
                        "vital": "hide",
                        "meters": {"hide": 20, **meters},
                        "attacks": {"sting": {"amount": 3}},
                    }
                }
            }
        )
    )
    return world, world.spawn("eel"), world.spawn("eel")


def test_a_shield_that_pauses_comes_back_after_the_last_hit_only() -> None:
    world, one, two = two_eels(aura={"max": 10, "shields": "hide", "flows": [{"rate": 1, "after_hurt": 2}]})
    for _ in range(3):  # at 0, 1 and 2 s
        one.hit(two, "sting")
        world.advance(1)
    assert two["aura"].value == 1  # 10 − 3 × 3, still quiet
    world.advance(1)
    assert two["aura"].value == 1
    world.advance(3)
    assert two["aura"].value == 4
    assert two["hide"].value == 20


def test_a_shield_takes_what_it_has_and_the_rest_goes_on() -> None:
    _, one, two = two_eels(aura={"max": 4, "shields": "hide"})
    results = [one.hit(two, "sting") for _ in range(3)]
    assert [(result.absorbed, result.dealt) for result in results] == [(3, 0), (1, 2), (0, 3)]
    assert (two["aura"].value, two["hide"].value) == (0, 15)


def test_names_that_are_none_leave_nothing_behind() -> None:
    world, one, two = two_eels()
    one.hit(two, "sting")
    for number in range(50):
        with pytest.raises(CleaverError):
            one.hit(two, "sting", zone=f"fin{number}")
        with pytest.raises(CleaverError):
            one.hit(two, f"sting{number}")
    assert len(read.parts(world).kinds.hits) == 2  # by its names, and by what they stand for
