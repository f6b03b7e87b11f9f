"""Turns, rounds and days: laws of the clocks that the game moves, and what no script can say.

The worked numbers are plays: `tests/plays/clocks`.
"""

from __future__ import annotations

import asyncio
import copy
import json
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

import cleaver
from cleaver import Actor, BusyError, Design, DesignError, ReactionError, World
from cleaver.core import read
from cleaver.script.state import actor_state
from strategies import law, pick

FIGHT = Path(__file__).parent.parent / "plays/clocks/fight.toml"
Step = tuple[str, str, str]

STEPS: st.SearchStrategy[Step] = st.tuples(
    pick("turn", "turn", "turn", "hit", "hit", "use", "status", "cure", "of", "skip", "own", "end", "hurt"),
    pick("ana", "mia", "rat1", "rat2"),
    pick("stun", "burn", "shield", "song", "oath"),
)
FIGHTS = st.lists(STEPS, min_size=5, max_size=60)


@pytest.fixture(scope="module")
def design() -> Design:
    return cleaver.load_design(FIGHT)


def fight(design: Design) -> World:
    world = World(design, seed=2)
    world.join("hero", "ana")
    world.join("mage", "mia")
    world.spawn("foe", "rat1")
    world.spawn("quick_foe", "rat2")
    return world


def do(world: World, step: Step) -> None:
    """Carry one step of a fight out, whatever comes of it."""
    what, name, status = step
    actor = world.actor(name)
    if what == "turn":
        world.next_turn()
    elif what == "of":
        world.next_turn(of=actor)
    elif what == "skip":
        world.skip_turn()
    elif what == "end":
        world.end_turns()
    elif what == "own":
        actor.end_turn() or actor.begin_turn()
    elif what == "hit":
        attacks = list(read.body(actor).kind.attacks)
        other = {"ana": "rat1", "mia": "rat2", "rat1": "ana", "rat2": "mia"}[name]
        actor.hit(other, attacks[len(status) % len(attacks)])
    elif what == "use" and read.body(actor).kind.abilities:
        actor.use("ward")
    elif what == "status":
        actor.status(status, source="ana")
    elif what == "cure":
        actor.cure(status)
    elif what == "hurt":
        actor.hurt(7)


def told(world: World) -> list[Any]:
    """Return what has happened, but for when."""
    return [(event.name, event.actor, event.source, event.values) for event in world.events]


@law
@given(FIGHTS)
def test_saving_and_loading_before_each_turn_gives_the_same_fight(steps: list[Step]) -> None:
    design = cleaver.load_design(FIGHT)
    plain, saved = fight(design), fight(design)
    for step in steps:
        do(plain, step)
        saved = World.restore(design, json.loads(json.dumps(saved.snapshot())))
        do(saved, step)
    assert saved.snapshot() == plain.snapshot()


@law
@given(FIGHTS, st.lists(pick(0.0, 0.1, 3.0, 500.0), min_size=60, max_size=60))
def test_seconds_that_pass_change_nothing_that_counts_in_turns(steps: list[Step], waits: list[float]) -> None:
    design = cleaver.load_design(FIGHT)
    plain, slow = fight(design), fight(design)
    for step, wait in zip(steps, waits, strict=False):
        do(plain, step)
        do(slow, step)
        slow.advance(wait)
    assert told(slow) == told(plain)
    for one, other in zip(plain.actors, slow.actors, strict=True):
        assert (one.statuses, one.tags, read.body(one).cooldowns) == (
            other.statuses,
            other.tags,
            read.body(other).cooldowns,
        )


DAILY: dict[str, Any] = {
    "currencies": {"coin": {"most": 500}},
    "items": {"herb": {}},
    "actors": {
        "hero": {
            "player": True,
            "vital": "hp",
            "meters": {"hp": 90},
            "attacks": {"bash": {"amount": 1, "cooldown": {"days": 2}}},
            "guard": {"grace": {"days": 1}},
            "pulses": {"wage": {"every": {"days": 2}, "do": [{"earn": "coin", "amount": 3}]}},
            "respawn": {"after": {"days": 3}, "grace": {"days": 1}},
        },
        "mill": {
            "pulses": {"grind": {"every": {"days": 1}, "do": [{"earn": "coin", "amount": 1, "to": "owner"}]}}
        },
    },
    "statuses": {
        "fever": {
            "lasts": {"days": 3},
            "stack": "add",
            "pulses": [{"every": {"days": 1}, "do": [{"hurt": 9}, {"earn": "coin", "amount": 1}]}],
        }
    },
    "pickups": {
        "bush": {"do": [{"give": "herb"}], "respawn_after": {"days": 2}},
        "well": {"do": [{"heal": 1}], "stays": True, "waste": True, "cooldown": {"days": 2}},
    },
    "exchanges": {
        "stall": {"costs": {"coin": 1}, "gives": {"herb": 1}, "stock": 1, "restock_after": {"days": 3}}
    },
    "quests": {"errand": {"goals": [{"on": "died", "count": 9}], "time_limit": {"days": 2}}},
    "records": {"lately": {"on": "earned", "sum": "amount", "within": {"days": 2}}},
}


