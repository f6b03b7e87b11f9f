"""Pages: the code and the commands of README and docs, run as a reader would.

A fence with ``title="file"`` is that file. In ``console``, lines after ``$`` are run by a shell beside the
sample game (`cd` holds for the rest of the page), and what follows is their output; a line of ``…`` stands
for any lines. ``python`` is run, one namespace a page, and a
``text`` fence after it is what it prints. To write real output into a page:

    python tests/pages.py docs/testing.md
"""

from __future__ import annotations

import contextlib
import io
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

from cleaver import sample

ROOT = Path(__file__).parent.parent
FENCE = re.compile(
    r"^```(\w*)[ \t]*(?:title=\"([^\"]+)\")?[^\n]*\n(.*?)^```[ \t]*$", re.DOTALL | re.MULTILINE
)
ANY = "…"


class Block(NamedTuple):
    """One fence of a page: where it stands, its language, the file it is, its text."""

    line: int
    language: str
    title: str
    text: str
    span: tuple[int, int]


def blocks(page: str) -> list[Block]:
    return [
        Block(page[: found.start()].count("\n") + 1, found[1], found[2] or "", found[3], found.span(3))
        for found in FENCE.finditer(page)
    ]


def commands(text: str) -> Iterator[tuple[str, str]]:
    """Yield each command of a console block with the output shown."""
    for part in re.split(r"^\$ ", text, flags=re.MULTILINE)[1:]:
        command, _, shown = part.partition("\n")
        yield command, shown


def plain(text: str) -> str:
    return "".join(f"{line.rstrip()}\n" for line in text.rstrip().splitlines())


def matches(shown: str, came: str) -> bool:
    """Whether output is as shown, ``…`` standing for any lines."""
    parts = [re.escape(part) for part in re.split(rf"^{ANY}\n", plain(shown), flags=re.MULTILINE)]
    return re.fullmatch("(?:.*\n)*?".join(parts), plain(came)) is not None


class Reader:
    """Somebody who does what a page says, in a folder of its own with the sample game in it."""

    def __init__(self, folder: Path) -> None:
        self.folder = self.here = folder
        for name in ("lanternreef.toml", "dive.play"):
            shutil.copy(sample.path(name), folder / name)
        shutil.copytree(sample.path("trials"), folder / "trials")
        self.names: dict[str, Any] = {"__name__": "page"}
        path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
        self.environment = {
            "PATH": path,
            "NO_COLOR": "1",
            "COLUMNS": "110",
            "TERM": "dumb",
            "PYTHONIOENCODING": "utf-8",
            "LANG": "C.UTF-8",
            "HOME": os.environ.get("HOME", str(folder)),
            "XDG_DATA_HOME": str(folder / ".data"),
            "XDG_CONFIG_HOME": str(folder / ".config"),
            "PYTHONDONTWRITEBYTECODE": "1",
        }

    def shell(self, command: str) -> str:
        gone = re.fullmatch(r"cd (\S+)", command)
        if gone:
            self.here = self.here / gone[1]
            return "" if self.here.is_dir() else f"{gone[1]}: no such folder\n"
        edit = re.fullmatch(r"# in your editor, (\S+): (.+) → (.+)", command)
        if edit:
            file = self.here / edit[1]
            text = file.read_text(encoding="utf-8")
            new = "" if edit[3] == "nothing" else edit[3]
            file.write_text(text.replace(edit[2], new), encoding="utf-8")
            return "" if edit[2] in text else f"{edit[2]!r} does not stand in {edit[1]}\n"
        done = subprocess.run(
            ["bash", "-c", command],
            cwd=self.here,
            env=self.environment,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            check=False,
            stdin=subprocess.DEVNULL,
        )
        return "".join(
            line
            for line in done.stdout.decode().splitlines(keepends=True)
            if not line.startswith("Matplotlib is building the font cache")
        )

    def python(self, code: str) -> str:
        told = io.StringIO()
        before = Path.cwd()
        os.chdir(self.here)
        try:
            with contextlib.redirect_stdout(told):
                exec(compile(code, "page", "exec"), self.names)
        finally:
            os.chdir(before)
        return told.getvalue()


def follow(page: Path, folder: Path) -> Iterator[tuple[Block, str, str, str]]:
    """Do what a page says; yield (block, what was done, what is shown, what came) wherever output is
    shown."""
    reader = Reader(folder)
    found = blocks(page.read_text(encoding="utf-8"))
    for block, after in zip(found, [*found[1:], None], strict=False):
        if block.title:
            (folder / block.title).parent.mkdir(parents=True, exist_ok=True)
            (folder / block.title).write_text(block.text, encoding="utf-8")
        elif block.language == "console":
            for command, shown in commands(block.text):
                yield block, command, shown, reader.shell(command)
        elif block.language == "python":
            came = reader.python(block.text)
            shown = after.text if after is not None and after.language == "text" else ""
            yield block, "the program", shown, came
        elif block.language == "toml":
            tomllib.loads(block.text)
        elif block.language == "json":
            json.loads(block.text)


def written(page: Path) -> str:
    """Return a page with the output that comes in place of what it shows, unless that matches."""
    text = page.read_text(encoding="utf-8")
    with tempfile.TemporaryDirectory() as folder:
        done = list(follow(page, Path(folder)))
    found = blocks(text)
    for block, after in reversed(list(zip(found, [*found[1:], None][: len(found)], strict=True))):
        mine = [(command, shown, came) for other, command, shown, came in done if other.span == block.span]
        if block.language == "console":
            made = "".join(
                f"$ {command}\n{shown if matches(shown, came) and shown.strip() else plain(came)}"
                for command, shown, came in mine
            )
            text = text[: block.span[0]] + made + text[block.span[1] :]
        elif block.language == "python" and after is not None and after.language == "text":
            _, shown, came = mine[0]
            made = shown if matches(shown, came) else plain(came)
            text = text[: after.span[0]] + made + text[after.span[1] :]
    return text


if __name__ == "__main__":
    for name in sys.argv[1:]:
        Path(name).write_text(written(Path(name)), encoding="utf-8")
