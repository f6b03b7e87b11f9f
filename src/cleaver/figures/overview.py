"""Overview: what a design's numbers come to, as one page of small charts. Start at `overview`."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from cleaver.figures import drawing
from cleaver.figures.numbers import Numbers
from cleaver.rounding import counted, shown

MOST_BARS = 9  # in one panel, so that labels stay readable

Bars = list[tuple[str, float, str, str]]
"""Label, length, what is written at the end, colour."""


def overview(numbers: Numbers, path: str | Path, *, title: str = "") -> Path:
    """Draw the numbers of a design as a page of small charts, 1280 × 800; what a design does not have is left
    out."""
    panels: list[tuple[str, str, Callable[[Any], None]]] = []
    for heading, unit, bars in (
        ("Time to defeat", "seconds", _fights(numbers)),
        ("Meters that flow", "seconds", _courses(numbers)),
        ("Income by the clock", "a minute", _incomes(numbers)),
        ("Prices", "minutes of the best income", _prices(numbers)),
        ("Stars", "needed", _stars(numbers)),
    ):
        if bars:
            panels.append((heading, unit, lambda axes, bars=bars: _draw_bars(axes, bars)))  # type: ignore[misc]
    if numbers.levels:
        panels.append(("Levels", "level", lambda axes: _draw_levels(axes, numbers)))
    figure = drawing.figure(
        f"{title}: what the numbers come to" if title else "What the numbers come to",
        left=0.14,
        right=0.965,
        bottom=0.085,
        top=0.87,
        wspace=0.62,
        hspace=0.42,
    )
    columns = max(min(len(panels), 2), 1) if len(panels) <= 4 else 3
    rows = -(-len(panels) // columns) or 1
    for index, (heading, unit, draw) in enumerate(panels):
        axes = figure.add_subplot(rows, columns, index + 1)
        draw(axes)
        axes.set_title(heading, fontsize=13, fontweight="bold", loc="left")
        axes.set_xlabel(unit, fontsize=11)
    if not panels:
        figure.text(0.5, 0.5, "nothing here fights, flows, earns or is rated", ha="center", fontsize=14)
    return drawing.save(figure, path)


def _fights(numbers: Numbers) -> Bars:
    found = [
        (
            f"{fight.attacker} {fight.attack}\n→ {fight.target}",
            fight.seconds or 0.0,
            counted(fight.hits, "hit") if fight.hits is not None else "never",
            drawing.BLUE if fight.hits is not None else drawing.GREY,
        )
        for fight in numbers.fights
    ]
    return found[:MOST_BARS]


def _courses(numbers: Numbers) -> Bars:
    return [
        (
            f"{course.kind}'s {course.meter}\n{course.condition or course.ends}",
            course.seconds,
            f"{shown(round(course.seconds, 1))} s to {course.ends}",
            drawing.GREEN if course.rate > 0 else drawing.RED,
        )
        for course in numbers.courses
    ][:MOST_BARS]


def _incomes(numbers: Numbers) -> Bars:
    return [
        (
            f"{income.source}\n{income.good}",
            income.per_minute,
            shown(round(income.per_minute, 1)),
            drawing.ORANGE,
        )
        for income in numbers.incomes
        if income.per_minute
    ][:MOST_BARS]


def _prices(numbers: Numbers) -> Bars:
    return [
        (price.exchange.replace("_", " "), price.minutes, f"{shown(round(price.minutes, 2))}", drawing.PURPLE)
        for price in numbers.prices
        if price.minutes is not None
    ][:MOST_BARS]


def _stars(numbers: Numbers) -> Bars:
    return [
        (f"{step.name.replace('_', ' ')} {'★' * step.step}", step.needs, shown(step.needs), drawing.YELLOW)
        for step in numbers.stars
    ][:MOST_BARS]


def _draw_bars(axes: Any, bars: Bars) -> None:
    most = max((length for _, length, _, _ in bars), default=0.0) or 1.0
    for y, (_, length, text, colour) in enumerate(bars[::-1]):
        axes.barh(y, length, color=colour, edgecolor="black", linewidth=0.6, height=0.6)
        axes.text(length + most * 0.03, y, text, va="center", fontsize=10)
    axes.set_yticks(range(len(bars)), [label.replace("_", " ") for label, _, _, _ in bars[::-1]])
    axes.set_xlim(0, most * 1.6)
    spare = max(3 - len(bars), 0) / 2
    axes.set_ylim(-0.6 - spare, len(bars) - 0.4 + spare)
    drawing.tidy_axes(axes)
    axes.tick_params(axis="y", labelsize=10)


def _draw_levels(axes: Any, numbers: Numbers) -> None:
    for index, name in enumerate(dict.fromkeys(step.name for step in numbers.levels)):
        steps = [step for step in numbers.levels if step.name == name]
        axes.plot(
            [1, *(step.step for step in steps)],
            [0, *(step.total for step in steps)],
            marker="osD^v*"[index % 6],
            color=drawing.SERIES[index % 6],
            label=name,
            linestyle=drawing.DASHES[index % 4],
        )
        last = steps[-1]
        time = (
            f"\n{shown(round(last.seconds / 60, 1))} min at the fastest" if last.seconds is not None else ""
        )
        axes.annotate(
            f"{shown(last.total)}{time}",
            (last.step, last.total),
            ha="right",
            va="bottom",
            xytext=(-8, -6),
            textcoords="offset points",
            fontsize=10,
        )
    axes.set_ylabel("experience in all", fontsize=11)
    axes.set_ylim(0, max(step.total for step in numbers.levels) * 1.15)
    axes.xaxis.get_major_locator().set_params(integer=True)
    axes.legend(fontsize=10, frameon=False, loc="lower right")
    drawing.tidy_axes(axes)
