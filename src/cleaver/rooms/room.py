"""Room: a world, who looks on, and what each of them is sent. Bytes in, bytes out; the network is the host's.

Start at `Room`.
"""

from __future__ import annotations

import logging
import os
from collections import deque
from collections.abc import Callable, Mapping
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING, Any

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import own_name
from cleaver.core.kernel.events import Event
from cleaver.core.world import World
from cleaver.design.design import Design
from cleaver.errors import SaveError, UnknownNameError, UsageError, said
from cleaver.rooms import wire
from cleaver.rooms.aliases import Aliases
from cleaver.rooms.asking import Reply, TokenBucket, deed, fulfil
from cleaver.rooms.board import Board, Key
from cleaver.rooms.entries import ALL
from cleaver.rooms.keeping import Keeping, KnownPlayer, recovered, stretches
from cleaver.rooms.moving import Moved, frozen, thawed
from cleaver.rooms.watch import RoomWatch
from cleaver.rooms.wire import packed

if TYPE_CHECKING:
    from cleaver.saves import Autosaver

log = logging.getLogger("cleaver.rooms")
KEPT = 1_000  # events of a viewer that are kept for one who comes back


class Viewer:
    """One who looks on: which versions of its boards it has, and the events that it has not been sent."""

    __slots__ = ("actor", "anew", "bucket", "events", "number", "seen", "sent")
    actor: str
    anew: bool
    bucket: TokenBucket
    seen: dict[str, int]
    events: deque[str]
    number: int
    sent: int

    def __init__(self, actor: str, bucket: TokenBucket) -> None:
        self.actor, self.bucket = actor, bucket
        self.seen = {}
        self.events = deque(maxlen=KEPT)
        self.number = 0  # of the latest event that it may know
        self.sent = 0
        self.anew = False  # whether it is to get all that it sees, as its room has moved

    def hear(self, event: str) -> None:
        """Keep an event for it."""
        self.number += 1
        self.events.append(event)

    def after(self, number: int) -> list[str]:
        """Return the events after a number, of those that are kept."""
        count = min(self.number - number, len(self.events))
        return list(self.events)[len(self.events) - count :] if count > 0 else []


