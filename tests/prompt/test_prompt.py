"""The prompt: time that runs, undo and redo, completion, and the live view driven through textual's own
pilot."""

from __future__ import annotations

import asyncio
import signal
import threading
from collections.abc import Callable, Coroutine
from pathlib import Path
from typing import Any

import pytest
from textual.events import Paste
from textual.pilot import Pilot
from textual.widgets import Input, OptionList, RichLog, Static

from cleaver import Design
from cleaver.core import read
from cleaver.prompt.completing import complete
from cleaver.prompt.live import Live, greeting
from cleaver.prompt.plain import converse
from cleaver.prompt.screen import ActorList, PlayApp, Told
from cleaver.script import Session
from cleaver.script.command import COMMANDS, themes
from cleaver.script.recording import Recording
from cleaver.script.session import MAX_TURNS
from helpers import Clock


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def live(reef: Design, clock: Clock) -> Live:
    return Live(Session(reef, remember=True), clock)


def enter(live: Live, *lines: str) -> list[str]:
    return [line for text in lines for line in live.enter(text).lines]


def test_who_begins_is_told_the_first_lines_in_the_designs_own_names(reef: Design, live: Live) -> None:
    told = greeting(reef)
    assert (
        told
        == "Lanternreef. Begin with: join diver ana, then spawn eel eel1, then hit ana by=eel1 with=sting. help says what can be typed, quit ends."
    )
    steps = told.partition("Begin with: ")[2].partition(".")[0].split(", then ")
    assert not any(live.enter(step).wrong for step in steps)
    assert live.session.evaluate("ana.suit") < 90
    assert (
        greeting(Design.from_dict({"actors": {"crate": {"meters": {"planks": 3}}}}))
        == "Untitled. Begin with: spawn crate crate1. help says what can be typed, quit ends."
    )


# time that runs


def test_time_runs_only_when_told_and_as_fast_as_told(live: Live, clock: Clock) -> None:
    enter(live, "join diver ana", "tag ana submerged")
    clock.now += 0.2
    assert live.tick() == ([], "")
    assert live.session.world.now == 0
    enter(live, "speed 4", "run")
    clock.now += 0.2
    live.tick()
    assert live.session.world.now == pytest.approx(0.8)
    clock.now += 3600  # the terminal was stopped for an hour: no leap
    live.tick()
    assert live.session.world.now == pytest.approx(1.8)
    assert enter(live, "pause") == ["pause  → time stands at 1.8 s; run lets it run"]
    clock.now += 1
    live.tick()
    assert live.session.world.now == pytest.approx(1.8)


def test_undo_and_redo_go_over_commands_and_time_that_ran(live: Live, clock: Clock) -> None:
    enter(live, "join diver ana", "hurt ana 5", "tag ana submerged", "run")
    clock.now += 0.25
    live.tick()
    enter(live, "pause", "earn ana scrip 3")

    assert enter(live, "undo", "undo") == [
        "undo  → took back: earn ana scrip 3",
        "undo  → took back: advance 0.25",
    ]
    assert live.session.world.now == 0
    assert live.session.evaluate("ana.suit") == 86
    assert enter(live, "redo", "redo") == [
        "redo  → brought back: advance 0.25",
        "redo  → brought back: earn ana scrip 3",
    ]
    assert live.session.world.now == 0.25
    assert live.session.evaluate("ana.scrip") == 3
    assert live.enter("redo").wrong
    enter(live, "undo", "hurt ana 1")
    assert live.enter("redo").lines[1] == "  there is nothing to bring back"


def test_time_that_ran_is_recorded_so_that_it_plays_again(live: Live, clock: Clock, tmp_path: Path) -> None:
    live.session.recording = Recording(live.session, tmp_path / "r.play")
    enter(live, "join diver ana", "tag ana submerged", "speed 10", "run")
    for _ in range(3):
        clock.now += 0.1
        live.tick()
    enter(live, "record expect", "hurt ana 5", "undo", "redo", "quit")

    lines = (tmp_path / "r.play").read_text(encoding="utf-8").splitlines()
    assert lines[:3] == ["join diver ana", "tag ana submerged", "advance 3"] or lines[2].startswith(
        "advance 2.99999"
    ), lines
    assert lines[3].startswith("expect ana.air == 56.4")
    assert lines[4:] == ["hurt ana 5"]


