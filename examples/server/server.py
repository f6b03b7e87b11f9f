"""A server of two rooms on WebSockets: state as bytes, twenty times a second; what clients ask, as JSON.

    python -m server.server --store sqlite:///saves.db --folder rooms --port 8765

A client says hello with its id, its shown name, its room and the number of the last event it has. In a game
of yours, who somebody is comes from a login, not from the client. Killed, it goes on from its journals when
it starts again. A line ``freeze ROOM FILE`` on its input moves a room to another process, which is started
with ``--thaw FILE``. Several of these servers may share one store: who comes to one while another has it is
saved there and handed over.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import signal
import sys
from collections.abc import Coroutine
from contextlib import suppress
from pathlib import Path
from threading import Thread
from typing import Any

from websockets.asyncio.server import ServerConnection, serve
from websockets.exceptions import ConnectionClosed

from cleaver import CleaverError, Design, load_design, open_store, sample
from cleaver.rooms import Room
from cleaver.saves import Autosaver

TICK = 1 / 20
ROOMS = ("reef", "wreck")
LINGER = 5.0  # seconds for which somebody whose line broke stays in the room
PATIENCE = 5.0  # seconds that another server gets to hand somebody over
MOST = 4096  # bytes of a message of a client


class Server:
    """Rooms, and who is connected to which of them."""

    def __init__(self, design: Design, store: str, folder: Path, thaw: Path | None) -> None:
        self.design = design
        self.store = open_store(store, design)
        self.saver = Autosaver(self.store, on_request=self.asked_for, on_metric=self.measured)
        self.saves: dict[str, float] = {}
        self.lines: dict[str, ServerConnection] = {}
        self.sending: dict[ServerConnection, asyncio.Future[None]] = {}
        self.doing: set[asyncio.Future[None]] = set()
        self.rooms: dict[str, Room] = {}
        if thaw is not None:
            room = Room.thaw(thaw.read_bytes(), design, saver=self.saver, folder=folder)
            self.rooms[room.name] = room
            return
        for name in ROOMS:
            place = folder / name
            if any(place.glob("*.play")):
                self.rooms[name] = Room.recover(place, design, name, saver=self.saver)
            else:
                self.rooms[name] = Room(design, name, saver=self.saver, folder=place, seed=len(name))
                self.rooms[name].world.spawn("eel", "eel1")
                self.rooms[name].world.place("sealant", "kit")

    async def meet(self, line: ServerConnection) -> None:
        """Talk with one client, until its line breaks."""
        hello = read(await line.recv())
        player, room = str(hello.get("hello", "")), self.rooms.get(str(hello.get("room", "")))
        if room is None or not player:
            await line.close(1008, "say hello with an id and a room")
            return
        self.hang_up(player, "you play on another screen now")  # or a tick would send there what is new here
        try:
            for other in self.rooms.values():
                if other is not room and player in (*other.viewers, *other.absent):
                    await other.leave(player)  # in one room at a time
            state = await room.enter(
                player, kind="diver", shown_as=str(hello.get("shown") or "Diver"), wait=PATIENCE
            )
        except CleaverError:
            for one in self.rooms.values():
                self.expect(one, player)
            await line.close(1008, "you cannot come in")  # why is the server's business
            return
        resume = hello.get("resume")
        try:
            await line.send(json.dumps({"state": state}))
            await line.send(room.full(player, resume=resume if isinstance(resume, int) else None))
            self.lines[player] = line
            async for message in line:
                asked = read(message)
                number = asked.pop("number", 0)
                reply = room.do(player, asked, number)
                await line.send(json.dumps(reply.data))
        except ConnectionClosed:
            pass
        finally:
            self.sending.pop(line, None)
            if self.lines.get(player) in (None, line):
                self.lines.pop(player, None)
                self.expect(room, player)

    def expect(self, room: Room, player: str, times: float = 1) -> None:
        """Let somebody who has no line leave, unless there is one after a while (*times* the usual one)."""
        asyncio.get_running_loop().call_later(times * LINGER, self.wait_no_more, room, player)

    def wait_no_more(self, room: Room, player: str) -> None:
        """Let somebody leave who is not there any more."""
        self.do_later(self.see_off(room, player))

    def do_later(self, work: Coroutine[Any, Any, None]) -> None:
        """Do something beside what goes on."""
        doing = asyncio.ensure_future(work)
        self.doing.add(doing)  # which keeps it from being dropped
        doing.add_done_callback(self.doing.discard)

    async def see_off(self, room: Room, player: str) -> None:
        """Let somebody leave whose line broke some time ago, or who did not come back after a crash."""
        if player not in self.lines and player in (*room.viewers, *room.absent):
            try:
                await room.leave(player)
            except CleaverError as error:  # whoever cannot be saved now stays, and leaves later
                print(error, file=sys.stderr, flush=True)
                self.expect(room, player)

    def hang_up(self, player: str, why: str) -> None:
        """Close somebody's line, if there is one."""
        line = self.lines.pop(player, None)
        if line is not None:
            self.do_later(line.close(1008, why))

    def asked_for(self, player: str, who: str) -> None:
        """Let somebody go who has come to another server."""
        self.hang_up(player, "you play elsewhere now")
        for room in self.rooms.values():
            self.wait_no_more(room, player)

    def measured(self, name: str, value: float) -> None:
        """Sum up what the saver counts and times."""
        self.saves[name] = self.saves.get(name, 0.0) + value

    def play(self, room: Room) -> None:
        """Let the room's own things happen: an eel stings one after the other, once a second."""
        divers = [one for one in room.world.players if one.alive]
        second = int(room.world.now)
        if divers and int(room.world.now + TICK) > second:
            room.world.actor("eel1").hit(divers[second % len(divers)], "sting")

    def send(self, room: Room, player: str) -> None:
        """Send what has changed, unless the line has not taken yet what was sent before: nobody waits for
        somebody who does not read, and what has changed meanwhile comes with the next."""
        line = self.lines.get(player)
        if line is None or (line in self.sending and not self.sending[line].done()):
            return
        self.sending[line] = asyncio.ensure_future(send(line, room.changes(player)))

    async def run(self) -> None:
        """Let time pass, and send what has changed."""
        loop, now = asyncio.get_running_loop(), 0
        for room in self.rooms.values():
            for player in room.absent:
                self.expect(room, player, 2)
        began = loop.time()
        while True:
            now += 1
            for room in tuple(self.rooms.values()):
                self.play(room)
                room.tick(TICK)
                for player in room.viewers:
                    self.send(room, player)
            await self.saver.pump_async()
            await asyncio.sleep(max(began + now * TICK - loop.time(), 0))

    def listen_to_operator(self) -> None:
        """Carry out lines of the operator; a thread waits for them, as there may be no terminal at all."""
        loop = asyncio.get_running_loop()

        def wait() -> None:
            for line in sys.stdin:
                loop.call_soon_threadsafe(self.obey, line.split())

        Thread(target=wait, daemon=True).start()

    def freeze(self, name: str, path: Path) -> None:
        """Write a room into a file, for another process."""
        viewers = self.rooms[name].viewers
        try:
            with path.open("xb") as file:  # made first: a room that is frozen goes on nowhere else
                file.write(self.rooms[name].freeze())
        except OSError as error:
            print(f"{name} was not frozen: {error}", flush=True)
            return
        except CleaverError as error:
            path.unlink()
            print(error, flush=True)
            return
        del self.rooms[name]
        for player in viewers:
            self.hang_up(player, "the room has moved; connect again")
        print(f"frozen {name}", flush=True)

    def obey(self, line: list[str]) -> None:
        """Carry out one line."""
        if len(line) == 3 and line[0] == "freeze" and line[1] in self.rooms:
            self.freeze(line[1], Path(line[2]))
        elif line == ["metrics"]:
            rooms = {name: room.metrics for name, room in self.rooms.items()}
            print(json.dumps({**rooms, "saves": self.saves}), flush=True)
        else:
            print("write: freeze ROOM FILE, or metrics", flush=True)

    async def close(self) -> None:
        """Save everybody, and end the journals."""
        await self.saver.close_async()
        for room in self.rooms.values():
            room.close()
        self.store.close()


