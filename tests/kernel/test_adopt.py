"""A world that goes on under another design: worked numbers for each thing that goes on, begins or ends."""

from __future__ import annotations

import json
from typing import Any

import pytest

from cleaver import (
    BusyError,
    Design,
    FormulaError,
    InUseError,
    ReactionError,
    UnknownNameError,
    UsageError,
    World,
    hud,
)
from cleaver.core import read

TABLES: dict[str, Any] = {
    "game": {"tags": ["wet"]},
    "currencies": {"scrip": {"start": 2}, "token": {}},
    "items": {"pearl": {}, "nail": {}},
    "levels": {"rank": {"experience": [10, 10], "do": [{"raise_max": "suit", "amount": 5}]}},
    "statuses": {
        "venom": {"lasts": 10, "flows": [{"meter": "suit", "rate": -1}], "tags": ["ill"]},
        "cold": {"lasts": 5, "pulses": [{"every": 1, "do": [{"hurt": 1}]}]},
    },
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": 100, "oxygen": {"max": 60, "flows": [{"rate": -1}]}},
            "pulses": {"drip": {"every": 4, "do": [{"earn": "scrip", "amount": 1}]}},
        },
        "eel": {"vital": "hide", "meters": {"hide": 20}, "attacks": {"sting": {"amount": 12}, "bolt": {"amount": 3, "flight": 5}}},
    },
    "pickups": {"sealant": {"do": [{"heal": 10}]}},
    "events": {"reached": {"fields": {"place": "name"}}},
    "quests": {
        "bells": {
            "goals": [
                {"name": "eels", "on": "defeated", "of": "eel", "count": 5},
                {"on": "reached", "count": 3},
                {"hold": "pearl", "count": 4},
            ],
            "reward": [{"earn": "scrip", "amount": 50}],
        }
    },
    "achievements": {"hunter": {"on": "defeated", "count": 10}},
    "records": {"hits": {"on": "damaged"}},
    "matches": {"race": {"rules": [{"on": "reached", "do": [{"score": 1}]}], "win_at": 5, "time_limit": 60}},
    "ratings": {"dive": {"measure": "self.score", "better": "higher", "steps": [1, 5]}},
}  # fmt: skip


def design(**changes: Any) -> Design:
    """The design above with values at dotted paths; None takes away what stands there."""
    tables = json.loads(json.dumps(TABLES))
    for path, value in changes.items():
        *way, last = path.split("__")
        table = tables
        for part in way:
            table = table[int(part)] if isinstance(table, list) else table.setdefault(part, {})
        if value is None:
            del table[int(last) if isinstance(table, list) else last]
        elif isinstance(table, list) and int(last) == len(table):
            table.append(value)
        else:
            table[int(last) if isinstance(table, list) else last] = value
    return Design.from_dict(tables)


def played() -> tuple[World, Any, Any]:
    world = World(design(), seed=1)
    return world, world.join("diver", "ana"), world.spawn("eel", "eel1")


def test_a_number_counts_from_now_on_and_everything_else_goes_on() -> None:
    world, ana, eel = played()
    eel.hit(ana, "sting")
    done = world.adopt(design(actors__eel__attacks__sting__amount=20))
    eel.hit(ana, "sting")

    assert ana["suit"].value == 68
    assert done
    assert done.changed == ("actors.eel.attacks.sting.amount was 12 and is 20",)
    assert (done.began, done.ended, done.put_aside) == ((), (), ())
    assert done.kept == ("ana", "eel1")
    assert str(done) == done.changed[0]


def test_the_same_design_changes_nothing_and_tells_nothing() -> None:
    world, ana, eel = played()
    eel.hit(ana, "sting")
    before, seq = world.snapshot(), world.events[-1].seq
    done = world.adopt(design())

    assert not done
    assert str(done) == "nothing has changed"
    assert (world.snapshot(), world.events[-1].seq) == (before, seq)


def test_a_maximum_follows_the_design_and_what_was_raised_stays() -> None:
    world, ana, _ = played()
    ana.gain_xp("rank", 10)  # 5 more
    ana["suit"].set(100)
    world.adopt(design(actors__diver__meters__suit=150))
    assert (ana["suit"].value, ana["suit"].max) == (100, 155)

    heard: list[tuple[str, float, float]] = []
    world.listen("adjusted", lambda event: heard.append((event.part, event.before, event.after)))
    world.adopt(design(actors__diver__meters__suit=40))
    assert (ana["suit"].value, ana["suit"].max) == (45, 45)
    assert heard == [("max", 155, 45), ("value", 100, 45)]


