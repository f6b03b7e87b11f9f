"""The account of what raised what: the same after saves, adopts, restarts and names that became others."""

from __future__ import annotations

import copy
import json
import tomllib
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import cleaver
from cleaver import Actor, Design, InUseError, World
from cleaver.core import read
from cleaver.core.profile import Profile
from cleaver.design.stats import MOVES
from cleaver.saves.versions import Versions
from strategies import law

PARTY = Path(__file__).parents[1] / "plays/stats/party.toml"
KEPT = [
    "currencies",
    "items",
    "exchanges",
    "levels",
    "achievements",
    "records",
    "lives",
    "statuses",
    "tags",
    "team",
]
TREE = tomllib.loads(PARTY.read_text(encoding="utf-8")) | {"saves": {"include": KEPT}}
for meter in TREE["actors"]["hero"]["meters"].values():
    meter["saved"] = True
DESIGN = Design.from_dict(TREE)

DEEDS = st.one_of(
    st.tuples(st.just("give"), st.sampled_from(list(TREE["items"])), st.integers(1, 3)),
    st.tuples(st.just("remove"), st.sampled_from(["charm", "ring", "sword"])),
    st.tuples(st.just("wear"), st.sampled_from(list(TREE["items"]))),
    st.tuples(st.just("take_off"), st.sampled_from([*TREE["items"], "all"])),
    st.tuples(st.just("gain_xp"), st.just("rank"), st.integers(1, 250)),
    st.tuples(st.just("status"), st.sampled_from(["fury", "weary", "haste", "spring"])),
    st.tuples(st.just("cure"), st.sampled_from(["fury", "weary"])),
    st.tuples(st.just("grant"), st.just("veteran")),
    st.tuples(
        st.just("raise_stat"), st.sampled_from(["might", "hp.max", "bag", "toughness"]), st.integers(-3, 9)
    ),
    st.tuples(st.just("earn"), st.just("gold"), st.integers(1, 40)),
    st.tuples(st.just("exchange"), st.sampled_from(["tutor", "satchel"])),
    st.tuples(st.just("hurt"), st.integers(1, 60)),
    st.tuples(st.just("heal"), st.integers(1, 60)),
    st.tuples(st.sampled_from(["tag", "untag"]), st.just("wet")),
    st.tuples(st.just("set_max"), st.sampled_from(["hp", "mana"]), st.integers(1, 200)),
    st.tuples(st.just("team"), st.sampled_from(["north", "south", ""])),
    st.tuples(st.just("advance"), st.sampled_from([0.25, 1.0, 3.0])),
    st.tuples(st.just("stage"), st.sampled_from(["enter", "leave", "restart"])),
)


def do(world: World, deed: tuple[Any, ...]) -> None:
    """Carry one deed out; what the game refuses, or a stage that is not played, changes nothing."""
    ana, (what, *rest) = world.actor("ana"), deed
    if what == "advance":
        world.advance(*rest)
    elif what == "team":
        world.set_team(ana, *rest)
    elif what == "set_max":
        ana[rest[0]].set_max(rest[1])
    elif what == "clock":
        world.next_turn() if rest[0] == "turn" else world.set_day((world.day or 0) + 1)
    elif what == "stage":
        if rest[0] == "enter":
            world.enter_stage("storm")
        elif world.stage and rest[0] == "leave":
            world.leave_stage()
        elif world.stage:
            world.restart_stage()
    else:
        if what == "wear" and not ana.bag[rest[0]]:  # else hardly anything would be worn, or bought
            ana.give(rest[0])
        elif what == "exchange":
            ana.earn("gold", 40)
        getattr(ana, what)(*rest)


def standing(ana: Actor) -> dict[str, Any]:
    """Return all that the account makes of somebody."""
    body = read.body(ana)
    found: dict[str, Any] = {
        name: (stat.value, stat.base, stat.modifiers) for name, stat in ana.stats.items()
    }
    found |= {f"{name}.max": (ana[name].max, ana.stats[f"{name}.max"].modifiers) for name in ana.meters}
    return found | {
        "bag": ana.bag.most,
        "rates": dict(body.rates),
        "worn": ana.worn,
        "on": sorted(ana.statuses),
    }


def holds(world: World) -> None:
    """Assert that what stands is what the account comes to, and that a snapshot goes on from it."""
    ana = world.actor("ana")
    body, parts = read.body(ana), read.parts(world)
    for name, value in body.stats.items():
        assert value == parts.stats.worked_out(body, name)
    for meter in body.meters.values():
        assert meter.max == parts.vitals.top(meter)
    again = World.restore(world.design, json.loads(json.dumps(world.snapshot())))
    assert standing(again.actor("ana")) == standing(ana)
    assert again.snapshot() == world.snapshot()


