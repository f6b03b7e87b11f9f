"""Delivery: who hears of an event, in which order.

Reactions of the design come first, as plans made once per (event, actor's kind, source's kind); then
listeners, in order of registration. An event touches nobody who did not ask for it. Knows neither what
reactions do nor what listeners are. Start at `Listeners.listen`.
"""

from __future__ import annotations

from collections.abc import Callable
from types import TracebackType

from cleaver.core.kernel.events import Event

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any, Protocol

    class Ground(Protocol):
        """What listeners know of the world they are in: who is there, and the number of the last event."""

        seq: int

        @property
        def actors(self) -> Mapping[str, object]:
            """The actors by their id."""
else:
    Any = object

Hearer = Callable[[Event], Any]


class Listening:
    """A listener that was added; `close` it, or use it as a context manager."""

    __slots__ = ("_key", "_listeners", "after", "call", "mark", "name", "number", "open")
    call: Hearer
    number: int
    after: int
    name: str
    open: bool
    mark: object

    def __init__(
        self, listeners: Listeners, key: tuple[str, str, str], call: Hearer, number: int, after: int
    ) -> None:
        self._listeners, self._key, self.call, self.number, self.after = listeners, key, call, number, after
        self.name = key[0]
        self.open = True

    def close(self) -> None:
        """Stop listening; safe at any time, during delivery and twice."""
        if self.open:
            self.open = False
            self._listeners.drop(self, self._key)

    def __enter__(self) -> Listening:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def __repr__(self) -> str:
        name, actor, kind = self._key
        whom = actor or kind
        return (
            f"<{'listening' if self.open else 'closed'} {name}{' of ' + whom if whom else ''}: "
            f"{getattr(self.call, '__qualname__', self.call)}>"
        )


def _mark(call: Hearer, there: Mapping[Any, Listening]) -> object:
    """Return under what a listener is kept: itself, or, where it cannot be looked up, what is equal to it."""
    try:
        hash(call)
    except TypeError:
        return next((mark for mark, one in there.items() if one.call == call), id(call))
    return call


class Listeners:
    """All listeners of one world, by (event, actor, kind)."""

    made: int
    newest: int

    def __init__(self, stage: Ground) -> None:
        self.stage = stage
        # By what it is called with first, so that thousands on one event cost each no more than a few.
        self.by_key: dict[tuple[str, str, str], dict[Any, Listening]] = {}
        self.cache: dict[
            str, dict[str, tuple[Listening, ...]]
        ] = {}  # event somebody listens to: actor: who hears of it
        self.counts: dict[str, int] = {}  # event: how many listen
        self.made = 0
        self.newest = -1  # number of the last event before the newest listener

    def listen(self, name: str, call: Hearer, actor: str = "", kind: str = "") -> Listening:
        """Add a listener; the same one for the same thing is only ever there once."""
        key = (name, actor, kind)
        there = self.by_key.setdefault(key, {})
        mark = _mark(call, there)
        if mark in there:
            return there[mark]
        self.made += 1
        added = there[mark] = Listening(self, key, call, self.made, self.stage.seq)
        added.mark = mark
        self.newest = self.stage.seq
        self.counts[name] = self.counts.get(name, 0) + 1
        self._forget(name, actor)
        return added

    def drop(self, listening: Listening, key: tuple[str, str, str]) -> None:
        """Take a listener out."""
        there = self.by_key[key]
        del there[listening.mark]
        if not there:
            del self.by_key[key]
        name = key[0]
        self.counts[name] -= 1
        self._forget(name, key[1])

    def _forget(self, name: str, actor: str) -> None:
        """Let who hears of an event be worked out anew: for one actor, or for all."""
        if not self.counts[name]:
            self.cache.pop(name, None)
        elif actor and name in self.cache:
            self.cache[name].pop(actor, None)
        else:
            self.cache[name] = {}

    def forget(self, actor: str) -> None:
        """Let who hears of an actor be worked out anew: it has come, perhaps as another kind, or gone."""
        for heard in self.cache.values():
            heard.pop(actor, None)

    def all(self) -> list[Listening]:
        """Return every listener, in order of registration."""
        return sorted(
            (one for found in self.by_key.values() for one in found.values()), key=lambda one: one.number
        )

    def heard_of(self, name: str, actor: str, kind: str, other: str) -> tuple[Listening, ...]:
        """Return who hears of an event that is seen from *actor* of *kind*, and is about one of kind
        *other*: who asks for a kind hears of either side."""
        found = self.heard(name, actor, kind)
        more = self.by_key.get((name, "", other)) if other and other != kind else None
        return tuple(sorted((*found, *more.values()), key=lambda one: one.number)) if more else found

    def heard(self, name: str, actor: str, kind: str) -> tuple[Listening, ...]:
        """Return who hears of event *name* on *actor* of *kind*, in order of registration; kept until
        somebody comes or goes."""
        keys = (
            [(name, "", "")] + ([(name, "", kind)] if kind else []) + ([(name, actor, "")] if actor else [])
        )
        found = tuple(
            sorted(
                (one for key in keys for one in self.by_key.get(key, {}).values()), key=lambda one: one.number
            )
        )
        if actor in self.stage.actors and actor.__class__ is str:  # nothing is kept of who has gone
            self.cache[name][actor] = found
        return found
