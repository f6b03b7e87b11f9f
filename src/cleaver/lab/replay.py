"""Replay: a session of a trial as a script that does the same. Start at `replay`."""

from __future__ import annotations

import json
from pathlib import Path

from cleaver import files
from cleaver.errors import UsageError
from cleaver.lab.bench import Bench
from cleaver.lab.play import Player
from cleaver.script.runner import play
from cleaver.script.session import Session


def same_as_script(player: Player, seed: int, number: int, only: str = "") -> None:
    """Play a session, and again as a script.

    Raises:
        UsageError: The two worlds differ, or a measure does.
    """
    _, lines, world = player.recorded(seed, number, only)
    again = Session(player.design)
    play(again, lines, file=f"session {number}")
    one, two = (json.dumps(made.snapshot(), sort_keys=True) for made in (world, again.world))
    if one != two or again.failures:
        raise UsageError(
            f"session {number} (seed {seed}) is not what its script comes to; please report it with the trial"
        )


def replay(lab: Bench, number: int, into: Path) -> list[Path]:
    """Write a session as a script, with the design that it is played on and an expectation for each measure.
    Where a measure is made of the players' inputs, which scripts do not know, it stands as a comment.

    Args:
        lab: The trial.
        number: Of the session.
        into: A folder; it is made if it is not there, and nothing in it is written over.

    Raises:
        UsageError: The files are there already or cannot be written, or Python callables play.
    """
    if isinstance(number, bool) or not isinstance(number, int) or number < 0:
        raise UsageError(f"{number!r} is no session; they are numbered from 0")
    if lab.by_python:
        raise UsageError("what a Python callable does is no script; replay a session that habits play")
    player = lab.player()
    outcome, lines, _ = player.recorded(lab.seed, number, lab.only)
    design, script = into / f"session{number}.json", into / f"session{number}.play"
    there = [path.name for path in (design, script) if path.exists()]
    if there:
        raise UsageError(f"{into} holds {' and '.join(there)} already; name another folder")
    kind = player.kinds[outcome.player]
    text = [
        f"# {lab.trial.title}: session {number}, seed {lab.seed}, {kind}",
        f"# design: {design.name}",
        *lines,
    ]
    try:
        into.mkdir(parents=True, exist_ok=True)
        files.write(design, json.dumps(json.loads(player.design.text), indent=1, ensure_ascii=False) + "\n")
        files.write(script, "\n".join(text) + "\n")
    except OSError as error:
        raise UsageError(
            f"{into} cannot be written: {error.strerror or error}; name another folder"
        ) from None
    return [design, script]
