"""Commands that let time pass, or stop and start what runs by itself. Start at `advance`."""

from __future__ import annotations

from typing import Annotated

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.results import Result
from cleaver.errors import AmountError, UsageError
from cleaver.rounding import shown
from cleaver.script.command import command
from cleaver.script.parameters import Frame, Instant, Number, Seconds, actor
from cleaver.script.session import Session

THEME = "time"
MOST_FRAMES = 1_000_000
Owner = Annotated[Actor, actor("NAME", ": whose pulse?")]


@command(THEME, "advance 3")
def advance(session: Session, seconds: Seconds, *, step: Frame | None = None) -> str:
    """Lets time pass; step= cuts it into frames."""
    text = _pass(session, seconds, step)
    session.result = Result()
    return text


@command(THEME, "until 2.5")
def until(
    session: Session, seconds: Instant, *, step: Frame | None = None, carry: Number | None = None
) -> str:
    """Lets time pass up to an instant; carry= is the part of a microsecond left over from frames."""
    world = session.world
    if carry is not None and not -1 <= carry <= 1:
        raise AmountError("carry=", carry, "a part of a microsecond, from -1 to 1")
    left = round(seconds * 1e6) - world.now_us
    if left < 0:
        raise UsageError(
            f"it is {shown(world.now)} s already, and time does not go back; undo and restore do"
        )
    session.result = Result()
    if step is None:
        try:
            world.advance(microseconds=left)
        finally:
            if carry is not None:
                read.parts(world).stage.clock.remainder = carry
        return f"{shown(world.now)} s"
    return _pass(session, left / 1e6, step)


def _pass(session: Session, seconds: float, step: float | None) -> str:
    world = session.world
    if step is None:
        _pass_in_one(session, seconds)
        return f"{shown(world.now)} s"
    if seconds / step > MOST_FRAMES:
        raise UsageError("that is more than a million frames; take a longer step=")
    frames = int(seconds / step + 1e-9)
    for _ in range(frames):
        world.advance(step)
    rest = seconds - frames * step
    if rest > 1e-9:
        world.advance(rest)
        frames += 1
    return f"{shown(world.now)} s, in {frames} frames"


def _pass_in_one(session: Session, seconds: float) -> None:
    world = session.world
    if session.frame is None:
        world.advance(seconds)
        return
    length, after = session.frame
    end = world.now_us + round(seconds * 1e6)
    while world.now_us < end:
        world.advance(microseconds=min(round(length * 1e6), end - world.now_us))
        after()


TYPED_ONLY = "this is for the prompt, where time runs by itself; in a script write advance SECONDS"


@command(THEME, "run", acts=False)
def run(session: Session) -> str:
    """At the prompt: lets time run; pause alone stops it."""
    raise UsageError(TYPED_ONLY)


@command(THEME, "speed 4", acts=False)
def speed(session: Session, times: Number) -> str:
    """At the prompt: how fast time runs."""
    raise UsageError(TYPED_ONLY)