@law
@given(st.lists(st.integers(1, 4), min_size=1, max_size=12), st.integers(0, 3), st.booleans())
def test_days_at_once_or_one_after_another_end_the_same(jumps: list[int], fevers: int, began: bool) -> None:
    """What is due by the day happens on its own day, however many are said at once."""
    found = []
    for single in (False, True):
        world = World(Design.from_dict(DAILY), seed=1)
        ana = world.join("hero", "ana")
        world.spawn("mill", "mill", owner=ana)
        if began:
            world.set_day(100)
        for _ in range(fevers):
            ana.status("fever")
        ana.accept("errand")
        for name in ("bush", "well"):
            ana.take(world.place(name, name))
        world.set_day(100)
        ana.exchange("stall")
        day = 100
        for jump in jumps:
            for step in [1] * jump if single else [jump]:
                day += step
                world.set_day(day)
        body, parts = read.body(ana), read.parts(world)
        found.append(
            (
                actor_state(ana),
                {name: state.pack() for name, state in parts.pickups.table.placements.items()},
                {name: (stock.left, stock.due) for name, stock in parts.exchanges.table.stocks.items()},
                (body.grace, body.cooldowns, body.comeback and body.comeback.due),
                {name: beat.due for name, beat in body.pulses.items()},
                [(one.name, one.due, [beat.due for beat in one.beats]) for one in body.ailments],
            )
        )
    assert found[0] == found[1]


def test_the_five_are_busy_in_a_listener_and_in_a_call(design: Design) -> None:
    world = fight(design)
    ana = world.actor("ana")
    raised: list[str] = []

    def all_five(event: object = None) -> None:
        for call in (world.next_turn, world.end_turns, world.skip_turn, ana.begin_turn, ana.end_turn):
            try:
                call()
            except BusyError as error:
                raised.append(str(error).split()[0])

    with world.listen("turn_began", all_five):
        world.next_turn()
    assert len(raised) == 5
    world.after(0, all_five)
    world.advance(0)
    assert len(raised) == 10


def test_what_calls_command_comes_before_the_turn_and_is_in_the_journal(
    design: Design, tmp_path: Path
) -> None:
    world = World(design, seed=4)
    with cleaver.journal(world, tmp_path / "one.play"):
        ana = world.join("hero", "ana")
        world.next_turn()
        world.after(0, lambda: ana.hurt(3))
        world.next_turn()
        ana.status("burn")
        world.set_day(739500)
        world.next_turn()
    names = [event.name for event in world.events]
    assert names.index("damaged") + 1 == names.index("turn_ended")
    session = cleaver.script.Session(design, folder=tmp_path)
    lines = (tmp_path / "one.play").read_text(encoding="utf-8").splitlines()
    cleaver.script.play(session, lines)
    assert session.world.snapshot() == world.snapshot()


def test_who_takes_no_turns_has_none(design: Design) -> None:
    world = fight(design)
    post = world.spawn("post", "post1")
    before = world.snapshot()
    with pytest.raises(cleaver.UsageError, match=r"post1 takes no turns; .* turns = true"):
        post.begin_turn()
    with pytest.raises(cleaver.UsageError, match=r"post1 takes no turns; .* turns = true"):
        world.next_turn(of=post)
    assert world.snapshot() == before


def test_a_formula_of_the_order_that_fails_changes_nothing(design: Design) -> None:
    world = World(design.with_values({"game.turn_order": "10 / (self.hp - 30)"}))
    world.spawn("foe", "rat1")
    before = world.snapshot()
    with pytest.raises(cleaver.FormulaError):
        world.next_turn()
    assert world.snapshot() == before
    world.actor("rat1").hurt(3)
    turn = world.next_turn()
    assert isinstance(turn, Actor)
    assert turn.id == "rat1"


