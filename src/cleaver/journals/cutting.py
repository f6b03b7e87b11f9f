"""Cutting: a stretch of a journal as a script of its own, from a snapshot of the world at its beginning.

Start at `cut`.
"""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path
from typing import NamedTuple

from cleaver import files
from cleaver.design.design import load_design
from cleaver.errors import UsageError, unwritable
from cleaver.script import Session, play
from cleaver.script.files import HEAD, MOST, Beside, is_journal, read_script

_UNTIL = re.compile(r"until ([0-9.]+)\b")


class Cut(NamedTuple):
    """What was cut: how many commands, from when to when in seconds, and the file of its design."""

    commands: int
    start: float
    end: float
    design: Path


def cut(journal: Path, out: Path, start: float | None = None, end: float | None = None) -> Cut:
    """Write what a journal did between two instants as a script, with the world as it stood at the first.

    Args:
        journal: What `cleaver.journal` has written.
        out: The new script; its files stand in the folder OUT.files.
        start: In seconds of the world's clock; None for the beginning of the journal.
        end: As well; None for its end.

    Raises:
        UsageError: No journal, nothing between the two instants, or a file that is there already.
        ScriptError: A line of the journal that is wrong or damaged.
    """
    if start is not None and end is not None and end < start:
        raise UsageError(f"the stretch would end at {end:g} s, before it begins at {start:g} s")
    written = read_script(journal)
    if not is_journal(journal):
        raise UsageError(f"{journal.name} is no journal; cleaver.journal(world, path) writes one")
    lines = [line for line in written if not line.startswith("#")]
    folder, made = Beside(journal).folder, Beside(out).folder
    session = Session(load_design(folder / "design1.json"), folder=journal.parent, history=0)
    first = _first_after(lines, start) if start is not None else _begins(lines)
    play(session, lines[:first], file=journal.name)
    if start is not None and session.world.now_us < round(start * 1e6):
        session.world.advance(microseconds=round(start * 1e6) - session.world.now_us)
    begins = session.world.now
    last = len(lines) if end is None else max(_first_after(lines, end), first)
    kept = lines[first:last]
    if end is not None and last < len(lines) and end > max(begins, _end(kept)):
        kept.append(f"until {end:.6f}".rstrip("0").rstrip("."))
    if not kept:
        raise UsageError(
            f"{journal.name} has nothing between these instants; it goes from 0 to {_end(lines):g} s"
        )
    body = {"design1.json": session.design.text.encode()}
    if start is None and not lines[first - 1].startswith("restore "):
        head = lines[1:first]
    else:
        head = [f"restore start from={made.name}/world1.json"]
        body["world1.json"] = json.dumps(session.world.snapshot(), separators=(",", ":")).encode()
    text = [HEAD.decode().rstrip(), f"# design: {made.name}/design1.json", *head]
    text += [_with_files(line, folder, made.name, body) for line in kept]
    _write(out, made, text, body)
    commands = sum(not line.startswith("until ") for line in kept)
    return Cut(commands, begins, max(begins, _end(kept)), made / "design1.json")


def _write(out: Path, made: Path, text: list[str], body: dict[str, bytes]) -> None:
    """Write a script and the files that it names: all of them, or none."""
    if out.exists() or made.exists():
        raise UsageError(f"{out.name} or its files are there already; name another file")
    try:
        made.mkdir()
        for name, content in body.items():
            files.write(made / name, content)
        files.write(out, "".join(f"{line}\n" for line in text))
    except OSError as error:
        shutil.rmtree(made, ignore_errors=True)
        raise UsageError(f"{out.name} {unwritable(error)}; name another file") from None


def _first_after(lines: list[str], instant: float) -> int:
    """Return the number of the first line that lets time pass beyond an instant."""
    for number, line in enumerate(lines):
        time = _UNTIL.match(line)
        if time is not None and float(time[1]) > instant:
            return number
    return len(lines)


def _begins(lines: list[str]) -> int:
    """Return the number of the first line that is no heading."""
    heads = ("journal ", "seed ", "restore ")
    return next((number for number, line in enumerate(lines) if not line.startswith(heads)), len(lines))


def _end(lines: list[str]) -> float:
    """Return the last instant that lines let time pass to."""
    return max((float(time[1]) for line in lines if (time := _UNTIL.match(line)) is not None), default=0.0)


def _with_files(line: str, folder: Path, made: str, body: dict[str, bytes]) -> str:
    """Return a line with the files it names in another folder; what is in them is added to *body*."""
    for name in re.findall(rf"{re.escape(folder.name)}/(\w+\.json)", line):
        new = name if name.startswith("profile") else f"adopted_{name}"
        body[new] = files.read(folder / name, MOST)
        line = line.replace(f"{folder.name}/{name}", f"{made}/{new}")
    return line
