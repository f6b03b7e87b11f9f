"""Plain: the prompt as lines, for a terminal without a full screen, or with `--plain`. Start at
`converse`."""

from __future__ import annotations

import signal
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from cleaver.prompt.completing import complete
from cleaver.prompt.live import Live, greeting
from cleaver.script.runner import event_line
from cleaver.visible import visible


def converse(live: Live, read: Callable[[str], str] = input) -> None:
    """Take lines from a person until the session ends; time that runs passes between one line and the next.
    *read* asks for one, with a mark before it."""
    _completion(live)
    print(visible(greeting(live.session.design)))
    while True:
        try:
            text = read("> ")
        except (EOFError, KeyboardInterrupt):
            print()
            live.enter("quit")
            return
        events, trouble = live.tick()
        for line in [*(f"    {event_line(event, -1.0)}" for event in events), *trouble.splitlines()]:
            print(visible(line))
        saved = live.look_at_file()
        for line in saved.lines if saved is not None else ():
            print(visible(line))
        with _stopped_by_hand(live):
            said = live.enter(text)
        for line in said.lines[1:] if said.wrong else said.lines:  # the line itself stands there already
            print(visible(line))
        if said.ends:
            return


@contextmanager
def _stopped_by_hand(live: Live) -> Iterator[None]:
    """Let Ctrl-C stop the line that is carried out, and not the session."""
    if threading.current_thread() is not threading.main_thread():
        yield  # where signals do not come
        return
    before = signal.signal(signal.SIGINT, lambda number, frame: live.stop())
    try:
        yield
    finally:
        signal.signal(signal.SIGINT, before)


def _completion(live: Live) -> None:
    """Let Tab complete, where the terminal's line editing is there."""
    if not sys.stdin.isatty():
        return
    try:
        import readline  # not on every system
    except ImportError:
        return

    def candidate(word: str, state: int) -> str | None:
        found = complete(live.session, readline.get_line_buffer()[: readline.get_endidx()])
        return found[state] if state < len(found) else None

    readline.set_completer(candidate)
    readline.set_completer_delims(" ")
    readline.parse_and_bind("tab: complete")