def test_rates_change_from_now_on_and_spans_keep_their_end() -> None:
    world, ana, _ = played()
    ana.status("cold")
    world.advance(3)
    assert ana["oxygen"].value == 57
    world.adopt(
        design(
            actors__diver__meters__oxygen={"max": 60, "flows": [{"rate": -2}]},
            actors__diver__pulses__drip__every=10,
            statuses__cold__lasts=30,
        )
    )
    world.advance(1)
    assert ana["oxygen"].value == 55
    assert ana.purse["scrip"] == 3  # the beat that was due at 4 s
    world.advance(1)
    assert ana.statuses == ()  # the cold that began ended after 5 s
    world.advance(9)
    assert ana.purse["scrip"] == 4  # and the next one 10 s after the one at 4


def test_what_flows_by_a_status_flows_as_the_status_says_now() -> None:
    world, ana, _ = played()
    ana.status("venom")
    world.advance(2)
    world.adopt(design(statuses__venom__flows=[{"meter": "suit", "rate": -5}]))
    world.advance(2)
    assert ana["suit"].value == 88


def test_what_the_design_does_not_name_any_more_ends_or_is_put_aside_and_comes_back() -> None:
    world, ana, _ = played()
    ana.status("venom")
    ana.give("pearl", 2)
    ana.earn("token", 7)
    heard: list[tuple[Any, ...]] = []
    for name in ("status_ended", "lost", "spent", "adopted"):
        world.listen(
            name, lambda event: heard.append((event.name, *event.plain().values())[:1] + event.values[:3])
        )
    poorer = design(
        statuses__venom=None,
        items__pearl=None,
        currencies__token=None,
        quests__bells__goals__2=None,
        actors__diver__meters__oxygen=None,
        actors__diver__pulses__drip=None,
    )
    done = world.adopt(poorer)

    assert ana.statuses == ()
    assert ana.meters == ("suit",)
    assert set(ana.purse) == {"scrip"}
    assert done.ended == ("ana.oxygen", "ana: pulse drip", "ana: venom")
    assert done.put_aside == ("ana: currencies.token", "ana: items.pearl")
    assert heard == [
        ("spent", "token", 7, "adopted"),
        ("lost", "pearl", 2, "adopted"),
        ("status_ended", "venom", "adopted"),
        ("adopted",),
    ]  # fmt: skip
    assert world.profile(ana).sections["items"] == {"pearl": 2}

    back = world.adopt(design())
    assert (ana.bag["pearl"], ana.purse["token"], ana["oxygen"].value) == (2, 7, 60)
    assert "ana: items.pearl" in back.began
    lines = world.books.sums("pearl", "ana")
    assert sum(line.came - line.went for line in lines) == 2


def test_new_meters_currencies_records_and_pulses_begin_at_their_start() -> None:
    world, ana, eel = played()
    eel.hit(ana, "sting")
    done = world.adopt(
        design(
            actors__diver__meters__air={"max": 30, "start": 10},
            currencies__gem={"start": 4},
            records__falls={"on": "damaged"},
            actors__diver__pulses__tick={"every": 1, "do": [{"earn": "gem", "amount": 1}]},
        )
    )
    eel.hit(ana, "sting")
    world.advance(1)

    assert ana["air"].value == 10
    assert ana.purse["gem"] == 5
    assert (ana.records["hits"], ana.records["falls"]) == (2, 1)
    assert done.began == ("ana.air", "ana: pulse tick")


def test_goals_go_by_their_name_else_by_what_they_count() -> None:
    world, ana, eel = played()
    ana.accept("bells")
    for _ in range(2):
        eel.hurt(100, source=ana)
        eel.revive()
    ana.announce("reached", place="wreck")
    ana.give("pearl", 3)
    goals = TABLES["quests"]["bells"]["goals"]
    named = {"name": "eels", "on": "defeated", "count": 4}
    world.adopt(design(quests__bells__goals=[goals[2], {**goals[1], "count": 2}, named]))

    mine = ana.quests["bells"].goals
    assert [(goal.progress, goal.count) for goal in mine] == [(3, 4), (1, 2), (2, 4)]
    ana.announce("reached", place="wreck")
    assert ana.quests["bells"].goals[1].met


