"""Pen: texts and shapes on a surface, in the theme's units, sharp at any size. Start at `Pen`."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Literal

import pygame
from pygame import Rect, Surface

from cleaver.window.shapes import check_shape, dot, gauge, heart, star
from cleaver.window.theme import Colour, Theme

Point = tuple[float, float]
Anchor = Literal["topleft", "midtop", "topright", "midleft", "center", "midright", "midbottom"]

WIDE, HIGH = 1280, 800  # a window in which one unit is one pixel
LEAST = 0.7  # of a pixel: below it texts could not be read, so a smaller window has fewer units
_KEPT = 1024  # pictures of texts: a frame shows some sixty, and most of them again in the next one


class Pen:
    """Draws on a surface. Places are in pixels, sizes in units; `unit` is how many pixels one has.

    Make one for each surface; that costs next to nothing, as fonts and pictures of texts are shared.
    """

    surface: Surface
    theme: Theme
    unit: float

    def __init__(self, surface: Surface, theme: Theme | None = None) -> None:
        self.surface, self.theme = surface, theme or Theme()
        width, height = surface.get_size()
        self.unit = max(min(width / WIDE, height / HIGH), LEAST)

    def px(self, units: float) -> int:
        """Return *units* in whole pixels, at least one."""
        return max(round(units * self.unit), 1)

    def height(self, size: float) -> int:
        """Return the height of a line of text of that size, in pixels."""
        return _font(self.theme.font, self._points(size)).get_linesize()

    def width(self, text: str, size: float) -> int:
        """Return how wide a text is, in pixels."""
        return _font(self.theme.font, self._points(size)).size(text)[0]

    def _points(self, size: float) -> int:
        return max(round(size * self.unit), 10)

    def cut(self, text: str, size: float, width: int) -> str:
        """Return *text* as far as it has room in *width* pixels, with "…" where something is left out."""
        if self.width(text, size) <= width:
            return text
        while text and self.width(f"{text}…", size) > width:
            text = text[:-1]
        return f"{text.rstrip()}…"

    def wrapped(self, text: str, size: float, width: int, most: int = 99) -> list[str]:
        """Return *text* in lines of at most *width* pixels, and at most so many; a longer one ends in "…"."""
        lines: list[str] = []
        for part in text.splitlines():
            line = ""
            for word in part.split():
                longer = f"{line} {word}" if line else word
                if line and self.width(longer, size) > width:
                    lines.append(line)
                    longer = word
                line = longer
            lines.append(line)
        if len(lines) > most:
            lines = [*lines[: most - 1], " ".join(lines[most - 1 :])]
        return [self.cut(line, size, width) for line in lines]

    def text(
        self,
        text: str,
        at: Point,
        *,
        size: float = 0,
        colour: Colour | None = None,
        anchor: Anchor = "topleft",
        alpha: float = 1.0,
        width: int = 0,
        edge: bool = False,
    ) -> Rect:
        """Write *text* with its *anchor* at a place, cut at *width* pixels if given, and return where it is.

        With *edge* its letters have a dark edge, to be read over anything.
        """
        size = size or self.theme.normal
        shown = self.cut(text, size, width) if width else text
        picture = _written(
            self.theme.font,
            self._points(size),
            shown,
            colour or self.theme.text,
            self.theme.back if edge else None,
        )
        where = picture.get_rect(**{anchor: (round(at[0]), round(at[1]))})
        if alpha < 1:
            picture.set_alpha(round(255 * max(alpha, 0.0)))
            self.surface.blit(picture, where)
            picture.set_alpha(255)
        else:
            self.surface.blit(picture, where)
        return where

    def box(self, rect: Rect, *, line: Colour | None = None, solid: bool = False) -> None:
        """Draw a ground for what stands on it, with a thin line around; the game is seen through it a little,
        unless it is *solid*."""
        radius = self.px(6)
        alpha = 255 if solid else round(255 * self.theme.opacity)
        ground = _ground(rect.size, self.theme.back, alpha, radius)
        self.surface.blit(ground, rect)
        pygame.draw.rect(self.surface, line or self.theme.line, rect, max(self.px(1), 1), radius)

    def hatch(self, rect: Rect, colour: Colour) -> None:
        """Draw slanted lines over a rectangle."""
        clip = self.surface.get_clip()
        self.surface.set_clip(rect.clip(clip))
        step = self.px(8)
        for x in range(rect.left - rect.height, rect.right, step):
            pygame.draw.line(self.surface, colour, (x, rect.bottom), (x + rect.height, rect.top), self.px(2))
        self.surface.set_clip(clip)

    def dot(self, centre: Point, radius: float, colour: Colour) -> None:
        """Draw a filled circle, its *radius* in units."""
        self._put(dot(self.px(radius), colour), centre)

    def star(self, centre: Point, radius: float, state: str) -> None:
        """Draw a star: filled where it is "earned", half where it is "next", hollow where it is "missing"."""
        colour = self.theme.dim if state == "missing" else self.theme.accent
        self._put(star(round(radius), state, colour), centre)

    def heart(self, centre: Point, radius: float, colour: Colour) -> None:
        """Draw a heart."""
        self._put(heart(round(radius), colour), centre)

    def check(self, centre: Point, radius: float, colour: Colour) -> None:
        """Draw a check mark."""
        self._put(check_shape(round(radius), colour), centre)

    def gauge(self, centre: Point, radius: float, fraction: float, colour: Colour) -> None:
        """Draw a round gauge that is filled clockwise from the top, as far as *fraction*."""
        share = min(max(round(fraction * 60), 0), 60)
        self._put(gauge(round(radius), share, colour, self.theme.back, self.theme.line), centre)

    def _put(self, picture: Surface, centre: Point) -> None:
        self.surface.blit(picture, picture.get_rect(center=(round(centre[0]), round(centre[1]))))

    def lines(
        self, texts: Sequence[str], at: Point, *, size: float = 0, colour: Colour | None = None
    ) -> Rect:
        """Write lines one under another, and return where they are."""
        size = size or self.theme.normal
        high, wide = self.height(size), 0
        for number, text in enumerate(texts):
            found = self.text(text, (at[0], at[1] + number * high), size=size, colour=colour)
            wide = max(wide, found.width)
        return Rect(round(at[0]), round(at[1]), wide, high * len(texts))


@lru_cache(maxsize=64)
def _font(path: str, points: int) -> pygame.font.Font:
    pygame.font.init()
    # pygame's own font is made smaller by this factor than a file of the same size.
    return pygame.font.Font(path or None, points if path else round(points / 0.6875))


@lru_cache(maxsize=_KEPT)
def _written(path: str, points: int, text: str, colour: Colour, edge: Colour | None) -> Surface:
    font = _font(path, points)
    written = font.render(text, True, colour)
    if edge is None:
        return written
    wide = max(points // 12, 1)
    under = font.render(text, True, edge)
    picture = Surface((written.get_width() + 2 * wide, written.get_height() + 2 * wide), pygame.SRCALPHA)
    for x in range(2 * wide + 1):
        for y in range(2 * wide + 1):
            picture.blit(under, (x, y))
    picture.blit(written, (wide, wide))
    return picture


@lru_cache(maxsize=128)
def _ground(size: tuple[int, int], colour: Colour, alpha: int, radius: int) -> Surface:
    picture = Surface(size, pygame.SRCALPHA)
    pygame.draw.rect(picture, (*colour, alpha), picture.get_rect(), 0, radius)
    return picture
