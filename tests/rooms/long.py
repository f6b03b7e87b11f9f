"""Rooms for long, by hand: nonsense from clients, kills of a server, rooms and players handed on and on.

python tests/rooms/long.py [MESSAGES] [KILLS] [MOVES]
"""

from __future__ import annotations

import asyncio
import random
import sys
import tempfile
from pathlib import Path
from time import perf_counter
from typing import Any

HERE = Path(__file__).parent
EXAMPLES = HERE.parents[1] / "examples"
sys.path[:0] = [str(one) for one in (HERE, HERE.parent, EXAMPLES, EXAMPLES / "saves")]

from server.client import Client  # noqa: E402  # where these are is said above
from test_server import DESIGN, Started, handed_over  # noqa: E402

from cleaver import load_design, sample  # noqa: E402
from cleaver.rooms import Room  # noqa: E402

REEF = load_design(sample.path("lanternreef.toml"))
WORDS: list[Any] = [
    "take", "exchange", "accept", "turn_in", "abandon", "talk", "earn", "set", "give", "load", "p-1", "p-2", "Ana",
    "kit", "pearl1", "scrip", "suit", "harbour_office", "first_light", "", "x" * 200, "\0", "__class__", "*", "0",
    None, True, 0, -1, 1, 10**30, 1.5, float("nan"), float("inf"), [], {}, [[]], {"do": "take"}, b"take",
]  # fmt: skip


def nonsense(luck: random.Random, deep: int = 2) -> Any:
    """Return something that a client may send."""
    kind = luck.random()
    if deep == 2 and kind < 0.5:  # well formed, and nothing that it may
        words = [word for word in WORDS if isinstance(word, str)]
        return {"do": luck.choice(words), "what": luck.choice(words)}
    if deep and kind < 0.7:
        keys = ("do", "what", "times", "actor", "player", "seed", "number", "amount", "")
        return {luck.choice(keys): nonsense(luck, deep - 1) for _ in range(luck.randrange(5))}
    if deep and kind < 0.8:
        return [nonsense(luck, deep - 1) for _ in range(luck.randrange(4))]
    return luck.choice(WORDS)


def flood(messages: int) -> None:
    """Send nonsense; nothing may change, and nobody may learn anything."""
    time = [0.0]
    room = Room(REEF, "reef", clock=lambda: time[0])
    for player, name in (("p-1", "Ana"), ("p-2", "Bram")):
        asyncio.run(room.enter(player, kind="diver", shown_as=name))
    room.world.place("sealant", "kit")
    luck, why, slowest, done = random.Random(1), dict[str, int](), 0.0, 0
    for number in range(messages):
        time[0] += 1  # never too often: all of it is looked at
        before = room.world.snapshot() if number % 50 == 0 else None
        asked = nonsense(luck)
        began = perf_counter()
        reply = room.do("p-1", asked, nonsense(luck, 0))
        slowest = max(slowest, perf_counter() - began)
        why[reply.why] = why.get(reply.why, 0) + 1
        done += reply.done
        if before is not None and not reply.done:
            assert room.world.snapshot() == before, asked
    print(f"{messages} messages: {done} were done (a player may), slowest {slowest * 1e3:.1f} ms, {why}")


async def killed(folder: Path, kills: int) -> None:
    """Kill a server again and again: at most a second is lost, nothing comes twice."""
    lost = now = damage = 0.0
    for number in range(kills):
        server = Started(folder)
        ana = Client(DESIGN, "p-1", "Ana")
        await ana.come(server.port, "reef")
        if number:
            assert ana.state in ("recovered", "found"), ana.state
            lost = max(lost, now - ana.replica.world.now)
            assert now - ana.replica.world.now < 1.5, (number, now, ana.replica.world.now)
            assert ana.replica.me.records["damage_taken"] <= damage
        await asyncio.sleep(random.Random(number).uniform(1.1, 2.4))
        server.kill()
        await ana.go()
        now, damage = ana.replica.world.now, ana.replica.me.records["damage_taken"]
    print(f"{kills} kills: at most {lost:.2f} s were lost, nothing came twice")


async def handed(folder: Path, moves: int) -> None:
    """Hand a room and its player from process to process."""
    server = Started(folder)
    ana = Client(DESIGN, "p-1", "Ana")
    await ana.come(server.port, "reef")
    now = ana.replica.world.now
    for number in range(moves):
        state = folder / f"{number}.state"
        assert server.told(f"freeze reef {state}") == "frozen reef\n"
        await ana.go()
        other = Started(folder, "--thaw", str(state))
        server.kill()
        server = other
        await ana.come(server.port, "reef")
        await asyncio.sleep(0.3)
        assert ana.state == "here"
        assert ana.replica.missed == 0
        assert ana.replica.world.now >= now, (number, now, ana.replica.world.now)
        now = ana.replica.world.now
    damage = ana.replica.me.records["damage_taken"]
    server.kill()
    print(f"{moves} moves: no event missed, no step back in time, {damage:g} damage taken in {now:.1f} s")


def asked_for(folder: Path, moves: int) -> None:
    """Let two servers ask each other for a player."""
    servers = [Started(folder / name, store=f"sqlite:///{folder / 'saves.db'}") for name in "ab"]
    try:
        asyncio.run(handed_over([server.port for server in servers], moves))
    finally:
        for server in servers:
            server.kill()
    print(f"{moves} times a player was handed over, as was asked: nothing lost, nothing twice")


def main() -> None:
    """Do all four."""
    messages, kills, moves = (
        int(one) for one in (*sys.argv[1:], *("60000", "50", "100")[len(sys.argv) - 1 :])
    )
    flood(messages)
    with tempfile.TemporaryDirectory() as one, tempfile.TemporaryDirectory() as other:
        asyncio.run(killed(Path(one), kills))
        asyncio.run(handed(Path(other), moves))
    with tempfile.TemporaryDirectory() as folder:
        asked_for(Path(folder), moves)


if __name__ == "__main__":
    main()
