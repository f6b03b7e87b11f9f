"""Stages: content laid out for play, ended, and put back to how it began.

Owns which stage is being played and how everybody was when it began, or when they arrived in it: what every
part keeps of a player, as data. What belongs to no player goes back by `Part.remember` and `Part.put_back`.
Start at `Stages.enter`.
"""

from __future__ import annotations

from collections.abc import Iterator

from cleaver.core.contests.kinds import ContestKinds, StageKind
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import met
from cleaver.core.kernel.gathered import only
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record
from cleaver.errors import ReactionError, RunawayRulesError, UnknownNameError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any, Protocol

    from cleaver.core.goods.pickups import Pickups
    from cleaver.core.kernel.places import Places

    class Turns(Protocol):
        """What moves turns."""

        def end_turns(self) -> list[Exception]:
            """End the turn that is on, and the round."""


class Deal(Record):
    """What one player has given another since the stage began: so many of each good, negative where it
    got them."""

    __slots__ = ("given", "one", "other")
    one: str
    other: str
    given: dict[str, int]

    def __init__(self, one: str, other: str, given: dict[str, int]) -> None:
        self.one, self.other, self.given = one, other, given


class StageTable(Record):
    """The state of this part: the stage that is being played, how everybody in it was at its beginning or
    when they arrived (as JSON text), what belonged to nobody (as well), and the trades since."""

    __slots__ = ("deals", "memories", "present", "whole")
    present: str
    memories: dict[str, str]
    whole: str
    deals: list[Deal]

    def __init__(self) -> None:
        self.clear()

    def clear(self) -> None:
        """Let no stage be played."""
        self.present, self.memories, self.whole, self.deals = "", {}, "", []


