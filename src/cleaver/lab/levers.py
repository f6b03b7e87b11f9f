"""Levers: which numbers move a measure, and how far.

Every number of the design is moved by a tenth, down and up, under the same luck: first with few sessions,
then with more where something moved. Beside them stand the guesses about the players, moved in the same way,
so that one sees how far an answer rests on them. Start at `levers`.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterator
from functools import partial
from math import ceil, floor
from typing import Any, NamedTuple

from cleaver.errors import CleaverError
from cleaver.lab.answers import Lever, Levers, Measured, difference
from cleaver.lab.bench import Bench
from cleaver.lab.sessions import Sessions
from cleaver.lab.statistics import Difference
from cleaver.rounding import is_number

STEP = 0.1
SCREEN = (20, 100)  # sessions in which something must have moved, to be looked at with more
KEPT = 12  # numbers that are looked at with all sessions
CLIFF = 3.0  # how many times farther one side moves than the other, to be marked

Moved = Callable[[int], Sessions]


class _Candidate(NamedTuple):
    """A number that may be moved: its key, whether it is a guess about players, its value, those beside it,
    and how sessions are played with each."""

    key: str
    guess: bool
    now: float
    values: tuple[float, float]
    plays: tuple[Moved, Moved]


def levers(lab: Bench, measure: str, count: int = 0, *, most: int = 0) -> Levers:
    """Return the numbers that move a measure, the strongest first.

    Args:
        lab: The trial.
        measure: Its name.
        count: Sessions for the strongest ones; as many as the lab says for 0.
        most: How many are looked at with more sessions than the first few; all that moved it for 0.
    """
    shape = lab.shape
    kind = shape.kinds[shape.index(measure)]
    last = count or lab.count
    candidates = [*_of_design(lab), *_of_players(lab)]
    looked = len(candidates)
    found: list[tuple[_Candidate, Difference, Difference]] = []
    for sessions in (*[one for one in SCREEN if one < last], last):
        base = lab.play(sessions)
        moved = []
        for one in candidates:
            down, up = (difference(base, play(sessions), measure) for play in one.plays)
            if down.differ or up.differ:
                moved.append((one, down, up))
        moved.sort(key=lambda row: -max(abs(row[1].estimate.value), abs(row[2].estimate.value)))
        # With few sessions the order is not known well: more are kept than will be shown.
        found = moved if sessions == SCREEN[0] else moved[: 2 * KEPT if sessions < last else None]
        kept = (most or len(found)) if sessions == SCREEN[0] else KEPT
        candidates = [row[0] for row in found[:kept]]
    rows = tuple(_lever(*row) for row in found)
    return Levers(measure, kind, Measured.of(base, measure), rows, looked, last)


def _lever(one: _Candidate, down: Difference, up: Difference) -> Lever:
    steps = sorted((abs(down.estimate.value), abs(up.estimate.value)))
    known = all(side.estimate.low == side.estimate.low for side in (down, up) if side.differ)
    return Lever(
        one.key, one.guess, one.now, one.values, down, up, known and steps[1] > CLIFF * max(steps[0], 1e-12)
    )


def beside(value: float, whole: bool) -> tuple[float, float]:
    """Return the numbers a tenth below and above, or one below and above where they must be whole."""
    if whole:
        return floor(value - max(abs(value) * STEP, 1)), ceil(value + max(abs(value) * STEP, 1))
    return value * (1 - STEP), value * (1 + STEP)


def _of_design(lab: Bench) -> Iterator[_Candidate]:
    numbers = lab.design.keys()
    for one in numbers:
        if not one.value and not one.whole:
            continue  # a tenth of nothing is nothing
        values: list[float] = []
        plays: list[Moved] = []
        for value in beside(one.value, one.whole):
            try:
                design = lab.changed({one.key: value})
            except CleaverError:  # the design does not allow it: it stays where it is
                values.append(one.value)
                plays.append(lab.play)
            else:
                values.append(value)
                plays.append(partial(lab.play, design=design))
        if values[0] != values[1]:
            yield _Candidate(one.key, False, one.value, (values[0], values[1]), (plays[0], plays[1]))


def _of_players(lab: Bench) -> Iterator[_Candidate]:
    """Yield the guesses about players: each input, for all kinds at once, and the clocks of habits."""
    data = lab.trial.data
    inputs = [key for key in next(iter(data.get("players", {}).values()), {}) if key != "share"]
    for key in inputs:
        paths = [("players", name, key) for name in data["players"]]
        yield from _guess(lab, f"players.*.{key}", data["players"][paths[0][1]][key], paths)
    for name, habit in data.get("habits", {}).items():
        for key in ("every", "delay", "chance"):
            value = habit.get(key)
            one = value[0] if isinstance(value, list) and value else value
            if is_number(one) and one:
                yield from _guess(lab, f"habits.{name}.{key}", one, [("habits", name, key)])


def _guess(lab: Bench, key: str, now: float, paths: list[tuple[str, str, str]]) -> Iterator[_Candidate]:
    plays: list[Moved] = []
    for factor in (1 - STEP, 1 + STEP):
        data = copy.deepcopy(lab.trial.data)
        for section, name, part in paths:
            data[section][name][part] = _times(data[section][name][part], factor, part == "chance")
        try:
            lab.with_trial(data)
        except CleaverError:
            return
        plays.append(partial(lab.play, trial=data))
    yield _Candidate(key, True, now, (now * (1 - STEP), now * (1 + STEP)), (plays[0], plays[1]))


def guessed(lab: Bench, factor: float) -> dict[str, Any] | None:
    """Return the trial with every input of the players times a factor; None where they have none, or where it
    cannot be."""
    data = copy.deepcopy(lab.trial.data)
    players = data.get("players", {})
    keys = [key for key in next(iter(players.values()), {}) if key != "share"]
    for given in players.values():
        for key in keys:
            given[key] *= factor
    try:
        lab.with_trial(data)
    except CleaverError:
        return None
    return data if keys else None


def _times(value: Any, factor: float, chance: bool) -> Any:
    if isinstance(value, list):
        return [_times(one, factor, chance) for one in value]
    moved = value * factor if is_number(value) else value
    return min(moved, 1.0) if chance and is_number(moved) else moved
