"""Ending: what happens when a program that saves is asked to end (SIGTERM, or Ctrl-C).

The signal may come in the middle of a command: half of an exchange would be saved. So the handler lets the
command under way come to its end, and ends the program after it; else at once. All of it has a time limit.
Start at `Ending`.
"""

from __future__ import annotations

import asyncio
import os
import signal
import sys
import threading
import time
from collections.abc import Callable
from functools import wraps
from types import FrameType
from typing import Any, ClassVar, NamedTuple, TypeVar

from cleaver.core.kernel.door import Door
from cleaver.saves.reports import log

F = TypeVar("F", bound=Callable[..., Any])
WITHIN = 5.0  # seconds from the signal to the end of the process
STATUS = 128 + signal.SIGTERM  # the exit status
_USUAL: dict[signal.Signals, Any] = {
    signal.SIGTERM: signal.SIG_DFL,
    signal.SIGINT: signal.default_int_handler,
}
"""The signals that ask for it, each with what handles it where a program says nothing."""


class Saving(NamedTuple):
    """What takes part in the ending: a saver.

    `hurry` gets the instant (of `time.monotonic`) by which the process ends, and `late` is called, from
    another thread, when that has come and the process still runs. `doors` gives what its calls and the
    commands of its worlds go through: none of them is cut in two.
    """

    hurry: Callable[[float], None]
    late: Callable[[], None]
    doors: Callable[[], list[Door]]


def uncut(method: F) -> F:
    """Let a call of a saver not be cut in two by a signal: it comes to its end first."""

    @wraps(method)
    def call(self: Any, *args: Any, **named: Any) -> Any:
        door: Door = self._door
        door.depth += 1
        try:
            return method(self, *args, **named)
        finally:
            door.depth -= 1
            door.over()

    return call  # type: ignore[return-value]  # the same call


class Ending:
    """The one handler of these signals, for all savers that are open."""

    current: ClassVar[Ending | None] = None
    asked: bool

    def __init__(self) -> None:
        self.asked = False
        self.number: int = int(signal.SIGTERM)  # of the signal that came
        self.numbers: list[signal.Signals] = []  # of those that are handled here
        self.open: list[Saving] = []
        self.closing = 0  # savers that write their last just now: they are not cut short, only hurried
        self._over = threading.Event()

    @classmethod
    def join(cls, saver: Saving) -> Ending | None:
        """Take part in the handler; None off the main thread, and where the program has handlers of its
        own, to which the signals are left."""
        if threading.current_thread() is not threading.main_thread():
            return None
        if cls.current is None:
            numbers = [number for number, usual in _USUAL.items() if signal.getsignal(number) is usual]
            if not numbers:
                return None
            cls.current = cls()
            cls.current.numbers = numbers
            for number in numbers:
                signal.signal(number, cls.current._asked)
        cls.current.open.append(saver)
        return cls.current

    def leave(self, saver: Saving) -> None:
        """Take part no more; the last one puts the default handler back, and ends the program where it was
        asked to end meanwhile."""
        self.open.remove(saver)
        if self.open:
            return
        for number in self.numbers:
            signal.signal(number, _USUAL[number])
        Ending.current = None
        self._over.set()
        if self.asked and sys.exc_info()[0] is None:
            raise self._end()

    def _end(self) -> BaseException:
        """Return what ends the program, as the signal would have."""
        return KeyboardInterrupt() if self.number == signal.SIGINT else SystemExit(STATUS)

    def _asked(self, number: int, frame: FrameType | None) -> None:
        if self.asked:
            if not self.closing:
                self._at_the_end()
            return
        self.asked, self.number = True, number
        until = time.monotonic() + WITHIN
        threading.Thread(target=self._watch, name="cleaver-ending", daemon=True).start()
        for saver in self.open:
            saver.hurry(until)
        if self.closing:
            return
        try:
            loop = asyncio.get_running_loop()
        except RuntimeError:
            loop = None
        if loop is not None:
            # Between two of its steps nothing is half done. An exception out of here might take the place of
            # a step, and whoever waits for that would wait for ever.
            loop.call_soon_threadsafe(self._raise)
            return
        for door in self._doors():
            door.ask(self._at_the_end)
        self._at_the_end()

    def _doors(self) -> list[Door]:
        return [door for saver in list(self.open) for door in saver.doors()]

    def _at_the_end(self) -> None:
        """End the program, unless a command is still under way: then with the end of that."""
        if Ending.current is not self or any(door.depth for door in self._doors()):
            return
        if threading.current_thread() is not threading.main_thread():
            os.kill(os.getpid(), self.number)  # which the main thread hears of
        else:
            self._raise()

    def _raise(self) -> None:
        if not self.closing:  # else it is about to end as it is
            raise self._end()

    def _watch(self) -> None:
        if self._over.wait(WITHIN):
            return
        log.critical("the program did not end within %g s of being asked to; it is ended now", WITHIN)
        for saver in list(self.open):
            saver.late()
        os._exit(128 + self.number)
