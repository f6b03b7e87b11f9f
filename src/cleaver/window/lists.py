"""Lists in a window: a title, and lines with something at their end. Start at `draw_list`."""

from __future__ import annotations

from collections.abc import Iterable

from pygame import Rect

from cleaver.window.pen import Pen
from cleaver.window.theme import Colour

Line = tuple[str, str, str, float]
"""A line of a list: what it is, what stands at its end, a smaller line below, how far it is (1: ready)."""


def draw_list(pen: Pen, title: str, lines: Iterable[Line], rect: Rect) -> Rect:
    """Draw a titled list within *rect*, as many of its lines as there is room for. Return *rect*."""
    theme = pen.theme
    pen.box(rect, solid=True)
    inner = rect.inflate(-2 * pen.px(16), -2 * pen.px(12))
    y = pen.text(title, inner.topleft, size=theme.large, colour=theme.accent).bottom + pen.px(6)
    normal, small = pen.height(theme.normal), pen.height(theme.small)
    for name, end, below, far in lines:
        if y + normal + (small if below else 0) > inner.bottom:
            break
        colour: Colour = theme.text if far >= 1 else theme.dim
        room = inner.width * 3 // 5
        where = pen.text(end, (inner.right, y), colour=colour, anchor="topright", width=room)
        pen.text(name, (inner.x, y), colour=colour, width=where.left - inner.x - pen.px(8))
        y += normal
        if below:
            indent = pen.px(16)
            pen.text(
                below, (inner.x + indent, y), size=theme.small, colour=theme.dim, width=inner.width - indent
            )
            y += small
        y += pen.px(6)
    return rect
