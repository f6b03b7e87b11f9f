"""Past: what `undo` takes back and `redo` brings again.

It observes the door of the world: before the first command of a line acts, all is kept as it is. A line in
which no command acted is nothing to take back. Start at `Past.note`.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from cleaver.errors import UsageError

if TYPE_CHECKING:
    from collections.abc import Callable

    from cleaver.core.kernel.door import Call

MOST_KEPT = 200


class Past:
    """The lines that acted, each with all as it was before it; and those that were taken back, each with all
    as it was after it.

    Args:
        remembered: Returns all that a run remembers, as data.
        go_back: Goes on from such data.
    """

    def __init__(self, remembered: Callable[[], Any], go_back: Callable[[Any], None]) -> None:
        self._remembered, self._go_back = remembered, go_back
        self.done: list[tuple[str, Any]] = []
        self.undone: list[tuple[str, Any]] = []
        self._before: Any = None

    def before(self, call: Call) -> None:
        """Hear of a command of the world that is about to act."""
        self.keep()

    def after(self, call: Call, result: Any, error: BaseException | None) -> None:
        """Hear what came of it."""

    def keep(self) -> None:
        """Keep all as it is, where nothing of the line has acted yet."""
        if self._before is None:
            self._before = self._remembered()

    def note(self, text: str) -> bool:
        """Let a line that was carried out be what is taken back next; returns whether anything of it
        acted."""
        if self._before is None:
            return False
        self.done.append((text, self._before))
        del self.done[:-MOST_KEPT]
        self.undone.clear()
        self._before = None
        return True

    def drop(self, *, back: bool) -> None:
        """Let a line be none that was carried out; with *back*, let all be as it was before it."""
        before, self._before = self._before, None
        if back and before is not None:
            self._go_back(before)

    def go(self, *, back: bool) -> str:
        """Take the last line back, or bring the one that was taken back again; returns it."""
        source, target = (self.done, self.undone) if back else (self.undone, self.done)
        if not source:
            raise UsageError(f"there is nothing to {'take' if back else 'bring'} back")
        text, kept = source.pop()
        target.append((text, self._remembered()))
        self._go_back(kept)
        return text
