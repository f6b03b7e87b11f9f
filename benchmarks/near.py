"""Near: hits that ask who stands near, among ten thousand actors, beside hits that do not."""

from __future__ import annotations

from typing import Any

from common import finish, ratio

from cleaver import Design, World

HITS = 1_000


def crowd(scale: str, count: int = 10_000) -> tuple[Any, Any]:
    """Return an attacker and a boss among *count* actors, one to each nine square units."""
    world = World(
        Design.from_dict(
            {
                "inputs": {"nearby": 3},
                "actors": {
                    "diver": {
                        "player": True,
                        "vital": "suit",
                        "meters": {"suit": 90},
                        "attacks": {"jab": {"amount": 9}},
                    },
                    "moray": {"vital": "hide", "meters": {"hide": 1e12}, "guard": {"scale": scale}},
                    "fish": {},
                },
            }
        )
    )
    side = int(count**0.5)
    for number in range(count):
        world.move(world.spawn("fish"), number % side * 3, number // side * 3)
    ana, moray = world.join("diver", "ana"), world.spawn("moray")
    world.move(ana, side * 1.5, side * 1.5)
    world.move(moray, side * 1.5 + 1, side * 1.5)
    return ana, moray


def main() -> None:
    near, plain = crowd("2 / (1 + near(6))"), crowd("2 / (1 + nearby)")

    def hits(pair: tuple[Any, Any]) -> None:
        for _ in range(HITS):
            pair[0].hit(pair[1], "jab")

    ratio(
        "a hit that asks near(6) among 10,000 actors / one that does not",
        lambda: hits(near),
        lambda: hits(plain),
        bar=6,
        each=HITS,
    )
    finish()


if __name__ == "__main__":
    main()
