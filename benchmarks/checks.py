"""Checks: what `cleaver check` costs where every good leads to the next, beside a tenth of them."""

from __future__ import annotations

from typing import Any

from common import finish, ratio

from cleaver import Design
from cleaver.design.checks import findings


def ring(size: int) -> Design:
    """Return a design in which *size* exchanges each turn one currency into the next, and the last into the
    first."""
    tables: dict[str, Any] = {
        "currencies": {f"coin{number}": {} for number in range(size)},
        "exchanges": {
            f"press{number}": {"costs": {f"coin{number}": 3}, "gives": {f"coin{(number + 1) % size}": 2}}
            for number in range(size)
        },
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
    }
    return Design.from_dict(tables)


def main() -> None:
    large, small = ring(300), ring(30)
    ratio(
        "`check` on 300 exchanges in a ring / on 30",
        lambda: findings(large),
        lambda: findings(small),
        bar=30,
        rounds=5,
    )
    finish()


if __name__ == "__main__":
    main()
