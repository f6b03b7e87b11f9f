"""Contests: scores, teams, matches, ratings, levels, records."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import Actor, AmountError, Design, DesignError, UnknownNameError, World
from cleaver.hud import sentence
from helpers import crate_world, names

TEAMS: dict[str, Any] = {"north": {}, "south": {}, "east": {}}
RACE: dict[str, Any] = {
    "teams": ["north", "south"],
    "win_at": 3,
    "rules": [{"on": "defeated", "of": "crate", "do": [{"score": 1}]}],
}
FIGHTER: dict[str, Any] = {
    "player": True,
    "vital": "planks",
    "meters": {"planks": 10},
    "respawn": {"after": 0.0},
    "attacks": {"ram": {"amount": 99}},
}


def fight(match: dict[str, Any], **tables: Any) -> tuple[World, Actor, Actor]:
    world, _ = crate_world(crate=FIGHTER, teams=TEAMS, matches={"race": match}, **tables)
    return world, world.join("crate", "nan", team="north"), world.join("crate", "sal", team="south")


def test_a_match_counts_only_while_it_runs_and_ends_once_at_its_target() -> None:
    world, nan, sal = fight(RACE)
    race = world.match("race")
    nan.hit(sal, "ram")
    world.advance(0)
    assert nan.score == 0
    assert race.start()
    assert race.start().blocked == "running"
    for _ in range(5):
        nan.hit(sal, "ram")
        world.advance(0)

    assert [(place.rank, place.side, place.score) for place in race.standings] == [
        (1, "north", 3),
        (2, "south", 0),
    ]
    assert (
        race.winner,
        race.running,
        nan.score,
        world.value("team.north.score"),
        world.value("match.race.north"),
    ) == ("north", False, 3, 3, 3)
    assert names(world.events).count("match_ended") == 1
    assert race.end().blocked == "not_running"
    assert race.start()
    assert race.standings[0].score == 0
    assert nan.score == 3


def test_nothing_is_scored_for_oneself_or_ones_own_side_unless_the_design_says_so() -> None:
    for own_side, score in ((False, 0), (True, 2)):
        rules = [{"on": "defeated", "of": "crate", "do": [{"score": 1}], "own_side": own_side}]
        world, nan, sal = fight(
            {"teams": ["north", "south"], "win_at": 9, "rules": rules, "friendly_fire": True}
        )
        mate = world.join("crate", "mate", team="north")
        world.match("race").start()
        nan.hit(mate, "ram")
        nan.hit(nan, "ram")
        assert nan.score == score


def test_a_running_match_sets_friendly_fire_between_its_teams() -> None:
    world, nan, sal = fight({**RACE, "friendly_fire": 0.5})
    mate = world.join("crate", "mate", team="north")

    assert nan.hit(mate, "ram").blocked == "friendly"
    world.match("race").start()
    assert nan.hit(mate, amount=8).dealt == 4


@pytest.mark.parametrize(
    ("on_tie", "scores", "winner"), [("draw", 0, "draw"), ("draw", 1, "north"), ("extra_time", 0, "")]
)
def test_time_ends_a_match_and_a_tie_is_a_draw_or_goes_on(on_tie: str, scores: int, winner: str) -> None:
    world, nan, sal = fight({**RACE, "time_limit": 60.0, "on_tie": on_tie})
    race = world.match("race")
    race.start()
    for _ in range(scores):
        nan.hit(sal, "ram")
    world.advance(59)
    assert race.left == 1
    assert race.running
    world.advance(2)
    assert race.winner == winner
    if not winner:
        sal.hit(nan, "ram")
        assert race.winner == "south"


def test_a_paused_match_counts_nothing_and_its_time_stands_still() -> None:
    world, nan, sal = fight({**RACE, "time_limit": 60.0})
    race = world.match("race")
    race.start()
    world.advance(10)
    assert race.pause()
    assert race.paused
    assert race.pause().blocked == "no_change"
    nan.hit(sal, "ram")
    world.advance(500)
    assert (race.left, race.standings[0].score, race.running) == (50, 0, True)
    race.resume()
    world.advance(50)
    assert race.winner == "draw"


def test_the_best_of_three_rounds() -> None:
    world, nan, sal = fight({**RACE, "win_at": 1, "rounds": 3})
    race = world.match("race")
    race.start()
    for one, other in ((nan, sal), (sal, nan), (nan, sal)):
        one.hit(other, "ram")
        world.advance(0)

    assert race.winner == "north"
    assert names(world.events).count("round_ended") == 3
    assert [(event.round, event.winner) for event in world.events if event.name == "round_ended"] == [
        (1, "north"),
        (2, "south"),
        (3, "north"),
    ]


def test_all_is_what_has_been_placed_and_nothing_is_never_all() -> None:
    match = {"win_at": "all", "rules": [{"on": "collected", "of": "glue", "do": [{"score": 5}]}]}
    world, box = crate_world(
        {"max": 100, "start": 1},
        matches={"hunt": match},
        pickups={"glue": {"do": [{"heal": 1}]}, "tar": {"do": [{"heal": 1}]}},
    )
    hunt = world.match("hunt")
    hunt.start()
    box.take(world.place("tar"))
    assert hunt.running
    first, second = world.place("glue"), world.place("glue")
    box.take(first)
    assert hunt.running
    assert hunt.standings[0].score == 5
    box.take(second)
    assert (hunt.winner, hunt.standings[0].score) == ("box", 10)


def test_win_when_takes_a_formula_of_the_player() -> None:
    world, box = crate_world(matches={"rich": {"win_when": "self.scrip >= 10"}}, currencies={"scrip": {}})
    rich = world.match("rich")
    rich.start()
    box.earn("scrip", 9)
    assert rich.running
    box.earn("scrip", 5)
    assert rich.winner == "box"


def test_equal_scores_share_a_rank_and_three_sides_are_no_harder_than_two() -> None:
    world, nan, sal = fight({**RACE, "teams": ["north", "south", "east"], "win_at": 9})
    eve = world.join("crate", "eve", team="east")
    race = world.match("race")
    race.start()
    for one, other in ((nan, sal), (eve, sal), (nan, eve), (eve, nan)):
        one.hit(other, "ram")
        world.advance(0)

    assert [(place.rank, place.side) for place in race.standings] == [(1, "north"), (1, "east"), (3, "south")]


def test_several_matches_at_once_do_not_disturb_each_other() -> None:
    world, nan, sal = fight(RACE)
    both = World(
        Design.from_dict(
            {**world.design.source.tree, "matches": {"race": RACE, "other": {**RACE, "win_at": 1}}}
        )
    )
    nan, sal = both.join("crate", "nan", team="north"), both.join("crate", "sal", team="south")
    both.match("race").start()
    both.match("other").start()
    nan.hit(sal, "ram")

    assert (
        both.match("other").winner,
        both.match("race").running,
        both.match("race").standings[0].score,
    ) == ("north", True, 1)
    assert nan.score == 2  # each match's rule scores


def test_sides_can_be_changed_while_playing() -> None:
    world, nan, sal = fight(RACE)
    world.match("race").start()
    world.set_team(nan, "south")
    assert nan.hit(sal, "ram").blocked == "friendly"
    assert world.set_team(nan, "south").blocked == "no_change"
    world.set_team(sal, "north")
    nan.hit(sal, "ram")

    assert world.value("match.race.south") == 1
    with pytest.raises(UnknownNameError, match="south"):
        world.set_team(nan, "suoth")


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["nan", "sal", "eve"]),
            st.sampled_from(["nan", "sal", "eve"]),
            st.integers(0, 400_000),
        ),
        max_size=30,
    ),
    st.integers(1, 3),
    st.sampled_from([1, 3]),
    st.sampled_from(["draw", "extra_time"]),
    st.booleans(),
)
def test_a_match_ends_once_whatever_comes_in_whatever_order(
    blows: list[tuple[str, str, int]], win_at: int, rounds: int, on_tie: str, restored: bool
) -> None:
    world, nan, sal = fight({**RACE, "win_at": win_at, "rounds": rounds, "time_limit": 2.0, "on_tie": on_tie})
    world.join("crate", "eve", team="south")
    race = world.match("race")
    race.start()
    ended = 0
    for number, (one, other, wait) in enumerate(blows):
        world.actor(one).hit(world.actor(other), "ram")
        world.advance(microseconds=wait)
        if restored and number == len(blows) // 2:
            ended += names(world.events).count("match_ended")
            world = World.restore(world.design, world.snapshot())
            race = world.match("race")
    ended += names(world.events).count("match_ended")

    assert ended == (0 if race.running else 1)
    assert bool(race.winner) != race.running
    if not race.running:
        standings = race.standings
        for one, other, _ in blows:
            world.actor(one).hit(world.actor(other), "ram")
            world.advance(0)
        assert race.standings == standings


def test_combos_multiply_within_their_time() -> None:
    world, box = crate_world(
        crate=FIGHTER,
        records={"run": {"on": "defeated", "of": "wasp", "within": 2.0}},
        rules=[{"on": "defeated", "of": "wasp", "do": [{"score": "10 * self.record.run"}]}],
    )
    scores = []
    for wait in (0, 1, 0.9, 2.0):
        world.advance(wait)
        box.hit(world.spawn("wasp"), "ram")
        scores.append(box.score)

    assert scores == [10, 30, 60, 70]
    assert box.records["run"] == 1
    world.advance(2)
    assert box.records["run"] == 0


def test_records_count_sum_keep_the_best_the_least_and_the_different() -> None:
    world, box = crate_world(
        events={"reached": {"fields": {"place": "name", "depth": "number"}}},
        records={
            "visits": {"on": "reached"},
            "metres": {"on": "reached", "sum": "depth"},
            "deepest": {"on": "reached", "best": "depth"},
            "shallowest": {"on": "reached", "least": "depth"},
            "places": {"on": "reached", "distinct": "place"},
            "unhurt": {"on": "reached", "reset_on": "damaged"},
        },
    )
    for place, depth in (("wreck", 18), ("pier", 3), ("wreck", 25)):
        box.announce("reached", place=place, depth=depth)
    assert [
        box.records[name] for name in ("visits", "metres", "deepest", "shallowest", "places", "unhurt")
    ] == [3, 46, 25, 3, 2, 3]
    box.hurt(1)
    box.announce("reached", place="cave", depth=-2)
    back = world.join("crate", "again", profile=world.profile(box))
    assert [
        actor.records[name]
        for actor in (box, back)
        for name in ("visits", "deepest", "shallowest", "places", "unhurt")
    ] == [4, 25, -2, 3, 1] * 2
    back.announce("reached", place="wreck", depth=30)
    assert (
        back.records["places"],
        back.records["deepest"],
        back.records["visits"],
        box.records["visits"],
    ) == (3, 30, 5, 4)


def test_stars_by_steps_rising_and_falling_and_what_is_missing() -> None:
    world, box = crate_world(
        inputs={"seconds": 0},
        ratings={
            "dive": {"measure": "self.score", "steps": [100, 250, 400]},
            "swim": {"measure": "seconds", "steps": [60, 45, 30], "better": "lower", "unit": "s"},
        },
    )
    assert (box.ratings["dive"].rated, box.ratings["dive"].best) == (False, 0)
    result = box.rate("dive")
    assert (result.stars, result.of, result.missing, result.advice, box.ratings["dive"].rated) == (
        0,
        3,
        100,
        "100 points",
        True,
    )
    box.add_score(249)
    assert (box.rate("dive").stars, box.rate("dive").advice) == (1, "1 point")
    box.add_score(151)
    assert (box.rate("dive").stars, box.rate("dive").missing, box.rate("dive").advice) == (3, 0, "")
    assert [
        (box.rate("swim", seconds=s).stars, box.rate("swim", seconds=s).advice) for s in (72, 60, 45, 30)
    ] == [(0, "12 s less"), (1, "15 s less"), (2, "15 s less"), (3, "")]
    box.rate("swim", seconds=99)
    assert (box.ratings["swim"].best, box.ratings.total) == (3, 6)  # the best is kept


def test_a_rating_may_be_measured_from_a_start() -> None:
    world, box = crate_world(ratings={"dive": {"measure": "self.score", "steps": [10]}})
    box.add_score(50)
    box.start_rating("dive")
    box.add_score(9)
    assert (box.rate("dive").stars, box.rate("dive").measure) == (0, 9)
    assert world.spawn("wasp").rate("dive").blocked == "not_a_player"


def test_marks_are_a_star_for_each_that_holds() -> None:
    world, box = crate_world(
        100,
        ratings={
            "clean": {
                "conditions": [
                    {"text": "Come back alive", "when": "self.alive"},
                    {"text": "Half of it left", "when": "self.planks.fraction >= 0.5"},
                ]
            }
        },
    )
    box.hurt(60)
    result = box.rate("clean")

    assert (result.stars, result.of, result.missing, result.advice) == (1, 2, 1, "Half of it left")


def test_levels_are_passed_in_order_and_the_excess_is_kept() -> None:
    world, box = crate_world(
        60,
        levels={
            "rank": {
                "experience": "50 + 50 * level",
                "most": 4,
                "do": [{"raise_max": "planks", "amount": 10}],
            },
            "skill": {"experience": [5, 5]},
        },
    )
    box.gain_xp("rank", 290)
    assert (
        box.levels["rank"],
        box.levels["rank"].xp,
        box.levels["rank"].left,
        box["planks"].max,
        box["planks"].value,
    ) == (3, 290, 160, 80, 60)
    assert [event.level for event in world.events if event.name == "levelled"] == [2, 3]
    assert box.gain_xp("rank", 1000).amount == 1000
    assert (box.levels["rank"], box.levels["rank"].xp, box.levels["rank"].left) == (4, 1290, 0)
    assert box.gain_xp("rank", 1).blocked == "most"
    box.gain_xp("skill", 7)
    assert (box.levels["skill"], box.levels["skill"].left, box.levels["rank"]) == (2, 3, 4)
    back = world.join("crate", "again", profile=world.profile(box))
    assert (back.levels["rank"], back.levels["rank"].xp, back["planks"].max) == (
        4,
        1290,
        90,
    )  # what levels raised comes back with the level
    with pytest.raises(AmountError):
        box.gain_xp("rank", -1)
    assert world.spawn("wasp").gain_xp("rank", 5).blocked == "not_a_player"


def test_lives_may_be_added_up_to_their_most() -> None:
    world, box = crate_world(
        crate={"player": True, "vital": "planks", "meters": {"planks": 1}, "lives": {"start": 2, "most": 4}}
    )

    assert box.add_lives(5).amount == 2
    assert box.lives == 4
    assert box.add_lives(1).blocked == "most"


# points taken away

PENALTIES: dict[str, Any] = {
    "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
    "teams": {"north": {}, "south": {}},
    "matches": {
        "race": {
            "teams": ["north", "south"],
            "win_at": 7,
            "rules": [{"on": "healed", "do": [{"score": 2}]}, {"on": "damaged", "do": [{"deduct": 5}]}],
        }
    },
    "saves": {"include": ["score"]},
}


def fined(negative: bool) -> tuple[World, Actor, Actor]:
    design = Design.from_dict({**PENALTIES, "game": {"negative_scores": negative}})
    world = World(design)
    ana, bea = (world.join("diver", name, team="north") for name in ("ana", "bea"))
    world.match("race").start()
    return world, ana, bea


def totals(world: World, *players: Actor) -> list[float]:
    """Return the scores of players, of their team, and of its standing."""
    standing = next(place.score for place in world.match("race").standings if place.side == "north")
    return [*(player.score for player in players), world.value("team.north.score"), standing]


def test_points_are_taken_from_player_team_and_standing_each_as_many_as_there_are() -> None:
    world, ana, bea = fined(negative=False)
    bea.hurt(1)
    assert (totals(world, ana, bea), [event for event in world.events if event.name == "scored"]) == (
        [0, 0, 0, 0],
        [],
    )
    for _ in range(4):
        ana.hurt(1)
        ana.heal(1)  # 2 points each time, and the next fine takes 5 of them
    assert totals(world, ana, bea) == [2, 0, 2, 2]

    bea.hurt(1)  # she has none; her team has 2
    assert totals(world, ana, bea) == [2, 0, 0, 0]
    told = world.events[-1]
    assert (told.name, told.amount, told.score, told.team) == ("scored", 0, 0, "north")
    result = ana.deduct(9)
    assert (result.amount, result.over, ana.score) == (2, 7, 0)
    assert ana.deduct(1).blocked == "no_change"
    assert not ana.deduct(0)
    with pytest.raises(AmountError):
        ana.deduct(-1)
    ana.add_score(8)
    assert ana.deduct(3).amount == 3
    assert (ana.score, sentence(world.events[-1])) == (5, "ana loses 3 points, 5 in all")


def test_with_negative_scores_all_points_are_taken() -> None:
    world, ana, bea = fined(negative=True)
    bea.hurt(1)
    assert totals(world, ana, bea) == [0, -5, -5, -5]
    bea.heal(1)
    assert totals(world, ana, bea) == [0, -3, -3, -3]
    assert bea.deduct(1).over == 0
    assert totals(world, ana, bea) == [0, -4, -4, -3]  # what the host takes is no rule of the match

    again = World.restore(world.design, world.snapshot())
    assert again.snapshot() == world.snapshot()
    profile = world.leave(bea)
    assert World(world.design).join("diver", "bea", profile=profile).score == -4


def test_a_fine_ends_no_match_and_a_sum_of_fines_undoes_a_lead() -> None:
    world, ana, _ = fined(negative=False)
    for _ in range(3):
        ana.hurt(1)
        ana.heal(1)
    rival = world.join("diver", "cid", team="south")
    rival.hurt(1)
    for _ in range(3):
        rival.heal(0.2)
    places = [(place.side, place.score) for place in world.match("race").standings]
    assert places[0] == ("south", 6)
    assert world.match("race").running


def test_winners_and_losers_of_a_match_get_what_is_theirs() -> None:
    design = Design.from_dict(
        {
            **PENALTIES,
            "currencies": {"scrip": {}},
            "rules": [
                {
                    "on": "match_ended",
                    "do": [
                        {"earn": "scrip", "amount": 10, "to": "winners"},
                        {"earn": "scrip", "amount": 1, "to": "losers"},
                    ],
                }
            ],
        }
    )
    world = World(design)
    players = [
        world.join("diver", name, team=team)
        for name, team in zip("abcd", ("north", "north", "south", ""), strict=True)
    ]
    world.match("race").start()
    for _ in range(4):
        players[0].add_score(0)
        players[0].hurt(3)
        players[0].heal(1)
        players[0].heal(1)
    world.match("race").end()
    assert world.match("race").winner == "north"
    assert [player.purse["scrip"] for player in players] == [10, 10, 1, 0]

    world.match("race").start()
    world.leave(players[1])
    world.match("race").end()  # nobody scored: a draw has no winners, and no losers
    assert [player.purse["scrip"] for player in (players[0], *players[2:])] == [10, 1, 0]
    with pytest.raises(DesignError, match="there are no losers here"):
        Design.from_dict({**PENALTIES, "rules": [{"on": "damaged", "do": [{"score": 1, "to": "losers"}]}]})
