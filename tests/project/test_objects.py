"""Every object that a user prints, compares, copies, pickles or uses in a `with`; errors as what people catch."""

from __future__ import annotations

import copy
import json
import pickle
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

import cleaver
from cleaver import hud, sample

DESIGN = cleaver.load_design(sample.path("lanternreef.toml"))


def reef() -> tuple[cleaver.World, dict[str, Any]]:
    world = cleaver.World(DESIGN, seed=7)
    ana, pearl = world.join("diver", "ana"), world.place("pearl")
    eel = world.spawn("eel")
    return world, {
        "world": world,
        "ana": ana,
        "pearl": pearl,
        "suit": ana["suit"],
        "purse": ana.purse,
        "bag": ana.bag,
        "quests": ana.quests,
        "levels": ana.levels,
        "records": ana.records,
        "ratings": ana.ratings,
        "achievements": ana.achievements,
        "quest": ana.quests["drowned_bells"],
        "goal": ana.quests["drowned_bells"].goals[0],
        "match": world.match("salvage_race"),
        "books": world.books,
        "bar": hud.Bar(ana, "suit"),
        "popups": hud.Popups(world),
        "counter": hud.Counter(ana, "scrip"),
        "notices": hud.Notices(world),
        "toasts": hud.Toasts(world),
        "tracker": hud.Tracker(ana, "drowned_bells"),
        "stars": hud.Stars(ana, "dive"),
        "level_bar": hud.LevelBar(ana, "rank"),
        "combo": hud.ComboMeter(ana, "eel_run"),
        "clock": hud.MatchClock(world, "salvage_race"),
        "scoreboard": hud.Scoreboard(world, "salvage_race"),
        "ring": hud.CooldownRing(eel, "sting", ana),
        "status_ring": hud.StatusRing(ana, "venom"),
    }


NAMES = list(reef()[1])


@pytest.mark.parametrize("name", NAMES)
def test_what_is_printed_says_what_it_is(name: str) -> None:
    world, found = reef()

    told = repr(found[name])
    assert told.startswith("<")
    assert "object at 0x" not in told
    assert repr(DESIGN).startswith("<Design 'Lanternreef'")
    if name not in ("world", "popups", "notices", "toasts", "books", "match", "clock", "scoreboard"):
        world.dismiss(found["ana"])
        if name in ("suit", "purse", "quests", "quest", "goal", "ana"):
            assert "object at 0x" not in repr(found[name])  # and nothing is raised


@pytest.mark.parametrize("name", NAMES)
def test_nothing_of_a_running_world_is_copied_or_pickled(name: str) -> None:
    _, found = reef()

    for copying in (copy.copy, copy.deepcopy, pickle.dumps):
        with pytest.raises(cleaver.UsageError, match="neither copied nor pickled") as caught:
            copying(found[name])
        assert name != "world" or "World.restore(world.design, world.snapshot())" in str(caught.value)


def test_what_was_advised_instead_of_a_copy_goes_on_the_same() -> None:
    world, found = reef()
    found["ana"].hurt(5)

    again = cleaver.World.restore(world.design, world.snapshot())
    for one in (world, again):
        one.advance(7)
    assert again.snapshot() == world.snapshot()


def test_a_fresh_process_takes_up_a_snapshot(tmp_path: Path) -> None:
    world, _ = reef()
    (tmp_path / "world.json").write_text(json.dumps(world.snapshot()), "utf-8")
    code = (
        "import cleaver, json, sys; from cleaver import sample; "
        "design = cleaver.load_design(sample.path('lanternreef.toml')); "
        "world = cleaver.World.restore(design, json.load(open(sys.argv[1], encoding='utf-8'))); print(world.actor('ana'))"
    )

    done = subprocess.run(
        [sys.executable, "-c", code, str(tmp_path / "world.json")],
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.stdout, done.stderr) == ("<diver ana>\n", "")