def joined(design: Design, profile: Profile) -> Actor:
    return World(design).join("hero", "ana", profile=profile)


@law
@given(st.lists(DEEDS, max_size=25))
def test_it_is_the_same_after_a_save_and_after_any_way_there_and_back(deeds: list[Any]) -> None:
    world = World(DESIGN)
    world.join("hero", "ana")
    for deed in deeds:
        do(world, deed)
        holds(world)
    if world.stage:
        world.leave_stage()
    if not world.actor("ana").alive:
        world.actor("ana").revive()
    before, profile = standing(world.actor("ana")), world.profile("ana")
    assert standing(joined(DESIGN, profile)) == before
    world.load("ana", profile)
    assert standing(world.actor("ana")) == before


READS = {
    "status": "0 + ('fury' in self.statuses)",
    "tags": "0 + ('wet' in self.tags)",
    "levels": "self.rank + self.rank.xp",
    "record": "self.record.pain",
    "achieved": "0 + (self.achieved.veteran > 0)",
    "item": "self.charm + self.ring + self.sword + self.helm + self.boots",
    "worn": "self.worn.sword + self.worn.ring + self.worn.helm + self.worn.boots",
    "bought": "self.bought.tutor + self.bought.satchel",
    "input": "weather",
    "turns": "self.turns",
    "turn": "turn.round",
    "day": "day + weekday",
}
"""A formula for each thing that a stat may read and that somebody has to say has changed."""


@law
@given(
    st.lists(
        st.one_of(
            DEEDS,
            st.tuples(st.just("set_input"), st.just("weather"), st.integers(0, 3)),
            st.tuples(st.just("clock"), st.sampled_from(["turn", "day"])),
        ),
        min_size=10,
        max_size=30,
    )
)
def test_a_stat_follows_all_that_it_may_read(deeds: list[Any]) -> None:
    told = {word for word in MOVES.values() if word}
    assert set(READS) == told - {"team", "stage"}  # which only modifiers stand on
    tree = copy.deepcopy(TREE) | {"records": {"pain": {"on": "damaged", "sum": "amount"}}}
    tree["actors"]["hero"]["turns"] = True
    tree["actors"]["hero"]["stats"] |= {f"read_{word}": formula for word, formula in READS.items()}
    world = World(Design.from_dict(tree))
    world.join("hero", "ana")
    for deed in deeds:
        do(world, deed)
        holds(world)


PATCHES: list[tuple[str, ...]] = [
    ("levels", "rank"),
    ("achievements", "veteran"),
    ("statuses", "fury"),
    ("item_sets", "ember"),
    ("exchanges", "tutor"),
    ("items", "charm"),
    ("items", "ring"),
    ("actors", "hero", "stats", "toughness"),
    ("actors", "hero", "slots", "feet"),
]


def patched(gone: set[int], more: dict[str, float]) -> Design | None:
    """Return the design without some entries and with some other numbers, where it loads."""
    tree = copy.deepcopy(TREE)
    for number in gone:
        inner: Any = tree
        *way, last = PATCHES[number]
        for part in way:
            inner = inner[part]
        inner.pop(last, None)
    hero = tree["actors"]["hero"]
    hero["stats"]["might"] = {"base": more["might"]}
    hero["bag"]["most"] = int(more["bag"])
    hero["slots"]["finger"] = int(more["finger"])
    try:
        return Design.from_dict(tree)
    except cleaver.DesignError:
        return None


@law
@given(
    st.lists(DEEDS, max_size=20),
    st.sets(st.integers(0, len(PATCHES) - 1), max_size=3),
    st.fixed_dictionaries(
        {"might": st.integers(0, 30), "bag": st.integers(0, 30), "finger": st.integers(0, 3)}
    ),
)
def test_adopting_is_leaving_and_joining_and_comes_back(
    deeds: list[Any], gone: set[int], more: dict[str, float]
) -> None:
    other = patched(gone, more)
    if other is None:
        return
    world = World(DESIGN)
    world.join("hero", "ana")
    for deed in deeds:
        do(world, deed)
    if world.stage:
        world.leave_stage()
    ana = world.actor("ana")
    if not ana.alive:
        ana.revive()
    before, profile = standing(ana), world.profile("ana")
    fingers = len(ana.worn["finger"])
    try:
        world.adopt(other)
    except InUseError:
        return
    holds(world)
    fresh = standing(joined(other, profile))
    assert standing(ana) == fresh
    world.adopt(DESIGN)
    holds(world)
    back = standing(ana)
    if fingers <= more["finger"] and 2 not in gone:  # else what had no place is in the bag; a status ended
        assert back == before
    for _ in range(2):
        world.adopt(other)
        world.adopt(DESIGN)
    assert standing(ana) == back


