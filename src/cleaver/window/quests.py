"""Quests in a window: tracker, log, signs over givers, dialogue, toasts. Start at `draw_tracker`."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pygame
from pygame import Rect, Surface

from cleaver.core.handles import Actor
from cleaver.hud.quests.dialogue import Dialogue
from cleaver.hud.quests.errands import Toast, Tracker, quest_log
from cleaver.window.pen import Pen, Point

if TYPE_CHECKING:
    from cleaver.hud.quests.errands import Sign

_SIGNS = {"ready": "?", "offer": "!", "waiting": "…"}
_ANSWERS = {"accept": "accept", "turn_in": "turn in", "go_on": "go on"}
_MET, _WANTED = "✓", "·"


def draw_tracker(pen: Pen, tracker: Tracker, rect: Rect) -> Rect:
    """Draw a quest with its goals, those that are met checked, from the top of *rect*, as much as has room;
    return where it is."""
    theme = pen.theme
    title = f"{tracker.title}  {tracker.left}" if tracker.left else tracker.title
    goals = tracker.lines if tracker.quest.state == "active" else (f"{_WANTED} {tracker.next}",)
    inner = rect.inflate(-2 * pen.px(theme.gap), -2 * pen.px(6))
    indent, high = pen.px(18), pen.height(theme.small)
    lines: list[tuple[str, str]] = []  # the mark before it, "" where a line goes on, and the text
    for goal in goals:
        mark, text = (goal[0], goal[2:]) if goal[:1] in (_MET, _WANTED) else ("", goal.strip())
        for line in pen.wrapped(text, theme.small, inner.width - indent):
            lines.append((mark, line))
            mark = ""
    first = pen.height(theme.normal)
    room = (rect.height - first - 2 * pen.px(6)) // high
    if room < 1:
        return Rect(rect.topleft, (0, 0))
    lines = lines[:room]
    where = Rect(rect.x, rect.y, rect.width, first + high * len(lines) + 2 * pen.px(6))
    pen.box(where)
    pen.text(title, inner.topleft, colour=theme.accent, width=inner.width)
    for number, (mark, line) in enumerate(lines):
        y = inner.y + first + number * high
        side = (inner.x + indent // 2 - pen.px(2), y + high // 2)
        if mark == _MET:
            pen.check(side, pen.px(6), theme.role("heal"))
        elif mark:
            pygame.draw.circle(pen.surface, theme.dim, side, pen.px(3))
        pen.text(line, (inner.x + indent, y), size=theme.small, width=inner.width - indent)
    return where


def draw_log(pen: Pen, actor: Actor, rect: Rect) -> Rect:
    """Draw a player's quest log within *rect*: each quest with its state and goals, what can be done first
    stands first, as much as has room. Return *rect*."""
    theme = pen.theme
    pen.box(rect, solid=True)
    inner = rect.inflate(-2 * pen.px(16), -2 * pen.px(12))
    y = pen.text("Quests", inner.topleft, size=theme.large, colour=theme.accent).bottom + pen.px(6)
    normal, small = pen.height(theme.normal), pen.height(theme.small)
    for row in quest_log(actor):
        details = [*row.goals, *([row.next] if row.next and not row.goals else [])]
        if y + normal > inner.bottom:
            break
        state = pen.text(row.state, (inner.right, y), size=theme.small, colour=theme.dim, anchor="topright")
        pen.text(row.title, (inner.x, y), width=state.left - inner.x - pen.px(8))
        y += normal
        for line in details:
            if y + small > inner.bottom:
                break
            pen.text(line, (inner.x + pen.px(16), y), size=theme.small, width=inner.width - pen.px(16))
            y += small
        y += pen.px(6)
    return rect


def draw_sign(pen: Pen, sign: Sign, at: Point) -> Rect:
    """Draw what stands over a giver's head, with the middle of its lower edge at a place: "!" for an offer,
    "?" where something can be turned in, "…" where something is under way. Return where it is."""
    radius = pen.px(13)
    centre = (at[0], at[1] - radius)
    rect = Rect(round(at[0]) - radius, round(at[1]) - 2 * radius, 2 * radius, 2 * radius)
    if not sign:
        return Rect(rect.topleft, (0, 0))
    theme = pen.theme
    colour = theme.dim if sign == "waiting" else theme.accent
    pen.gauge(centre, radius, 1.0 if sign == "ready" else 0.0, colour)
    inside = theme.back if sign == "ready" else colour
    pen.text(_SIGNS[sign], centre, size=theme.normal, colour=inside, anchor="center")
    return rect


def draw_dialogue(pen: Pen, dialogue: Dialogue, rect: Rect, *, key: str = "") -> Rect:
    """Draw a dialogue at the bottom of *rect*: who speaks, as much of the line as has appeared, and the *key*
    that answers with what it does. Return where it is."""
    if not dialogue.open:
        return Rect(rect.bottomleft, (0, 0))
    theme, pad = pen.theme, pen.px(14)
    inner = rect.width - 2 * pad
    high, small = pen.height(theme.normal), pen.height(theme.small)
    whole = pen.wrapped(dialogue.text, theme.normal, inner)  # of the whole line, so that no word jumps
    needed = 2 * pad + high * (len(whole) + 1) + small
    where = Rect(rect.x, rect.bottom - min(needed, rect.height), rect.width, min(needed, rect.height))
    pen.box(where, line=theme.accent)
    x, y = where.x + pad, where.y + pad
    who = pen.text(dialogue.giver.replace("_", " "), (x, y), colour=theme.accent, width=inner // 2)
    pen.text(
        dialogue.title,
        (where.right - pad, y),
        size=theme.small,
        colour=theme.dim,
        anchor="topright",
        width=inner - who.width - pad,
    )
    left = len(dialogue.typed)
    for number, line in enumerate(whole):
        pen.text(line[: max(left, 0)], (x, y + high * (number + 1)))
        left -= len(line) + 1
    answer = f"{key}: {_ANSWERS[dialogue.answer]}" if key and dialogue.answer else ""
    if dialogue.refused:
        answer = f"not now: {dialogue.refused.replace('_', ' ')}"
    colour = theme.problem if dialogue.refused else theme.dim
    at = (where.right - pad, where.bottom - pad // 2)
    pen.text(answer, (at[0], at[1] - small), size=theme.small, colour=colour, anchor="topright", width=inner)
    return where


def draw_toast(pen: Pen, toast: Toast, rect: Rect) -> Rect:
    """Draw a toast at the top of *rect*, in its middle: a star, a title with its rank, and a text, faded by
    its alpha. Return where it is."""
    theme = pen.theme
    title = f"{toast.title} ({toast.rank})" if toast.rank else toast.title
    pad, first, small = pen.px(10), pen.height(theme.normal), pen.height(theme.small)
    icon = first
    texts = max(pen.width(title, theme.normal), pen.width(toast.text, theme.small) if toast.text else 0)
    wide = min(icon + texts + 3 * pad, rect.width)
    high = first + (small if toast.text else 0) + 2 * pad
    where = Rect(rect.centerx - wide // 2, rect.y, wide, high)
    # It fades as a whole: on a picture of its own, which is then laid over.
    own = Pen(Surface(where.size, pygame.SRCALPHA), theme)
    own.unit = pen.unit
    own.box(own.surface.get_rect(), line=theme.accent)
    own.star((pad + icon / 2, high / 2), icon / 2, "earned")
    room = wide - icon - 3 * pad
    own.text(title, (icon + 2 * pad, pad), colour=theme.accent, width=room)
    if toast.text:
        own.text(toast.text, (icon + 2 * pad, pad + first), size=theme.small, width=room)
    own.surface.set_alpha(round(255 * toast.alpha))
    pen.surface.blit(own.surface, where)
    return where
