"""Flows: a hundred thousand regenerating actors that nobody ticks, and what an idle one weighs."""

from __future__ import annotations

import tracemalloc
from collections.abc import Callable
from typing import Any

from common import finish, ratio, told

from cleaver import Design, World
from cleaver.core import read
from cleaver.core.kernel.body import Meter

ACTORS = 100_000
FRAMES = 600
TABLES = {
    "actors": {"crate": {"vital": "planks", "meters": {"planks": {"max": 100, "flows": [{"rate": 1}]}}}}
}


class Ticked:
    """A regenerating actor as anyone would write it."""

    __slots__ = ("call", "health", "rate", "top")

    def __init__(self, health: float, call: Callable[[], None]) -> None:
        self.health, self.top, self.rate, self.call = health, 100.0, 1.0, call

    def tick(self, seconds: float) -> None:
        if self.health < self.top:
            self.health += self.rate * seconds
            if self.health >= self.top:
                self.health = self.top
                self.call()


def lazy() -> World:
    world = World(Design.from_dict(TABLES))
    for number in range(ACTORS):
        actor = world.spawn("crate")
        read.body(actor).meters["planks"].value = 95.0 if number % 10 == 0 else 50.0
        read.parts(world).vitals.anchor(
            read.body(actor).meters["planks"], read.body(actor).meters["planks"].value, 0
        )
    return world


def main() -> None:
    design = Design.from_dict(TABLES)
    actors = [Ticked(95.0 if number % 10 == 0 else 50.0, lambda: None) for number in range(ACTORS)]
    worlds = [lazy() for _ in range(3)]

    def tick() -> None:
        for _ in range(
            FRAMES // 10
        ):  # a tenth of the frames: the loop is slow, and its time is in proportion
            for actor in actors:
                actor.tick(1 / 60)

    def advance() -> None:
        world = worlds.pop()
        for _ in range(FRAMES):
            world.advance(1 / 60)

    ratio(
        "100,000 regenerating actors, 10 s at 60 frames, a tenth of them full: faster than ticking",
        advance,
        tick,
        bar=60,
        rounds=3,
        more=True,
        share=10,
        each=FRAMES,
    )

    def tick_built() -> None:
        made = [Ticked(95.0 if number % 10 == 0 else 50.0, lambda: None) for number in range(ACTORS)]
        for _ in range(FRAMES):
            for actor in made:
                actor.tick(1 / 60)

    def advance_built() -> None:
        world = lazy()
        for _ in range(FRAMES):
            world.advance(1 / 60)

    ratio("the same with building the actors", advance_built, tick_built, bar=3.5, rounds=1, more=True)
    tracemalloc.start()
    world = World(design)
    body = world.spawn("crate")._there
    kind, clock = body.kind.meters["planks"], read.parts(world).stage.clock
    before = tracemalloc.get_traced_memory()[0]
    kept: list[Any] = []
    for number in range(20_000):
        meter = Meter(kind, body, clock.now)
        value = number / 1000 + 3.0
        read.parts(world).vitals.anchor(meter, value, value)
        kept.append(meter)
    told(
        "memory of an idle flowing meter with its timer",
        (tracemalloc.get_traced_memory()[0] - before) / len(kept),
        320,
        unit="B",
    )
    tracemalloc.stop()
    finish()


if __name__ == "__main__":
    main()