async def send(line: ServerConnection, told: bytes) -> None:
    """Send, to whoever is still there."""
    with suppress(ConnectionClosed):
        await line.send(told)


def read(message: Any) -> dict[str, Any]:
    """Return what a client sent, as a table; an empty one for nonsense."""
    try:
        found = json.loads(message)
    except (ValueError, TypeError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


async def main() -> None:
    """Serve until it is stopped."""
    parser = argparse.ArgumentParser(description="A server of two rooms on WebSockets.")
    parser.add_argument("--store", default="sqlite:///saves.db", help="where profiles are kept")
    parser.add_argument("--folder", type=Path, default=Path("rooms"), help="where journals are kept")
    parser.add_argument("--port", type=int, default=8765)
    parser.add_argument("--thaw", type=Path, help="go on with one room that another process has frozen")
    given = parser.parse_args()
    if given.thaw is not None and not given.thaw.is_file():
        parser.error(f"{given.thaw} is no file; a server writes one when it is told: freeze ROOM FILE")
    server = Server(load_design(sample.path("lanternreef.toml")), given.store, given.folder, given.thaw)
    async with serve(server.meet, "127.0.0.1", given.port, max_size=MOST) as listening:
        port = next(iter(listening.sockets)).getsockname()[1]
        print(f"listening on port {port}", flush=True)
        server.listen_to_operator()
        serving = asyncio.current_task()
        for sign in (signal.SIGINT, signal.SIGTERM):
            with suppress(NotImplementedError):  # Windows
                asyncio.get_running_loop().add_signal_handler(sign, lambda: serving and serving.cancel())
        try:
            await server.run()
        finally:
            await server.close()


if __name__ == "__main__":
    with suppress(KeyboardInterrupt, asyncio.CancelledError):
        asyncio.run(main())
