"""Parts: what a world knows of each topic.

A part owns the state of one thing and the commands on it. It plugs into the stage by four tables
(`Stage.verbs`, `due`, `planners`, `readable`), and the world takes the rest from here: its state in a
snapshot, what a profile keeps, what is forgotten when an actor goes. Start at `Part`.
"""

from __future__ import annotations

from cleaver.core.kernel.body import Body
from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any, ClassVar


class Keeper(NamedTuple):
    """One section of a profile.

    `write` returns it for a player as it is now. `take_back` makes everything of it as the data say, what
    they lack as at its start, reported as events where its last argument is true; it returns what the design
    does not know. `included_as` is its name in `[saves] include`, if that is another.
    """

    section: str
    write: Callable[[Body], Any]
    take_back: Callable[[Body, Any, bool], Any]
    included_as: str = ""


class Part:
    """One part of a world; the defaults are those of a part that keeps nothing."""

    name: ClassVar[str] = ""
    """Of its state (`table`) in a snapshot; "" where it has none."""

    def relink(self) -> None:
        """Put the caches back after its state was unpacked."""

    def forget(self, body: Body) -> None:
        """Drop all that is kept of an actor that goes."""

    def keepers(self) -> tuple[Keeper, ...]:
        """Return the sections of a profile that this part keeps, in the order in which they are taken
        back."""
        return ()