@law
@given(st.lists(DEEDS, max_size=12), st.lists(DEEDS, max_size=12), st.sets(st.sampled_from(KEPT)))
def test_a_stage_that_is_played_again_adds_nothing_twice(
    before: list[Any], within: list[Any], kept: set[str]
) -> None:
    world = World(Design.from_dict(TREE | {"game": {**TREE["game"], "restart_keeps": sorted(kept)}}))
    world.join("hero", "ana")
    for deed in before:
        if deed[0] != "stage":
            do(world, deed)
    world.enter_stage("storm")
    for deed in within:
        if deed[0] != "stage":
            do(world, deed)
    world.restart_stage()
    holds(world)
    once = standing(world.actor("ana")), world.profile("ana").sections
    for _ in range(3):
        world.restart_stage()
    assert (standing(world.actor("ana")), world.profile("ana").sections) == once


@law
@given(st.lists(DEEDS, max_size=20))
def test_names_that_became_others_reach_the_account(deeds: list[Any]) -> None:
    text = PARTY.read_text(encoding="utf-8")
    renames = {
        "hp": "health",
        "might": "power",
        "rank": "grade",
        "tutor": "master",
        "charm": "token",
        "ring": "band",
    }
    for old, new in renames.items():
        text = _renamed(text, old, new)
    tree = tomllib.loads(text) | {"saves": {"include": KEPT, "changes": [{"from": 1, "rename": renames}]}}
    tree["game"]["version"] = 2
    for one in tree["actors"]["hero"]["meters"].values():
        one["saved"] = True
    design = Design.from_dict(tree)
    world = World(DESIGN)
    ana = world.join("hero", "ana")
    for deed in deeds:
        if deed[0] != "stage":
            do(world, deed)
    if not ana.alive:
        ana.revive()
    later = joined(design, Versions(design).carry(world.profile("ana")))
    names = {**renames, "hp.max": "health.max"}
    for name, stat in ana.stats.items():
        assert later.stats[names.get(name, name)].value == stat.value
    assert (later["health"].max, later.bag.most) == (ana["hp"].max, ana.bag.most)
    assert later["health"].value == ana["hp"].value


def _renamed(text: str, old: str, new: str) -> str:
    import re

    return re.sub(rf"\b{old}\b", new, text)


def test_ten_thousand_times_on_and_off_leaves_every_bit() -> None:
    world = World(DESIGN)
    ana = world.join("hero", "ana")
    ana.raise_stat("might", 0.1)
    for item in ("sword", "plate"):
        ana.give(item)
    before, size = standing(ana), len(json.dumps(world.snapshot()))
    for _ in range(10_000):
        ana.wear("sword")
        ana.take_off("sword")
    ana.wear("plate")
    ana.take_off("plate")
    assert standing(ana) == before
    assert len(json.dumps(world.snapshot())) <= size + 8  # numbers of events are longer


def test_a_level_that_a_design_brings_within_reach_is_reached_as_any_other() -> None:
    tree: dict[str, Any] = {
        "levels": {"rank": {"experience": [100, 100], "do": [{"raise_max": "hp", "amount": 5}]}},
        "actors": {"hero": {"player": True, "vital": "hp", "meters": {"hp": 50}}},
    }
    easier = copy.deepcopy(tree)
    easier["levels"]["rank"]["experience"] = [40, 40]
    world = World(Design.from_dict(tree))
    ana = world.join("hero", "ana")
    ana.gain_xp("rank", 80)
    profile = world.profile("ana")
    told: list[int] = []
    world.listen("levelled", lambda event: told.append(int(event.level)))
    world.adopt(Design.from_dict(easier))
    assert (int(ana.levels["rank"]), ana["hp"].max, told) == (3, 60, [2, 3])
    again = World(Design.from_dict(easier))
    bo = again.join("hero", "ana", profile=profile)
    assert (int(bo.levels["rank"]), bo["hp"].max) == (3, 60)


def test_saved_goals_go_by_what_they_count() -> None:
    def design(goals: list[dict[str, Any]]) -> Design:
        return Design.from_dict(
            {
                "events": {"tapped": {}, "dived": {}},
                "quests": {"q": {"goals": goals}},
                "actors": {"hero": {"player": True}},
            }
        )

    taps, dives = {"on": "tapped", "count": 9}, {"on": "dived", "count": 2}
    world = World(design([taps]))
    ana = world.join("hero", "ana")
    ana.accept("q")
    for _ in range(5):
        ana.announce("tapped")
    later = World(design([dives, taps])).join("hero", "ana", profile=world.profile("ana"))
    assert [goal.progress for goal in later.quests["q"].goals] == [0, 5]