def test_a_goal_that_asks_for_no_more_than_there_is_is_met_at_once_and_rewards_once() -> None:
    world, ana, eel = played()
    ana.accept("bells")
    for _ in range(3):
        eel.hurt(100, source=ana)
        eel.revive()
        ana.announce("reached", place="wreck")
    ana.give("pearl", 4)
    world.adopt(design(quests__bells__goals__0__count=3))
    assert ana.quests["bells"].state == "ready"
    world.adopt(design(quests__bells__goals__0__count=2))
    ana.turn_in("bells")
    assert ana.purse["scrip"] == 52


def test_achievements_and_matches_that_ask_for_less_are_there_at_once() -> None:
    world, ana, eel = played()
    world.match("race").start()
    ana.announce("reached", place="wreck")
    ana.announce("reached", place="wreck")
    for _ in range(4):
        eel.hurt(100, source=ana)
        eel.revive()
    world.adopt(design(achievements__hunter__count=4, matches__race__win_at=2))

    assert ana.achievements["hunter"].achieved
    assert world.match("race").winner == "ana"
    assert [event.name for event in world.events].count("match_ended") == 1


def test_other_steps_of_a_ladder_have_everybody_where_their_experience_is() -> None:
    world, ana, _ = played()
    ana.gain_xp("rank", 12)
    world.adopt(design(levels__rank__experience=[4, 4, 4]))
    assert (ana.levels["rank"], ana.levels["rank"].xp) == (4, 12)
    assert ana["suit"].max == 115  # two more levels are reached, and bring what they bring


def test_what_is_in_use_and_gone_is_refused_with_what_uses_it() -> None:
    world, ana, _ = played()
    for number in range(4):
        world.spawn("eel", f"eel{number + 2}")
    world.place("sealant", "kit")
    world.match("race").start()
    before = world.snapshot()
    poorer = design(
        actors__eel=None,
        quests__bells__goals__0={"on": "defeated"},
        pickups__sealant=None,
        matches__race=None,
    )
    with pytest.raises(InUseError) as error:
        world.adopt(poorer)

    assert error.value.uses == (
        "kind eel is gone, used by eel1, eel2, eel3 and 2 more",
        "pickup sealant is gone, used by kit",
        "match race is gone, and running",
    )
    assert world.snapshot() == before
    assert world.design.fingerprint == design().fingerprint
    with pytest.raises(InUseError, match="kind diver is no player kind any more, used by ana"):
        world.adopt(design(actors__diver__player=False))
    with pytest.raises(InUseError, match="pooled of scrip is another, used by ana"):
        world.adopt(design(currencies__scrip={"start": 2, "pooled": True}))
    with pytest.raises(UsageError, match="it must be a Design"):
        world.adopt("other.toml")  # type: ignore[arg-type]


def test_where_a_formula_fails_nothing_has_changed_and_handles_go_on() -> None:
    world, ana, eel = played()
    ana["oxygen"].set(0)
    before = world.snapshot()
    bad = design(actors__diver__pulses__tick={"every": "1 / self.oxygen", "do": [{"heal": 1}]})
    with pytest.raises(FormulaError):
        world.adopt(bad)

    assert world.snapshot() == before
    assert world.actor("ana") is ana
    assert eel.hit(ana, "sting").dealt == 12
    assert ana["suit"].value == 88


def test_handles_listeners_calls_and_hud_objects_go_on() -> None:
    world, ana, eel = played()
    kit, suit, purse = world.place("sealant", "kit"), ana["suit"], ana.purse
    shot, bar, popups = eel.launch("bolt"), hud.Bar(ana, "suit"), hud.Popups(world)
    heard: list[float] = []
    listening = world.listen("damaged", lambda event: heard.append(event.amount), actor=ana)
    called: list[float] = []
    world.after(2, lambda: called.append(world.now))
    oxygen = hud.Bar(ana, "oxygen")
    assert bar.fraction == 1
    world.adopt(design(actors__diver__meters__suit=200, actors__diver__meters__oxygen=60))
    assert (bar.fraction, bar.max, suit.max) == (0.5, 200, 200)
    shot.hit(ana)
    world.advance(2)

    assert (heard, called) == ([3], [2])
    assert suit.value == 97
    assert oxygen.value == 60
    ana.take(kit)
    assert suit.value == 107
    assert purse["scrip"] == 2
    assert [popup.text for popup in popups] == ["−3", "+10"]
    assert world.actor("ana") is ana
    listening.close()
    eel.hit(ana, "sting")
    assert heard == [3]


