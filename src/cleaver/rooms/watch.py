"""Watch: what of a world may be seen, as entries on boards, one board an audience.

Each actor is looked at once, whoever looks on: what a viewer is sent is read off the boards. What is a
player's own is looked at only where something happened to it. Knows names as viewers know them (aliases),
never who is behind one. Start at `Watch.look`.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from typing import Any

from cleaver.core import read
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.door import Call
from cleaver.core.kernel.events import Event
from cleaver.core.world import World
from cleaver.design.models.values import SeenBy
from cleaver.rooms.board import Board, Key
from cleaver.rooms.entries import ALL, ENTRIES, OF_BODIES, OF_PLAYERS, OF_WORLD
from cleaver.rooms.sight import Sight


class RoomWatch:
    """Looks at one world.

    Args:
        world: The world.
        alias: Returns the name by which viewers know somebody, given its id.
    """

    world: World
    sight: Sight
    boards: dict[str, Board]
    known: dict[str, dict[Key, str]]

    def __init__(self, world: World, alias: Callable[[str], str]) -> None:
        self.world, self._alias = world, alias
        self._versions = count(1)
        self.boards = {ALL: Board(self._versions)}
        self.known = {}  # what stands on boards about somebody, by id: each key, and on which board
        self._came: dict[str, int] = {}
        self._marks: dict[str, tuple[Any, ...]] = {}  # what each was like when it was put down
        self._there: dict[tuple[str, Key], None] = {}  # what is about nobody: on which board, and its key
        self._put_down: set[Key] = set()  # about the actor that is being looked at
        self.heard: Callable[[Event], None] = lambda event: None
        self._touched: set[str] = set()
        self._moment = (-1, -1, -1)
        read.game_of(world).observe(self)
        self._follow()

    def alias(self, name: str, /) -> str:
        """Return the name by which viewers know somebody, given its id."""
        return self._alias(name)

    def _follow(self) -> None:
        """Follow the world, also under another design."""
        world = self.world
        self.sight = Sight(world.design)
        self._marks.clear()  # who sees what may be another
        self._touched.update(read.parts(world).stage.players)
        self._stale = True
        events = read.parts(world).kinds.known.events
        for name in world.event_names:
            if not events[name].seen_from:
                world.listen_own(name, self._heard)
        # Events of others that count for somebody.
        tallies = read.parts(world).kinds.tallies.values()
        self._wide = {kind.match.on for kind in tallies if kind.who != "self"}

    def before(self, call: Call) -> None:
        """Hear of a command of the game."""

    def after(self, call: Call, result: Any, error: BaseException | None) -> None:
        """Hear what came of it: what it was given to may be another, also where no event tells of it."""
        self._touched.add(getattr(call.me, "id", "") or getattr(call.me, "whose", ""))

    def _heard(self, event: Event) -> None:
        if event.name == "adopted":  # before anything else happens under it
            self._follow()
        if event.name in self._wide or not event.actor:  # what is about nobody, as a stage, may be about all
            self._touched.update(read.parts(self.world).stage.players)
        self._touched.update((event.actor, event.source, event.credit))
        self.heard(event)

    def touch(self, player: str) -> None:
        """Note that what is a player's own may have changed."""
        self._touched.add(player)
        self._stale = True

    def board(self, name: str) -> Board:
        """Return a board; a new one where there was none."""
        found = self.boards.get(name)
        if found is None:
            found = self.boards[name] = Board(self._versions)
        return found

    def look(self) -> None:
        """Let the boards be as the world is now."""
        stage = read.parts(self.world).stage
        moment = (stage.seq, stage.clock.now, stage.acted)
        if moment == self._moment and not self._stale:
            return
        touched = self._touched
        # What counts for so many seconds goes down by time alone: it is looked at each time, not only where
        # something happens, or one would see when something private happens to others.
        touched.update(
            one.owner for one in read.parts(self.world).tallies.table.buckets.values() if one.stamps
        )
        self._moment, self._stale, self._touched = moment, False, set()
        for gone in [player for player in self.known if player not in stage.actors]:
            self._leave(gone)
        for body in stage.actors.values():
            self._body(body)
            if body.id in touched and body.kind.player:
                self._own(body)
        self._world()

    # one actor

    def _put(self, body: Body, level: SeenBy, key: Key, value: Any) -> None:
        name, known = self._audience(body, level), self.known[body.id]
        self._put_down.add(key)
        before = known.get(key)
        if before is not None and before != name:  # another team may see it now
            self._off(before, key)
            del known[key]
        if name is not None:
            known[key] = name
            self.board(name).put(key, value)

    def _sweep(self, body: Body, kinds: str) -> None:
        """Take off the boards what was not put down of an actor at this look, of some kinds of entries."""
        known = self.known[body.id]
        for key in [key for key in known if key[0] in kinds and key not in self._put_down]:
            self._off(known.pop(key), key)
        self._put_down.clear()

    def _off(self, name: str, key: Key) -> None:
        """Take an entry off a board, where that is still there."""
        if name in self.boards:
            self.boards[name].drop(key)

    def _audience(self, body: Body, level: SeenBy) -> str | None:
        """Return the board of those who may see something of somebody; None for nobody."""
        if level == "all":
            return ALL
        if level == "owner" or (level == "team" and not body.team):
            owner = body.id if body.kind.player else "" if body.lead is None else body.lead.id
            name = f"owner {owner}" if owner in read.parts(self.world).stage.players else None
        else:
            name = f"team {body.team}" if level == "team" else None
        return name

    def audiences(self, event: Event) -> tuple[str, ...]:
        """Return the boards of those who may know of an event."""
        stage = read.parts(self.world).stage
        level = self.sight.of_event(event, stage.kind_of(event.actor))
        if level in ("all", "nobody"):
            return (ALL,) if level == "all" else ()
        body = stage.actors.get(event.actor)
        if body is not None:
            name = self._audience(body, level)
        else:  # somebody who has just left
            team = stage.team_of(event.actor) if level == "team" else ""
            name = f"team {team}" if team else f"owner {event.actor}"
        both = (f"owner {event.source}",) if event.name == "traded" else ()
        return both if name is None else (name, *both)

    def _leave(self, player: str) -> None:
        self._came.pop(player, None)
        self._marks.pop(player, None)
        for key, name in self.known.pop(player).items():
            self._off(name, key)
        if player not in read.parts(self.world).stage.players:
            self.boards.pop(f"owner {player}", None)

    def _body(self, body: Body) -> None:
        if self._came.get(body.id, body.came) != body.came:
            self._leave(body.id)  # somebody else has its id by now
        self._came[body.id] = body.came
        stage = read.parts(self.world).stage
        score = read.parts(self.world).scores.table.players.get(body.id, 0)
        lead = "" if body.lead is None or body.lead.id not in stage.players else body.lead.id
        mark = (score, lead, body.owner in stage.actors, *_mark(body))
        if self._marks.get(body.id) == mark:
            return  # as most are, at most looks
        self._marks[body.id] = mark
        self.known.setdefault(body.id, {})
        self._put_all(body, OF_BODIES)

    def _own(self, body: Body) -> None:
        """Put down what is a player's own."""
        self._put_all(body, OF_PLAYERS)

    def _put_all(self, body: Body, letters: str) -> None:
        """Put down some kinds of entries about an actor, and take off those that are there no more."""
        name = self.alias(body.id)
        for letter in letters:
            for level, rest, value in ENTRIES[letter].shown(self, body):
                self._put(body, level, (letter, name, *rest), value)
        self._sweep(body, letters)

    # the world

    def _world(self) -> None:
        there: dict[tuple[str, Key], None] = {}
        for letter, kind in OF_WORLD.items():
            for where, rest, value in kind.there(self):
                key = (letter, *rest)
                self.board(where).put(key, value)
                there[where, key] = None
        for where, key in self._there:
            if (where, key) not in there:  # such as the matches of a stage that begins anew
                self._off(where, key)
        self._there = there


def _mark(body: Body) -> tuple[Any, ...]:
    """Return what is put down of a body itself, to see whether it is another now."""
    return (
        body.team,
        body.alive,
        body.lives,
        body.owner,
        body.grace,
        body.turns,
        body.x,
        body.y,
        body.z,
        [(one.value, one.max, one.base, one.since, one.course) for one in body.meters.values()],
        [(one.name, one.due) for one in body.ailments] if body.ailments else None,
        [*body.tags] if body.tags else None,
        [(one.due, one.span, one.left) for one in body.pulses.values()] if body.pulses else None,
        {**body.cooldowns} if body.cooldowns else None,
    )
