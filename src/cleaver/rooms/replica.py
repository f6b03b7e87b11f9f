"""Replica: a room as one viewer may see it, at the client. Start at `Replica`.

It holds a world of its own, in which nothing happens by itself but that meters go on: what is due, who hits
whom, what follows from an event, all that comes from the room.
"""

from __future__ import annotations

from typing import Any

from cleaver.core import read
from cleaver.core.goods.pickups import PlacementState as PlacementState
from cleaver.core.handles import Actor
from cleaver.core.kernel.delivery import Hearer, Listening
from cleaver.core.kernel.events import Event
from cleaver.core.views import Match, Placement
from cleaver.core.world import World
from cleaver.design.design import Design
from cleaver.errors import AmountError, UsageError
from cleaver.rooms.board import GONE
from cleaver.rooms.entries import ENTRIES, Mirror
from cleaver.rooms.wire import Entry, Message, unpacked

TYPE_CHECKING = False
if TYPE_CHECKING:
    from cleaver.core.kernel.event_types import Listens as _Listens
else:
    _Listens = object


class Replica(_Listens):
    """What one viewer may see of a room.

    Args:
        design: What clients may know of the design: `Design.for_clients`.
    """

    world: World

    number: int
    missed: int

    def __init__(self, design: Design) -> None:
        self.design = design
        self.world = World(design)
        """A world to look at, for everything that draws: HUD classes take it, or its actors."""
        self.number = 0
        """Of the latest event that has come."""
        self.missed = 0
        """Events that the room no longer had when this viewer came back."""
        self._me = ""
        self._mirror = Mirror(self.world)

    # what there is

    @property
    def me(self) -> Actor:
        """The viewer's own actor.

        Raises:
            UsageError: Nothing has been fed yet.
        """
        return self.actor(self._me)

    def actor(self, name: str) -> Actor:
        """Return an actor by the name under which it is known here."""
        if not self._me:
            raise UsageError("nothing has been fed yet; feed what Room.full gave")
        return self.world.actor(name)

    @property
    def actors(self) -> tuple[Actor, ...]:
        """Everybody who is there."""
        return self.world.actors

    @property
    def placements(self) -> tuple[Placement, ...]:
        """What lies there."""
        return self.world.placements

    def match(self, name: str) -> Match:
        """Return a match of the design."""
        return self.world.match(name)

    def value(self, path: str) -> Any:
        """Return what a path stands at, such as ``Bram.suit``; see `World.value`.

        An alias with a space in it is no path: ask `actor`.
        """
        return self.world.value(path)

    def listen_own(self, event: str, call: Hearer, *, actor: Actor | str = "", kind: str = "") -> Listening:
        """Call a function with each event of a name that comes from the room; see `World.listen_own`."""
        return self.world.listen_own(event, call, actor=actor, kind=kind)

    if not TYPE_CHECKING:
        listen = listen_own  # checkers take it from `Listens`, which knows each event's fields

    # what comes

    def feed(self, data: bytes) -> None:
        """Take up what `Room.full` or `Room.changes` gave; listeners hear of its events when all of it is
        there.

        Raises:
            UsageError: It is no such message.
            ReactionError: Listeners failed; everything else was taken up.
        """
        told = unpacked(data)
        try:
            self._take_all(told)
        except (TypeError, ValueError, KeyError, IndexError, AttributeError):
            raise UsageError("this message is damaged; ask the room for all there is (Room.full)") from None
        stage = read.parts(self.world).stage
        if not told.events:
            if told.whole:
                self.number = max(self.number, told.before)
            return
        self.missed += max(told.before - self.number, 0) if self.number else 0
        for number, event in enumerate(told.events, told.before + 1):
            if number > self.number:
                self.number = number
                self._deliver(event)
        stage.drain()

    def _take_all(self, told: Message) -> None:
        """Take up the entries of a message."""
        stage = read.parts(self.world).stage
        if told.whole:
            there = {tuple(entry[:-1]) for entry in told.entries}
            for key in [key for key in self._mirror.entries if key not in there]:
                self._mirror.take(key, GONE)
            self._me = told.me
        stage.clock.now = told.now
        for entry in sorted(told.entries, key=_order) if len(told.entries) > 1 else told.entries:
            self._mirror.take(tuple(entry[:-1]), entry[-1])
        if told.entries:
            stage.seq += 1  # what looks again only after an event looks again

    def advance(self, seconds: float) -> None:
        """Let time pass here until more comes: meters go on as they flow.

        Raises:
            AmountError: A number below 0, or none.
        """
        if isinstance(seconds, bool) or not isinstance(seconds, (int, float)) or not 0 <= seconds <= 1e9:
            raise AmountError("the time to pass", seconds, "a number of seconds, 0 or more")
        read.parts(self.world).stage.clock.now += round(seconds * 1e6)

    def _deliver(self, event: list[Any]) -> None:
        name, time, actor, source, credit, *values = event
        stage = read.parts(self.world).stage
        shape = stage.kinds.events.get(name)
        if shape is None or len(values) != len(shape.names):
            return  # of a later version of the game
        stage.seq += 1
        stage.tell(Event(shape, stage.seq, time, 0, actor, source, tuple(values), credit))

    def __repr__(self) -> str:
        return f"<Replica of {self._me or 'nobody'} at {self.world.now:g} s>"


_ORDER = {letter: number for number, letter in enumerate(ENTRIES)}


def _order(entry: Entry) -> int:
    return _ORDER.get(entry[0], len(_ORDER))