def test_a_long_session_meets_no_limit_that_is_meant_for_one_line(live: Live, clock: Clock) -> None:
    enter(live, "join diver ana", "spawn winch w owner=ana", "run", "speed 1000")
    live.session.turns, read.parts(live.session.world).stage.patience = MAX_TURNS, 1
    clock.now += 0.1
    live.tick()
    assert enter(live, "advance 8")[0] == "advance 8  → 108 s"
    assert live.session.evaluate("ana.scrip") == 162


def test_what_the_rules_raise_while_time_runs_is_told_and_time_stands(clock: Clock) -> None:
    live = Live(
        Session(
            Design.from_dict(
                {
                    "inputs": {"near_by": 0},
                    "actors": {
                        "winch": {
                            "player": True,
                            "pulses": {"haul": {"every": 0.05, "do": [{"score": "6 / near_by"}]}},
                        }
                    },
                }
            ),
            remember=True,
        ),
        clock,
    )
    enter(live, "join winch w", "run")
    clock.now += 0.2

    events, trouble = live.tick()

    assert "near_by" in trouble
    assert trouble.startswith("listeners or reactions failed; everything else happened:\n  ")
    assert len(trouble.splitlines()) == 2
    assert not live.running
    assert live.session.world.now == pytest.approx(0.2)
    assert events == []
    assert enter(live, "undo") == ["undo  → took back: advance 0.2"]


def test_a_wrong_line_is_told_and_changes_nothing(live: Live) -> None:
    enter(live, "join diver ana")
    before = live.session.world.snapshot()
    for line, told in (
        ("hrut ana 5", "did you mean 'hurt'?"),
        ("speed 0", "above 0"),
        ("speed fast", "a number"),
        ("speed", "N is missing; write: speed N"),
        ("choose bea", "unknown actor"),
        ("run 5", "unexpected argument; write: run"),
        ("undo 2", "write it again"),
    ):
        said = live.enter(line)
        assert said.wrong, line
        assert told in "\n".join(said.lines), line
    assert live.session.world.snapshot() == before
    assert not live.running


def test_every_command_has_a_theme_and_help_with_an_example() -> None:
    assert sorted(name for names in themes().values() for name in names) == sorted(COMMANDS)
    assert all(found.example and found.help for found in COMMANDS.values())


# completion


@pytest.mark.parametrize(
    ("text", "some"),
    [
        ("", ["join", "hit"]),
        ("hi", ["hit"]),
        ("join ", ["diver"]),
        ("spawn e", ["eel"]),
        ("hit a", ["ana"]),
        ("hit ana ", ["by=", "with=", "zone="]),
        ("hit ana by=", ["by=ana", "by=eel1"]),
        ("hit ana by=eel1 with=", ["with=sting"]),
        ("hit ana zone=", ["zone=visor"]),
        ("set ana.", ["ana.suit", "ana.air"]),
        ("why ana.q", ["ana.quest.first_light"]),
        ("place p", ["pearl"]),
        ("take ana ", ["p1"]),
        ("earn ana ", ["scrip"]),
        ("give ana br", ["brass_helm"]),
        ("accept ana f", ["first_light"]),
        ("status ana ", ["venom"]),
        ("match s", ["start"]),
        ("match start ", ["salvage_race"]),
        ("help tu", ["turn_in"]),
        ("expect ana.su", ["ana.suit"]),
        ("repeat 3 hurt ", ["ana"]),
        ("expect_error he", ["heal"]),
        ("heal ana 5 meter=", ["meter=air"]),
        ("hurt ana 5 type=", ["type=pressure"]),
        ("set_max ana.suit 5 keep=", ["keep=fraction"]),
        ("status ana venom ", ["by=", "lasts="]),
        ("hit ana by=eel1 ch", ["charge="]),
        ("move p", ["p1"]),
        ("restore b", ["before"]),
        ("tag ana sub", ["submerged"]),
        ("pause h", ["haul"]),
        ("pause haul of=", ["of=eel1"]),
        ("record ", ["on", "expect"]),
        ("nonsense ", []),
    ],
)
def test_what_may_come_next_is_offered(live: Live, text: str, some: list[str]) -> None:
    enter(live, "join diver ana", "spawn eel eel1", "place pearl p1", "snapshot before")

    found = complete(live.session, text)

    assert set(some) <= set(found), found
    assert some or not found, found
    assert all(word.startswith(text.split(" ")[-1]) for word in found)


