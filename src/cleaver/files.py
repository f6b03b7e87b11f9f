"""Files: regular files, read within a limit and written whole.

A name may lead to a device that never ends, to a pipe that nobody writes into, or through a link to somebody
else's file. Imports nothing of Cleaver. Start at `read` and `write`.
"""

from __future__ import annotations

import errno
import os
from pathlib import Path
from stat import S_ISREG

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import BinaryIO

_NO_LINKS = getattr(os, "O_NOFOLLOW", 0)  # not on Windows


class TooLongError(Exception):
    """A file that is longer than it may be: `size` bytes."""

    def __init__(self, size: int) -> None:
        super().__init__(f"{size:,} bytes")
        self.size = size


def read(path: Path | str, most: int, *, links: bool = True) -> bytes:
    """Return what is in a regular file.

    Args:
        path: Where it is.
        most: How many bytes it may have.
        links: Whether a link to it is followed.

    Raises:
        OSError: It cannot be read, or is no regular file.
        TooLongError: It is longer than *most* bytes.
    """
    with _opened(path, links=links) as file:
        size = os.fstat(file.fileno()).st_size
        if size > most:
            raise TooLongError(size)
        return file.read(most + 1)


def begins_with(path: Path | str, start: bytes) -> bool:
    """Return whether there is a regular file that begins with some bytes."""
    try:
        with _opened(path) as file:
            return file.read(len(start)) == start
    except OSError:
        return False


def _opened(path: Path | str, *, links: bool = True) -> BinaryIO:
    """Return a regular file, open to be read."""
    # Without waiting: a pipe would be waited for until somebody writes into it.
    flags = os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0)
    try:
        handle = os.open(path, flags if links else flags | _NO_LINKS)
    except ValueError:  # a zero character in its name
        raise OSError(errno.EINVAL, "is no path") from None
    file = os.fdopen(handle, "rb")
    if not S_ISREG(os.fstat(handle).st_mode):
        file.close()
        raise OSError(errno.EINVAL, "is no regular file")
    return file


def write(path: Path, text: str | bytes, *, mode: int = 0o666, sync: bool = False) -> None:
    """Write a file anew: whole or not at all, and in the place of a link, never through one.

    Args:
        path: Where.
        text: What; a text is written as UTF-8.
        mode: Who may read and write it.
        sync: Whether it must be on the disk before this returns.

    Raises:
        OSError: It cannot be written; what was there is as it was.
    """
    made = path.with_name(f".{path.name}.new")
    made.unlink(missing_ok=True)
    handle = os.open(made, os.O_WRONLY | os.O_CREAT | os.O_EXCL | _NO_LINKS, mode)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(text.encode() if isinstance(text, str) else text)
            if sync:
                file.flush()
                os.fsync(file.fileno())
        made.replace(path)
    finally:
        made.unlink(missing_ok=True)
    if sync and _NO_LINKS:  # Windows syncs no folders
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
