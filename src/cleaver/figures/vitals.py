"""Figures of vitals: a sheet of bars in every condition, and a hit as a waterfall. Start at `bar_sheet`."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

from cleaver.core.kernel.results import HitResult
from cleaver.figures import drawing
from cleaver.hud.vitals.bar import Bar
from cleaver.rounding import shown

_COLOURS = {"normal": drawing.GREEN, "over": drawing.SKY, "empty": drawing.GREY}


def bar_sheet(bars: Iterable[tuple[str, Bar]], path: str | Path, *, title: str = "Bars") -> Path:
    """Draw bars with what each is, one a row: the filled part, the ghost hatched, shields beyond, cells cut,
    label and role beside it.

    Args:
        bars: (what it shows, the bar) pairs, at most a dozen.
        path: The PNG to write.
        title: The heading.
    """
    rows = list(bars)
    figure = drawing.figure(title, left=0.17, right=0.8, bottom=0.06, top=0.9)
    axes = figure.subplots()
    for row, (what, bar) in enumerate(rows):
        _draw_bar(axes, len(rows) - 1 - row, what, bar)
    axes.set_xlim(-0.004, 1.004)
    axes.set_ylim(-0.6, len(rows) - 0.3)
    axes.axis("off")
    return drawing.save(figure, path)


def _draw_bar(axes: Any, y: float, what: str, bar: Bar) -> None:
    colour = _COLOURS.get(bar.role, drawing.ORANGE)
    axes.barh(y, 1, height=0.55, color="#f2f2f2", edgecolor=drawing.GREY, linewidth=1.2)
    if bar.ghost > bar.fraction:
        axes.barh(
            y,
            bar.ghost - bar.fraction,
            left=bar.fraction,
            height=0.55,
            color="white",
            edgecolor=drawing.RED,
            hatch="///",
            linewidth=0.5,
        )
    axes.barh(
        y,
        max(bar.fraction, 0.006) if bar.value > 0 else 0,
        height=0.55,
        color=colour,
        edgecolor="black",
        linewidth=0.8,
    )
    if bar.shield:
        axes.barh(
            y + 0.35, min(bar.shield, 1.0), height=0.13, color=drawing.BLUE, edgecolor="black", linewidth=0.6
        )
    for level in bar.meter.marks.values():
        axes.plot([level, level], [y - 0.33, y + 0.33], color="black", linewidth=1.2, linestyle=":")
    for cell in range(1, bar.meter.cell_count):
        axes.plot([cell / bar.meter.cell_count] * 2, [y - 0.27, y + 0.27], color="white", linewidth=1.6)
    axes.text(-0.015, y, what, ha="right", va="center", fontsize=12)
    note = "" if bar.role == "normal" else f"  {bar.role}"
    axes.text(
        1.015,
        y,
        f"{bar.text or bar.percent}{note}",
        ha="left",
        va="center",
        fontsize=12,
        fontweight="bold" if note else "normal",
    )


def waterfall(hit: HitResult, path: str | Path, *, title: str = "") -> Path:
    """Draw a hit step by step: what each factor and subtraction made of the amount, then where it went.

    Raises:
        MissingExtraError: matplotlib is not installed.
    """
    figure = drawing.figure(title or hit.explain(), bottom=0.12)
    axes = figure.subplots()
    labels, tops = _levels(hit)
    went = [
        (what, part, colour)
        for what, part, colour in (
            ("absorbed", hit.absorbed, drawing.BLUE),
            ("dealt", hit.dealt, drawing.RED),
            ("overkill", hit.overkill, drawing.GREY),
        )
        if part
    ]
    _draw_steps(axes, tops)
    _draw_parts(axes, [(part, colour) for _, part, colour in went], len(labels), max(tops) * 0.015)
    axes.set_xticks(range(len(labels) + len(went)), [*labels, *(what for what, _, _ in went)], fontsize=11)
    axes.set_ylabel("damage (points)", fontsize=12)
    axes.set_ylim(0, max(tops) * 1.12)
    drawing.tidy_axes(axes)
    return drawing.save(figure, path)


def _draw_steps(axes: Any, tops: list[float]) -> None:
    """Draw what each step of a hit made of the amount."""
    for index, top in enumerate(tops):
        before = tops[index - 1] if index else 0.0
        rising = top >= before
        axes.bar(
            index,
            abs(top - before),
            bottom=min(top, before),
            color=drawing.ORANGE if rising else drawing.GREEN,
            edgecolor="black",
            linewidth=0.8,
            hatch="" if rising else "\\\\\\",
            width=0.6,
        )
        axes.text(
            index,
            max(top, before) + max(tops) * 0.015,
            shown(top),
            ha="center",
            fontsize=12,
            fontweight="bold",
        )
        if index:
            axes.plot([index - 0.7, index - 0.3], [before, before], color=drawing.GREY, linewidth=1)


def _draw_parts(axes: Any, went: list[tuple[float, str]], first: int, gap: float) -> None:
    """Draw where the amount went, one part on the other."""
    base = 0.0
    for offset, (part, colour) in enumerate(went):
        axes.bar(first + offset, part, bottom=base, color=colour, edgecolor="black", linewidth=0.8, width=0.6)
        axes.text(first + offset, base + part + gap, shown(part), ha="center", fontsize=12, fontweight="bold")
        base += part


def _levels(hit: HitResult) -> tuple[list[str], list[float]]:
    """Return the label of each step of a hit and the amount after it."""
    labels: list[str] = []
    tops: list[float] = []
    level: float = 0
    for sign, number, what in hit.steps:
        level = {"×": level * number, "−": level - number}.get(sign, number)
        labels.append(f"{sign} {shown(number)}\n{what}" if sign else "amount")
        tops.append(max(level, 0))
    return labels, tops
