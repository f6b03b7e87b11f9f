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
from types import FrameType
from typing import Any, ClassVar

from cleaver.saves.reports import log

WITHIN = 5.0  # seconds from the signal to the end of the process
STATUS = 128 + signal.SIGTERM  # the exit status
_USUAL: dict[signal.Signals, Any] = {
    signal.SIGTERM: signal.SIG_DFL,
    signal.SIGINT: signal.default_int_handler,
}
"""The signals that ask for it, each with what handles it where a program says nothing."""
_WHOLE = ("cleaver.core.", "cleaver.saves.")  # whose calls are not cut in two


class Ending:
    """The one handler of these signals, for all savers that are open.

    Each joins with two calls: `hurry` gets the instant (of `time.monotonic`) by which the process ends, and
    `late` is called, from another thread, when that has come and the process still runs.
    """

    current: ClassVar[Ending | None] = None
    asked: bool

    def __init__(self) -> None:
        self.asked = False
        self.number: int = int(signal.SIGTERM)  # of the signal that came
        self.numbers: list[signal.Signals] = []  # of those that are handled here
        self.open: list[tuple[Callable[[float], None], Callable[[], None]]] = []
        self.closing = 0  # savers that write their last just now: they are not cut short, only hurried
        self._over = threading.Event()
        self._profiler: Any = None

    @classmethod
    def join(cls, hurry: Callable[[float], None], late: Callable[[], None]) -> Ending | None:
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
        cls.current.open.append((hurry, late))
        return cls.current

    def leave(self, hurry: Callable[[float], None], late: Callable[[], None]) -> None:
        """Take part no more; the last one puts the default handler back, and ends the program where it was
        asked to end meanwhile."""
        self.open.remove((hurry, late))
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
            return
        self.asked, self.number = True, number
        until = time.monotonic() + WITHIN
        threading.Thread(target=self._watch, name="cleaver-ending", daemon=True).start()
        for hurry, _ in self.open:
            hurry(until)
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
        command = _command(frame)
        if command is None:
            self._raise()
        else:
            # Python calls this at each return from now on; before, it costs nothing.
            self._profiler = sys.getprofile()
            sys.setprofile(lambda there, what, _: self._returned(command, there, what))

    def _returned(self, command: FrameType, frame: FrameType, what: str) -> None:
        if frame is command and what == "return":
            sys.setprofile(self._profiler)
            self._raise()

    def _raise(self) -> None:
        if not self.closing:  # else it is about to end as it is
            raise self._end()

    def _watch(self) -> None:
        if self._over.wait(WITHIN):
            return
        log.critical("the program did not end within %g s of being asked to; it is ended now", WITHIN)
        for _, late in list(self.open):
            late()
        os._exit(128 + self.number)


def _command(frame: FrameType | None) -> FrameType | None:
    """Return the outermost call under way that must not be cut in two; None where there is none."""
    found = None
    while frame is not None:
        name = frame.f_globals.get("__name__", "")
        if name.startswith(_WHOLE) and name != __name__:
            found = frame
        frame = frame.f_back
    return found
