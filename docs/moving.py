"""Draws the game of `examples/game`, played by its pilot: game.png, which moves, for the head of the README,
and window.png with its panel of numbers. python docs/moving.py
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pygame
from PIL import Image

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent / "examples"))  # where the game is

from game.dive import Dive  # noqa: E402

import cleaver  # noqa: E402  # after the path is set
from cleaver.saves import Autosaver  # noqa: E402
from cleaver.window import Window  # noqa: E402

SIZE, EVERY = (640, 400), 5
SCENES = ((60, 115), (500, 960), (1060, 1130))
"""Frames that are shown: the errand, the eels, the sale."""
READ = 50
"""For so many frames the stars are seen; then the next stage begins."""
LATER = ((0, READ), (250, 480))
"""Frames after the first dive that are shown: the stars, and the moray."""


@contextmanager
def diving(size: tuple[int, int]) -> Iterator[Dive]:
    """Give a dive that has begun, in a hidden window of that size."""
    watch = cleaver.Watch(HERE.parent / "examples/game/lanternreef.toml")
    with tempfile.TemporaryDirectory() as folder:
        saver = Autosaver(cleaver.open_store(f"sqlite:///{folder}/saves.db", watch.design))
        with saver.closing(), Window("game", size, frames=4000, hidden=True) as window:
            dive = Dive(window, saver, watch)
            dive.open("slot1")
            yield dive
            dive.close()


def moving(out: Path) -> None:
    """Write the picture that moves."""
    pictures, ended = [], 0
    with diving(SIZE) as dive:
        for seconds in dive.window:
            at = dive.window.frame
            if dive.mode == "end" and not ended:
                ended = at
            after = at - ended
            if ended and after == READ:
                dive.press("return")
            dive.frame(seconds)
            frames = [(at, SCENES), *([(after, LATER)] if ended else [])]
            shown = any(first <= frame < last for frame, scenes in frames for first, last in scenes)
            if shown and at % EVERY == 0:
                raw = pygame.image.tobytes(dive.window.surface, "RGB")
                pictures.append(Image.frombytes("RGB", SIZE, raw))
            if ended and after >= LATER[-1][1]:
                dive.window.end()
    span = round(1000 * EVERY / 60)
    pictures[0].save(out, save_all=True, append_images=pictures[1:], duration=span, loop=0, optimize=True)
    print(f"{out.name}: {len(pictures)} pictures, {out.stat().st_size / 1e6:.1f} MB")


def still(out: Path) -> None:
    """Write the picture with the panel of numbers."""
    with diving((1280, 800)) as dive:
        for seconds in dive.window:
            if dive.window.frame == 560:
                for key in ("tab", "down", "down", "right", "right"):
                    dive.press(key)
            dive.frame(seconds)
            if dive.window.frame == 660:
                dive.window.picture(out)
                dive.window.end()


if __name__ == "__main__":
    moving(HERE / "screenshots/game.png")
    still(HERE / "screenshots/window.png")
