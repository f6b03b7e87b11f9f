"""Panels: numbers of the design to turn while the game runs, cards over the game, a banner. Start at
`draw_sliders`."""

from __future__ import annotations

from collections.abc import Sequence

import pygame
from pygame import Rect

from cleaver.hud.contests.boards import Stars
from cleaver.hud.sliders import Sliders
from cleaver.rounding import shown
from cleaver.window.contests import draw_stars
from cleaver.window.pen import Pen, Point

_HINT = "Up, down: choose. Left, right: change. Backspace: as at first."


def draw_sliders(pen: Pen, sliders: Sliders, rect: Rect, *, hint: str = _HINT) -> Rect:
    """Draw a panel of numbers from the bottom of *rect* upwards: the chosen one with an arrow before it, a
    changed one with what it was, and why the last turn was refused. Return where it is."""
    theme, rows, pad = pen.theme, sliders.rows, pen.px(10)
    inner = rect.width - 2 * pad
    normal, small = pen.height(theme.normal), pen.height(theme.small)
    notes = pen.wrapped(sliders.problem, theme.small, inner, 3) if sliders.problem else []
    hints = pen.wrapped(hint, theme.small, inner, 3) if hint else []
    rest = normal + small * (len(notes) + len(hints)) + 2 * pad + pen.px(6)
    most = max((rect.height - rest) // normal, 1)
    chosen = next((at for at, row in enumerate(rows) if row.chosen), 0)
    first = min(max(chosen - most // 2, 0), max(len(rows) - most, 0))  # the chosen one is always seen
    rows = rows[first : first + most]
    where = Rect(rect.x, 0, rect.width, rest + normal * len(rows))
    where.bottom = rect.bottom
    pen.box(where, line=theme.accent)
    x, y, right = where.x + pad, where.y + pad, where.right - pad
    pen.text("Numbers of the design", (x, y), size=theme.small, colour=theme.accent, width=inner)
    y += normal
    for row in rows:
        colour = theme.accent if row.chosen else theme.text
        if row.chosen:
            middle, half = y + normal // 2, pen.px(5)
            points = ((x, middle - half), (x, middle + half), (x + half + half // 2, middle))
            pygame.draw.polygon(pen.surface, theme.accent, points)
        text = f"{row.text} (was {shown(row.first)})" if row.changed else row.text
        value = pen.text(text, (right, y), size=theme.small, colour=colour, anchor="topright")
        at = (x + pen.px(16), y)
        pen.text(row.label, at, size=theme.small, colour=colour, width=value.left - at[0] - pen.px(8))
        y += normal
    for line in notes:
        pen.text(line, (x, y), size=theme.small, colour=theme.problem)
        y += small
    y += pen.px(6)
    for line in hints:
        pen.text(line, (x, y), size=theme.small, colour=theme.dim)
        y += small
    return where


def draw_card(
    pen: Pen,
    title: str,
    lines: Sequence[str],
    *,
    stars: Stars | None = None,
    chosen: int = -1,
    hint: str = "",
) -> Rect:
    """Draw a card in the middle of the surface, which is darkened behind it: the end of a stage with its
    *stars*, a menu with one of its lines *chosen* (from 0), a game that is over. Return where it is."""
    theme, surface = pen.theme, pen.surface
    width, height = surface.get_size()
    shade = pygame.Surface((width, height), pygame.SRCALPHA)
    shade.fill((*theme.back, 140))
    surface.blit(shade, (0, 0))
    pad, wide = pen.px(24), min(pen.px(560), width - 2 * pen.px(20))
    inner = wide - 2 * pad
    normal, huge, small = (pen.height(size) for size in (theme.normal, theme.huge, theme.small))
    radius = 26.0
    row = normal + pen.px(10)
    starry = 2 * pen.px(radius) + pen.px(16) if stars is not None else 0
    hints = pen.wrapped(hint, theme.small, inner, 4) if hint else []
    high = 2 * pad + huge + starry + row * len(lines) + small * len(hints) + pen.px(8)
    where = Rect((width - wide) // 2, max((height - high) // 2, 0), wide, min(high, height))
    pen.box(where, line=theme.accent, solid=True)
    y = where.y + pad
    size = theme.huge
    while size > theme.normal and pen.width(title, size) > inner:
        size -= 2
    pen.text(title, (where.centerx, y), size=size, anchor="midtop", width=inner)
    y += huge
    if stars is not None:
        draw_stars(pen, stars, (where.centerx, y + starry // 2), radius=radius)
        y += starry
    for number, line in enumerate(lines):
        if number == chosen:
            pygame.draw.rect(surface, theme.line, (where.x + pad, y, inner, row), 0, pen.px(5))
        colour = theme.accent if number == chosen else theme.text
        at: Point = (where.centerx, y + row // 2)
        pen.text(line, at, colour=colour, anchor="center", width=inner - pen.px(16))
        y += row
    y += pen.px(8)
    for line in hints:
        pen.text(line, (where.centerx, y), size=theme.small, colour=theme.dim, anchor="midtop")
        y += small
    return where


def draw_banner(pen: Pen, text: str, at: Point) -> Rect:
    """Draw a short text on a ground, with the middle of its top at a place; return where it is."""
    if not text:
        return Rect(round(at[0]), round(at[1]), 0, 0)
    theme = pen.theme
    text = pen.cut(text, theme.normal, pen.surface.get_width() - 4 * pen.px(14))
    wide = pen.width(text, theme.normal) + 2 * pen.px(14)
    where = Rect(round(at[0]) - wide // 2, round(at[1]), wide, pen.height(theme.normal) + 2 * pen.px(5))
    pen.box(where)
    pen.text(text, where.center, anchor="center")
    return where
