"""Gear, abilities and a shop in a window, as lists. Start at `draw_worn`."""

from __future__ import annotations

from collections.abc import Iterable

from pygame import Rect

from cleaver.core.handles import Actor
from cleaver.hud.drawn import clock_text
from cleaver.hud.gear import abilities, shop, worn
from cleaver.rounding import shown
from cleaver.window.lists import Line, draw_list
from cleaver.window.pen import Pen


def draw_worn(pen: Pen, actor: Actor, rect: Rect, *, title: str = "Gear") -> Rect:
    """Draw what an actor wears within *rect*: each slot with what is in it, and what of the bag fits. Return
    *rect*."""

    def lines() -> Iterable[Line]:
        for slot in worn(actor):
            there = ", ".join(_words(item) for item in slot.items) or "—"
            fits = ", ".join(_words(item) for item in slot.fits)
            yield _words(slot.slot), there, f"fits: {fits}" if fits else "", 1.0

    return draw_list(pen, title, lines(), rect)


def draw_abilities(pen: Pen, actor: Actor, rect: Rect, *, title: str = "Abilities") -> Rect:
    """Draw an actor's abilities within *rect*: each with its costs, and how long it rests, or why it cannot
    be used. Return *rect*."""

    def lines() -> Iterable[Line]:
        for row in abilities(actor):
            left = f"{row.left:.1f} s" if row.unit == "seconds" else clock_text(row.left, row.unit)
            why = left if row.left else _words(row.blocked) or "ready"
            yield row.title, why, _goods(row.costs), row.fraction if not row.blocked or row.left else 0.0

    return draw_list(pen, title, lines(), rect)


def draw_shop(pen: Pen, actor: Actor, rect: Rect, *, title: str = "Shop") -> Rect:
    """Draw what an actor can have within *rect*: each exchange with its price, and what is missing or why
    not. Return *rect*."""

    def lines() -> Iterable[Line]:
        for row in shop(actor):
            left = "" if row.stock is None else f"  {row.stock} left"
            why = f"{_goods(row.missing)} missing" if row.missing else _words(row.blocked)
            yield row.title, _goods(row.price), f"{why}{left}".strip(), 0.0 if row.blocked else 1.0

    return draw_list(pen, title, lines(), rect)


def _goods(amounts: dict[str, int] | dict[str, float]) -> str:
    return ", ".join(f"{shown(amount)} {_words(good)}" for good, amount in amounts.items())


def _words(name: str) -> str:
    return name.replace("_", " ")
