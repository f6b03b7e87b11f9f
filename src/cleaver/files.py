"""Files: regular files, read within a limit and written whole.

A name may lead to a device that never ends, to a pipe that nobody writes into, or through a link to somebody
else's file. Imports nothing of Cleaver. Start at `read` and `write`.
"""

from __future__ import annotations

import errno
import os
from pathlib import Path
from stat import S_ISREG

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
    # Without waiting: a pipe would be waited for until somebody writes into it.
    flags = os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0)
    try:
        handle = os.open(path, flags if links else flags | _NO_LINKS)
    except ValueError:  # a zero character in its name
        raise OSError(errno.EINVAL, "is no path") from None
    with os.fdopen(handle, "rb") as file:
        found = os.fstat(file.fileno())
        if not S_ISREG(found.st_mode):
            raise OSError(errno.EINVAL, "is no regular file")
        if found.st_size > most:
            raise TooLongError(found.st_size)
        return file.read(most + 1)


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
