"""Lab: what many plays came to, drawn — a page of a run, and a figure for each question.

Start at `page`.
"""

from __future__ import annotations

from collections.abc import Mapping
from math import isfinite
from pathlib import Path
from typing import Any

import numpy as np

from cleaver.figures.drawing import BLUE, DASHES, GREY, ORANGE, RED, SERIES, SKY, figure, save, tidy_axes
from cleaver.lab import Levers, Measured, Page, Run, Solved, Survival, Swept
from cleaver.lab.answers import curves_of, fan_of
from cleaver.lab.sessions import Floats, Sessions

MOST_ROWS = 12
ON_PAGE = 7  # levers on a page


def page(found: Page, path: Path) -> Path:
    """Draw the page of a run: a measure by kind of player, still-alive curves, a fan over time, who has done
    something by when, what moves the measure, and how it goes over the strongest number."""
    run = found.run
    shape = run.sessions.shape
    times = [name for name, kind in zip(shape.measures, shape.kinds, strict=True) if kind == "time"]
    numbers = [name for name, kind in zip(shape.measures, shape.kinds, strict=True) if kind == "number"]
    made = figure(found.title, hspace=0.42, top=0.87, wspace=0.3, bottom=0.09, left=0.07)
    made.text(
        0.5, 0.925, f"{len(run.sessions):,} sessions, seed {run.seed}", ha="center", fontsize=11, color=GREY
    )
    grid = made.subplots(2, 3).ravel()
    _by_kind(grid[0], run, found.measure, found.target)
    _curves(grid[1], curves_of(run.sessions, times[0]) if times else {}, times[0] if times else "")
    _fan_of(grid[2], run.sessions, shape.fan[0] if shape.fan else "")
    if len(times) > 1:
        _done_by(grid[3], run.sessions, times[1])
    else:
        _spread(grid[3], run.sessions, numbers[0] if numbers else "")
    _levers(grid[4], found.levers)
    _around(grid[5], found)
    return save(made, path)


def _title(axes: Any, text: str) -> None:
    axes.set_title(text, fontsize=12, loc="left")
    tidy_axes(axes)


def _none(axes: Any, what: str) -> None:
    axes.set_axis_off()
    axes.text(0.5, 0.5, what, ha="center", va="center", color=GREY, fontsize=11)


def _by_kind(axes: Any, run: Run, name: str, target: float | None) -> None:
    """Draw a measure by kind of player: shares in percent, means as they are."""
    groups = run.measures[name]
    share = groups["all"].kind != "number"
    scale = 100 if share else 1
    _bars(axes, groups, scale)
    if share:
        axes.set_xlim(0, 112)
        axes.set_xticks(range(0, 101, 25))
    if target is not None:
        axes.axvline(target * scale, color=RED, linewidth=2, linestyle="--")
        axes.set_title("target", fontsize=10, color=RED, loc="right")
    axes.set_xlabel(("% of sessions" if share else "mean") + ", with 95 % interval")
    _title(axes, f"{name} by kind of player")


def _bars(axes: Any, groups: Mapping[str, Measured], scale: float) -> None:
    names = list(groups)
    for at, (name, one) in enumerate(groups.items()):
        value, low, high = (part * scale for part in one.estimate)
        colour = GREY if name == "all" else SERIES[(at - 1) % len(SERIES)]
        axes.barh(at, value, color=colour, height=0.6)
        if isfinite(low) and isfinite(high):
            axes.plot([low, high], [at, at], color="black", linewidth=2)
        axes.annotate(
            f"{value:.0f}",
            (max(high if isfinite(high) else value, value), at),
            xytext=(5, 0),
            textcoords="offset points",
            va="center",
            fontsize=10,
        )
    axes.set_yticks(range(len(names)), names)
    axes.invert_yaxis()
    axes.margins(x=0.15)