def test_what_listeners_raise_comes_when_the_turn_is_on(design: Design) -> None:
    world = fight(design)
    world.listen("turn_began", lambda event: 1 / 0)
    with pytest.raises(ReactionError):
        world.next_turn()
    assert world.turn is not None
    assert (world.turn.id, [actor.id for actor in world.turn_order]) == ("rat2", ["mia", "ana", "rat1"])


def test_nobody_can_take_a_turn(design: Design) -> None:
    assert World(design).next_turn() is None
    # Who dies in each of its turns, and comes back with each round, is not waited for for ever
    world = World(design)
    ana = world.join("hero", "ana")
    world.listen("respawned", lambda event: ana.status("burn"))
    ana["hp"].set_max(4)
    ana.status("burn")
    assert world.next_turn() is None
    assert world.next_turn() is None
    assert (world.turn_round, world.turn, ana.alive) == (2, None, False)


def test_a_stage_ends_the_turns_and_is_played_again_from_there(design: Design) -> None:
    tables = json.loads(json.dumps(design.source.tree))
    tables["stages"]["fairground"] = {"actors": {"foe": 1}}
    world = World(Design.from_dict(tables))
    ana = world.join("hero", "ana")
    ana.status("shield")
    world.next_turn()
    world.enter_stage("fairground")
    assert (world.turn, world.turn_round) == (None, 0)
    assert cleaver.hud.StatusRing(ana, "shield").left == 1
    for _ in range(4):
        world.next_turn()
    assert ana.statuses == ()
    world.restart_stage()
    assert (world.turn, world.turn_round, world.value("ana.turns")) == (None, 0, 1)
    assert cleaver.hud.StatusRing(ana, "shield").left == 1


def test_profiles_keep_turns_and_days_that_are_left(design: Design) -> None:
    world = fight(design)
    ana = world.actor("ana")
    world.set_day(739500)
    ana.begin_turn()
    ana.use("ward")
    ana.hit("rat1", "bash")
    ana.status("fever")
    ana.end_turn()
    ana.begin_turn()
    kept = world.profile("ana").sections
    assert kept["statuses"]["shield"][0]["left"] == {"turns": 2}
    assert kept["statuses"]["fever"][0]["left"] == {"days": 2}
    assert kept["cooldowns"] == {"use ward": {"turns": 1}, "bash": {"turns": 2}}
    assert kept["visits"] == {"day": 739500}
    profile = world.leave("ana")
    again = World(design)
    visits: list[float] = []
    again.listen("daily_visit", lambda event: visits.append(event.day))
    back = again.join("hero", "ana", profile=profile)
    assert (again.day, visits) == (739500, [])  # it was here today
    assert (back.cooldown_left("bash"), cleaver.hud.StatusRing(back, "shield").left) == (2, 2)
    back.begin_turn()
    assert back.hit(again.spawn("post", "post1"), "bash").blocked == "cooldown"
    back.end_turn()
    back.begin_turn()
    assert back.hit("post1", "bash")
    again.set_day(739501)
    assert visits == [739501]


@pytest.mark.parametrize(
    ("more", "told"),
    [
        ({"statuses": {"stun": {"lasts": {"turns": 0}}}}, "it must be 1 or more"),
        ({"statuses": {"stun": {"lasts": {"turns": 1, "days": 1}}}}, "names 2 clocks"),
        ({"statuses": {"stun": {"lasts": {"turn": 1}}}}, "did you mean 'turns'?"),
        ({"statuses": {"stun": {"lasts": {"turns": 1}}}}, "nobody takes any"),
        ({"actors": {"post": {"guard": {"grace": {"turns": 1}}}}}, "post takes none; say so: [actors.post]"),
        ({"actors": {"post": {"respawn": {"after": {"turns": 1}}}}}, "unknown key 'turns'"),
        (
            {
                "actors": {
                    "post": {"meters": {"hp": {"max": 1, "flows": [{"rate": 1, "every": {"days": 1}}]}}}
                }
            },
            "hp",
        ),
        ({"game": {"turn_order": "self.speed"}}, "unknown"),
        ({"game": {"turn_order": "1"}}, "nobody takes turns"),
        ({"records": {"a": {"on": "died", "streak": {"days": 3, "on": "week"}}}}, "beside 3 days"),
        ({"records": {"a": {"on": "died", "streak": {"days": 1}, "within": 3.0}}}, "stands beside streak"),
        ({"stages": {"a": {"open": {"days": [5, 4]}}}}, "goes from 5 back to 4"),
        ({"quest_sets": {"a": {"quests": ["b"], "on": "week"}}}, "stands without days"),
        (
            {
                "pickups": {"p": {"do": [{"place": "p", "lasts": {"turns": 1}}]}},
                "actors": {"h": {"turns": True}},
            },
            "what lies there takes none",
        ),
    ],
)
def test_a_clock_that_nobody_has_is_an_error(more: dict[str, Any], told: str) -> None:
    with pytest.raises(DesignError) as error:
        Design.from_dict(more)
    assert told in str(error.value)


