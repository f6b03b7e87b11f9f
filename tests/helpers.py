"""Short ways to make worlds of made-up kinds, and to run the real command."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path
from typing import Any

from cleaver import Actor, Design, Event, World, sample

REEF, DIVE = str(sample.path("lanternreef.toml")), str(sample.path("dive.play"))


class Clock:
    """A clock that is set by hand."""

    def __init__(self) -> None:
        self.now = 0.0

    def __call__(self) -> float:
        return self.now


def crate_world(
    meter: Any = 100, *, seed: int = 1, guard: dict[str, Any] | None = None, **tables: Any
) -> tuple[World, Actor]:
    """Return a world with one player "box" of kind crate, whose vital meter is `planks`; *tables* are further
    sections."""
    crate = {
        "player": True,
        "vital": "planks",
        "meters": {"planks": meter},
        "guard": guard or {},
    } | tables.pop("crate", {})
    actors = {"crate": crate, "wasp": {"vital": "wings", "meters": {"wings": 10}}} | tables.pop("actors", {})
    world = World(Design.from_dict({"actors": actors, **tables}), seed=seed)
    return world, world.join("crate", "box")


def names(events: Any) -> list[str]:
    """Return the names of events, in order."""
    return [event.name for event in events]


def log_of(world: World) -> list[dict[str, Any]]:
    """Return every event a world kept, as data."""
    return [event.plain() for event in world.events]


def heard(world: World, name: str) -> list[Event]:
    """Return a list that every further event of that name is added to."""
    events: list[Event] = []
    world.listen_own(name, events.append)
    return events


def run(*words: str, stdin: str = "", cwd: Path | None = None, **env: str) -> tuple[int, str, str]:
    """Return (exit code, stdout, stderr) of the real command."""
    done = subprocess.run(
        [sys.executable, "-m", "cleaver", *words],
        input=stdin,
        capture_output=True,
        text=True,
        cwd=cwd,
        check=False,
        encoding="utf-8",
        env={**os.environ, "NO_COLOR": "1", "COLUMNS": "120", "PYTHONIOENCODING": "utf-8", **env},
    )
    assert "Traceback" not in done.stderr + done.stdout
    return done.returncode, done.stdout, done.stderr


def state(player: Actor, quest: str) -> str:
    """Return the state of a quest; checkers take two `assert`s on the same property for a contradiction."""
    return player.quests[quest].state
