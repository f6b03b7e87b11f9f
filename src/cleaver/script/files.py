"""Files: scripts read from disk, with their limits and their messages."""

from __future__ import annotations

from pathlib import Path
from zlib import crc32

from cleaver import files
from cleaver.errors import ScriptError, unreadable
from cleaver.script.lines import MAX_BYTES

HEAD = b"journal 1\n"
"""What a journal begins with."""
SUM = b"# sum "
"""Begins the lines of a journal that hold a checksum of all before them."""


MOST = 1_000_000_000  # bytes of a journal


class Beside:
    """What a script needs beside it, such as profiles and designs: files in the folder FILE.files."""

    folder: Path

    def __init__(self, script: Path) -> None:
        self.folder = script.with_name(f"{script.name}.files")
        self._kept: dict[bytes, str] = {}

    def keep(self, what: str, text: str | bytes) -> str:
        """Keep a text in a file of its own, once, named for what it is; returns how lines name it.

        Raises:
            OSError: It cannot be written.
        """
        body = text.encode() if isinstance(text, str) else text
        found = self._kept.get(body)
        if found is None:
            self.folder.mkdir(exist_ok=True)
            found = f"{what}{sum(name.startswith(what) for name in self._kept.values()) + 1}.json"
            files.write(self.folder / found, body, sync=True)
            self._kept[body] = found
        return f"{self.folder.name}/{found}"


def is_journal(script: Path) -> bool:
    """Return whether a running game has written a script (`cleaver.journal`)."""
    return files.begins_with(script, HEAD)


def _checked(name: str, body: bytes) -> list[str]:
    """Return the lines of a journal whose checksums are right; what a crash has cut off is left out."""
    lines = body.split(b"\n")
    lines.pop()  # nothing, or what was being written when the game died
    total = 0
    for number, line in enumerate(lines, 1):
        if not line.startswith(SUM):
            total = crc32(line + b"\n", total)
        elif line != SUM + b"%08x" % total:
            raise ScriptError(
                name,
                number,
                line.decode(errors="replace"),
                "the lines before it are not as the game wrote them; to play them all the same, take the "
                f"lines out that begin with {SUM.decode().strip()}",
            )
    return b"\n".join(lines).decode().splitlines()


def read_script(script: Path) -> list[str]:
    """Return the lines of a script.

    Raises:
        ScriptError: It cannot be read, is too long, or is no text.
    """
    written = is_journal(script)
    try:
        body = files.read(script, MOST if written else MAX_BYTES)
        return _checked(script.name, body) if written else body.decode("utf-8-sig").splitlines()
    except files.TooLongError:
        raise ScriptError(script.name, 0, "", f"is more than {MAX_BYTES:,} bytes long") from None
    except UnicodeDecodeError as error:
        raise ScriptError(
            script.name, 0, "", f"is not UTF-8 text (byte {error.start}); save it as UTF-8"
        ) from None
    except OSError as error:
        raise ScriptError(str(script), 0, "", f"{unreadable(error)}; check the path") from None
