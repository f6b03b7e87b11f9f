"""Keeping: a room on disk, so that it comes back after a crash.

A journal is written of all that is done, in stretches of a minute, each beginning with the world as it stood;
beside it stands who is known by which name. What was written last is played again. Start at `Keeping` and
`recovered`.
"""

from __future__ import annotations

import json
import logging
import re
from collections.abc import Callable, Mapping
from pathlib import Path
from time import monotonic
from typing import Any, NamedTuple

from cleaver import files
from cleaver.core import read
from cleaver.core.world import World
from cleaver.design.design import Design, load_design
from cleaver.errors import CleaverError, ScriptError, UsageError, said, unwritable
from cleaver.journals.writing import Journal
from cleaver.script import commands as _all_commands  # noqa: F401  # fills the table
from cleaver.script.files import read_script
from cleaver.script.runner import play
from cleaver.script.session import Session, Step

log = logging.getLogger("cleaver.rooms")
STRETCH = 60.0  # seconds of a journal, after which the next begins with a snapshot
LEFT = 3  # stretches that are kept
MOST_NAMES = 10_000_000  # bytes of what is known of players


class KnownPlayer(NamedTuple):
    """What is known of who was in a room: the shown name, and the revision of the last save."""

    shown: str
    revision: int = 0


class Keeping:
    """The journal of one room. Where it cannot be written the game goes on, and `trouble` says why; the next
    stretch is tried a minute later.

    Args:
        world: The room's world.
        folder: Where; it is made if it is not there.
        name: Of the room, which its files are called by.
        known: Who was in the room before.
        clock: Returns the time in seconds by which stretches are measured.

    Raises:
        UsageError: The name cannot be one of files, or the folder cannot be written.
    """

    world: World

    folder: Path
    name: str
    known: dict[str, KnownPlayer]

    def __init__(
        self,
        world: World,
        folder: Path,
        name: str,
        known: Mapping[str, KnownPlayer] | None = None,
        *,
        clock: Callable[[], float] = monotonic,
    ) -> None:
        can_name_files(name)
        self.world, self.folder, self.name, self._clock = world, folder, name, clock
        self.known = dict(known or {})
        self._trouble = ""
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise UsageError(f"{folder} {unwritable(error)}") from None
        self._number = max((number for number, _ in stretches(folder, name)), default=0)
        self._journal: Journal | None = None
        self._next()

    @property
    def trouble(self) -> str:
        """Why nothing is written any more, "" where all is well."""
        return self._trouble or ("" if self._journal is None else self._journal.trouble)

    def _next(self) -> None:
        """Begin the next stretch, and drop old ones.

        Raises:
            UsageError: It cannot be written.
        """
        if self._journal is not None:
            self._journal.close()
            self._journal = None
        self._began = self._clock()
        self._number += 1
        self._journal = Journal(self.world, self.folder / f"{self.name}.{self._number:06d}.play")
        self._trouble = ""
        self.write_names()
        for number, path in stretches(self.folder, self.name):
            if number <= self._number - LEFT:
                _remove(path)

    def beat(self) -> None:
        """Begin the next stretch where it is time."""
        if self._clock() - self._began < STRETCH or read.parts(self.world).stage.draining:
            return
        try:
            self._next()
        except UsageError as error:
            self._trouble = str(error)
            log.error("room %s: its journal cannot be written: %s", self.name, error)

    def before_saving(self, revisions: Mapping[str, int]) -> None:
        """Bring the journal to the disk, with the revisions as which its players are saved next: whoever is
        found in the store as one of these is no newer there than here."""
        if self._journal is not None:
            for player, revision in revisions.items():
                if player in self.known:
                    self._journal.remark(f"{_SAVING}{revision} {player}")
            self._journal.sync()

    def sync(self) -> None:
        """Bring the journal to the disk."""
        if self._journal is not None:
            self._journal.sync()

    def note(self, player: str, shown: str, revision: int) -> None:
        """Write down by which name somebody is known, and which revision of it was saved last."""
        self.known[player] = KnownPlayer(shown, revision)
        self.write_names()

    def forget(self, player: str) -> None:
        """Forget somebody who has left."""
        if self.known.pop(player, None) is not None:
            self.write_names()

    def write_names(self) -> None:
        """Write down who is known by which name."""
        text = json.dumps({player: list(one) for player, one in self.known.items()}, ensure_ascii=False)
        try:
            files.write(names_file(self.folder, self.name), text.encode(), sync=True)
        except OSError as error:
            self._trouble = f"the names of players {unwritable(error)}"
            log.error("room %s: %s", self.name, self._trouble)

    def close(self) -> None:
        """End the journal."""
        if self._journal is not None:
            self.write_names()
            self._journal.close()
            self._journal = None


