"""HUD values: bars and sentences."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import Actor, UnknownNameError, World
from cleaver.core.kernel.events import EventShape
from cleaver.core.wording import PHRASES
from cleaver.design.vocabulary import EVENTS
from cleaver.hud import (
    Bar,
    ComboMeter,
    CooldownRing,
    Counter,
    LevelBar,
    MatchClock,
    Notices,
    Popups,
    PulseRing,
    Scoreboard,
    Stars,
    StatusRing,
    Toasts,
    Tracker,
    line_of,
    notice,
    quest_log,
    sentence,
    shown_achievements,
    sign,
    slots,
)
from cleaver.hud.terminal import bar_line, bar_text, popups_text, ring_text
from helpers import crate_world, heard


def test_a_bar_reads_the_present_however_late_it_is_made() -> None:
    world, box = crate_world({"max": 90, "cells": 20})
    box.hurt(44)
    bar = Bar(box, "planks")

    assert (bar.fraction, bar.text, bar.percent, bar.cells, bar.role, bar.value, bar.max) == (
        46 / 90,
        "46/90",
        "51%",
        10,
        "normal",
        46,
        90,
    )
    assert (Bar(box, "planks", label="percent").text, Bar(box, "planks", label="off").text) == ("51%", "")
    with pytest.raises(UnknownNameError, match="percent"):
        Bar(box, "planks", label="precent")  # type: ignore[arg-type]


def test_the_role_is_the_lowest_mark_the_value_is_at_or_below() -> None:
    world, box = crate_world({"max": 100, "overfill": 10, "marks": {"low": 0.25, "half": 0.5}})
    bar = Bar(box, "planks")
    roles = []
    for value in (110, 100, 51, 50, 25, 0.01):
        box["planks"].set(value)
        roles.append((bar.role, bar.percent, bar.numbers))
    box.hurt(1)

    assert [role for role, _, _ in roles] == ["over", "normal", "normal", "half", "low", "low"]
    assert bar.role == "empty"
    assert roles[0][1:] == ("100%", "110/100")
    assert roles[-1][1:] == ("1%", "0.1/100")
    assert bar.numbers == "0/100"


def test_the_ghost_waits_then_follows_and_never_lags_a_heal() -> None:
    world, box = crate_world(100)
    bar = Bar(box, "planks", ghost=0.4, speed=0.5)
    box.hurt(50)
    bar.update(0.3)
    assert (bar.fraction, bar.ghost) == (0.5, 1.0)
    bar.update(0.3)
    assert bar.ghost == pytest.approx(0.9)
    bar.update(5)
    assert bar.ghost == 0.5
    box.heal(20)
    bar.update(0)
    assert bar.ghost == 0.7 == bar.fraction


def test_the_ghost_does_not_depend_on_the_frame_rate() -> None:
    ghosts = []
    for frames in (1, 10, 100):
        world, box = crate_world(100)
        bar = Bar(box, "planks", ghost=0.4)
        box.hurt(50)
        for _ in range(frames):
            bar.update(1 / frames)
        ghosts.append(bar.ghost)

    assert ghosts == pytest.approx([0.7, 0.7, 0.7])


@pytest.mark.parametrize(
    ("value", "text"),
    [(100, "██████████"), (99.9, "█████████░"), (50, "█████░░░░░"), (0.1, "█░░░░░░░░░"), (0, "░░░░░░░░░░")],
)
def test_a_drawn_bar_is_full_or_empty_only_when_it_is(value: float, text: str) -> None:
    world, box = crate_world(100)
    if value < 100:
        box["planks"].set(value)

    assert bar_text(Bar(box, "planks"), 10) == text


def test_shields_are_drawn_beside_what_they_shield(world: World, ana: Actor) -> None:
    ana["bubble"].set(18)

    assert Bar(ana, "suit").shield == 0.2
    assert Bar(ana, "air").shield == 0
    assert bar_line(Bar(ana, "suit"), 10) == "suit ██████████ +▓▓ 90/90"


def test_every_event_has_a_phrase_that_its_fields_fill() -> None:
    from cleaver import Event

    for name, spec in EVENTS.items():
        if spec.seen_from:
            continue
        kind = EventShape(spec)
        examples: dict[str, float | str | bool] = {"number": 3, "name": "word", "truth": True}
        values = tuple(examples[held] for _, held in spec.fields)
        told = sentence(Event(kind, 1, 0, 0, "ana", "eel1", values))
        assert name in PHRASES
        assert "{" not in told
        assert "ana" in told or name.startswith(
            ("adopted", "day_began", "match", "placed", "reapp", "round", "stage", "turn_round", "vanished")
        )


def test_notices_are_the_designs_own_words_over_the_events_numbers(world: World, ana: Actor) -> None:
    events = heard(world, "scored")
    ana.add_score(40)

    assert notice(events[0], world.design.tables.texts) == "ana earned 40 points"
    assert notice(world.events[0], world.design.tables.texts) == ""


def test_popups_show_what_was_really_applied_and_none_for_nothing(world: World, ana: Actor) -> None:
    popups = Popups(world, actor=ana)
    ana["bubble"].set(5)
    eel = world.spawn("eel")
    eel.hit(ana, "sting", zone="visor", charge=0.5, crit=True)
    ana.heal(500)
    ana.heal(5)
    ana.hurt(1, ignores=("grace",))
    ana.earn("scrip", 6)

    assert [(popup.text, popup.role, popup.size) for popup in popups] == [
        ("−21!", "critical", 1.5),
        ("(5)", "shield", 1.0),
        ("+21", "heal", 1.0),
        ("+6", "money", 1.0),
    ]
    assert len({popup.x for popup in popups}) == 4
    assert all(abs(popup.x) <= 0.8 for popup in popups)


def test_popups_rise_fade_and_end_without_touching_the_worlds_luck(world: World, ana: Actor) -> None:
    before = world.snapshot()["dice"]
    popups = Popups(world, lasts=1.0, rise=2.0)
    ana.hurt(5)
    seen = []
    for _ in range(4):
        seen.append([(round(popup.y, 3), round(popup.alpha, 3)) for popup in popups])
        popups.update(0.3)

    assert seen == [[(0, 1)], [(1.02, 1)], [(1.68, 0.8)], [(1.98, 0.2)]]
    assert len(popups) == 0
    assert world.snapshot()["dice"] == before
    popups.close()
    world.advance(1)
    ana.hurt(5)
    assert len(popups) == 0


def test_rings_show_pulses_cooldowns_and_statuses_as_they_are(world: World, ana: Actor, eel: Actor) -> None:
    winch = world.spawn("winch", owner=ana)
    ring, cooldown, venom = (
        PulseRing(winch, "haul"),
        CooldownRing(eel, "sting", ana),
        StatusRing(ana, "venom"),
    )
    assert (ring.fraction, cooldown.ready, venom.left) == (0, True, 0)
    eel.hit(ana, "sting")
    world.advance(0.75)

    assert (ring.fraction, ring.left, cooldown.fraction, cooldown.text, venom.fraction) == (
        0.1875,
        3.25,
        0.75,
        "0.3",
        0.25,
    )
    assert ring_text(cooldown) == "◕ 0.3 s"
    assert ring_text(StatusRing(eel, "venom")) == "● ready"
    with pytest.raises(UnknownNameError, match="haul"):
        PulseRing(winch, "hual")
    assert popups_text(Popups(world)) == ""


@given(
    st.lists(st.tuples(st.sampled_from(["earn", "spend", "update", "close"]), st.integers(0, 9)), max_size=20)
)
def test_a_counter_is_never_wrong_at_rest(steps: list[tuple[str, int]]) -> None:
    world, box = crate_world(currencies={"scrip": {"start": 3}})
    counter = Counter(box, "scrip", travel=0.5)
    for step, amount in steps:
        if step == "update":
            counter.update(amount / 10)
        elif step == "close":
            counter.close()
        else:
            getattr(box, step)("scrip", amount)
        assert 0 <= counter.shown <= max(counter.true, 0) or counter.true < 0
        assert not counter.at_rest or counter.shown == counter.true
    counter.update(1)
    assert counter.at_rest
    assert counter.shown == box.purse["scrip"]


def test_a_counter_bumps_when_something_arrives_and_slots_show_the_bag(world: World, ana: Actor) -> None:
    counter = Counter(ana, "pearl", travel=0.5, at=(10, 0))
    counter.origin = (0, 0)
    ana.give("pearl")
    ana.give("fitting")
    counter.update(0.25)
    assert (counter.shown, counter.flights[0].progress, counter.flights[0].position, counter.bump) == (
        0,
        0.5,
        (2.5, 0),
        0,
    )
    counter.update(0.25)
    assert (counter.shown, counter.bump) == (1, 1.0)
    assert slots(ana) == ("pearl", "fitting", "fitting", "")
    with pytest.raises(UnknownNameError, match="pearl"):
        Counter(ana, "perl")


def test_notices_are_read_for_a_while(world: World, ana: Actor) -> None:
    notices = Notices(world, lasts=2.0)
    ana.add_score(10)
    notices.update(1)
    ana.add_score(5)
    assert list(notices) == ["ana earned 10 points", "ana earned 5 points"]
    notices.update(1)
    assert list(notices) == ["ana earned 5 points"]


def test_boards_read_the_match_as_it_stands(world: World, ana: Actor) -> None:
    bram = world.join("diver", "bram", team="south")
    board, clock = Scoreboard(world, "salvage_race"), MatchClock(world, "salvage_race")
    world.match("salvage_race").start()
    for diver in (ana, bram, ana):
        diver.take(world.place("pearl"))
    world.advance(355.5)

    assert (board.text, clock.text, board.verdict) == ("2 - 1", "4:05", "")
    world.match("salvage_race").end()
    assert (board.verdict, clock.text) == ("north wins", "0:00")


def test_stars_are_earned_next_and_missing(world: World, ana: Actor) -> None:
    stars = Stars(ana, "dive")
    assert (stars.text, stars.cells) == ("not yet rated", ("missing",) * 3)
    ana.add_score(25)
    ana.rate("dive")
    assert (stars.text, stars.cells) == ("★⯪☆", ("earned", "next", "missing"))


def test_a_level_bar_runs_through_every_level_of_a_large_gain(world: World, ana: Actor) -> None:
    bar = LevelBar(ana, "rank", speed=1.0)
    ana.gain_xp("rank", 350)
    seen = []
    for _ in range(5):
        seen.append((bar.level, round(bar.fraction, 3)))
        bar.update(0.5)

    assert seen == [(1, 0), (1, 0.5), (2, 0), (2, 0.5), (3, 0)]
    assert bar.text == "rank 3, 250 to the next"
    bar.update(9)
    assert bar.at_rest
    assert round(bar.fraction, 4) == round(50 / 300, 4)


def test_a_combo_meter_counts_down(world: World, ana: Actor) -> None:
    combo = ComboMeter(ana, "eel_run")
    assert (combo.count, combo.fraction, combo.text) == (0, 0, "")
    for _ in range(2):
        ana.hit(world.spawn("eel"), amount=99)
    world.advance(2.5)
    assert (combo.count, combo.fraction, combo.text) == (2, 0.75, "×2")
    world.advance(7.5)
    assert (combo.count, combo.text) == (0, "")
    with pytest.raises(UnknownNameError, match="eel_run"):
        ComboMeter(ana, "deepest")


def test_the_log_says_what_to_do_next_and_the_giver_shows_it(world: World, ana: Actor) -> None:
    assert (sign(ana, "harbourmaster"), line_of(ana, "harbourmaster")) == (
        "offer",
        "Take a lamp before you dive.",
    )
    assert [(row.title, row.state, row.next) for row in quest_log(ana)] == [
        ("First light", "available", "Ask the harbourmaster"),
        ("The morning's catch", "available", "Ask the harbourmaster"),
    ]
    ana.accept("first_light")
    ana.take(world.place("lamp_rack"))
    assert ana.levels["rank"] == 2
    ana.accept("drowned_bells")
    assert (sign(ana, "harbourmaster"), line_of(ana, "harbourmaster")) == (
        "offer",
        "Bring what the night left.",
    )
    ana.accept("morning_catch")
    tracker = Tracker(ana, "drowned_bells")
    ana.give("pearl")
    assert tracker.lines == ("· Drive off eels 0/3", "· Pearls for the clapper 1/2", "· See the belfry 0/1")
    assert tracker.next == "Drive off eels"
    assert (sign(ana, "harbourmaster"), line_of(ana, "harbourmaster"), sign(ana, "nobody")) == (
        "waiting",
        "The bells wait.",
        "",
    )
    ana.give("pearl")
    for _ in range(3):
        ana.hit(world.spawn("eel"), amount=99)
    assert tuple(quest_log(ana)[0]) == (
        "drowned_bells",
        "The drowned bells",
        "ready",
        ("Drive off eels 3/3", "Pearls for the clapper 2/2", "See the belfry 0/1 (optional)"),
        "Turn it in to the harbourmaster",
    )
    assert sign(ana, "harbourmaster") == "ready"
    assert [row.state for row in quest_log(ana)] == ["ready", "active", "completed"]


def test_toasts_are_seen_one_after_another_and_secrets_only_when_achieved(world: World, ana: Actor) -> None:
    toasts = Toasts(world, lasts=2.0)
    ana.give("pearl")
    for _ in range(10):
        ana.hit(world.spawn("eel"), amount=99)
    assert [toast.title for toast in toasts] == ["First pearl"]
    assert len(toasts.waiting) == 2
    toasts.update(1.75)
    assert next(iter(toasts)).alpha == 0.5
    toasts.update(1)
    assert [(toast.title, toast.rank) for toast in toasts] == [("Eel bane", "lantern")]
    assert shown_achievements(ana) == (("First pearl", "", True), ("Eel bane", "", True))
