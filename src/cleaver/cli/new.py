"""`cleaver new`: a small working game to begin from."""

from __future__ import annotations

import shutil
from importlib.util import find_spec
from pathlib import Path
from string import Template

import click

from cleaver import sample
from cleaver.cli.printing import say
from cleaver.errors import MissingExtraError, UsageError

FILES = {
    "design.toml": "the design",
    "dive.play": "a script with expectations",
    "test_design.py": "tests for pytest",
    "pytest.ini": "its settings",
    "game.py": "a game loop with saves",
    "README.md": "what to do with them",
    ".gitignore": "what not to keep",
}


@click.command("new")
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False), metavar="DIR")
@click.option("--window", is_flag=True, help="Let game.py be a small game in a window (extra 'window').")
def command(folder: Path, window: bool) -> None:
    """Make the folder DIR with a small working design, a script, a test, a game that saves and a README.
    Overwrites nothing.

    \b
    Example:  cleaver new reef
    """
    there = sorted(file.name for file in folder.iterdir()) if folder.exists() else []
    if there:
        raise UsageError(
            f"{folder} is there already and holds {', '.join(there[:3])}{', …' if len(there) > 3 else ''}; "
            "name a new folder"
        )
    title = (
        "".join(letter if letter.isalnum() else " " for letter in folder.resolve().name).strip().capitalize()
        or "A new game"
    )
    new = not folder.exists()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name in FILES:
            begun = "window.py" if window and name == "game.py" else name.removeprefix(".")
            text = sample.path(f"start/{begun}.txt").read_text(encoding="utf-8")
            (folder / name).write_text(
                Template(text).substitute(title=title, name="-".join(title.lower().split())), encoding="utf-8"
            )
    except OSError as error:
        if new:
            shutil.rmtree(folder, ignore_errors=True)
        else:
            for file in folder.iterdir():  # it was empty before
                file.unlink()
        raise UsageError(
            f"{folder} cannot be made: {getattr(error, 'strerror', None) or error}; name another folder"
        ) from None
    say(f"Created {folder}:")
    told = {**FILES, "game.py": "a small game in a window"} if window else FILES
    for name, what in told.items():
        say(f"  {name:<15} {what}")
    last = "python game.py" if window else "cleaver play design.toml"
    say(f"Next steps:\n  cd {folder}\n  cleaver test\n  {last}")
    for extra, package, needed in (("saves", "sqlalchemy", True), ("window", "pygame", window)):
        if needed and find_spec(package) is None:
            say(f"game.py needs the extra {extra!r}: {MissingExtraError('', extra).install}")
