"""Views: what an actor has, as it is now — meters, purse, bag, quests — and placements and matches.

Each reads the world when asked; those with verbs change it by hand. A view of something that has left its
world says so. Start at `MeterView`.
"""

from __future__ import annotations

from collections.abc import MutableMapping

from cleaver.core import telling
from cleaver.core.commands import command
from cleaver.core.game import Game, Seen
from cleaver.core.kernel.arguments import amount, number
from cleaver.core.kernel.body import Body, Meter
from cleaver.core.kernel.living import View
from cleaver.core.kernel.results import ChangeResult, Result
from cleaver.core.kernel.spans import unit_of
from cleaver.core.vitals.meters import TALLEST
from cleaver.design.vocabulary import KEEPS
from cleaver.errors import AmountError, GoneError, UnknownNameError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, TypeVar

    from cleaver.core.contests.standing import Place
    from cleaver.core.goods.pickups import PlacementState as PlacementState
    from cleaver.literals import Keep

    V = TypeVar("V", covariant=True)
    _Data = MutableMapping[str, Any]
else:
    V = object
    _Data = MutableMapping


def there(body: Body) -> Body:
    """Return a body if it is still in its world."""
    if not body.here:
        raise GoneError("actor", body.id)
    return body


FARTHEST = 1e12  # that something may stand from the origin, on each axis


class MeterView(Seen, View):
    """A meter of an actor as it is now; `set` and `set_max` change it by hand."""

    __slots__ = ("_body", "name")
    name: str

    def __init__(self, game: Game, body: Body, meter: Meter) -> None:
        self._game, self._body, self.name = game, body, meter.kind.name

    @property
    def _meter(self) -> Meter:
        """Its state now; under another design a meter may be gone."""
        return self._world.vitals.meter(there(self._body), self.name)

    def _read(self, part: str) -> Any:
        return self._world.vitals.read(there(self._body), self.name, part)

    @property
    def path(self) -> str:
        """How scripts and `world.why` name it, such as "ana.suit"."""
        return f"{self._body.id}.{self.name}"

    @property
    def value(self) -> float:
        """The value now, from 0 to `max` (plus overfill)."""
        return self._read("value")  # type: ignore[no-any-return]

    @property
    def max(self) -> float:
        """The maximum."""
        return self._meter.max

    @property
    def fraction(self) -> float:
        """Value by maximum, from 0 to 1; overfill still reads 1."""
        return self._read("fraction")  # type: ignore[no-any-return]

    @property
    def percent(self) -> str:
        """The fraction as text: "0%" only when empty, "100%" only when nothing is missing."""
        return self._read("percent")  # type: ignore[no-any-return]

    @property
    def cells(self) -> int:
        """How many cells are filled, of as many as the design says (else 1)."""
        return self._read("cells")  # type: ignore[no-any-return]

    @property
    def cell_count(self) -> int:
        """How many cells there are; 1 where the design names none."""
        return self._meter.kind.cells or 1

    @property
    def marks(self) -> dict[str, float]:
        """The marks, as fractions by name, rising."""
        return dict(self._meter.kind.marks)

    @property
    def shields(self) -> str:
        """The meter that it shields, "" for none."""
        kind = self._meter.kind
        return self._body.kind.vital if kind.name in self._body.kind.shields else ""

    @command("set ana.suit 40", telling.HITS, says="{me.path} is {value}")
    def set(self, value: float) -> ChangeResult:
        """Set the value by hand, within 0 and max plus overfill; 0 on the vital meter kills."""
        world, body = self._world, there(self._body)
        return world.done(world.vitals.set(body, self.name, amount(self.path, value)))

    @command("set_max ana.suit 110 keep=missing", telling.HITS, says="{me.path} is {me.value} of {value}")
    def set_max(self, value: float, keep: Keep = "value") -> ChangeResult:
        """Set the maximum; *keep* the "value" (clamped), the "fraction", or what is "missing"."""
        world, body = self._world, there(self._body)
        if keep not in KEEPS:
            raise UnknownNameError("policy", keep, KEEPS)
        value = amount(f"the max of {self.path}", value, most=TALLEST)
        if value == 0:
            raise AmountError(f"the max of {self.path}", value, "greater than 0")
        return world.done(world.vitals.set_max(body, self.name, value, keep))

    def _key(self) -> tuple[object, ...]:
        return (self._body, self.name)

    def _shown(self) -> str:
        return f"{self.path} {self.value:g}/{self.max:g}"


def lying(game: Game, placement: Placement) -> PlacementState:
    """Return the state of a placement of one world."""
    if placement._game is not game:
        raise UsageError(f"{placement.id} lies in another world; several worlds share nothing")
    return placement._there


