"""Kept: sessions in a folder, so that a run that was stopped goes on with what is missing.

Each block is a file of its own, under what makes its sessions what they are: the trial, the design, the seed,
who plays, and Cleaver's version. Start at `Kept`.
"""

from __future__ import annotations

import hashlib
import json
import re
from pathlib import Path
from zipfile import BadZipFile

import numpy as np

from cleaver.errors import UsageError, unreadable
from cleaver.lab.jobs import Job
from cleaver.lab.sessions import Sessions, Shape

_FILE = re.compile(r"(\d+)-(\d+)\.npz")


class Kept:
    """The sessions of one job in a folder.

    Args:
        folder: Where; it is made if it is not there.
        job: What they are of.
        shape: What they have.

    Raises:
        UsageError: The folder cannot be used.
    """

    shape: Shape
    folder: Path

    def __init__(self, folder: Path, job: Job, shape: Shape) -> None:
        self.shape, self.folder = shape, folder / key_of_job(job)
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise UsageError(f"{folder} cannot hold what is played: {unreadable(error)}") from None

    def read(self, count: int) -> list[Sessions]:
        """Return what there is of the first *count* sessions; a file that cannot be read is left out, and is
        played again."""
        found: list[Sessions] = []
        have = np.zeros(count, dtype=bool)
        for path in sorted(self.folder.iterdir()):
            named = _FILE.fullmatch(path.name)
            if named is None or int(named[1]) >= count:
                continue
            try:
                part = Sessions.read(self.shape, path)
            except (OSError, ValueError, KeyError, EOFError, BadZipFile):
                continue
            numbers = part.number
            new = (numbers < count) & ~have[np.minimum(numbers, count - 1)]
            have[numbers[new]] = True
            found.append(part.picked(new))
        return found

    def keep(self, part: Sessions) -> None:
        """Write a block down."""
        part.write(self.folder / f"{part.number[0]:09d}-{part.number[-1] + 1:09d}.npz")


def key_of_job(job: Job) -> str:
    """Return a short text that is the same for jobs whose sessions are the same."""
    from importlib import metadata

    text = json.dumps([*job, metadata.version("cleaver-progression")], sort_keys=True, default=str)
    return hashlib.sha256(text.encode()).hexdigest()[:24]