class Stages(Part):
    """The stages of one world."""

    stage: Stage
    kinds: ContestKinds
    pickups: Pickups
    places: Places
    table: StageTable
    turns: Turns

    name = "stages"

    def __init__(
        self, stage: Stage, kinds: ContestKinds, pickups: Pickups, places: Places, turns: Turns
    ) -> None:
        self.stage, self.kinds, self.pickups, self.places = stage, kinds, pickups, places
        self.turns = turns
        self.table = StageTable()
        self.parts: tuple[Part, ...] = ()  # all there are, once they are there
        self.sections: Mapping[str, Keeper] = {}  # what a profile can keep of a player
        stage.arrivals.append(self._arrived)
        stage.bears["stage"] = lambda body, name: int(stage.playing == name)

    def relink(self) -> None:
        """See `Part`."""
        if self.table.present:
            self.kind(self.table.present)
        self.stage.playing = self.table.present

    def kind(self, name: str) -> StageKind:
        """Return a stage of the design by its name."""
        found = self.kinds.stages.get(name)
        if found is None:
            raise UnknownNameError("stage", name, tuple(self.kinds.stages))
        return found

    # enter, leave, restart

    def enter(self, name: str) -> Result:
        """End the stage before, and lay out another; its needs must hold for every player."""
        kind = self.kind(name)
        for body in self.stage.players.values():
            scope = Scope(self.stage, body)
            if not met(kind.needs, scope):
                return Result("locked")
        if not self.stage.clock.is_open(kind.open):
            return Result("closed")
        self._try_out(kind)
        errors = [*self.turns.end_turns(), *self._over()]
        self._lay_out(kind, errors, {}, "")
        return Result()

    def leave(self) -> Result:
        """End the stage that is being played."""
        if not self.table.present:
            return Result("no_change")
        errors = self._over()
        if errors:
            raise only(errors)
        return Result()

    def restart(self) -> Result:
        """Put the stage that is being played back to how it began, and everybody in it."""
        if not self.table.present:
            raise UsageError("no stage is being played; enter one first: world.enter_stage(…)")
        kind = self.kind(self.table.present)
        self._try_out(kind)
        errors = [*self.turns.end_turns(), *self._over(clear=False)]
        memories, whole = self.table.memories, self.table.whole
        self.table.deals = []
        stage = self.stage
        stage.told_only, stage.told_why = True, "restarted"
        try:
            if whole:
                for part, data in zip(self.parts, _read(whole), strict=True):
                    part.put_back(data)
            for body in list(stage.actors.values()):
                if body.id in memories:
                    self._put_back(body, _read(memories[body.id]))
        finally:
            stage.told_only, stage.told_why = False, "loaded"
        for body in stage.players.values():
            if body.id in memories:
                stage.emit("restarted", body.id, "", ())
        self._deliver(errors)
        self._lay_out(kind, errors, memories, whole)
        return Result()

    def _try_out(self, kind: StageKind) -> None:
        """Raise what a formula of the content would raise, before anything has changed."""
        for name, _ in kind.actors:
            self.stage.try_out(name)

    def _over(self, *, clear: bool = True) -> list[Exception]:
        """End the stage that is being played: creatures, placements and shots go. Returns what listeners and
        reactions raised."""
        stage, table, errors = self.stage, self.table, list[Exception]()
        if not table.present:
            return errors
        stage.emit("stage_left", "", "", (table.present,))
        self._deliver(errors)
        for body in [one for one in stage.actors.values() if self._goes(one, over=clear)]:
            if body.here:  # a listener may have let it go
                try:
                    stage.depart(body)
                except (ReactionError, RunawayRulesError) as error:
                    errors.append(error)
        for over in stage.endings:
            over()
        self._deliver(errors)
        if clear:
            table.clear()
            stage.playing = ""
            stage.touched("stage", "")
            self._deliver(errors)
        return errors

    def _goes(self, body: Body, *, over: bool) -> bool:
        """Return whether a body goes where the stage ends; where it only begins anew, all creatures go that
        were not there at its beginning."""
        if body.kind.player:
            return False
        return not body.kind.keep or (not over and body.id not in self.table.memories)

    def _deliver(self, errors: list[Exception]) -> None:
        if self.stage.queue:
            errors.extend(self.stage.deliver())

    def _lay_out(
        self, kind: StageKind, errors: list[Exception], memories: dict[str, str], whole: str
    ) -> None:
        """Note how everything is, then lay the content out and tell it."""
        stage, table = self.stage, self.table
        table.present = stage.playing = kind.name
        before, stage.cause = stage.cause, stage.emit("stage_entered", "", "", (kind.name,))
        stage.touched("stage", "")
        # With what it adds, and before anybody reacts to it: when it is played again, they react again.
        table.whole = whole or _written([part.remember() for part in self.parts])
        table.memories = {
            body.id: memories.get(body.id) or self._memory(body)
            for body in stage.actors.values()
            if remembers(body)
        }
        for name, spots in kind.actors:
            for body, spot in zip(self._bodies(name, len(spots)), spots, strict=True):
                if spot is not None:
                    self.places.move(body, *spot)
        for name, spots in kind.pickups:
            numbers = self._numbers(name)
            for spot in spots:
                self.pickups.place(name, next(numbers), {}, spot)
        stage.cause = before
        self._deliver(errors)
        errors.extend(stage.look())
        if errors:
            raise only(errors)

    def _numbers(self, word: str) -> Iterator[str]:
        """Yield the names made of a word and a number from 1 that are free."""
        number = 0
        while True:
            number += 1
            if self.stage.is_free(f"{word}{number}"):
                yield f"{word}{number}"

    def _bodies(self, kind: str, count: int) -> list[Body]:
        numbers = self._numbers(kind)
        return [self.stage.enter(kind, next(numbers)) for _ in range(count)]

    # how everybody was

    def _arrived(self, body: Body) -> None:
        if self.table.present and body.kind.player:
            self.table.memories[body.id] = self._memory(body)

    def _keepers(self) -> list[Keeper]:
        more = (keeper for part in self.parts for keeper in part.more_keepers())
        return [keeper for keeper in (*self.sections.values(), *more) if not keeper.stays]

    def _memory(self, body: Body) -> str:
        return _written(
            {keeper.section: keeper.write(body) for keeper in self._keepers() if _has(body, keeper)}
        )

    def _put_back(self, body: Body, memory: dict[str, Any]) -> None:
        """Make everything of an actor as it was, but for what the design lets it keep."""
        kept = self.kinds.restart_keeps
        self.stage.still, self.stage.keeping = True, kept
        try:
            for keeper in self._keepers():
                if _has(body, keeper) and (keeper.included_as or keeper.section) not in kept:
                    keeper.take_back(body, memory.get(keeper.section, {}), True)
        finally:
            self.stage.still = False
        for what in ("meter", "input"):
            self.stage.touched(what, body.id)
        try:
            for keeper in self._keepers():  # once all else is back: it gives what it gave on top of that
                if keeper.again is not None and keeper.section in kept and _has(body, keeper):
                    keeper.again(body, memory.get(keeper.section, {}))
        finally:
            self.stage.keeping = frozenset()

    def forget(self, body: Body) -> None:
        """Drop how somebody who goes was. What it has traded stands, also when the stage is played again."""
        self.table.memories.pop(body.id, None)
        stay = []
        for deal in self.table.deals:
            if body.id not in (deal.one, deal.other):
                stay.append(deal)
                continue
            partner, sign = (deal.other, 1) if deal.one == body.id else (deal.one, -1)
            if partner in self.table.memories:
                self._stands(partner, {good: sign * amount for good, amount in deal.given.items()})
        self.table.deals = stay

    def _stands(self, player: str, got: dict[str, int]) -> None:
        memory, known = _read(self.table.memories[player]), self.stage.kinds.known
        for good, amount in got.items():
            shelf = memory.setdefault("currencies" if good in known.currencies else "items", {})
            shelf[good] = max(shelf.get(good, 0) + amount, 0)
        self.table.memories[player] = _written(memory)

    def traded(self, one: Body, given: Mapping[str, int], other: Body, given_back: Mapping[str, int]) -> None:
        """Note a trade, for when one of the two leaves before the stage is played again."""
        if not self.table.present:
            return
        goods = {good: given.get(good, 0) - given_back.get(good, 0) for good in {**given, **given_back}}
        for deal in self.table.deals:
            if (deal.one, deal.other) == (one.id, other.id):
                for good, amount in goods.items():
                    deal.given[good] = deal.given.get(good, 0) + amount
                return
        self.table.deals.append(Deal(one.id, other.id, goods))


def remembers(body: Body) -> bool:
    """Return whether a body stays when its stage ends, and so goes back to how it was."""
    return body.kind.player or body.kind.keep


def _has(body: Body, keeper: Keeper) -> bool:
    return body.kind.player or not keeper.of_players


def _written(data: Any) -> str:
    import json  # only where stages are played

    return json.dumps(data, separators=(",", ":"))


def _read(text: str) -> Any:
    import json  # slow to import, and few need it

    return json.loads(text)
