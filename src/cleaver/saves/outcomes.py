"""Outcomes: what loading and saving can come to. Values only; start at `Found`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from cleaver.core.profile import Profile
from cleaver.rounding import counted


class Found(NamedTuple):
    """A profile that was read; `recovered_from` are revisions that were damaged, newest first, `missing` how
    many transactions the whole store has lost."""

    profile: Profile
    revision: int
    recovered_from: tuple[int, ...] = ()
    missing: int = 0

    @property
    def note(self) -> str:
        """What your game should report, "" where nothing was wrong."""
        notes = []
        if self.recovered_from:
            notes.append(f"revision {self.recovered_from[0]} is damaged, loaded revision {self.revision}")
        if self.missing:
            notes.append(
                f"the store has lost its last {counted(self.missing, 'transaction')}; this may be an "
                "older state"
            )
        return f"profile {self.profile.player}: {'; '.join(notes)}" if notes else ""


class Absent(NamedTuple):
    """A player who was never saved; not the same as one who saved zero."""

    player: str


class DamagedProfile(NamedTuple):
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
    """A process with a lease: its name, and the seconds that still runs; of a list of all, also how many
    players it has, whether it is known to be dead, and its id."""

    name: str
    left: float
    players: int = 1
    dead: bool = False
    id: str = ""


class Correction(NamedTuple):
    """One line of the audit trail.

    Attributes:
        at: When, in seconds since 1970.
        who: The name of the store that did it: `open_store(name=)`.
        what: What was done: ``"restore"``, ``"import"``, …
        player: To whom; "" where it is about the whole store.
        detail: From which file, revision or process.
        why: The reason that was given.
        before: What the profile had by path, such as ``{"currencies.scrip": 30}``, of what is another now.
        after: What it has there now.
    """

    at: float
    who: str
    what: str
    player: str
    detail: str
    why: str = ""
    before: Mapping[str, Any] = {}
    after: Mapping[str, Any] = {}
