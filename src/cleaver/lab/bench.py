"""Bench: plays the sessions of a trial, or takes them from what was kept. Start at `Bench`."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from time import perf_counter
from typing import Any

import numpy as np

from cleaver.design.design import Design
from cleaver.design.numbers import Key
from cleaver.errors import AmountError, UnknownNameError
from cleaver.lab.engines import Engine, Serial
from cleaver.lab.jobs import Block, Job, Task, play_block, player_of, shape_of
from cleaver.lab.kept import Kept
from cleaver.lab.loading import load_trial, trial_of, with_known
from cleaver.lab.play import Bot, Player
from cleaver.lab.sessions import Sessions, Shape
from cleaver.lab.trial import Trial

SESSIONS = 400
BLOCK = 1.0  # seconds that a block of sessions is to take
MOST = 10_000_000

Progress = Callable[[int, int], None]


class Bench:
    """A trial, ready to be played: what all questions stand on.

    Sessions are numbered, and each depends on the trial, the seed and its number alone: never on the engine,
    nor on what was played before. A design that differs is played under the same luck.

    Args:
        trial: The trial, or its file.
        seed: Of all luck.
        sessions: How many a question plays, unless it says otherwise.
        only: One kind of player alone; "" for all by their shares.
        engine: Where they are played; here, one after another, unless given.
        cache: A folder in which what was played is kept, so that a run that was stopped goes on; "" for none.
        players: Python callables that take the place of habits, by kind of player; see `Bot`.
        on_progress: Called with (sessions played, sessions in all).
    """

    trial: Trial
    seed: int
    count: int
    only: str
    engine: Engine
    cache: str

    def __init__(
        self,
        trial: Trial | str | os.PathLike[str],
        *,
        seed: int = 0,
        sessions: int = SESSIONS,
        only: str = "",
        engine: Engine | None = None,
        cache: str | os.PathLike[str] = "",
        players: Mapping[str, Bot] | None = None,
        on_progress: Progress | None = None,
    ) -> None:
        self.trial = trial if isinstance(trial, Trial) else load_trial(trial)
        if isinstance(seed, bool) or not isinstance(seed, int):
            raise AmountError("seed", seed, "a whole number")
        self.seed, self.count, self.only = seed, _count(sessions), only
        for name in (*([only] if only else []), *(players or {})):
            if name not in self.trial.players:
                raise UnknownNameError("kind of player", name, tuple(self.trial.players))
        self.engine = engine or Serial()
        self.cache, self._bots = os.fspath(cache), dict(players or {})
        self._progress = on_progress
        self._pace = 0.0  # seconds of a session, once it is known

    # playing

    @property
    def design(self) -> Design:
        """The design that is played, with what the trial sets."""
        return self.trial.design

    @property
    def by_python(self) -> bool:
        """Whether Python callables play, of which there is no script."""
        return bool(self._bots)

    @property
    def shape(self) -> Shape:
        """What sessions have."""
        job = self.job()
        return shape_of(job.design, job.trial)

    def job(
        self, design: Design | None = None, trial: Mapping[str, Any] | None = None, seed: int | None = None
    ) -> Job:
        """Return what sessions are of, as plain data."""
        data = {
            key: value for key, value in (trial or self.trial.data).items() if key not in ("set", "design")
        }
        text = (design or self.design).text
        return Job(text, json.dumps(data), self.seed if seed is None else seed, self.only)

    def changed(self, values: Mapping[str, Any]) -> Design:
        """Return the design with other values at some of its keys.

        Raises:
            DesignError: A key that it does not have, or a value that it does not allow.
        """
        return with_known(self.design, values)

    def play(
        self,
        count: int = 0,
        *,
        design: Design | None = None,
        trial: Mapping[str, Any] | None = None,
        seed: int | None = None,
        first: int = 0,
        table: str = "",
        fan: bool = True,
    ) -> Sessions:
        """Play sessions, or take them from the cache.

        Args:
            count: How many; as many as the lab says for 0.
            design: Another design.
            trial: Another trial, as `Trial.data`.
            seed: Another seed.
            first: The number of the first one.
            table: A folder for a Parquet file of each block, written where it is played; "" for none.
            fan: Whether what was looked at over time is wanted.

        Raises:
            UsageError: A session that cannot be played, with its number.
        """
        end = first + (_count(count) if count else self.count)
        job = self.job(design, trial, seed)
        shape = shape_of(job.design, job.trial)
        kept = Kept(Path(self.cache), job, shape) if self.cache and not self._bots else None
        parts = kept.read(end) if kept is not None else []
        have = np.zeros(end, dtype=bool)
        for part in parts:
            have[part.number] = True
        have[:first] = True
        missing = np.flatnonzero(~have)
        done, total = end - first - len(missing), end - first
        task = Task(job, self._bots, table, fan=fan)
        # What is kept is kept whole, and written down here.
        played = task if kept is None else Task(job, self._bots)
        parts = [task.reduced(part) for part in parts if len(part)]
        self._tell(done, total)
        for part in self.engine.map(played, self._blocks(missing, task)):
            if kept is not None:
                kept.keep(part)
            parts.append(part if kept is None else task.reduced(part))
            done += len(part)
            self._tell(done, total)
        found = Sessions.joined(parts)
        return found.picked((found.number >= first) & (found.number < end))

    def _tell(self, done: int, total: int) -> None:
        if self._progress is not None:
            self._progress(done, total)

    def _blocks(self, missing: Any, task: Task) -> Iterator[Block]:
        """Yield runs of numbers that are missing, each of about a second."""
        numbers = missing.tolist()
        if not numbers:
            return
        if not self._pace:  # how long one takes is looked at once; what it comes to is played again
            began = perf_counter()
            play_block(task.job, (numbers[0], numbers[0] + 1), self._bots)
            self._pace = max(perf_counter() - began, 1e-4)
        size = max(1, min(round(BLOCK / self._pace), 1000, -(-len(numbers) // 8)))
        begin = before = numbers[0]
        for number in numbers[1:]:
            if number != before + 1 or number - begin >= size:
                yield begin, before + 1
                begin = number
            before = number
        yield begin, before + 1

    # what is there

    def number(self, key: str) -> Key | None:
        """Return the number at a key of the design: its value, and whether it must be whole; None where there
        is a formula.

        Raises:
            DesignError: There is no such key, with the nearest one.
        """
        known = self.design.keys()
        found = next((one for one in known if one.key == key), None)
        if found is None:
            self.changed({key: 1})  # says what is there instead
        return found

    def number_at(self, key: str) -> float | None:
        """Return the value of `number`, None where there is a formula."""
        found = self.number(key)
        return None if found is None else found.value

    def player(self) -> Player:
        """Return who plays the sessions here."""
        job = self.job()
        return player_of(job.design, job.trial)

    def with_trial(self, data: Mapping[str, Any]) -> Trial:
        """Return another trial on the same design, checked."""
        return trial_of(
            {key: value for key, value in data.items() if key not in ("set", "design")}, self.design
        )


def _count(sessions: int) -> int:
    if isinstance(sessions, bool) or not isinstance(sessions, int) or not 1 <= sessions <= MOST:
        raise AmountError("sessions", sessions, f"a whole number from 1 to {MOST:,}")
    return sessions


def spread(low: float, high: float, count: int) -> list[float]:
    """Return values from one to another, evenly apart, both included."""
    return [float(value) for value in np.linspace(low, high, count)]
