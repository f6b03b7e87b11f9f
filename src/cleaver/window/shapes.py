"""Shapes: small pictures with smooth edges, drawn once for each size and colour.

They are drawn four times as large and scaled down, since pygame's own shapes have hard edges. Each function
returns a picture that others share: do not draw on it. Start at `star`.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from math import cos, pi, sin

import pygame
from pygame import Surface

from cleaver.window.theme import Colour

_FINER = 4


def _smooth(radius: int, paint: Callable[[Surface, float, float], None]) -> Surface:
    """Return a picture that *paint* draws, given a surface, its middle, and the radius there."""
    size = 2 * radius + 4
    large = Surface((size * _FINER, size * _FINER), pygame.SRCALPHA)
    paint(large, size * _FINER / 2, radius * _FINER)
    return pygame.transform.smoothscale(large, (size, size))


@lru_cache(maxsize=128)
def star(radius: int, state: str, colour: Colour) -> Surface:
    """Return a star: filled where it is "earned", its left half where it is "next", else hollow."""

    def paint(surface: Surface, middle: float, far: float) -> None:
        reach = [far if number % 2 == 0 else far * 0.45 for number in range(10)]
        points = [
            (middle + reach[number] * sin(number * pi / 5), middle - reach[number] * cos(number * pi / 5))
            for number in range(10)
        ]
        if state == "earned":
            pygame.draw.polygon(surface, colour, points)
        elif state == "next":
            pygame.draw.polygon(surface, colour, [points[0], *points[5:]])
        pygame.draw.lines(surface, colour, True, points, max(round(far * 0.12), _FINER))

    return _smooth(radius, paint)


@lru_cache(maxsize=128)
def dot(radius: int, colour: Colour) -> Surface:
    """Return a filled circle."""

    def paint(surface: Surface, middle: float, far: float) -> None:
        pygame.draw.circle(surface, colour, (middle, middle), far)

    return _smooth(radius, paint)


@lru_cache(maxsize=32)
def heart(radius: int, colour: Colour) -> Surface:
    """Return a heart."""

    def paint(surface: Surface, middle: float, far: float) -> None:
        for side in (-1, 1):
            centre = (middle + side * far * 0.47, middle - far * 0.32)
            pygame.draw.circle(surface, colour, centre, far * 0.53)
        low = middle - far * 0.08
        points = ((middle - far * 0.94, low), (middle + far * 0.94, low), (middle, middle + far * 0.95))
        pygame.draw.polygon(surface, colour, points)

    return _smooth(radius, paint)


@lru_cache(maxsize=32)
def check_shape(radius: int, colour: Colour) -> Surface:
    """Return a check mark."""

    def paint(surface: Surface, middle: float, far: float) -> None:
        points = (
            (middle - far * 0.8, middle),
            (middle - far * 0.25, middle + far * 0.6),
            (middle + far * 0.85, middle - far * 0.7),
        )
        pygame.draw.lines(surface, colour, False, points, max(round(far * 0.35), _FINER))

    return _smooth(radius, paint)


@lru_cache(maxsize=512)
def gauge(radius: int, sixtieths: int, colour: Colour, back: Colour, line: Colour) -> Surface:
    """Return a round gauge that is filled clockwise from the top, as far as so many sixtieths."""

    def paint(surface: Surface, middle: float, far: float) -> None:
        pygame.draw.circle(surface, back, (middle, middle), far)
        if sixtieths:
            turns = [2 * pi * step / 60 for step in range(sixtieths + 1)]
            edge = [(middle + far * sin(turn), middle - far * cos(turn)) for turn in turns]
            pygame.draw.polygon(surface, colour, [(middle, middle), *edge])
        pygame.draw.circle(surface, line, (middle, middle), far, max(round(far * 0.12), _FINER))

    return _smooth(radius, paint)
