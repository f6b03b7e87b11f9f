"""Asking: what clients may ask for, looked at before anything is done. Start at `deed` and `fulfil`.

Whatever a client sends, it learns no more than that it may not: errors of the game list names, and names are
not for everybody.
"""

from __future__ import annotations

import logging
from collections.abc import Mapping
from typing import Any, NamedTuple

from cleaver.core.commands import COMMANDS, Declared
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import PLACEMENT
from cleaver.core.world import World
from cleaver.errors import CleaverError, ReactionError

log = logging.getLogger("cleaver.rooms")
LONGEST = 100  # letters of a name that a client sends
MOST_TIMES = 100_000

Reason = str


class Reply(NamedTuple):
    """The answer to a client: the number that it gave, whether what it asked for was done, and if not, the
    reason: "not_allowed", "malformed", "unknown", "too_often", "not_here", or why the game refused it."""

    number: int
    done: bool
    why: Reason = ""

    @property
    def data(self) -> dict[str, Any]:
        """It for JSON."""
        return {"number": self.number, "done": self.done, "why": self.why}


class TokenBucket:
    """Lets so many through a second, and as many at once (a token bucket)."""

    __slots__ = ("left", "rate", "since")
    rate: float
    left: float
    since: float

    def __init__(self, rate: float, now: float) -> None:
        self.rate, self.left, self.since = rate, max(rate, 1.0), now

    def take(self, now: float) -> bool:
        """Return whether one more may pass at an instant, in seconds."""
        self.left = min(max(self.rate, 1.0), self.left + max(now - self.since, 0.0) * self.rate)
        self.since = now
        if self.left < 1:
            return False
        self.left -= 1
        return True


Deed = tuple[str, str, "dict[str, Any]"]
"""What a client asks for: what to do, with what, and what else it gives, by the names of the arguments."""
_BESIDE = {"times": "times", "on": "target", "instead": "instead"}
"""What may stand beside what is asked for, where the command takes it."""


def deed(asked: Any, allowed: tuple[str, ...]) -> Deed | Reason:
    """Return what a client asks for; or why it may not."""
    if not isinstance(asked, Mapping) or not all(isinstance(key, str) for key in asked):
        return "malformed"
    do, what = asked.get("do"), asked.get("what")
    if not isinstance(do, str) or not (what is None if _stands_alone(do) else _is_name(what)):
        return "malformed"
    if do not in allowed:
        return "not_allowed"
    takes = {one.name for one in _declared(do).arguments}
    given = {}
    for key, value in asked.items():
        name = _BESIDE.get(key, "")
        if key in ("do", "what") or value is None:
            continue
        if name not in takes:
            return "malformed"
        right = type(value) is int and 1 <= value <= MOST_TIMES if name == "times" else _is_name(value)
        if not right:
            return "malformed"
        given[name] = value
    return do, str(what or ""), given


def _stands_alone(do: str) -> bool:
    """Return whether what a client asks for is asked for with nothing: the end of its turn."""
    return ("Actor", do) in COMMANDS and not _declared(do).arguments


def _is_name(value: object) -> bool:
    return isinstance(value, str) and 0 < len(value) <= LONGEST


def _declared(do: str) -> Declared:
    """Return the command of an actor that a client asks for; its first argument is what it is asked for
    with."""
    return COMMANDS["Actor", do]


def fulfil(world: World, actor: Actor, do: str, what: str, beside: Mapping[str, Any]) -> tuple[bool, Reason]:
    """Do what was asked for; return whether it was done, and if not, why. A target is given by its id.

    Raises:
        ReactionError: Listeners or rules of the game failed; what was asked for was done.
    """
    try:
        declared = _declared(do)
        given = dict(beside)
        if declared.arguments:
            first = declared.arguments[0]
            given[first.name] = world.placement(what) if first.kind is PLACEMENT else what
        result = getattr(actor, declared.name)(**given)
    except ReactionError:
        raise
    except CleaverError as error:
        log.debug("%s asked for %s %s: %s", actor.id, do, what, error)  # not for the client: it lists names
        return False, "unknown"
    return bool(result), result.blocked or ("" if result else "no_change")
