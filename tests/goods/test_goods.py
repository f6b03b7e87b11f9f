"""Goods: pickups, items and money."""

from __future__ import annotations

from copy import copy
from typing import Any

import pytest

from cleaver import AmountError, UnknownNameError, UsageError
from helpers import crate_world, heard, names


def test_a_placement_is_taken_once_per_appearance() -> None:
    world, box = crate_world(
        {"max": 100, "start": 10}, pickups={"glue": {"do": [{"heal": 25}], "respawn_after": 30.0}}
    )
    glue = world.place("glue")

    assert box.take(glue)
    assert box.take(glue).blocked == "gone"
    world.advance(29.9)
    assert box.take(glue).blocked == "gone"
    assert not glue.present
    world.advance(0.1)
    assert glue.present
    assert box.take(glue)
    assert box["planks"].value == 60


def test_taking_for_nothing_is_refused_and_leaves_it_unless_it_may_be_wasted() -> None:
    world, box = crate_world(
        100, pickups={"glue": {"do": [{"heal": 25}]}, "paint": {"do": [{"heal": 25}], "waste": True}}
    )
    glue, paint = world.place("glue"), world.place("paint")

    assert box.take(glue).blocked == "full"
    assert glue.present
    assert box.take(paint)
    assert not paint.present


def test_each_placement_may_override_the_inputs() -> None:
    world, box = crate_world(
        {"max": 100, "start": 10}, pickups={"glue": {"inputs": {"mends": 25}, "do": [{"heal": "mends"}]}}
    )
    big, small = world.place("glue", mends=60), world.place("glue")

    box.take(big)
    assert box["planks"].value == 70
    box.take(small)
    assert box["planks"].value == 95
    with pytest.raises(UnknownNameError, match="mends"):
        world.place("glue", mend=3)


def test_only_those_it_is_for_may_take_it_and_players_where_it_says_nothing() -> None:
    world, box = crate_world(
        {"max": 100, "start": 10},
        pickups={"glue": {"do": [{"heal": 5}]}, "nectar": {"do": [{"heal": 5}], "for": ["wasp"]}},
    )
    wasp = world.spawn("wasp")
    wasp.hurt(5)
    glue, nectar = world.place("glue"), world.place("nectar")

    assert wasp.take(glue).blocked == "not_for_you"
    assert box.take(nectar).blocked == "not_for_you"
    assert wasp.take(nectar)
    assert box.take(glue)


def test_reach_counts_where_positions_are_known() -> None:
    world, box = crate_world({"max": 100, "start": 10}, pickups={"glue": {"do": [{"heal": 5}], "reach": 2.0}})
    glue = world.place("glue", at=(3, 0))
    world.move(box, 0, 0)

    assert box.take(glue).blocked == "out_of_reach"
    world.move(box, 1, 0)
    assert box.take(glue)


def test_one_that_comes_back_elsewhere_does_so_by_the_dice() -> None:
    spots = []
    for seed in (1, 1, 2):
        world, box = crate_world(
            {"max": 100, "start": 10},
            seed=seed,
            pickups={
                "glue": {
                    "do": [{"heal": 5}],
                    "respawn_after": 1.0,
                    "respawn_in": {"x": [-50, 50], "z": [5, 6]},
                }
            },
        )
        glue = world.place("glue", at=(1, 2, 3))
        box.take(glue)
        world.advance(1)
        spots.append(glue.position)

    assert spots[0] == spots[1] != spots[2]
    x, y, z = spots[0] or (0, 0, 0)
    assert -50 <= x <= 50
    assert y == 2
    assert 5 <= z <= 6


def test_a_pad_stays_and_pauses_for_everybody_after_a_taking() -> None:
    world, box = crate_world(
        100,
        pickups={"rack": {"do": [{"give": "lamp"}], "stays": True, "cooldown": 1.0}},
        items={"lamp": {"most": 1, "size": 0}},
    )
    mate = world.join("crate", "mate")
    rack = world.place("rack")

    assert box.take(rack)
    assert mate.take(rack).blocked == "cooldown"
    world.advance(1)
    assert box.take(rack).blocked == "most"
    assert mate.take(rack)
    assert rack.present


