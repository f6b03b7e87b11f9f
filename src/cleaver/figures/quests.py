"""Quests as a map: what leads to what, with goals and rewards. Start at `quest_map`."""

from __future__ import annotations

import re
from pathlib import Path
from textwrap import shorten
from typing import Any

from cleaver.design import models
from cleaver.design.design import Design
from cleaver.figures import drawing

_QUEST = re.compile(r"quest\.(\w+)")


def leads(design: Design) -> dict[str, tuple[str, ...]]:
    """Return the quests that each quest's needs ask about, in the order of the design."""
    quests = design.tables.quests
    asked = {
        name: {other for need in quest.needs for other in _QUEST.findall(need)}
        for name, quest in quests.items()
    }
    return {
        name: tuple(other for other in quests if other != name and other in asked[name]) for name in quests
    }


def columns(needs: dict[str, tuple[str, ...]]) -> list[list[str]]:
    """Return the quests by how many must come before: those that need none first; a circle ends where it
    closes."""
    depth: dict[str, int] = {}

    def depth_of(name: str, trail: tuple[str, ...] = ()) -> int:
        if name in trail:
            return 0
        if name not in depth:
            depth[name] = max(
                (1 + depth_of(other, (*trail, name)) for other in needs.get(name, ())), default=0
            )
        return depth[name]

    for name in needs:
        depth_of(name)
    found = [
        [name for name in needs if depth[name] == level]
        for level in range(max(depth.values(), default=-1) + 1)
    ]
    place: dict[str, float] = {}
    for column in found:  # each below those it needs, so that few arrows cross
        column.sort(
            key=lambda name: (
                sum(place.get(other, 0.5) for other in needs[name]) / max(len(needs[name]), 1)
                if needs[name]
                else 0.5
            )
        )
        place |= {name: (row + 0.5) / len(column) for row, name in enumerate(column)}
    return found


def quest_map(design: Design, path: str | Path, *, title: str = "") -> Path:
    """Draw the quests of a design: a box each with its goals and reward, an arrow from each to those that
    need it.

    Readable at 1280×800 for about thirty quests; long columns are laid side by side.
    """
    needs = leads(design)
    placed: list[list[str]] = []
    for column in columns(needs):
        placed += [column[start : start + 7] for start in range(0, len(column), 7)]
    figure = drawing.figure(
        title or f"{design.title}: {len(needs)} quests", left=0.01, right=0.99, bottom=0.03, top=0.94
    )
    axes = figure.subplots()
    axes.axis("off")
    width, tallest = max(len(placed), 1), max((len(column) for column in placed), default=1)
    axes.set_xlim(0, width)
    axes.set_ylim(0, tallest)
    size = 8.5 if width <= 5 else 7.5
    if width <= 4 and tallest <= 4:
        size = 10
    where: dict[str, tuple[float, float]] = {}
    for place, column in enumerate(placed):
        for row, name in enumerate(column):
            where[name] = (place + 0.5, tallest - (row + 0.5) * tallest / len(column))
    for name, before in needs.items():
        for other in before:
            _arrow(axes, where[other], where[name])
    for name, (x, y) in where.items():
        _box(axes, name, design.tables.quests[name], x, y, size, 6.6 / width if width > 6 else 1.1, tallest)
    legend = "blue: turned in   green: completes by itself   dashed: repeats   ◦ optional   → reward"
    figure.text(0.99, 0.012, legend, ha="right", fontsize=9, color=drawing.GREY)
    return drawing.save(figure, path)


def _arrow(axes: Any, begin: tuple[float, float], end: tuple[float, float]) -> None:
    axes.annotate(
        "",
        xy=(end[0] - 0.41, end[1]),
        xytext=(begin[0] + 0.41, begin[1]),
        zorder=1,
        arrowprops={
            "arrowstyle": "-|>",
            "color": drawing.GREY,
            "linewidth": 1.2,
            "connectionstyle": "arc3,rad=0.0",
        },
    )


def _box(
    axes: Any, name: str, quest: models.Quest, x: float, y: float, size: float, wide: float, rows: int
) -> None:
    from matplotlib.patches import FancyBboxPatch  # heavy, as all of matplotlib

    most = 4 if rows <= 5 else 2
    lines = [f"{'◦' if goal.optional else '•'} {_goal(goal)}" for goal in quest.goals]
    lines = lines[:most] + ([f"  and {len(lines) - most} more"] if len(lines) > most else [])
    reward = ", ".join(_effect(effect) for effect in quest.reward) or "no reward"
    other = [need for need in quest.needs if not _QUEST.search(need)]
    letters = int(wide * 215 / size)
    text = [shorten(line, letters, placeholder="…") for line in (*lines, f"→ {reward}")]
    text += (
        [shorten(f"needs {' and '.join(other)}".replace("self.", ""), letters, placeholder="…")]
        if other
        else []
    )
    dot = rows / 728  # one dot of the picture, in rows
    heading, step = (size + 1) * 1.39 * 1.35 * dot, size * 1.39 * 1.28 * dot
    height, half = heading + step * len(text) + 9 * dot, 0.42
    axes.add_patch(
        FancyBboxPatch(
            (x - half, y - height / 2),
            2 * half,
            height,
            boxstyle="round,pad=0,rounding_size=0.03",
            facecolor="#f3f4f1",
            edgecolor=drawing.GREEN if quest.finish == "auto" else drawing.BLUE,
            linewidth=1.8,
            linestyle="--" if quest.repeat is not None else "-",
            zorder=2,
        )
    )
    top = y + height / 2 - 4 * dot
    title = shorten(quest.title or name.replace("_", " "), int(letters * 0.82), placeholder="…")
    axes.text(
        x - half + 0.02,
        top,
        title,
        fontsize=size + (1 if len(title) <= 18 else 0),  # a long title stays within its box
        fontweight="bold",
        va="top",
        zorder=3,
    )
    for number, line in enumerate(text):
        axes.text(x - half + 0.02, top - heading - number * step, line, fontsize=size, va="top", zorder=3)


def _goal(goal: models.Goal) -> str:
    what = goal.text or (f"{goal.on} {goal.of or ''}".strip() if goal.on else f"hold {goal.hold}").replace(
        "_", " "
    )
    return f"{what}{f' ×{goal.count}' if goal.count not in (None, 1) else ''}"


def _effect(effect: models.Effect) -> str:
    amount = effect.beside.get("amount", "")
    operand = effect.operand if isinstance(effect.operand, str) else f"{effect.verb} {effect.operand:g}"
    return f"{amount} {operand}".strip().replace("_", " ")
