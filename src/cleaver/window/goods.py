"""Goods in a window: counters with what flies to them, a bag, notices. Start at `draw_counter`."""

from __future__ import annotations

from pygame import Rect

from cleaver.core.handles import Actor
from cleaver.hud.goods.counters import Counter, Notices, slots
from cleaver.rounding import shown
from cleaver.window.pen import Pen


def draw_counter(pen: Pen, counter: Counter, rect: Rect) -> Rect:
    """Draw a counter within *rect*, its name on the left and its number on the right, larger for a moment
    after each arrival. Its flights end here from now on; return *rect*."""
    theme = pen.theme
    size = theme.normal * (1 + 0.25 * counter.bump)
    number = pen.text(
        shown(counter.shown),
        (rect.right, rect.centery),
        size=size,
        colour=theme.accent if counter.bump > 0 else theme.text,
        anchor="midright",
        edge=True,
    )
    name = counter.good.replace("_", " ")
    room = number.left - rect.x - pen.px(theme.gap)
    pen.text(
        name,
        (rect.x, rect.centery),
        size=theme.small,
        colour=theme.dim,
        anchor="midleft",
        width=room,
        edge=True,
    )
    counter.at = (float(number.centerx), float(number.centery))
    return rect


def draw_flights(pen: Pen, counter: Counter) -> None:
    """Draw what is on its way to a counter: a coin a flight."""
    theme = pen.theme
    for flight in counter.flights:
        x, y = flight.position
        for radius, colour in ((7.5, theme.back), (6, theme.role("money")), (2.5, theme.back)):
            pen.dot((x, y), radius, colour)


def draw_bag(pen: Pen, actor: Actor, rect: Rect) -> Rect:
    """Draw an actor's bag as slots from the left of *rect*, eight in a row; return where they are."""
    theme, found = pen.theme, slots(actor)
    gap = pen.px(4)
    across = min(max(len(found), 1), 8)
    size = max(min((rect.width - gap * (across - 1)) // across, pen.px(58)), pen.px(12))
    high = pen.height(theme.small) + pen.px(8)
    for number, item in enumerate(found):
        row, column = divmod(number, across)
        slot = Rect(rect.x + column * (size + gap), rect.y + row * (high + gap), size, high)
        pen.box(slot, line=theme.accent if item else None)
        if item:
            room = size - pen.px(6)
            pen.text(item.replace("_", " "), slot.center, size=theme.small, anchor="center", width=room)
    rows = -(-len(found) // across)
    return Rect(rect.x, rect.y, rect.width, rows * (high + gap) - gap if rows else 0)


def draw_notices(pen: Pen, notices: Notices, rect: Rect) -> Rect:
    """Draw notices from the bottom of *rect* upwards, the newest lowest, as many as have room; return where
    they are."""
    theme = pen.theme
    high = pen.height(theme.normal)
    lines = [line for notice in notices for line in pen.wrapped(notice, theme.normal, rect.width)]
    lines = lines[-max(rect.height // high, 0) :] if rect.height >= high else []
    top = rect.bottom - high * len(lines)
    for number, line in enumerate(lines):
        pen.text(line, (rect.x, top + number * high), edge=True)
    return Rect(rect.x, top, rect.width, high * len(lines))