def test_a_full_bag_refuses_and_an_amount_that_fits_in_part_is_split_only_where_it_may() -> None:
    world, box = crate_world(
        crate={"player": True, "vital": "planks", "meters": {"planks": 9}, "bag": {"most": 3}},
        items={"nail": {}, "plank": {"size": 2}},
        pickups={
            "box": {"do": [{"give": "nail", "amount": 2}]},
            "heap": {"do": [{"give": "nail", "amount": 2}], "split": True},
        },
    )
    one, two, heap = world.place("box"), world.place("box"), world.place("heap")

    assert box.take(one)
    assert box.bag.left == 1
    assert box.give("plank").blocked == "full"
    assert box.take(two).blocked == "full"
    assert two.present
    assert box.bag["nail"] == 2
    assert box.take(heap)
    assert box.bag["nail"] == 3
    assert heap.present  # with the nail that did not fit
    assert box.take(heap).blocked == "full"
    assert names(world.events)[-1] == "gained"


def test_two_and_two_nails_into_three_places_are_refused_as_one() -> None:
    world, box = crate_world(
        crate={"player": True, "vital": "planks", "meters": {"planks": 9}, "bag": {"most": 3}},
        items={"nail": {}},
        pickups={"box": {"do": [{"give": "nail", "amount": 2}, {"give": "nail", "amount": 2}]}},
    )
    both = world.place("box")

    assert box.take(both).blocked == "full"
    assert box.bag["nail"] == 0


def test_money_is_whole_kept_to_its_most_and_spent_all_or_nothing() -> None:
    world, box = crate_world(currencies={"scrip": {"start": 5, "most": 20}})
    events = heard(world, "earned")
    result = box.earn("scrip", 18)
    assert (result.amount, result.over, box.purse["scrip"]) == (15, 3, 20)
    assert box.earn("scrip", 1).blocked == "most"
    assert box.spend("scrip", 21).blocked == "too_poor"
    assert box.purse["scrip"] == 20
    assert box.spend("scrip", 20).amount == 20
    assert box.purse["scrip"] == 0
    assert [(event.amount, event.over, event.balance) for event in events] == [(15, 3, 20)]
    for amount in (-1, 1.5, 2**63, True, float("nan")):
        with pytest.raises(AmountError, match="whole number"):
            box.earn("scrip", amount)  # type: ignore[arg-type]


def test_score_goes_to_the_player_and_its_team() -> None:
    world, box = crate_world(teams={"north": {}})
    mate = world.join("crate", "mate", team="north")
    mate.add_score(4)

    assert (mate.score, box.score, world.value("team.north.score")) == (4, 0, 4)


def test_pickups_are_counted() -> None:
    world, box = crate_world({"max": 100, "start": 1}, pickups={"glue": {"do": [{"heal": 5}]}})
    placed = [world.place("glue") for _ in range(3)]
    box.take(placed[0])
    placed[1].remove()

    assert [world.value(f"pickups.glue.{part}") for part in ("placed", "left", "taken")] == [2, 1, 1]
    with pytest.raises(UsageError):
        world.place("glue", "box")


SHOP: dict[str, Any] = {
    "currencies": {"scrip": {"start": 100, "most": 120}},
    "items": {"pearl": {}, "helm": {"most": 1, "size": 0}, "bell": {"size": 3}},
    "exchanges": {
        "office": {"costs": {"pearl": 1}, "gives": {"scrip": 15}, "all": True},
        "one": {"costs": {"pearl": 1}, "gives": {"scrip": 15}},
        "shop": {
            "costs": {"scrip": "40 + 10 * bought"},
            "gives": {"helm": 1},
            "stock": 2,
            "restock_after": 120.0,
        },
        "smith": {"costs": {"pearl": 2}, "gives": {"bell": 1}},
        "locked": {"costs": {"scrip": 1}, "gives": {"pearl": 1}, "needs": ["self.pearl >= 2"]},
        "far": {"costs": {"scrip": 1}, "gives": {"pearl": 1}, "at": [10, 0], "reach": 3},
    },
}
HOLDER = {"player": True, "vital": "planks", "meters": {"planks": 9}, "bag": {"most": 4}}