@pytest.mark.parametrize("kept", [(), ("levels",), ("achievements", "currencies")])
def test_a_kept_reward_is_paid_once(kept: tuple[str, ...]) -> None:
    design = Design.from_dict(
        {
            "game": {"restart_keeps": list(kept)},
            "currencies": {"coin": {}},
            "levels": {
                "rank": {
                    "experience": [10, 10],
                    "do": [{"raise_max": "hp", "amount": 6}, {"earn": "coin", "amount": 1}],
                }
            },
            "achievements": {"first": {"reward": [{"earn": "coin", "amount": 7}]}},
            "actors": {"hero": {"player": True, "vital": "hp", "meters": {"hp": 100}}},
            "stages": {"one": {}},
        }
    )
    world = World(design)
    ana = world.join("hero", "ana")
    world.enter_stage("one")
    ana.gain_xp("rank", 20)
    ana.grant("first")
    for _ in range(3):
        world.restart_stage()
        coins, top = ana.purse["coin"], ana["hp"].max
        if kept == ():
            assert (coins, top) == (0, 100)
        elif kept == ("levels",):
            assert (coins, top) == (2, 112)  # money was put back, so what the levels gave comes again
        else:
            assert (coins, top) == (9, 100)  # it was not: nothing comes twice


def test_a_flow_in_front_leaves_the_clocks_of_others() -> None:
    def design(flows: list[dict[str, Any]]) -> Design:
        return Design.from_dict(
            {"actors": {"box": {"meters": {"fuel": {"max": 100, "start": 10, "flows": flows}}}}}
        )

    step = {"rate": 1, "every": 4}
    world = World(design([step]))
    box = world.spawn("box", "box")
    world.advance(3)
    world.adopt(design([{"rate": 0.5, "every": 10}, step]))
    world.advance(1)
    assert box["fuel"].value == 14


BEGINNING = Design.from_dict(
    {
        "statuses": {
            "venom": {
                "pulses": [{"every": 2, "do": [{"drain": 1}]}],
                "flows": [{"meter": "heat", "rate": -3, "every": 2.5}],
            }
        },
        "actors": {
            "hero": {
                "player": True,
                "vital": "hp",
                "guard": {"grace": 3},
                "meters": {
                    "hp": {"max": 50, "flows": [{"rate": 1, "after_hurt": 4}]},
                    "fuel": {"max": 40, "start": 5, "whole": True, "flows": [{"rate": 0.3}]},
                    "heat": {"max": 90, "start": 9, "flows": [{"rate": 2, "every": 3}]},
                },
                "attacks": {"jab": {"amount": 1, "cooldown": 6}},
            },
            "box": {"vital": "hp", "keep": True, "meters": {"hp": 90}},
        },
        "quests": {
            "q": {
                "giver": "harbour",
                "goals": [{"on": "healed"}],
                "turn_in_lasts": 5,
                "reward": [{"score": 1}],
                "says": {"ready": ["One.", "Two.", "Three."]},
            }
        },
        "stages": {"pier": {}},
    }
)


@law
@given(st.floats(0.1, 4), st.lists(st.sampled_from(["hurt", "jab", "wait", "talk", "cure"]), max_size=6))
def test_a_stage_that_begins_anew_goes_on_as_from_its_beginning(wait: float, within: list[str]) -> None:
    world = World(BEGINNING)
    ana, box = world.join("hero", "ana"), world.spawn("box", "box")
    ana.accept("q")
    ana.hurt(10)
    ana.heal(1)
    ana.hit(box, "jab")
    ana.status("venom")
    ana.talk("harbour")
    ana.turn_in("q")
    world.advance(wait)
    world.enter_stage("pier")
    other = World.restore(BEGINNING, world.snapshot())
    for deed in within:
        if deed == "wait":
            world.advance(2.6)
        elif deed == "jab":
            ana.hit(box, "jab")
        elif deed == "talk":
            ana.talk("harbour")
        elif deed == "cure":
            ana.cure("venom")
        else:
            ana.hurt(7)
    world.restart_stage()
    for span in (0, 0.5, 0.9, 1.7, 3.1):
        world.advance(span)
        other.advance(span)
        assert here(world) == here(other)


