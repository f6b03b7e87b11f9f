"""Recording: what was typed, written down as a script while it is played.

Lines that acted and expectations that held are kept, wrong ones are not, and what is taken back goes from the
file too. Start at `Recording`.
"""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from cleaver import files
from cleaver.errors import UsageError
from cleaver.script.files import Beside
from cleaver.script.state import Values, changed, state_of

if TYPE_CHECKING:
    from cleaver.design.design import Design
    from cleaver.script.session import Session, Step

LONGEST = 400  # characters of one expectation that is added
_KEPT = (
    "expect",
    "expect_error",
    "snapshot",
    "store",
)  # commands that do not act and belong into a script all the same


class RecordedLine(NamedTuple):
    """One line that was carried out: whether it acted, what was known before it, whether it stands in the
    file."""

    text: str
    acts: bool
    seen: Values
    written: bool


class Recording:
    """A script that grows as somebody plays.

    Args:
        session: What is played.
        file: The script, a new file.
        design: Where the design was read from.
        moving: Whether that file changes while the session is played: then the script names a copy.

    Raises:
        UsageError: The file is there already, or cannot be written.
    """

    session: Session
    file: Path
    seen: Values
    head: list[str]

    def __init__(
        self, session: Session, file: Path, design: Path | None = None, *, moving: bool = False
    ) -> None:
        self.session, self.file, self._beside = session, file, Beside(file)
        self.on = True
        self.lines: list[
            RecordedLine
        ] = []  # those left out while it is off too: `undo` may be about one of them
        self.taken: list[list[RecordedLine]] = []  # what `undo` took, for `redo`
        self.seen = state_of(session.world, session.placements)
        try:
            if moving:
                self.head = [f"# design: {self._beside.keep('design', session.design.text)}"]
            else:
                self.head = [f"# design: {_relative(design, file.parent)}"] if design is not None else []
            self.head += [f"seed {session.world.seed}"] if session.world.seed else []
            with file.open("x", encoding="utf-8") as out:
                out.write("".join(f"{line}\n" for line in self.head))
        except FileExistsError:
            raise UsageError(f"{file} is there already; name another file to record into") from None
        except OSError as error:
            raise UsageError(
                f"{file} cannot be written: {error.strerror}; name another file to record into"
            ) from None

    def note(self, step: Step, *, acts: bool) -> None:
        """Keep a line that was carried out, if it belongs into a script."""
        name = step.text.partition(" ")[0]
        if name == "undo":
            self._take_back()
        elif name == "redo":
            for line in self.taken.pop() if self.taken else ():
                self._add(line)
        elif acts or (name in _KEPT and self.on and not step.failed):
            self._add(RecordedLine(step.text, acts, self.seen, self.on))
            if acts:
                self.taken.clear()
            if name in ("join", "spawn", "place"):  # what they came with has not changed
                self.seen = state_of(self.session.world, self.session.placements) | self.seen

    def expect(self) -> list[str]:
        """Add an expectation for each actor with something that changed since the last ones; returns the
        lines."""
        now = state_of(self.session.world, self.session.placements)
        terms: dict[str, list[str]] = {}
        for path, before, after in changed(self.seen, now):
            root = path.partition(".")[0]
            told = _terms(path, before, after)
            if told and root.isidentifier():
                terms.setdefault(root, []).extend(told)
        lines = [line for told in terms.values() for line in _lines(told)]
        for line in lines:
            self._add(RecordedLine(line, False, self.seen, True))
        self.seen = now
        return lines

    def adopted(self, design: Design) -> None:
        """Keep that the game has gone on under another design, as it is now."""
        self.add(f"adopt {self._beside.keep('design', design.text)}")

    def add(self, text: str) -> None:
        """Keep a line that acted without having been typed: time that ran."""
        self._add(RecordedLine(text, True, self.seen, self.on))
        self.taken.clear()

    def _add(self, line: RecordedLine) -> None:
        self.lines.append(line)
        if line.written:
            with self.file.open("a", encoding="utf-8") as out:
                out.write(f"{line.text}\n")

    def _take_back(self) -> None:
        """Forget the last line that acted, and what was expected after it."""
        last = next((index for index in range(len(self.lines) - 1, -1, -1) if self.lines[index].acts), None)
        if last is None:
            return  # taken back was what came before this began
        self.seen = self.lines[last].seen
        self.taken.append(self.lines[last:])
        del self.lines[last:]
        kept = [*self.head, *(line.text for line in self.lines if line.written)]
        files.write(self.file, "".join(f"{text}\n" for text in kept))


def _terms(path: str, before: Any, after: Any) -> list[str]:
    """Return what to expect of one value that changed; nothing for one that is not there any more or never
    was anything."""
    if isinstance(after, tuple):
        old = before or ()
        return [f'"{name}" in {path}' for name in after if name not in old] + [
            f'not "{name}" in {path}' for name in old if name not in after
        ]
    if after is None or (before is None and not after):
        return []
    if isinstance(after, bool):
        return [path if after else f"not {path}"]
    if isinstance(after, str):
        return [f'{path} == "{after}"']
    return [f"{path} == {int(after) if after == int(after) else round(after, 10)!r}"]


def _lines(terms: list[str]) -> list[str]:
    lines: list[str] = []
    for term in terms:
        if lines and len(lines[-1]) + len(term) < LONGEST:
            lines[-1] += f" and {term}"
        else:
            lines.append(f"expect {term}")
    return lines


def _relative(design: Path, folder: Path) -> str:
    try:
        return Path(os.path.relpath(design, folder or ".")).as_posix()
    except ValueError:  # another drive
        return design.as_posix()
