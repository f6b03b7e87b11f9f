"""What the tests of saving share: a game of one currency, and its profiles."""

from __future__ import annotations

from typing import Any

from cleaver import Design, Profile

GAME: dict[str, Any] = {
    "currencies": {"scrip": {}},
    "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
}
DESIGN = Design.from_dict(GAME)


def scrip(amount: int, player: str = "ana") -> Profile:
    """Return a player's profile with so much scrip."""
    return Profile(player, 1, {"currencies": {"scrip": amount}})
