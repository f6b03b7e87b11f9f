"""Turns: whose turn it is, who comes next, and what is due where a turn or a round begins or ends.

What counts in turns stands with whoever bears it (`kernel.spans`); here its clock is moved on. Start at
`Turns.next`.
"""

from __future__ import annotations

from cleaver.core.clocks.coming import come_due
from cleaver.core.goods.pickups import Pickups
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.clock import ROUNDS
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import Expression
from cleaver.core.kernel.part import Part
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.spans import FAR
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.kernel.state import Record
from cleaver.core.vitals.life import Life
from cleaver.errors import CleaverError, SnapshotError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


class TurnTable(Record):
    """The state of this part: whose turns are on, the latest last; who is still to come in this round; and
    the round's number, 0 where none is on."""

    __slots__ = ("on", "order", "round")
    on: list[str]
    order: list[str]
    round: int

    def __init__(self) -> None:
        self.on, self.order, self.round = [], [], 0


class Turns(Part):
    """The turns of one world. What moves them returns what listeners and reactions raised, besides."""

    stage: Stage
    life: Life
    pickups: Pickups
    speed: Expression | None
    table: TurnTable

    name = "turns"

    def __init__(self, stage: Stage, life: Life, pickups: Pickups, speed: Expression | None) -> None:
        self.stage, self.life, self.pickups, self.speed = stage, life, pickups, speed
        self.table = TurnTable()
        stage.readable["turns"] = lambda body, name, part: (body.turns + 1) // 2
        stage.readable["turn"] = lambda body, name, part: self.table.round

    def relink(self) -> None:
        """See `Part`."""
        for name in (*self.table.on, *self.table.order):
            if name not in self.stage.actors:
                raise SnapshotError(f"it is the turn of {name}, who is not there")
        for body in self.stage.actors.values():
            if body.turns < 0 or bool(body.turns & 1) != (body.id in self.table.on):
                raise SnapshotError(f"the turns of {body.id} are as none can be")

    def remember(self) -> Any:
        """See `Part`: how many turns everybody has had."""
        return {body.id: body.turns // 2 for body in self.stage.actors.values()}

    def put_back(self, data: Any) -> None:
        """See `Part`; no turn is on where a stage is played again."""
        for body in self.stage.actors.values():
            body.turns = 2 * data.get(body.id, 0)
            self.stage.touched("turns", body.id)

    def forget(self, body: Body) -> None:
        """Let the turn of who goes be over, and none of it come."""
        if body.id in self.table.on:
            self._over(body, "left")
        if body.id in self.table.order:
            self.table.order.remove(body.id)

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan the end of the turn of who dies in it, where nothing has revived it."""
        return [("", self._died)] if name == "died" else []

    def _died(self, event: Event) -> None:
        body = self.stage.actors.get(event.actor)
        if body is None or body.alive:
            return
        if body.id in self.table.on:
            self._over(body, "died")
        if body.id in self.table.order:
            self.table.order.remove(body.id)

    # one turn

    def takes(self, body: Body) -> None:
        """Raise where an actor takes no turns."""
        if not body.kind.turns:
            raise UsageError(
                f"{body.id} takes no turns; say so in the design: [actors.{body.kind_name}] turns = true"
            )

    def begin(self, body: Body) -> list[Exception]:
        """Begin a turn: cooldowns that are over, pulses, then `turn_began`, unless one of them has ended
        it."""
        stage, table = self.stage, self.table
        body.turns += 1
        table.on.append(body.id)
        errors = self._come(body)
        if body.id in table.on:
            stage.emit("turn_began", body.id, "", (table.round, (body.turns + 1) // 2))
            self._deliver(errors)
        return errors

    def end(self, body: Body, why: str) -> list[Exception]:
        """End a turn that is on: statuses that are over, then `turn_ended`."""
        self.table.on.remove(body.id)
        body.turns += 1
        errors = self._come(body)
        self.stage.emit("turn_ended", body.id, "", (why,))
        self._deliver(errors)
        return errors

    def end_all(self) -> list[Exception]:
        """End every turn that is on."""
        return [error for name in tuple(self.table.on) for error in self._end_of(name)]

    def _end_of(self, name: str) -> list[Exception]:
        """End the turn of somebody, unless what came before has."""
        return self.end(self.stage.actors[name], "over") if name in self.table.on else []

    def _over(self, body: Body, why: str) -> None:
        """End the turn of who has died or goes: nothing that it bears has an end any more."""
        self.table.on.remove(body.id)
        body.turns += 1
        self.stage.emit("turn_ended", body.id, "", (why,))

    def _come(self, body: Body) -> list[Exception]:
        """Let happen what its own turns have come to."""
        self.stage.touched("turns", body.id)
        self.life.clocks_came(body)
        return come_due(self.stage, body.came)

    def _deliver(self, errors: list[Exception]) -> None:
        if self.stage.queue:
            errors.extend(self.stage.deliver())

    # one after the other

    def next(self) -> tuple[Body | None, list[Exception]]:
        """End the turn that is on and begin the next one's, in a new round after the last; returns whose it
        is, None where nobody could take one."""
        self.try_out()
        table, errors, rounds = self.table, self.end_all(), 0
        while table.order or not rounds:
            if not table.order:
                rounds += 1
                self._new_round(errors)
                continue
            body = self.stage.actors[table.order.pop(0)]
            errors += self.begin(body)
            if body.id in table.on:
                return body, errors
        return None, errors

    def extra(self, body: Body) -> tuple[bool, list[Exception]]:
        """Put in a turn of somebody, who keeps its own; returns whether it could take it."""
        self.try_out()
        errors = self.end_all()
        if not self.table.round:
            self._new_round(errors)
        if body.here and body.alive:
            errors += self.begin(body)
        return body.id in self.table.on, errors

    def end_turns(self) -> list[Exception]:
        """End the turn that is on, and the round; the next one is round 1 again."""
        errors = self.end_all()
        self.table.order, self.table.round = [], 0
        self.stage.touched("turn", "")
        return errors

    def _new_round(self, errors: list[Exception]) -> None:
        """Begin a round, where somebody is there to take a turn in it, or comes back with it."""
        stage, table = self.stage, self.table
        bodies = [body for body in stage.actors.values() if body.kind.turns]
        if not any(body.alive or (body.comeback and body.comeback.due >= FAR) for body in bodies):
            return
        table.round += 1
        stage.clock.rounds += 1
        stage.touched("turn", "")
        for body in stage.actors.values():
            self.life.clocks_came(body)
        self.pickups.clocks_came()
        errors += come_due(stage, ROUNDS)
        began = stage.emit("turn_round_began", "", "", (table.round,))
        table.order = self._in_order(errors)
        self._deliver(errors)
        if stage.seq != began:
            table.order = self._in_order(errors)  # as what followed has left it

    def try_out(self) -> None:
        """Raise what the formula of the order would raise where a round begins next, before anything has
        changed."""
        errors: list[Exception] = []
        if not self.table.order:
            self._in_order(errors)
        if errors:
            raise errors[0]

    def _in_order(self, errors: list[Exception]) -> list[str]:
        """Return who takes a turn in a round, the fastest first, then who came first; who has no speed has
        0."""
        speeds = {}
        bodies = [body for body in self.stage.actors.values() if body.kind.turns and body.alive]
        for body in bodies:
            try:
                speed = 0 if self.speed is None else float(self.speed.number(Scope(self.stage, body)))
            except CleaverError as error:
                errors.append(error)
                speed = 0
            speeds[body.id] = speed
        return [body.id for body in sorted(bodies, key=lambda body: (-speeds[body.id], body.came))]
