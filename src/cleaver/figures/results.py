"""Results: the page of a match — standings, score over time, stars. Start at `results_page`."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from cleaver.core.kernel.events import Event
from cleaver.core.world import World
from cleaver.figures import drawing
from cleaver.hud.contests.boards import Scoreboard, Stars


class ScoreRecorder:
    """Keeps the score of each side of a match over time: `courses` holds (seconds, score) pairs by side."""

    world: World
    match: str
    began: float
    ended: float

    def __init__(self, world: World, match: str) -> None:
        self.world, self.match = world, match
        self.courses: dict[str, list[tuple[float, int]]] = {}
        self.began = self.ended = world.now
        world.listen_own("match_started", self._started)
        world.listen_own("scored", self._scored)
        world.listen_own("match_ended", self._over)

    def _started(self, event: Event) -> None:
        if event.match == self.match:
            self.began = event.time
            self.courses = {place.side: [(0.0, 0)] for place in self.world.match(self.match).standings}

    def _scored(self, event: Event) -> None:
        if event.match == self.match:
            side = event.team if event.team in self.courses else event.actor
            scores = {place.side: place.score for place in self.world.match(self.match).standings}
            course = self.courses.setdefault(side, [(0.0, 0)])
            course.append((event.time - self.began, scores[side]))

    def _over(self, event: Event) -> None:
        if event.match == self.match:
            self.ended = event.time


def results_page(
    recorder: ScoreRecorder, path: str | Path, *, stars: Sequence[Stars] = (), title: str = ""
) -> Path:
    """Draw the page of a match: who stands where, how the score went, and the stars of its players.

    Raises:
        MissingExtraError: matplotlib is not installed.
    """
    board = Scoreboard(recorder.world, recorder.match)
    heading = title or f"{recorder.match.replace('_', ' ')}: {board.verdict or 'still running'}"
    figure = drawing.figure(heading, left=0.07, right=0.97, bottom=0.09, top=0.88, wspace=0.25, hspace=0.5)
    grid = figure.add_gridspec(2, 2, width_ratios=[1, 1.5], height_ratios=[1, 1])
    sides = list(recorder.courses)
    _standings(figure.add_subplot(grid[0, 0]), board, sides)
    _courses(figure.add_subplot(grid[:, 1]), recorder)
    _stars(figure.add_subplot(grid[1, 0]), stars)
    return drawing.save(figure, path)


def _standings(axes: Any, board: Scoreboard, sides: list[str]) -> None:
    rows = board.rows
    for index, place in enumerate(rows):
        y = len(rows) - 1 - index
        colour = drawing.SERIES[sides.index(place.side) % 6] if place.side in sides else drawing.GREY
        axes.barh(y, place.score, color=colour, edgecolor="black", linewidth=0.8, height=0.6)
        axes.text(
            place.score + max(row.score for row in rows) * 0.03,
            y,
            str(place.score),
            va="center",
            fontsize=14,
            fontweight="bold",
        )
    axes.set_yticks(
        range(len(rows)),
        [f"{place.rank}. {place.side.replace('_', ' ')}" for place in rows][::-1],
        fontsize=12,
    )
    axes.set_xlim(0, max((place.score for place in rows), default=1) * 1.2 + 0.1)
    axes.set_title("standings (points)", fontsize=13)
    drawing.tidy_axes(axes)
    axes.xaxis.get_major_locator().set_params(integer=True)


def _courses(axes: Any, recorder: ScoreRecorder) -> None:
    end = (
        max(recorder.ended - recorder.began, *(course[-1][0] for course in recorder.courses.values()), 1.0)
        if recorder.courses
        else 1.0
    )
    for index, (side, course) in enumerate(recorder.courses.items()):
        times, scores = [time for time, _ in course], [score for _, score in course]
        axes.step(
            [*times, end],
            [*scores, scores[-1]],
            where="post",
            color=drawing.SERIES[index % 6],
            linestyle=drawing.DASHES[index % 4],
            linewidth=2.4,
            label=side.replace("_", " "),
        )
    if recorder.courses:
        axes.legend(loc="upper left", fontsize=11)
    axes.set_xlabel("time (seconds)", fontsize=12)
    axes.set_ylabel("score (points)", fontsize=12)
    axes.set_title("score over time", fontsize=13)
    axes.set_ylim(bottom=0)
    axes.margins(y=0.15)
    drawing.tidy_axes(axes)
    axes.yaxis.get_major_locator().set_params(integer=True)


def _stars(axes: Any, stars: Sequence[Stars]) -> None:
    axes.set_title("stars", fontsize=13)
    axes.axis("off")
    for row, one in enumerate(stars):
        y = len(stars) - 1 - row
        axes.text(
            -0.5, y, f"{one.actor.id}, {one.rating.replace('_', ' ')}", ha="right", va="center", fontsize=12
        )
        for place, cell in enumerate(one.cells):
            axes.plot(
                [place],
                [y],
                marker="*",
                markersize=21,
                fillstyle={"earned": "full", "next": "left", "missing": "none"}[cell],
                markerfacecolor=drawing.ORANGE,
                markerfacecoloralt="white",
                markeredgecolor="black" if cell != "missing" else "#9a9a9a",
                markeredgewidth=1.3,
            )
        if not one.rated:
            axes.text(one.of - 0.4, y, "not yet rated", va="center", fontsize=11)
    most = max((one.of for one in stars), default=1)
    axes.set_xlim(-2.6, most + 1.5)
    axes.set_ylim(-0.8, max(len(stars) - 0.2, 0.5))
