"""Living: what stands for something in a running world.

Equal where it stands for the same, and neither copied nor stored. Start at `Living`.
"""

from __future__ import annotations

from cleaver.errors import GoneError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


class Living:
    """Something that reads a running world. A copy would look alike and go its own way, so there is none."""

    __slots__ = ()
    _instead = "ask its world for it again"

    def __reduce_ex__(self, protocol: Any) -> Any:
        """Refuse to be copied or pickled.

        Raises:
            UsageError: Always; it says what to do instead.
        """
        raise UsageError(
            f"{type(self).__name__} objects belong to a running world and are neither copied nor pickled; "
            f"{self._instead}"
        )


class View(Living):
    """What stands for one thing of a world; two that stand for the same are equal."""

    __slots__ = ()

    def _key(self) -> tuple[object, ...]:
        """Return what it stands for."""
        raise NotImplementedError

    def _shown(self) -> str:
        """Return it as text."""
        raise NotImplementedError

    def __eq__(self, other: object) -> bool:
        return type(other) is type(self) and self._key() == other._key()

    def __hash__(self) -> int:
        return hash(self._key())

    def __repr__(self) -> str:
        try:
            return f"<{self._shown()}>"
        except GoneError:  # whoever looks for an error is to see what he has
            return f"<{type(self).__name__} of something that has left its world>"