def test_the_number_of_a_day_begins_at_an_hour() -> None:
    lisbon = ZoneInfo("Europe/Lisbon")
    assert cleaver.day_of(datetime(2025, 9, 6, 4, 0, tzinfo=lisbon)) == 739500
    assert cleaver.day_of(datetime(2025, 9, 6, 3, 59, 59, tzinfo=lisbon)) == 739499
    assert cleaver.day_of(datetime(2025, 9, 6, 0, 0, tzinfo=lisbon), starts_at=0) == 739500
    assert cleaver.day_of(datetime(2025, 9, 6, 5, 29, tzinfo=lisbon), 5.5) == 739499
    # The night in which clocks go back by an hour has one beginning of a day
    night = datetime(2025, 10, 26, 0, 30, tzinfo=UTC)
    days = [cleaver.day_of((night + timedelta(hours=hours)).astimezone(lisbon), 1) for hours in range(3)]
    assert days == [739550, 739550, 739550]
    for moment, hour, wrong in (
        (datetime(2025, 9, 6), 4, "time zone"),
        ("today", 4, "time zone"),
        (night, 24, "less than 24"),
        (night, "four", "number"),
    ):
        with pytest.raises(cleaver.CleaverError, match=wrong):
            cleaver.day_of(moment, hour)  # type: ignore[arg-type]


def test_a_replica_counts_turns_as_the_world_does(design: Design) -> None:
    tables = json.loads(json.dumps(design.source.tree))
    tables["rooms"] = {"allow": ["end_turn"]}
    design = Design.from_dict(tables)
    room = cleaver.rooms.Room(design, "cave")
    world = room.world
    asyncio.run(room.enter("ana", kind="hero"))
    ana = room.actor("ana")
    rat = world.spawn("foe", "rat1")
    replica = cleaver.rooms.Replica(design.for_clients())
    replica.feed(room.full("ana"))
    seen: list[str] = []
    replica.listen("turn_began", lambda event: seen.append(event.actor))
    for turn in range(8):
        world.next_turn()
        if turn == 0:
            ana.use("ward")
            rat.status("burn")
            ana.hit(rat, "bash")
        if turn == 2:
            world.set_day(739500)
        replica.feed(room.changes("ana"))
        here, there = replica.world, world
        assert (here.turn_round, here.day) == (there.turn_round, there.day)
        assert [row.on for row in cleaver.hud.turn_order(here)] == [
            row.on for row in cleaver.hud.turn_order(there)
        ]
        for one in here.actors:
            real = ana if one.kind == "hero" else rat
            for status in ("shield", "burn"):
                rings = [cleaver.hud.StatusRing(actor, status) for actor in (one, real)]
                assert (rings[0].left, rings[0].unit) == (rings[1].left, rings[1].unit)
        assert replica.me.cooldown_left("bash") == ana.cooldown_left("bash")
    assert len(seen) == 8
    # A player may end its own turn, with nothing else said, where the design allows it
    ana.begin_turn()
    assert not room.do("ana", {"do": "end_turn", "what": "rat1"}).done
    assert room.do("ana", {"do": "end_turn"}).done
    assert room.do("ana", {"do": "end_turn"}).why == "no_change"


