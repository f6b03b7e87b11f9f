"""Rules: a thousand over a hundred kinds, beside ten: an event touches only those that asked for it."""

from __future__ import annotations

from typing import Any

from common import finish, ratio

from cleaver import Design, World

HITS = 10_000


def ruled(count: int) -> tuple[Any, Any]:
    """Return a diver and an eel in a world of a hundred kinds and *count* rules, ten of them about that
    eel."""
    kinds = {f"fish{number}": {"vital": "hide", "meters": {"hide": 1e12}} for number in range(100)}
    rules = [
        {
            "on": "struck",
            "of": f"fish{number % max(count // 10, 1)}",
            "where": "amount > 100",
            "do": [{"score": 1}],
        }
        for number in range(count)
    ]
    world = World(
        Design.from_dict(
            {
                "actors": {
                    "diver": {
                        "player": True,
                        "vital": "suit",
                        "meters": {"suit": 90},
                        "attacks": {"jab": {"amount": 9}},
                    },
                    **kinds,
                },
                "rules": rules,
            }
        )
    )
    return world.join("diver", "ana"), world.spawn("fish0")


def main() -> None:
    many, few = ruled(1_000), ruled(10)

    def hits(pair: tuple[Any, Any]) -> None:
        for _ in range(HITS):
            pair[0].hit(pair[1], "jab")

    ratio(
        "an event under 1,000 rules over 100 kinds / under 10 rules",
        lambda: hits(many),
        lambda: hits(few),
        bar=1.5,
        each=HITS,
    )
    finish()


if __name__ == "__main__":
    main()
