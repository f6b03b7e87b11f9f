"""Death: how an actor dies, what it leads to by itself, lives, and the return. Start at `Death.die`."""

from __future__ import annotations

from cleaver.core.kernel.body import Body, Comeback, Corpse, Meter
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import MOST, BoundEffect, amount_of, span_of
from cleaver.core.kernel.results import ChangeResult, Result
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.rounding import rounded, snapped

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Protocol

    from cleaver.core.kernel.crossing import Crossing
    from cleaver.literals import Blocked

    class _Vitals(Protocol):
        """What is asked of `Vitals`."""

        before_death: list[Any]
        stage: Stage

        def become(self, meter: Meter, top: float, value: float, told: bool) -> None: ...
        def start_of(self, meter: Meter) -> float: ...
        def anchor(self, meter: Meter, real: float, base: float, *, lower: bool = False) -> None: ...
        def marks_above(self, meter: Meter, value: float) -> int: ...
        def real(self, meter: Meter) -> float: ...
        def value(self, meter: Meter) -> float: ...


class Death:
    """Death and return in one world."""

    vitals: _Vitals

    def __init__(self, vitals: _Vitals) -> None:
        self.vitals = vitals

    def die(
        self, body: Body, source: str, cause: int, attack: str = "", type: str = "", overkill: float = 0
    ) -> None:
        """Let a body die, once. What follows (`on_death`, statuses, lives, return) hangs on the event."""
        self.lie_still(body)
        self.vitals.stage.emit("died", body.id, source, (attack, type, overkill), cause)

    def lie_still(self, body: Body) -> None:
        """Let a body be dead: nothing of it flows."""
        body.alive = False
        for meter in body.meters.values():
            real, value = self.vitals.real(meter), self.vitals.value(meter)
            meter.course, meter.steps, meter.due = (), None, -1
            meter.value, meter.base, meter.since = real, value, self.vitals.stage.clock.now

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan what a death leads to by itself, before `on_death`: statuses and cooldowns end, a life is
        taken."""
        return [("", self._buried)] if name == "died" else []

    def follow_return(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan the return of the dead, after `on_death`, which may have revived them already."""
        return [("", self._await)] if name == "died" else []

    def _buried(self, event: Event) -> None:
        body = self.vitals.stage.actors.get(event.actor)
        if body is None or body.alive:
            return
        body.cooldowns.clear()
        for clear in self.vitals.before_death:
            clear(body, event.seq)
        if body.kind.lives:
            body.lives = max(body.lives - 1, 0)
            seq = self.vitals.stage.emit("life_lost", body.id, "", (body.lives,))
            if body.lives <= 0:
                self.vitals.stage.emit("out_of_lives", body.id, "", (0,), seq)

    def _await(self, event: Event) -> None:
        body = self.vitals.stage.actors.get(event.actor)
        if body is None or body.alive:
            return
        if body.kind.vanish_after >= 0 and body.corpse is None:
            body.corpse = Corpse()
            body.corpse.owner = body
            self.vitals.stage.clock.arm(body.corpse, self.vitals.stage.clock.now + body.kind.vanish_after)
        if body.comeback is None:
            self.await_return(body, event)

    def vanish(self, timer: Corpse) -> None:
        """Let what is left of somebody go: its time is over."""
        self.vitals.stage.depart(timer.owner)

    def await_return(self, body: Body, event: Event | None = None) -> None:
        """Let a dead body wait for its return, where its kind returns and a life is left; *event* tells of
        its death, where it died here."""
        kind = body.kind
        if body.alive or kind.respawn is None or (kind.lives and body.lives <= 0):
            return
        source = self.vitals.stage.party(event.source) if event is not None else None
        scope = Scope(self.vitals.stage, body, source, body, event=event or self._no_death(body))
        span = span_of(kind.respawn[0], scope, least=0)
        self.come_back_after(body, span)

    def come_back_after(self, body: Body, span: int) -> None:
        """Let somebody dead return after a span."""
        if body.comeback is not None:
            self.vitals.stage.clock.disarm(body.comeback)
        body.comeback = Comeback()
        body.comeback.owner = body
        self.vitals.stage.clock.arm(body.comeback, self.vitals.stage.clock.later(span, body))

    def _no_death(self, body: Body) -> Event:
        """Return the death of somebody who died in an earlier session, of which nothing more is known."""
        return Event(self.vitals.stage.kinds.events["died"], 0, 0, 0, body.id, "", ("", "", 0))

    def come_back(self, timer: Comeback) -> None:
        """Return a dead body to life, at its spawn label, with its grace."""
        body = timer.owner
        body.comeback = None
        if not body.alive:
            _, fraction, grace = body.kind.respawn or (0, 1.0, 0)
            self.reborn(body, fraction, grace)

    def place_of(self, body: Body) -> str:
        """Return the label where a body returns: its team's, else its kind's own."""
        return (
            self.vitals.stage.kinds.teams[body.team][0] if body.team in self.vitals.stage.kinds.teams else ""
        ) or body.kind.spawn

    def wait_no_more(self, body: Body) -> None:
        """Let what waits for somebody dead, its return or its end, not come."""
        for timer in (body.comeback, body.corpse):
            if timer is not None:
                self.vitals.stage.clock.disarm(timer)
        body.comeback = body.corpse = None

    def reborn(self, body: Body, fraction: float, grace: int) -> None:
        """Bring a dead body to life with a fraction of what each meter starts with; raises no marks or
        bounds."""
        body.alive = True
        body.hurt_at, body.hurt_on = -1, None
        body.grace = self.vitals.stage.clock.later(grace, body)
        self.wait_no_more(body)
        for name, meter in body.meters.items():
            kind = meter.kind
            value = self.vitals.start_of(meter) * fraction
            if kind.whole:
                value = rounded(value, kind.mode)
            if name == body.kind.vital and value <= 0:
                value = 1 if kind.whole else meter.max * 0.01  # alive is alive
            meter.steps = None
            value = snapped(value, meter.max)
            meter.above = self.vitals.marks_above(meter, value)
            self.vitals.anchor(meter, value, value)
        self.vitals.stage.emit("respawned", body.id, "", (self.place_of(body),))
        self.vitals.stage.touched("meter", body.id)

    def revive(self, body: Body, fraction: float) -> Result:
        """Bring a dead body back at once, without grace; takes no life."""
        if body.alive:
            return Result("alive")
        if body.kind.lives and body.lives <= 0:
            self.set_lives(body, 1)
        self.reborn(body, fraction, 0)
        return Result()

    def set_lives(self, body: Body, count: int) -> None:
        """Let somebody have so many lives, and tell it."""
        before, body.lives = body.lives, count
        self.vitals.stage.emit("adjusted", body.id, "", ("lives", "value", before, count))

    def add_lives(self, body: Body, count: int) -> ChangeResult:
        """Add lives, up to the most; none where they are not counted."""
        kind = body.kind
        most = kind.lives_most or MOST
        if not kind.lives or (count and body.lives >= most):
            return ChangeResult("most")
        added = min(count, most - body.lives)
        if added:
            self.set_lives(body, body.lives + added)
        return ChangeResult("", added, count - added)

    def prepare_lives(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        amount = rounded(amount_of(effect.operand, scope), "half_up")
        full = not body.kind.lives or body.lives >= (body.kind.lives_most or MOST)
        if full:
            return amount, "most"
        return amount, "" if amount else "no_change"

    def commit_lives(self, scope: Scope, effect: BoundEffect, body: Body, amount: Any) -> None:
        """See `effects`."""
        self.add_lives(body, amount)

    def prepare_revive(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        fraction = float(effect.operand)
        if body.alive:
            return fraction, "alive"
        return fraction, "no_change" if body.kind.lives and body.lives <= 0 else ""

    def commit_revive(self, scope: Scope, effect: BoundEffect, body: Body, fraction: Any) -> None:
        """See `effects`."""
        if not body.kind.lives or body.lives > 0:  # only the host brings back who is out of lives
            self.revive(body, fraction)

    def bury(self, crossing: Crossing) -> None:
        """Let those die whose vital meter is another one now, in which nothing is left; the dead have
        nothing in it."""
        for body in list(self.vitals.stage.actors.values()):
            vital = body.meters.get(body.kind.vital)
            if not crossing.touches(body) or vital is None:
                continue
            if body.alive and self.vitals.value(vital) <= 0:
                self.die(body, "", 0)
            elif not body.alive and self.vitals.value(vital) > 0:  # one that was put aside has come back
                self.vitals.become(vital, vital.max, 0, True)
