"""What a window draws: where it stands, how much of it is filled, and that looking changes nothing."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from pathlib import Path

import pygame
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import Actor, AmountError, Design, UsageError, World
from cleaver.hud import Bar, Counter, Popups, Sliders, Stars
from cleaver.window import Overlay, Pen, Theme, Window, draw_bar, draw_counter, draw_popups, draw_stars
from helpers import crate_world

SIZES = [(1280, 800), (640, 400), (800, 600), (1920, 1080)]
LONG = "Eels_have_taken_the_belfry_and_the_lower_harbour"


@pytest.fixture(autouse=True)
def drawn_nowhere(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """No window is opened, on a machine with a monitor neither."""
    monkeypatch.setenv("SDL_VIDEODRIVER", "dummy")
    yield
    pygame.display.quit()


def surface(size: tuple[int, int] = (1280, 800)) -> pygame.Surface:
    """Return something to draw on."""
    return pygame.Surface(size)


def count(drawn: pygame.Surface, colour: tuple[int, int, int], row: int) -> int:
    """Return how many pixels of a row have a colour."""
    return sum(drawn.get_at((x, row))[:3] == colour for x in range(drawn.get_width()))


def full_world(reef: Design) -> tuple[World, Actor]:
    """Return a world in which a diver has something of everything, under long names."""
    world = World(
        reef.with_values(
            {
                "quests.first_light.title": LONG.replace("_", " "),
                "texts.damaged": "{actor} loses {amount} {meter} to {source}, and that hurts a good deal",
            }
        ),
        seed=3,
    )
    ana = world.join("diver", "ana", team="north")
    world.join("diver", "bea", team="south")
    world.match("salvage_race").start()
    world.move(ana, 4.0, 4.0)
    world.move(world.spawn("eel", "eel1"), 5.0, 4.0)
    ana.gain_xp("rank", 150)
    for quest in ("first_light", "drowned_bells", "morning_catch"):
        ana.accept(quest)
    return world, ana


@pytest.mark.parametrize("size", SIZES, ids=lambda size: f"{size[0]}x{size[1]}")
@given(
    steps=st.lists(
        st.sampled_from(("hit", "earn", "give", "talk", "go on", "tune", "kill", "time", "pause", "crate")),
        max_size=12,
    )
)
def test_nothing_is_cut_off_and_nothing_lies_over_another(
    reef: Design, size: tuple[int, int], steps: list[str]
) -> None:
    world, ana = full_world(reef)
    sliders = Sliders(world, {f"{LONG} {number}": key for number, key in enumerate(KEYS)})
    overlay = Overlay(
        world,
        ana,
        screen=lambda place: (place[0] * 40, place[1] * 40),
        sliders=sliders,
        attacks={"jab": "jab", "bolt": LONG},
    )
    eel = world.actor("eel1")
    acts: dict[str, Callable[[], object]] = {
        "hit": lambda: eel.hit(ana, "sting", zone="visor"),
        "earn": lambda: ana.earn("scrip", 999),
        "give": lambda: ana.give("pearl"),
        "talk": lambda: overlay.dialogue.begin("harbourmaster"),
        "go on": overlay.dialogue.go_on,
        "tune": lambda: setattr(overlay, "tuning", not overlay.tuning),
        "kill": lambda: ana.hurt(500),
        "time": lambda: world.advance(1.0),
        "pause": lambda: setattr(overlay.pace, "paused", not overlay.pace.paused),
        "crate": lambda: ana.launch("bolt"),
    }
    for step in steps:
        acts[step]()
        overlay.update(0.1)
    canvas = surface(size)
    before = json.dumps(world.snapshot())

    overlay.draw(canvas)

    assert json.dumps(world.snapshot()) == before, "looking changes nothing"
    whole, areas = canvas.get_rect(), list(overlay.areas.items())
    assert {"meter suit", "meter air", "counter scrip", "bag"} <= set(overlay.areas)
    for number, (name, area) in enumerate(areas):
        assert whole.contains(area), f"{name} is cut off: {area} of {whole}"
        for other, there in areas[number + 1 :]:
            assert not area.colliderect(there), f"{name} {area} lies over {other} {there}"
    overlay.close()


KEYS = [
    "actors.eel.attacks.sting.cooldown",
    "actors.diver.meters.suit.max",
    "actors.diver.guard.armour",
    "exchanges.harbour_office.gives.scrip",
    "statuses.venom.lasts",
]


@pytest.mark.parametrize(
    ("value", "filled"), [(100, 98), (50, 49), (0.01, 1), (99.99, 97), (0, 0), (25.5, 25), (1, 1)], ids=str
)
def test_a_bar_fills_what_is_left_and_never_lies_at_its_ends(value: float, filled: int) -> None:
    _, box = crate_world({"max": 100})
    box["planks"].set(value)
    canvas, bar = surface((100, 10)), Bar(box, "planks")

    draw_bar(Pen(canvas), bar, pygame.Rect(0, 0, 100, 8))

    assert count(canvas, Theme().role(bar.role), 4) - 2 * (bar.role != "normal") == filled


def test_a_bar_shows_ghost_cells_and_marks() -> None:
    world, box = crate_world({"max": 100, "cells": 4, "marks": {"low": 0.25}})
    bar, theme, canvas = Bar(box, "planks", ghost=1.0), Theme(), surface((204, 20))
    box.hurt(50)

    draw_bar(Pen(canvas), bar, pygame.Rect(0, 0, 204, 8))

    assert world.now == 0
    assert (
        count(canvas, theme.role("normal"), 3) == 101 - 1
    )  # a half of 202, less the line after its first cell
    assert count(canvas, theme.ghost, 3) == 101 - 2  # less the lines before and after the third
    assert count(canvas, theme.text, 6) == 1, "the mark at a quarter"


def test_what_is_low_is_hatched_and_marked_not_only_coloured() -> None:
    _, box = crate_world({"max": 100, "marks": {"low": 0.25}})
    box.hurt(80)
    plain, low = surface((300, 30)), surface((300, 30))
    quiet = Theme(roles={"normal": (100, 100, 100), "low": (100, 100, 100)})
    draw_bar(Pen(low, quiet), Bar(box, "planks"), pygame.Rect(0, 0, 300, 26))
    _, other = crate_world({"max": 100})
    other.hurt(80)
    draw_bar(Pen(plain, quiet), Bar(other, "planks"), pygame.Rect(0, 0, 300, 26))

    assert len({tuple(low.get_at((x, 13))) for x in range(3, 55)}) >= 2
    assert len({tuple(plain.get_at((x, 13))) for x in range(3, 55)}) == 1
    assert pygame.image.tobytes(low, "RGB") != pygame.image.tobytes(plain, "RGB")


def test_a_popup_that_begins_beyond_the_edge_is_still_seen() -> None:
    world, box = crate_world({"max": 100})
    world.move(box, -5000.0, 9000.0)
    popups = Popups(world)
    box.hurt(12)
    canvas = surface((200, 200))

    draw_popups(Pen(canvas), popups, lambda place: (place[0], place[1]))

    seen = [(x, y) for x in range(200) for y in range(200) if canvas.get_at((x, y))[:3] == (255, 255, 255)]
    assert seen
    assert min(x for x, _ in seen) > 0
    assert max(y for _, y in seen) < 199


def test_flights_end_at_the_number_they_are_counted_by(ana: Actor) -> None:
    counter = Counter(ana, "scrip")
    draw_counter(Pen(surface()), counter, pygame.Rect(1000, 20, 200, 24))
    ana.earn("scrip", 5)

    assert 1150 < counter.flights[0].end[0] <= 1200
    assert 20 <= counter.flights[0].end[1] <= 44


def test_stars_differ_by_shape(ana: Actor) -> None:
    ana.add_score(20)
    ana.rate("dive")
    canvas = surface((300, 60))
    grey = Theme(accent=(200, 200, 200), dim=(200, 200, 200))
    draw_stars(Pen(canvas, grey), Stars(ana, "dive"), (150, 30), radius=20)
    thirds = [canvas.subsurface((x, 0, 50, 60)) for x in (75, 125, 175)]
    filled = [
        sum(tuple(part.get_at((x, y))[:3]) == (200,) * 3 for x in range(50) for y in range(60))
        for part in thirds
    ]

    assert Stars(ana, "dive").cells == ("earned", "next", "missing")
    assert filled[0] > filled[1] > filled[2] > 0


@given(text=st.text(max_size=60), width=st.integers(20, 400), size=st.sampled_from(SIZES))
def test_texts_are_cut_and_wrapped_to_the_room_there_is(text: str, width: int, size: tuple[int, int]) -> None:
    pen = Pen(surface(size))
    text = text.replace("\0", "").encode("utf-8", "replace").decode()
    mark = pen.width("…", 17)

    assert pen.width(pen.cut(text, 17, width), 17) <= max(width, mark)
    lines = pen.wrapped(text, 17, width, 3)
    assert len(lines) <= 3
    assert all(pen.width(line, 17) <= max(width, mark) for line in lines)
    if len(pen.wrapped(text, 17, width)) <= 3:
        assert (
            "…" in "".join(lines)
            or "".join(lines).split() == text.split()
            or " ".join(lines).split() == text.split()
        )


def test_a_window_ends_after_its_frames_or_when_it_is_closed(tmp_path: Path) -> None:
    with Window("a", (320, 200), frames=3, hidden=True) as window:
        seconds = list(window)
    assert seconds == [1 / 60] * 3

    with Window("a", (320, 200), hidden=True) as window:
        spans = []
        for seconds_now in window:
            spans.append(seconds_now)
            window.surface.fill((1, 2, 3))
            if window.frame == 2:
                window.picture(tmp_path / "a.png")
                pygame.event.post(pygame.event.Event(pygame.QUIT))
    assert len(spans) == 3
    assert all(0 <= span <= 0.1 for span in spans)
    assert pygame.image.load(tmp_path / "a.png").get_at((5, 5))[:3] == (1, 2, 3)


def test_keys_are_pressed_once_and_held_until_they_are_let_go() -> None:
    told = []
    with Window("a", (320, 200), frames=6, hidden=True) as window:
        for _ in window:
            told.append(
                (window.pressed, window.held("left"), window.direction(), window.direction(arrows=False))
            )
            event = {
                0: (pygame.KEYDOWN, pygame.K_LEFT),
                1: (pygame.KEYDOWN, pygame.K_s),
                2: (pygame.KEYUP, pygame.K_LEFT),
            }
            if window.frame in event:
                kind, key = event[window.frame]
                pygame.event.post(pygame.event.Event(kind, key=key))
            elif window.frame == 3:
                pygame.event.post(pygame.event.Event(pygame.WINDOWFOCUSLOST))

    assert told == [
        ((), False, (0, 0), (0, 0)),
        (("left",), True, (-1, 0), (0, 0)),
        (("s",), True, (-1, 1), (0, 1)),
        ((), False, (0, 1), (0, 1)),
        ((), False, (0, 0), (0, 0)),
        ((), False, (0, 0), (0, 0)),
    ]


def test_a_window_says_what_is_wrong(tmp_path: Path) -> None:
    with pytest.raises(AmountError, match="frames is -1"):
        Window("a", frames=-1, hidden=True)
    with pytest.raises(AmountError, match="size"):
        Window("a", (10, 10), hidden=True)
    with Window("a", (320, 200), frames=1, hidden=True) as window:
        with pytest.raises(UsageError, match="no suffix"):
            window.picture(tmp_path / "picture")
        with pytest.raises(UsageError, match="cannot be written"):
            window.picture(tmp_path / "not there" / "a.png")
