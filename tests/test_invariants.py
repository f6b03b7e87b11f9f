"""The seven laws of the core, for random designs and random streams of commands."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from cleaver import Design, Fact, HitResult, ReactionError, World
from strategies import STREAMS, Command, begin, carry_out, designs


def told(facts: Any) -> list[dict[str, Any]]:
    return [fact.plain() for fact in facts]


def close(one: Any, other: Any) -> bool:
    """Whether two logs are the same but for the last bits of a float, which depend on where a flow was anchored."""
    if isinstance(one, float) and isinstance(other, float):
        return abs(one - other) <= 1e-9 * max(1.0, abs(one))
    if isinstance(one, dict):
        return one.keys() == other.keys() and all(close(one[key], other[key]) for key in one)
    if isinstance(one, list):
        return len(one) == len(other) and all(map(close, one, other))
    return bool(one == other)


@given(designs(), STREAMS, STREAMS)
def test_a_world_goes_on_from_a_snapshot_as_the_original_would(design: Design, before: list[Command], after: list[Command]) -> None:
    world = begin(design)
    for command in before:
        carry_out(world, command)
    kept = json.dumps(world.snapshot())
    again = World.restore(design, json.loads(kept))
    start = world.stage.seq

    assert json.dumps(again.snapshot()) == kept
    for command in after:
        one, other = carry_out(world, command), carry_out(again, command)
        assert repr(one) == repr(other)
    assert told(fact for fact in world.events if fact.seq > start) == told(again.events)
    assert world.snapshot() == again.snapshot()


@given(designs(), STREAMS)
def test_the_same_seed_and_commands_give_the_same_facts(design: Design, commands: list[Command]) -> None:
    worlds = [begin(design), begin(design)]
    for world in worlds:
        for command in commands:
            carry_out(world, command)

    assert told(worlds[0].events) == told(worlds[1].events)


@given(designs(), STREAMS, st.integers(1, 7))
@settings(max_examples=100)
def test_time_may_be_sliced_anyhow(design: Design, commands: list[Command], pieces: int) -> None:
    whole, sliced = begin(design), begin(design)
    for command in commands:
        carry_out(whole, command)
        if command[0] == "advance":
            done = 0
            for piece in range(1, pieces + 1):
                until = command[1] * piece // pieces
                carry_out(sliced, ("advance", until - done))
                done = until
                for actor in sliced.actors:
                    assert [actor[name].value for name in actor.meters]  # looking changes nothing
        else:
            carry_out(sliced, command)

    assert told(whole.events) == told(sliced.events)
    assert whole.snapshot() == sliced.snapshot()


@given(designs(), STREAMS)
def test_meters_stay_in_bounds_and_every_amount_is_what_really_moved(design: Design, commands: list[Command]) -> None:
    world = begin(design)
    facts: list[Fact] = []
    for name in ("damaged", "healed", "drained"):
        world.listen(name, facts.append)
    for command in commands:
        carry_out(world, command)
        for actor in world.actors:
            for name in actor.meters:
                kind = actor.body._kind.meters[name]
                assert 0 <= actor[name].value <= actor[name].max + kind.overfill and 0 <= actor[name].fraction <= 1
                assert not kind.whole or isinstance(actor[name].value, int)
            if not actor.alive:
                assert actor[actor.body._kind.vital].value == 0
    for fact in facts:
        assert abs(abs(fact.after - fact.before) - fact.amount) < 1e-9 and (fact.amount > 0 or (fact.name == "damaged" and fact.absorbed > 0))


@given(designs(), STREAMS)
def test_hits_conserve_their_amount_and_death_comes_once(design: Design, commands: list[Command]) -> None:
    world = begin(design)
    deaths: dict[str, int] = {}
    world.listen("died", lambda fact: deaths.__setitem__(fact.actor, deaths.get(fact.actor, 0) + 1))
    world.listen("respawned", lambda fact: deaths.__setitem__(fact.actor, deaths[fact.actor] - 1))
    for command in commands:
        result = carry_out(world, command)
        if isinstance(result, HitResult):
            assert abs(result.amount - (result.dealt + result.absorbed + result.overkill)) < 1e-9
            assert bool(result) == (not result.blocked) and (not result.blocked or result.amount == 0)
        for actor in world.actors:
            assert deaths.get(actor.id, 0) == (0 if actor.alive else 1)


@given(designs(), STREAMS)
def test_what_is_held_is_what_came_less_what_went(design: Design, commands: list[Command]) -> None:
    world = begin(design)
    for command in commands:
        carry_out(world, command)
    for actor in world.actors:
        for good in ("scrip", "nail"):
            entries = [entry for entry in world.goods.table.books.values() if (entry.holder, entry.good) == (actor.id, good)]
            held = actor.purse[good] if good == "scrip" else actor.bag[good]
            assert held == sum(entry.came - entry.went for entry in entries) and 0 <= held <= (40 if good == "scrip" else 3)


@given(designs(), STREAMS)
def test_a_command_that_raises_changes_nothing(design: Design, commands: list[Command]) -> None:
    world = begin(design)
    for command in commands:
        before, seq = world.snapshot(), world.stage.seq
        result = carry_out(world, command)
        if isinstance(result, Exception) and not isinstance(result, ReactionError):
            assert world.snapshot() == before and world.stage.seq == seq
        assert not world.stage.queue and not world.stage.draining


@given(designs(), STREAMS)
def test_facts_are_numbered_without_gaps_timed_and_caused_by_earlier_ones(design: Design, commands: list[Command]) -> None:
    world = begin(design)
    for command in commands:
        carry_out(world, command)
    facts = world.events

    assert [fact.seq for fact in facts] == list(range(1, len(facts) + 1))
    assert all(fact.cause < fact.seq for fact in facts)
    assert [fact.time for fact in facts] == sorted(fact.time for fact in facts)