def test_designs_and_errors_can_be_pickled() -> None:
    cleaver.World(DESIGN)  # which binds it for play
    again = pickle.loads(pickle.dumps(DESIGN))

    assert again.fingerprint == DESIGN.fingerprint
    assert cleaver.World(again).join("diver", "ana")["suit"].value == 90
    world, _ = reef()
    for call in (
        lambda: world.actor("bea"),
        lambda: world.advance(-1),
        lambda: cleaver.load_design("gone.toml"),
    ):
        with pytest.raises(cleaver.CleaverError) as caught:
            call()
        assert str(pickle.loads(pickle.dumps(caught.value))) == str(caught.value)


def test_what_stands_for_the_same_is_equal() -> None:
    world, one = reef()
    ana = world.actor("ana")
    two: dict[str, Any] = {
        "ana": ana,
        "pearl": world.placement(one["pearl"].id),
        "suit": ana["suit"],
        "quest": ana.quests["drowned_bells"],
        "goal": ana.quests["drowned_bells"].goals[0],
        "match": world.match("salvage_race"),
    }

    for name, again in two.items():
        assert again == one[name]
        assert hash(again) == hash(one[name])
        assert again != 3
    _, other = reef()
    assert not any(other[name] == one[name] for name in two)
    assert len({one["suit"], ana["suit"], ana["air"]}) == 2


@pytest.mark.parametrize("make", [hud.Popups, hud.Notices, hud.Toasts])
def test_what_listens_stops_after_its_with(make: Any) -> None:
    world, _ = reef()
    before = len(world.listeners)

    with make(world) as made:
        assert len(world.listeners) > before
        assert isinstance(made, make)
    assert len(world.listeners) == before
    with hud.Counter(world.actor("ana"), "scrip"):
        assert len(world.listeners) > before
    assert len(world.listeners) == before


def test_errors_are_what_people_catch(tmp_path: Path) -> None:
    world, found = reef()
    with pytest.raises(OSError, match="no such file"):
        cleaver.load_design(tmp_path / "gone.toml")
    with pytest.raises(KeyError):
        found["purse"]["gold"]
    with pytest.raises(KeyError):
        world.actor("bea")
    with pytest.raises(ValueError, match="0 or more"):
        found["ana"].heal(-1)
    found["ana"].hurt(1)
    world.dismiss(found["ana"])
    with pytest.raises(LookupError):
        found["ana"].heal(1)


WRONG: list[Any] = [3, None, "nobody", 1.5, [], {}, object]


@pytest.mark.parametrize("wrong", WRONG, ids=repr)
def test_an_argument_of_a_wrong_type_is_said_to_be_one(wrong: Any) -> None:
    world, found = reef()
    ana = found["ana"]
    calls: list[Any] = [
        lambda: hud.Bar(wrong, "suit"),
        lambda: hud.Counter(wrong, "scrip"),
        lambda: hud.Popups(wrong),
        lambda: hud.Toasts(wrong),
        lambda: hud.Notices(wrong),
        lambda: hud.Stars(wrong, "dive"),
        lambda: hud.LevelBar(wrong, "rank"),
        lambda: hud.Scoreboard(wrong, "salvage_race"),
        lambda: hud.Tracker(wrong, "drowned_bells"),
        lambda: hud.SaveIndicator(wrong, "ana"),
        lambda: ana.hit(wrong, "jab"),
        lambda: ana.take(wrong),
        lambda: world.dismiss(wrong),
        lambda: world.move(wrong, 1, 2),
        lambda: world.trade(ana, {}, wrong, {}),
        lambda: cleaver.World(wrong),
    ]
    for call in calls:
        with pytest.raises(cleaver.CleaverError):
            call()


def test_what_is_inside_is_not_offered() -> None:
    world, found = reef()
    for thing in (world, found["ana"], found["pearl"], found["quests"], found["purse"]):
        offered = {name for name in dir(thing) if not name.startswith("_")}
        assert not offered & {"rooms", "done", "body", "parts", "state", "world", "combat", "kinds"}, thing