def _spread(axes: Any, sessions: Sessions, name: str) -> None:
    if not name:
        _none(axes, "no number is measured")
        return
    values = sessions.measure(name)
    values = values[~np.isnan(values)]
    axes.hist(values, bins=min(24, max(len(set(values.tolist())), 2)), color=BLUE)
    middle = float(np.median(values)) if len(values) else 0.0
    axes.axvline(middle, color=ORANGE, linewidth=2)
    axes.annotate(
        f"half are below {middle:.0f}",
        (middle, axes.get_ylim()[1]),
        xytext=(5, -12),
        textcoords="offset points",
        fontsize=10,
    )
    axes.set_xlabel(name)
    axes.set_ylabel("sessions")
    _title(axes, f"{name}, how it is spread")


def _curves(axes: Any, curves: Mapping[str, Survival], name: str) -> None:
    if not curves:
        _none(axes, "no time is measured")
        return
    for at, (group, curve) in enumerate(curves.items()):
        colour = GREY if group == "all" else SERIES[(at - 1) % len(SERIES)]
        times = np.concatenate([[0.0], curve.times])
        axes.step(
            times,
            np.concatenate([[1.0], curve.share]) * 100,
            where="post",
            color=colour,
            label=group,
            linewidth=2,
            linestyle="-" if group == "all" else "--",
        )
        if group == "all" and len(curve.times):
            axes.fill_between(
                curve.times, curve.low * 100, curve.high * 100, step="post", color=GREY, alpha=0.2
            )
    axes.set_ylim(0, 102)
    axes.set_xlabel("seconds")
    axes.set_ylabel("% not yet")
    axes.legend(fontsize=9, frameon=False, loc="center right", bbox_to_anchor=(1.0, 0.7))
    _title(axes, f"{name}: not yet reached")


def _fan_of(axes: Any, sessions: Sessions, name: str) -> None:
    if not name:
        _none(axes, "nothing is looked at over time")
        return
    times, quantiles, left = fan_of(sessions, name)
    _fan(axes, name, times, quantiles, left)


def _fan(axes: Any, name: str, times: Floats, quantiles: Floats, left: Floats) -> None:
    axes.fill_between(times, quantiles[:, 0], quantiles[:, 4], color=SKY, alpha=0.35, label="10–90 %")
    axes.fill_between(times, quantiles[:, 1], quantiles[:, 3], color=SKY, alpha=0.6, label="25–75 %")
    axes.plot(times, quantiles[:, 2], color=BLUE, linewidth=2, label="half")
    axes.set_xlabel("seconds")
    axes.set_ylabel(name)
    beside = axes.twinx()
    beside.plot(times, left * 100, color=GREY, linestyle=":", linewidth=1.5)
    beside.set_ylim(0, 105)
    beside.set_yticks([])
    beside.spines[["top", "right"]].set_visible(False)
    last = next((at for at in range(len(left) - 1, -1, -1) if left[at] > 0), 0)
    beside.annotate(
        f"{left[last]:.0%} go on",
        (times[last], left[last] * 100),
        xytext=(-4, 14),
        textcoords="offset points",
        ha="right",
        fontsize=9,
        color=GREY,
    )
    axes.legend(  # beside the title: a fan leaves no room inside
        fontsize=8,
        frameon=False,
        loc="lower right",
        bbox_to_anchor=(1.02, 0.98),
        ncols=3,
        columnspacing=0.8,
        handlelength=1.0,
        handletextpad=0.4,
    )
    _title(axes, f"{name} over time")


def _done_by(axes: Any, sessions: Sessions, name: str) -> None:
    """Draw how many of all sessions have reached a time by when; who is dead before never does."""
    for at, group in enumerate(sessions.groups):
        times = sessions.of(group).measure(name)
        reached = np.sort(times[~np.isnan(times)])
        share = np.arange(len(reached) + 1) / max(len(times), 1) * 100
        axes.step(
            [0.0, *reached, sessions.shape.longest],
            [*share, share[-1]],
            where="post",
            color=GREY if group == "all" else SERIES[(at - 1) % len(SERIES)],
            label=group,
            linewidth=2,
            linestyle="-" if group == "all" else DASHES[1 + (at - 1) % 3],
        )
    axes.set_ylim(0, 102)
    axes.set_xlabel("seconds")
    axes.set_ylabel("% of sessions")
    axes.legend(fontsize=9, frameon=False, loc="best")
    _title(axes, f"{name}: done by")


