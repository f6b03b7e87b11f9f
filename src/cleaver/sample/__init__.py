"""The sample game: Lanternreef, salvage divers in a drowned harbour. Start at `path`."""

from pathlib import Path


def path(name: str) -> Path:
    """Return where a file of the sample stands: "lanternreef.toml" or "dive.play"."""
    return Path(__file__).parent / name