class Room:
    """A world with those who look on.

    Players are known to the server by their ids and to each other by their shown names: no id, no seed and
    nobody else's purse goes out. What each is sent is worked out from what has changed.

    Args:
        design: What is played.
        name: Of the room, for messages.
        saver: Keeps the players' profiles; without one nothing is saved.
        seed: Of the world's dice.
        world: One that there is already, in place of a new one.
        folder: Where a journal is kept, from which `recover` brings the room back; nowhere unless given.
        clock: Returns the time in seconds by which clients are held to their rate, and a journal is kept.

    Raises:
        UsageError: There is a journal of such a room in the folder, or it cannot be written.

    >>> import asyncio
    >>> from cleaver import load_design, sample
    >>> from cleaver.rooms import Replica
    >>> room = Room(load_design(sample.path("lanternreef.toml")), "reef-1")
    >>> asyncio.run(room.enter("p-8812", kind="diver", shown_as="Ana"))
    'new'
    >>> replica = Replica(room.world.design.for_clients())
    >>> replica.feed(room.full("p-8812"))
    >>> replica.value("Ana.suit")
    90.0
    """

    saver: Autosaver | None

    world: World
    name: str

    def __init__(
        self,
        design: Design,
        name: str,
        *,
        saver: Autosaver | None = None,
        seed: int = 0,
        world: World | None = None,
        folder: str | os.PathLike[str] | None = None,
        clock: Callable[[], float] = monotonic,
    ) -> None:
        self.name, self.saver = name, saver
        self.world = World(design, seed) if world is None else world
        self._clock = clock
        self._aliases = Aliases(lambda shown: not read.parts(self.world).stage.is_free(shown))
        self._viewers: dict[str, Viewer] = {}
        self._watch = RoomWatch(self.world, self._aliases.of)
        self._watch.heard = self._heard
        self._counts: dict[str, int] = dict.fromkeys(("messages", "bytes", "events", "asked", "done"), 0)
        self._packed: dict[tuple[str, int], tuple[int, list[str]]] = {}
        self._recovered: dict[str, int] = {}  # who has not come back after a crash: the revision saved last
        self._keeping: Keeping | None = None
        self._moved = False
        self._no_more: Callable[[], None] = lambda: None
        if folder is not None:
            if stretches(Path(folder), name):
                raise UsageError(
                    f"{Path(folder).name} holds the journal of a room {name}; bring that back by "
                    "Room.recover, or name another folder"
                )
            self._keep(folder, {})

    def _keep(self, folder: str | os.PathLike[str], known: Mapping[str, KnownPlayer]) -> None:
        """Keep a journal from now on."""
        self._keeping = Keeping(self.world, Path(folder), self.name, known, clock=self._clock)
        if self.saver is not None:
            # Or a coin would be saved with its player, and lie there again in a room that comes back.
            self._no_more = self.saver.about_to_write(self._keeping.before_saving)

    @classmethod
    def recover(
        cls,
        folder: str | os.PathLike[str],
        design: Design,
        name: str = "",
        *,
        saver: Autosaver | None = None,
        clock: Callable[[], float] = monotonic,
    ) -> Room:
        """Return a room as its journal has it, after a crash: at most what was not flushed is lost, a second.

        Players stand in it as they did, and each looks on again after `enter`, which says "recovered". If the
        store has a newer save of a player than the journal, that player leaves the world and comes in anew,
        with what was saved.

        Args:
            folder: Of the journal.
            design: What goes on is played under; it may be another one than before.
            name: Of the room; the only one in the folder unless given.
            saver: As for a new room.
            clock: As for a new room.

        Raises:
            UsageError: There is no journal, or it cannot be played.
            InUseError: Something that is in use is not in another design.
        """
        if not isinstance(folder, (str, os.PathLike)):
            raise UsageError(f"the folder is {said(folder)}; it must be a path")
        path = Path(folder)
        name = name or _only_name(path)
        found = recovered(path, name, design)
        room = cls(design, name, saver=saver, world=found.world, clock=clock)
        for player, known in found.known.items():
            room._aliases.add(player, known.shown)
        room._recovered = {
            player: found.known[player].revision if player in found.known else 0
            for player in read.parts(room.world).stage.players
        }
        room._keep(path, found.known)
        log.warning("room %s: brought back from %s, at %g s", name, found.path.name, room.world.now)
        return room

    def freeze(self) -> bytes:
        """Return the room as bytes, to go on in another process by `thaw`; here it has ended. What is unsaved
        is saved first; the leases of its players stay, for the other process.

        Raises:
            SaveError: Somebody could not be saved: the room goes on here.
            BusyError: In a listener.
        """
        read.parts(self.world).stage.idle("freeze")
        self._still_here()
        holder = ""
        if self.saver is not None:
            failure = self.saver.hand_over(self._viewers)
            if failure is not None:
                raise SaveError(
                    f"{failure.player} could not be saved: {failure.error}; the room goes on here"
                )
            holder = self.saver.store.holder
        viewers = {player: (one.sent, one.number, list(one.events)) for player, one in self._viewers.items()}
        state = frozen(Moved(self.name, self.world, self._aliases.by_id, viewers, self._recovered, holder))
        self.close()
        self._viewers.clear()
        self._moved = True
        log.info("room %s: frozen at %g s, %d bytes", self.name, self.world.now, len(state))
        return state

    def _still_here(self) -> None:
        if self._moved:
            raise UsageError(f"room {self.name} has moved; go on with what Room.thaw returned")

    @classmethod
    def thaw(
        cls,
        state: bytes,
        design: Design,
        *,
        saver: Autosaver | None = None,
        folder: str | os.PathLike[str] | None = None,
        clock: Callable[[], float] = monotonic,
    ) -> Room:
        """Return the room that `freeze` gave, to go on here exactly as it would have there. Viewers go on
        with their numbers: each gets all that it sees with its next `changes`, and no event twice.

        Args:
            state: What `freeze` gave.
            design: What goes on is played under; it may be a newer one.
            saver: As for a new room; the players' profiles are taken over from the other process.
            folder: As for a new room.
            clock: As for a new room.

        Raises:
            UsageError: It is no such state.
            InUseError: Something that is in use is not in a newer design.
            ProfileBusyError: A third process has one of the players; nobody was taken over.
        """
        found = thawed(state, design)
        room = cls(design, found.name, saver=saver, world=found.world, clock=clock)
        if saver is not None and found.holder:
            saver.inherit(room.world, found.viewers, found.holder)
        for player, shown in found.aliases.items():
            room._aliases.add(player, shown)
        room._recovered = dict(found.absent)
        if folder is not None:
            known = {player: KnownPlayer(room._aliases.of(player), at) for player, at in found.absent.items()}
            room._keep(folder, known)
        for player, (sent, number, events) in found.viewers.items():
            viewer = room._look_on(player)
            viewer.sent, viewer.number, viewer.anew = sent, number, True
            viewer.events.extend(events)
        return room

    def close(self) -> None:
        """End the journal; nobody is saved by this."""
        self._no_more()
        self._no_more = lambda: None
        if self._keeping is not None:
            self._keeping.close()

    # who is here

    @property
    def viewers(self) -> tuple[str, ...]:
        """The ids of the players who look on."""
        return tuple(self._viewers)

    @property
    def absent(self) -> tuple[str, ...]:
        """The ids of players who stand here after a crash, and have not come back."""
        return tuple(self._recovered)

    def alias(self, player: str) -> str:
        """Return the name by which others know a player."""
        return self._aliases.of(self._viewer(player).actor)

    async def enter(
        self, player: str, *, kind: str = "", shown_as: str = "", team: str = "", wait: float = 0.0
    ) -> str:
        """Let a player come in, with its profile where there is a saver, read off the loop.

        Args:
            player: Its id; nobody but the server knows it.
            kind: Its kind; the only player kind there is unless given.
            shown_as: The name by which others know it; the id unless given. A second "Ana" becomes "Ana 2".
            team: Its team.
            wait: Seconds that another process which has the player gets to hand it over; it is asked.

        Returns:
            "new" for who was never saved, "found" for who was, "recovered" for who stands there after a
            crash, "here" for who looks on already.

        Raises:
            UsageError: The shown name cannot be.
            SaveError: The profile cannot be read, or another process has it; nobody has come.
        """
        self._still_here()
        own_name("the id of a player", player)
        if player in self._viewers:
            return "here"
        if player in self._recovered and await self._come_back(player, shown_as, wait):
            return "recovered"
        known = player in self._aliases.by_id
        self._aliases.add(player, shown_as or player)
        kind = kind or self._only_kind()
        try:
            if self.saver is None:
                self.world.join(kind, player, team=team)
                state = "new"
            else:
                await self.saver.join_async(self.world, player, kind, team=team, wait=wait)
                held = self.saver.held(player)
                state = "found" if held is not None and held.profile is not None else "new"
        except BaseException:
            if not known:
                self._aliases.forget(player)
            raise
        self._look_on(player)
        log.info("room %s: %s comes in as %s (%s)", self.name, player, self._aliases.of(player), state)
        return state

    async def _come_back(self, player: str, shown_as: str, wait: float = 0.0) -> bool:
        """Let a player look on again who stands here after a crash; return whether it does. If the store has
        a newer save of it than the journal, it leaves the world, to come in anew."""
        revision = self._recovered[player]
        stands = player in read.parts(self.world).stage.players
        if stands and self.saver is not None:
            stands = await self.saver.resume_async(self.world, player, revision, wait=wait)
            if not stands and player in read.parts(self.world).stage.players:
                self.world.dismiss(player)
        self._recovered.pop(player, None)
        if stands:
            if shown_as:
                self._aliases.add(player, shown_as)
            self._look_on(player)
        return stands

    def admit(self, player: str, shown_as: str = "") -> None:
        """Let a player look on who is in the world already: the server's own code let it join.

        Raises:
            UnknownNameError: Nobody of this id is there.
            UsageError: It is no player, or the shown name cannot be.
        """
        if not self.world.actor(player).player:
            raise UsageError(f"{player} is no player; only players look on")
        self._aliases.add(player, shown_as or player)
        if player not in self._viewers:
            self._recovered.pop(player, None)
            self._look_on(player)

    def _look_on(self, player: str) -> Viewer:
        bucket = TokenBucket(self.world.design.tables.rooms.rate, self._clock())
        viewer = self._viewers[player] = Viewer(player, bucket)
        self._watch.touch(player)
        if self._keeping is not None:
            held = None if self.saver is None else self.saver.held(player)
            self._keeping.note(player, self._aliases.of(player), 0 if held is None else held.revision)
        return viewer

    def _only_kind(self) -> str:
        kinds = [name for name, actor in self.world.design.tables.actors.items() if actor.player]
        if len(kinds) != 1:
            raise UsageError(f"say which kind comes in; player kinds are: {', '.join(kinds) or 'none'}")
        return kinds[0]

    async def leave(self, player: str) -> None:
        """Let a player go; what it has is saved first, where there is a saver. So may one go who stands here
        after a crash and has not come back (`absent`).

        Raises:
            SaveError: The player could not be saved. It stays, and may leave later; where it can never be
                saved any more, as another process has taken it over, it has left.
        """
        if player in self._recovered and not await self._come_back(player, ""):
            return  # what was saved is newer than what stood here
        self._viewer(player)
        failure = None
        try:
            if self.saver is not None and self.saver.held(player) is not None:
                failure = await self.saver.leave_async(player)
                if failure is not None and not failure.final:
                    raise SaveError(f"{player} could not be saved, and stays: {failure.error}")
            elif player in read.parts(self.world).stage.players:  # else the server's own code has let it go
                self.world.leave(player)
        finally:  # also where the waiting is cancelled once it is out of the world
            if (
                player not in read.parts(self.world).stage.players
                and self._viewers.pop(player, None) is not None
            ):
                if self._keeping is not None:
                    self._keeping.forget(player)
                log.info("room %s: %s leaves", self.name, player)
        if failure is not None:
            raise SaveError(f"{player} has left, and cannot be saved any more: {failure.error}")

    def _viewer(self, player: str) -> Viewer:
        found = self._viewers.get(player)
        if found is None:
            raise UnknownNameError("player", player, tuple(self._viewers), f"room {self.name}")
        return found

    @property
    def metrics(self) -> dict[str, float]:
        """What an operator watches: who looks on, the world's actors and its time, and since the room began
        the messages and bytes that went out, events, what clients asked and how much of it was done, and how
        often each reason was given for a refusal ("refused_too_often")."""
        stage = read.parts(self.world).stage
        return {
            "viewers": len(self._viewers),
            "actors": len(stage.actors),
            "seconds": stage.clock.now / 1e6,
            **self._counts,
        }

    def _count(self, what: str) -> None:
        self._counts[what] = self._counts.get(what, 0) + 1

    # what is asked, and time

    def do(self, player: str, asked: Any, number: int = 0) -> Reply:
        """Do what a client asked for itself, if it may. Whatever was sent, no more than a reply comes of it.

        Args:
            player: Who asks.
            asked: What it sent, as plain data: ``{"do": "take", "what": "kit"}``.
            number: The client's own number for it, which the reply has too.

        Raises:
            ReactionError: What it asked for was done, and listeners or rules of the game failed over it.
        """
        self._count("asked")
        reply = self._reply(player, asked, number if type(number) is int else 0)
        self._count("done" if reply.done else f"refused_{reply.why}")
        return reply

    def _reply(self, player: str, asked: Any, number: int) -> Reply:
        viewer = self._viewers.get(player) if isinstance(player, str) else None
        if viewer is None or player not in read.parts(self.world).stage.players:
            return Reply(number, False, "not_here")
        if not viewer.bucket.take(self._clock()):
            return Reply(number, False, "too_often")
        wanted = deed(asked, self.world.design.tables.rooms.allow)
        if isinstance(wanted, str):
            return Reply(number, False, wanted)
        do, what, beside = wanted
        if "target" in beside:
            beside["target"] = self._aliases.id_of(beside["target"])
        done, why = fulfil(self.world, self.world.actor(player), do, what, beside)
        return Reply(number, done, why)

    def tick(self, seconds: float) -> None:
        """Let time pass."""
        self._still_here()
        self.world.advance(seconds)
        if self._keeping is not None:
            self._keeping.beat()
        self._forget()

    def _forget(self) -> None:
        """Drop from the boards what is gone, as far as all have heard of it. Who has fallen far behind, as
        when its line is broken, is not waited for: it gets all that it sees."""
        for viewer in self._viewers.values():
            viewer.anew = viewer.anew or viewer.number - viewer.sent > KEPT
        for name, board in self._watch.boards.items():
            if board.crowded:
                heard = (one.seen.get(name, board.version) for one in self._viewers.values() if not one.anew)
                board.forget(min(heard, default=board.version))

    # what is sent

    def full(self, player: str, *, resume: int | None = None) -> bytes:
        """Return all that a viewer may see now; with *resume*, the number of the last event that it has, also
        the events after that, as far as they are kept."""
        viewer = self._viewer(player)
        self._watch.look()
        entries: list[str] = []
        for name in self._boards(viewer):
            board = self._watch.board(name)
            viewer.seen[name] = board.version
            entries += [packed([*key, value]) for key, value in board.there()]
        number = viewer.number if resume is None else max(min(resume, viewer.number), 0)
        events = viewer.after(number)
        viewer.sent, viewer.anew = viewer.number, False
        me, now = self._aliases.of(viewer.actor), read.parts(self.world).stage.clock.now
        return self._sent(wire.full(now, me, entries, viewer.number - len(events), events))

    def _sent(self, told: bytes) -> bytes:
        self._counts["messages"] += 1
        self._counts["bytes"] += len(told)
        return told

    def changes(self, player: str) -> bytes:
        """Return what has changed for a viewer since the last call of this or of `full`."""
        viewer = self._viewer(player)
        if viewer.anew:
            return self.full(player, resume=viewer.sent)
        self._watch.look()
        entries: list[str] = []
        boards = self._boards(viewer)
        for name in [name for name in viewer.seen if name not in boards]:
            # It sees no more what was for its former team.
            del viewer.seen[name]
            entries += [packed([*key, None]) for key, _ in self._watch.board(name).there()]
        for name in boards:
            entries += self._since(name, viewer.seen.get(name, 0))
            viewer.seen[name] = self._watch.board(name).version
        events = viewer.after(viewer.sent) if viewer.sent < viewer.number else []
        viewer.sent = viewer.number
        now = read.parts(self.world).stage.clock.now
        return self._sent(wire.changes_message(now, entries, viewer.number - len(events), events))

    def _boards(self, viewer: Viewer) -> list[str]:
        team = self._team(viewer)
        return [ALL, *([f"team {team}"] if team else []), f"owner {viewer.actor}"]

    def _team(self, viewer: Viewer) -> str:
        body = read.parts(self.world).stage.actors.get(viewer.actor)
        return "" if body is None else body.team

    def _since(self, name: str, version: int) -> list[str]:
        """Return what has changed on a board, packed; once for all who saw the same before."""
        board: Board = self._watch.board(name)
        if board.version == version:
            return []
        found = self._packed.get((name, version))
        if found is None or found[0] != board.version:
            if len(self._packed) > 4 * len(self._viewers) + 64:
                self._packed.clear()
            parts: list[tuple[Key, Any]] = list(board.since(version))
            found = (board.version, [packed([*key, value]) for key, value in parts])
            self._packed[name, version] = found
        return found[1]

    # events

    def _heard(self, event: Event) -> None:
        """Keep an event for all who may know of it, packed once."""
        self._counts["events"] += 1
        if event.name == "saved" and self._keeping is not None and event.actor in self._keeping.known:
            known = self._keeping.known[event.actor]
            self._keeping.known[event.actor] = known._replace(revision=int(event.get("revision")))
        boards = self._watch.audiences(event) if self._viewers else ()
        told = ""
        for viewer in self._viewers.values() if boards else ():
            if ALL in boards or not set(boards).isdisjoint(self._boards(viewer)):
                told = told or self._told(event)
                viewer.hear(told)

    def _told(self, event: Event) -> str:
        named, alias = self._watch.sight.names_in(event), self._aliases
        values = [
            alias.named(value) if isinstance(value, str) and field in named else value
            for field, value in zip(event.shape.names, event.values, strict=True)
        ]
        parties = [alias.of(one) for one in (event.actor, event.source, event.credit)]
        return packed([event.name, event.time_us, *parties, *values])

    @property
    def trouble(self) -> str:
        """Why no journal is written any more, "" where all is well or none is kept."""
        return "" if self._keeping is None else self._keeping.trouble

    def actor(self, player: str) -> Actor:
        """Return a player's actor, for the server's own code."""
        return self.world.actor(self._viewer(player).actor)

    def __repr__(self) -> str:
        return f"<Room {said(self.name)}: {len(self._viewers)} look on, {self.world!r}>"


def _only_name(folder: Path) -> str:
    """Return the name of the only room whose journal stands in a folder."""
    names = sorted({path.name.rsplit(".", 2)[0] for path in folder.glob("*.*.play")})
    if len(names) != 1:
        raise UsageError(f"say which room comes back; {folder.name} holds: {', '.join(names) or 'none'}")
    return names[0]
