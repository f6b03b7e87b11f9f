"""Commands that move the clocks of a world: seconds, turns and their rounds, days. Start at `WorldClocks`."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from cleaver.core import commands, telling
from cleaver.core.game import idle
from cleaver.core.handles import Actor, handle_of
from cleaver.core.kernel.arguments import CALL, amount, checked, plain, to_call
from cleaver.core.kernel.clock import LONGEST
from cleaver.core.kernel.gathered import only
from cleaver.core.kernel.later import Later
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.spans import FAR, FARTHEST_DAY, as_span
from cleaver.core.kernel.stage import Stage
from cleaver.core.sight import WorldSeen
from cleaver.core.somebody import body_of
from cleaver.errors import AmountError, ReactionError, RunawayRulesError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, overload
else:

    def overload(call):
        """Do nothing: only checkers read it."""
        return call


def _waits(stage: Stage) -> bool:
    """Return whether anything may be due now, or come true by time alone."""
    due = stage.clock.first()
    return 0 <= due <= stage.clock.now or bool(stage.calls.heap or stage.watches or stage.halt)


command = partial(commands.command, given_to="World")


class WorldClocks(WorldSeen):
    """The clocks of a world."""

    @command("advance 3", telling.TIME)
    def advance(
        self, seconds: float = 0, *, microseconds: int | None = None, stop: Callable[[], bool] | None = None
    ) -> float:
        """Let time pass, in seconds; what a float leaves over is carried to the next call, so that slices add
        up.

        Args:
            seconds: How long, from 0 to 1e9.
            microseconds: How long where it must be exact, a whole number; instead of *seconds*.
            stop: Time stops at the first microsecond at which this returns true. It must only read. It is
                called before and after each thing that is due; between two of these the instant is found by
                bisection, so a condition that holds only for a while between them may be missed.

        Returns:
            The seconds that have passed.

        Raises:
            ReactionError: What listeners, reactions and calls of `after` raised meanwhile; time has passed to
                the end all the same.
            BusyError: In a listener, or in a call of `after`.
        """
        idle(self._game, "advance")
        if stop is not None:
            to_call("stop", stop)
        clock = self._world.stage.clock
        if clock.now > FAR // 2:
            raise UsageError("this world is 70,000 years old, and none can be older")
        if microseconds is None:
            passed, clock.remainder = clock.span(seconds)
        elif (
            isinstance(microseconds, bool)
            or not isinstance(microseconds, int)
            or not 0 <= microseconds <= LONGEST * 1_000_000
        ):
            raise AmountError("the time to pass", microseconds, "a whole number of microseconds, 0 or more")
        elif seconds != 0:
            raise UsageError("advance by seconds or by microseconds, not by both")
        else:
            passed = microseconds
        before, until = clock.now, clock.now + passed
        self._world.stage.pass_time(until, stop)
        clock = self._world.stage.clock  # of another stage, where a call has adopted a design
        if clock.now < until:
            clock.remainder = 0.0  # it stands at what has happened
        return (clock.now - before) / 1e6

    @checked(call=CALL)
    def after(self, seconds: float, call: Callable[[], Any]) -> Later:
        """Make a call when so much time has passed, after everything else that is due at that instant.

        Use it for your game's own timers, and for what a listener may not do, such as entering a stage:
        ``world.after(0, next_stage)`` is called by the next `advance`, even by ``advance(0)``. A
        snapshot does not contain it.

        Args:
            seconds: From 0 to 1e9.
            call: Called without arguments; `advance` raises its errors, as those of listeners.

        Returns:
            The waiting call, which can be cancelled.

        Raises:
            AmountError: No number of seconds in that range.
        """
        span = as_span(amount("the time to wait", seconds, most=LONGEST))
        stage = self._world.stage
        return stage.calls.add(call, stage.clock.now + span)

    @command("day 739500", telling.TIME, line="day {day}", says="it is day {day}")
    def set_day(self, day: int) -> Result:
        """Say what calendar day it is: any whole number that grows by one a day, as `cleaver.day_of` gives
        it.

        What is due by the day happens then, each thing on its own day where several are left out; then
        `day_began` comes, once. Cleaver has no clock of its own.

        Raises:
            AmountError: No whole number within ±10^15, or a day that is over already.
            ReactionError: What listeners and reactions raised; it is that day all the same.
        """
        day = plain(day)
        if isinstance(day, bool) or not isinstance(day, int) or not -FARTHEST_DAY <= day <= FARTHEST_DAY:
            raise AmountError("the day", day, f"a whole number within ±{FARTHEST_DAY:,}")
        days, stage = self._world.days, self._world.stage
        days.check(day)
        if day == stage.clock.day:
            return self._world.done(Result("no_change"))
        return self._world.moved_on(days.set_day(day), Result())

    # turns

    @overload
    def next_turn(self) -> Actor | None: ...  # noqa: D102  # below

    @overload
    def next_turn(self, *, of: Actor | str) -> Actor | Result: ...  # noqa: D102, F811  # below

    def next_turn(self, *, of: Actor | str | None = None) -> Actor | Result | None:  # noqa: F811
        """End the turn that is on, and begin the next one's; after the last of a round a new round begins.

        First everything happens that is due at this instant, as in ``advance(0)``. In a round are all alive
        whose kind says ``turns = true``, by the formula ``[game] turn_order``, highest first, then who
        entered the world first. Who comes or returns later is in the next round.

        Args:
            of: Whose turn is put in between; it keeps its own in the round.

        Returns:
            Whose turn it is; None where nobody can take one. With *of*, a refused result (`dead`) for the
            dead.

        Raises:
            BusyError: In a listener, or in a call of `after`.
            UsageError: *of* takes no turns.
            ReactionError: What listeners and reactions raised; the turn is on all the same.
        """
        idle(self._game, "next_turn")
        if not _waits(self._world.stage):
            return self._next_turn(of=of)
        if isinstance(of, (Actor, str)):
            self._world.turns.takes(body_of(self._game, of))
        self._world.turns.try_out()
        errors: list[Exception] = []
        for command in (self.advance, partial(self._next_turn, of=of)):
            try:  # a command each: what calls of `after` command comes before the turn
                result: Any = command()
            except (ReactionError, RunawayRulesError) as error:
                errors.append(error)
        if errors:
            raise only(errors)
        return result  # type: ignore[no-any-return]  # of the latter

    @command("turn next", telling.TIME, line="turn next", says=telling.turn, of=commands.ON)
    def _next_turn(self, *, of: Actor | str | None = None) -> Actor | Result | None:
        """End the turn that is on, and begin the next one's; after the last of a round a new round begins."""
        turns = self._world.turns
        if of is None:
            next_, errors = turns.next()
            return self._world.moved_on(errors, None if next_ is None else handle_of(self._game, next_))
        body = body_of(self._game, of)
        turns.takes(body)
        if not body.alive:
            return self._world.done(Result("dead"))
        begun, errors = turns.extra(body)
        return self._world.moved_on(errors, handle_of(self._game, body) if begun else Result("dead"))

    @command("turn end", telling.TIME, line="turn end", says="the round is over")
    def end_turns(self) -> Result:
        """End the turn that is on, and the round: the next `next_turn` begins round 1 again.

        Raises:
            BusyError: In a listener, or in a call of `after`.
            ReactionError: What listeners and reactions raised; the round is over all the same.
        """
        idle(self._game, "end_turns")
        turns = self._world.turns
        if not turns.table.on and not turns.table.round:
            return self._world.done(Result("no_change"))
        return self._world.moved_on(turns.end_turns(), Result())

    @command("turn skip", telling.TIME, line="turn skip", says="the turn is skipped")
    def skip_turn(self) -> Result:
        """End the turn that is on, the latest of several, because nothing may be done in it; whether that is
        so, your game decides.

        Raises:
            BusyError: In a listener, or in a call of `after`.
            ReactionError: What listeners and reactions raised; the turn is over all the same.
        """
        idle(self._game, "skip_turn")
        turns = self._world.turns
        if not turns.table.on:
            return self._world.done(Result("no_change"))
        return self._world.moved_on(
            turns.end(self._world.stage.actor(turns.table.on[-1]), "skipped"), Result()
        )
