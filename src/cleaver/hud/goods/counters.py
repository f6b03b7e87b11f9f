"""Counters: a number that trails what it counts while something flies to it, and notices.

The number at rest is always the true one: what is shown is the true amount less what is still on its way,
whatever is collected, lost or closed in between. Driven by `update(seconds)`. Start at `Counter`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import ACTOR, CALL, HANDLE, POINT, TEXT, WORLD, checked, finite, maybe
from cleaver.core.kernel.events import Event
from cleaver.core.wording import notice
from cleaver.core.world import World
from cleaver.errors import AmountError, UnknownNameError
from cleaver.hud.drawn import Drawn, Hearing, lasting
from cleaver.hud.origin import Place, origin

Point = tuple[float, float]
_GAINS = {"currency": ("earned", "spent"), "item": ("gained", "lost")}


class Flight(Drawn):
    """Something on its way to a counter: `amount`, `progress` from 0 to 1, where it began and where it is."""

    _tells = ("amount", "progress")

    __slots__ = ("_travel", "age", "amount", "begin", "end")
    amount: int
    begin: Point
    end: Point
    age: float

    def __init__(self, amount: int, begin: Point, end: Point, travel: float) -> None:
        self.amount, self.begin, self.end, self._travel, self.age = amount, begin, end, travel, 0.0

    @property
    def progress(self) -> float:
        """How far it is, from 0 to 1."""
        return min(self.age / self._travel, 1.0)

    @property
    def position(self) -> Point:
        """Where it is drawn: slow at first, then faster, along a straight line."""
        eased = self.progress * self.progress
        return (
            self.begin[0] + (self.end[0] - self.begin[0]) * eased,
            self.begin[1] + (self.end[1] - self.begin[1]) * eased,
        )


class Counter(Hearing):
    """A counter of money, of an item, or of the score.

    Args:
        actor: Whose it is.
        good: A currency, an item, or "score".
        travel: Seconds that what was gained flies before it is counted.
        at: Where on screen the counter is.
        screen: Gives where on screen a place (x, y, z) of the world is. With it each gain flies from where it
            came from: the placement that was collected, who died, else the actor.

    Without *screen*, or where the host said no place, gains come from `origin`, which you may set to where on
    screen the next one comes from. `flights` are on their way, `shown` is the
    number to draw, `bump` goes from 1 to 0 after each arrival.
    """

    _tells = ("good", "shown", "true")

    actor: Actor
    good: str
    origin: Point
    at: Point
    bump: float

    @checked(actor=HANDLE, good=TEXT, at=POINT, screen=maybe(CALL))
    def __init__(
        self,
        actor: Actor,
        good: str,
        *,
        travel: float = 0.6,
        at: Point = (0.0, 0.0),
        screen: Callable[[Place], Point] | None = None,
    ) -> None:
        world = read.parts(actor)
        kinds = world.kinds.goods
        if not finite(travel) or travel < 0:
            raise AmountError("travel", travel, "a number of seconds, 0 or more")
        if good not in kinds.currencies and good not in kinds.items and good != "score":
            raise UnknownNameError("good", good, (*kinds.currencies, *kinds.items, "score"))
        self.actor, self.good, self.origin, self.at, self._screen = actor, good, at, at, screen
        self.flights: list[Flight] = []
        self.bump = 0.0
        self._travel = travel
        self._field = "currency" if good in kinds.currencies else "item"
        names = ("scored",) if good == "score" else _GAINS[self._field][:1]
        self._listening = [world.stage.listeners.listen(name, self._heard, actor.id) for name in names]

    def _heard(self, event: Event) -> None:
        if self.good in ("score", event.values[0]) and self._travel and event.amount > 0:
            place = None if self._screen is None else origin(read.parts(self.actor), event)
            begin = self.origin if self._screen is None or place is None else self._screen(place)
            self.flights.append(Flight(event.amount, begin, self.at, self._travel))

    @property
    def true(self) -> int:
        """What there really is now."""
        if self.good == "score":
            return self.actor.score
        return self.actor.purse[self.good] if self._field == "currency" else self.actor.bag[self.good]

    @property
    def shown(self) -> int:
        """The number to draw: what there is, less what is still on its way; never below 0."""
        return max(self.true - sum(flight.amount for flight in self.flights), 0)

    @property
    def at_rest(self) -> bool:
        """Whether nothing is on its way, so that `shown` is the true number."""
        return not self.flights

    def update(self, seconds: float) -> None:
        """Let *seconds* pass: flights go on and arrive, the bump fades within a quarter of a second."""
        self.bump = max(self.bump - seconds * 4, 0.0)
        for flight in self.flights:
            flight.age += seconds
        there = [flight for flight in self.flights if flight.age >= self._travel]
        if there:
            self.flights = [flight for flight in self.flights if flight.age < self._travel]
            self.bump = 1.0

    def close(self) -> None:
        """Stop listening; what was on its way is counted at once."""
        super().close()
        self.flights = []


def slots(actor: Actor) -> tuple[str, ...]:
    """Return an actor's bag as slots to draw: an item's name in each place it takes, "" where one is free.

    Items of size 0 take none. A bag without a limit has as many slots as are taken.
    """
    sizes = read.parts(actor).kinds.goods.items
    taken = [name for name in actor.bag for _ in range(actor.bag[name] * sizes[name][1])]
    return (*taken, *[""] * (actor.bag.left or 0))


class Notices(Hearing):
    """Lines of the design's own `[texts]`, each seen for a while; iterate for what is to be read now, oldest
    first."""

    _tells = ("lines",)

    @checked(world=WORLD, actor=ACTOR)
    def __init__(self, world: World, *, actor: Actor | str = "", lasts: float = 3.0) -> None:
        self._world, self._texts = world, world.design.tables.texts
        self._lasts = lasting(lasts)
        self.lines: list[tuple[str, float]] = []
        self._listening = [world.listen_own(name, self._heard, actor=actor) for name in self._texts]

    def _heard(self, event: Event) -> None:
        self.lines.append((notice(event, self._texts, self._title), self._lasts))

    def _title(self, field: str, name: str) -> str:
        """Return the title of what a field of an event names: of an actor that of its kind."""
        kind = read.parts(self._world).stage.kind_of(name) if field in ("actor", "source", "credit") else ""
        field, name = ("actor", kind) if kind else (field, name)
        for section in (field, f"{field}s", f"{field}es", f"{field[:-1]}ies"):
            entries = getattr(self._world.design.tables, section, None)
            entry = entries.get(name) if isinstance(entries, dict) else None
            if entry is not None:
                return getattr(entry, "title", None) or name.replace("_", " ")
        return name

    def update(self, seconds: float) -> None:
        """Let *seconds* pass; lines at their end are gone."""
        self.lines = [(text, left - seconds) for text, left in self.lines if left > seconds]

    def __iter__(self) -> Iterator[str]:
        return iter([text for text, _ in self.lines])
