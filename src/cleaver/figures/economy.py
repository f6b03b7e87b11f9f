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
    figure = drawing.figure(title, left=0.08, right=0.97, bottom=0.09, top=0.88, wspace=0.62, hspace=0.18)
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
        if above is None:
            above = panel
            panel.set_title("what is held (pieces)", fontsize=13)
    panel.set_xlabel("time (seconds)", fontsize=12)
    _reasons(figure.add_subplot(grid[:, 1]), books, holder)
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
    drawing.tidy(axes)


def _reasons(axes: Any, books: Books, holder: str) -> None:
    rows: dict[str, list[int]] = {}
    for found in books.sums(holder=holder):
        row = rows.setdefault(f"{found.good}: {found.reason}".replace("_", " "), [0, 0])
        row[0] += found.came
        row[1] += found.went
    names = list(rows)[::-1]
    most = max((max(row) for row in rows.values()), default=1)
    for y, name in enumerate(names):
        came, went = rows[name]
        for amount, sign, colour, hatch in ((came, 1, drawing.GREEN, ""), (went, -1, drawing.RED, "//")):
            if amount:
                axes.barh(
                    y, sign * amount, color=colour, hatch=hatch, edgecolor="black", linewidth=0.7, height=0.6
                )
                axes.text(
                    sign * (amount + most * 0.03),
                    y,
                    f"{'+' if sign > 0 else '−'}{amount}",
                    ha="left" if sign > 0 else "right",
                    va="center",
                    fontsize=11,
                )
    axes.axvline(0, color="black", linewidth=1)
    axes.set_yticks(range(len(names)), names)
    axes.set_xlim(-most * 1.4, most * 1.4)
    axes.set_ylim(-0.6, max(len(names) - 0.4, 0.6))
    axes.set_xlabel("went (−)   pieces   came (+)", fontsize=12)
    axes.set_title("sources and sinks", fontsize=13)
    drawing.tidy(axes)
