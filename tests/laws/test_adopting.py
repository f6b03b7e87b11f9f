"""What holds where a world goes on under another design, for random designs and sessions."""

from __future__ import annotations

import json
from collections import Counter
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from cleaver import Design, InUseError, ReactionError, World
from cleaver.core import read
from cleaver.core.kept import look_at_section
from cleaver.errors import FormulaError
from cleaver.hud import Bar
from looking import displays, look
from strategies import DESIGNS, LONG_STREAMS, STREAMS, Command, Play, law

GONE = [
    "statuses.ill",
    "statuses.charm",
    "records.worst",
    "achievements.walker",
    "ratings.haste",
    "exchanges.pool",
    "quests.by_day",
    "quests.gather",
    "quests.steps",
    "quests.daily_a",
    "items.nail",
    "currencies.scrip",
    "matches.race",
    "matches.tide",
    "pickups.box",
    "levels.rank",
    "quest_sets.daily",
    "teams.south",
]


def without(design: Design, gone: list[str]) -> Design | None:
    """Return a design without some of its entries, where it is valid without them."""
    tables = json.loads(json.dumps(design.source.tree))
    for path in gone:
        section, _, entry = path.partition(".")
        tables.get(section, {}).pop(entry, None)
        if not tables.get(section):
            tables.pop(section, None)
    try:
        return Design.from_dict(tables)
    except Exception:
        return None


def laws_hold(world: World) -> None:
    """Assert what holds of every world at any time."""
    parts = read.parts(world)
    assert not parts.stage.queue
    again = World.restore(world.design, json.loads(json.dumps(world.snapshot())))
    assert again.snapshot() == world.snapshot()
    for actor in world.actors:
        body = read.body(actor)
        for name, meter in body.meters.items():
            assert meter.owner is body
            assert meter.kind is body.kind.meters[name]
            assert 0 <= actor[name].value <= actor[name].max + meter.kind.overfill
            assert not meter.kind.whole or isinstance(actor[name].value, int)
        assert body.kind is parts.kinds.actors[body.kind_name]
        if not actor.alive and body.kind.vital:
            assert actor[body.kind.vital].value == 0
    for body in parts.stage.players.values():
        look_at_section(body.id, parts.profiles.write(body).sections)
    known = {*parts.kinds.goods.currencies, *parts.kinds.goods.items}
    for holder, held in parts.goods.table.held.items():
        worn = parts.stage.actors[holder].worn.values() if holder in parts.stage.actors else ()
        wears = Counter(item for several in worn for item in several)
        for good, count in {**held.purse, **(Counter(held.items) + wears)}.items():
            entries = [
                one for one in parts.goods.table.books.values() if (one.holder, one.good) == (holder, good)
            ]
            assert good in known
            assert count == sum(one.came - one.went for one in entries)


def adopt(world: World, design: Design) -> Any:
    try:
        return world.adopt(design)
    except (InUseError, FormulaError, ReactionError) as error:
        return error


@law
@given(DESIGNS, DESIGNS, STREAMS, STREAMS, st.lists(st.sampled_from(GONE), unique=True, max_size=4))
def test_any_valid_design_is_adopted_or_refused_and_the_laws_hold(
    design: Design, other: Design, before: list[Command], after: list[Command], gone: list[str]
) -> None:
    play = Play(design).all(before)
    world = play.world
    handles, shown = world.actors, displays(world)
    bars = [Bar(actor, name) for actor in world.actors for name in actor.meters]
    kept = world.snapshot()
    for new in (other, without(design, gone), design):
        if new is None:
            continue
        stands = world.snapshot()
        done = adopt(world, new)
        if isinstance(done, (InUseError, FormulaError)):
            assert world.snapshot() == stands
            assert world.design is not new
        else:
            assert world.design.fingerprint == new.fingerprint
        assert world.actors == handles or isinstance(done, ReactionError) or len(world.actors) < len(handles)
        laws_hold(world)
        look(world)
        for display in shown:
            display.update(0.1)
        for bar in bars:
            there = bar.actor.id in read.parts(world).stage.actors and world.actor(bar.actor.id) == bar.actor
            if there and bar.meter.name in bar.actor:
                made = Bar(bar.actor, bar.meter.name)
                assert (bar.text, bar.role, bar.fraction, bar.max) == (
                    made.text,
                    made.role,
                    made.fraction,
                    made.max,
                )
        for command in after[: len(after) // 3]:
            play.do(command)
            laws_hold(world) if command[0] != "advance" else None
        handles = world.actors
    World.restore(design, kept)


@law
@given(DESIGNS, LONG_STREAMS, STREAMS)
def test_a_change_that_is_about_nothing_in_play_changes_nothing(
    design: Design, before: list[Command], after: list[Command]
) -> None:
    play, plain = Play(design).all(before), Play(design).all(before)
    tables = json.loads(json.dumps(design.source.tree))
    tables["game"]["title"] = "Another title"
    assert adopt(play.world, Design.from_dict(tables)).changed
    read.parts(plain.world).stage.seq += 1  # the event `adopted`
    for command in (("advance", 0), *after):
        assert repr(play.do(command)).replace(tables["game"]["title"], "Untitled") == repr(plain.do(command))
        one, other = play.world.snapshot(), plain.world.snapshot()
        for data in (one, other):
            del data["design"], data["written"]
        assert one == other, command


@law
@given(DESIGNS, LONG_STREAMS, st.lists(st.sampled_from(GONE), unique=True, max_size=3))
def test_what_is_put_aside_comes_back_with_the_design_that_names_it(
    design: Design, before: list[Command], gone: list[str]
) -> None:
    play = Play(design).all(before)
    world = play.world
    poorer = without(design, gone)
    had = {player.id: profile(world, player.id) for player in world.players}
    if poorer is None or isinstance(adopt(world, poorer), Exception):
        return
    for player in world.players:
        has = profile(world, player.id)
        for path in gone:
            section, _, entry = path.partition(".")
            if section in had[player.id]:  # else it is not saved
                assert has.get(section, {}).get(entry) == had[player.id][section].get(entry), path
    adopt(world, design)
    aside = read.parts(world).profiles.table.aside
    assert {section for kept in aside.values() for section in kept} <= {"data"}
    for player in world.players:
        has = profile(world, player.id)
        for section in ("currencies", "items", "exchanges", "ratings", "records"):
            if section in had[player.id] and "owed" not in had[player.id]:
                assert has.get(section) == had[player.id][section], section


def profile(world: World, player: str) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(json.dumps(world.profile(player).sections))
    return found
