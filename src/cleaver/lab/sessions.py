"""Sessions: what came of many plays, as arrays. Start at `Sessions`."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from cleaver.errors import UnknownNameError, UsageError
from cleaver.lab.play import Player, SessionOutcome
from cleaver.lab.tables import Tally
from cleaver.table import Table

Floats = NDArray[np.float64]
Kind = Literal["truth", "number", "time"]


@dataclass(frozen=True, slots=True)
class Shape:
    """What the sessions of a trial have: kinds of players, measures with their kinds, what is looked at over
    time, every how many seconds, and how long a session is at most."""

    players: tuple[str, ...]
    measures: tuple[str, ...]
    kinds: tuple[Kind, ...]
    fan: tuple[str, ...]
    every: float
    looks: int
    longest: float

    @classmethod
    def of(cls, player: Player) -> Shape:
        """Return the shape of what a player plays."""
        trial = player.trial
        return cls(
            tuple(player.kinds),
            tuple(trial.tables.measures),
            tuple(_kind(player, name) for name in trial.tables.measures),
            tuple(trial.fan),
            trial.every,
            player.looks,
            trial.tables.end.after,
        )

    def index(self, measure: str) -> int:
        """Return which measure is called so.

        Raises:
            UnknownNameError: None is.
        """
        if measure not in self.measures:
            raise UnknownNameError("measure", measure, self.measures)
        return self.measures.index(measure)


def _kind(player: Player, name: str) -> Kind:
    measure = player.trial.tables.measures[name]
    if isinstance(measure, Tally):
        return "time" if measure.first else "number"
    return "truth" if player.formula(measure, name).formula.type == "truth" else "number"


@dataclass(frozen=True, slots=True)
class Sessions:
    """Sessions, in rising order of their numbers.

    Attributes:
        shape: What they have.
        number: Their numbers, from 0 (n).
        player: Which kind of player each had (n), an index into `shape.players`.
        seconds: How long each was (n).
        values: The measures (n × measures): a truth as 1 or 0; nan is a time that was not reached, or a best
            or least of nothing.
        fan: What was looked at over time (n × looks × formulas), nan after a session's end.
    """

    shape: Shape
    number: NDArray[np.int64]
    player: NDArray[np.int64]
    seconds: Floats
    values: Floats
    fan: Floats

    @classmethod
    def made(cls, shape: Shape, first: int, outcomes: Sequence[SessionOutcome]) -> Sessions:
        """Return outcomes, the first of which has the number *first*, as arrays."""
        count = len(outcomes)
        fan = np.array([one.fan for one in outcomes], dtype=float)
        return cls(
            shape,
            np.arange(first, first + count, dtype=np.int64),
            np.array([one.player for one in outcomes], dtype=np.int64),
            np.array([one.seconds for one in outcomes], dtype=float),
            np.array([one.measures for one in outcomes], dtype=float).reshape(count, len(shape.measures)),
            fan.reshape(count, shape.looks, len(shape.fan)),
        )

    def without_fan(self) -> Sessions:
        """Return them without what was looked at over time, which is most of what they hold."""
        shape = replace(self.shape, looks=0)
        fan = np.empty((len(self), 0, len(shape.fan)))
        return Sessions(shape, self.number, self.player, self.seconds, self.values, fan)

    @classmethod
    def joined(cls, parts: Iterable[Sessions]) -> Sessions:
        """Return parts as one, in the order of their numbers."""
        several = list(parts)
        if not several:
            raise UsageError("there are no sessions")
        arrays = [
            np.concatenate([getattr(part, name) for part in several])
            for name in ("number", "player", "seconds", "values", "fan")
        ]
        order = np.argsort(arrays[0], kind="stable")
        return cls(several[0].shape, *(array[order] for array in arrays))

    def __len__(self) -> int:
        return len(self.number)

    def picked(self, which: Any) -> Sessions:
        """Return some of them: by truths, or by places."""
        arrays = (self.number, self.player, self.seconds, self.values, self.fan)
        return Sessions(self.shape, *(array[which] for array in arrays))

    def of(self, player: str) -> Sessions:
        """Return those of one kind of player; "all" is everybody."""
        if player == "all":
            return self
        if player not in self.shape.players:
            raise UnknownNameError("kind of player", player, ("all", *self.shape.players))
        return self.picked(self.player == self.shape.players.index(player))

    @property
    def groups(self) -> tuple[str, ...]:
        """ "all", and each kind of player that was played, where there is more than one."""
        there = [name for at, name in enumerate(self.shape.players) if np.any(self.player == at)]
        return ("all", *(there if len(there) > 1 else ()))

    def measure(self, name: str) -> Floats:
        """Return one measure of each (n)."""
        values: Floats = self.values[:, self.shape.index(name)]
        return values

    def table(self) -> Table:
        """Return them as rows: number, kind of player, seconds, measures."""
        rows = [
            (
                int(self.number[at]),
                self.shape.players[self.player[at]],
                float(self.seconds[at]),
                *(
                    None if value != value else bool(value) if kind == "truth" else float(value)
                    for value, kind in zip(self.values[at], self.shape.kinds, strict=True)
                ),
            )
            for at in range(len(self))
        ]
        kinds = zip(self.shape.measures, self.shape.kinds, strict=True)
        types = {name: "boolean" if kind == "truth" else "Float64" for name, kind in kinds}
        return Table(
            ("session", "player", "seconds", *self.shape.measures), rows, {"seconds": "Float64", **types}
        )

    def write(self, path: Path) -> None:
        """Write them as a file of arrays, whole or not at all."""
        part = path.with_name(f"{path.name}.part")
        with part.open("wb") as file:
            np.savez_compressed(
                file,
                number=self.number,
                player=self.player,
                seconds=self.seconds,
                values=self.values,
                fan=self.fan,
            )
        part.replace(path)

    @classmethod
    def read(cls, shape: Shape, path: Path) -> Sessions:
        """Return what `write` wrote."""
        with np.load(path, allow_pickle=False) as found:
            return cls(
                shape, found["number"], found["player"], found["seconds"], found["values"], found["fan"]
            )
