"""Coming: what is due where a clock that the game moves has come to it. Start at `come_due`."""

from __future__ import annotations

from cleaver.core.kernel.clock import COMING
from cleaver.core.kernel.stage import Stage


def come_due(stage: Stage, whose: int) -> list[Exception]:
    """Let the timers happen that are due by the turns of a bearer, by rounds or by days (`Clock.come`), in
    their order; returns what was raised."""
    errors: list[Exception] = []
    for timer in stage.clock.come(whose):
        if timer.due != COMING:  # one before it has ended it, or begun it anew
            continue
        if not stage.draining:
            errors.extend(stage.happen(timer))
            continue
        timer.due = -1  # in a reaction: what follows waits
        try:
            stage.due[timer.verb](timer)
        except Exception as error:
            errors.append(error)
    return errors