# plain lines


def test_the_plain_prompt_has_the_same_commands(live: Live, capsys: pytest.CaptureFixture[str]) -> None:
    lines = iter(["join diver ana", "hrut ana", "hurt ana 5", "undo", "redo", "run", "show ana", "quit"])

    converse(live, lambda mark: next(lines))

    out = capsys.readouterr().out
    assert "unknown command 'hrut'" in out
    assert "took back: hurt ana 5" in out
    assert "brought back: hurt ana 5" in out
    assert "time runs" in out
    assert "86/90" in out


# the live view


def driven(
    live: Live,
    play: Callable[[PlayApp, Pilot[None]], Coroutine[Any, Any, None]],
    size: tuple[int, int] = (140, 44),
    at_once: float = 20.0,
) -> None:
    """Drive the live view in a terminal of that size; a line is waited for, unless the test is about that."""

    async def session() -> None:
        app = PlayApp(live)
        app.at_once = at_once
        async with app.run_test(size=size) as pilot:
            await play(app, pilot)

    asyncio.run(session())


async def typed(pilot: Pilot[None], text: str) -> None:
    pilot.app.query_one(Input).value = text
    await pilot.press("enter")
    await pilot.pause()


def events(app: PlayApp) -> str:
    return "\n".join(strip.text for strip in app.query_one(RichLog).lines)


def seen(app: PlayApp) -> str:
    """Return the actors as they are drawn."""
    listed = app.query_one(ActorList)
    return "\n".join(listed.render_line(y).text for y in range(listed.size.height))


def test_the_live_view_shows_actors_goods_events_and_what_was_wrong(live: Live) -> None:
    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        for line in (
            "join diver ana team=north",
            "spawn eel eel1",
            "hit ana by=eel1 with=sting zone=visor charge=0.5 crit=no",
            "earn ana scrip 7",
            "hrut ana",
        ):
            await typed(pilot, line)
        assert "ana diver of north  venom  " in seen(app)
        assert "77.5/90" in seen(app)
        assert "eel1 eel" in seen(app)
        assert "9 × 3 visor × 0.5 venom − 1 armour = 12.5" in events(app)
        assert "did you mean 'hurt'?" in events(app)
        assert "purse scrip 7" in str(app.query_one("#progress", Static).render())
        assert "First light: available" in str(app.query_one("#progress", Static).render())
        assert "2 actors" in str(app.query_one("#top", Static).render())
        app.action_typed("earn ana scrip 1")
        assert "+1" in seen(app)  # what rises, before it has gone
        app.action_typed("spend ana scrip 1")
        await pilot.press("f2")
        await pilot.pause()
        assert "ana.suit is 77.5 now" in events(app)
        await pilot.press("f5", "f5", "f2")
        await pilot.pause()
        assert "ana.air is 60 now" in events(app)
        await pilot.press("f3", "f3")
        assert live.chosen == "eel1"
        assert str(app.query_one(OptionList).border_title).startswith("eel1")
        await pilot.press("ctrl+z", "ctrl+z", "ctrl+z")
        await pilot.pause()
        assert "purse scrip 0" in str(app.query_one("#progress", Static).render()) or live.chosen == "eel1"
        assert live.session.evaluate("ana.scrip") == 0
        await pilot.press("ctrl+y", "ctrl+y", "ctrl+y")
        assert live.session.evaluate("ana.scrip") == 7
        await typed(pilot, "quit")
        assert not app.is_running

    driven(live, play)


