"""Snapshots from elsewhere: one that was altered is refused, or is a world that can go on; never in between.

By hand, many more: ``CLEAVER_CASES=20000 pytest tests/kernel/test_strict_snapshots.py``.
"""

from __future__ import annotations

import copy
import json
import os
import random
from collections.abc import Iterator
from typing import Any

import pytest

from cleaver import CleaverError, SnapshotError, World, load_design, sample

REEF = load_design(sample.path("lanternreef.toml"))
CASES = int(os.environ.get("CLEAVER_CASES", "400"))
ODD: tuple[Any, ...] = (
    None,
    -1,
    0,
    1,
    2**63,
    2**70,
    -1.5,
    1e300,
    float("nan"),
    float("inf"),
    "",
    "nobody",
    "ana",
    True,
    [],
    {},
)


def played() -> World:
    """Return a world in which everything is under way."""
    world = World(REEF, seed=3)
    ana, bea = world.join("diver", "ana"), world.join("diver", "bea")
    eel = world.spawn("eel", "grey")
    pearls = world.placements_of("pearl") or (world.place("pearl"),)
    ana.accept("first_light")
    world.match("salvage_race").start()
    ana.take(pearls[0])
    eel.hit(ana, "sting")
    bea.earn("scrip", 12)
    ana.start_rating("dive")
    world.advance(1.25)
    return world


BASE = json.dumps(played().snapshot())


def places(tree: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Yield the path of everything in a tree."""
    if path:
        yield path
    if isinstance(tree, dict):
        for key in tree:
            yield from places(tree[key], (*path, key))
    elif isinstance(tree, list):
        for index, item in enumerate(tree):
            yield from places(item, (*path, index))


PLACES = [path for path in places(json.loads(BASE)) if path[0] not in ("design", "layout")]


def altered(chance: random.Random) -> tuple[dict[str, Any], str]:
    """Return a snapshot in which one thing is other than it was, and what."""
    tree = json.loads(BASE)
    path = chance.choice(PLACES)
    home = tree
    for step in path[:-1]:
        home = home[step]
    old, how = home[path[-1]], chance.randrange(4)
    if how == 0:
        del home[path[-1]]
    elif how == 1 and isinstance(home, list):
        home.append(copy.deepcopy(old))
    elif how == 2 and isinstance(old, int) and not isinstance(old, bool):
        home[path[-1]] = old + chance.choice((-1, 1, 1_000_000, -(10**9)))
    else:
        home[path[-1]] = chance.choice(ODD)
    return tree, f"{path} was {old!r}"


def test_one_that_was_not_altered_is_taken() -> None:
    assert json.dumps(World.restore(REEF, json.loads(BASE)).snapshot()) == BASE


def test_an_altered_snapshot_is_refused_or_a_world_that_goes_on() -> None:
    taken = 0
    for number in range(CASES):
        tree, what = altered(random.Random(number))
        try:
            world = World.restore(REEF, tree)
        except SnapshotError:
            continue
        taken += 1
        try:
            world.advance(0.5)
            for actor in world.actors:
                actor.hurt(1)
            for player in world.players:
                world.profile(player)
            world.advance(5)
            World.restore(REEF, json.loads(json.dumps(world.snapshot())))
        except CleaverError:
            pass  # said in words
        except Exception as error:
            raise AssertionError(f"case {number}, {what}") from error
    assert taken < CASES / 2


@pytest.mark.parametrize(
    ("path", "value", "told"),
    [
        (("seq",), "7", "seq is '7'"),
        (("more",), {}, "it holds more"),
        (("clock",), [], "Clock"),
        (("actors", 0), [1, 2], "Body"),
    ],
)
def test_what_is_wrong_is_said(path: tuple[Any, ...], value: Any, told: str) -> None:
    tree = json.loads(BASE)
    home = tree
    for step in path[:-1]:
        home = home[step]
    home[path[-1]] = value
    with pytest.raises(SnapshotError, match=told):
        World.restore(REEF, tree)


@pytest.mark.parametrize("value", [-50, 1e9, "x", None, float("nan"), True])
def test_a_meter_is_never_what_no_meter_can_be(value: Any) -> None:
    tree = json.loads(BASE)
    meter = next(part for part in tree["actors"][0] if isinstance(part, dict) and "suit" in part)["suit"]
    meter[-1] = value
    with pytest.raises(SnapshotError):
        World.restore(REEF, tree)
