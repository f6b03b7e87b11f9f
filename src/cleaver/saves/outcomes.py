"""Outcomes: what loading and saving can come to. Values only; start at `Found`."""

from __future__ import annotations

from typing import NamedTuple

from cleaver.core.profile import Profile


class Found(NamedTuple):
    """A profile that was read; `recovered_from` are revisions that were damaged, newest first."""

    profile: Profile
    revision: int
    recovered_from: tuple[int, ...] = ()

    @property
    def note(self) -> str:
        """What your game should report, "" where nothing was wrong."""
        if not self.recovered_from:
            return ""
        return (
            f"profile {self.profile.player}: revision {self.recovered_from[0]} is damaged, loaded "
            f"revision {self.revision}"
        )


class Absent(NamedTuple):
    """A player who was never saved; not the same as one who saved zero."""

    player: str


class Damaged(NamedTuple):
    """A player whose saved generations cannot be read; `tried` says what was wrong with each, newest
    first."""

    player: str
    tried: tuple[str, ...]


class HighScore(NamedTuple):
    """One row of a high-score table."""

    rank: int
    player: str
    score: int


class SaveInfo(NamedTuple):
    """What a save made: the revision, its bytes and its checksum."""

    player: str
    revision: int
    size: int
    checksum: str


class Holder(NamedTuple):
    """Who has a profile: the name of the process, and the seconds its lease still runs."""

    name: str
    left: float
