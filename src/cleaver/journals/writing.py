"""Writing: a journal of what a running game does, as a script that does it again.

A journal observes the door of a world: each command is a line, with what listeners commanded inside the
delivery of its events after it. Frames are merged: time is written only where something else comes. Start at
`Journal`.
"""

from __future__ import annotations

import logging
import os
import re
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from time import monotonic
from types import TracebackType
from typing import Any, NamedTuple
from zlib import crc32

from cleaver.core import read, snapshots
from cleaver.core.kernel.door import Call
from cleaver.core.kernel.stage import Stage
from cleaver.core.world import World
from cleaver.errors import ReactionError, UsageError, said, unwritable
from cleaver.journals.lines import script_line
from cleaver.script.files import HEAD, SUM, Beside

FLUSHED, SYNCED = 1.0, 5.0  # seconds after which what was written is given to the system, and to the disk
_PLACES = re.compile(r"\b(near|x|y|z)\b")

log = logging.getLogger("cleaver.journals")


class Under(NamedTuple):
    """A command under way: how it is written down (as part of another one, not at all), the number of the
    last event before it, its line, the event in whose delivery it comes, the id of what it moves."""

    how: str
    before: int = 0
    text: str = ""
    handling: int = 0
    moves: str = ""


class Journal:
    """A journal that is being written; `cleaver.journal` begins one."""

    world: World
    path: Path
    trouble: str

    def __init__(self, world: World, path: str | Path) -> None:
        if not isinstance(world, World):
            raise UsageError("a journal is of a world: cleaver.journal(world, path)")
        game = read.game_of(world)
        game.parts.stage.idle("journal")
        other = next((one for one in game.observers if isinstance(one, Journal)), None)
        if other is not None:
            raise UsageError(f"this world has a journal already: {other.path.name}; close it first")
        path = Path(path)
        self.world, self.path = world, path
        self._game = game
        self.trouble, self._pid = "", os.getpid()
        """Why nothing is written any more, where that is so; the game goes on."""
        self._beside = Beside(path)
        self._sum, self._flushed_sum = 0, -1
        self._unsynced = False
        self._inside: list[int] = []  # events in whose delivery commands are under way; 0 for none
        self._under: list[Under] = []  # the commands under way
        self._closing = False  # asked for inside a command: it is written first
        self._waiting: list[str] | None = None  # lines of a command that is under way
        self._time = (-1, 0.0)  # instant and carry of the last line of time
        self._timed = False  # whether nothing but what belongs to that line has been written since
        self._passed = False  # whether time has been let pass that is not written yet
        self._call = 0  # how many calls of `after` had come when that was looked at last
        self._frame = (0, 0.0)  # where time stood before it was let pass last
        self._moves: dict[str, str] = {}  # of each thing its latest place, not written yet
        try:
            if self._beside.folder.exists():
                raise FileExistsError
            self._file = path.open("xb")
        except FileExistsError:
            raise UsageError(f"{path.name} or its files are there already; name another file") from None
        except OSError as error:
            raise UsageError(f"{path.name} {unwritable(error)}; name another file") from None
        try:
            self._begin()
        except BaseException:
            self._file.close()
            raise
        if self.trouble:
            raise UsageError(f"{self.trouble}; name another file")
        game.observe(self)

    def _begin(self) -> None:
        stage, design = self._stage, self.world.design
        self._write(HEAD.decode().rstrip())
        self._write(f"# design: {self.keep('design', design.text)}")
        if snapshots.state(self._game.parts) == snapshots.state(read.parts(World(design, stage.dice.seed))):
            if stage.dice.seed:
                self._write(f"seed {stage.dice.seed}")
            self._time = (0, 0.0)
        else:
            import json  # only where a world goes on that has begun

            name = self.keep("world", json.dumps(snapshots.written(self._game.parts), separators=(",", ":")))
            self._write(f"restore start from={name}")
            self._time = (stage.clock.now, stage.clock.remainder)
        self._look_at_design()
        self._flushed = self._synced = monotonic()
        self._flush(sync=True)

    @property
    def _stage(self) -> Stage:
        return self._game.parts.stage

    def _look_at_design(self) -> None:
        """Find out whether anything in the design asks where somebody stands: else moves may be merged."""
        self._design = self.world.design
        self._reads_places = bool(_PLACES.search(self.world.design.text))

    def keep(self, what: str, text: str | bytes) -> str:
        """Keep a text in a file of its own beside the journal, once; returns how lines name it."""
        name = ""

        def kept() -> None:
            nonlocal name
            name = self._beside.keep(what, text)

        self._to_file(kept)
        return name

    # lines

    def _write(self, text: str) -> None:
        if len(f"{text}.".splitlines()) > 1:
            self._end(f"{said(text)} cannot stand on one line")
            return
        data = f"{text}\n".encode()
        self._sum = crc32(data, self._sum)
        self._to_file(lambda: self._file.write(data))

    def _to_file(self, write: Callable[[], Any]) -> None:
        """Write; where that fails, the journal ends and the game goes on."""
        if os.getpid() != self._pid and not self.trouble:  # what is in the file is the other process's
            self.trouble = f"{self.path.name} is written by another process, of which this one is a fork"
        if self.trouble:
            return
        try:
            write()
        except OSError as error:
            self._end(f"it {unwritable(error)}")

    def _end(self, why: str) -> None:
        """Let the journal end here, for what comes after would not be what the game did."""
        self.trouble = f"{self.path.name} ends at {self.world.now:g} s: {why}"
        log.error("the journal %s; the game goes on", self.trouble)
        self._game.leave(self)
        with suppress(OSError):
            self._file.close()

    def _flush(self, *, sync: bool) -> None:
        """Give what was written to the system, with its checksum, and to the disk where that is asked for."""
        if self._sum != self._flushed_sum:
            self._to_file(lambda: self._file.write(SUM + b"%08x\n" % self._sum))
            self._to_file(self._file.flush)
            self._flushed_sum, self._unsynced = self._sum, True
        self._flushed = monotonic()
        if sync and self._unsynced:
            self._to_file(lambda: os.fsync(self._file.fileno()))
            self._synced, self._unsynced = self._flushed, False

    def _write_time(self, now: int, carry: float) -> None:
        text = f"until {now // 1_000_000}.{now % 1_000_000:06}".rstrip("0").rstrip(".")
        self._write(text if carry == self._time[1] else f"{text} carry={carry!r}")
        self._time, self._timed, self._passed = (now, carry), True, False

    def _catch_up(self, handling: int = 0) -> None:
        """Write the time that has passed, and where things stand since; *handling* is the event in whose
        delivery a command comes."""
        clock = self._stage.clock
        if self._stage.passing:
            self._write_moves_of_frame()
            call = self._stage.calls.taken
            if self._time[0] != clock.now or not (self._timed or (self._call == call and not handling)):
                # What a float has left over is carried when all of it has passed.
                self._write_time(clock.now, self._time[1])
            self._call = call
            return
        if self._passed:
            self._write_time(clock.now, clock.remainder)
        self._write_moves()

    def _write_moves_of_frame(self) -> None:
        """Write the places that were said before the time that passes now, with the time before them."""
        if self._moves:
            if self._passed:
                self._write_time(*self._frame)
            self._write_moves()
        self._passed = False

    def _write_moves(self) -> None:
        for text in self._moves.values():
            self._write(text)
            self._timed = False
        self._moves = {}

    # what the game does

    def before(self, call: Call) -> None:
        """Hear of a command: what it will be written down as."""
        self._under.append(self._begun(call))

    def _begun(self, call: Call) -> Under:
        stage, seq = self._stage, self._stage.seq
        handling = stage.handling if stage.draining else 0
        if call.name == "advance":
            if stage.draining or stage.passing:
                return Under("refused")
            self._frame = (stage.clock.now, stage.clock.remainder)
            return Under("time", seq)
        if self.trouble or (self._inside and self._inside[-1] == handling):
            return Under("part")  # of a command that is written already
        try:
            text = script_line(call, self.keep)
        except TypeError:
            return Under("part")  # the call says what is wrong
        except Exception as error:
            return Under("lost", seq, f"{call.name} could not be written: {error!r}")
        merged = not (self._reads_places or stage.draining or stage.passing or self._inside)
        if call.name == "move" and isinstance(call.me, World) and merged:
            thing = call.declared.given(call.args, call.options)["thing"]
            return Under("move", seq, text, moves=thing if isinstance(thing, str) else thing.id)
        if handling:
            self._inside.append(handling)
            return Under("delivery", seq, f"during={handling} {text}", handling)
        if text.startswith("saved "):  # what a save has in it must not be lost here
            self._catch_up()
            self._flush(sync=True)
        self._waiting = [text]
        self._inside.append(0)
        return Under("command", seq, text)

    def after(self, call: Call, result: Any, error: BaseException | None) -> None:
        """Hear what came of a command, and write it down if it did anything."""
        under = self._under.pop()
        moved = self._stage.seq != under.before
        acted = moved or (error is None and not _idle(result))
        if under.how == "time":
            if moved and self._moves:
                self._write_moves_of_frame()
            self._passed = True
            self._beat()
        elif under.how == "move" and error is None:
            self._moves[under.moves] = under.text
            if moved:
                self._catch_up()
        elif under.how == "lost" and error is None:
            self._end(under.text)
        elif under.how == "delivery":
            self._inside.pop()
            if acted and self._waiting is not None:
                self._waiting.append(under.text)
            elif acted:
                self._catch_up(under.handling)
                self._write(under.text)
        elif under.how == "command":
            self._inside.pop()
            lines, self._waiting = self._waiting or [], None
            if acted or isinstance(error, ReactionError) or len(lines) > 1:
                self._catch_up()  # time stands as it did before the command
                for one in lines:
                    self._write(one)
                self._timed = False
            if self.world.design is not self._design:
                self._look_at_design()
            self._beat()
        if self._closing:
            self.close()

    def _beat(self) -> None:
        now = monotonic()
        if now - self._flushed >= FLUSHED and not self._stage.draining and not self._stage.passing:
            if self._waiting is None and not self._inside:
                self._catch_up()
            self._flush(sync=now - self._synced >= SYNCED)

    def remark(self, text: str) -> None:
        """Write a line that does nothing when the journal is played."""
        if not self._file.closed:
            self._write(f"# {text}")

    def sync(self) -> None:
        """Bring all that was done so far to the disk, outside of a listener."""
        if not (self._file.closed or self._stage.draining or self._stage.passing or self._inside):
            if self._waiting is None:
                self._catch_up()
            self._flush(sync=True)

    # the end

    def close(self) -> None:
        """Write what is left, and end the journal; in a listener, when the command under way is over. Safe
        twice."""
        self._closing = True
        if self._file.closed or self._under:
            return
        self._game.leave(self)
        self._catch_up()
        self._flush(sync=True)
        self._file.close()

    def __del__(self) -> None:
        # A world that is given up with its journal open: what was written stays, as after a crash.
        file = getattr(self, "_file", None)
        if file is not None and os.getpid() == self._pid:
            with suppress(OSError):
                file.close()

    def __enter__(self) -> Journal:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def __repr__(self) -> str:
        return f"<Journal {self.path.name}, {'closed' if self._file.closed else 'open'}>"


def _idle(result: Any) -> bool:
    """Return whether a result says that nothing was done."""
    return bool(getattr(result, "blocked", ""))