def test_tab_completes_and_arrows_bring_lines_back(live: Live) -> None:
    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        line = app.query_one(Input)
        await typed(pilot, "join diver ana")
        await typed(pilot, "spawn eel eel1")
        await pilot.press(*"hit ana by=e", "tab")
        assert line.value == "hit ana by=eel1"
        line.value = "set"
        await pilot.press("tab", "tab")
        assert line.value in ("set_max", "set")
        await pilot.press("up")
        assert line.value == "spawn eel eel1"
        await pilot.press("up", "up", "down")
        assert line.value == "spawn eel eel1"
        await pilot.press("down")
        assert line.value == ""
        await pilot.press(*"he")
        await pilot.pause()
        assert "heal" in str(app.query_one("#hint", Static).render())

    driven(live, play)


def test_time_runs_in_the_live_view(live: Live, clock: Clock) -> None:
    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        for line in ("join diver ana", "tag ana submerged"):
            await typed(pilot, line)
        await pilot.press("f4")
        for _ in range(8):
            clock.now += 0.25
            app.look()
        assert live.running
        assert live.session.world.now == pytest.approx(2)
        assert "57.6/60" in seen(app)
        assert "runs" in str(app.query_one("#top", Static).render())
        await pilot.press("f4")
        assert not live.running
        assert "paused" in str(app.query_one("#top", Static).render())

    driven(live, play)


@pytest.mark.parametrize("size", [(80, 24), (40, 12), (240, 70)])
def test_nothing_is_lost_in_a_window_of_any_size(live: Live, size: tuple[int, int]) -> None:
    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        await typed(pilot, "join diver ana")
        await typed(pilot, "hurt ana 5")
        assert "86/90" in seen(app)
        assert "ana loses 4 suit" in events(app).replace("\n", "")
        assert app.query_one(Input).region.bottom <= size[1]
        assert app.query_one(OptionList).display == (size[0] >= 100 and size[1] >= 30)

    driven(live, play, size)


def test_only_the_lines_that_are_seen_are_made_with_two_hundred_actors(live: Live) -> None:
    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        live.enter("join diver ana")
        live.enter(f"spawn eel {' '.join(f'eel{number}' for number in range(1, 200))}")
        app.look()
        listed = app.query_one(ActorList)
        await pilot.pause()
        assert len(listed.rows) == 400
        assert len(listed.bars) < 60
        listed.scroll_to(y=300, animate=False)
        await pilot.pause()
        assert "eel199" not in seen(app)
        assert "eel150 eel" in seen(app)

    driven(live, play)


# pasting, long lines, small windows


LONG = "advance 1000000"  # of a winch that earns a hundred times a second


def long_session() -> Live:
    design = Design.from_dict(
        {
            "actors": {
                "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}},
                "winch": {
                    "pulses": {"haul": {"every": 0.01, "do": [{"earn": "scrip", "amount": 1, "to": "owner"}]}}
                },
            },
            "currencies": {"scrip": {}},
        }
    )
    live = Live(Session(design, remember=True), Clock())
    enter(live, "join diver ana", "spawn winch w owner=ana")
    return live


def shown_of(app: PlayApp) -> str:
    return "\n".join(line for line, _ in app.query_one(Told).told)


async def until(pilot: Pilot[None], so: Callable[[], bool]) -> None:
    for _ in range(400):
        if so():
            return
        await pilot.pause(0.05)
    raise AssertionError("it never came")


def test_pasted_lines_are_carried_out_one_by_one(live: Live) -> None:
    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        line = app.query_one(Input)
        line.post_message(Paste("join diver ana\r\nhurt ana 5\nhurt ana 6\nheal an"))
        await until(pilot, lambda: line.value == "heal an" and len(app.past) == 3 and app.working is None)
        await pilot.press("a", "space", "1", "enter")
        await until(
            pilot, lambda: live.session.world.actor("ana")["suit"].value == 90 - 4 + 1
        )  # the second hurt met the grace of the first
        assert app.past == ["join diver ana", "hurt ana 5", "hurt ana 6", "heal ana 1"]

    driven(live, play)


