"""Economy: what a played session earned and spent — each good over time, sources and sinks as bars. Start at
`economy`."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from cleaver.core.goods.books import Books
from cleaver.figures import drawing


def economy(books: Books, path: str | Path, *, title: str = "Economy", holder: str = "") -> Path:
    """Draw the books: a panel with each good over time, one with what came (right) and went (left) by reason.

    Args:
        books: `world.books`; the course over time goes as far back as the world keeps lines.
        path: The PNG to write.
        title: The heading.
        holder: Only one player's, or a team's, if given.
    """
    lines = [line for line in books.lines if holder in ("", line.holder)]
    goods = list(dict.fromkeys(line.good for line in lines))
    figure = drawing.figure(title, left=0.08, right=0.97, bottom=0.09, top=0.88, wspace=0.5, hspace=0.34)
    grid = figure.add_gridspec(max(len(goods), 1), 2, width_ratios=[1.2, 1])
    end = max((line.time for line in lines), default=1.0)
    above = None
    for index, good in enumerate(goods or ["nothing"]):
        panel = figure.add_subplot(grid[index, 0], sharex=above)
        _course(
            panel,
            [(line.time, line.amount) for line in lines if line.good == good],
            end,
            drawing.SERIES[index % 6],
        )
        panel.set_ylabel(good.replace("_", " "), fontsize=12)
        panel.tick_params(labelbottom=index == max(len(goods), 1) - 1)
        reasons = figure.add_subplot(grid[index, 1])
        _reasons(reasons, books, good, holder)
        if above is None:
            above = panel
            panel.set_title("what is held", fontsize=13)
            reasons.set_title("came (+) and went (−), each on its own scale", fontsize=13)
    panel.set_xlabel("time (seconds)", fontsize=12)
    reasons.set_xlabel("in all", fontsize=12)
    return drawing.save(figure, path)


def _course(axes: Any, changes: list[tuple[float, int]], end: float, colour: str) -> None:
    total, times, values = 0, [0.0], [0]
    for time, amount in changes:
        total += amount
        times.append(time)
        values.append(total)
    axes.step([*times, end * 1.02], [*values, total], where="post", color=colour, linewidth=2)
    axes.fill_between([*times, end * 1.02], [*values, total], step="post", color=colour, alpha=0.15)
    axes.set_ylim(0, max(*values, 1) * 1.18)
    axes.yaxis.get_major_locator().set_params(integer=True)
    drawing.tidy_axes(axes)


def _reasons(axes: Any, books: Books, good: str, holder: str) -> None:
    """Draw what came and went of one good, a bar for each reason and direction."""
    rows: dict[str, list[int]] = {}
    for found in books.sums(good, holder):
        row = rows.setdefault(found.reason.replace("_", " "), [0, 0])
        row[0] += found.came
        row[1] += found.went
    bars = [
        (reason, amount, sign)
        for reason, row in rows.items()
        for amount, sign in zip(row, (1, -1), strict=True)
        if amount
    ][::-1]
    most = max((amount for _, amount, _ in bars), default=1)
    for y, (_, amount, sign) in enumerate(bars):
        axes.barh(
            y,
            sign * amount,
            color=drawing.GREEN if sign > 0 else drawing.RED,
            hatch="" if sign > 0 else "//",
            edgecolor="black",
            linewidth=0.7,
            height=0.62,
        )
        axes.text(
            sign * (amount + most * 0.04),
            y,
            f"{'+' if sign > 0 else '−'}{amount:,}",
            ha="left" if sign > 0 else "right",
            va="center",
            fontsize=10,
        )
    axes.axvline(0, color="black", linewidth=1)
    axes.set_yticks(range(len(bars)), [reason for reason, _, _ in bars])
    sinks = any(sign < 0 for _, _, sign in bars)
    axes.set_xlim(-most * 1.35 if sinks else 0, most * 1.35)
    axes.set_ylim(-0.6, max(len(bars) - 0.4, 0.6))
    axes.xaxis.get_major_locator().set_params(integer=True, nbins=5)
    drawing.tidy_axes(axes)
