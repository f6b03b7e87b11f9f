"""Chance, choices, loot, exchanges in lists, spans by formula and lasting inputs. Worked numbers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from cleaver import Actor, AmountError, Design, DesignError, FormulaError, ReactionError, World


def made(**more: Any) -> World:
    tables: dict[str, Any] = {
        "inputs": {"depth": 2.0},
        "currencies": {"scrip": {"start": 10}},
        "items": {"pearl": {}, "helm": {"most": 1}},
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}, "bag": {"most": 3}}},
        "pickups": {"pearl": {"do": [{"give": "pearl"}]}},
    }
    for section, entries in more.items():
        tables[section] = {**tables.get(section, {}), **entries} if isinstance(entries, dict) else entries
    return World(Design.from_dict(tables))


def again(world: World) -> World:
    return World.restore(world.design, world.snapshot())


# choose


def test_a_choice_does_one_list_by_its_weight() -> None:
    options = [
        {"weight": 3, "do": [{"earn": "scrip", "amount": 1}]},
        {"weight": 1, "do": [{"earn": "scrip", "amount": 100}, {"score": 1}]},
        {"weight": 0, "do": [{"lives": 99}]},
    ]
    world = made(pickups={"box": {"do": [{"choose": options}], "stays": True}})
    ana, box = world.join("diver", "ana"), world.place("box")
    for _ in range(400):
        ana.take(box)
    rare = ana.score
    assert 70 < rare < 130  # a quarter of 400
    assert ana.purse["scrip"] == 10 + (400 - rare) + 100 * rare


def test_a_choice_of_nothing_is_taken_all_the_same_and_one_that_cannot_help_is_not() -> None:
    box = {"do": [{"choose": [{"weight": 0, "do": [{"heal": 5}]}, {"do": []}]}]}
    world = made(pickups={"box": box, "kit": {"do": [{"choose": [{"do": [{"heal": 5}]}, {"do": []}]}]}})
    ana = world.join("diver", "ana")
    assert ana.take(world.place("kit")).blocked == "full"  # whatever the dice say, it would do nothing
    ana.hurt(50)
    boxes = [ana.take(world.place("kit")).done for _ in range(20)]
    assert all(boxes)
    assert 40 < ana["suit"].value < 90  # some of them healed


def test_a_choice_that_does_not_fit_is_refused_and_its_dice_are_not_used_up() -> None:
    options = [
        {"weight": 3, "do": [{"give": "pearl", "amount": 3}]},
        {"do": [{"earn": "scrip", "amount": 1}]},
    ]
    world = made(pickups={"box": {"do": [{"choose": options}]}})
    ana, refused = world.join("diver", "ana"), 0
    for _ in range(40):
        box = world.place("box")
        while ana.bag["pearl"]:
            ana.remove("pearl")
        ana.give("pearl")
        before = world.snapshot()["dice"]
        if not ana.take(box):
            refused += 1
            assert (ana.take(box).blocked, world.snapshot()["dice"]) == ("full", before)
            ana.remove("pearl")
            assert ana.take(box).done  # the very outcome that did not fit
            assert dict(ana.bag)["pearl"] == 3
    assert 20 < refused < 39


def test_luck_goes_by_place_and_self() -> None:
    rule = {
        "on": "respawned",
        "name": "gift",
        "do": [{"choose": [{"do": [{"score": 1}]}, {"do": [{"score": 2}]}]}],
    }

    def scores(*others: str, more: bool = False) -> list[int]:
        rules = [{"on": "respawned", "do": [{"score": 0, "chance": 0.5}]}] if more else []
        world = made(rules=[*rules, rule])
        for other in others:
            world.join("diver", other)
        ana = world.join("diver", "ana")
        found = []
        for _ in range(12):
            for actor in world.players:
                actor.hurt(200)
                actor.revive()
            found.append(ana.score)
        return found

    alone = scores()
    assert scores("bea", "cid") == alone  # who else was lucky
    assert scores(more=True) == alone  # what else is in the design
    assert 12 < alone[-1] < 24  # now one, now two


@pytest.mark.parametrize(
    ("effect", "told"),
    [
        ({"choose": []}, "choose must be a list such as"),
        ({"choose": [{"weight": 1}]}, "choose[1].do: is missing"),
        ({"choose": [{"weight": 0, "do": []}]}, "choose has no weight above 0"),
        ({"choose": [{"weight": -1, "do": []}]}, "amounts are 0 or more"),
        ({"choose": [{"do": []}], "to": "team"}, "to stands beside choose"),
        ({"choose": [{"do": [{"give": "perl"}]}]}, "did you mean 'pearl'"),
        ({"choose": [{"do": [{"heal": "depht"}]}]}, "did you mean 'depth'"),
        ({"place": "perl"}, "did you mean 'pearl'"),
        ({"place": "pearl", "lasts": 0.0001}, "0.001 or more"),
        ({"exchange": "sale"}, "unknown exchange 'sale'"),
        ({"score": 1, "chance": 2}, "a number from 0 to 1"),
    ],
)
def test_wrong_effects_say_what_would_be_right(effect: dict[str, Any], told: str) -> None:
    with pytest.raises(DesignError) as error:
        made(pickups={"box": {"do": [effect]}})
    assert told in str(error.value)
    assert "pickups.box.do" in str(error.value)


# place


def test_loot_lies_where_its_owner_fell_and_goes_after_its_time() -> None:
    drop = [{"place": "pearl", "amount": 3, "lasts": 5, "spread": 2}, {"place": "pearl"}]
    world = made(
        actors={"eel": {"vital": "hide", "meters": {"hide": 5}, "on_death": drop, "vanish_after": 2.0}}
    )
    ana, eel = world.join("diver", "ana"), world.spawn("eel", "eel1")
    world.move(eel, 10.0, 20.0)
    eel.hurt(9)
    spots = [placement.position for placement in world.placements]
    assert len({*spots}) == 4
    for x, y, z in filter(None, spots):
        assert (abs(x - 10) <= 2, abs(y - 20) <= 2, z) == (True, True, 0)
    assert spots[3] == (10.0, 20.0, 0.0)
    assert (world.value("pickups.pearl.placed"), world.value("pickups.pearl.left")) == (4, 4)
    ana.take(world.placement("pearl#1"))
    there = again(world)
    for one in (world, there):
        one.advance(2)
        assert [actor.id for actor in one.actors] == ["ana"]
        one.advance(2.999999)
        assert len(one.placements) == 3
        one.advance(0.000001)
        assert [placement.id for placement in one.placements] == ["pearl#4"]
    assert [event.placement for event in world.events if event.name == "vanished"] == ["pearl#2", "pearl#3"]
    assert there.snapshot() == world.snapshot()


def test_loot_that_drops_by_nobodys_hand_lies_nowhere_in_particular() -> None:
    world = made(
        matches={"race": {"time_limit": 1}},
        rules=[{"on": "match_ended", "do": [{"place": "pearl", "spread": 3}]}],
    )
    world.join("diver", "ana")
    world.match("race").start()
    world.advance(1)
    assert [placement.position for placement in world.placements] == [None]


def test_a_heap_is_laid_out_once_and_not_without_end() -> None:
    world = made(inputs={"many": 1}, pickups={"box": {"do": [{"place": "pearl", "amount": "many"}]}})
    ana = world.join("diver", "ana")
    ana.set_input("many", 1001)
    box = world.place("box")
    with pytest.raises(FormulaError, match="lays 1001 things at once; at most 1000"):
        ana.take(box)
    assert box.present
    ana.set_input("many", 0)
    assert ana.take(box).blocked == "no_change"
    ana.set_input("many", 2)
    assert ana.take(box).done
    assert world.value("pickups.pearl.left") == 2


def test_a_creature_that_is_brought_back_does_not_vanish() -> None:
    world = made(actors={"eel": {"vital": "hide", "meters": {"hide": 5}, "vanish_after": 2.0}})
    eel = world.spawn("eel")
    eel.hurt(9)
    world.advance(1)
    eel.revive()
    world.advance(5)
    assert eel.alive
    eel.hurt(9)
    world.advance(2)
    assert world.actors == ()
    with pytest.raises(DesignError, match="stands on a player kind"):
        made(actors={"swimmer": {"player": True, "vital": "a", "meters": {"a": 1}, "vanish_after": 1}})


# exchanges


SHOP = {"costs": {"scrip": "5 + bought"}, "gives": {"pearl": 1}, "do": [{"raise_max": "suit", "amount": 10}]}


def test_an_exchange_does_its_effects_once_each_time() -> None:
    world = made(exchanges={"shop": SHOP})
    ana = world.join("diver", "ana")
    assert ana.exchange("shop", 2).blocked == "too_poor"  # 5 + 6
    assert (ana["suit"].max, ana.purse["scrip"]) == (90, 10)
    ana.earn("scrip", 1)
    assert ana.exchange("shop", 2).times == 2
    assert (ana["suit"].max, ana.purse["scrip"], ana.bag["pearl"]) == (110, 0, 2)
    names = [event.name for event in world.events][-5:]
    assert names == ["exchanged", "spent", "gained", "adjusted", "adjusted"]


def test_an_exchange_whose_effects_change_nothing_takes_nothing() -> None:
    world = made(exchanges={"nurse": {"costs": {"scrip": 4}, "do": [{"heal": 30}]}})
    ana = world.join("diver", "ana")
    assert ana.exchange("nurse").blocked == "full"
    ana.hurt(50)
    assert ana.exchange("nurse").done
    assert (ana["suit"].value, ana.purse["scrip"]) == (70, 6)


def test_what_an_exchange_gives_by_effect_must_fit_too() -> None:
    world = made(exchanges={"helm": {"costs": {"scrip": 1}, "do": [{"give": "helm"}]}})
    ana = world.join("diver", "ana")
    assert ana.exchange("helm", 2).blocked == "most"
    assert ana.exchange("helm").done
    assert (ana.purse["scrip"], ana.bag["helm"]) == (9, 1)


def test_an_exchange_in_a_pickup_happens_with_it_or_not_at_all() -> None:
    sale = {"costs": {"pearl": 2}, "gives": {"scrip": 30}, "stock": 1}
    box = {"do": [{"give": "pearl"}, {"exchange": "sale"}]}
    world = made(exchanges={"sale": sale}, pickups={"box": box})
    ana = world.join("diver", "ana")
    assert ana.take(world.place("box")).blocked == "too_poor"  # one pearl is not two
    ana.give("pearl", 2)
    boxes = [world.place("box"), world.place("box")]
    assert ana.take(boxes[0]).done
    assert (ana.bag["pearl"], ana.purse["scrip"], ana.bought("sale")) == (1, 40, 1)
    assert ana.take(boxes[1]).blocked == "sold_out"
    assert (ana.bag["pearl"], boxes[1].present) == (1, True)


def test_an_exchange_that_cannot_be_ends_a_list_that_follows_an_event() -> None:
    sale = {"costs": {"pearl": 1}, "gives": {"scrip": 5}}
    rule = {"on": "respawned", "do": [{"score": 1}, {"exchange": "sale", "times": 2}, {"score": 10}]}
    world = made(exchanges={"sale": sale}, rules=[rule])
    ana = world.join("diver", "ana")
    for pearls, score in ((1, 1), (2, 12)):
        ana.give("pearl", pearls - ana.bag["pearl"])
        ana.hurt(200)
        ana.revive()
        assert ana.score == score
    assert (ana.bag["pearl"], ana.purse["scrip"]) == (0, 20)


def test_circles_of_exchanges_are_errors_and_so_is_no_end() -> None:
    circle = {
        "one": {"costs": {"scrip": 1}, "do": [{"choose": [{"do": [{"exchange": "two"}]}]}]},
        "two": {"costs": {"scrip": 1}, "do": [{"exchange": "one"}]},
    }
    with pytest.raises(DesignError, match="goes round in a circle: one → two → one"):
        made(exchanges=circle)
    with pytest.raises(DesignError, match="stands beside effects, of which there is no end"):
        made(exchanges={"shop": {**SHOP, "all": True}})


# spans


def spans(**more: Any) -> World:
    actor = {"player": True, "vital": "suit", "meters": {"suit": 90}, **more}
    return made(actors={"diver": actor}, levels={"rank": {"experience": 10, "most": 9}})


def test_a_pulse_takes_the_span_that_its_formula_gives_where_each_begins() -> None:
    world = spans(pulses={"tick": {"every": "3 - self.rank", "do": [{"score": 1}]}})
    ana = world.join("diver", "ana")
    assert ana.pulse_progress("tick") == 0
    world.advance(1)
    ana.gain_xp("rank", 10)  # the span that has begun is 2 s long all the same
    assert ana.pulse_progress("tick") == 0.5
    world.advance(1)
    assert ana.score == 1
    there = again(world)
    for one in (world, there):
        one.advance(1)
        assert one.actor("ana").score == 2
    assert there.snapshot() == world.snapshot()
    ana.gain_xp("rank", 10)  # 3 − 3 is no span
    with pytest.raises(ReactionError, match="one of them|failed") as error:
        world.advance(5)
    assert "gives 0 s, and a span is 0.001 s" in str(error.value.exceptions[0])
    assert ana.score == 7  # the pulse goes on at its old beat


def test_a_cooldown_a_status_and_a_return_take_their_formula() -> None:
    world = made(
        actors={
            "diver": {
                "player": True,
                "vital": "suit",
                "meters": {"suit": 90},
                "respawn": {"after": "2 * depth"},
                "attacks": {"jab": {"amount": 1, "cooldown": "depth / 4"}},
            }
        },
        statuses={"wet": {"lasts": "1 + self.score if not has_source else 1 + source.score"}},
        pickups={"pad": {"stays": True, "cooldown": "depth", "do": [{"score": 1}]}},
        rules=[{"on": "respawned", "do": [{"status": "wet", "lasts": "depth * 2"}]}],
    )
    ana, bea = world.join("diver", "ana"), world.join("diver", "bea")
    assert ana.hit(bea, "jab", depth=8).done
    assert ana.cooldown_left("jab", bea) == 2
    assert ana.hit(bea, "jab").blocked == "cooldown"
    world.advance(2)
    assert ana.hit(bea, "jab", depth=0).done  # 0 is none
    assert ana.hit(bea, "jab").done
    pad = world.place("pad")
    ana.take(pad)
    world.advance(1.999999)
    assert bea.take(pad).blocked == "cooldown"
    world.advance(0.000001)
    assert bea.take(pad).done
    bea.status("wet", source=ana)
    ana.status("wet")
    world.advance(1.999999)
    assert (ana.statuses, bea.statuses) == (("wet",), ("wet",))
    world.advance(0.000001)
    assert (ana.statuses, bea.statuses) == ((), ())
    ana.hurt(200)
    world.advance(3.999999)
    assert not ana.alive
    world.advance(0.000001)
    assert (ana.alive, ana.statuses) == (True, ("wet",))
    world.advance(4)
    assert ana.statuses == ()


def test_a_span_that_cannot_be_changes_nothing() -> None:
    world = made(
        statuses={"wet": {"lasts": "self.score - 1"}},
        pickups={"tub": {"do": [{"give": "pearl"}, {"status": "wet"}]}},
    )
    ana, tub = world.join("diver", "ana"), world.place("tub")
    before = world.snapshot()
    uses: tuple[Callable[[], Any], ...] = (lambda: ana.status("wet"), lambda: ana.take(tub))
    for use in uses:
        with pytest.raises(
            FormulaError, match=r"gives -1 s, and a span is 0.001 s to .* s .with self.score = 0"
        ):
            use()
    assert world.snapshot() == before


# inputs that last, and who is there


def lasting() -> tuple[World, Actor, Actor]:
    world = made(
        actors={
            "diver": {
                "player": True,
                "vital": "suit",
                "meters": {"suit": 90},
                "attacks": {"jab": {"amount": "10 * depth"}},
                "guard": {"scale": "1 / depth"},
                "pulses": {"tick": {"every": 1, "do": [{"score": "depth"}]}},
            }
        },
        rules=[{"on": "struck", "do": [{"score": "100 * depth"}]}],
    )
    return world, world.join("diver", "ana"), world.join("diver", "bea")


def test_an_input_that_was_set_stands_wherever_a_call_gives_none() -> None:
    world, ana, bea = lasting()
    assert ana.set_input("depth", 4).done
    assert ana.set_input("depth", 4).blocked == "no_change"
    assert ana.hit(bea, "jab").dealt == 10 * 4 / 2  # ana's four, bea's own two
    assert ana.score == 400
    assert ana.hit(bea, "jab", depth=1).dealt == 10  # what a call gives comes first, for both
    assert ana.score == 500
    bea.set_input("depth", 8)
    assert ana.hit(bea, "jab").dealt == 10 * 4 / 8
    there = again(world)
    for one in (world, there):
        one.advance(1)
        assert [actor.score for actor in one.players] == [904, 8]  # in pulses, too
    ana.set_input("depth", None)
    world.advance(1)
    assert ana.score == 906
    with pytest.raises(AmountError):
        ana.set_input("depth", float("nan"))


def test_a_formula_may_ask_who_caused_it_and_whom_it_is_owned_by() -> None:
    world = made(
        actors={
            "winch": {
                "meters": {"load": 5},
                "pulses": {
                    "haul": {
                        "every": 1,
                        "do": [
                            {"earn": "scrip", "amount": "2 + owner.score", "to": "owner"},
                            {"heal": "owner.score", "meter": "load"},
                        ],
                    }
                },
            }
        },
        rules=[{"on": "damaged", "do": [{"score": "5 if has_source else 1"}]}],
    )
    ana, bea = world.join("diver", "ana"), world.join("diver", "bea")
    ana.hurt(1)
    ana.hurt(1, source=bea)
    assert ana.score == 6
    world.spawn("winch", owner=ana)
    world.advance(1)
    assert (ana.purse["scrip"], ana.drain(1, "suit").done) == (18, True)
    alone = world.spawn("winch")
    alone["load"].set(1)
    with pytest.raises(ReactionError) as error:
        world.advance(1)
    assert "asks about owner, and there is none" in str(error.value.exceptions[0])
    assert (ana.purse["scrip"], alone["load"].value) == (26, 1)
