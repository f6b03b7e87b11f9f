"""Quests and achievements: goals that count only while they should, rewards that come once."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import Actor, Design, UnknownNameError, World
from cleaver.core import read
from helpers import crate_world, names, state

EELS: dict[str, Any] = {"on": "defeated", "of": "wasp", "count": 2}
FIGHTER: dict[str, Any] = {
    "player": True,
    "vital": "planks",
    "meters": {"planks": 10},
    "attacks": {"ram": {"amount": 99}},
    "bag": {"most": 3},
}
REWARD: list[dict[str, Any]] = [{"earn": "scrip", "amount": 10}]


def quest_world(quest: dict[str, Any], **tables: Any) -> tuple[World, Actor]:
    given_tables: dict[str, Any] = {
        "currencies": {"scrip": {}},
        "items": {"pearl": {}, "helm": {"most": 1, "size": 0}},
        "pickups": {"pearl": {"do": [{"give": "pearl"}]}},
    }
    quests: dict[str, Any] = {"quests": {"job": {"goals": [EELS], "reward": REWARD, **quest}}}
    return crate_world(crate=FIGHTER, **quests | given_tables | tables)


def kill(world: World, box: Actor, count: int = 1) -> None:
    for _ in range(count):
        box.hit(world.spawn("wasp"), "ram")


def test_kills_count_only_between_accepting_and_being_met() -> None:
    world, box = quest_world({})
    kill(world, box, 3)
    job = box.quests["job"]
    assert (job.state, job.goals[0].line, box.turn_in("job").blocked) == (
        "available",
        "defeated wasp 0/2",
        "not_active",
    )
    assert box.accept("job")
    assert box.accept("job").blocked == "active"
    assert box.turn_in("job").blocked == "not_ready"
    kill(world, box, 4)

    assert (
        job.state,
        job.goals[0].progress,
        names(world.events).count("goal_advanced"),
        names(world.events).count("goal_met"),
    ) == ("ready", 2, 2, 1)
    assert names(world.events)[-8:-2] != []
    assert [name for name in names(world.events) if name.startswith(("goal", "quest"))] == [
        "quest_started",
        "goal_advanced",
        "goal_advanced",
        "goal_met",
        "quest_ready",
    ]
    assert box.turn_in("job").state == "completed"
    assert box.purse["scrip"] == 10
    assert box.turn_in("job").blocked == box.accept("job").blocked == "completed"
    assert box.purse["scrip"] == 10
    with pytest.raises(UnknownNameError, match="job"):
        box.accept("jab")


def test_two_quests_want_the_same_kill_and_both_get_it() -> None:
    world, box = quest_world({}, quests={"job": {"goals": [EELS]}, "more": {"goals": [{**EELS, "count": 3}]}})
    box.accept("job")
    kill(world, box)
    box.accept("more")
    kill(world, box)

    assert (state(box, "job"), box.quests["more"].goals[0].progress) == ("ready", 1)


def test_what_is_held_counts_from_before_and_what_is_lost_does_not() -> None:
    world, box = quest_world({"goals": [{"hold": "pearl", "count": 2, "hand_over": True}]})
    box.give("pearl", 2)
    box.accept("job")
    job = box.quests["job"]
    assert job.state == "ready"
    box.remove("pearl")
    assert (job.state, job.goals[0].progress, box.turn_in("job").blocked) == ("active", 1, "not_ready")
    box.give("pearl", 2)
    box.turn_in("job")
    assert (box.bag["pearl"], box.purse["scrip"]) == (1, 10)


def test_a_reward_that_does_not_fit_waits_and_the_handed_over_makes_room_first() -> None:
    reward = [{"give": "pearl"}, {"give": "pearl"}, *REWARD]
    world, box = quest_world({"goals": [{"hold": "pearl", "count": 1, "hand_over": True}], "reward": reward})
    box.give("pearl", 3)
    box.accept("job")
    assert box.turn_in("job").blocked == "full"
    assert (box.bag["pearl"], box.purse["scrip"]) == (3, 0)
    box.remove("pearl")
    assert box.turn_in("job")
    assert (box.bag["pearl"], box.purse["scrip"]) == (3, 10)


def test_what_an_automatic_reward_has_no_room_for_is_owed_until_something_leaves() -> None:
    world, box = quest_world({"finish": "auto", "reward": [{"give": "pearl"}]})
    box.give("pearl", 3)
    box.accept("job")
    kill(world, box, 2)
    assert state(box, "job") == "completed"
    assert box.owed == (("pearl", 1, "job"),)
    assert box.bag["pearl"] == 3
    box.remove("pearl", 2)
    assert not box.owed
    assert box.bag["pearl"] == 2
    assert [(event.amount, event.reason) for event in world.events if event.name == "gained"][-1] == (
        1,
        "job",
    )


def test_turning_in_may_last_and_a_second_try_finds_it_busy() -> None:
    world, box = quest_world({"turn_in_lasts": 3.0})
    box.accept("job")
    kill(world, box, 2)
    assert box.turn_in("job").state == "ready"
    assert box.turn_in("job").blocked == "busy"
    world.advance(2.9)
    other = World.restore(world.design, json.loads(json.dumps(world.snapshot())))
    for here in (world, other):
        actor = here.actor("box")
        assert actor.purse["scrip"] == 0
        assert actor.quests["job"].busy
        here.advance(0.1)
        assert actor.purse["scrip"] == 10
        assert state(actor, "job") == "completed"
        assert actor.turn_in("job").blocked == "completed"


def test_turning_in_again_in_the_middle_of_the_rewards_own_events_gives_nothing_more() -> None:
    world, box = quest_world({})
    blocked = []
    world.listen("earned", lambda event: blocked.append(box.turn_in("job").blocked))
    world.listen("quest_ready", lambda event: blocked.append(box.turn_in("job").blocked))
    box.accept("job")
    kill(world, box, 2)

    assert blocked == ["", "completed"]
    assert box.purse["scrip"] == 10


def test_goals_in_turn_count_one_after_another_and_one_event_advances_one() -> None:
    world, box = quest_world(
        {
            "goals": [EELS, {**EELS, "count": 1}, {"on": "defeated", "of": "wasp", "count": 1}],
            "order": "in_turn",
        }
    )
    box.accept("job")
    progress = []
    for _ in range(4):
        kill(world, box)
        progress.append([goal.progress for goal in box.quests["job"].goals])

    assert progress == [[1, 0, 0], [2, 0, 0], [2, 1, 0], [2, 1, 1]]


def test_optional_goals_add_their_reward_and_some_of_several_may_be_enough() -> None:
    extra = {"on": "healed", "optional": True, "reward": [{"earn": "scrip", "amount": 5}]}
    for healed, scrip in ((False, 10), (True, 15)):
        world, box = quest_world(
            {
                "goals": [EELS, {"on": "tagged", "tag": "wet"}, {"on": "tagged", "tag": "dry"}, extra],
                "needs_goals": 2,
            },
            game={"tags": ["wet", "dry"]},
        )
        box.accept("job")
        box.tag("dry")
        if healed:
            box.hurt(5)
            box.heal(5)
        kill(world, box, 2)
        box.turn_in("job")
        assert box.purse["scrip"] == scrip


def test_a_quest_fails_by_time_or_by_rule_and_can_be_given_up() -> None:
    world, box = quest_world({"time_limit": 60.0, "fails": [{"on": "damaged"}]})
    box.accept("job")
    kill(world, box)
    assert box.abandon("job").state == "available"
    assert box.abandon("job").blocked == "not_active"
    box.accept("job")
    assert box.quests["job"].goals[0].progress == 0
    world.advance(60)
    assert state(box, "job") == "failed"
    box.accept("job")
    box.hurt(1)
    assert state(box, "job") == "failed"
    assert names(world.events).count("quest_failed") == 2
    box.accept("job")
    kill(world, box, 2)
    world.advance(100)
    assert state(box, "job") == "ready"  # nothing fails what is only to be turned in


def test_a_repeated_quest_comes_back_after_its_pause() -> None:
    world, box = quest_world({"repeat": 30.0, "finish": "auto"})
    for turn in (1, 2):
        box.accept("job")
        kill(world, box, 2)
        assert state(box, "job") == "completed"
        assert box.quests["job"].completions == turn
        world.advance(30)
        assert state(box, "job") == "available"
    assert box.purse["scrip"] == 20
    assert names(world.events).count("quest_available") == 2


def test_needs_open_a_chain_and_say_so_once() -> None:
    quests = {
        "job": {"goals": [EELS], "finish": "auto"},
        "next": {"goals": [EELS], "needs": ['self.quest.job == "completed"', "self.scrip >= 5"]},
    }
    world, box = quest_world({}, quests=quests)
    assert box.accept("next").blocked == "locked"
    box.accept("job")
    kill(world, box, 2)
    assert state(box, "next") == "locked"
    box.earn("scrip", 5)
    box.earn("scrip", 5)
    assert state(box, "next") == "available"
    assert names(world.events).count("quest_available") == 1


def test_a_giver_of_a_kind_with_reach_must_be_near() -> None:
    world, box = quest_world(
        {"giver": "wasp"}, actors={"wasp": {"vital": "wings", "meters": {"wings": 9}, "reach": 2.0}}
    )
    wasp = world.spawn("wasp")
    assert box.accept("job")
    assert box.abandon("job")
    world.move(wasp, 0, 0)
    world.move(box, 5, 0)
    assert box.accept("job").blocked == "out_of_reach"
    world.move(box, 1, 0)
    assert box.accept("job")


def test_all_is_what_is_there_to_be_had_and_grows_with_what_is_placed() -> None:
    world, box = quest_world({"goals": [{"on": "collected", "of": "pearl", "count": "all"}]})
    first = world.place("pearl")
    box.take(world.place("pearl"))
    box.accept("job")
    goal = box.quests["job"].goals[0]
    assert goal.count == 1
    second = world.place("pearl")
    assert goal.count == 2
    box.take(first)
    assert state(box, "job") == "active"
    box.take(second)
    assert state(box, "job") == "ready"


def test_all_of_nothing_is_never_met() -> None:
    world, box = quest_world({"goals": [{"on": "collected", "of": "pearl", "count": "all"}]})
    box.accept("job")
    assert (state(box, "job"), box.quests["job"].goals[0].count) == ("active", 0)
    box.take(world.place("pearl"))
    assert state(box, "job") == "ready"


@pytest.mark.parametrize(
    ("goal", "steps", "ready"),
    [
        ({"on": "defeated", "count": 2, "reset_on": "damaged"}, "kill hurt kill", False),
        ({"on": "defeated", "count": 2, "reset_on": "damaged"}, "hurt kill kill", True),
        ({"on": "defeated", "count": 2, "within": 5.0}, "kill wait kill", False),
        ({"on": "defeated", "count": 2, "within": 5.0}, "kill wait kill kill", True),
        ({"on": "tagged", "distinct": "tag", "count": 2}, "wet dry", True),
        ({"on": "tagged", "distinct": "tag", "count": 2}, "wet off wet", False),
        ({"on": "earned", "sum": "amount", "count": 10}, "earn earn", True),
        ({"on": "defeated", "count": 1, "who": "anyone"}, "mate", True),
        ({"on": "defeated", "count": 1, "who": "team"}, "mate", True),
        ({"on": "defeated", "count": 1}, "mate", False),
    ],
    ids=str,
)
def test_goals_count_in_every_way(goal: dict[str, Any], steps: str, ready: bool) -> None:
    world, box = quest_world({"goals": [goal]}, game={"tags": ["wet", "dry"]}, teams={"north": {}})
    world.set_team(box, "north")
    mate = world.join("crate", "mate", team="north")
    box.accept("job")
    do: dict[str, Callable[[], object]] = {
        "kill": lambda: kill(world, box),
        "mate": lambda: kill(world, mate),
        "hurt": lambda: box.hurt(1),
        "wait": lambda: world.advance(5),
        "wet": lambda: box.tag("wet"),
        "dry": lambda: box.tag("dry"),
        "off": lambda: box.untag("wet"),
        "earn": lambda: box.earn("scrip", 5),
    }
    for step in steps.split():
        do[step]()

    assert (state(box, "job") == "ready") == ready


def test_a_daily_set_is_drawn_by_the_dice_and_drawn_anew() -> None:
    quests = {
        name: {"goals": [EELS], "finish": "auto", "reward": REWARD}
        for name in ("one", "two", "three", "four")
    }
    drawn = []
    for seed in (1, 1, 2):
        world, box = crate_world(
            crate=FIGHTER,
            currencies={"scrip": {}},
            quests=quests,
            seed=seed,
            quest_sets={"daily": {"quests": list(quests), "draw": 2, "every": 86400.0}},
        )
        days = []
        for _ in range(3):
            offered = [name for name in box.quests if state(box, name) == "available"]
            days.append(offered)
            box.accept(offered[0])
            kill(world, box, 2)
            world.advance(86400)
        drawn.append(days)

    assert drawn[0] == drawn[1]
    assert all(len(day) == 2 for day in drawn[0])
    assert drawn[0] != drawn[2] or len({str(day) for day in drawn[0]}) > 1


def test_achievements_are_given_once_for_ever_by_tally_or_by_effect() -> None:
    achievements = {
        "first": {"on": "defeated"},
        "many": {
            "on": "defeated",
            "ranks": {"lantern": 2, "beacon": 4},
            "reward": [{"earn": "scrip", "amount": 1}],
        },
        "brave": {"hidden": True},
    }
    world, box = crate_world(
        crate=FIGHTER,
        achievements=achievements,
        currencies={"scrip": {}},
        rules=[{"on": "healed", "do": [{"grant": "brave"}]}],
    )
    kill(world, box, 5)
    assert [(event.achievement, event.rank) for event in world.events if event.name == "achieved"] == [
        ("first", ""),
        ("many", "lantern"),
        ("many", "beacon"),
    ]
    assert (box.purse["scrip"], box.achievements["many"].ranks, box.achievements["brave"].ranks) == (
        2,
        ("lantern", "beacon"),
        (),
    )
    box.hurt(5)
    box.heal(2)
    box.heal(2)
    assert box.grant("brave").blocked == "no_change"
    assert names(world.events).count("achieved") == 4
    assert world.spawn("wasp").grant("brave").blocked == "not_a_player"
    back = world.join("crate", "again", profile=world.profile(box))
    kill(world, back, 5)
    assert names(world.events).count("achieved") == 4
    assert world.value("again.achieved.many") is True


def test_the_progress_of_achievements_survives_sessions() -> None:
    world, box = crate_world(crate=FIGHTER, achievements={"many": {"on": "defeated", "count": 4}})
    kill(world, box, 3)
    assert world.value("box.achieved.many.progress") == 3
    back = world.join("crate", "again", profile=world.profile(box))
    kill(world, back)
    assert back.achievements["many"].ranks == ("",)


COMMANDS = st.lists(
    st.one_of(
        st.sampled_from(
            ["accept", "turn_in", "abandon", "fail", "kill", "give", "remove", "hurt", "heal", "save"]
        ),
        st.integers(1, 4),
    ),
    max_size=40,
)
GOALS = st.lists(
    st.sampled_from(
        [
            EELS,
            {"on": "gained", "item": "pearl"},
            {"hold": "pearl", "count": 2, "hand_over": True},
            {"on": "damaged", "sum": "amount", "count": 3},
            {"on": "defeated", "within": 2.0, "count": 2},
            {"on": "healed", "reset_on": "damaged", "count": 2},
        ]
    ),
    min_size=1,
    max_size=3,
)
QUESTS = st.fixed_dictionaries(
    {
        "goals": GOALS,
        "order": st.sampled_from(["any", "in_turn"]),
        "finish": st.sampled_from(["turn_in", "auto"]),
    },
    optional={
        "turn_in_lasts": st.just(1.0),
        "time_limit": st.just(6.0),
        "repeat": st.just(2.0),
        "reward": st.just([{"give": "pearl"}, {"earn": "scrip", "amount": 10}]),
    },
)


@given(QUESTS, COMMANDS)
def test_whatever_is_tried_progress_stays_in_bounds_and_each_completion_pays_once(
    quest: dict[str, Any], commands: list[Any]
) -> None:
    quest = {"reward": [{"earn": "scrip", "amount": 10}], **quest}
    world, box = quest_world(quest)
    other = World.restore(world.design, world.snapshot())
    completed = 0
    for command in commands:
        states = []
        for one in (world, other):
            actor = one.actor("box")
            if isinstance(command, int):
                one.advance(command / 2)
            elif command == "kill":
                kill(one, actor)
            elif command in ("give", "remove"):
                getattr(actor, command)("pearl")
            elif command in ("hurt", "heal"):
                getattr(actor, command)(1)
            elif command == "save":
                pass
            else:
                getattr(actor, command)("job")
        if command == "save":  # one goes on from a snapshot, as if nothing had been
            other = World.restore(world.design, json.loads(json.dumps(other.snapshot())))
        for one in (world, other):
            actor = one.actor("box")
            states.append(
                (
                    state(actor, "job"),
                    [(goal.progress, goal.count) for goal in actor.quests["job"].goals],
                    actor.purse["scrip"],
                    actor.bag["pearl"],
                )
            )
        assert states[0] == states[1]
        job = box.quests["job"]
        for goal in job.goals:
            assert 0 <= goal.progress <= goal.count
        assert job.state != "available" or all(goal.progress == 0 for goal in job.goals)
        completed = names(world.events).count("quest_completed")
        assert box.purse["scrip"] == 10 * completed
        assert box.bag.used <= 3


@given(QUESTS, COMMANDS)
def test_every_state_survives_saving_and_loading(quest: dict[str, Any], commands: list[Any]) -> None:
    world, box = quest_world({"reward": REWARD, **quest})
    for command in commands:
        if isinstance(command, int):
            world.advance(command / 2)
        elif command == "kill":
            kill(world, box)
        elif command in ("give", "remove"):
            getattr(box, command)("pearl")
        elif command in ("accept", "turn_in", "abandon", "fail"):
            getattr(box, command)("job")
        before = (
            state(box, "job"),
            [(goal.progress, goal.count, goal.met) for goal in box.quests["job"].goals],
            box.purse["scrip"],
            box.bag["pearl"],
        )
        profile = json.loads(json.dumps(world.profile(box).sections))
        fresh = World(world.design)
        back = fresh.join("crate", "box", profile=type(world.profile(box))("box", 1, profile))
        after = (
            state(back, "job"),
            [(goal.progress, goal.count, goal.met) for goal in back.quests["job"].goals],
            back.purse["scrip"],
            back.bag["pearl"],
        )
        assert before == after


def test_ten_thousand_goals_are_numbered_the_same_heard_or_not() -> None:
    seqs = []
    for history in (0, 1000):
        goals = [{"on": "defeated", "of": "wasp", "count": count + 1} for count in range(5)]
        tables = {
            "actors": {"crate": FIGHTER, "wasp": {"vital": "wings", "meters": {"wings": 9}}},
            "quests": {"job": {"goals": goals}},
        }
        world = World(Design.from_dict(tables), history=history)
        box = world.join("crate", "box")
        box.accept("job")
        kill(world, box, 6)
        assert read.parts(world).stage.asks("goal_advanced") == bool(
            history
        )  # else steps are numbered and not built
        seqs.append((read.parts(world).stage.seq, state(box, "job")))

    assert seqs[0] == seqs[1]
