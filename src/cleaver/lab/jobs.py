"""Jobs: what a worker needs to play sessions, as plain data. Start at `play_block`."""

from __future__ import annotations

import json
from functools import lru_cache, partial
from pathlib import Path
from typing import Any, NamedTuple

from cleaver.design.design import Design
from cleaver.lab.loading import trial_of
from cleaver.lab.play import Bot, Player
from cleaver.lab.sessions import Sessions, Shape

Block = tuple[int, int]


class Job(NamedTuple):
    """What sessions are of: the design and the trial as JSON texts, the seed, and the one kind of player that
    plays, "" for all by their shares."""

    design: str
    trial: str
    seed: int
    only: str


@lru_cache(maxsize=8)
def player_of(design: str, trial: str) -> Player:
    """Return who plays a trial; made once in each process."""
    return Player(trial_of(json.loads(trial), Design.from_dict(json.loads(design)), checked=True))


@lru_cache(maxsize=8)
def shape_of(design: str, trial: str) -> Shape:
    """Return what the sessions of a trial have."""
    return Shape.of(player_of(design, trial))


def play_block(job: Job, block: Block, bots: dict[str, Bot] | None = None) -> Sessions:
    """Play the sessions from a number up to another one.

    Raises:
        UsageError: One of them cannot be played, with its number.
    """
    player = player_of(job.design, job.trial)
    first, end = block
    outcomes = [player.play(job.seed, number, job.only, bots=bots) for number in range(first, end)]
    return Sessions.made(shape_of(job.design, job.trial), first, outcomes)


class Task:
    """`play_block` for one job, as something that processes and clusters can be sent.

    Args:
        job: What is played.
        bots: Python callables that play.
        table: A folder in which each block is written down as Parquet where it was played; "" for none.
        fan: Whether what was looked at over time comes back too.
    """

    job: Job
    bots: dict[str, Bot] | None
    table: str
    fan: bool

    def __init__(
        self, job: Job, bots: dict[str, Bot] | None = None, table: str = "", *, fan: bool = True
    ) -> None:
        self.job, self.bots, self.table, self.fan = job, bots, table, fan

    def __call__(self, block: Block) -> Sessions:
        """Play a block."""
        return self.reduced(play_block(self.job, block, self.bots))

    def reduced(self, found: Sessions) -> Sessions:
        """Write a block down where that is asked for, and return what is to come back of it."""
        if self.table:
            name = f"{found.number[0]:09d}-{found.number[-1] + 1:09d}.parquet"
            found.table().write(Path(self.table) / name)
        return found if self.fan else found.without_fan()

    def fingerprint(self) -> str:
        """Return the fingerprint of the design as it is read where this is called."""
        return player_of(self.job.design, self.job.trial).design.fingerprint

    def __reduce__(self) -> Any:
        return partial(Task, fan=self.fan), (self.job, self.bots, self.table)
