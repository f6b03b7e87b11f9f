"""Contests in a window: scoreboard, clock, stars, levels, combos. Start at `draw_scoreboard`."""

from __future__ import annotations

import pygame
from pygame import Rect

from cleaver.hud.contests.boards import ComboMeter, LevelBar, MatchClock, Scoreboard, Stars
from cleaver.window.pen import Pen, Point


def draw_scoreboard(pen: Pen, board: Scoreboard, rect: Rect) -> Rect:
    """Draw the score of two sides as one line in the middle of *rect*, more sides as rows; return where they
    are."""
    theme, rows = pen.theme, board.rows
    if len(rows) == 2:
        return pen.text(board.text, rect.midtop, size=theme.large, anchor="midtop", edge=True)
    texts = [f"{row.rank}  {row.side}  {row.score}" for row in rows]
    high = pen.height(theme.normal)
    for number, text in enumerate(texts[: max(rect.height // high, 1)]):
        at = (rect.centerx, rect.y + number * high)
        pen.text(text, at, anchor="midtop", width=rect.width, edge=True)
    return Rect(rect.x, rect.y, rect.width, high * min(len(texts), max(rect.height // high, 1)))


def draw_clock(pen: Pen, clock: MatchClock, at: Point) -> Rect:
    """Draw the time left with the middle of its top at a place; it is larger and has a "!" in the last ten
    seconds. Return where it is."""
    theme, late = pen.theme, 0 < clock.left <= 10
    text = f"{clock.text}!" if late else clock.text
    colour = theme.role("low") if late else theme.text
    return pen.text(text, at, size=theme.large, colour=colour, anchor="midtop", edge=True)


def draw_stars(pen: Pen, stars: Stars, centre: Point, *, radius: float = 16) -> Rect:
    """Draw stars side by side around a place: filled, half, hollow; return where they are."""
    far = pen.px(radius)
    step = 2 * far + pen.px(radius / 2)
    left = round(centre[0] - step * (stars.of - 1) / 2)
    for number, state in enumerate(stars.cells):
        pen.star((left + number * step, centre[1]), far, state)
    return Rect(left - far, round(centre[1]) - far, step * (stars.of - 1) + 2 * far, 2 * far)


def draw_levels(pen: Pen, bar: LevelBar, rect: Rect) -> Rect:
    """Draw a level and how far it is to the next within *rect*; return *rect*."""
    theme = pen.theme
    pygame.draw.rect(pen.surface, theme.back, rect, 0, pen.px(4))
    inner = rect.inflate(-2 * pen.px(2), -2 * pen.px(2))
    part = Rect(inner.x, inner.y, round(inner.width * bar.fraction), inner.height)
    pen.surface.fill(theme.role("over"), part)
    pygame.draw.rect(pen.surface, theme.line, rect, pen.px(1.5), pen.px(4))
    text = f"{bar.levels.replace('_', ' ')} {bar.level}"
    at = (inner.x + pen.px(6), inner.centery)
    pen.text(text, at, size=theme.small, anchor="midleft", width=inner.width - pen.px(12), edge=True)
    return rect


def draw_combo(pen: Pen, combo: ComboMeter, rect: Rect) -> Rect:
    """Draw a combo while there is one, with how long it still holds; return where it is."""
    if not combo.text:
        return Rect(rect.topleft, (0, 0))
    theme = pen.theme
    text = f"{combo.record.replace('_', ' ')} {combo.text}"
    found = pen.text(text, rect.topleft, colour=theme.accent, width=rect.width, edge=True)
    held = Rect(rect.x, found.bottom + pen.px(1), round(rect.width * combo.fraction), pen.px(4))
    pen.surface.fill(theme.accent, held)
    return Rect(rect.x, rect.y, rect.width, held.bottom - rect.y)
