"""The `cleaver` command, and `python -m cleaver`: the way to `cleaver.cli`, which needs the extra "cli"."""

import sys


def main() -> None:
    """Run the command line, or say what to install for it."""
    try:
        from cleaver.cli.main import (
            main as run,
        )  # Only a command line needs click, and a game ships without it
    except ModuleNotFoundError as missing:
        if missing.name not in ("click", "rich"):
            raise
        print(
            'The command line needs the extra "cli": pip install "cleaver-progression[cli,saves]"',
            file=sys.stderr,
        )
        sys.exit(2)
    run()


if __name__ == "__main__":
    main()