def _levers(axes: Any, found: Levers) -> None:
    """Draw the strongest numbers, their names inside: there is no room beside them."""
    rows = found.found[:ON_PAGE]
    if not rows:
        _none(axes, f"no number moves {found.measure}")
        return
    scale = 100 if found.kind == "truth" else 1
    for at, one in enumerate(rows):
        for side, colour, shift in ((one.down, BLUE, 0.02), (one.up, ORANGE, 0.28)):
            axes.barh(
                at + shift,
                side.estimate.value * scale,
                height=0.24,
                color=colour,
                hatch="//" if one.guess else "",
                edgecolor="white",
            )
        axes.text(
            0.01,
            at - 0.22,
            f"{_brief(one.key)} ({one.now:g})",
            fontsize=9,
            transform=axes.get_yaxis_transform(),
        )
    axes.set_yticks([])
    axes.set_ylim(len(rows) - 0.4, -0.7)
    axes.axvline(0, color="black", linewidth=1, zorder=0)
    unit = "points" if found.kind == "truth" else "seconds" if found.kind == "time" else "of the mean"
    axes.set_xlabel(f"{unit}; blue: a tenth less, orange: more; hatched: a guess", fontsize=9)
    _title(axes, f"what moves {found.measure}")


def _brief(key: str, most: int = 34) -> str:
    """Return a key that fits, the end of it if need be: that is what tells keys apart."""
    return key if len(key) <= most else f"…{key[-most + 1 :]}"


def _around(axes: Any, found: Page) -> None:
    if found.swept is None:
        _none(axes, "no number of the design moves it")
        return
    _points(axes, found.swept, found.target)
    axes.set_xlabel(_brief(found.swept.keys[0], 44), fontsize=10)
    _title(axes, f"{found.measure} over the strongest")


def draw_when(measure: str, curves: Mapping[str, Survival], path: Path) -> Path:
    """Draw how many have not reached a time yet."""
    made = figure(f"{measure}: who has not reached it")
    _curves(made.subplots(), curves, measure)
    return save(made, path)


def draw_over(name: str, times: Floats, quantiles: Floats, left: Floats, path: Path) -> Path:
    """Draw a value over time."""
    made = figure(f"{name} over time", right=0.92)
    _fan(made.subplots(), name, times, quantiles, left)
    return save(made, path)


def draw_levers(found: Levers, path: Path) -> Path:
    """Draw the numbers that move a measure, the strongest on top; guesses about players are hatched."""
    rows = found.found[:MOST_ROWS]
    scale = 100 if found.kind == "truth" else 1
    unit = (
        "points of a share" if found.kind == "truth" else "seconds" if found.kind == "time" else "of the mean"
    )
    made = figure(f"What moves {found.measure}: each number a tenth less, a tenth more", left=0.36)
    axes = made.subplots()
    for at, one in enumerate(rows):
        for side, colour, label in ((one.down, BLUE, "a tenth less"), (one.up, ORANGE, "a tenth more")):
            value = side.estimate.value * scale
            axes.barh(
                at + (0.2 if side is one.up else -0.2),
                value,
                height=0.36,
                color=colour,
                hatch="//" if one.guess else "",
                edgecolor="white",
                label=label if at == 0 else None,
            )
    names = [f"{one.key}  ({one.now:g}){'  cliff' if one.cliff else ''}" for one in rows]
    axes.set_yticks(range(len(rows)), names)
    axes.invert_yaxis()
    axes.axvline(0, color="black", linewidth=1)
    axes.set_xlabel(f"{found.measure}, {unit}; hatched: guesses about players")
    if rows:
        axes.legend(fontsize=10, frameon=False)
    tidy_axes(axes)
    return save(made, path)


