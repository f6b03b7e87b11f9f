"""Gathered: what listeners and reactions raised, as one error. Start at `only`."""

from __future__ import annotations

from cleaver.errors import ReactionError, RunawayRulesError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.literals import Blocked
else:
    Any = object
    Blocked = str


def noted(errors: list[Exception] | None, error: Exception) -> list[Exception]:
    """Return the errors so far with one more; the list is made with the first, for mostly there is none."""
    if errors is None:
        return [error]
    errors.append(error)
    return errors


def only(errors: list[Exception]) -> Exception:
    """Return what to raise for *errors*: a loop of rules as itself, anything else as one group."""
    if len(errors) == 1 and isinstance(errors[0], RunawayRulesError):
        return errors[0]
    flat = [
        inner
        for error in errors
        for inner in (error.exceptions if isinstance(error, ReactionError) else (error,))
    ]
    return ReactionError("listeners or reactions failed; everything else happened", flat)