def test_a_sale_repeats_as_often_as_it_can_and_is_one_event_with_its_goods_beside_it() -> None:
    world, box = crate_world(crate=HOLDER, **SHOP | {"currencies": {"scrip": {}}})
    box.give("pearl", 4)
    sold = box.exchange("office")

    assert (sold.times, box.purse["scrip"], box.bag.used) == (4, 60, 0)
    assert [(event.name, event.cause) for event in world.events[-3:]] == [
        ("exchanged", 0),
        ("lost", 3),
        ("earned", 3),
    ]
    assert [(event.amount, event.reason) for event in world.events[-2:]] == [(4, "office"), (60, "office")]
    assert box.exchange("office").blocked == "too_poor"


def test_an_exchange_is_all_of_n_or_nothing_and_keeps_to_the_most() -> None:
    world, box = crate_world(crate=HOLDER, **SHOP)
    box.give("pearl", 3)

    assert box.exchange("smith", times=2).blocked == "too_poor"
    assert box.bag["pearl"] == 3
    assert box.exchange("one", times=2).blocked == "most"
    assert box.purse["scrip"] == 100
    assert box.exchange("office").times == 1
    assert box.purse["scrip"] == 115
    with pytest.raises(AmountError):
        box.exchange("one", times=0)


def test_prices_rise_with_what_was_bought_and_the_stock_comes_back() -> None:
    world, box = crate_world(crate=HOLDER, **SHOP)
    assert box.price("shop") == {"scrip": 40}
    assert box.exchange("shop")
    assert box.price("shop") == {"scrip": 50}
    assert box.exchange("shop").blocked == "most"
    box.remove("helm")
    assert box.exchange("shop")
    assert box.purse["scrip"] == 10
    assert box.exchange("shop").blocked == "sold_out"
    world.advance(119.9)
    assert box.exchange("shop").blocked == "sold_out"
    other = world.restore(world.design, world.snapshot())
    again = other.actor("box")
    world.advance(0.1)
    other.advance(0.1)
    assert box.exchange("shop").blocked == again.exchange("shop").blocked == "too_poor"
    assert box.bought("shop") == again.bought("shop") == 2


def test_what_it_costs_leaves_before_what_it_gives_needs_room() -> None:
    world, box = crate_world(crate=HOLDER, **SHOP)
    box.give("pearl", 3)

    assert box.bag.left == 1
    assert box.exchange("smith")
    assert (box.bag["bell"], box.bag["pearl"]) == (1, 1)


def test_an_exchange_may_be_locked_far_away_or_not_for_the_dead() -> None:
    world, box = crate_world(crate=HOLDER, **SHOP)
    assert box.exchange("locked").blocked == "locked"
    box.give("pearl", 2)
    assert box.exchange("locked")
    world.move(box, 0, 0)
    assert box.exchange("far").blocked == "out_of_reach"
    world.move(box, 7, 0)
    assert box.exchange("far")
    box.hurt(99)
    assert box.exchange("far").blocked == "dead"
    with pytest.raises(UnknownNameError, match="office"):
        box.exchange("offce")


def test_a_bag_may_grow_and_shrink_while_playing() -> None:
    world, box = crate_world(
        crate=HOLDER, **SHOP, rules=[{"on": "gained", "item": "helm", "do": [{"raise_bag": 2}]}]
    )
    box.give("pearl", 4)
    assert box.give("pearl").blocked == "full"
    box.give("helm")
    assert box.bag.most == 6
    assert box.give("pearl", 2)
    box.bag.resize(1)
    assert (box.bag.used, box.bag.left, box.give("pearl").blocked) == (6, 0, "full")


def test_a_pooled_currency_is_one_purse_a_team() -> None:
    world, box = crate_world(currencies={"oil": {"start": 10, "pooled": True}}, teams={"north": {}})
    one, two = world.join("crate", "one", team="north"), world.join("crate", "two", team="north")
    one.spend("oil", 4)

    assert (two.purse["oil"], world.value("team.north.oil"), box.purse["oil"]) == (6, 6, 10)
    assert two.spend("oil", 7).blocked == "too_poor"


