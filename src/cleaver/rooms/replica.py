"""Replica: a room as one viewer may see it, at the client. Start at `Replica`.

It holds a world of its own, in which nothing happens by itself but that meters go on: what is due, who hits
whom, what follows from an event, all that comes from the room.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from cleaver.core import read
from cleaver.core.goods.goods import team_holder
from cleaver.core.goods.ledgers import Holding
from cleaver.core.goods.pickups import PlacementState as PlacementState
from cleaver.core.handles import Actor
from cleaver.core.kernel.body import Ailment, Body
from cleaver.core.kernel.delivery import Hearer, Listening
from cleaver.core.kernel.events import Event
from cleaver.core.views import Match, Placement
from cleaver.core.world import World
from cleaver.design.design import Design
from cleaver.errors import AmountError, UsageError
from cleaver.rooms.board import GONE
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
        self._entries: dict[tuple[str, ...], Any] = {}
        # Whether a quest is open may depend on what this viewer may not know: the room says so.
        self._errands = read.parts(self.world).quests.told

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
            for key in [key for key in self._entries if key not in there]:
                self._take_up([*key, GONE])
            self._me = told.me
        stage.clock.now = told.now
        for entry in sorted(told.entries, key=_order) if len(told.entries) > 1 else told.entries:
            self._take_up(entry)
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

    # entries

    def _take_up(self, entry: Entry) -> None:
        *key, value = entry
        parts = tuple(key)
        take = _TAKES.get(parts[0])
        if take is None:
            return  # of a later version of Cleaver
        before = self._entries.pop(parts, GONE)
        if value is not GONE:
            self._entries[parts] = value
        try:
            take(self, parts, value)
        except Exception:  # a damaged one does not stay, to damage others
            self._entries.pop(parts, None)
            if before is not GONE:
                self._entries[parts] = before
            raise

    def _body(self, name: str) -> Body | None:
        return read.parts(self.world).stage.actors.get(name)

    def _about(self, key: tuple[str, ...], value: Any) -> None:
        """Somebody has come, is another, or has gone."""
        parts, name = read.parts(self.world), key[1]
        body = self._body(name)
        if value is GONE:
            if body is not None:
                parts.let_go(body)
            return
        kind, team, alive, lives, owner, score, tags, grace, came = value
        if body is not None and (body.came != came or body.kind_name != kind):
            parts.let_go(body)
            body = None
        if body is None:
            made = parts.kinds.actors.get(kind)
            if made is None:
                return
            body = Body(name, made, team, self._body(owner), came, parts.stage.clock.now)
            parts.equip(body, None)
            self._sort()
        body.team, body.owner = team, owner
        body.alive, body.lives, body.grace = alive, lives, grace
        body.tags = dict.fromkeys(tags, 1)
        parts.statuses.gather(body)
        table = parts.scores.table.players
        table.pop(name, None)
        if score:
            table[name] = score

    def _sort(self) -> None:
        """Let actors stand in the order in which they came."""
        stage = read.parts(self.world).stage
        for table in (stage.actors, stage.players):
            there = sorted(table.items(), key=lambda item: item[1].came)
            table.clear()
            table.update(there)

    def _meter(self, key: tuple[str, ...], value: Any) -> None:
        body = self._body(key[1])
        meter = body.meters.get(key[2]) if body is not None else None
        if meter is None or value is GONE:
            return
        meter.value, meter.max = value[0], value[1]
        meter.base = value[2] if len(value) > 2 else value[0]
        meter.since = value[3] if len(value) > 3 else read.parts(self.world).stage.clock.now
        meter.course = tuple((value[at], value[at + 1]) for at in range(4, len(value), 2))

    def _position(self, key: tuple[str, ...], value: Any) -> None:
        body = self._body(key[1])
        if body is not None:
            body.x, body.y, body.z = value or (None, None, None)

    def _statuses(self, key: tuple[str, ...], value: Any) -> None:
        body = self._body(key[1])
        if body is None:
            return
        parts, name = read.parts(self.world), key[1]
        found = next((self._entries[at] for level in "210" if (at := ("s", name, level)) in self._entries), ())
        body.ailments = []
        for number, (status, due) in enumerate(found):
            kind = parts.kinds.statuses.get(status)
            if kind is not None:
                ailment = Ailment(kind, body)
                ailment.due, ailment.began = due, number
                body.ailments.append(ailment)
        parts.statuses.gather(body)

    def _cooldowns(self, key: tuple[str, ...], value: Any) -> None:
        body = self._body(key[1])
        if body is not None:
            body.cooldowns = dict(value or {})

    def _beat(self, key: tuple[str, ...], value: Any) -> None:
        body = self._body(key[1])
        beat = body.pulses.get(key[2]) if body is not None else None
        if beat is not None and value is not GONE:
            beat.due, beat.span, beat.left = value

    def _lies(self, key: tuple[str, ...], value: Any) -> None:
        pickups = read.parts(self.world).pickups
        there = pickups.table.placements.get(key[1])
        if value is GONE:
            if there is not None:
                there.there = False
                del pickups.table.placements[key[1]]
                pickups.by_kind.get(there.pickup, {}).pop(key[1], None)
            return
        pickup, present, x, y, z = value
        if there is None:
            kind = pickups.kinds.pickups.get(pickup)
            if kind is None:
                return
            there = pickups.table.placements[key[1]] = PlacementState(key[1], kind, {})
            pickups.by_kind.setdefault(pickup, {})[key[1]] = there
        there.present, there.x, there.y, there.z = present, x, y, z

    def _pickups(self, key: tuple[str, ...], value: Any) -> None:
        table = read.parts(self.world).pickups.table
        table.placed[key[1]], table.taken[key[1]] = value or (0, 0)

    def _match(self, key: tuple[str, ...], value: Any) -> None:
        contests = read.parts(self.world).contests
        contests.table.contests.pop(key[1], None)
        if value is GONE or key[1] not in contests.kinds.matches:
            return
        contest = contests.table.contests[key[1]] = contests.contest(key[1])
        running, left, winner, round_, extra, due, standings = value
        contest.running, contest.left, contest.winner, contest.round = running, left, winner, round_
        contest.extra, contest.due, contest.standings = extra, due, dict(standings)

    def _teams(self, key: tuple[str, ...], value: Any) -> None:
        parts = read.parts(self.world)
        stage, teams = value or ("", [])
        parts.stages.table.present = stage
        parts.scores.table.teams = dict(teams)

    def _held(self, holder: str) -> Holding:
        return read.parts(self.world).goods.table.held.setdefault(holder, Holding())

    def _good(self, key: tuple[str, ...], value: Any) -> None:
        held = self._held(key[1])
        table = held.purse if key[2] in self.design.tables.currencies else held.items
        table.pop(key[2], None)
        if value:
            table[key[2]] = value

    def _pooled(self, key: tuple[str, ...], value: Any) -> None:
        held = self._held(team_holder(key[1]))
        held.purse.pop(key[2], None)
        if value is not GONE:
            held.purse[key[2]] = value
        if not held.purse:
            del read.parts(self.world).goods.table.held[team_holder(key[1])]

    def _bag(self, key: tuple[str, ...], value: Any) -> None:
        self._held(key[1]).bag = -1 if value is GONE else value

    def _section(self, key: tuple[str, ...], value: Any) -> None:
        body = self._body(key[1])
        if body is None or value is GONE:
            return
        parts = read.parts(self.world)
        parts.profiles.sections[key[2]].take_back(body, value, False)
        parts.stage.queue.clear()  # the room itself sends the events of it
        for other, meter in self._entries.items():  # levels may have raised a maximum, which stands already
            if other[0] == "m" and other[1] == key[1]:
                self._meter(other, meter)

    def _quest(self, key: tuple[str, ...], value: Any) -> None:
        states = self._errands.setdefault(key[1], {})
        if value:
            states[key[2]] = value
        else:
            states.pop(key[2], None)

    def __repr__(self) -> str:
        return f"<Replica of {self._me or 'nobody'} at {self.world.now:g} s>"


_TAKES: dict[str, Callable[[Replica, tuple[str, ...], Any], None]] = {
    "a": Replica._about,
    "g": Replica._good,
    "h": Replica._bag,
    "q": Replica._section,
    "m": Replica._meter,
    "p": Replica._position,
    "s": Replica._statuses,
    "w": Replica._cooldowns,
    "b": Replica._beat,
    "l": Replica._lies,
    "o": Replica._pickups,
    "f": Replica._match,
    "t": Replica._teams,
    "k": Replica._pooled,
    "Q": Replica._quest,
}
"""What each kind of entry is taken up by, in the order in which they are: who is there first."""
_ORDER = {kind: number for number, kind in enumerate(_TAKES)}


def _order(entry: Entry) -> int:
    return _ORDER.get(entry[0], len(_ORDER))
