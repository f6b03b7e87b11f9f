"""Starting: what importing Cleaver and asking for help cost, beside an interpreter that does nothing."""

from __future__ import annotations

import os
import subprocess
import sys

from common import finish, ratio


def run(*words: str) -> None:
    """Run a fresh interpreter."""
    environment = {
        name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"
    }  # installed packages are compiled
    subprocess.run([sys.executable, *words], check=True, capture_output=True, env=environment)


def main() -> None:
    for words in (("-c", "import cleaver; cleaver.World"), ("-m", "cleaver", "--help")):
        run(*words)  # once, so that nothing is compiled while it is timed
    ratio(
        "import cleaver, and a name of it / python -c pass",
        lambda: run("-c", "import cleaver; cleaver.World"),
        lambda: run("-c", "pass"),
        bar=2.5,
        rounds=21,
    )
    ratio(
        "cleaver --help / python -c pass",
        lambda: run("-m", "cleaver", "--help"),
        lambda: run("-c", "pass"),
        bar=6,
        rounds=21,
    )
    finish()


if __name__ == "__main__":
    main()
