"""What a player takes along: profiles go round, whatever was on, and nothing grows with those who are
gone."""

from __future__ import annotations

import gc
import json
from typing import Any

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from cleaver import Design, Profile, World
from cleaver.core import read
from cleaver.saves import unknown_to
from cleaver.saves.document import decode, encode
from strategies import DESIGNS, LONG_STREAMS, PLAYERS, Command, Play, law


def copy(profile: Profile) -> Profile:
    """Return a profile as a store gives it back."""
    return Profile(profile.player, profile.version, json.loads(json.dumps(profile.sections)))


@law
@given(DESIGNS, LONG_STREAMS, PLAYERS)
def test_who_leaves_and_joins_again_at_once_has_all_that_is_saved(
    design: Design, commands: list[Command], name: str
) -> None:
    play = Play(design).all(commands)
    world = play.world
    if name not in read.parts(world).stage.players:
        return
    actor = world.actor(name)
    left = copy(world.leave(actor))
    back = World(design, seed=5)
    events: list[str] = []
    for name_of in ("achieved", "gained", "quest_completed", "goal_met", "quest_ready", "day_began"):
        back.listen(name_of, lambda event: events.append(event.name))
    again = back.join("crate", name, team=actor._body.team, profile=copy(left))

    revived = "respawn" not in design.source.tree["actors"]["crate"] and left.sections.get("lives", {}).get(
        "dead"
    )
    if not events and not revived:  # else something came within reach, such as what was owed
        assert back.profile(again).sections == left.sections


@law
@given(DESIGNS, LONG_STREAMS, PLAYERS)
def test_a_design_knows_all_that_its_own_players_have(
    design: Design, commands: list[Command], name: str
) -> None:
    world = Play(design).all(commands).world
    if name in read.parts(world).stage.players:
        assert unknown_to(copy(world.profile(name)), design) == []


@law
@given(DESIGNS, LONG_STREAMS, PLAYERS)
def test_a_profile_loaded_is_what_its_player_has_then(
    design: Design, commands: list[Command], name: str
) -> None:
    play = Play(design)
    half = len(commands) // 2
    play.all(commands[:half])
    world = play.world
    if name not in read.parts(world).stage.players:
        return
    kept = copy(world.profile(world.actor(name)))
    play.all(commands[half:])
    if name not in read.parts(world).stage.players:
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
    "quests.by_day",
]


@law
@given(DESIGNS, LONG_STREAMS, st.lists(st.sampled_from(REMOVABLE), unique=True), st.integers(0, 5))
def test_a_profile_goes_through_a_poorer_design_and_comes_back_whole(
    design: Design, commands: list[Command], without: list[str], most: int
) -> None:
    play = Play(design).all(commands)
    if "one" not in read.parts(play.world).stage.players:
        return
    left = copy(play.world.leave(play.world.actor("one")))
    there = World(lessened(design.source.tree, without, most))
    brought = decode(encode(there.leave(there.join("crate", "one", profile=decode(encode(left))))))

    for path in without:
        section, _, entry = path.partition(".")
        assert brought.sections.get(section, {}).get(entry) == left.sections.get(section, {}).get(entry), path
    for section, good in (("currencies", "scrip"), ("items", "nail")):
        # What one has stays, also where it is more than may be had by now, and what is owed counts with it
        assert had(brought, section, good) >= had(left, section, good)
    home = World(design)
    back = home.profile(home.join("crate", "one", profile=brought))
    # One without respawn arrives alive, and what was owed may have been given
    assert back.sections.keys() >= left.sections.keys() - {"lives", "owed"}


def had(profile: Profile, section: str, good: str) -> int:
    """Return how much of a good a profile holds and is owed."""
    held = profile.sections.get(section, {}).get(good, 0)
    return int(held + sum(amount for _, amount, _ in profile.sections.get("owed", {}).get(good, [])))


@law
@given(DESIGNS, LONG_STREAMS, LONG_STREAMS)
def test_a_stage_that_is_played_again_puts_everything_back(
    design: Design, before: list[Command], commands: list[Command]
) -> None:
    tables = json.loads(json.dumps(design.source.tree))
    tables["game"]["restart_keeps"] = []
    play = Play(Design.from_dict(tables)).all(before)
    stages = read.parts(play.world).stages
    play.do(("stage", "den"))
    play.all(commands)
    if not play.world.stage:
        return
    wanted = {name: json.loads(memory) for name, memory in stages.table.memories.items()}
    found: dict[str, Any] = {}

    def back(event: Any) -> None:  # before anything has come of the new beginning
        if not found:
            bodies = read.parts(play.world).stage.actors
            found.update(
                {name: json.loads(stages._memory(bodies[name])) for name in wanted if name in bodies}
            )

    play.world.listen("restarted", back)
    play.do(("stage", "restart"))
    for name, sections in wanted.items():
        if name not in found:  # a creature that stays, and was dismissed
            assert name not in [player.id for player in play.world.players]
            continue
        for section, kept in sections.items():
            assert found[name][section] == kept, (name, section)


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
    ("input", "three", 2.5),
    ("talk", "three", "post"),
    ("stage", "den"),
    ("launch", "three", 1, "s1", {}),
    ("shot", "s1", "wasp2", "", None),
    ("launch", "three", 1, "s2", {}),
    ("trade", "one", {"scrip": 1}, "three", {"scrip": 1}),
    ("stage", "restart"),
    ("launch", "three", 1, "s1", {}),
    ("stage", "hall"),
    ("spawn", "three"),
    ("hit", "three", "wasp2", 0, "", None, {}),
    ("stage", "leave"),
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


@pytest.mark.long
@law
@given(DESIGNS)
def test_nothing_grows_with_what_is_gone(design: Design) -> None:
    # Stacks that neither end nor have a most are meant to grow.
    assume(all(kind.stack != "add" or kind.lasts or kind.most for kind in design.tables.statuses.values()))
    # Creatures that stay from stage to stage are more with each.
    assume(not any(kind.keep for kind in design.tables.actors.values()))
    play = Play(design)
    counts = [records(play.all(VISITS).world.snapshot()) for _ in range(10)]

    # Chance brings something new now and then; what is left behind by each visit grows with each.
    assert not counts[-4] < counts[-3] < counts[-2] < counts[-1], counts


def records(tree: Any) -> int:
    """Return how many numbers, texts, lists and tables there are in a tree."""
    inner = tree.values() if isinstance(tree, dict) else tree if isinstance(tree, list) else ()
    return 1 + sum(map(records, inner))


@pytest.mark.long
@given(DESIGNS)
@settings(max_examples=10)
def test_memory_does_not_grow_either(design: Design) -> None:
    assume(not any(kind.keep for kind in design.tables.actors.values()))  # as above
    play = Play(design, history=0)
    found = []
    for visits in (5, 40):
        for _ in range(visits):
            play.all(VISITS)
        gc.collect()
        found.append(len(gc.get_objects()))
    assert found[1] <= found[0] * 1.02
