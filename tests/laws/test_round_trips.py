"""What a player takes along: profiles go round, whatever was on, and nothing grows with those who are
gone."""

from __future__ import annotations

import gc
import json
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from cleaver import Design, Profile, World
from cleaver.saves.document import decode, encode
from strategies import COMMANDS, PLAYERS, Command, Play, designs, law, streams, tables


def copy(profile: Profile) -> Profile:
    """Return a profile as a store gives it back."""
    return Profile(profile.player, profile.version, json.loads(json.dumps(profile.sections)))


@law
@given(designs(), streams(COMMANDS, 10, 60), PLAYERS)
def test_who_leaves_and_joins_again_at_once_has_all_that_is_saved(
    design: Design, commands: list[Command], name: str
) -> None:
    play = Play(design).all(commands)
    world = play.world
    if name not in world.stage.players:
        return
    actor = world.actor(name)
    left = copy(world.leave(actor))
    back = World(design, seed=5)
    events: list[str] = []
    for name_of in ("achieved", "gained", "quest_completed", "goal_met", "quest_ready"):
        back.listen(name_of, lambda event: events.append(event.name))
    again = back.join("crate", name, team=actor._body.team, profile=copy(left))

    revived = "respawn" not in design.source.tree["actors"]["crate"] and left.sections.get("lives", {}).get(
        "dead"
    )
    if not events and not revived:  # else something came within reach, such as what was owed
        assert back.profile(again).sections == left.sections


@law
@given(designs(), streams(COMMANDS, 10, 60), PLAYERS)
def test_a_profile_loaded_is_what_its_player_has_then(
    design: Design, commands: list[Command], name: str
) -> None:
    play = Play(design)
    half = len(commands) // 2
    play.all(commands[:half])
    world = play.world
    if name not in world.stage.players:
        return
    kept = copy(world.profile(world.actor(name)))
    play.all(commands[half:])
    if name not in world.stage.players:
        return
    actor = world.actor(name)
    others = {other.id: world.profile(other).sections for other in world.players if other.id != name}
    world.load(actor, copy(kept))

    revived = "respawn" not in design.source.tree["actors"]["crate"] and kept.sections.get("lives", {}).get(
        "dead"
    )
    followed = (
        world.events[-1].name != "loaded"
    )  # something came within reach by it: an achievement, a match won
    if not followed and not revived and not kept.sections.get("owed"):
        assert world.profile(actor).sections == kept.sections
        if "share" not in str(kept.sections):
            assert {other: world.profile(world.actor(other)).sections for other in others} == others


def lessened(tables: dict[str, Any], without: list[str], most: int) -> Design:
    """Return a design with some things taken away and limits lowered."""
    poorer = json.loads(json.dumps(tables))
    for path in without:
        section, _, entry = path.partition(".")
        poorer[section].pop(entry)
    poorer["items"]["nail"]["most"], poorer["currencies"]["scrip"]["most"] = most, 2 + most
    poorer["actors"]["crate"]["meters"]["planks"]["max"] = 7
    return Design.from_dict(poorer)


REMOVABLE = [
    "records.places",
    "records.worst",
    "achievements.walker",
    "ratings.haste",
    "exchanges.pool",
    "exchanges.sale",
]


@law
@given(
    tables(), streams(COMMANDS, 10, 60), st.lists(st.sampled_from(REMOVABLE), unique=True), st.integers(0, 5)
)
def test_a_profile_goes_through_a_poorer_design_and_comes_back_whole(
    given_tables: dict[str, Any], commands: list[Command], without: list[str], most: int
) -> None:
    design = Design.from_dict(given_tables)
    play = Play(design).all(commands)
    if "one" not in play.world.stage.players:
        return
    left = copy(play.world.leave(play.world.actor("one")))
    there = World(lessened(given_tables, without, most))
    brought = decode(encode(there.leave(there.join("crate", "one", profile=decode(encode(left))))))

    for path in without:
        section, _, entry = path.partition(".")
        assert brought.sections.get(section, {}).get(entry) == left.sections.get(section, {}).get(entry), path
    for section, good in (
        ("currencies", "scrip"),
        ("items", "nail"),
    ):  # what one has stays, also where it is more than may be had by now
        assert brought.sections.get(section, {}).get(good, 0) >= left.sections.get(section, {}).get(good, 0)
    home = World(design)
    assert home.profile(
        home.join("crate", "one", profile=brought)
    ).sections.keys() >= left.sections.keys() - {"lives"}  # one without respawn arrives alive


VISITS: list[Command] = [
    ("spawn", "one"),
    ("join", "three", "north"),
    ("hit", "wasp2", "three", 0, "", None, {}),
    ("status", "three", "ill", "wasp2", None),
    ("status", "wasp2", "ill", "three", None),
    ("hit", "three", "wasp2", 1, "", None, {}),
    ("earn", "three", "scrip", 5),
    ("give", "three", "nail", 3),
    ("take", "three", "nail1"),
    ("quest", "three", "accept", "steps"),
    ("quest", "three", "accept", "zero"),
    ("rate", "three", "dive"),
    ("gain_xp", "three", 9),
    ("exchange", "three", "sale", None),
    ("advance", 700_000),
    ("place", "nail", "extra"),
    ("take", "three", "extra"),
    ("grant", "three", "hand"),
    ("match", "race", "start"),
    ("hit", "three", "two", 0, "", None, {}),
    ("advance", 900_000),
    ("heal", "three", 3, "three"),
    ("start_rating", "three", "dive"),
    ("load", "three"),
    ("dismiss", "wasp2"),
    ("dismiss", "three"),
    ("match", "race", "end"),
    ("place", "nail", "extra"),
    ("unplace", "extra"),
    ("heal", "two", 60.0, ""),
    ("cure", "two", "ill"),
    ("advance", 900_000),
    ("advance", 900_000),
    ("advance", 900_000),
]


@law
@given(designs())
def test_nothing_grows_with_what_is_gone(design: Design) -> None:
    play = Play(design)
    sizes: list[int] = []
    for visits in (3, 1, 30):
        for _ in range(visits):
            play.all(VISITS)
        sizes.append(len(json.dumps(play.world.snapshot())))

    assert sizes[2] <= sizes[1] * 1.1 + 200  # numbers get a few digits longer


@given(designs())
@settings(max_examples=10)
def test_memory_does_not_grow_either(design: Design) -> None:
    play = Play(design, history=0)
    found = []
    for visits in (5, 40):
        for _ in range(visits):
            play.all(VISITS)
        gc.collect()
        found.append(len(gc.get_objects()))
    assert found[1] <= found[0] * 1.02
