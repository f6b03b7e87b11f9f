"""Laboratory: asks a trial questions, by playing it many times. Start at `Lab`."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from cleaver.design.changes import changes
from cleaver.design.design import Design
from cleaver.errors import CleaverError, UsageError
from cleaver.lab.answers import (
    Compared,
    Lever,
    Levers,
    Measured,
    Page,
    Run,
    Solved,
    Swept,
    curves_of,
    difference,
    fan_of,
)
from cleaver.lab.bench import Bench
from cleaver.lab.jobs import player_of
from cleaver.lab.levers import STEP, guessed, levers
from cleaver.lab.replay import replay, same_as_script
from cleaver.lab.sessions import Floats, Sessions
from cleaver.lab.solving import solve
from cleaver.lab.statistics import Survival

MANY = 100_000  # sessions, above which as little of each as will do is gathered
FEW = 100  # sessions for the band of guesses
SHOWN = 24  # numbers that a page looks at closely
AROUND = (0.5, 0.75, 1.0, 1.25, 1.5)
CHECKED = 20  # sessions of a run that are played again as scripts


class Lab(Bench):
    """A trial, asked questions; see `Bench` for what it takes.

    >>> from cleaver import sample
    >>> lab = Lab(sample.path("trials/dive.toml"), sessions=20)
    >>> lab.run().measures["two_stars"]["all"].count
    20
    """

    def run(self, count: int = 0, *, table: str = "") -> Run:
        """Return what each measure comes to, by kind of player; some sessions are played again as scripts.

        Args:
            count: How many sessions; as many as the lab says for 0. Above 100,000, what was looked at over
                time stays at the workers.
            table: A folder for all sessions as Parquet, a file of each block, written by whoever plays it;
                "" for none. On a cluster, all must reach it by this name.

        Raises:
            UsageError: A session and its script differ, which would be a fault of Cleaver's.
        """
        sessions = self.play(count, table=table, fan=(count or self.count) <= MANY)
        self.check(sessions)
        return Run.of(self.trial.title, self.seed, sessions, self.band(sessions))

    def band(self, sessions: Sessions, design: Design | None = None) -> dict[str, tuple[float, float]]:
        """Return from where to where each measure goes where what is guessed about players is a tenth less
        and more, under the same luck, by at most a hundred sessions; nothing where nothing is guessed.

        Args:
            sessions: What was played.
            design: Under which design, where it is not the lab's own.
        """
        trials = [guessed(self, 1 - STEP), guessed(self, 1 + STEP)]
        if self._bots or None in trials:
            return {}
        few = sessions.picked(slice(0, FEW))
        others = [self.play(len(few), trial=trial, design=design) for trial in trials if trial is not None]
        found = {}
        for name in sessions.shape.measures:
            now = Measured.of(sessions, name)
            if now.kind == "time":
                continue
            ends = [now.estimate.value + difference(few, other, name).estimate.value for other in others]
            found[name] = (min(ends), max(ends))
        return found

    def check(self, sessions: Sessions, most: int = CHECKED) -> int:
        """Play some sessions again as scripts, and return how many.

        Raises:
            UsageError: One differs.
        """
        if self._bots:
            return 0
        step = max(len(sessions) // most, 1)
        numbers = sessions.number[::step][:most].tolist()
        job = self.job()
        for number in numbers:
            same_as_script(player_of(job.design, job.trial), self.seed, number, self.only)
        return len(numbers)

    def compare(self, other: Design | Mapping[str, Any], count: int = 0) -> Compared:
        """Return how another design, or other values at keys, change each measure under the same luck."""
        design = other if isinstance(other, Design) else self.changed(other)
        before, after = self.play(count), self.play(count, design=design)
        same = np.all(
            (before.values == after.values) | (np.isnan(before.values) & np.isnan(after.values)), axis=1
        )
        names = before.shape.measures
        return Compared(
            tuple(map(str, changes(self.design.source.tree, design.source.tree))),
            len(before),
            int(np.count_nonzero(same & (before.seconds == after.seconds))),
            {name: Measured.of(before, name) for name in names},
            {name: Measured.of(after, name) for name in names},
            {name: difference(before, after, name) for name in names},
        )

    def sweep(
        self,
        key: str,
        values: Sequence[float],
        other: tuple[str, Sequence[float]] | None = None,
        *,
        measure: str = "",
        count: int = 0,
    ) -> Swept:
        """Return a measure, the first one unless said otherwise, at each value of a key, or of two keys."""
        name = measure or self.shape.measures[0]
        self.shape.index(name)
        keys = (key, *((other[0],) if other else ()))
        axes = (tuple(values), *((tuple(other[1]),) if other else ()))
        if not all(axes):
            raise UsageError("there are no values to sweep over")
        points: list[tuple[float, ...]] = [()]
        for axis in axes:
            points = [(*point, value) for point in points for value in axis]
        found = {}
        for point in points:
            design = self.changed(dict(zip(keys, point, strict=True)))
            found[point] = Measured.of(self.play(count, design=design), name)
        now = tuple(self.number_at(one) for one in keys)
        return Swept(
            keys, axes, now, name, self.shape.kinds[self.shape.index(name)], found, count or self.count
        )

    def when(self, measure: str, count: int = 0) -> dict[str, Survival]:
        """Return how many have not reached a time yet, by kind of player.

        Raises:
            UsageError: The measure is no time.
        """
        return curves_of(self.play(count), measure)

    def over(self, name: str, count: int = 0) -> tuple[Floats, Floats, Floats]:
        """Return a value over time: the times (k), its quantiles at 10, 25, 50, 75 and 90 % of those who go
        on (k × 5), and what share of all these are (k).

        Raises:
            UnknownNameError: The trial does not look at it.
        """
        return fan_of(self.play(count), name)

    def solve(
        self, key: str, measure: str, target: float, *, low: float | None = None, high: float | None = None
    ) -> Solved:
        """Return the value of a key at which a measure meets a target; see `solving.solve`."""
        found = solve(self, key, measure, target, low=low, high=high)
        if found.confirmed is None or found.answer is None:
            return found
        number = self.number(key)
        value = found.answer.value
        design = self.changed({key: round(value) if number is not None and number.whole else value})
        band = self.band(self.play(min(self.count, FEW), design=design), design)
        return replace(found, guesses=band.get(measure))

    def levers(self, measure: str, count: int = 0) -> Levers:
        """Return the numbers that move a measure most; see `levers.levers`."""
        return levers(self, measure, count)

    def page(self, run: Run, measure: str = "", target: float | None = None) -> Page:
        """Return what stands on the page of a run, with the numbers that move a measure, the first one unless
        said otherwise, and how it goes over the strongest of them, by some thousand sessions more."""
        name = measure or self.shape.measures[0]
        found = levers(self, name, min(self.count, FEW), most=SHOWN)
        strongest = next((one for one in found.found if not one.guess), None)
        return Page(run, name, target, found, None if strongest is None else self._around(strongest, name))

    def _around(self, lever: Lever, measure: str) -> Swept | None:
        """Return a measure over a number, from half to one and a half of what it is, where that may be."""
        number = self.number(lever.key)
        step = max(abs(lever.now) / 4, 1.0)
        values: list[float] = (
            [round(lever.now + step * part) for part in range(-2, 3)]
            if number is not None and number.whole
            else [lever.now * part for part in AROUND]
        )
        allowed = [value for value in values if self._allows(lever.key, value)]
        return (
            self.sweep(lever.key, allowed, measure=measure, count=min(self.count, FEW)) if allowed else None
        )

    def _allows(self, key: str, value: float) -> bool:
        try:
            self.changed({key: value})
        except CleaverError:
            return False
        return True

    def replay(self, number: int, into: str | os.PathLike[str]) -> list[Path]:
        """Write session *number* as a script with its design; see `replay.replay`."""
        return replay(self, number, Path(into))
