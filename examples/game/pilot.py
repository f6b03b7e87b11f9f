"""Pilot: plays by itself, for pictures and tests: pearls, eels, the office, the harbourmaster, the bell."""

from __future__ import annotations

from math import hypot

from cleaver.hud import Dialogue, sign
from game.reef import PLACES, SEA, Keys, Reef


class Pilot:
    """Where to, one frame after another."""

    def __init__(self) -> None:
        self.frame = 0

    def keys(self, reef: Reef, dialogue: Dialogue) -> Keys:
        """Return what a player would press now."""
        self.frame += 1
        at = reef.at(reef.diver)
        if dialogue.open:
            return Keys(use=self.frame % 90 == 0)  # somebody reads it first
        use, to = self._errand(reef)
        foe = min(
            map(reef.at, reef.fishes()),
            key=lambda fish: hypot(fish[0] - at[0], fish[1] - at[1]),
            default=None,
        )
        if foe is not None and at[1] > SEA + 1 and hypot(foe[0] - at[0], foe[1] - at[1]) < 6:
            x, y = foe[0] - at[0], foe[1] - at[1]
            far, facing = max(hypot(x, y), 0.01), (x > 0) == (reef.way > 0)
            if far < 2.5 and not facing:
                return Keys(-x / far, -y / far)  # away from it, and then round
            ahead = 0.0 if facing else x / far / 2
            return Keys(ahead, max(min(y * 2, 1.0), -1.0), shoot=facing and abs(y) < 0.5)
        x, y = to[0] - at[0], to[1] - at[1]
        there, long = hypot(x, y) < 0.5, max(hypot(x, y), 0.01)
        return Keys(use=use) if there else Keys(x / long, y / long)

    def _errand(self, reef: Reef) -> tuple[bool, tuple[float, float]]:
        """Return whether to press there, and where to go."""
        diver, at, place = reef.diver, reef.at(reef.diver), ""
        pearls = [reef.at(one) for one in reef.world.placements_of("pearl") if one.present]
        if sign(diver, "harbourmaster") in ("offer", "ready"):
            place = "harbourmaster"
        elif diver.bag.left == 0 or diver["air"].fraction < 0.35 or (not pearls and diver.bag["pearl"]):
            place = "office"
        elif not pearls:
            place = "bell"
        if place:
            return True, (PLACES[place], SEA)
        return False, min(pearls, key=lambda one: hypot(one[0] - at[0], one[1] - at[1]))
