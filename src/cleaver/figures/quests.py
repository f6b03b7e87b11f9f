"""Quests as a map: what leads to what, with goals and rewards. Start at `quest_map`."""

from __future__ import annotations

import re
from itertools import pairwise
from pathlib import Path
from textwrap import shorten
from typing import Any

from cleaver.design import models
from cleaver.design.design import Design
from cleaver.figures import drawing
from cleaver.figures.layers import laid_out
from cleaver.rounding import counted

SIZES = (11, 10, 9, 8, 7, 6.5)  # of the letters, in points: the largest with which all fit on the page
LETTERS = 34  # in a line at most
MOST = 4  # goals that are listed
DOT = 100 / 72  # dots in a point
MARGIN, ABOVE, BELOW = 16, 60, 40  # dots left free
PAGE = (1280 - 2 * MARGIN, 800 - ABOVE - BELOW)
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


def quest_map(design: Design, path: str | Path, *, title: str = "") -> Path:
    """Draw the quests of a design: a box each with its goals and reward, an arrow from each to those that
    need it.

    At 1280×800 readable for about thirty quests; the picture grows where there are more.

    Raises:
        MissingExtraError: matplotlib is not installed.
    """
    from matplotlib.patches import FancyArrowPatch, FancyBboxPatch  # heavy, as all of matplotlib
    from matplotlib.path import Path as Line

    needs = leads(design)
    quests = design.tables.quests
    for size in SIZES:
        boxes = {name: _Box(name, quest, size) for name, quest in quests.items()}
        placed = laid_out(
            {name: (box.width, box.height) for name, box in boxes.items()},
            needs,
            across=5.5 * size,
            beside=1.6 * size,
            most=PAGE[1],
        )
        if placed.width <= PAGE[0] and placed.height <= PAGE[1]:
            break
    wide, tall = max(PAGE[0], placed.width) + 2 * MARGIN, max(PAGE[1], placed.height) + ABOVE + BELOW
    figure = drawing.figure(
        title or f"{design.title}: {counted(len(needs), 'quest')}",
        size=(wide / 100, tall / 100),
        **dict.fromkeys(("left", "bottom"), 0.0),
        **dict.fromkeys(("right", "top"), 1.0),
    )
    axes = figure.add_axes((0, 0, 1, 1))
    axes.axis("off")
    axes.set_xlim(0, wide)
    axes.set_ylim(tall, 0)
    left, top = (wide - placed.width) / 2, ABOVE + (tall - ABOVE - BELOW - placed.height) / 2
    for points in placed.arrows.values():
        line = [(x + left, y + top) for x, y in points]
        axes.add_patch(
            FancyArrowPatch(
                path=_bent(line, Line),
                arrowstyle="-|>,head_length=5,head_width=2.5",
                color=drawing.GREY,
                linewidth=1.3,
                zorder=1,
            )
        )
    for name, (x, y) in placed.middles.items():
        boxes[name].draw(axes, x + left, y + top, FancyBboxPatch)
    legend = "blue: turned in   green: completes by itself   dashed: repeats   ◦ optional   → reward"
    figure.text(1 - MARGIN / wide, 12 / tall, legend, ha="right", fontsize=9, color=drawing.GREY)
    return drawing.save(figure, path)


def _bent(points: list[tuple[float, float]], line: Any) -> Any:
    """Return a path through points that leaves and arrives level, so that arrows are told apart."""
    codes, found = [line.MOVETO], [points[0]]
    for (x, y), (to_x, to_y) in pairwise(points):
        half = (to_x - x) / 2
        found += [(x + half, y), (to_x - half, to_y), (to_x, to_y)]
        codes += [line.CURVE4] * 3
    return line(found, codes)


class _Box:
    """A quest as text in a box, measured."""

    def __init__(self, name: str, quest: models.Quest, size: float) -> None:
        from matplotlib.font_manager import FontProperties  # slow to import, and few need it
        from matplotlib.textpath import text_to_path

        lines = [f"{'◦' if goal.optional else '•'} {_goal(goal)}" for goal in quest.goals]
        lines = lines[:MOST] + ([f"  and {len(lines) - MOST} more"] if len(lines) > MOST else [])
        reward = ", ".join(_effect(effect) for effect in quest.reward) or "no reward"
        other = [need for need in quest.needs if not _QUEST.search(need)]
        lines += [f"→ {reward}"]
        lines += [f"needs {' and '.join(other)}".replace("self.", "")] if other else []
        self.quest, self.size = quest, size
        self.title = shorten(quest.title or name.replace("_", " "), LETTERS - 6, placeholder="…")
        self.lines = [shorten(line, LETTERS, placeholder="…") for line in lines]

        def width(text: str, bold: bool) -> float:
            font = FontProperties(size=size + bold, weight="bold" if bold else "normal")
            return float(text_to_path.get_text_width_height_descent(text, font, False)[0]) * DOT

        self.width = (
            1.04 * max(width(self.title, True), *(width(line, False) for line in self.lines)) + 2 * size
        )
        self.step = size * DOT * 1.32
        self.height = self.step * (len(self.lines) + 1.15) + size

    def draw(self, axes: Any, x: float, y: float, patch: Any) -> None:
        """Draw it with its middle there, in dots from the top left corner."""
        left, top = x - self.width / 2, y - self.height / 2
        axes.add_patch(
            patch(
                (left, top),
                self.width,
                self.height,
                boxstyle="round,pad=0,rounding_size=5",
                facecolor="#f3f4f1",
                edgecolor=drawing.GREEN if self.quest.finish == "auto" else drawing.BLUE,
                linewidth=1.8,
                linestyle="--" if self.quest.repeat is not None else "-",
                zorder=2,
            )
        )
        look = {"va": "top", "zorder": 3}
        left, top = left + self.size, top + self.size * 0.5
        axes.text(left, top, self.title, fontsize=self.size + 1, fontweight="bold", **look)
        for number, line in enumerate(self.lines):
            axes.text(left, top + (number + 1.15) * self.step, line, fontsize=self.size, **look)


def _goal(goal: models.Goal) -> str:
    what = goal.text or (f"{goal.on} {goal.of or ''}".strip() if goal.on else f"hold {goal.hold}").replace(
        "_", " "
    )
    return f"{what}{f' ×{goal.count}' if goal.count not in (None, 1) else ''}"


def _effect(effect: models.Effect) -> str:
    amount = effect.beside.get("amount", "")
    operand = effect.operand if isinstance(effect.operand, str) else f"{effect.verb} {effect.operand:g}"
    return f"{amount} {operand}".strip().replace("_", " ")
