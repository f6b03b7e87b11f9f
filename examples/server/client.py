"""A headless client: a replica that is kept up to date, and what it asks for.

python -m server.client --room reef --shown Ana
"""

from __future__ import annotations

import argparse
import asyncio
import json
from contextlib import suppress
from typing import Any

from websockets.asyncio.client import ClientConnection, connect
from websockets.exceptions import ConnectionClosed

from cleaver import Design, load_design, sample
from cleaver.rooms import Replica, Reply


class Client:
    """One player's screen.

    Args:
        design: What clients may know: `Design.for_clients`.
        player: Its id, which the server knows it by.
        shown: The name by which others know it.
    """

    line: ClientConnection

    def __init__(self, design: Design, player: str, shown: str) -> None:
        self.player, self.shown = player, shown
        self.replica = Replica(design)
        self.state = ""
        self.replies: dict[int, Reply] = {}
        self._number = 0
        self._listening: asyncio.Task[None] | None = None

    async def come(self, port: int, room: str) -> None:
        """Connect, or connect again: events that were missed come then, each once."""
        self.line = await connect(f"ws://127.0.0.1:{port}")
        number = self.replica.number
        await self.line.send(
            json.dumps({"hello": self.player, "shown": self.shown, "room": room, "resume": number})
        )
        self.state = json.loads(await self.line.recv())["state"]
        first = await self.line.recv()
        assert isinstance(first, bytes)
        self.replica.feed(first)
        self._listening = asyncio.ensure_future(self._listen())

    async def _listen(self) -> None:
        with suppress(ConnectionClosed):
            async for message in self.line:
                if isinstance(message, bytes):
                    self.replica.feed(message)
                else:
                    reply = Reply(**json.loads(message))
                    self.replies[reply.number] = reply

    async def ask(self, do: str, what: str) -> Reply:
        """Ask for something, and wait for the reply."""
        number = await self.send({"do": do, "what": what})
        while number not in self.replies:
            await asyncio.sleep(0.005)
        return self.replies.pop(number)

    async def send(self, asked: dict[str, Any]) -> int:
        """Send what is asked for; returns its number."""
        self._number += 1
        await self.line.send(json.dumps({**asked, "number": self._number}))
        return self._number

    async def go(self) -> None:
        """Let the line break."""
        await self.line.close()
        if self._listening is not None:
            await self._listening


async def main() -> None:
    """Look on for some seconds, and print what there is to see."""
    parser = argparse.ArgumentParser(description="A headless client of the example's server.")
    parser.add_argument("--port", type=int, default=8765)
    parser.add_argument("--room", default="reef")
    parser.add_argument("--id", default="p-1", help="who it is; the server alone knows it")
    parser.add_argument("--shown", default="Ana", help="what others call it")
    parser.add_argument("--seconds", type=int, default=5)
    given = parser.parse_args()
    client = Client(load_design(sample.path("lanternreef.toml")).for_clients(), given.id, given.shown)
    try:
        await client.come(given.port, given.room)
    except OSError:
        raise SystemExit(
            f"nobody answers on port {given.port}; start python -m server.server first"
        ) from None
    except ConnectionClosed as error:
        raise SystemExit(f"the server says: {error.rcvd.reason if error.rcvd else 'goodbye'}") from None
    print(f"{client.replica.me.id} is in {given.room} ({client.state})")
    client.replica.listen(
        "damaged", lambda event: print(f"  {event.actor} loses {event.amount:g} {event.meter}")
    )
    for _ in range(given.seconds):
        await asyncio.sleep(1)
        print(
            "; ".join(
                f"{one.id} {one.meters[0]} {one[one.meters[0]].value:g}" for one in client.replica.actors
            )
        )
    await client.go()


if __name__ == "__main__":
    asyncio.run(main())
