"""What is acknowledged can be read back: numbers are refused where they come from, and looked at before."""

from __future__ import annotations

import copy
import json
from collections.abc import Callable, Iterator
from contextlib import suppress
from typing import Any

import pytest

from cleaver import Actor, AmountError, Design, FormulaError, Profile, ProfileError, ReactionError, World
from cleaver.core import kept
from cleaver.saves import Autosaver, open_store

HUGE = "1e18" + "*1e18" * 16
GAME: dict[str, Any] = {
    "events": {"seen": {"fields": {"much": "number"}}},
    "currencies": {"gold": {}},
    "items": {"nut": {}},
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "lives": {"start": 1},
            "respawn": {"after": 2.0},
            "meters": {"suit": {"max": 90, "saved": True, "overfill": 5}},
        }
    },
    "records": {
        "big": {"on": "seen", "sum": "much"},
        "best": {"on": "seen", "best": "much"},
        "lately": {"on": "seen", "sum": "much", "within": 9.0},
    },
    "levels": {"rank": {"experience": "10 * level", "do": [{"raise_max": "suit", "amount": 9e18}]}},
    "rules": [{"on": "healed", "do": [{"announce": "seen", "much": HUGE}]}],
}
DESIGN = Design.from_dict(GAME)
MOST = 2**63 - 1


def twice(call: Callable[[], object]) -> None:
    call()
    with suppress(
        ReactionError
    ):  # a sum that would be beyond the largest number says so, and stays where it is
        call()


@pytest.mark.parametrize(
    "act",
    [
        lambda ana: twice(lambda: ana.earn("gold", MOST)),
        lambda ana: twice(lambda: ana.give("nut", MOST)),
        lambda ana: twice(lambda: ana.add_lives(MOST)),
        lambda ana: twice(lambda: ana.gain_xp("rank", 1_000)),
        lambda ana: twice(lambda: ana.add_score(MOST)),
        lambda ana: twice(lambda: ana.announce("seen", much=9e18)),
        lambda ana: twice(lambda: ana.announce("seen", much=-9e18)),
        lambda ana: ana.gain_xp("rank", 100),
        lambda ana: ana["suit"].set_max(2.0**62),
        lambda ana: ana.hurt(MOST),
    ],
)
def test_whatever_is_done_can_be_saved_and_read_back(act: Callable[[Actor], object]) -> None:
    world = World(DESIGN)
    with open_store("sqlite://", DESIGN) as store:
        saver = Autosaver(store, threaded=False)
        ana = saver.join(world, "ana")
        act(ana)
        left = world.profile(ana)
        assert saver.leave("ana") is None
        again = World(DESIGN)
        back = again.join("diver", "ana", profile=store.read("ana"))
        assert again.profile(back).sections["currencies"] == left.sections["currencies"]
        assert again.profile(back).sections["records"] == left.sections["records"]
        saver.close()


@pytest.mark.parametrize("much", [1e300, -1e300, 2**63, float("nan"), float("inf")])
def test_numbers_that_cannot_be_kept_are_refused_where_they_come_from(much: float) -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana")
    with pytest.raises(AmountError, match="much of seen"):
        ana.announce("seen", much=much)
    assert ana.records["big"] == 0


def test_a_formula_that_gives_such_a_number_is_an_error_of_that_formula() -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana")
    ana.hurt(5)
    with pytest.raises(ReactionError) as raised:
        ana.heal(3)
    assert isinstance(raised.value.exceptions[0], FormulaError)
    assert "a number of an event is within" in str(raised.value.exceptions[0])
    assert ana.records["best"] == 0


@pytest.mark.parametrize(
    ("sections", "path"),
    [
        ({"lives": {"left": -1, "dead": False}}, "lives.left"),
        ({"records": {"big": {"total": 1e300, "seen": [], "stamps": []}}}, "records.big.total"),
        ({"currencies": {"gold": 1.5}}, "currencies.gold"),
        ({"items": {"nut": True}}, "items.nut"),
    ],
)
def test_what_the_reader_would_refuse_is_never_acknowledged(sections: dict[str, Any], path: str) -> None:
    with open_store("sqlite://", DESIGN) as store:
        with pytest.raises(ProfileError, match=path):
            store.save(Profile("ana", 1, sections))
        assert store.players() == []


def places(tree: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Yield the path of everything in a tree."""
    if path:
        yield path
    pairs = tree.items() if isinstance(tree, dict) else enumerate(tree) if isinstance(tree, list) else ()
    for key, item in pairs:
        yield from places(item, (*path, key))


ODD: tuple[Any, ...] = (
    None,
    -1,
    2**63,
    -(2**63),
    1.5,
    1e300,
    float("nan"),
    "",
    "x",
    True,
    [],
    {},
    [1, 2],
    {"a": 1},
)


def test_the_quick_look_at_a_profile_and_the_one_that_finds_words_agree() -> None:
    whole: dict[str, Any] = json.loads(
        json.dumps(
            {
                "currencies": {"gold": 3},
                "owed": {"nut": [[1, 2, "x"]]},
                "lives": {"left": 1, "dead": False},
                "levels": {"rank": {"xp": 3, "raised": {"suit": 1.5}}},
                "records": {"big": {"total": 1.5, "seen": ["a"], "stamps": [[5, 1.5]]}},
                "meters": {"suit": {"value": 1.5, "raised": -2}, "air": {"value": 1, "max": 2.5}},
                "achievements": {"one": {"achieved": ["a"], "tallies": {}}},
                "score": {"points": -5},
                "team": {"name": "north"},
                "tags": {"wet": True},
                "statuses": {
                    "ill": [
                        {"order": 0, "left": None, "source": "", "kind": "", "team": "", "beats": [[1, True]]}
                    ]
                },
                "quests": {
                    "one": {
                        "state": "active",
                        "goals": [
                            {"progress": 1, "target": 2.5, "met": False, "total": 1, "seen": [], "stamps": []}
                        ],
                        "fails": [],
                        "completions": 0,
                        "limit": 7,
                        "again": None,
                    }
                },
            }
        )
    )
    kept.look_at_section("ana", whole)
    for path in places(whole):
        for odd in (*ODD, "gone"):
            tree = copy.deepcopy(whole)
            home: Any = tree
            for step in path[:-1]:
                home = home[step]
            if odd == "gone":
                del home[path[-1]]
            else:
                home[path[-1]] = odd
            section = path[0]
            if section not in tree:
                continue
            try:
                kept._look("ana", section, tree[section], kept.SHAPES[section])
            except ProfileError:
                fits = False
            else:
                fits = True
            assert kept._QUICK[section](tree[section]) is fits, (path, odd)
