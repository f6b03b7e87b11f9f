"""Live: a session somebody plays by hand, in which time may run by itself.

Carries out what is typed as a script would, lets time run, pauses it and sets its speed, chooses who is
looked at, and notes the time that ran where a recording is on, so that it plays again as it was. Draws
nothing. Start at `Live.enter`.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from math import isfinite
from typing import Any, NamedTuple

from cleaver.core import read
from cleaver.core.kernel.events import Event
from cleaver.design.design import Design
from cleaver.design.watch import Watch
from cleaver.errors import AmountError, CleaverError, StoppedError
from cleaver.rounding import shown
from cleaver.script.command import find
from cleaver.script.lines import without_comment
from cleaver.script.parameters import arguments_of
from cleaver.script.runner import carry_out, step_lines
from cleaver.script.session import MAX_DUE, Session

FASTEST = 1_000.0
LONGEST_TICK = (
    0.25  # seconds of real time that one tick lets pass at most: a terminal that was stopped does not leap
)


class Said(NamedTuple):
    """What came of a line: lines to show, whether it was wrong, whether the session is to end."""

    lines: tuple[str, ...] = ()
    wrong: bool = False
    ends: bool = False


class Live:
    """A session with time that can run.

    Args:
        session: The session, which keeps what `undo` needs.
        clock: Real seconds that only go forward, such as `time.monotonic`.
        watch: The design's file, where the session is to follow what is saved there.
    """

    watch: Watch | None

    session: Session
    clock: Callable[[], float]
    running: bool
    speed: float
    chosen: str
    number: int

    def __init__(self, session: Session, clock: Callable[[], float], watch: Watch | None = None) -> None:
        self.session, self.clock, self.watch = session, clock, watch
        self.running, self.speed = False, 1.0
        self.chosen = ""
        self.number = 0
        self._last = clock()
        self._ran = 0  # microseconds that ran since the last line
        # What a script cannot do: `pause` alone stops time, else it is about a pulse.
        self._own: dict[str, Callable[..., str]] = {
            "run": self._run,
            "pause": self._pause,
            "speed": self._speed,
            "choose": self._choose,
        }

    # time

    def tick(self) -> tuple[list[Event], str]:
        """Let the time pass that has passed, if it runs; returns the events that came, and what went wrong:
        then time stands."""
        now = self.clock()
        passed, self._last = min(now - self._last, LONGEST_TICK), now
        if not self.running or passed <= 0:
            return [], ""
        micros = round(passed * self.speed * 1e6)
        self._allow()
        self.session.fresh, self.session.started = [], True
        began, trouble = self.session.world.now_us, ""
        try:
            self.session.world.advance(microseconds=micros)
        except CleaverError as error:  # what the design's own rules raise, or a limit: what happened stays
            self.running, trouble = False, str(error)
        self._ran += self.session.world.now_us - began
        return list(self.session.fresh), trouble

    def look_at_file(self) -> Said | None:
        """Go on under the design as its file says by now; returns what came of it, None where the file has
        not changed."""
        found = None if self.watch is None else self.watch.changed()
        if found is None or self.watch is None:
            return None
        name = os.path.basename(self.watch.path)
        if isinstance(found, CleaverError):
            return Said(
                (f"{name} has errors; the game goes on as it was", *str(found).splitlines()), wrong=True
            )
        self._settle()
        try:
            done = self.session.adopt(found)
        except CleaverError as error:
            self._done()
            return Said((f"{name} was saved", *str(error).splitlines()), wrong=True)
        if not done:
            return None
        self._done(f"adopt {name}")
        if self.session.recording is not None:
            self.session.recording.adopted(found)
        return Said(
            (
                f"{name} was saved; the game goes on with it",
                *(f"    {line}" for line in str(done).splitlines()),
            )
        )

    def _allow(self) -> None:
        """Begin the limits of a run anew: they are for one line that somebody types, not for how long he
        plays."""
        self.session.turns, read.parts(self.session.world).stage.patience = 0, MAX_DUE
        self.session.go_on()

    def stop(self) -> None:
        """Stop the line that is being carried out; nothing is changed then. From any thread."""
        self.session.stop()

    def _settle(self) -> None:
        """Note the time that ran as a command of its own, so that `undo` takes it back and a recorded session
        has it."""
        if not self._ran:
            return
        text = f"advance {self._ran / 1e6:.6f}".rstrip("0").rstrip(".")
        self._done(text)
        if self.session.recording is not None:
            self.session.recording.add(text)
        self._ran = 0

    def _done(self, text: str = "") -> None:
        """Let what was done be taken back as *text*; what changed nothing has none."""
        past = self.session.past
        if past is not None and text:
            past.note(text)
        elif past is not None:
            past.drop(back=False)

    # lines

    def enter(self, text: str) -> Said:
        """Carry out one line as typed; a wrong one changes nothing and is shown."""
        try:
            text = without_comment(text)
            if not text:
                return Said()
            if text in ("quit", "exit"):
                self._settle()
                return Said(ends=True)
            name, _, rest = text.partition(" ")
            mine = self._own.get(name)
            if mine is not None and (name != "pause" or not rest.strip()):
                return Said((f"{text}  → {mine(*self._read(name, rest))}",))
            self._settle()
            self._allow()
            self.number += 1
            step = carry_out(self.session, self.number, text)
            if name in ("undo", "redo", "restore") and self.chosen not in {
                actor.id for actor in self.session.world.actors
            }:
                self.chosen = ""
            return Said(tuple(step_lines(step, self.session.world.now)))
        except StoppedError:
            self.session.go_on()
            return Said((text, "  stopped; nothing was changed"), wrong=True)
        except CleaverError as error:
            return Said((text, *(f"  {line}" for line in str(error).splitlines())), wrong=True)

    def _read(self, name: str, rest: str) -> list[Any]:
        if name == "pause":  # alone; a script's `pause` is about a pulse
            return []
        command = find(name)
        return arguments_of(command.parameters, command.usage, self.session, rest)[0]

    def _run(self) -> str:
        self.running, self._last = True, self.clock()
        return f"time runs{'' if self.speed == 1 else f', {shown(self.speed)} times as fast'}; pause stops it"

    def _pause(self) -> str:
        self.running = False
        self._settle()
        return f"time stands at {shown(self.session.world.now)} s; run lets it run"

    def _speed(self, speed: float) -> str:
        if not isfinite(speed) or not 0 < speed <= FASTEST:
            raise AmountError("speed", speed, f"a number above 0, at most {FASTEST:,.0f}")
        self.speed = speed
        return f"a second is {shown(speed)} seconds of the game"

    def _choose(self, name: str = "") -> str:
        self.chosen = self.session.actor(name).id if name else ""
        return f"{self.chosen or 'nobody'} is looked at"


def greeting(design: Design) -> str:
    """Return what somebody reads who begins: the first lines to type, in the design's own names."""
    actors = design.tables.actors
    player = next((kind for kind, actor in actors.items() if actor.player), "")
    other = next(
        (kind for kind, actor in actors.items() if not actor.player and actor.attacks),
        next((kind for kind in actors if kind != player), ""),
    )
    steps = [f"join {player} ana"] if player else []
    steps += [f"spawn {other} {other}1"] if other else []
    if player and other and actors[player].vital and actors[other].attacks:
        steps.append(f"hit ana by={other}1 with={next(iter(actors[other].attacks))}")
    begin = f" Begin with: {', then '.join(steps)}." if steps else ""
    return f"{design.title}.{begin} help says what can be typed, quit ends."