class Placement(Seen, View):
    """A pickup lying in the world."""

    __slots__ = ("_state", "id")
    id: str

    def __init__(self, game: Game, state: PlacementState) -> None:
        self._game, self._state, self.id = game, state, state.id

    @property
    def _there(self) -> PlacementState:
        """Its state, also when it was taken for good; not when the host took it out of the world."""
        if not self._state.there:
            raise GoneError("placement", self.id)
        return self._state

    @property
    def removed(self) -> bool:
        """Whether the host took it out of the world."""
        return not self._state.there

    @property
    def pickup(self) -> str:
        """What it is a placement of."""
        return self._state.pickup

    @property
    def present(self) -> bool:
        """Whether it lies there now."""
        return self._there.present

    @property
    def position(self) -> tuple[float, float, float] | None:
        """Where it lies, if the host said."""
        return position(self._there)

    @command("remove_placement kit", telling.GOODS, line="remove_placement {me}", says="{me.id} is gone")
    def remove(self) -> None:
        """Take it out of the world for good."""
        state = self._there
        stage = self._world.stage
        stage.idle("remove")
        self._world.pickups.remove(state)
        stage.settle()

    def _key(self) -> tuple[object, ...]:
        return (self._state,)

    def _shown(self) -> str:
        return f"placement {self.id} of {self.pickup}"


class Match(Seen, View):
    """A match of a world."""

    __slots__ = ("name",)
    name: str

    def __init__(self, game: Game, name: str) -> None:
        self._game, self.name = game, name

    def _key(self) -> tuple[object, ...]:
        return (self._game, self.name)

    def _shown(self) -> str:
        state = "paused" if self.paused else "running" if self.running else f"won by {self.winner}"
        return f"match {self.name} {state if self.running or self.winner else 'not running'}"

    @property
    def running(self) -> bool:
        """Whether it runs; also while it is paused."""
        return self._world.contests.contest(self.name).running

    @property
    def paused(self) -> bool:
        """Whether it is paused."""
        return self._world.contests.paused(self._world.contests.contest(self.name))

    @property
    def winner(self) -> str:
        """The side that won, "draw", or "" until it ends."""
        return self._world.contests.contest(self.name).winner

    @property
    def round(self) -> int:
        """The round it is in, from 1; 0 before it ever began."""
        return self._world.contests.contest(self.name).round

    @property
    def left(self) -> float:
        """What is left of its time, in seconds, rounds of turns or days (`left_unit`); 0 without a limit."""
        return self._world.contests.time_left(self._world.contests.contest(self.name))

    @property
    def left_unit(self) -> str:
        """What `left` counts: "seconds", "rounds" or "days"."""
        return unit_of(self._world.contests.contest(self.name).kind.time_limit)

    @property
    def standings(self) -> tuple[Place, ...]:
        """Rank, side and score of each side, best first; equal scores share a rank."""
        return tuple(self._world.contests.places(self._world.contests.contest(self.name)))

    @command(
        "match start salvage_race", telling.POINTS, line="match start {me}", says=telling.match("starts")
    )
    def start(self) -> Result:
        """Start it, standings from 0."""
        return self._world.done(self._world.contests.start(self.name))

    @command("match end salvage_race", telling.POINTS, line="match end {me}", says=telling.match("ends"))
    def end(self) -> Result:
        """End it by hand; whoever leads wins."""
        return self._world.done(self._world.contests.end(self.name))

    @command(
        "match pause salvage_race", telling.POINTS, line="match pause {me}", says=telling.match("pauses")
    )
    def pause(self) -> Result:
        """Pause it: its rules count nothing, its time stands still."""
        return self._world.done(self._world.contests.pause(self.name, True))

    @command(
        "match resume salvage_race", telling.POINTS, line="match resume {me}", says=telling.match("resumes")
    )
    def resume(self) -> Result:
        """Let a paused one go on."""
        return self._world.done(self._world.contests.pause(self.name, False))


def position(thing: Any) -> tuple[float, float, float] | None:
    """Return where a body or a placement stands, or None."""
    return None if thing.x is None else (thing.x, thing.y, thing.z)


def spot_of(at: Any) -> tuple[float, float, float]:
    """Return a place as three coordinates, z 0 where it is not given."""
    given = tuple(at) if isinstance(at, (tuple, list)) else ()
    if not 2 <= len(given) <= 3:
        raise AmountError("the place", at, "two or three coordinates, such as (3, 4)")
    given = tuple(number("a coordinate", value) for value in given)
    for value in given:
        if abs(value) > FARTHEST:
            raise AmountError("a coordinate", value, f"a number from {-FARTHEST:g} to {FARTHEST:g}")
    x, y, z = (*given, 0.0)[:3]
    return x, y, z
