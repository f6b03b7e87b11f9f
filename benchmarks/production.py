"""Production: ten thousand winches that pay their owners, beside a bare heap of the same entries."""

from __future__ import annotations

from heapq import heapify, heappop, heappush
from typing import Any

from common import finish, ratio

from cleaver import Design, World

PRODUCERS, SECONDS = 10_000, 10


class Winch:
    """A producer as anyone would write it."""

    __slots__ = ("every", "owner")

    def __init__(self, every: int, owner: dict[str, Any]) -> None:
        self.every, self.owner = every, owner

    def pay(self, now: int) -> None:
        """Pay the owner, note it in the books, tell who listens."""
        purse = self.owner
        purse["scrip"] = balance = min(purse["scrip"] + 6, 10**12)
        book = purse["books"]["haul"]
        book["came"] += 6
        book["times"] += 1
        book["last"] = now
        event = {
            "name": "earned",
            "time": now,
            "actor": purse["name"],
            "source": self,
            "amount": 6,
            "reason": "haul",
            "balance": balance,
        }
        for call in purse["calls"]:
            call(event)


def main() -> None:
    design = Design.from_dict(
        {
            "currencies": {"scrip": {}},
            "actors": {
                "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}},
                "winch": {
                    "pulses": {"haul": {"every": 1.0, "do": [{"earn": "scrip", "amount": 6, "to": "owner"}]}}
                },
            },
        }
    )

    def built() -> World:
        world = World(design)
        ana = world.join("diver", "ana")
        for number in range(PRODUCERS):
            world.spawn("winch", owner=ana)
            if number % 100 == 0:
                world.advance(microseconds=5_000)
        return world

    worlds = [built() for _ in range(6)]

    def pulses() -> None:
        worlds.pop().advance(SECONDS)

    def bare() -> None:
        purse = {
            "name": "ana",
            "scrip": 0,
            "books": {"haul": {"came": 0, "times": 0, "last": 0}},
            "calls": [],
        }
        heap: list[Any] = [
            (1_000_000 + number // 100 * 5_000, 2, number, Winch(1_000_000, purse))
            for number in range(PRODUCERS)
        ]
        heapify(heap)
        until = 1_000_000 * (SECONDS + 0) + 500_000
        while heap[0][0] <= until:
            due, rank, number, winch = heappop(heap)
            winch.pay(due)
            heappush(heap, (due + winch.every, rank, number, winch))

    ratio(
        "100,000 pulses of 10,000 producers / a bare heap of the same entries",
        pulses,
        bare,
        bar=3,
        rounds=5,
        each=SECONDS * PRODUCERS,
    )
    finish()


if __name__ == "__main__":
    main()