def here(world: World) -> Any:
    ana = world.actor("ana")
    quest = ana.quests["q"]
    meters = [round(ana[name].value, 6) for name in ana.meters]
    rest = [ana.cooldown_left("jab", "box"), ana.statuses, quest.state, quest.says]
    twin = World.restore(world.design, world.snapshot())
    return meters, rest, twin.actor("ana").hurt(1).blocked


def changed(**sections: Any) -> Design:
    """Return the sample with entries of its sections changed; an entry that is None goes."""
    tree = copy.deepcopy(TREE)
    for section, entries in sections.items():
        for name, entry in entries.items():
            if entry is None:
                del tree[section][name]
            else:
                tree.setdefault(section, {})[name] = entry
    return Design.from_dict(tree)


def test_what_is_put_aside_and_comes_back_is_in_the_books_once() -> None:
    world = World(DESIGN)
    ana = world.join("hero", "ana")
    ana.give("charm", 2)
    ana.give("ring", 3)
    ana.wear("ring")
    world.adopt(changed(items={"ring": None}))
    world.adopt(DESIGN)
    assert (ana.bag["charm"], ana.bag["ring"], ana.worn["finger"]) == (2, 2, ("ring",))
    books = read.parts(world).goods.table.books.values()
    sums = {good: sum(one.came - one.went for one in books if one.good == good) for good in ("charm", "ring")}
    assert sums == {"charm": 2, "ring": 3}


def test_what_cannot_be_worn_under_another_design_is_in_the_bag() -> None:
    world = World(DESIGN)
    ana = world.join("hero", "ana")
    ana.give("sword")
    ana.wear("sword")
    assert ana.stats["might"].value == 12
    world.adopt(changed(items={"sword": {"size": 2}}))
    assert (ana.bag["sword"], ana.worn["hand"], ana.stats["might"].value) == (1, (), 10)


def test_a_stat_follows_a_record() -> None:
    tree = copy.deepcopy(TREE)
    tree["records"] = {"pain": {"on": "damaged", "sum": "amount"}}
    tree["actors"]["hero"]["stats"]["grit"] = "1 + self.record.pain"
    ana = World(Design.from_dict(tree)).join("hero", "ana")
    found = []
    for amount in (5, 7, 2):
        ana.hurt(amount)
        found.append(ana.stats["grit"].value)
    assert found == [6, 13, 15]


def test_a_stat_does_not_follow_what_goes_down_by_itself() -> None:
    tree = copy.deepcopy(TREE)
    tree["records"] = {"run": {"on": "damaged", "within": 2}}
    tree["actors"]["hero"]["stats"]["grit"] = "self.record.run"
    with pytest.raises(cleaver.DesignError, match=r"reads self\.record\.run, which moves too often"):
        Design.from_dict(tree)


def test_a_stage_that_begins_anew_has_what_it_adds_once() -> None:
    tree = copy.deepcopy(TREE)
    tree["stages"]["storm"]["times"] = {"hp.max": 0.5}
    world = World(Design.from_dict(tree))
    ana = world.join("hero", "ana")
    ana.hurt(40)
    world.enter_stage("storm")
    assert (ana["hp"].value, ana["hp"].max) == (30, 50)
    ana.hurt(3)
    world.restart_stage()
    assert (ana["hp"].value, ana["hp"].max) == (30, 50)


def test_a_bag_without_an_end_takes_a_limit_and_does_not_grow() -> None:
    tree = copy.deepcopy(TREE)
    del tree["actors"]["hero"]["bag"]
    tree["items"]["ring"]["adds"] = {"speed": 1}
    world = World(Design.from_dict(tree))
    ana = world.join("hero", "ana")
    assert (ana.raise_stat("bag", 4).blocked, ana.bag.most) == ("no_change", None)
    for most in (0, 5):
        ana.bag.resize(most)
        again = World.restore(world.design, world.snapshot()).actor("ana")
        assert (ana.bag.most, again.bag.most) == (most, most)


def test_a_stat_follows_an_input_that_stands_and_what_follows_is_of_no_earlier_event() -> None:
    tree = copy.deepcopy(TREE)
    tree["actors"]["hero"]["stats"]["cold"] = "2 * weather"
    world = World(Design.from_dict(tree))
    ana = world.join("hero", "ana")
    heard: list[tuple[float, int]] = []
    world.listen("stat_changed", lambda event: heard.append((event.after, event.cause)))
    world.enter_stage("storm")
    heard.clear()
    ana.give("charm")
    ana.set_input("weather", 3)
    ana.raise_stat("might", 2)
    gained = next(event.seq for event in world.events if event.name == "gained")
    assert heard == [(11, gained), (6, 0), (13, 0)]
    world.restart_stage()
    assert ana.stats["cold"].value == 0
