"""Game: what all handles of one world hold: its parts as they are now, and who hears of its commands.

Another design makes other parts (`adopting`); then one reference is exchanged here. Start at `Game`.
"""

from __future__ import annotations

from collections.abc import Callable

from cleaver.core.kernel.door import Door
from cleaver.errors import BusyError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.parts import Parts


class Game(Door):
    """One world that runs. `parts` are those it has now."""

    __slots__ = ("parts",)
    parts: Parts

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts

    def ask(self, call: Callable[[], None] | None) -> None:
        """See `Door`; while time passes, it comes between two things due, and time stands there."""
        super().ask(call)
        self.parts.stage.halt = None if call is None else self.between


class Seen:
    """What stands for something of a running game."""

    __slots__ = ("_game",)
    _game: Game

    @property
    def _world(self) -> Parts:
        """The parts of its world, as they are now."""
        return self._game.parts


def game_of(seen: Seen) -> Game:
    """Return the game that something stands in."""
    return seen._game


def idle(game: Game, command: str) -> None:
    """Refuse a command that moves a clock in a listener, and in a call of `after`."""
    game.parts.stage.idle(command)
    if game.parts.stage.passing:
        raise BusyError(command)


def parts_of(seen: Seen) -> Parts:
    """Return the parts of the world that something stands in, as they are now."""
    return seen._game.parts
