"""Shots: what actors have launched and is still in flight.

A shot keeps who launched it, with kind, team and inputs; what it does is worked out where it lands. Knows
nothing of places: the host moves what it draws and says what was met. Start at `Shots.launch`.
"""

from __future__ import annotations

from math import floor

from cleaver.core.kernel.body import Body, Party
from cleaver.core.kernel.clock import VANISHES, Timer
from cleaver.core.kernel.expressions import amount_of, met, span_of
from cleaver.core.kernel.part import Part
from cleaver.core.kernel.results import HitResult
from cleaver.core.kernel.scope import Given, Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record, each_under_its_name
from cleaver.core.vitals.blow import Blow
from cleaver.core.vitals.hits import Combat
from cleaver.errors import UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import ClassVar

    from cleaver.core.kernel.actor_kinds import AttackKind
    from cleaver.core.kernel.crossing import Crossing
    from cleaver.literals import Blocked


class ShotFlight(Timer):
    """One shot: due at the end of its flight. `source` launched it, for whom `credit` names where that is
    another; `left` is how many it may still hit, `struck` whom it has hit, with their arrivals."""

    __slots__ = ("attack", "credit", "ended", "id", "inputs", "kind", "launched", "left", "source", "struck")
    caches: ClassVar[tuple[str, ...]] = ("ended", "kind")
    rank: ClassVar[int] = VANISHES
    verb: ClassVar[str] = "flight"
    id: str
    attack: str
    source: Party
    credit: Party | None
    inputs: dict[str, float]
    struck: dict[str, int]
    left: int
    launched: int
    kind: AttackKind
    ended: str

    def __init__(self, id: str, kind: AttackKind, body: Body, inputs: dict[str, float], now: int) -> None:
        super().__init__()
        self.id, self.kind, self.attack, self.inputs = id, kind, kind.name, inputs
        self.source, self.credit = body.party(), body.lead
        self.struck, self.left, self.launched = {}, 1, now
        self.ended = ""

    def fresh(self) -> None:
        """See `Record.fresh`."""
        super().fresh()
        self.ended = ""  # how: "was dropped", for whoever still holds it

    @property
    def luck(self) -> str:
        """What the dice of its critical hits are named for, once whoever launched it has gone."""
        return f"crit/shot {self.id}@{self.launched}"


class ShotTable(Record):
    """The state of this part: what is in flight, and per attack how many ids were made up."""

    __slots__ = ("counts", "shots")
    shots: dict[str, ShotFlight]
    counts: dict[str, int]

    def __init__(self) -> None:
        self.shots, self.counts = {}, {}


class Shots(Part):
    """All shots in flight in one world."""

    stage: Stage
    combat: Combat
    table: ShotTable

    name = "shots"

    def __init__(self, stage: Stage, combat: Combat) -> None:
        self.stage, self.combat = stage, combat
        self.table = ShotTable()
        stage.due["flight"] = lambda shot: self.end(shot, "is at the end of its flight")
        stage.named_things.append(lambda: self.table.shots)
        stage.endings.append(self._all_end)

    def relink(self) -> None:
        """See `Part`."""
        each_under_its_name(self.table.shots, "id")
        for shot in self.table.shots.values():
            shot.kind = self.stage.kinds.actors[shot.source.kind].attacks[shot.attack]

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: a shot whose attack is not there any more is at its end."""
        for shot in list(self.table.shots.values()):
            if shot.attack not in crossing.new.actors[shot.source.kind].attacks:
                crossing.ended.append(f"shot {shot.id}")
                self.end(shot, "has ended: the design has no such attack any more")

    def shot(self, name: str) -> ShotFlight:
        """Return a shot by its id."""
        found = self.table.shots.get(name)
        if found is None:
            raise UnknownNameError("shot", name, tuple(self.table.shots))
        return found

    def launch(
        self, body: Body, attack: str, name: str, inputs: dict[str, float]
    ) -> tuple[ShotFlight | None, Blocked]:
        """Let an actor launch one of its attacks; returns the shot, or why there is none."""
        stage, kind = self.stage, self.combat.attack(body, attack)
        if name:
            stage.free(name)
        now, key = stage.clock.now, f"{attack}/"
        if not body.alive:
            return None, "dead"
        given = Given.over(stage.kinds.inputs, inputs)
        scope = Scope(stage, body, body, None, inputs=given)
        if not met(kind.needs, scope):
            return None, "locked"
        if body.cooldowns.get(key, 0) > now and "cooldown" not in kind.ignores:
            return None, "cooldown"
        bill = self.combat.costs.bill(body, kind.costs, scope, attack)
        if not self.combat.costs.affords(body, bill):
            return None, "too_poor"
        pause = self.combat.cooldown(kind, body, None, given)
        if pause:
            body.cooldowns[key] = stage.clock.later(pause, body, rest=True)
        name = name or stage.made_up(attack, self.table.counts)
        shot = self.table.shots[name] = ShotFlight(name, kind, body, inputs, now)
        shot.left = floor(amount_of(kind.pierces, scope)) + 1
        stage.clock.arm(shot, now + span_of(kind.flight, scope))
        self.combat.costs.pay(body, bill)
        stage.emit("launched", body.id, "", (attack, name))
        return shot, ""

    def hit(
        self, shot: ShotFlight, target: Body, zone: str, crit: bool | None, inputs: Callable[[], Given | None]
    ) -> HitResult:
        """Let a shot land on somebody: each once, and as many as it pierces and one more."""
        stage, kind = self.stage, shot.kind
        self.combat.check(target, zone, kind.type)
        if not shot.left or shot.struck.get(target.id) == target.came:
            return HitResult.refused("spent")
        name = stage.named(shot.source, shot.credit)
        blow = Blow(
            kind.amount,
            stage.party(name),
            attack=kind,
            zone=zone,
            type=kind.type,
            inputs=inputs(),
            crit=crit,
            posthumous=True,
            ignores=kind.ignores,
            source_id=name,
            team=shot.source.team,
            luck=shot.luck,
        )
        result = self.combat.hit(target, blow)
        if result or result.blocked == "deflected":  # what bounces off has landed
            shot.left -= 1
            shot.struck[target.id] = target.came
        return result

    def _all_end(self) -> None:
        for shot in list(self.table.shots.values()):
            self.end(shot, "has ended with its stage")

    def end(self, shot: ShotFlight, how: str) -> None:
        """Take a shot out of the world."""
        shot.ended = how
        self.stage.clock.disarm(shot)
        self.stage.dice.forget(shot.luck)
        del self.table.shots[shot.id]