def test_what_is_left_is_shown_in_its_clock(design: Design) -> None:
    world = fight(design)
    ana = world.actor("ana")
    ana.begin_turn()
    ana.use("ward")
    ring = cleaver.hud.StatusRing(ana, "shield")
    assert (ring.left, ring.unit, ring.text, ring.whole, ring.fraction) == (2, "turns", "2", 2, 0)
    row = cleaver.hud.abilities(ana)[0]
    assert (row.left, row.unit, row.fraction, row.blocked) == (2, "turns", 0, "cooldown")
    ana.end_turn()
    ana.begin_turn()
    assert (ring.left, ring.fraction) == (2, 0)
    ana.end_turn()
    assert (ring.left, ring.fraction) == (1, 0.5)
    ana.accept("errand")
    tracker = cleaver.hud.Tracker(ana, "errand")
    assert tracker.left == "1 day"
    world.match("bout").start()
    assert cleaver.hud.MatchClock(world, "bout").text == "2 rounds"
    shown = cleaver.hud.frame(ana)
    assert shown["statuses"]["shield"] == {"stacks": 1, "left": 1, "fraction": 0.5, "unit": "turns"}
    world.next_turn()
    assert cleaver.hud.frame(ana)["turns"] == {
        "round": 1,
        "order": [
            {"actor": "rat2", "title": "quick_foe", "on": True},
            {"actor": "mia", "title": "mage", "on": False},
            {"actor": "ana", "title": "hero", "on": False},
            {"actor": "rat1", "title": "foe", "on": False},
        ],
    }


def test_nothing_is_so_far_off_that_clocks_are_mistaken(design: Design) -> None:
    world = fight(design)
    ana = world.actor("ana")
    for day in (-(10**15), 10**15):
        world.set_day(day)
        ana.status("fever")
        assert cleaver.hud.StatusRing(ana, "fever").unit == "days"
        assert World.restore(design, json.loads(json.dumps(world.snapshot()))).snapshot() == world.snapshot()
    with pytest.raises(cleaver.AmountError, match=r"±1,000,000,000,000,000"):
        world.set_day(10**15 + 1)
    profile = world.profile("ana")
    profile.sections["visits"] = {"day": 10**16}
    with pytest.raises(cleaver.ProfileError, match=r"visits\.day"):
        World(design).join("hero", "ana", profile=profile)
    read.parts(world).stage.clock.now = 2**61 + 1
    with pytest.raises(cleaver.UsageError, match="years old"):
        world.advance(1)


def test_a_span_of_turns_beside_an_effect_is_not_for_who_takes_none(design: Design) -> None:
    tables = json.loads(json.dumps(design.source.tree))
    tables["statuses"]["damp"] = {"lasts": 2.0, "tags": ["wet"]}
    tables["rules"].append({"on": "damaged", "do": [{"status": "damp", "lasts": {"turns": 2}}]})
    world = World(Design.from_dict(tables))
    ana, post = world.join("hero", "ana"), world.spawn("post", "post1")
    for one in (ana, post):
        one.hurt(1)
    world.advance(9)
    assert (ana.statuses, post.statuses) == (("damp",), ())


def test_days_go_on_while_a_player_is_away(design: Design) -> None:
    world = World(design)
    ana = world.join("hero", "ana")
    world.set_day(739510)
    ana.earn("coin", 3)
    ana.exchange("fair")
    ana.accept("errand")
    ana.status("fever")
    profile = world.leave(ana)
    for days, hp, quest, today in ((0, 40, "active", 1), (1, 37, "failed", 0), (9, 34, "available", 0)):
        other = World(design)
        other.set_day(739510 + days)
        back = other.join("hero", "ana", profile=copy.deepcopy(profile))
        assert (back["hp"].value, back.quests["errand"].state, back.records["today"]) == (hp, quest, today), (
            days
        )
        assert ("fever" in back.statuses) == (days < 2)
        assert back.records["visits"] == (2 if days == 1 else 1)


def test_a_replica_sees_what_an_event_about_nobody_changes_and_what_is_as_old_as_before() -> None:
    design = Design.from_dict(
        {
            "actors": {"hero": {"player": True, "turns": True, "stats": {"might": 4}, "meters": {"hp": 9}}},
            "stages": {"bog": {"times": {"might": 0.5}}},
            "records": {"lately": {"on": "healed", "within": {"rounds": 1}}},
            "rules": [{"on": "turn_began", "do": [{"heal": 1, "meter": "hp"}]}],
        }
    )
    room = cleaver.rooms.Room(design, "bog")
    asyncio.run(room.enter("ana", kind="hero"))
    ana, replica = room.actor("ana"), cleaver.rooms.Replica(design.for_clients())
    replica.feed(room.full("ana"))
    room.world.enter_stage("bog")
    replica.feed(room.changes("ana"))
    assert replica.me.stats["might"].value == ana.stats["might"].value == 2
    for _ in range(
        3
    ):  # each time healed once in this round, and so the last heal is as old as the one before was
        ana["hp"].set(3)
        room.world.next_turn()
        replica.feed(room.changes("ana"))
        assert replica.me.records["lately"] == ana.records["lately"] == 1
