"""Scene: the reef as pictures. Reads where things are, changes nothing."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import pygame
from pygame import Surface

from cleaver.hud import PulseRing
from cleaver.hud.origin import Place
from cleaver.window import Pen, draw_ring
from game.reef import DEEP, PLACES, SEA, WIDE, Reef

ART = Path(__file__).parent / "art"
LONG = {"diver": 2.2, "eel": 2.4, "moray": 4.2, "pearl": 1.0, "sealant": 0.9, "flask": 0.6, "vent": 0.8}


@lru_cache(maxsize=64)
def drawn(name: str, size: tuple[int, int], way: int = 1, faded: bool = False) -> Surface:
    """Return a picture of the folder `art` at a size in pixels, which keeps it sharp; *way* -1 looks left."""
    picture = pygame.image.load_sized_svg(ART / f"{name}.svg", size).convert_alpha()
    if faded:
        picture.set_alpha(110)
    return pygame.transform.flip(picture, way < 0, False)


@lru_cache(maxsize=4)
def ground(stage: str, size: tuple[int, int]) -> Surface:
    """Return what lies behind everything, in one opaque picture: that takes a tenth of the time to draw."""
    whole = Surface(size)
    for name in ("reef", "wreck") if stage == "wreck" else ("reef",):
        whole.blit(pygame.transform.smoothscale(drawn(name, size), size), (0, 0))
    return whole


class Scene:
    """Draws a reef on whatever surface there is."""

    surface = Surface((1, 1))

    def screen(self, place: Place) -> tuple[float, float]:
        """Return where on the surface a place of the reef is."""
        width, height = self.surface.get_size()
        return place[0] / WIDE * width, place[1] / DEEP * height

    def draw(self, surface: Surface, reef: Reef) -> None:
        """Draw the reef and everybody in it."""
        self.surface, pen = surface, Pen(surface)
        surface.blit(ground(reef.world.stage, surface.get_size()), (0, 0))
        for thing in reef.world.placements:
            if thing.present and thing.position is not None:
                self._put(thing.pickup, thing.pickup, thing.position)
        for bolt in reef.bolts:
            tail = self.screen((bolt.x - bolt.way * 0.9, bolt.y, 0))
            pygame.draw.line(surface, (214, 168, 84), tail, self.screen((bolt.x, bolt.y, 0)), pen.px(4))
        step = 1 + int(reef.world.now * 4) % 2  # two pictures of each fish: it winds
        for actor in reef.world.actors:
            if actor.kind in ("eel", "moray") and actor.position is not None:
                way = reef.ways.get(actor.id, 1)
                self._put(f"{actor.kind}{step}", actor.kind, actor.position, way, not actor.alive)
        self._put("diver", "diver", (*reef.at(reef.diver), 0), reef.way, not reef.diver.alive)
        if reef.diver["bubble"].value:
            at = self.screen((*reef.at(reef.diver), 0))
            pygame.draw.circle(surface, (170, 220, 240), at, pen.px(48), pen.px(2))
        if reef.hauling:
            draw_ring(pen, PulseRing(reef.winch, "haul"), self.screen((PLACES["winch"], SEA - 2.4, 0)))
        if reef.offer():
            below = self.screen((PLACES[reef.near()], SEA + 0.6, 0))
            pen.text(f"E: {reef.offer()}", below, anchor="midtop", edge=True)

    def _put(self, name: str, kind: str, place: Place, way: int = 1, faded: bool = False) -> None:
        wide = max(round(LONG[kind] / WIDE * self.surface.get_width()), 4)
        picture = drawn(name, (wide, wide * 3), way, faded)
        self.surface.blit(picture, picture.get_rect(center=self.screen(place)))
