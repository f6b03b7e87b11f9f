"""Rooms: what 500 players in 25 rooms cost a tick, and what goes over the wire, beside a hand-written server
that polls everybody for everybody.

    python benchmarks/rooms.py
"""

from __future__ import annotations

import asyncio
import json
from random import Random
from time import perf_counter
from typing import Any

from common import finish, ratio, told

from cleaver import Design, World, load_design, sample
from cleaver.rooms import Replica, Room

ROOMS, PLAYERS, TICKS = 25, 20, 20
TICK = 0.05


def crowded(design: Design) -> Room:
    """Return a room with twenty players and some eels, as it is in the middle of play."""
    room = Room(design, "reef", clock=lambda: room.world.now)
    for number in range(PLAYERS):
        team = ("north", "south")[number % 2]
        asyncio.run(room.enter(f"p-{number}", kind="diver", shown_as=f"Diver {number}", team=team))
        room.world.actor(f"p-{number}").hurt(50)  # all of them regenerate
    for number in range(4):
        room.world.spawn("eel", f"eel{number}")
    return room


def act(world: World, random: Random) -> None:
    """Let each player do something twice a second, and something public happen five times a second."""
    for number in range(PLAYERS):
        if random.random() < 2 * TICK:
            world.actor(f"p-{number}").earn("scrip", 1)
    if random.random() < 5 * TICK:
        world.actor(f"eel{random.randrange(4)}").hit(f"p-{random.randrange(PLAYERS)}", "sting")


class Polling:
    """The same by hand: each tick, each viewer's screen is read off the world, and sent where it differs."""

    def __init__(self, room: Room) -> None:
        self.world, self.before = room.world, [dict[str, Any]() for _ in range(PLAYERS)]

    def screen(self, viewer: int) -> dict[str, Any]:
        """Return what one viewer sees."""
        world = self.world
        found = {}
        for actor in world.actors:
            vital = "suit" if actor.player else "hide"
            found[actor.id] = {
                "alive": actor.alive,
                "team": actor.team,
                "score": actor.score,
                "statuses": list(actor.statuses),
                vital: [round(actor[vital].value, 2), actor[vital].max],
            }
        me = world.actor(f"p-{viewer}")
        found["me"] = {
            "air": round(me["air"].value, 2),
            "scrip": me.purse["scrip"],
            "bag": {name: me.bag[name] for name in me.bag},
            "quests": {name: me.quests[name].state for name in me.quests},
        }
        return found

    def tick(self) -> int:
        """Return how many bytes go out."""
        sent = 0
        for viewer in range(PLAYERS):
            screen = self.screen(viewer)
            before = self.before[viewer]
            changed = {key: value for key, value in screen.items() if before.get(key) != value}
            self.before[viewer] = screen
            if changed:
                sent += len(json.dumps(changed, separators=(",", ":")).encode())
        return sent


def main() -> None:
    """Measure."""
    design = load_design(sample.path("lanternreef.toml"))
    rooms = [crowded(design) for _ in range(ROOMS)]
    polled = [Polling(crowded(design)) for _ in range(ROOMS)]
    random, other = Random(1), Random(1)
    for room in rooms:
        for player in room.viewers:
            room.full(player)
    for server in polled:
        server.tick()
    bytes_out, bytes_polled = [0], [0]

    def ours() -> None:
        for _ in range(TICKS // 4):
            for room in rooms:
                act(room.world, random)
                room.tick(TICK)
                bytes_out[0] += sum(len(room.changes(player)) for player in room.viewers)

    def by_hand() -> None:
        for _ in range(TICKS // 4):
            for server in polled:
                act(server.world, other)
                server.world.advance(TICK)
                bytes_polled[0] += server.tick()

    ratio(
        "500 players in 25 rooms: cheaper than polling everybody", ours, by_hand, bar=5, more=True, rounds=5
    )
    began = perf_counter()
    ours()
    share = (perf_counter() - began) / (TICKS // 4) / TICK * 100
    told("of the 50 ms of a tick, one core", share, 100, unit="%")

    # One room, ten seconds: what each of twenty clients is sent
    room, server = crowded(design), Polling(crowded(design))
    random, other = Random(2), Random(2)
    for player in room.viewers:
        room.full(player)
    server.tick()
    sent = polls = 0
    for _ in range(200):
        act_in_public(room.world, random)
        act_in_public(server.world, other)
        room.tick(TICK)
        server.world.advance(TICK)
        sent += sum(len(room.changes(player)) for player in room.viewers)
        polls += server.tick()
    told("bytes a second to each of 20 clients", sent / PLAYERS / 10, 1500, unit="B")
    told("fewer bytes than polling sends", polls / sent, 3, more=True)
    told("a full view of such a room", len(room.full("p-3")), 4000, unit="B")

    replica = Replica(design.for_clients())
    replica.feed(room.full("p-3"))
    messages = []
    for _ in range(200):
        act_in_public(room.world, random)
        room.tick(TICK)
        messages.append(room.changes("p-3"))

    def feed() -> None:
        for message in messages:
            replica.feed(message)

    def parse() -> None:
        for message in messages:
            json.loads(message)

    ratio("feeding a replica / parsing the same bytes", feed, parse, bar=6)
    finish()


def act_in_public(world: World, random: Random) -> None:
    """Let something public happen five times a second, and nothing else."""
    if random.random() < 5 * TICK:
        world.actor(f"p-{random.randrange(PLAYERS)}").hurt(2)


if __name__ == "__main__":
    main()