def draw_solved(found: Solved, path: Path) -> Path:
    """Draw every look at a key, the target, and the answer with its interval."""
    truth = any(one.kind == "truth" for one in found.looks.values())
    scale = 100 if truth else 1
    wanted = f"{found.target:.0%}" if truth else f"{found.target:g}"
    answer = "" if found.answer is None else f": {found.answer.value:.4g}"
    made = figure(f"{found.key} for {found.measure} = {wanted}{answer}")
    axes = made.subplots()
    for at, one in sorted(found.looks.items()):
        value, low, high = (part * scale for part in one.estimate)
        axes.plot([at, at], [low, high], color=BLUE, linewidth=2)
        axes.plot([at], [value], "o", color=BLUE, markersize=6)
    axes.axhline(found.target * scale, color=ORANGE, linewidth=2)
    axes.annotate(
        f"target {wanted}",
        (axes.get_xlim()[0], found.target * scale),
        xytext=(6, 5),
        textcoords="offset points",
        color=ORANGE,
        fontsize=11,
    )
    if found.answer is not None:
        if isfinite(found.answer.low) and isfinite(found.answer.high):
            axes.axvspan(found.answer.low, found.answer.high, color=ORANGE, alpha=0.2)
        axes.axvline(found.answer.value, color=ORANGE, linestyle="--", linewidth=2)
    if found.now is not None:
        axes.axvline(found.now, color=RED, linestyle=":", linewidth=2)
        axes.annotate(
            "now",
            (found.now, axes.get_ylim()[1]),
            xytext=(4, -14),
            textcoords="offset points",
            color=RED,
            fontsize=11,
        )
    axes.set_xlabel(found.key)
    axes.set_ylabel(f"{found.measure}{', %' if truth else ''}")
    tidy_axes(axes)
    return save(made, path)


def draw_sweep(found: Swept, target: float | None, path: Path) -> Path:
    """Draw a measure over one key as points with intervals, over two as a map with the target's contour."""
    scale = 100 if found.kind == "truth" else 1
    made = figure(f"{found.measure} over {' and '.join(found.keys)}", right=0.95)
    axes = made.subplots()
    unit = ", %" if found.kind == "truth" else ""
    if len(found.keys) == 1:
        _points(axes, found, target)
    else:
        across, up = found.values
        heights = np.array([[found.found[x, y].estimate.value * scale for x in across] for y in up])
        drawn = axes.pcolormesh(across, up, heights, shading="nearest", cmap="viridis")
        made.colorbar(drawn, ax=axes, label=f"{found.measure}{unit}")
        if target is not None and min(heights.shape) > 1:
            for colour, width in (("white", 5), (RED, 2.5)):  # seen on light and on dark
                axes.contour(across, up, heights, [target * scale], colors=colour, linewidths=width)
            wanted = f"{found.measure} = {target * scale:g}{' %' if scale == 100 else ''}"
            axes.plot([], [], color=RED, linewidth=2.5, label=wanted)
        if None not in found.now:
            axes.plot(
                [found.now[0]],
                [found.now[1]],
                "X",
                color="white",
                markeredgecolor="black",
                markersize=13,
                label="now",
                linestyle="",
            )
        if axes.get_legend_handles_labels()[0]:
            axes.legend(frameon=True, facecolor="#d8d8d8", loc="lower right")
        axes.set_ylabel(found.keys[1])
    axes.set_xlabel(found.keys[0])
    tidy_axes(axes)
    return save(made, path)


def _points(axes: Any, found: Swept, target: float | None) -> None:
    """Draw a measure at each value of one key, the target, and where the key is now."""
    scale = 1 if found.kind == "number" else 100
    for (at,), one in found.found.items():
        value, low, high = (part * scale for part in one.estimate)
        axes.plot([at, at], [low, high], color=BLUE, linewidth=2)
        axes.plot([at], [value], "o", color=BLUE, markersize=6)
    if target is not None:
        axes.axhline(target * scale, color=RED, linewidth=2, linestyle="--")
        axes.set_title("target", fontsize=10, color=RED, loc="right")
    if found.now[0] is not None:
        axes.axvline(found.now[0], color=GREY, linestyle=":", linewidth=2)
        axes.annotate(
            "now",
            (found.now[0], 1),
            xycoords=axes.get_xaxis_transform(),
            xytext=(4, -12),
            textcoords="offset points",
            color=GREY,
            fontsize=10,
        )
    axes.set_ylabel(f"{found.measure}{'' if found.kind == 'number' else ', %'}")
