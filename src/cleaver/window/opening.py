"""Opening: a window with a loop, its keys, and pictures of it; also without a monitor. Start at `Window`."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pygame
from pygame import Surface

from cleaver.errors import AmountError, UsageError

DRIVER = "SDL_VIDEODRIVER"
RATE = 60  # frames a second
LONGEST = 0.1  # seconds of a frame: a window that was moved, or a machine that slept, is not caught up with


class Window:
    """A window, and a loop over its frames: iterate for the seconds of each.

    The loop ends when the window is closed, or after *frames* of them. Draw on `surface`, whose size follows
    the window's; what was drawn is shown when the next frame is asked for.

    Args:
        title: What the window is called.
        size: Width and height in pixels, each 64 at least.
        frames: How many frames there are, each of a sixtieth of a second and without waiting in between, as
            tests and pictures want it; 0 for a game that goes on until it is closed.
        hidden: Whether to open none and draw all the same, for a machine without a monitor.

    Raises:
        UsageError: No window can be opened here.
    """

    surface: Surface
    frames: int
    pressed: tuple[str, ...]
    frame: int

    def __init__(
        self,
        title: str = "Cleaver",
        size: tuple[int, int] = (1280, 800),
        *,
        frames: int = 0,
        hidden: bool = False,
    ) -> None:
        if not isinstance(frames, int) or isinstance(frames, bool) or frames < 0:
            raise AmountError("frames", frames, "a whole number, 0 or more")
        if min(size) < 64:
            raise AmountError("size", size, "64 pixels or more in each direction")
        try:
            with _driver("dummy" if hidden else ""):
                pygame.display.init()
            pygame.display.set_caption(title)
            self.surface = pygame.display.set_mode(size, pygame.RESIZABLE)
        except pygame.error as error:
            pygame.display.quit()
            raise UsageError(
                f"no window can be opened here ({error}); draw without one with hidden=True"
            ) from None
        self.frames, self.frame, self.pressed = frames, 0, ()
        self._held: set[str] = set()
        self._clock, self._open = pygame.time.Clock(), True

    def __enter__(self) -> Window:
        return self

    def __exit__(self, *ended: object) -> None:
        self.close()

    def __iter__(self) -> Iterator[float]:
        self._clock.tick()
        while self._open and (not self.frames or self.frame < self.frames):
            self._look()
            if not self._open:
                return
            yield 1 / RATE if self.frames else min(self._clock.tick(RATE) / 1000, LONGEST)
            if self._open:
                pygame.display.flip()
            self.frame += 1

    def _look(self) -> None:
        """Take in what happened since the frame before."""
        pressed = []
        for event in pygame.event.get():
            if event.type == pygame.QUIT:
                self._open = False
            elif event.type == pygame.KEYDOWN:
                name = pygame.key.name(event.key)
                pressed.append(name)
                self._held.add(name)
            elif event.type == pygame.KEYUP:
                self._held.discard(pygame.key.name(event.key))
            elif event.type == pygame.WINDOWFOCUSLOST:
                self._held.clear()  # whoever lets go of a key now tells another window
            elif event.type == pygame.VIDEORESIZE:
                self.surface = pygame.display.get_surface() or self.surface
        self.pressed = tuple(pressed)

    def held(self, *keys: str) -> bool:
        """Return whether one of *keys* is down, named as in `pressed`: "left", "space", "a", "return"."""
        return any(key in self._held for key in keys)

    def direction(self, *, arrows: bool = True) -> tuple[int, int]:
        """Return where W, A, S, D point, and the *arrows* unless they are wanted for something else: (x, y),
        each -1, 0 or 1; y goes down."""
        left, right, up, down = (
            self.held(letter, *([arrow] if arrows else []))
            for letter, arrow in (("a", "left"), ("d", "right"), ("w", "up"), ("s", "down"))
        )
        return right - left, down - up

    def picture(self, path: str | os.PathLike[str]) -> None:
        """Write what has been drawn as a PNG file.

        Raises:
            UsageError: It cannot be written.
        """
        if not Path(path).suffix:
            raise UsageError(f"{os.fspath(path)!r} has no suffix; name a file such as game.png")
        try:
            pygame.image.save(self.surface, os.fspath(path))
        except (OSError, pygame.error) as error:
            raise UsageError(f"{os.fspath(path)} cannot be written ({error}); name another file") from None

    def end(self) -> None:
        """Let this frame be the last one."""
        self._open = False

    def close(self) -> None:
        """Close the window."""
        if pygame.display.get_init():
            pygame.display.quit()
        self._open = False


@contextmanager
def _driver(name: str) -> Iterator[None]:
    """Let SDL use a driver, if one is named; it looks only while it starts."""
    before = os.environ.get(DRIVER)
    if name:
        os.environ[DRIVER] = name
    try:
        yield
    finally:
        if name and before is None:
            del os.environ[DRIVER]
        elif name and before is not None:
            os.environ[DRIVER] = before
