"""Watch: a design file that somebody edits while a game runs. Start at `Watch`."""

from __future__ import annotations

import os
import time

from cleaver.design.design import Design, load_design
from cleaver.errors import DesignError

SETTLED = 0.1
"""Seconds after the last write from which on a file is taken to be whole: an editor may write in pieces."""


class Watch:
    """A design file, looked at again and again while it is being edited.

    Call `changed` as often as you like, such as once a frame: usually it is one question to the file system.

    Args:
        path: The file, TOML or JSON, as for `load_design`.
        variant: Which variant of it; by default the design as it is written.

    Raises:
        DesignError: Where it does not load now.
    """

    path: str
    design: Design

    def __init__(self, path: str | os.PathLike[str], variant: str = "") -> None:
        self.path, self._variant = os.fspath(path), variant
        self._seen = self._read = self._stand()
        self.design = load_design(self.path, variant)

    def __repr__(self) -> str:
        return f"<Watch {os.path.basename(self.path)} {self.design.fingerprint}>"

    def changed(self) -> Design | DesignError | None:
        """Return the new design when the file was changed, its errors when it does not load, else None; each
        change is returned once.

        `design` stays the last one that loaded. A file that was written less than a tenth of a second ago, or
        has just disappeared, as when an editor saves, is read by the next call.
        """
        stand = self._stand()
        if stand == self._read:
            self._seen = stand
            return None
        before, self._seen = self._seen, stand
        if stand != before and not self._whole(stand):
            return None
        try:
            design = load_design(self.path, self._variant)
        except DesignError as error:
            found: Design | DesignError = error
        else:
            found = design
        if self._stand() != stand:
            return None  # it was written in the meantime
        self._read = stand
        if isinstance(found, Design):
            self.design = found
        return found

    def _stand(self) -> tuple[int, int, int]:
        """Return what tells one state of the file from another; all 0 where there is none."""
        try:
            found = os.stat(self.path)
        except OSError:
            return (0, 0, 0)
        return (found.st_mtime_ns, found.st_size, found.st_ino)

    def _whole(self, stand: tuple[int, int, int]) -> bool:
        return stand[0] > 0 and time.time() - stand[0] / 1e9 >= SETTLED