def test_a_line_that_takes_long_can_be_stopped_and_nothing_of_it_has_happened() -> None:
    live = long_session()

    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        before = live.session.world.snapshot()
        await typed(pilot, LONG)
        assert app.working is not None
        assert "working: advance 1000000 (Ctrl-C stops it)" in str(app.query_one("#hint", Static).render())
        await typed(pilot, "hurt ana 5")  # typed ahead, and forgotten with what was stopped
        await pilot.press("ctrl+c")
        await until(pilot, lambda: app.working is None)
        assert "stopped; nothing was changed" in shown_of(app)
        assert live.session.world.snapshot() == before
        await typed(pilot, "hurt ana 7")
        await until(pilot, lambda: live.session.world.actor("ana")["suit"].value == 83)

    driven(live, play, at_once=0.2)


@pytest.mark.long
def test_what_is_typed_ahead_is_carried_out_after() -> None:
    live = long_session()

    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        await typed(pilot, "advance 300")
        await typed(pilot, "hurt ana 5")
        await typed(pilot, "hurt ana 6")
        await until(pilot, lambda: app.working is None and not app.waiting and live.session.world.now == 300)
        await until(pilot, lambda: live.session.world.actor("ana")["suit"].value == 79)
        assert app.past == ["advance 300", "hurt ana 5", "hurt ana 6"]

    driven(live, play, at_once=0.2)


def test_an_error_of_any_kind_does_not_end_the_session(live: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Live, "enter", lambda self, text: 1 / 0)

    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        await typed(pilot, "help")
        await until(pilot, lambda: "ZeroDivisionError" in shown_of(app))

    driven(live, play)


def test_a_small_window_shows_what_is_chosen_and_the_keys(live: Live) -> None:
    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        await typed(pilot, "join diver ana")
        await pilot.press("f5")
        chosen, keys = (str(app.query_one(name, Static).render()) for name in ("#chosen", "#keys"))
        assert chosen.startswith("▶ ana.")
        assert "(2 of " in chosen
        assert app.query_one("#chosen", Static).display
        assert "F1 help" in keys
        assert len(keys) <= 78
        await pilot.press("f1")
        await until(pilot, lambda: "> help" in shown_of(app))

    driven(live, play, (80, 24))


def test_what_was_told_is_wrapped_anew_when_the_window_changes(live: Live) -> None:
    async def play(app: PlayApp, pilot: Pilot[None]) -> None:
        await typed(pilot, "help hit")
        log = app.query_one(RichLog)
        wide = len(log.lines)
        await pilot.resize_terminal(44, 30)
        await until(pilot, lambda: len(log.lines) > wide)
        assert max(len("".join(part.text for part in strip).rstrip()) for strip in log.lines) <= 44
        await pilot.resize_terminal(140, 44)
        await until(pilot, lambda: len(log.lines) == wide)

    driven(live, play)


def test_control_c_stops_a_long_line_of_the_plain_prompt_and_not_the_session(
    capsys: pytest.CaptureFixture[str],
) -> None:
    live = long_session()
    lines = iter([LONG, "hurt ana 7", "quit"])
    timer = threading.Timer(0.5, signal.raise_signal, (signal.SIGINT,))

    def read(prompt: str) -> str:
        text = next(lines)
        if text == LONG:
            timer.start()
        return text

    converse(live, read)
    timer.join()

    assert "stopped; nothing was changed" in capsys.readouterr().out
    assert live.session.world.now == 0
    assert live.session.world.actor("ana")["suit"].value == 83


def test_a_repeat_can_be_stopped_too() -> None:
    live = long_session()
    threading.Timer(0.5, live.stop).start()

    said = live.enter("repeat 100000 advance 1")
    assert said.lines[1] == "  stopped; nothing was changed"
    assert live.session.world.now == 0
    assert not live.enter("repeat 3 advance 1").wrong
