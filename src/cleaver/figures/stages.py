"""Stages: what each stage of a design holds and can give, as one page. Start at `stages`."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from cleaver.design.design import Design
from cleaver.design.totals import SCORE, StageTotals, Total, totals_of
from cleaver.figures import drawing
from cleaver.rounding import shown

MOST_STAGES = 4  # on one page
MOST_BARS = 7  # in one panel


def stages(design: Design, path: str | Path) -> Path:
    """Draw the economy of the stages, 1280 × 800: beside each other what lies and lives in a stage, what it
    gives at most, and how far its points are from its stars. The first `MOST_STAGES` are drawn.

    Args:
        design: The design.
        path: The PNG to write.
    """
    found = list(totals_of(design).values())
    rows = found[:MOST_STAGES]
    more = f" (the first {MOST_STAGES} of {len(found)})" if len(found) > len(rows) else ""
    figure = drawing.figure(
        f"{design.title}: what the stages hold and give{more}",
        left=0.11,
        right=0.97,
        bottom=0.09,
        top=0.86,
        wspace=0.46,
        hspace=0.5,
    )
    if not rows:
        figure.text(0.5, 0.5, "this design has no stages", ha="center", fontsize=14)
    for row, totals in enumerate(rows):
        stage = design.tables.stages[totals.stage]
        panels = [figure.add_subplot(len(rows), 3, row * 3 + column + 1) for column in range(3)]
        kinds = {**dict.fromkeys(totals.actors, drawing.RED), **dict.fromkeys(totals.pickups, drawing.BLUE)}
        _bars(panels[0], {**totals.actors, **totals.pickups}, kinds)
        ladders = design.tables.levels
        goods = {
            f"{name} experience" if name in ladders else name: total for name, total in totals.goods.items()
        }
        _bars(panels[1], {name: total for name, total in goods.items() if name != SCORE}, {})
        _stars(panels[2], design, totals)
        panels[0].set_ylabel((stage.title or totals.stage).replace("_", " "), fontsize=13, fontweight="bold")
        if row == 0:
            for panel, heading in zip(
                panels, ("lies and lives there", "gives at most", "points, and its stars"), strict=True
            ):
                panel.set_title(heading, fontsize=13, fontweight="bold", loc="left")
    if rows:
        figure.text(
            0.5,
            0.025,
            "+: and more, by formulas, by what comes back, or by what is no part of a stage, such as quests",
            ha="center",
            fontsize=11,
        )
    return drawing.save(figure, path)


def _bars(axes: Any, there: Mapping[str, Total], colours: Mapping[str, str]) -> None:
    bars = [(name, total) for name, total in there.items() if total.amount][:MOST_BARS][::-1]
    most = max((total.amount for _, total in bars), default=0.0) or 1.0
    for y, (name, total) in enumerate(bars):
        axes.barh(
            y,
            total.amount,
            color=colours.get(name, drawing.GREEN),
            hatch="//" if colours.get(name) == drawing.RED else "",
            edgecolor="black",
            linewidth=0.6,
            height=0.6,
        )
        axes.text(total.amount + most * 0.03, y, _text(total), va="center", fontsize=10)
    axes.set_yticks(range(len(bars)), [name.replace("_", " ") for name, _ in bars])
    axes.set_xlim(0, most * 1.3)
    spare = max(4 - len(bars), 0) / 2
    axes.set_ylim(-0.6 - spare, len(bars) - 0.4 + spare)
    drawing.tidy_axes(axes)
    axes.tick_params(axis="y", labelsize=10)


def _text(total: Total) -> str:
    return f"{shown(total.amount)}{'+' if total.more else ''}"


def _stars(axes: Any, design: Design, totals: StageTotals) -> None:
    """Draw the points of a stage as one bar, and where its stars are."""
    rating = design.tables.ratings.get(design.tables.stages[totals.stage].rating or "")
    steps = rating.steps if rating is not None and rating.measure == "self.score" else ()
    score = totals.score
    far = max([score.amount, *steps, 1]) * 1.3
    axes.barh(0, score.amount, color=drawing.YELLOW, edgecolor="black", linewidth=0.6, height=0.4)
    if score.more:  # what there is beside what is known has no end that could be drawn
        axes.barh(
            0,
            far - score.amount,
            left=score.amount,
            color="none",
            edgecolor=drawing.GREY,
            hatch="..",
            linewidth=0,
            height=0.4,
        )
    axes.text(far * 0.01, -0.42, f"{_text(score)} points", va="center", fontsize=10)
    for number, step in enumerate(steps):
        axes.plot([step, step], [-0.26, 0.32], color="black", linewidth=1.4, linestyle="--")
        axes.text(
            step, 0.38 + 0.2 * (number % 2), f"{'★' * (number + 1)} {shown(step)}", ha="center", fontsize=10
        )
    axes.set_yticks([])
    axes.set_xlim(0, far)
    axes.set_ylim(-0.7, 1.0)
    drawing.tidy_axes(axes)
