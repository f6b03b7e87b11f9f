"""Kills: a game that saves and trades is ended at any instant, again and again, and what it left is looked at.

Run by hand: ``python tests/kills.py URL MODE COUNT [KILL|TERM]``, with MODE one of inline, thread, asyncio.
"""

from __future__ import annotations

import asyncio
import json
import os
import random
import select
import signal
import sys
import time
from collections.abc import Iterator
from typing import Any, NamedTuple

from cleaver import Actor, Design, Event, World, open_store
from cleaver.saves import Autosaver, DamagedProfile, Found

START = 100
PLAYERS = [f"p{number}" for number in range(6)]
MODES = ("inline", "thread", "asyncio")
GAME: dict[str, Any] = {
    "currencies": {"scrip": {"start": START}, "brass": {"start": START}, "tin": {}, "shell": {}},
    "exchanges": {"melt": {"costs": {"brass": 1}, "gives": {"tin": 1}}},
    "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
    "events": {"alloy": {}},
    "rules": [{"on": "alloy", "do": [{"spend": "tin", "amount": 1}, {"earn": "brass", "amount": 1}]}],
}
DESIGN = Design.from_dict(GAME)


class Left(NamedTuple):
    """What was found after the kills: acknowledged saves that are missing, profiles that are damaged, commands
    saved in half, trades saved in half; how many saves were acknowledged, how long the longest end took."""

    lost: int
    damaged: int
    torn: int
    split: int
    acknowledged: int
    longest: float


def play(url: str, mode: str, pipe: int) -> None:
    """Play and save until the end; each save that is acknowledged goes into the pipe."""
    with open_store(url, DESIGN, lease=0.001) as store:
        saver = Autosaver(store, interval=0.01, threaded=mode == "thread")
        with saver.closing():
            world = World(DESIGN, history=0)

            def told(event: Event) -> None:
                os.write(pipe, (json.dumps([event.actor, event.revision]) + "\n").encode())

            actors = [saver.join(world, player) for player in PLAYERS]
            world.listen_own("saved", told)
            os.write(pipe, b'["", 0]\n')
            if mode == "asyncio":
                asyncio.run(_play_async(saver, world, actors))
            else:
                for _ in _frames(world, actors):
                    saver.pump()


async def _play_async(saver: Autosaver, world: World, actors: list[Actor]) -> None:
    for _ in _frames(world, actors):
        await saver.pump_async()
        await asyncio.sleep(0)


def _frames(world: World, actors: list[Actor]) -> Iterator[None]:
    chance = random.Random(os.getpid())
    while True:
        world.advance(1 / 60)
        for _ in range(3):
            one, other = chance.sample(actors, 2)
            world.trade(one, {"scrip": min(one.purse["scrip"], 5)}, other, {})
            other.exchange("melt")
            one.announce("alloy")
        chance.choice(actors).earn("shell", 1)
        yield


def ended(url: str, mode: str, sign: int, wait: float, after: int) -> tuple[dict[str, int], float]:
    """Fork a game and end it *wait* seconds after its line number *after* (the first says that it is ready, each
    one after it is an acknowledged save); returns the last revision that was acknowledged of each player, and
    the seconds that the end took."""
    reading, writing = os.pipe()
    child = os.fork()
    if child == 0:
        try:
            os.close(reading)
            os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
            play(url, mode, writing)
        finally:
            os._exit(1)
    os.close(writing)
    told = b""
    while told.count(b"\n") < after and select.select([reading], [], [], 20.0)[0]:
        told += (chunk := os.read(reading, 65536))
        if not chunk:
            break
    time.sleep(wait)
    begun = time.monotonic()
    os.kill(child, sign)
    while chunk := os.read(reading, 65536):
        told += chunk
    os.close(reading)
    os.waitpid(child, 0)
    last: dict[str, int] = dict(json.loads(line) for line in told.decode().split("\n")[:-1])
    last.pop("", None)
    return last, time.monotonic() - begun


def kills(url: str, mode: str, count: int, sign: int = signal.SIGKILL) -> Left:
    """End games *count* times and look at what each left."""
    chance = random.Random(7)
    lost = damaged = torn = split = acknowledged = 0
    longest = 0.0
    for number in range(count):
        wait = 0.01 + chance.random() * (0.08 if url[:6] == "sqlite" else 0.4)
        # A slow machine acknowledges nothing in so short a time: every other game is left alone until it did.
        told, took = ended(url, mode, sign, wait, after=1 + number % 2)
        longest = max(longest, took)
        acknowledged += len(told)
        with open_store(url, DESIGN) as store:
            scrip = 0
            for player in PLAYERS:
                outcome = store.load(player)
                purse = outcome.profile.sections["currencies"] if isinstance(outcome, Found) else {}
                damaged += isinstance(outcome, DamagedProfile) or (
                    isinstance(outcome, Found) and bool(outcome.recovered_from)
                )
                revision = outcome.revision if isinstance(outcome, Found) else 0
                lost += revision < told.get(player, 0)
                torn += purse.get("brass", START) + purse.get("tin", 0) != START
                scrip += purse.get("scrip", START)
            split += scrip != START * len(PLAYERS)
            damaged += len(list(store.verify()))
    return Left(lost, damaged, torn, split, acknowledged, longest)


if __name__ == "__main__":
    where, how, many, *rest = sys.argv[1:]
    found = kills(where, how, int(many), getattr(signal, f"SIG{(rest or ['KILL'])[0]}"))
    print(f"{many} ends of a game on {where.split(':')[0]}, saved {how}: {found}")
