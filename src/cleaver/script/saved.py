"""Saved: profiles that a script takes from files. Start at `profile_of`."""

from __future__ import annotations

from pathlib import Path

from cleaver.core.profile import Profile
from cleaver.errors import UsageError
from cleaver.script.session import Session


def profile_of(session: Session, name: str, player: str) -> Profile:
    """Return a player's profile out of a file that a script names."""
    from cleaver.saves.document import decode_file  # a database is slow to import

    file = name if session.folder is None else _beside(session.folder, name)
    return session.own_store().versions.carry(decode_file(file, player))


def _beside(folder: Path, name: str) -> str:
    """Return a file that a script names: beside it or below, so that no script reads what is not its own."""
    try:
        file = (folder / name).resolve()
    except ValueError:
        raise UsageError(f"from={name!r} is no path") from None
    if not file.is_relative_to(folder.resolve()):
        raise UsageError(f"from={name} stands outside of the script's folder; put the file beside the script")
    return str(folder / name)
