"""Rounding, the clock and the dice: the numbers everything stands on."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import AmountError, Design, DesignError, World
from cleaver.core import read
from cleaver.core.kernel.clock import Clock, Timer
from cleaver.core.kernel.dice import Dice
from cleaver.core.kernel.state import Record
from cleaver.dice import GOLDEN, draw_at, mix, stream_of
from cleaver.rounding import half_up, rounded, shown


@pytest.mark.parametrize(
    ("number", "whole"),
    [
        (0.5, 1),
        (1.5, 2),
        (2.5, 3),
        (-0.5, -1),
        (-2.5, -3),
        (0.49999999999999994, 1),
        (0.4999, 0),
        (45 * 0.7, 32),
        (2.4, 2),
        (-2.6, -3),
        (7, 7),
    ],
)
def test_a_half_goes_away_from_zero(number: float, whole: int) -> None:
    assert half_up(number) == whole


def test_down_goes_towards_zero_and_up_away_from_it() -> None:
    assert [
        rounded(1.2, "down"),
        rounded(-1.2, "down"),
        rounded(1.2, "up"),
        rounded(-1.2, "up"),
        rounded(3.0, "up"),
    ] == [1, -1, 2, -2, 3]


@pytest.mark.parametrize(
    ("number", "text"),
    [
        (12.5, "12.5"),
        (12.0, "12"),
        (-3, "−3"),
        (1e-7, "1e−07"),
        (0.0, "0"),
        (-0.0, "0"),
        (1 / 3, "0.3333"),
        (1e20, "1e+20"),
    ],
)
def test_numbers_are_written_as_people_write_them(number: float, text: str) -> None:
    assert shown(number) == text


def test_splitmix64_gives_its_published_numbers() -> None:
    # The first outputs of the reference implementation for the seeds 0 and 1234567.
    assert [mix((index + 1) * GOLDEN) for index in range(2)] == [0xE220A8397B1DCDAF, 0x6E789E6AA1B965F4]
    assert [mix(1234567 + (index + 1) * GOLDEN) for index in range(2)] == [
        6457827717110365317,
        3203168211198807973,
    ]


def test_draws_depend_on_seed_stream_and_index_alone() -> None:
    dice = Dice(7)
    first = [dice.draw("crit/eel#3") for _ in range(3)]
    dice.draw("crit/eel#4")
    again = Dice(7)

    assert (
        first
        == [again.draw("crit/eel#3") for _ in range(3)]
        == [draw_at(stream_of(7, "crit/eel#3"), index) for index in range(3)]
    )
    assert Dice(8).draw("crit/eel#3") != first[0]


def test_draws_are_spread_evenly() -> None:
    dice = Dice(3)
    tenths = [0] * 10
    for _ in range(20_000):
        tenths[int(dice.draw("spread") * 10)] += 1

    assert min(tenths) > 1_800
    assert max(tenths) < 2_200


def test_streams_of_something_gone_are_dropped() -> None:
    dice = Dice(1)
    dice.draw("crit/eel#1")
    dice.draw("crit/eel#11")
    dice.forget("crit/eel#1")

    assert list(dice.drawn) == ["crit/eel#11"]


@given(st.lists(st.floats(0, 2), max_size=60))
def test_slices_of_time_add_up_to_the_microsecond(slices: list[float]) -> None:
    clock = Clock()
    for seconds in slices:
        whole, clock.remainder = clock.span(seconds)
        clock.now += whole

    assert abs(clock.now - sum(slices) * 1e6) <= 0.5 + 1e-3


def test_sixty_frames_are_a_second_for_ever(world: World) -> None:
    for _ in range(600):
        world.advance(1 / 60)

    assert world.now_us == 10_000_000


@pytest.mark.parametrize("seconds", [-1, float("nan"), float("inf"), True, "1", 1e10])
def test_time_does_not_take_silly_numbers(world: World, seconds: float) -> None:
    with pytest.raises(AmountError, match="time to pass"):
        world.advance(seconds)
    assert world.now == 0


class Bell(Timer):
    """A timer for these tests."""

    __slots__ = ()


def test_a_timer_moved_later_and_earlier_rings_once_at_its_last_time() -> None:
    clock, one, two = Clock(), Bell(), Bell()
    for due in (5, 9, 3, 7):
        clock.arm(one, due)
    clock.arm(two, 7)
    rung = []
    for instant in range(12):
        while 0 <= clock.first() <= instant:
            timer = clock.take()
            rung.append((instant, timer.number))
            timer.due = -1

    assert rung == [(7, 1), (7, 2)]


def test_the_first_timer_is_never_one_that_was_put_off_or_disarmed() -> None:
    clock, one, two = Clock(), Bell(), Bell()
    clock.arm(one, 5)
    clock.arm(two, 10)
    clock.arm(one, 20)

    assert clock.first() == 10
    clock.disarm(two)
    assert clock.first() == 20
    assert clock.take() is one
    assert clock.first() == -1


def test_records_refuse_state_that_could_not_be_written_down() -> None:
    with pytest.raises(TypeError, match="no __slots__"):
        type("Loose", (Record,), {})
    with pytest.raises(TypeError, match="no type"):
        type("Untyped", (Record,), {"__slots__": ("value",)})


def test_records_pack_to_json_and_back() -> None:
    dice = Dice(5)
    dice.draw("a")
    data = json.loads(json.dumps(dice.pack()))

    assert Dice.unpack(data, []).pack() == dice.pack()


# chance


def drops(chance: Any, *more: dict[str, Any], seed: int = 3, tables: dict[str, Any] | None = None) -> World:
    """A world in which each of 300 eels that die drops scrip for whoever did it, by chance."""
    design = Design.from_dict(
        {
            "actors": {
                "diver": {
                    "player": True,
                    "vital": "suit",
                    "meters": {"suit": 90},
                    "attacks": {"jab": {"amount": 9}},
                },
                "eel": {"vital": "hide", "meters": {"hide": 5}},
            },
            "currencies": {"scrip": {}},
            "rules": [
                *more,
                {"on": "defeated", "of": "eel", "do": [{"earn": "scrip", "amount": 1, "chance": chance}]},
            ],
            **(tables or {}),
        }
    )
    world = World(design, seed=seed)
    ana = world.join("diver", "ana")
    for _ in range(300):
        eel = world.spawn("eel")
        ana.hit(eel, "jab")
        world.dismiss(eel)
    return world


def scrip(world: World) -> int:
    return world.actor("ana").purse["scrip"]


def test_a_chance_is_met_as_often_as_it_says_by_dice_of_its_own() -> None:
    assert (scrip(drops(0)), scrip(drops(1)), scrip(drops("2")), scrip(drops("-1"))) == (0, 300, 300, 0)
    found = scrip(drops(0.3))
    assert found == 88  # of 300; the dice of seed 3 under this name
    assert scrip(drops(0.3, seed=4)) != found
    # The numbers are those of splitmix64 for the stream of the rule, its number and who it is for.
    key = stream_of(3, "rules.defeated.1[1]/ana")
    assert found == sum(draw_at(key, index) < 0.3 for index in range(300))


def test_a_change_elsewhere_changes_nobodys_luck() -> None:
    before = scrip(drops(0.3))
    other = {"on": "damaged", "do": [{"score": 1, "chance": 0.5}]}
    assert scrip(drops(0.3, other)) == before
    assert scrip(drops(0.3, tables={"pickups": {"pearl": {"do": [{"score": 1, "chance": 0.9}]}}})) == before
    assert (
        scrip(drops(0.3, {"on": "defeated", "do": [{"score": 1, "chance": 0.5}]})) != before
    )  # now the second
    named = {"on": "defeated", "name": "spoils", "do": [{"score": 1, "chance": 0.5}]}
    assert scrip(drops(0.3, named)) != before  # still the second on this event, as it has no name


def test_more_luck_only_adds_to_what_less_of_it_gave() -> None:
    """Also what is certain takes a number: so a chance that is raised keeps every drop there was."""
    found = [scrip(drops(chance)) for chance in (0.1, 0.3, 0.5, 0.9, 1.0)]
    assert found == sorted(found)
    world = drops("1 if self.scrip < 100 else 0.5")
    assert read.parts(world).stage.dice.drawn == {"rules.defeated.1[1]/ana": 300}


def test_the_dice_of_a_command_are_used_up_only_when_it_is_done() -> None:
    design = Design.from_dict(
        {
            "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
            "currencies": {"scrip": {"most": 1_000}},
            "items": {"pearl": {"most": 1}},
            "pickups": {
                "chest": {"do": [{"earn": "scrip", "amount": 10, "chance": 0.5}], "stays": True},
                "sealant": {"do": [{"heal": 5, "chance": 0.5}]},
                "shell": {"do": [{"give": "pearl"}, {"earn": "scrip", "amount": 1, "chance": 0.5}]},
            },
        }
    )
    world = World(design, seed=7)
    ana = world.join("diver", "ana")
    drawn = read.parts(world).stage.dice.drawn
    assert ana.take(world.place("shell"))
    assert drawn == {"pickups.shell.do[2]/ana": 1}
    for _ in range(5):
        assert ana.take(world.place("shell")).blocked == "most"
    assert drawn == {"pickups.shell.do[2]/ana": 1}
    assert ana.take(world.place("sealant")).blocked == "full"  # whatever the dice would have said
    assert "pickups.sealant.do[1]/ana" not in drawn

    chest, before = world.place("chest"), ana.purse["scrip"]
    assert all(ana.take(chest) for _ in range(40))  # a chance that fails still takes
    key = stream_of(7, "pickups.chest.do[1]/ana")
    assert ana.purse["scrip"] - before == 10 * sum(draw_at(key, index) < 0.5 for index in range(40))
    again = World.restore(design, world.snapshot())
    for one in (world, again):
        one.actor("ana").take(one.placement(chest.id))
    assert again.snapshot() == world.snapshot()
    world.leave(ana)
    assert not drawn  # and so it begins anew for whoever comes


def test_a_chance_beyond_0_and_1_is_an_error() -> None:
    wrongs: list[Any] = [1.5, -0.1, True, "self.nothing", []]
    for wrong in wrongs:
        with pytest.raises(DesignError, match="chance"):
            drops(wrong)


def test_two_rules_of_one_name_are_an_error_as_they_would_share_dice() -> None:
    with pytest.raises(DesignError, match="'spoils' is the name of rule 1 already"):
        drops(0.5, *({"on": "damaged", "name": "spoils", "do": [{"score": 1}]},) * 2)
