"""Trades: goods of two players change hands in one step, or nothing does."""

from __future__ import annotations

from typing import Any

import pytest

from cleaver import Actor, AmountError, UnknownNameError, UsageError, World
from cleaver.hud import sentence
from cleaver.script import Session, play
from helpers import crate_world, heard, log_of, names

TABLES: dict[str, Any] = {
    "currencies": {"scrip": {"most": 50}, "fund": {"pooled": True}},
    "items": {"pearl": {}, "helm": {"size": 3}, "stone": {"most": 1, "size": 0}},
    "teams": {"north": {}},
}


def two(bag: int = 4) -> tuple[World, Actor, Actor]:
    world, ana = crate_world(crate={"bag": {"most": bag}}, **TABLES)
    bea = world.join("crate", "bea")
    ana.give("pearl", 3)
    bea.earn("scrip", 30)
    return world, ana, bea


def test_both_sides_of_a_trade_move_in_one_step() -> None:
    world, ana, bea = two()
    told = heard(world, "traded")
    result = world.trade(ana, {"pearl": 2}, bea, {"scrip": 30})

    assert (bool(result), result.blocked, result.who) == (True, "", "")
    assert (ana.bag["pearl"], ana.purse["scrip"], bea.bag["pearl"], bea.purse["scrip"]) == (1, 30, 2, 0)
    assert [sentence(event) for event in told] == ["box trades with bea"]
    last = log_of(world)[-4:]
    assert [event["name"] for event in last] == ["lost", "spent", "gained", "earned"]
    assert {event["cause"] for event in last} == {told[0].seq}
    assert {event["reason"] for event in last} == {"trade"}
    assert [line.amount for line in world.books.lines][-4:] == [-2, -30, 2, 30]


@pytest.mark.parametrize(
    ("gives", "gets", "blocked", "who"),
    [
        ({"pearl": 4}, {}, "too_poor", "box"),
        ({"pearl": 1}, {"scrip": 31}, "too_poor", "bea"),
        ({"pearl": 3, "stone": 1}, {"scrip": 1}, "full", "bea"),
        ({"stone": 1}, {}, "most", "bea"),
        ({}, {"scrip": 30}, "most", "box"),
        ({"pearl": 0}, {"scrip": 0}, "no_change", ""),
        ({}, {}, "no_change", ""),
    ],
)
def test_a_trade_that_cannot_be_done_changes_nothing(
    gives: dict[str, int], gets: dict[str, int], blocked: str, who: str
) -> None:
    world, ana, bea = two()
    ana.give("stone")
    ana.earn("scrip", 21)
    bea.give("stone")
    bea.give("pearl", 2)
    before = world.snapshot()
    result = world.trade(ana, gives, bea, gets)

    assert (bool(result), result.blocked, result.who) == (False, blocked, who)
    assert world.snapshot() == before


def test_what_leaves_makes_room_for_what_arrives() -> None:
    world, ana, bea = two(bag=3)
    bea.give("helm")  # both bags are full now

    assert world.trade(ana, {"pearl": 3}, bea, {"helm": 1})
    assert (ana.bag["helm"], bea.bag["pearl"]) == (1, 3)


def test_the_dead_trade_nothing() -> None:
    world, ana, bea = two()
    bea.hurt(999)
    result = world.trade(ana, {"pearl": 1}, bea, {})

    assert (result.blocked, result.who) == ("dead", "bea")


def test_money_of_one_team_stays_where_it_is() -> None:
    world, ana, bea = two()
    world.set_team(ana, "north")
    world.set_team(bea, "north")
    ana.earn("fund", 10)

    assert world.trade(ana, {"fund": 10}, bea, {"scrip": 5})
    assert (ana.purse["fund"], bea.purse["fund"], ana.purse["scrip"]) == (10, 10, 5)


def test_wrong_use_is_said_before_anything_moves() -> None:
    world, ana, bea = two()
    wasp = world.spawn("wasp")
    before = world.snapshot()
    with pytest.raises(UnknownNameError, match="pearl"):
        world.trade(ana, {"perl": 1}, bea, {})
    for wrong in (-1, 1.5, True):
        with pytest.raises(AmountError, match="the amount of scrip that bea gives"):
            world.trade(ana, {"pearl": 1}, bea, {"scrip": wrong})  # type: ignore[dict-item]
    with pytest.raises(UsageError, match="cannot trade with itself"):
        world.trade(ana, {}, ana, {})
    with pytest.raises(UsageError, match="no player"):
        world.trade(ana, {}, wasp, {})
    with pytest.raises(UsageError, match="another world"):
        world.trade(ana, {}, two()[1], {})

    assert world.snapshot() == before


def test_quests_and_rules_see_a_trade() -> None:
    world, ana = crate_world(
        currencies={"scrip": {}},
        achievements={"trader": {"on": "traded"}},
        rules=[{"on": "traded", "do": [{"earn": "scrip", "amount": 1, "to": "source"}]}],
    )
    bea = world.join("crate", "bea")
    ana.earn("scrip", 2)
    world.trade(ana, {"scrip": 2}, bea, {})

    assert bea.purse["scrip"] == 3
    assert "achieved" in names(world.events)


def test_the_script_says_who_is_in_the_way() -> None:
    world, _, _ = two()
    session = Session(world.design)
    text = """
join crate ana
join crate bea
give ana pearl 3
earn bea scrip 20
trade ana bea gives=pearl:2 gets=scrip:30
expect result.blocked == "too_poor"
trade ana bea gives=pearl:2 gets=scrip:15
expect ana.scrip == 15 and bea.pearl == 2
trade ana bea gives=pearl
expect bea.pearl == 3
expect_error trade ana bea gives=pearl,pearl
expect_error trade ana bea gives=pearl:1.5
"""
    assert not play(session, text.splitlines()).failed
