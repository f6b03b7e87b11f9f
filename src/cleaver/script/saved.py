"""Saved: what a script takes from files: profiles, designs, worlds. Start at `profile_of`."""

from __future__ import annotations

import json
from pathlib import Path

from cleaver import files
from cleaver.core.profile import Profile
from cleaver.core.world import World
from cleaver.design.design import Design, load_design
from cleaver.errors import SnapshotError, UsageError, unreadable
from cleaver.script.session import Session

MAX_BYTES = 200_000_000  # of a snapshot


def profile_of(session: Session, name: str, player: str) -> Profile:
    """Return a player's profile out of a file that a script names."""
    from cleaver.saves.document import decode_file  # a database is slow to import

    return session.own_store().versions.carry(decode_file(_file(session, name), player))


def design_in_file(session: Session, name: str) -> Design:
    """Return the design in a file that a script names."""
    return load_design(_file(session, name))


def world_of(session: Session, name: str) -> World:
    """Return the world in a snapshot's file; it goes on under the design of the run."""
    file = _file(session, name)
    try:
        snapshot = json.loads(files.read(file, MAX_BYTES))
    except OSError as error:
        raise SnapshotError(f"{name} {unreadable(error)}; check the path") from None
    except files.TooLongError:
        raise SnapshotError(f"{name} is more than {MAX_BYTES:,} bytes long") from None
    except ValueError as error:
        raise SnapshotError(f"{name} is no snapshot: {error}") from None
    return World.restore(session.design, snapshot, history=session.history, adopt=True)


def _file(session: Session, name: str) -> str:
    return name if session.folder is None else _beside(session.folder, name)


def _beside(folder: Path, name: str) -> str:
    """Return a file that a script names: beside it or below, so that no script reads what is not its own."""
    try:
        file = (folder / name).resolve()
    except ValueError:
        raise UsageError(f"from={name!r} is no path") from None
    if not file.is_relative_to(folder.resolve()):
        raise UsageError(f"from={name} stands outside of the script's folder; put the file beside the script")
    return str(folder / name)
