"""Why: a number told back to where it began."""

from __future__ import annotations

import pytest

from cleaver import Actor, Design, UnknownNameError, UsageError, World
from cleaver.hud import tale
from cleaver.script import Session, play


def test_a_meter_is_told_from_its_start_with_causes(world: World, ana: Actor, eel: Actor) -> None:
    eel.hit(ana, "sting", zone="visor", charge=0.5, crit=False)
    world.advance(1)
    ana.heal(5)

    assert tale(world.why("ana.suit")) == [
        "ana.suit is 80.5 now",
        "  90 at the start",
        "  −12.5 at 0 s, #3: ana loses 12.5 suit (90 → 77.5) to eel1's sting in the visor: 9 × 3 visor × 0.5 venom − 1 armour = 12.5",
        "  −1 at 0.5 s, #5: ana loses 1 suit (77.5 → 76.5) to eel1's venom: 2 × 0.5 venom = 1  ← #4 ana is under venom by eel1  ← #3",
        "  −1 at 1 s, #6: ana loses 1 suit (76.5 → 75.5) to eel1's venom: 2 × 0.5 venom = 1  ← #4",
        "  +5 at 1 s, #7: ana regains 5 suit (75.5 → 80.5)",
    ]


def test_goods_scores_quests_levels_and_stars_have_stories(world: World, ana: Actor) -> None:
    ana.take(world.place("pearl"))
    ana.accept("first_light")
    ana.gain_xp("rank", 120)
    ana.rate("dive")

    assert [chapter.after for chapter in world.why("ana.pearl").chapters] == [1]
    assert [(chapter.before, chapter.after) for chapter in world.why("ana.score").chapters] == [(0, 10)]
    assert [chapter.after for chapter in world.why("ana.quest.first_light").chapters] == ["active"]
    assert [chapter.after for chapter in world.why("ana.rank").chapters] == [2]
    assert world.why("ana.rank.xp").value == 120
    assert len(world.why("ana.stars.dive").chapters) == 1
    assert tale(world.why("ana.scrip")) == [
        "ana.scrip is 0 now",
        "  as it was at the start: nothing has changed it",
    ]


def test_a_history_that_was_cut_is_said_to_be(reef: Design) -> None:
    world = World(reef, history=2)
    ana = world.join("diver", "ana")
    for _ in range(4):
        ana.drain(5, "air")
    assert world.why("ana.air").cut
    assert tale(world.why("ana.air"))[1] == "  50 before that: events from before are not kept any more"
    again = World.restore(reef, world.snapshot())
    assert again.why("ana.air").cut
    assert again.why("ana.air").chapters == ()


def test_what_flows_since_the_last_event_is_told_too(world: World, ana: Actor) -> None:
    ana.tag("submerged")
    world.advance(10)

    assert tale(world.why("ana.air"))[0] == "ana.air is 48 now"


def test_asking_about_nothing_is_an_error(world: World, ana: Actor) -> None:
    with pytest.raises(UnknownNameError, match="ana.suit"):
        world.why("ana.siut")
    with pytest.raises(UsageError, match="value of an actor"):
        world.why("now")


def test_why_is_a_line_of_scripts(reef: Design) -> None:
    said: list[str] = []
    play(
        Session(reef),
        ["join diver ana", "hurt ana 6", "why ana.suit"],
        tell=lambda step: said.append(step.said),
    )

    assert said[-1].splitlines() == [
        "ana.suit is 85 now",
        "      90 at the start",
        "      −5 at 0 s, #2: ana loses 5 suit (90 → 85): 6 − 1 armour = 5",
    ]
