"""Statuses, tags, team and score in a profile: where `[saves] include` names them, leaving neither heals nor
resets."""

from __future__ import annotations

from typing import Any

import pytest

from cleaver import Actor, Design, DesignError, Profile, ProfileError, World
from cleaver.core import read
from cleaver.design.models.saves import ASKED, SECTIONS
from cleaver.saves.document import decode, encode
from helpers import names

GAME: dict[str, Any] = {
    "teams": {"north": {}, "south": {}},
    "currencies": {"fund": {"pooled": True}},
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": {"max": 100, "saved": True}},
            "tags": ["wet"],
        },
        "eel": {"vital": "skin", "meters": {"skin": 10}},
    },
    "statuses": {
        "venom": {
            "lasts": 5.0,
            "stack": "add",
            "pulses": [{"every": 1.0, "do": [{"hurt": 4}]}],
            "tags": ["ill"],
        },
        "curse": {},
    },
    "saves": {"include": [*SECTIONS, *ASKED]},
}
DESIGN = Design.from_dict(GAME)


def left(world: World, actor: Actor) -> Profile:
    """Return the profile one leaves with, as it comes out of a store."""
    return decode(encode(world.leave(actor)))


def test_a_status_goes_on_where_it_was() -> None:
    world = World(DESIGN)
    ana, eel = world.join("diver", "ana"), world.spawn("eel", "grey")
    ana.status("venom", source=eel)
    world.advance(2.5)  # two beats: 8 of 100
    ana.status("curse")
    profile = left(world, ana)

    again = World(DESIGN)
    again.spawn("eel", "grey")  # another one, of the same name
    back = again.join("diver", "ana", profile=profile)
    assert profile.sections["statuses"]["venom"][0]["left"] == 2_500_000
    assert (back["suit"].value, back.statuses, "ill" in back.tags) == (92, ("venom", "curse"), True)
    again.advance(0.49)
    assert back["suit"].value == 92
    again.advance(0.01)  # the third beat, where it was due
    assert back["suit"].value == 88
    hurt = next(event for event in again.events if event.name == "damaged")
    assert read.parts(again).stage.kind_of(hurt.source) == "eel"
    assert read.parts(again).stage.party(hurt.source) is None  # not the eel that is called the same here
    again.advance(2.5)
    assert (back["suit"].value, back.statuses, "ill" in back.tags) == (80, ("curse",), False)
    again.advance(1000)
    assert back.statuses == ("curse",)  # without an end


def test_stacks_and_paused_beats_come_back_each_by_itself() -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana")
    ana.status("venom")
    world.advance(0.4)
    ana.status("venom")
    ana.pause("venom")
    again = World(DESIGN)
    back = again.join("diver", "ana", profile=left(world, ana))
    again.advance(2)
    assert back["suit"].value == 100
    back.resume("venom")
    again.advance(0.6)
    assert back["suit"].value == 96  # only the first one's beat was due
    again.advance(0.4)
    assert back["suit"].value == 92


def test_tags_team_and_score_come_back() -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana", team="north")
    ana.add_score(7)
    ana.tag("ill")
    profile = left(world, ana)

    again = World(DESIGN)
    back = again.join("diver", "ana", profile=profile)
    assert (back.team, back.score, "ill" in back.tags) == ("north", 7, True)
    assert "tagged" not in names(again.events)
    assert again.value("team.north.score") == 0  # what was scored elsewhere is no point of this team here
    other = World(DESIGN).join("diver", "ana", team="south", profile=profile)
    assert other.team == "south"  # where the host names a team, it stands there


def test_money_of_a_team_is_taken_back_after_the_team() -> None:
    world = World(DESIGN)
    profile = Profile("ana", 1, {"team": {"name": "north"}})
    ana = world.join("diver", "ana", profile=profile)
    ana.earn("fund", 5)
    bea = world.join("diver", "bea", team="north")

    assert bea.purse["fund"] == 5


def test_loading_tells_what_changed() -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana", team="north")
    before = world.profile(ana)
    ana.status("venom")
    ana.status("curse")
    world.set_team(ana, "south")
    ana.add_score(3)
    marker = world.events[-1].seq
    world.load(ana, before)

    told = [(event.name, *event.values) for event in world.events if event.seq > marker]
    assert told == [
        ("team_changed", "north", "south"),
        ("status_ended", "venom", "loaded"),
        ("status_ended", "curse", "loaded"),
        ("untagged", "ill"),
        ("scored", -3, 0, "north", ""),
        ("loaded",),
    ]
    assert (ana.statuses, ana.team, ana.score) == ((), "north", 0)


def test_the_dead_come_back_under_nothing() -> None:
    sections: dict[str, Any] = {
        "lives": {"left": 0, "dead": True},
        "statuses": {
            "curse": [{"order": 0, "left": None, "source": "", "kind": "", "team": "", "beats": []}]
        },
    }
    world = World(
        Design.from_dict(GAME | {"actors": {"diver": GAME["actors"]["diver"] | {"lives": {"start": 2}}}})
    )
    ana = world.join("diver", "ana", profile=Profile("ana", 1, sections))

    assert (ana.alive, ana.statuses) == (False, ())


def test_what_a_design_does_not_keep_or_know_stays_aside() -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana", team="north")
    ana.status("venom")
    ana.tag("ill")
    ana.add_score(2)
    profile = left(world, ana)
    poorer = World(Design.from_dict({"actors": GAME["actors"]}))
    through = left(poorer, poorer.join("diver", "ana", profile=profile))
    back = World(DESIGN).join("diver", "ana", profile=through)

    assert (back.team, back.score, back.statuses) == ("north", 2, ("venom",))


def test_without_being_asked_nothing_of_it_is_kept() -> None:
    world = World(Design.from_dict({**GAME, "saves": {}}))
    ana = world.join("diver", "ana", team="north")
    ana.status("venom")
    ana.add_score(2)

    assert not {"statuses", "tags", "team", "score"} & set(left(world, ana).sections)
    with pytest.raises(DesignError, match="include"):
        Design.from_dict({**GAME, "saves": {"include": ["status"]}})


@pytest.mark.parametrize(
    ("sections", "path"),
    [
        ({"score": {"points": 1.5}}, "score.points"),
        ({"team": {"name": 3}}, "team.name"),
        ({"tags": {"ill": 1}}, "tags.ill"),
        ({"statuses": {"venom": {}}}, "statuses.venom"),
        ({"statuses": {"venom": [{"order": 0, "left": -1}]}}, r"statuses.venom\[1\].left"),
    ],
)
def test_a_misshaped_section_is_refused_with_its_path(sections: dict[str, Any], path: str) -> None:
    world = World(DESIGN)
    with pytest.raises(ProfileError, match=path):
        world.join("diver", "ana", profile=Profile("ana", 1, sections))
    assert world.actors == ()
