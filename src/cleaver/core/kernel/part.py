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
    from collections.abc import Callable, Container
    from typing import Any, ClassVar

    from cleaver.core.kernel.actor_kinds import ActorKind
    from cleaver.core.kernel.crossing import Crossing


class Keeper(NamedTuple):
    """One section of a profile.

    `write` returns it for a player as it is now. `take_back` makes everything of it as the data say, what
    they lack as at its start, reported as events where its last argument is true; it returns what the design
    does not know. `included_as` is its name in `[saves] include`, if that is another. Where a stage is played
    again and the section is kept, `again` gives once more what came with it since it was as the data say.
    `of_players` says whether only players have it. `known` gives the names under which an actor of a kind
    can have something in it, where they are the design's. `stays` is of what stays as it is where a stage is
    played again, as the clocks do.
    """

    section: str
    write: Callable[[Body], Any]
    take_back: Callable[[Body, Any, bool], Any]
    included_as: str = ""
    again: Callable[[Body, Any], None] | None = None
    of_players: bool = True
    known: Callable[[ActorKind], Container[str]] | None = None
    stays: bool = False


def by_name(
    section: str, table: Callable[[], dict[str, dict[str, Any]]], known: Callable[[], Container[str]]
) -> Keeper:
    """Return the keeper of a section that holds one value for each name of the design.

    Args:
        section: Its name.
        table: Returns the state: for each player its values by name.
        known: Returns the names that the design has.
    """

    def write(body: Body) -> dict[str, Any]:
        return dict(table().get(body.id, {}))

    def take_back(body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        names = known()
        found = {name: data.pop(name) for name in list(data) if name in names}
        table().pop(body.id, None)
        if found:
            table()[body.id] = found
        return data

    return Keeper(section, write, take_back, known=lambda kind: known())


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

    def more_keepers(self) -> tuple[Keeper, ...]:
        """Return what of an actor is no part of its profile, and goes back all the same where a stage is
        played again; taken back after the profile's sections."""
        return ()

    def fit(self, crossing: Crossing) -> None:
        """Let the state that was unpacked, and is not put together yet, fit another design than it was taken
        under."""

    def go_on(self, crossing: Crossing) -> None:
        """Begin what the other design brings, once everything is put together."""

    def remember(self) -> Any:
        """Return, as JSON-ready data, what belongs to no actor and goes back where a stage is played
        again."""
        return None

    def put_back(self, data: Any) -> None:
        """Make it as `remember` returned it."""
