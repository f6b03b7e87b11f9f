"""Vitals in a window: bars, lives, rings, popups. Start at `draw_bar`."""

from __future__ import annotations

from collections.abc import Callable

import pygame
from pygame import Rect

from cleaver.core.handles import Actor
from cleaver.hud.origin import Place
from cleaver.hud.vitals.bar import Bar
from cleaver.hud.vitals.popups import Popups
from cleaver.hud.vitals.rings import Ring
from cleaver.rounding import half_up
from cleaver.window.pen import Pen, Point


def draw_bar(pen: Pen, bar: Bar, rect: Rect, *, name: str = "") -> Rect:
    """Draw a bar within *rect*: its ghost, marks, cells and shield, its *name* on the left, its text on the
    right; hatched where its role is a mark. Return *rect*.

    At least a pixel is filled while anything is left, and one is free while anything is missing.
    """
    theme, surface = pen.theme, pen.surface
    role = bar.role
    colour = theme.role(role)
    inner = rect.inflate(-2 * pen.px(2), -2 * pen.px(2))
    pygame.draw.rect(surface, theme.back, rect, 0, pen.px(4))
    filled = _filled(bar.fraction, inner.width)
    ghost = half_up(bar.ghost * inner.width)
    if ghost > filled:
        surface.fill(theme.ghost, (inner.x + filled, inner.y, ghost - filled, inner.height))
    if filled:
        part = Rect(inner.x, inner.y, filled, inner.height)
        surface.fill(colour, part)
        if role not in ("normal", "over", "empty"):
            pen.hatch(part, tuple(round(shade * 0.7) for shade in colour))  # type: ignore[arg-type]
    if bar.shield > 0:
        high = max(inner.height // 3, 2)
        wide = max(min(half_up(bar.shield * inner.width), inner.width), 2)
        surface.fill(theme.role("shield"), (inner.x, inner.y, wide, high))
    of = bar.meter.cell_count
    for cell in range(1, of):
        x = inner.x + half_up(inner.width * cell / of)
        surface.fill(theme.back, (x, inner.y, pen.px(1), inner.height))
    for level in bar.meter.marks.values():
        x = inner.x + half_up(inner.width * level)
        surface.fill(theme.text, (x, inner.bottom - inner.height // 3, pen.px(1.5), inner.height // 3))
    pygame.draw.rect(surface, colour if role != "normal" else theme.line, rect, pen.px(1.5), pen.px(4))
    if rect.height >= pen.height(theme.small):
        _label(pen, bar, inner, name)
    return rect


def _label(pen: Pen, bar: Bar, inner: Rect, name: str) -> None:
    theme, middle = pen.theme, inner.centery
    text = bar.text + ("!" if bar.role not in ("normal", "over") and bar.text else "")
    right = pen.text(
        text, (inner.right - pen.px(6), middle), size=theme.small, anchor="midright", edge=True
    ).left
    room = right - inner.x - pen.px(14)
    if name and room > pen.px(20):
        at = (inner.x + pen.px(6), middle)
        pen.text(name, at, size=theme.small, anchor="midleft", width=room, edge=True)


def _filled(fraction: float, width: int) -> int:
    filled = half_up(fraction * width)
    if fraction > 0:
        filled = max(filled, 1)
    return min(filled, width - 1) if fraction < 1 else width


def draw_lives(pen: Pen, actor: Actor, at: Point) -> Rect:
    """Draw an actor's lives as hearts, from six on as one with a number; return where they are."""
    theme, count = pen.theme, actor.lives
    radius = pen.px(8)
    rect = Rect(round(at[0]), round(at[1]), 0, 2 * radius + pen.px(2))
    shown = count if count <= 5 else 1
    for number in range(shown):
        centre = (rect.x + radius + number * (2 * radius + pen.px(4)), rect.centery)
        pen.heart(centre, radius + pen.px(2), theme.back)
        pen.heart(centre, radius, theme.life)
    rect.width = shown * (2 * radius + pen.px(4))
    if count > 5 or not count:
        text = f"×{count}" if count else "no lives left"
        rect.width += pen.text(text, (rect.right, rect.centery), size=theme.small, anchor="midleft").width
    return rect


def draw_ring(pen: Pen, ring: Ring, centre: Point, *, name: str = "", radius: float = 14) -> Rect:
    """Draw a ring as a round gauge that fills, with the seconds left in it and a *name* below; return where
    it is."""
    theme, far = pen.theme, pen.px(radius)
    colour = theme.accent if ring.ready else theme.role("normal")
    pen.gauge(centre, far, ring.fraction, colour)
    rect = Rect(round(centre[0]) - far, round(centre[1]) - far, 2 * far, 2 * far)
    if ring.text and pen.width(ring.text, theme.small) <= 2 * far:
        pen.text(ring.text, centre, size=theme.small, anchor="center", edge=True)
    if name:
        below = (centre[0], rect.bottom + pen.px(1))
        rect = rect.union(pen.text(name, below, size=theme.small, anchor="midtop", edge=True))
    return rect


def draw_popups(pen: Pen, popups: Popups, screen: Callable[[Place], Point]) -> None:
    """Draw popups rising from where they began; *screen* gives where on the surface a place of the world is.
    Those without a place are left out."""
    theme, (width, height) = pen.theme, pen.surface.get_size()
    for popup in popups:
        if popup.at is None:
            continue
        size = (theme.normal + 2) * popup.size
        line = pen.height(size)
        x, y = screen(popup.at)
        half = pen.width(popup.text, size) / 2 + 2
        # One that begins at an edge, or behind it, is still to be read.
        x = min(max(x + popup.x * line, half), width - half)
        y = min(max(y - popup.y * line, line / 2), height - line / 2)
        pen.text(
            popup.text,
            (x, y),
            size=size,
            colour=theme.role(popup.role),
            anchor="center",
            alpha=popup.alpha,
            edge=True,
        )
