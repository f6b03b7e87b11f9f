"""Sight: what a game reads of a world as it is now: who and what is there, values and their stories. Start at
`WorldSeen`.
"""

from __future__ import annotations

from cleaver.core.game import Seen, parts_of
from cleaver.core.goods.books import Books
from cleaver.core.handles import Actor, handle_of
from cleaver.core.kernel import reading as names
from cleaver.core.kernel.arguments import ACTOR, TEXT, checked
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.delivery import Listening
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import Expression
from cleaver.core.kernel.living import Living
from cleaver.core.kernel.scope import Scope
from cleaver.core.profile import Profile
from cleaver.core.shot import Shot
from cleaver.core.somebody import body_of
from cleaver.core.views import Match, Placement
from cleaver.design.design import Design
from cleaver.design.paths import FormulaNames, Path, actor_path, world_path
from cleaver.errors import UnknownNameError, UsageError, said

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, TypeVar

    from cleaver.core.kernel.event_types import Listens as _Listens
    from cleaver.core.story import Story

    R = TypeVar("R")
else:
    _Listens = object


class ScriptNames(FormulaNames):
    """What names mean where actors and placements go by name, as in scripts."""

    def __init__(self, world: WorldSeen) -> None:
        super().__init__(parts_of(world).stage.kinds.known, ())
        self.world = world

    def find(self, parts: tuple[str, ...]) -> Path:
        """See `FormulaNames.find`."""
        world = self.world
        if parts[0] in parts_of(world).stage.actors:
            path = actor_path(parts[0], parts[1:], self.known)
            if path.what == "meter":
                parts_of(world).vitals.meter(parts_of(world).stage.actors[parts[0]], path.name)
            return path
        if parts[0] in parts_of(world).pickups.table.placements:
            if parts[1:] != ("present",):
                raise UnknownNameError("path", ".".join(parts), (f"{parts[0]}.present",))
            return Path("", "placement", parts[0], "present", "truth")
        found = world_path(parts, self.known)
        if found is not None:
            return found
        raise UnknownNameError("name", parts[0], self.first_names())

    def first_names(self) -> tuple[str, ...]:
        """Return what a path may begin with."""
        return (
            *parts_of(self.world).stage.actors,
            *parts_of(self.world).pickups.table.placements,
            "now",
            "seed",
            "actors",
            "pickups",
            "team",
            "match",
        )