def _remove(path: Path) -> None:
    """Take a stretch away, with what stands beside it."""
    beside = path.with_name(f"{path.name}.files")
    for file in (*beside.glob("*"), path):
        file.unlink(missing_ok=True)
    if beside.is_dir():
        beside.rmdir()


_SAVING = "saving as revision "  # begins a remark in a journal


def can_name_files(name: str) -> None:
    """Raise where a room's name cannot be part of the name of a file."""
    if not isinstance(name, str) or not re.fullmatch(r"[\w-]{1,60}", name):
        raise UsageError(f"{said(name)} cannot name files; use letters, digits, - and _")


def names_file(folder: Path, name: str) -> Path:
    """Return where it stands who is known by which name."""
    return folder / f"{name}.names.json"


def stretches(folder: Path, name: str) -> list[tuple[int, Path]]:
    """Return the stretches of a room's journal with their numbers, in order."""
    can_name_files(name)
    found = []
    for path in folder.glob(f"{name}.*.play"):
        number = path.name.removeprefix(f"{name}.").removesuffix(".play")
        if number.isdecimal():
            found.append((int(number), path))
    return sorted(found)


class Recovered(NamedTuple):
    """What came back: the world, what is known of players, and the stretch that it came from."""

    world: World
    known: dict[str, KnownPlayer]
    path: Path


def recovered(folder: Path, name: str, design: Design) -> Recovered:
    """Return a room's world as its journal has it, up to the last line that was written whole.

    Raises:
        UsageError: There is no journal, or none of its stretches can be played; it says what is wrong.
    """
    wrong = ""
    known = _names(folder, name)
    for _, path in reversed(stretches(folder, name)):
        try:
            lines = read_script(path)
            if len(lines) < 2:  # it died when this stretch had just begun: the one before is whole
                continue
            world, saved = _played(path, lines, design)
        except (CleaverError, OSError) as error:
            wrong = wrong or f"{path.name}: {str(error).splitlines()[0]}"
            continue
        for player, revision in saved.items():
            if player in known:
                known[player] = known[player]._replace(revision=max(revision, known[player].revision))
        return Recovered(world, known, path)
    raise UsageError(
        f"room {name} cannot be brought back from {folder.name}: {wrong or 'there is no journal'}"
    )


def _played(path: Path, lines: list[str], design: Design) -> tuple[World, dict[str, int]]:
    saved: dict[str, int] = {}

    def tell(step: Step) -> None:
        for event in step.events:
            if event.name == "saved":
                saved[event.actor] = max(int(event.get("revision")), saved.get(event.actor, 0))

    for line in lines:
        if line.startswith(f"# {_SAVING}"):
            revision, _, player = line.removeprefix(f"# {_SAVING}").partition(" ")
            saved[player] = int(revision)
    session = Session(_design_of(path, lines, design), folder=path.parent)
    play(session, lines, file=path.name, tell=tell)
    snapshot = session.world.snapshot()
    same = session.design.fingerprint == design.fingerprint
    return World.restore(design, snapshot, adopt=not same), saved


def _design_of(path: Path, lines: list[str], design: Design) -> Design:
    """Return the design that a stretch begins under."""
    for line in lines[:5]:
        if line.startswith("# design: "):
            return load_design(path.parent / line.removeprefix("# design: "))
    raise ScriptError(path.name, 1, lines[0], "no design stands in its first lines")


def _names(folder: Path, name: str) -> dict[str, KnownPlayer]:
    try:
        found: Any = json.loads(files.read(names_file(folder, name), MOST_NAMES))
        return {str(player): KnownPlayer(str(one[0]), int(one[1])) for player, one in found.items()}
    except (OSError, ValueError, TypeError, AttributeError, LookupError, OverflowError, RecursionError):
        return {}  # only how they were called
