"""The laws of the core, for random designs that use every part and random streams of commands."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from cleaver import Design, Event, HitResult, ReactionError, World
from cleaver.core import read
from cleaver.core.kept import look_at_section
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.results import REASONS
from cleaver.core.kernel.state import slots_of
from cleaver.hud import Bar
from cleaver.saves.document import decode, encode
from looking import displays, look
from strategies import DESIGNS, STAYING_STREAMS, STREAMS, Command, Play, general_way, law


def told(events: Any) -> list[dict[str, Any]]:
    return [event.plain() for event in events]


def close(one: Any, other: Any) -> bool:
    """Whether two logs are the same but for the last bits of a float, which depend on where a flow was
    anchored."""
    if isinstance(one, float) and isinstance(other, float):
        return abs(one - other) <= 1e-9 * max(1.0, abs(one))
    if isinstance(one, dict):
        return one.keys() == other.keys() and all(close(one[key], other[key]) for key in one)
    if isinstance(one, list):
        return len(one) == len(other) and all(map(close, one, other))
    return bool(one == other)


def without_wakes(world: World) -> dict[str, Any]:
    """A snapshot without the instants at which meters are looked at next: short cuts may look too early, and
    then look again."""
    found = world.snapshot()
    place = slots_of(Body).index("meters")
    for body in found["actors"]:
        for meter in body[place].values():
            del meter[0]
    return found


@law
@given(DESIGNS, STREAMS, STREAMS)
def test_a_world_goes_on_from_a_snapshot_as_the_original_would(
    design: Design, before: list[Command], after: list[Command]
) -> None:
    play = Play(design).all(before)
    kept = json.dumps(play.world.snapshot())
    again = play.restored(json.loads(kept))
    start = read.parts(play.world).stage.seq

    assert json.dumps(again.world.snapshot()) == kept
    for command in after:
        assert repr(play.do(command)) == repr(again.do(command)), command
    assert told(event for event in play.world.events if event.seq > start) == told(again.world.events)
    assert play.world.snapshot() == again.world.snapshot()


@law
@given(DESIGNS, STREAMS)
def test_the_same_seed_and_commands_give_the_same_events(design: Design, commands: list[Command]) -> None:
    one, other = Play(design).all(commands), Play(design).all(commands)

    assert told(one.world.events) == told(other.world.events)


@law
@given(DESIGNS, STREAMS)
def test_short_cuts_give_what_the_general_way_gives(design: Design, commands: list[Command]) -> None:
    quick = Play(design)
    with general_way():
        slow = Play(design)
    for command in commands:
        assert repr(quick.do(command)) == repr(slow.do(command)), command
    assert json.dumps(told(quick.world.events)) == json.dumps(told(slow.world.events))
    assert without_wakes(quick.world) == without_wakes(slow.world)


@law
@given(DESIGNS, STREAMS, st.booleans())
def test_how_much_history_is_kept_and_who_listens_decides_nothing(
    design: Design, commands: list[Command], heard: bool
) -> None:
    kept, forgetful = Play(design), Play(design, history=0)
    if heard:
        for name in ("scored", "damaged", "struck", "quest_completed"):
            forgetful.world.listen(name, lambda event: None)
    for command in commands:
        assert repr(kept.do(command)) == repr(forgetful.do(command)), command
        assert read.parts(kept.world).stage.seq == read.parts(forgetful.world).stage.seq
    assert kept.world.snapshot() == forgetful.world.snapshot()


@law
@given(DESIGNS, STREAMS, st.integers(1, 7))
def test_time_may_be_sliced_anyhow(design: Design, commands: list[Command], pieces: int) -> None:
    whole, sliced = Play(design), Play(design)
    for command in commands:
        whole.do(command)
        if command[0] == "advance":
            done = 0
            for piece in range(1, pieces + 1):
                until = command[1] * piece // pieces
                sliced.do(("advance", until - done))
                done = until
        else:
            sliced.do(command)
    assert told(whole.world.events) == told(sliced.world.events)
    assert whole.world.snapshot() == sliced.world.snapshot()


@law
@given(DESIGNS, STREAMS)
def test_every_profile_that_is_written_can_be_read_back(design: Design, commands: list[Command]) -> None:
    play = Play(design)
    for command in commands:
        play.do(command)
        for body in list(read.parts(play.world).stage.players.values()):
            profile = read.parts(play.world).profiles.write(body)
            look_at_section(body.id, profile.sections)
            assert decode(encode(profile)) == profile, command


@law
@given(DESIGNS, STREAMS)
def test_looking_changes_nothing(design: Design, commands: list[Command]) -> None:
    play = Play(design)
    listening = displays(play.world)
    for number, command in enumerate(commands, 1):
        play.do(command)
        if number % 8 and number < len(commands):
            continue  # A look at everything takes as long as a hundred commands
        before = play.world.snapshot()
        look(play.world)
        for display in listening:
            display.update(0.1)
        assert play.world.snapshot() == before, command


@law
@given(DESIGNS, STREAMS)
def test_a_bar_shows_what_a_bar_made_now_shows(design: Design, commands: list[Command]) -> None:
    play = Play(design)
    bars: dict[tuple[int, str], Bar] = {}
    for command in commands:
        play.do(command)
        for actor in play.world.actors:
            for name in actor.meters:
                bar, new = bars.setdefault((read.body(actor).came, name), Bar(actor, name)), Bar(actor, name)
                assert (bar.text, bar.role, bar.fraction, bar.percent, bar.max) == (
                    new.text,
                    new.role,
                    new.fraction,
                    new.percent,
                    new.max,
                )
                assert bar.value == actor[name].value


@law
@given(DESIGNS, STREAMS)
def test_meters_stay_in_bounds_and_every_amount_is_what_really_moved(
    design: Design, commands: list[Command]
) -> None:
    play = Play(design)
    events: list[Event] = []
    for name in ("damaged", "healed", "drained"):
        play.world.listen_own(name, events.append)
    for command in commands:
        play.do(command)
        for actor in play.world.actors:
            for name in actor.meters:
                kind = read.body(actor).kind.meters[name]
                assert 0 <= actor[name].value <= actor[name].max + kind.overfill
                assert 0 <= actor[name].fraction <= 1
                assert not kind.whole or isinstance(actor[name].value, int)
            if not actor.alive:
                assert actor[read.body(actor).kind.vital].value == 0
    for event in events:
        assert abs(abs(event.after - event.before) - event.amount) < 1e-9
        assert event.amount > 0 or (event.name == "damaged" and event.absorbed > 0)


@law
@given(DESIGNS, STREAMS)
def test_hits_conserve_their_amount_and_death_comes_once(design: Design, commands: list[Command]) -> None:
    play = Play(design)
    dead: dict[str, int] = {}
    play.world.listen(
        "joined", lambda event: dead.__setitem__(event.actor, 0 if play.world.actor(event.actor).alive else 1)
    )
    play.world.listen("died", lambda event: dead.__setitem__(event.actor, dead.get(event.actor, 0) + 1))
    play.world.listen("respawned", lambda event: dead.__setitem__(event.actor, dead[event.actor] - 1))
    for command in commands:
        result = play.do(command)
        if command[0] == "load" and result is None:
            dead[command[1]] = 0 if play.world.actor(command[1]).alive else 1
        if isinstance(result, HitResult):
            assert abs(result.amount - (result.dealt + result.absorbed + result.overkill)) < 1e-9
            assert bool(result) == (not result.blocked)
            assert not result.blocked or result.amount == 0
        for actor in play.world.actors:
            assert dead.get(actor.id, 0) == (0 if actor.alive else 1), actor


@law
@given(DESIGNS, STREAMS)
def test_what_is_held_is_what_came_less_what_went(design: Design, commands: list[Command]) -> None:
    world = Play(design).all(commands).world
    for holder in (*(actor.id for actor in world.players), "team:north", "team:south"):
        for good in ("scrip", "nail", "big"):
            if holder.startswith("team:"):
                continue
            entries = [
                entry
                for entry in read.parts(world).goods.table.books.values()
                if (entry.holder, entry.good) == (holder, good)
            ]
            actor = world.actor(holder)
            held = actor.purse[good] if good == "scrip" else actor.bag[good]
            assert held == sum(entry.came - entry.went for entry in entries)
            assert held >= 0


@law
@given(DESIGNS, STREAMS)
def test_a_command_that_raises_changes_nothing(design: Design, commands: list[Command]) -> None:
    play = Play(design)
    for command in commands:
        before, seq = play.world.snapshot(), read.parts(play.world).stage.seq
        result = play.do(command)
        if isinstance(result, Exception) and not isinstance(result, ReactionError):
            assert play.world.snapshot() == before, command
            assert read.parts(play.world).stage.seq == seq, command
        assert not read.parts(play.world).stage.queue
        assert not read.parts(play.world).stage.draining
        assert getattr(result, "blocked", "") in ("", *REASONS)


@law
@given(DESIGNS, STREAMS)
def test_events_are_numbered_without_gaps_timed_and_caused_by_earlier_ones(
    design: Design, commands: list[Command]
) -> None:
    events = Play(design, history=100_000).all(commands).world.events

    assert [event.seq for event in events] == list(range(1, len(events) + 1))
    assert all(event.cause < event.seq for event in events)
    assert [event.time for event in events] == sorted(event.time for event in events)


@law
@given(DESIGNS, STAYING_STREAMS)
def test_a_quest_is_reported_as_available_exactly_when_it_becomes_so(
    design: Design, commands: list[Command]
) -> None:
    play = Play(design)
    world = play.world
    told_of: list[tuple[str, str]] = []
    closed: set[tuple[str, str]] = set()  # seen in another state since it was told of last

    def states() -> dict[tuple[str, str], str]:
        return {
            (player.id, quest): player.quests[quest].state
            for player in world.players
            for quest in player.quests
        }

    def note(event: Event) -> None:
        closed.update(key for key, state in states().items() if state != "available")
        if event.name in (
            "quest_available",
            "quest_abandoned",
        ):  # giving it up is one event, which says that it is there again
            key = (event.actor, event.quest)
            assert key in closed, f"{key} was told again and never closed in between"
            closed.discard(key)
            told_of.append(key)

    for name in world.event_names:
        if name not in ("defeated", "struck", "mended"):
            world.listen_own(name, note)
    before = states()
    closed.update(key for key, state in before.items() if state != "available")
    for command in commands:
        told_of.clear()
        play.do(command)
        after = states()
        for key, state in after.items():
            if state == "available" and before[key] != "available":
                assert key in told_of, (command, key)
            if state == "available":
                assert key not in closed, (command, key)  # told the last time it opened
        closed.update(key for key, state in after.items() if state != "available")
        before = after
