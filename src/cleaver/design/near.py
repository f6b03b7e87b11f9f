"""Near: which files are designs, and which one a script names, told from their text without reading them.

Asked of files that may be anybody's, so it loads nothing of Cleaver. Start at `is_design`.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from cleaver import files

MAX_BYTES = 8 * 1024 * 1024  # of a design
_NAMED = re.compile(r"#\s*design:\s*(\S.*)")
_VARIANT = re.compile(r"#\s*variant:\s*(\S+)")
_DESIGN = re.compile(
    rb'^\s*(\[\s*(game|actors|"actors")\s*[.\]]|actors\s*[.=])|^\s*\{?\s*"(actors|game)"\s*:', re.MULTILINE
)
_GAME = re.compile(rb"""^\s*(\[\s*["']?game["']?\s*\]|game\s*[.=]|\{?\s*"game"\s*:)""", re.MULTILINE)


def is_design(file: Path) -> bool:
    """Return whether a file looks like a design: it has a [game] section, or kinds of actors."""
    return _has(file, _DESIGN)


def has_game(file: Path) -> bool:
    """Return whether a file has a [game] section, also if it is no valid TOML or JSON."""
    return _has(file, _GAME)


def _has(file: Path, pattern: re.Pattern[bytes]) -> bool:
    try:
        return bool(pattern.search(files.read(file, MAX_BYTES)))
    except (OSError, files.TooLongError):
        return False


def names_design(lines: Sequence[str]) -> str:
    """Return the design that a comment in a script's head names, as it stands there; "" for none."""
    return _named(lines, _NAMED)


def names_variant(lines: Sequence[str]) -> str:
    """Return the variant that a comment in a script's head names; "" for none."""
    return _named(lines, _VARIANT)


def _named(lines: Sequence[str], pattern: re.Pattern[str]) -> str:
    for line in lines:
        text = line.strip()
        if text and not text.startswith(("#", "journal ")):
            break
        named = pattern.match(text)
        if named:
            return named.group(1)
    return ""


def designs_in(folder: Path) -> list[Path]:
    """Return the designs in a folder."""
    return [file for file in sorted((*folder.glob("*.toml"), *folder.glob("*.json"))) if is_design(file)]