class WorldSeen(Seen, Living):
    """A world, to look at."""

    @property
    def design(self) -> Design:
        """What it is played under; `adopt` makes it another."""
        return self._world.design

    @property
    def actors(self) -> tuple[Actor, ...]:
        """Every actor in the world, in the order they came."""
        return tuple(handle_of(self._game, body) for body in self._world.stage.actors.values())

    @property
    def players(self) -> tuple[Actor, ...]:
        """The player actors, in the order they joined."""
        return tuple(handle_of(self._game, body) for body in self._world.stage.players.values())

    @property
    def placements(self) -> tuple[Placement, ...]:
        """Every placement, present or not."""
        return tuple(Placement(self._game, state) for state in self._world.pickups.table.placements.values())

    @property
    def shots(self) -> tuple[Shot, ...]:
        """What is in flight and may still hit somebody, in the order it was launched."""
        return tuple(Shot(self._game, shot) for shot in self._world.shots.table.shots.values() if shot.left)

    @checked(name=TEXT)
    def shot(self, name: str) -> Shot:
        """Return a shot by its id."""
        return Shot(self._game, self._world.shots.shot(name))

    @checked(name=TEXT)
    def actor(self, name: str) -> Actor:
        """Return an actor by its id."""
        return handle_of(self._game, self._world.stage.actor(name))

    @checked(name=TEXT)
    def find(self, name: str) -> Actor | Placement | Shot | None:
        """Return the actor, the placement or the shot with an id, or None."""
        parts = self._world
        if name in parts.stage.actors:
            return handle_of(self._game, parts.stage.actors[name])
        if name in parts.pickups.table.placements:
            return Placement(self._game, parts.pickups.table.placements[name])
        return Shot(self._game, parts.shots.table.shots[name]) if name in parts.shots.table.shots else None

    @checked(name=TEXT)
    def placement(self, name: str) -> Placement:
        """Return a placement by its id."""
        return Placement(self._game, self._world.pickups.placement(name))

    def _kind(self, kind: str) -> Any:
        found = self._world.stage.kinds.actors.get(kind)
        if found is None:
            raise UnknownNameError("kind", kind, tuple(self._world.stage.kinds.actors))
        return found

    def _body(self, actor: Actor | str) -> Body:
        return body_of(self._game, actor)

    @checked(actor=ACTOR)
    def profile(self, actor: Actor | str) -> Profile:
        """Return what of a player outlives the session, as it is now."""
        body = self._body(actor)
        if not body.kind.player:
            raise UsageError(f"{body.id} is no player; only players have a profile")
        return self._world.profiles.write(body)

    @checked(pickup=TEXT)
    def placements_of(self, pickup: str) -> tuple[Placement, ...]:
        """Return the placements of one pickup, present or not, in the order they were placed."""
        self._world.pickups.kind(pickup)
        return tuple(
            Placement(self._game, state) for state in self._world.pickups.by_kind.get(pickup, {}).values()
        )

    @property
    def books(self) -> Books:
        """The books: every gain and loss of goods, and their sums."""
        return Books(lambda: self._world.goods)

    @property
    def now(self) -> float:
        """Seconds since the world began."""
        return self._world.stage.clock.now / 1e6

    @property
    def now_us(self) -> int:
        """Microseconds since the world began."""
        return self._world.stage.clock.now

    @property
    def seed(self) -> int:
        """The seed of the dice."""
        return self._world.stage.dice.seed

    @property
    def day(self) -> int | None:
        """The calendar day that the game last said it is; None where it never did."""
        return self._world.stage.clock.day

    @property
    def turn(self) -> Actor | None:
        """Whose turn it is, of several the latest; None where none is on."""
        on = self._world.turns.table.on
        return handle_of(self._game, self._world.stage.actors[on[-1]]) if on else None

    @property
    def turn_round(self) -> int:
        """The number of the round of turns, from 1; 0 where none is on."""
        return self._world.turns.table.round

    @property
    def turn_order(self) -> tuple[Actor, ...]:
        """Who is still to take a turn in this round, in order."""
        actors = self._world.stage.actors
        return tuple(handle_of(self._game, actors[name]) for name in self._world.turns.table.order)

    @property
    def stage(self) -> str:
        """The stage that is being played, "" for none."""
        return self._world.stage.playing

    @property
    def matches(self) -> dict[str, Match]:
        """Every match of the design."""
        return {name: Match(self._game, name) for name in self._world.kinds.contests.matches}

    @checked(name=TEXT)
    def match(self, name: str) -> Match:
        """Return a match of the design, to start, pause and end it, and to read its standings."""
        self._world.contests.contest(name)
        return Match(self._game, name)

    @property
    def events(self) -> tuple[Event, ...]:
        """The latest events, oldest first, as many as the world keeps."""
        return tuple(self._world.stage.history)

    @property
    def event_names(self) -> tuple[str, ...]:
        """Every event there is here: Cleaver's own and the design's, those seen from the other side
        included."""
        return tuple(self._world.stage.kinds.known.events)

    @property
    def listeners(self) -> tuple[Listening, ...]:
        """Every listener that is open, in order of registration."""
        return tuple(self._world.stage.listeners.all())

    @checked(path=TEXT)
    def value(self, path: str) -> Any:
        """Return the value of any path of the scripts, such as "ana.suit" or "pickups.pearl.left"."""
        from cleaver.parsing import parse  # slow to import, and a world of no formulas needs none

        return Expression(parse(path, ScriptNames(self), tolerant=True), names.reader, path).value(
            Scope(self._world.stage, None)
        )

    @checked(path=TEXT)
    def why(self, path: str) -> Story:
        """Return the story of a value: every event kept that changed it, each with what it follows from.

        `hud.tale` puts it into words. As far back as the world keeps events (`history`); after a restore it
        begins anew, and says so.

        Raises:
            UnknownNameError: No such actor or path.
            UsageError: A path that no events tell of.
        """
        from cleaver.core.stat_views import stat_view
        from cleaver.core.story import stat_story, story  # only where somebody asks

        found = ScriptNames(self).find(tuple(path.split(".")))
        if found.root not in self._world.stage.actors:
            raise UsageError(f"{said(path)} is no value of an actor; ask about one, such as ana.suit")
        parts = self._world
        sharers = parts.goods.sharers(parts.stage.actors[found.root], found.name)
        if found.what == "stat" or (found.what == "meter" and found.part == "max"):
            name = found.name if found.what == "stat" else f"{found.name}.max"
            view = stat_view(self._game, parts.stage.actors[found.root], name)
            causes = {f"{one.of}:{one.what}" for one in view.modifiers}
            return stat_story(parts.stage, path, found.root, view.value, causes, view.explain())
        return story(parts.stage, path, found, self.value(path), [body.id for body in sharers])
