"""The `cleaver` command, and `python -m cleaver`: the way to `cleaver.cli`, which needs the extra "cli"."""

import os
import sys


def main() -> None:
    """Run the command line, or say what to install for it."""
    _open_streams()
    try:
        from cleaver.cli.main import (
            main as run,
        )  # Only a command line needs click, and a game ships without it
    except ModuleNotFoundError as missing:
        if missing.name not in ("click", "platformdirs", "rich"):
            raise
        print(
            'The command line needs the extra "cli": pip install "cleaver-progression[cli,saves]"',
            file=sys.stderr,
        )
        sys.exit(2)
    run()


def _open_streams() -> None:
    """Let what was closed by who started this lead nowhere, in place of an error at the first line."""
    for name, mode in (("stdin", "r"), ("stdout", "w"), ("stderr", "w")):
        if getattr(sys, name) is None:
            setattr(sys, name, open(os.devnull, mode, encoding="utf-8"))  # noqa: SIM115


if __name__ == "__main__":
    main()
