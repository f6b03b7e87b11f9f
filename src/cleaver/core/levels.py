"""Levels: ranks reached by experience, on as many ladders as the design has.

Owns experience; what a level brings hangs on its `levelled` fact. Start at
`Levels.gain`.
"""

from __future__ import annotations

from functools import partial

from cleaver.core.body import Body
from cleaver.core.effects import Effects
from cleaver.core.events import Fact
from cleaver.core.kinds import MOST, Effect, LevelKind, Scope, amount_of
from cleaver.core.record import Record
from cleaver.core.results import ChangeResult
from cleaver.core.stage import Reaction, Stage
from cleaver.core.vitals import doer
from cleaver.errors import FormulaError, UnknownNameError
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


class Standing(Record):
    """Where a player stands on a ladder: experience in all, its level, and the experience at which that level began."""

    __slots__ = ("began", "level", "total")
    total: int
    level: int
    began: int

    def __init__(self) -> None:
        self.total, self.level, self.began = 0, 1, 0


class LevelTable(Record):
    """The state of this room: standings by player, by ladder."""

    __slots__ = ("standings",)
    standings: dict[str, dict[str, Standing]]

    def __init__(self) -> None:
        self.standings = {}


class Levels:
    """Experience and levels in one world."""

    def __init__(self, stage: Stage, effects: Effects) -> None:
        self.stage, self.effects = stage, effects
        self.table = LevelTable()
        stage.readable["levels"] = self._read
        stage.verbs["xp"] = (self.prepare, self.commit)

    def kind(self, name: str) -> LevelKind:
        """Return a ladder of the design by its name."""
        found = self.stage.kinds.levels.get(name)
        if found is None:
            raise UnknownNameError("level ladder", name, tuple(self.stage.kinds.levels))
        return found

    def standing(self, body: Body, name: str) -> Standing:
        """Return where a player stands."""
        return self.table.standings.setdefault(body.id, {}).setdefault(name, Standing())

    def step(self, kind: LevelKind, level: int) -> int:
        """Return the experience from *level* to the next; 0 at the last."""
        if level >= kind.most:
            return 0
        if kind.steps:
            return kind.steps[level - 1]
        assert kind.experience is not None
        scope = Scope(self.stage, None, inputs={**self.stage.kinds.inputs, "level": level})
        needed = half_up(kind.experience.amount(scope))
        if needed < 1:
            raise FormulaError(kind.experience.formula.text, f"gives {needed} for level {level}; a level takes 1 or more", kind.experience.where)
        return needed

    def left(self, body: Body, name: str) -> int:
        """Return the experience still needed for the next level; 0 at the last."""
        kind, standing = self.kind(name), self.standing(body, name)
        step = self.step(kind, standing.level)
        return standing.began + step - standing.total if step else 0

    def _read(self, body: Body, name: str, part: str) -> int:
        if part == "next":
            return self.left(body, name)
        standing = self.table.standings.get(body.id, {}).get(name)
        if standing is None:
            return 0 if part == "xp" else 1
        return standing.total if part == "xp" else standing.level

    def gain(self, body: Body, name: str, amount: int, source: str = "") -> ChangeResult:
        """Add experience; one gain may pass several levels, each told in order. Nothing more comes of it at the last."""
        kind = self.kind(name)
        if not body._kind.player:
            return ChangeResult("not_a_player")
        standing = self.standing(body, name)
        if standing.level >= kind.most:
            return ChangeResult("most")
        if amount == 0:
            return ChangeResult()
        total, level, began = min(standing.total + amount, MOST), standing.level, standing.began
        reached = []
        while (step := self.step(kind, level)) and total >= began + step:
            began, level = began + step, level + 1
            reached.append(level)
        gained = total - standing.total
        standing.total, standing.level, standing.began = total, level, began
        seq = self.stage.emit("xp_gained", body.id, source, (name, gained, total))
        for one in reached:
            self.stage.emit("levelled", body.id, source, (name, one), seq)
        return ChangeResult("", gained)

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan what a level brings."""
        if name != "levelled":
            return []
        return [(f"levels.{level.name}.do", partial(self._levelled, level)) for level in self.stage.kinds.levels.values() if level.do]

    def _levelled(self, kind: LevelKind, fact: Fact) -> None:
        body = self.stage.actors.get(fact.actor)
        if fact.values[0] == kind.name and body is not None:
            scope = Scope(self.stage, body, None, body, fact=fact, place=f"levels.{kind.name}.do", reason=kind.name,
                          inputs={**self.stage.kinds.inputs, "level": fact.level})
            self.effects.perform(kind.do, scope)

    # effects

    def prepare(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, str]:
        """See `effects`."""
        amount = half_up(amount_of(effect.beside["amount"], scope))
        if not body._kind.player:
            return amount, "not_a_player"
        return amount, "most" if self.standing(body, effect.operand).level >= self.kind(effect.operand).most else "" if amount else "no_change"

    def commit(self, scope: Scope, effect: Effect, body: Body, amount: Any) -> None:
        """See `effects`."""
        self.gain(body, effect.operand, amount, doer(scope, body))

    # what outlives the session

    def kept(self, body: Body) -> dict[str, Any]:
        """Return a player's experience by ladder, to be saved."""
        return {name: standing.total for name, standing in self.table.standings.get(body.id, {}).items()}

    def back(self, body: Body, data: dict[str, Any]) -> dict[str, Any]:
        """Give a player the experience that was saved, without the effects of its levels; returns ladders that are unknown."""
        self.table.standings.pop(body.id, None)
        for name in [name for name in data if name in self.stage.kinds.levels]:
            standing, kind = self.standing(body, name), self.kind(name)
            standing.total = data.pop(name)
            while (step := self.step(kind, standing.level)) and standing.total >= standing.began + step:
                standing.began, standing.level = standing.began + step, standing.level + 1
        return data

    def forget(self, player: str) -> None:
        """Drop what is kept of a player who has left."""
        self.table.standings.pop(player, None)
