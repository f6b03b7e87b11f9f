"""Autosave: saves spaced and gathered while a game runs, and flushed when a player leaves or the game ends.

Profiles are encoded on the game's own thread at a frame boundary, so that each is a consistent picture; a
writer thread does nothing but I/O. Without a thread the same class works inline, and in an asyncio loop.
Start at `Autosaver`.
"""

from __future__ import annotations

import asyncio
import atexit
import os
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from math import inf

from cleaver.core import read
from cleaver.core.kernel.door import Door
from cleaver.errors import CleaverError, SaveError, unreadable
from cleaver.rounding import counted
from cleaver.saves.awaiting import off_loop
from cleaver.saves.ending import WITHIN, Ending, Saving, uncut
from cleaver.saves.reports import Failure, log
from cleaver.saves.saver import _OPEN, BUDGET, TRIES, Saver
from cleaver.saves.spool import Left
from cleaver.saves.tracked import Tracked
from cleaver.visible import visible

CLOSING = 30.0  # seconds that closing takes at most
RESERVE = 1.0  # seconds of what a program has to end in that are kept for what could not be written


class Autosaver(Saver):
    """Saves the players of a game as they change.

    A change is written at once where the last write is long enough ago, else when it is; leaving and closing
    flush regardless. Call `pump` once a frame, from the game's own thread.

    Args:
        store: Where to.
        interval: Seconds between two writes of one player, at least.
        on_failure: Called with each `Failure`; a final one once. Without it, failures are logged as errors
            (`cleaver.saves`). What it raises is logged too, and costs nobody a save.
        on_recovery: Called with (player, what was recovered): where the newest generation was damaged, or an
            earlier run had left something to write. It is logged as a warning either way.
        on_metric: Called with (name, value) for counts and times; the names are those of `Metric`.
        threaded: Whether a thread of its own does the writing.
        clock: Seconds, never going back.
        spool: The folder in which what could not be saved at the end is kept for the next start; beside the
            store's file unless given, for a server the working folder. What an earlier run has left there is
            written at once, before this returns.
        backups: A folder for backups of the store's file, made by the writer's thread; none unless given.
        every: Seconds from one backup to the next.
        keep: How many backups are kept.
        on_request: Called with (player, who asks) when another process asks for a player
            (`Store.request_handover`); let the player leave, if you like.
    """

    # the end of one player

    @uncut
    def leave(self, player: str) -> Failure | None:
        """Write a player's last state, let it leave the world and give its profile back; returns the failure
        if it could not be saved.

        A player who could not be saved stays, so that nothing is lost: try again, or `close`.
        """
        failure = self.flush(player)
        if failure is not None and not failure.final:
            return failure
        entry = self._unsaved.drop(player)
        try:
            if entry.there:
                entry.world.leave(entry.world.actor(player))
        finally:  # also where a listener of `departed` raises
            self._let_go(entry)
        self._unsaved.raise_errors()
        return failure

    async def leave_async(self, player: str) -> Failure | None:
        """As `leave`, in an asyncio loop: the writing is done in a thread of the loop.

        A player who changes again and again while that is awaited stays too, with a failure that says so.
        """
        entry = self._unsaved.entry(player)
        for _ in range(TRIES):
            await self._await_async(entry.mates, inf)
            batch = self._unsaved.last_of([entry])
            if batch is not None:
                await self._writer.give_async(batch)
                self._unsaved.take_in()
            if entry.error is not None or not entry.changed:
                break
        if entry.changed and entry.error is None:
            # What changed meanwhile is written here and now, as long as the loop has time for it.
            batch = self._unsaved.last_of([entry])
            self._write_now(batch and batch._replace(patience=BUDGET))
        failure = entry.failure()
        if failure is None and entry.changed:
            again = SaveError(f"{player} changed again while it was being saved; let it leave again")
            failure = Failure(player, again, final=False)
        if failure is not None and not failure.final:
            return failure
        self._unsaved.drop(player)
        try:
            if entry.there:
                entry.world.leave(entry.world.actor(player))
        finally:
            await off_loop(self._let_go, entry)
        self._unsaved.raise_errors()
        return failure

    def _let_go(self, entry: Tracked) -> None:
        entry.held.release()
        self.store.checkpoint()

    # the end of all

    def close(self, timeout: float = CLOSING) -> list[Failure]:
        """Write everything that is unsaved, a hundred players at a time, and stop; returns what could not be
        saved, and why.

        Ends within about *timeout* seconds, whatever the store and other people's listeners do. What could
        not be saved is kept in a file, which the next start writes where it still fits.
        """
        until = time.monotonic() + timeout  # the game's own clock may stand by now
        failures = []
        for entries in self._unsaved.batches():
            self._await(entries, until)
            batch = self._unsaved.last_of(entries)
            if batch is not None:
                self._writer.give(batch)
                self._await(entries, until)
            failures += self._unsaved.failures(entries)
        _OPEN.discard(self)
        stuck = self._writer.stop(min(until, self._end_by))
        failures = self._keep(failures)
        self._release(self._drop_all(), stuck, timeout)
        return failures

    async def close_async(self, timeout: float = CLOSING) -> list[Failure]:
        """As `close`, in an asyncio loop, which goes on meanwhile."""
        until = time.monotonic() + timeout
        failures = []
        for entries in self._unsaved.batches():
            for _ in range(TRIES):  # again where somebody changed while the loop went on
                await self._await_async(entries, until)
                batch = self._unsaved.last_of(entries)
                if batch is not None:
                    writing = asyncio.ensure_future(self._writer.give_async(batch))
                    await asyncio.wait([writing], timeout=max(until - time.monotonic(), 0))
                    self._unsaved.take_in()
                if not any(entry.changed and entry.error is None for entry in entries):
                    break
            failures += self._unsaved.failures(entries)
        _OPEN.discard(self)
        stuck = not self._writer.idle or await off_loop(self._writer.stop, until)
        failures = self._keep(failures)
        # The world and its listeners are the loop's own: only the store is left to a thread.
        await off_loop(self._release, self._drop_all(), stuck, timeout)
        return failures

    def _keep(self, failures: list[Failure]) -> list[Failure]:
        """Keep what could not be saved in a file for the next start; returns the failures, which say so."""
        entries = self._unsaved.entries
        losing = [entries[failure.player] for failure in failures if not failure.final]
        left: list[Left] = []
        for entry in losing:
            try:
                profile = entry.world.profile(entry.world.actor(entry.player))
                body = self.store.encoded(entry.held, profile).body
            except CleaverError:
                continue  # it cannot be encoded, as its failure says
            left.append(Left(entry.player, entry.held.revision, entry.held.fence, profile.version, body))
        return self._keep_left(left, failures)

    def _keep_left(self, left: list[Left], failures: list[Failure]) -> list[Failure]:
        try:
            path = self._spool.keep(left)
        except OSError as error:
            log.critical("what could not be saved could not be kept in a file either: %s", unreadable(error))
            return failures
        if path is None:
            return failures
        log.warning(
            "%s could not be saved; what there is of them is kept in %s, and written at the next start",
            counted(len(left), "player"),
            path.name,
        )
        kept = {one.player for one in left}
        return [
            failure._replace(
                error=SaveError(f"{failure.error}. It is kept in {path.name}, and written at the next start")
            )
            if failure.player in kept
            else failure
            for failure in failures
        ]

    def _drop_all(self) -> list[Tracked]:
        for error in self._unsaved.errors():
            log.error("a listener of `saved` failed while closing: %s", error, exc_info=error)
        return [self._unsaved.drop(player) for player in list(self._unsaved.entries)]

    def _release(self, entries: list[Tracked], stuck: bool, timeout: float) -> None:
        if stuck:
            log.error("the store did not answer within %g s; its leases run out by themselves", timeout)
            return
        self.store.release([entry.held for entry in entries])
        self.store.checkpoint()

    @contextmanager
    def closing(self) -> Iterator[Autosaver]:
        """Flush and stop at the end of the block, also when the process is asked to end (SIGTERM) in the
        middle of it: after the command under way, and within 5 seconds.

        Off the main thread, or where the program has a handler of its own, SIGTERM is left to that.

        Raises:
            SaveError: Somebody could not be saved. Where the block raises already, it is logged instead.
        """
        saving = Saving(self._hurry, self._late, self._doors)
        ending = Ending.join(saving)
        try:
            yield self
        except BaseException:
            self._end(ending, saving, raising=True)
            raise
        self._end(ending, saving, raising=False)

    def _end(self, ending: Ending | None, saving: Saving, *, raising: bool) -> None:
        if ending is not None:
            ending.closing += 1
        try:
            failures = self.close()
            lost = "; ".join(f"{failure.player}: {failure.error}" for failure in failures)
            what = f"{counted(len(failures), 'player')} could not be saved at the end: {lost}"
            # Where the program was asked to end meanwhile, it ends with that, and the failures are logged.
            if failures and (raising or (ending is not None and ending.asked)):
                log.error("%s", what)
        finally:
            if ending is not None:
                ending.closing -= 1
                ending.leave(saving)
        if failures and not raising:
            raise SaveError(what)

    def _hurry(self, end: float) -> None:
        """Let everything be over by an instant of `time.monotonic`."""
        self._end_by = self.store.patience.until = end - RESERVE

    def _doors(self) -> list[Door]:
        worlds = {entry.world for entry in list(self._unsaved.entries.values())}
        return [self._door, *map(read.game_of, worlds)]

    def _late(self) -> None:
        """Keep what was on its way into the store: the last whole states there are, where a command does not
        come to its end. Called from another thread."""
        left = [
            Left(entry.player, entry.held.revision, entry.held.fence, entry.pending[0], entry.pending[1])
            for entry in list(self._unsaved.entries.values())
            if entry.flying and entry.pending is not None
        ]
        self._keep_left(left, [])

    def _at_the_end(self) -> None:
        """Save what is unsaved where a program ends without closing its saver."""
        if not self._unsaved.entries or os.getpid() != self._pid:
            return
        log.warning("a saver was not closed before the program ended; it is closed now")
        for failure in self.close(timeout=WITHIN):
            _say_lost(failure.player, str(failure.error))

    def __del__(self) -> None:
        unsaved = getattr(self, "_unsaved", None)  # not there where it was never made
        if unsaved is not None and os.getpid() == self._pid:
            for player, entry in unsaved.entries.items():
                if entry.changed or entry.flying:
                    _say_lost(player, "its saver was dropped without being closed")


@atexit.register
def _close_all() -> None:
    for saver in list(_OPEN):
        saver._at_the_end()


def _say_lost(player: str, why: str) -> None:
    """Say that a player was not saved, also where nobody reads the log."""
    log.critical("%s was not saved: %s", player, why)
    with suppress(OSError, ValueError):  # there may be nobody left to tell
        print(f"cleaver: {visible(player)} was not saved: {why}", file=sys.stderr)
