"""Files: scripts read from disk, with their limits and their messages."""

from __future__ import annotations

from pathlib import Path

from cleaver import files
from cleaver.errors import ScriptError, unreadable
from cleaver.script.lines import MAX_BYTES


def read_script(script: Path) -> list[str]:
    """Return the lines of a script.

    Raises:
        ScriptError: It cannot be read, is too long, or is no text.
    """
    try:
        return files.read(script, MAX_BYTES).decode("utf-8-sig").splitlines()
    except files.TooLongError:
        raise ScriptError(script.name, 0, "", f"is more than {MAX_BYTES:,} bytes long") from None
    except UnicodeDecodeError as error:
        raise ScriptError(
            script.name, 0, "", f"is not UTF-8 text (byte {error.start}); save it as UTF-8"
        ) from None
    except OSError as error:
        raise ScriptError(str(script), 0, "", f"{unreadable(error)}; check the path") from None