def test_in_a_listener_it_is_refused_and_a_call_of_after_may() -> None:
    world, ana, eel = played()
    world.listen("damaged", lambda event: world.adopt(design(game__title="Other")))
    with pytest.raises(ReactionError) as error:
        eel.hit(ana, "sting")
    assert isinstance(error.value.exceptions[0], BusyError)

    world, ana, eel = played()
    world.after(
        1, lambda: world.adopt(design(actors__diver__meters__oxygen={"max": 60, "flows": [{"rate": -10}]}))
    )
    world.advance(3)
    assert ana["oxygen"].value == 39  # 1 s by 1, 2 s by 10


def test_a_snapshot_goes_on_under_another_design() -> None:
    world, ana, _ = played()
    world.advance(2)
    kept = json.loads(json.dumps(world.snapshot()))
    faster = design(actors__diver__meters__oxygen={"max": 60, "flows": [{"rate": -3}]})
    again = World.restore(faster, kept, adopt=True)
    again.advance(1)
    assert again.actor("ana")["oxygen"].value == 55
    world.adopt(faster)
    world.advance(1)
    assert again.snapshot() == world.snapshot()


def test_who_has_nothing_left_in_what_is_vital_now_dies() -> None:
    world, ana, _ = played()
    ana["oxygen"].set(0)
    world.adopt(design(actors__diver__vital="oxygen"))
    assert not ana.alive
    assert [event.name for event in world.events].count("died") == 1


def test_a_stage_that_is_played_again_has_the_maxima_of_the_design_by_now() -> None:
    stage = {"reef": {"actors": {"eel": 1}}}
    world = World(design(stages=stage))
    ana = world.join("diver", "ana")
    world.enter_stage("reef")
    ana.hurt(10)
    world.adopt(design(stages=stage, actors__diver__meters__suit=120, actors__diver__meters__air=9))
    world.restart_stage()
    assert (ana["suit"].value, ana["suit"].max, ana["air"].value) == (100, 120, 9)
    with pytest.raises(InUseError, match="stage reef is gone, and being played"):
        world.adopt(design())


def test_a_bar_goes_on_over_one_design_after_the_other() -> None:
    world, ana, _ = played()
    bar, oxygen = hud.Bar(ana, "suit"), hud.Bar(ana, "oxygen")
    marked = {"max": 100, "marks": {"low": 0.9}}
    for top in (120, 150):
        world.adopt(design(actors__diver__meters__suit=top))
        assert bar.text == f"100/{top}"
    world.adopt(design(actors__diver__meters__suit=marked))
    ana.hurt(15)
    assert (bar.text, bar.role) == ("85/100", "low")
    world.adopt(design())
    assert (bar.text, bar.role) == ("85/100", "normal")

    without = design(actors__diver__meters__oxygen=None)
    first = world.design
    world.adopt(without)
    with pytest.raises(UnknownNameError, match="unknown meter 'oxygen' on ana"):
        oxygen.update(0.1)
    world.adopt(first)
    oxygen.update(0.1)
    world.adopt(without)
    world.adopt(first)  # the very design that the bar has seen last
    world.advance(6)
    oxygen.update(0.1)
    assert (oxygen.text, ana["oxygen"].value) == ("54/60", 54)


def test_who_hears_of_it_finds_the_world_under_the_new_design() -> None:
    world, _, _ = played()
    titles: list[str] = []
    world.listen("adopted", lambda event: titles.append(world.design.title))
    world.adopt(design(game__title="Other"))
    assert titles == ["Other"]


def test_a_whole_number_and_one_with_a_point_are_two_designs() -> None:
    world, ana, eel = played()
    world.adopt(design(actors__eel__attacks__sting__amount=12.0))
    fresh = World(design(actors__eel__attacks__sting__amount=12.0), seed=1)
    bea, other = fresh.join("diver", "ana"), fresh.spawn("eel", "eel1")
    assert repr(eel.hit(ana, "sting")) == repr(other.hit(bea, "sting"))


def test_tags_and_inputs_that_are_gone_are_taken_away() -> None:
    world = World(design(inputs={"nearby": 1, "depth": 0}))
    ana = world.join("diver", "ana")
    ana.set_tag("wet")
    ana.set_input("depth", 4)
    ana.set_input("nearby", 2)
    told: list[str] = []
    world.listen("untagged", lambda event: told.append(event.tag))
    world.adopt(design(inputs={"nearby": 1}, game__tags=[]))
    assert (ana.tags, told) == ((), ["wet"])
    assert read.body(ana).inputs == {"nearby": 2}
