"""The sample game: Lanternreef, salvage divers in a drowned harbour. Start at `path`."""

from importlib.resources import files
from pathlib import Path


def path(name: str) -> Path:
    """Return where a file of the sample stands: "lanternreef.toml" or "dive.play"."""
    return Path(str(files(__name__) / name))
