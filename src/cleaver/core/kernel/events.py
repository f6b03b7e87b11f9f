"""Events: events that happened, numbered and timed, each with its cause.

One small record an event; its own fields are a tuple, named by its kind. Events hold names (ids) and numbers
only, never actors, so that they can be kept, written down and compared. Start at `Event`.
"""

from __future__ import annotations

from cleaver.design.vocabulary import EventSpec

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

Value = float | str | bool


class EventShape:
    """One kind of event at run time: where each field stands."""

    __slots__ = ("index", "name", "names", "party", "seen_as")
    index: dict[str, int]
    party: int

    def __init__(self, spec: EventSpec) -> None:
        self.name: str = spec.name
        self.names: tuple[str, ...] = spec.names()
        self.index = {name: position for position, name in enumerate(self.names)}
        self.party = self.index[spec.party] if spec.party else -1
        self.seen_as: str = spec.seen_as

    @classmethod
    def named(cls, name: str, names: tuple[str, ...]) -> EventShape:
        """Return the kind of an event that was written down, perhaps by another version: its name and those
        of its fields."""
        return cls(EventSpec(name, tuple((field, "number") for field in names)))


class EventBase:
    """What every event has: `name`, `seq`, `time` (seconds), `cause` (the number of the event it follows
    from, 0 for a command), `actor` (id of whom it happened to), `source` (who did it, "" for nobody) and
    `credit` (whom it counts for: the source, or the owner it acts for)."""

    __slots__ = ("actor", "cause", "credit", "seq", "shape", "source", "steps", "time_us", "values")
    shape: EventShape
    seq: int
    time_us: int
    cause: int
    actor: str
    source: str
    credit: str
    values: tuple[Value, ...]

    steps: Any
    """Of a hit: the steps of its sum, or what gives them; for `why` only, no part of what is written down or
    compared. Other events have none."""

    def __init__(
        self,
        shape: EventShape,
        seq: int,
        time_us: int,
        cause: int,
        actor: str,
        source: str,
        values: tuple[Value, ...],
        credit: str | None = None,
    ) -> None:
        self.shape = shape
        self.seq = seq
        self.time_us = time_us
        self.cause = cause
        self.actor = actor
        self.source = source
        self.credit = source if credit is None else credit
        self.values = values

    @property
    def name(self) -> str:
        """The event's name."""
        return self.shape.name

    @property
    def time(self) -> float:
        """When it happened, in seconds."""
        return self.time_us / 1_000_000

    def get(self, name: str) -> Any:
        """Return a field by its name, those that every event has included."""
        position = self.shape.index.get(name)
        return getattr(self, name) if position is None else self.values[position]

    def fields(self) -> dict[str, Value]:
        """Return its own fields by name."""
        return dict(zip(self.shape.names, self.values, strict=True))

    def plain(self) -> dict[str, Value]:
        """Return all of it as JSON-ready data."""
        return {
            "name": self.name,
            "seq": self.seq,
            "time": self.time,
            "cause": self.cause,
            "actor": self.actor,
            "source": self.source,
            "credit": self.credit,
            **self.fields(),
        }

    def __eq__(self, other: object) -> bool:
        return isinstance(other, EventBase) and self.plain() == other.plain()

    def __hash__(self) -> int:
        return hash(self.seq)

    def __repr__(self) -> str:
        return f"<{self.seq} {self.name} t={self.time:g} {self.actor or '-'} {self.fields()}>"

    def __reduce__(self) -> tuple[Any, ...]:
        own = (self.shape, self.seq, self.time_us, self.cause, self.actor, self.source, self.values)
        return (Event, (*own, self.credit))


class Event(EventBase):
    """Something that happened, with the fields of its kind of event as attributes.

    `cleaver.events` has a class for each event, for type checkers: `Damaged` has `amount`, and no `amuont`.
    """

    __slots__ = ()

    def __getattr__(self, name: str) -> Any:
        try:
            return self.values[self.shape.index[name]]
        except KeyError:
            raise AttributeError(
                f"event {self.shape.name} has no field {name!r}; it has: {', '.join(self.shape.names)}"
            ) from None
