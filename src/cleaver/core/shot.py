"""Shots as a game holds them: what an actor has launched. Start at `Shot`."""

from __future__ import annotations

from cleaver.core import telling
from cleaver.core.commands import command
from cleaver.core.game import Game, Seen
from cleaver.core.kernel.living import View
from cleaver.core.kernel.results import HitResult
from cleaver.core.somebody import Somebody, body_of
from cleaver.errors import GoneError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.vitals.shots import ShotFlight
    from cleaver.literals import Blocked


class Shot(Seen, View):
    """What an actor has launched: true where it was, else `blocked` says why not."""

    __slots__ = ("_flight", "attack", "blocked", "id")
    id: str
    attack: str
    blocked: Blocked

    def __init__(
        self, game: Game, flight: ShotFlight | None, blocked: Blocked = "", attack: str = ""
    ) -> None:
        self._game, self._flight, self.blocked = game, flight, blocked
        self.attack = flight.attack if flight is not None else attack
        self.id = flight.id if flight is not None else ""

    def __bool__(self) -> bool:
        return self._flight is not None

    @property
    def _there(self) -> ShotFlight:
        """Its state, if it is in flight."""
        if self._flight is None:
            raise UsageError(
                f"there is no shot: {self.attack} was not launched ({self.blocked}); "
                "ask `if shot:` before it is used"
            )
        if self._flight.ended:
            raise GoneError("shot", self.id, f"{self._flight.ended}; launch another")
        return self._flight

    @property
    def by(self) -> str:
        """The id of who launched it, also when that actor has gone."""
        return self._there.source.id

    @property
    def team(self) -> str:
        """The team it was launched for, "" for none."""
        return self._there.source.team

    @property
    def left(self) -> int:
        """How many it may still hit."""
        return self._there.left

    @property
    def seconds_left(self) -> float:
        """How long it will still fly, in seconds."""
        return (self._there.due - self._world.stage.clock.now) / 1e6

    @command("hit ana by=s1 zone=visor", telling.HITS, line="hit {target} by={me}", says=telling.hit)
    def hit(self, target: Somebody | str, *, zone: str = "", crit: bool | None = None) -> HitResult:
        """Let it land on *target*: the hit is worked out now, for who launched it, also when that actor has
        died or left meanwhile.

        Args:
            target: Who is hit: each once, and no more than the attack pierces and one.
            zone: Where the target is hit, one of its zones.
            crit: Forces a critical hit, or forbids it; None lets the dice decide.

        Raises:
            GoneError: The shot was dropped, or its flight is over.
        """
        world, shot = self._world, self._there
        struck = body_of(self._game, target)
        return world.done(world.shots.hit(shot, struck, zone, crit, lambda: world.inputs(shot.inputs)))

    @command("drop s1", telling.HITS, says="{me.id} is gone")
    def drop(self) -> None:
        """Take it out of the world: it has flown past, or against a wall."""
        self._world.shots.end(self._there, "was dropped")

    def _key(self) -> tuple[object, ...]:
        return (self._flight,) if self._flight is not None else (id(self),)

    def _shown(self) -> str:
        return f"shot {self.id}" if self._flight is not None else f"no shot: {self.blocked}"
