"""What a game keeps of its own in a player's profile."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from cleaver import Design, GoneError, Profile, UnknownNameError, UsageError, World, open_store
from cleaver.core import read
from cleaver.core.profile import OWN
from cleaver.saves import Autosaver, unknown_to

DESIGN = Design.from_dict(
    {
        "currencies": {"scrip": {"start": 5}},
        "actors": {
            "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}},
            "eel": {"vital": "hide", "meters": {"hide": 30}},
        },
        "stages": {"reef": {"actors": {"eel": 1}}},
    }
)


def test_it_comes_back_as_it_was(tmp_path: Path) -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana")
    kept: dict[str, Any] = {
        "hair": "red",
        "seen": [1, 2.5, None, True],
        "keys": {"jump": "space"},
        "größe": 0,
    }
    ana.data.update(kept)
    assert dict(ana.data) == kept
    profile = world.profile(ana)
    assert profile.sections["data"] == kept

    again = World.restore(DESIGN, json.loads(json.dumps(world.snapshot())))
    assert dict(again.actor("ana").data) == kept
    other = World(DESIGN)
    assert dict(other.join("diver", "ana", profile=profile).data) == kept
    bea = other.join("diver", "bea")
    assert dict(bea.data) == {}

    del ana.data["hair"]
    assert list(ana.data) == ["seen", "keys", "größe"]
    world.load(ana, profile)
    assert dict(ana.data) == kept
    ana.data.clear()
    assert "data" not in world.profile(ana).sections
    fresh = World(DESIGN)
    fresh.join("diver", "ana")
    assert world.profile(ana) == fresh.profile("ana")


def test_no_part_keeps_a_section_of_that_name() -> None:
    assert OWN not in read.parts(World(DESIGN)).profiles.sections


def test_what_a_design_does_not_know_is_named_and_nothing_else() -> None:
    sections: dict[str, dict[str, Any]] = {
        "data": {"hair": "red"},  # the game's own
        "currencies": {"scrip": 3, "gold": 1},
        "ratings": {"reef": 2, "dive": 1},  # a stage has stars, too
        "exchanges": {"office": 1},
    }
    rated = {"ratings": {"stars": {"measure": "1", "steps": [1]}}, "stages": {"reef": {"rating": "stars"}}}
    design = Design.from_dict({**DESIGN.source.written, **rated})
    assert unknown_to(Profile("ana", 1, sections), design) == [
        "currencies.gold",
        "ratings.dive",
        "exchanges.office",
    ]
    fewer = Design.from_dict({**DESIGN.source.written, **rated, "saves": {"include": ["ratings"]}})
    assert unknown_to(Profile("ana", 1, sections), fewer) == ["ratings.dive"]
    two = {
        **DESIGN.source.written["actors"],
        "boat": {"player": True, "vital": "hull", "meters": {"hull": {"max": 9, "saved": True}}},
    }
    either = Design.from_dict({**DESIGN.source.written, "actors": two})
    assert unknown_to(Profile("ana", 1, {"meters": {"hull": {"max": 9, "value": 3}}}), either) == []


def test_it_stays_over_stages_and_goes_with_the_player() -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana")
    data = ana.data
    world.enter_stage("reef")
    data["best"] = 12
    world.restart_stage()
    assert ana.data["best"] == 12
    profile = world.leave(ana)
    assert profile.sections["data"] == {"best": 12}
    with pytest.raises(GoneError):
        data["best"] = 13
    assert "has left" in repr(data)
    assert dict(world.join("diver", "ana").data) == {}


def test_what_is_read_is_a_copy() -> None:
    ana = World(DESIGN).join("diver", "ana")
    ana.data["seen"] = seen = [1]
    seen.append(2)
    ana.data["seen"].append(3)
    assert ana.data["seen"] == [1]
    assert repr(ana.data) == "<OwnData of ana: {'seen': [1]}>"


@pytest.mark.parametrize(
    "wrong", [(1, 2), {1: 2}, {"a": {2: 3}}, float("nan"), b"a", {1}, object, [(1,)]], ids=repr
)
def test_what_json_does_not_hold_is_refused(wrong: Any) -> None:
    ana = World(DESIGN).join("diver", "ana")
    ana.data["seen"] = 1
    with pytest.raises(UsageError, match="does not come back from JSON"):
        ana.data["seen"] = wrong
    assert dict(ana.data) == {"seen": 1}


def test_names_and_lengths_have_bounds() -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana")
    for name in ("", "n" * 101, 3, None):
        with pytest.raises(UsageError, match="no name|at most 100 letters|must be a text"):
            ana.data[name] = 1  # type: ignore[index]
    with pytest.raises(UsageError, match="100,001 characters"):
        ana.data["long"] = "x" * 99_999
    ana.data["long"] = "x" * 99_998
    with pytest.raises(UnknownNameError, match="did you mean 'long'"):
        ana.data["lung"]
    with pytest.raises(KeyError):
        del ana.data["lung"]
    with pytest.raises(UsageError, match="only players"):
        world.spawn("eel").data  # noqa: B018


def test_a_change_is_saved_by_itself(tmp_path: Path) -> None:
    with open_store(f"sqlite:///{tmp_path / 's.db'}", DESIGN) as store:
        saver = Autosaver(store, interval=0.0, threaded=False)
        ana = saver.join(World(DESIGN), "ana")
        saver.flush("ana")
        assert saver.state_of("ana")[0] == "saved"
        ana.data["hair"] = "red"
        assert saver.state_of("ana")[0] == "unsaved"
        saver.flush("ana")
        ana.data["hair"] = "red"  # as it is already
        assert saver.state_of("ana")[0] == "saved"
        assert saver.close() == []
        ana.data["hair"] = "blue"  # nobody saves it any more
        found = store.read("ana")
        assert found is not None
        assert found.sections["data"] == {"hair": "red"}
        saver = Autosaver(store, threaded=False)
        assert saver.join(World(DESIGN), "ana").data["hair"] == "red"
        assert saver.close() == []