def test_money_of_a_team_that_a_profile_has_not_is_none_after_loading() -> None:
    world, _ = crate_world(currencies={"oil": {"start": 10, "pooled": True}}, teams={"north": {}})
    one = world.join("crate", "one", team="north")
    kept = copy(world.profile(one))
    assert "oil" not in kept.sections.get("currencies", {})
    world.set_team(one, "")
    one.earn("oil", 3)
    world.load(one, copy(kept))

    assert (one.purse["oil"], world.value("team.north.oil")) == (0, 10)
    assert world.profile(one).sections == kept.sections
    world.leave(one)
    assert world.join("crate", "one", profile=copy(kept)).purse["oil"] == 0


def test_a_purse_of_ones_own_that_is_empty_comes_back_empty() -> None:
    world, _ = crate_world(currencies={"oil": {"start": 10, "pooled": True}}, teams={"north": {}})
    one = world.join("crate", "one")
    one.spend("oil", 10)
    kept = copy(world.profile(one))
    assert kept.sections["currencies"] == {"oil": 0}
    world.leave(one)
    one = world.join("crate", "one", team="north")
    assert world.profile(one).sections.get("currencies", {}) == {}  # it never had any of its own
    world.load(one, kept)
    assert world.profile(one).sections["currencies"] == {"oil": 0}


def test_pulses_pay_in_step_with_any_slicing_and_the_short_way_is_the_long_way() -> None:
    logs = []
    for amount, frames in ((6, 1), ("6", 1), (6, 97)):
        world, box = crate_world(
            currencies={"scrip": {"most": 20}},
            actors={
                "winch": {
                    "pulses": {
                        "haul": {"every": 4.0, "do": [{"earn": "scrip", "amount": amount, "to": "owner"}]}
                    }
                }
            },
        )
        world.spawn("winch", owner=box)
        for _ in range(frames):
            world.advance(microseconds=22_000_000 // frames)
        logs.append([(event.name, event.time, event.actor, event.values) for event in world.events])

    assert logs[0] == logs[1] == logs[2]
    assert logs[0][-1][3] == ("scrip", 2, "haul", 20, 4)


def test_the_books_say_where_everything_came_from_and_went() -> None:
    world, box = crate_world(crate=HOLDER, **SHOP)
    box.exchange("shop")
    box.earn("scrip", 50)
    box.spend("scrip", 5)
    books = world.books

    assert [(line.reason, line.came, line.went) for line in books.sums("scrip")] == [
        ("start", 100, 0),
        ("shop", 0, 40),
        ("earn", 50, 0),
        ("spend", 0, 5),
    ]
    assert (books.came("scrip"), books.went("scrip"), box.purse["scrip"]) == (150, 45, 105)
    assert books.lines[-1] == (0.0, "box", "scrip", -5, "spend")
    assert list(books.to_frame()["amount"]) == [100, -40, 1, 50, -5]


def test_items_and_the_size_of_the_bag_outlive_the_session() -> None:
    world, box = crate_world(crate=HOLDER, **SHOP)
    box.give("pearl", 3)
    box.bag.resize(9)
    profile = world.leave(box)
    back = world.join("crate", "box", profile=profile)

    assert (back.bag["pearl"], back.bag.most, back.purse["scrip"]) == (3, 9, 100)


def test_a_placement_is_given_once_in_one_instant_in_flight_and_after_a_restore() -> None:
    world, box = crate_world(
        items={"pearl": {}}, pickups={"pearl": {"do": [{"give": "pearl"}], "respawn_after": 5.0}}
    )
    pearl, mate = world.place("pearl"), world.join("crate", "mate")
    assert box.take(pearl)
    assert mate.take(pearl).blocked == "gone"
    assert box.take(pearl).blocked == "gone"
    again = type(world).restore(world.design, world.snapshot())
    assert again.actor("box").take(again.placement(pearl.id)).blocked == "gone"
    again.advance(5)
    assert again.actor("mate").take(again.placement(pearl.id))
    assert (again.actor("box").bag["pearl"], again.actor("mate").bag["pearl"]) == (1, 1)
