"""Pickups: things lying in the world, taken once per appearance.

Owns placements; what taking one does is an effect list like any other, worked out as a whole before anything
moves. Start at `Pickups.take`.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from cleaver.core.goods.goods import Goods
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.clock import RETURNS, VANISHES, Timer
from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.expressions import Amount, BoundEffect, Expression, amount_of, met, span_of
from cleaver.core.kernel.part import Keeper, Part, by_name
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.scope import Given, Scope
from cleaver.core.kernel.spans import FAR
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record, each_under_its_name
from cleaver.errors import FormulaError, UnknownNameError
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, ClassVar

    from cleaver.core.goods.kinds import GoodsKinds, PickupKind
    from cleaver.core.kernel.crossing import Crossing
    from cleaver.literals import Blocked


MOST_PLACED = 1_000  # by one effect
MOST_GONE = 100  # placements whose place is remembered


class Fading(Timer):
    """The end of a placement that lies there for a time only."""

    __slots__ = ()
    rank: ClassVar[int] = VANISHES
    verb: ClassVar[str] = "vanish"


class PlacementState(Timer):
    """One pickup lying somewhere: due when it comes back. `inputs` are its own; `ready` is when a pad may be
    used again; `fading` says when it goes, where it lies for a time only. `rest` is what is left of the
    items of one that was taken in part.

    `placed` numbers all placements of a world, so that one that is given the name of another is not mistaken
    for it.
    """

    __slots__ = (
        "fading", "id", "inputs", "kind", "pickup", "placed", "present", "ready", "rest", "taken", "there",
        "x", "y", "z",
    )  # fmt: skip
    caches: ClassVar[tuple[str, ...]] = ("kind", "there")
    placed: int
    there: bool
    rank: ClassVar[int] = RETURNS
    verb: ClassVar[str] = "reappear"
    id: str
    pickup: str
    inputs: dict[str, float]
    present: bool
    ready: int
    rest: dict[str, int]
    taken: int
    x: float | None
    y: float | None
    z: float | None
    fading: Fading | None
    kind: PickupKind

    def __init__(self, id: str, kind: PickupKind, inputs: dict[str, float]) -> None:
        super().__init__()
        self.fading = None
        self.id, self.pickup, self.kind, self.inputs = id, kind.name, kind, inputs
        self.present, self.ready, self.taken, self.placed = True, 0, 0, 0
        self.rest = {}
        self.x = self.y = self.z = None
        self.there = True

    def fresh(self) -> None:
        """See `Record.fresh`."""
        super().fresh()
        self.there = True  # until the host takes it away

    @property
    def over(self) -> bool:
        """Whether it was taken and never comes back."""
        return not self.present and self.due < 0 and not self.kind.stays


class PickupTable(Record):
    """The state of this part: what lies there or comes back, per pickup how many ids were made up, how many
    placed and taken, and who has had what there is once for each."""

    __slots__ = ("counts", "had", "made", "placed", "placements", "taken")
    had: dict[str, dict[str, bool]]
    placements: dict[str, PlacementState]
    counts: dict[str, int]
    placed: dict[str, int]
    taken: dict[str, int]
    made: int

    def __init__(self) -> None:
        self.placements, self.counts, self.placed, self.taken, self.made = {}, {}, {}, {}, 0
        self.had = {}


class Pickups(Part):
    """Placements of one world."""

    stage: Stage
    goods: Goods
    kinds: GoodsKinds
    effects: Effects
    table: PickupTable

    name = "pickups"

    def __init__(self, stage: Stage, goods: Goods, effects: Effects) -> None:
        self.stage, self.goods, self.kinds, self.effects = stage, goods, goods.kinds, effects
        self.table = PickupTable()
        self.by_kind: dict[str, dict[str, PlacementState]] = {}
        self.gone: dict[str, tuple[float, float, float]] = {}
        """Where the latest lay that are not there any more, for what is drawn of their taking; no part of the
        state."""
        self.removed: list[
            Callable[[PlacementState], None]
        ] = []  # called with a placement that the host took away untaken, or before it came back
        stage.due["reappear"] = self._reappear
        stage.due["vanish"] = self._vanish
        stage.verbs["place"] = (self._prepare_place, self._commit_place)
        stage.named_things.append(lambda: self.table.placements)
        stage.endings.append(self._all_go)

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (by_name("pickups", lambda: self.table.had, lambda: self.kinds.pickups),)

    def forget(self, body: Body) -> None:
        """Drop what somebody who goes has had."""
        self.table.had.pop(body.id, None)

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: nothing is counted any more of pickups that are gone; none of them lies there."""
        known, table = self.kinds.pickups, self.table
        for counts in (table.counts, table.placed, table.taken):
            for name in [name for name in counts if name not in known]:
                del counts[name]
        crossing.only(table.had, known)
        for placement in table.placements.values():
            inputs = known[placement.pickup].inputs
            placement.inputs = {name: value for name, value in placement.inputs.items() if name in inputs}

    def relink(self) -> None:
        """Put the caches back after unpacking."""
        self.by_kind = {}
        each_under_its_name(self.table.placements, "id")
        for placement in self.table.placements.values():
            placement.kind = self.kind(placement.pickup)
            if placement.fading is not None:
                placement.fading.owner = placement
            self.by_kind.setdefault(placement.pickup, {})[placement.id] = placement

    def kind(self, name: str) -> PickupKind:
        """Return a pickup of the design by its name."""
        found = self.kinds.pickups.get(name)
        if found is None:
            raise UnknownNameError("pickup", name, tuple(self.kinds.pickups))
        return found

    def placement(self, name: str) -> PlacementState:
        """Return a placement by its id."""
        found = self.table.placements.get(name)
        if found is None:
            raise UnknownNameError("placement", name, tuple(self.table.placements))
        return found

    def taken(self, name: str, pickup: str) -> PlacementState:
        """Return a placement as it is once it was taken for good, which the world has forgotten."""
        made = PlacementState(name, self.kind(pickup), {})
        made.present = False
        return made

    def place(
        self, pickup: str, name: str, given: dict[str, float], at: tuple[float, float, float] | None
    ) -> PlacementState:
        """Lay a pickup into the world; *given* are inputs of its own that this one overrides, *at* is
        where."""
        kind = self.kind(pickup)
        for key in given:
            if key not in kind.inputs:
                raise UnknownNameError("input", key, tuple(kind.inputs), f"pickup {pickup}")
        table = self.table
        if name:
            self.stage.free(name)
        else:
            name = self.stage.made_up(pickup, table.counts)
        placement = table.placements[name] = PlacementState(name, kind, dict(given))
        table.made += 1
        placement.placed = table.made
        table.placed[pickup] = table.placed.get(pickup, 0) + 1
        if at is not None:
            placement.x, placement.y, placement.z = at
        self.by_kind.setdefault(pickup, {})[name] = placement
        self.stage.emit("placed", "", "", (pickup, name))
        return placement

    def remove(self, placement: PlacementState) -> None:
        """Take a placement out of the world for good, as the host's scene does; nothing happens where it was
        taken for good before."""
        if placement.over or not placement.there:
            return
        self.table.placed[placement.pickup] -= 1
        placement.there = False
        self._drop(placement)
        for told in self.removed:
            told(placement)

    def _all_go(self) -> None:
        """Let everything go that a stage had, and count what the next one has from nothing."""
        for placement in list(self.table.placements.values()):
            placement.there = False
            self._drop(placement)
        self.table.placed, self.table.taken = {}, {}

    def _drop(self, placement: PlacementState) -> None:
        """Forget a placement that is no longer there and will not come back."""
        self.stage.clock.disarm(placement)
        if placement.fading is not None:
            self.stage.clock.disarm(placement.fading)
        placement.present = False
        if placement.x is not None:
            self.gone[placement.id] = (placement.x, placement.y or 0.0, placement.z or 0.0)
            if len(self.gone) > MOST_GONE:
                del self.gone[next(iter(self.gone))]
        del self.table.placements[placement.id]
        del self.by_kind[placement.pickup][placement.id]
        for axis in ("x", "y", "z"):
            self.stage.dice.forget(f"respawn/{axis}/{placement.id}@{placement.placed}")

    def count(self, pickup: str, part: str) -> int:
        """Return how many of a pickup were placed, are left lying, or how often one was taken."""
        self.kind(pickup)
        if part == "taken":
            return self.table.taken.get(pickup, 0)
        if part == "placed":
            return self.table.placed.get(pickup, 0)
        return sum(placement.present for placement in self.by_kind.get(pickup, {}).values())

    def lying(self, word: str) -> list[PlacementState]:
        """Return the placements of a pickup (or of a tag) that lie there or wait to come back."""
        return [
            placement for placement in self.table.placements.values() if self.is_a(placement.pickup, word)
        ]

    def is_a(self, pickup: str, word: str) -> bool:
        """Return whether *word* is a pickup or one of its tags; "" is any."""
        return word in ("", pickup) or word in self.kind(pickup).tags

    def to_be_had(self, word: str) -> int:
        """Return how many placements of a pickup (or of a tag) lie there or will come back."""
        return len(self.lying(word))

    def refusal(self, body: Body, placement: PlacementState) -> Blocked:
        """Return why a body may not take a placement, whatever it would do; "" if it may."""
        kind = placement.kind
        if not placement.present:
            return "gone"
        if not body.alive:
            return "dead"
        if kind.for_:
            if not any(body.is_a(word) or body.team == word for word in kind.for_):
                return "not_for_you"
        elif not body.kind.player:
            return "not_for_you"
        if kind.needs:
            scope = self._scope(body, placement)
            if not met(kind.needs, scope):
                return "locked"
        if kind.once and self.table.had.get(body.id, {}).get(kind.name):
            return "completed"
        if not in_reach(self.stage, body, placement, kind.reach):
            return "out_of_reach"
        return "cooldown" if placement.ready > self.stage.clock.now else ""

    def take(self, body: Body, placement: PlacementState) -> Result:
        """Let a body take a placement: its effects happen and it is gone, or nothing happens."""
        refused = self.refusal(body, placement)
        if refused:
            return Result(refused)
        kind = placement.kind
        scope = self._scope(body, placement)
        pause = span_of(kind.cooldown, scope, least=0)
        if placement.rest:
            return self._take_rest(body, placement)
        draft = self.effects.prepare(kind.do, scope)
        if draft.refused and kind.split:
            draft.ledger.split = True
            draft.refused = self.goods.settle(draft.ledger, draft.reasons)
        if draft.refused:
            return Result(draft.refused)
        if not draft.changes and not kind.waste:
            return Result(draft.reasons[0] if draft.reasons else "no_change")
        if kind.split and not kind.stays:
            for name, amount in self.goods.left_over(draft.ledger).items():
                placement.rest[name] = placement.rest.get(name, 0) + amount
        if placement.rest:
            self.effects.commit(draft)
            return Result()
        self._collected(body, placement, pause, partial(self.effects.commit, draft))
        return Result()

    def _take_rest(self, body: Body, placement: PlacementState) -> Result:
        """Let a body take what was left of one that was taken in part."""
        goods = self.goods
        ledger = goods.split_gain(body, placement.rest, placement.pickup)
        refused = goods.settle(ledger)
        left = goods.left_over(ledger)
        if refused or left == placement.rest:
            return Result(refused or "full")
        placement.rest = left
        if left:
            goods.move(ledger.moves)
        else:
            self._collected(body, placement, 0, partial(goods.move, ledger.moves))
        return Result()

    def _collected(self, body: Body, placement: PlacementState, pause: int, do: Callable[[], None]) -> None:
        """Let a placement be taken, and do what comes with it."""
        kind, stage = placement.kind, self.stage
        placement.taken += 1
        if kind.once and body.kind.player:
            self.table.had.setdefault(body.id, {})[kind.name] = True
        self.table.taken[kind.name] = self.table.taken.get(kind.name, 0) + 1
        if kind.stays:
            placement.ready = stage.clock.later(pause)
        else:
            placement.present = False
            if kind.respawn_after >= 0:
                stage.clock.arm(placement, stage.clock.later(kind.respawn_after))
            else:
                self._drop(placement)
        before, stage.cause = stage.cause, stage.emit("collected", body.id, "", (kind.name, placement.id))
        do()
        stage.cause = before

    def _scope(self, body: Body, placement: PlacementState) -> Scope:
        kind = placement.kind
        return Scope(
            self.stage,
            body,
            inputs=Given.over(self.stage.kinds.inputs, kind.inputs, placement.inputs),
            place=f"pickups.{kind.name}",
            reason=kind.name,
        )

    def clocks_came(self) -> None:
        """Let the pauses of pads be over that the clocks have come to which the game moves."""
        for placement in self.table.placements.values():
            if placement.ready >= FAR:
                placement.ready = self.stage.clock.begun(placement.ready)

    def last(self, placement: PlacementState, span: int) -> None:
        """Let a placement go after a span."""
        placement.fading = Fading()
        placement.fading.owner = placement
        self.stage.clock.arm(placement.fading, self.stage.clock.later(span))

    def _vanish(self, fading: Fading) -> None:
        placement: PlacementState = fading.owner
        if placement.present:
            self.stage.emit("vanished", "", "", (placement.pickup, placement.id))
        self.remove(placement)

    # effects

    def _prepare_place(self, scope: Scope, effect: BoundEffect, body: Body | None) -> tuple[Any, Blocked]:
        count = half_up(amount_of(effect.beside.get("amount", 1), scope))
        if count > MOST_PLACED:
            amount = effect.beside["amount"]
            text = amount.formula.text if isinstance(amount, Expression) else str(amount)
            raise FormulaError(text, f"lays {count} things at once; at most {MOST_PLACED}", effect.where)
        lasts = effect.beside.get("lasts")
        spread = amount_of(effect.beside.get("spread", 0), scope)
        span = 0 if lasts is None else span_of(lasts, scope)
        at = None if body is None or body.x is None else (body.x, body.y or 0.0, body.z or 0.0)
        return (count, span, spread, at), "" if count else "no_change"

    def _commit_place(self, scope: Scope, effect: BoundEffect, body: Body | None, prepared: Any) -> None:
        count, span, spread, at = prepared
        for _ in range(count):
            spot = at
            if spread and at is not None:
                x, y = (self._off(scope, f"{effect.luck}/{axis}", spread) for axis in ("x", "y"))
                spot = (at[0] + x, at[1] + y, at[2])
            placement = self.place(effect.operand, "", {}, spot)
            if span:
                self.last(placement, span)

    def _off(self, scope: Scope, stream: str, spread: float) -> float:
        """Return how far beside a place something lands on one axis, by the dice: anything up to *spread*."""
        stream = stream if scope.me is None else scope.me.stream(stream)
        return spread * (2 * self.stage.dice.draw(stream) - 1)

    def _reappear(self, placement: PlacementState) -> None:
        kind = placement.kind
        placement.present = True
        if kind.respawn_in and placement.x is None:
            placement.x = placement.y = placement.z = 0.0
        for axis, low, high in kind.respawn_in:
            setattr(
                placement,
                axis,
                low
                + (high - low) * self.stage.dice.draw(f"respawn/{axis}/{placement.id}@{placement.placed}"),
            )
        self.stage.emit("reappeared", "", "", (kind.name, placement.id))


def in_reach(stage: Stage, body: Body, there: Any, reach: Amount | None) -> bool:
    """Return whether a body reaches what lies or stands *there*: within the thing's own reach, else as far
    as its kind reaches."""
    reach = body.kind.reach if reach is None else reach
    return reach is None or within(body, there, amount_of(reach, Scope(stage, body)))


def within(one: Any, other: Any, reach: float) -> bool:
    """Return whether two things stand within *reach* of each other; something without a position is out of
    reach of nothing."""
    if one.x is None or other.x is None:
        return True
    square = (one.x - other.x) ** 2 + (one.y - other.y) ** 2 + (one.z - other.z) ** 2
    return bool(square <= reach * reach)
