"""Levels: ranks reached by experience, on as many ladders as the design has.

Owns experience; what a level brings hangs on its `levelled` event. Start at `Levels.gain`.
"""

from __future__ import annotations

from functools import partial

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import MOST, BoundEffect, amount_of
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import ChangeResult
from cleaver.core.kernel.scope import Given, Scope
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.kernel.state import Record
from cleaver.core.vitals.meters import doer
from cleaver.errors import FormulaError, UnknownNameError
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.contests.kinds import ContestKinds, LevelKind
    from cleaver.core.kernel.crossing import Crossing
    from cleaver.literals import Blocked


class Standing(Record):
    """Where a player stands on a ladder: experience in all, its level, and the experience at which that level
    began."""

    __slots__ = ("began", "level", "total")
    total: int
    level: int
    began: int

    def __init__(self) -> None:
        self.total, self.level, self.began = 0, 1, 0


class LevelTable(Record):
    """The state of this part: standings by player, by ladder."""

    __slots__ = ("standings",)
    standings: dict[str, dict[str, Standing]]

    def __init__(self) -> None:
        self.standings = {}


class Levels(Part):
    """Experience and levels in one world."""

    stage: Stage
    kinds: ContestKinds
    effects: Effects
    table: LevelTable

    name = "levels"

    def __init__(self, stage: Stage, kinds: ContestKinds, effects: Effects) -> None:
        self.stage, self.kinds, self.effects = stage, kinds, effects
        stage.bears["levels"] = lambda body, name: self.standing(body, name).level - 1
        self.table = LevelTable()
        self._coming: set[tuple[str, str]] = set()
        """Who has reached a level, on which ladder, of which nobody has heard yet: the next one comes after
        it."""
        stage.readable["levels"] = self.read
        stage.verbs["xp"] = (self.prepare, self.commit)

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (
            Keeper(
                "levels", self.kept, self.back, again=self._once_more, known=lambda kind: self.kinds.levels
            ),
        )

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: ladders that are gone."""
        crossing.only(self.table.standings, self.kinds.levels)

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`: on a ladder with other steps everybody is at the level of their experience; one above
        that which they had is reached as any other (`arrived`)."""
        for standings in self.table.standings.values():
            for name in crossing.differing("levels", standings):
                self._find_level(standings[name], self.kind(name), standings[name].level)

    def _find_level(self, standing: Standing, kind: LevelKind, most: int = MOST) -> None:
        """Let a standing be at the level of its experience, but at none above *most*."""
        standing.level, standing.began = 1, 0
        while standing.level < most and (step := self.step(kind, standing.level)):
            if standing.total < standing.began + step:
                break
            standing.began, standing.level = standing.began + step, standing.level + 1

    def arrived(self, body: Body) -> None:
        """Let a player reach what came within its reach while it was away, or under another design."""
        for name in list(self.table.standings.get(body.id, ())):
            if (body.id, name) not in self._coming:
                self._reach(body, self.kind(name), "", self.stage.cause)

    def kind(self, name: str) -> LevelKind:
        """Return a ladder of the design by its name."""
        found = self.kinds.levels.get(name)
        if found is None:
            raise UnknownNameError("level ladder", name, tuple(self.kinds.levels))
        return found

    def standing(self, body: Body, name: str) -> Standing:
        """Return where a player stands, to be read: a fresh one, kept nowhere, where it has no experience
        yet."""
        return self.table.standings.get(body.id, {}).get(name) or Standing()

    def step(self, kind: LevelKind, level: int) -> int:
        """Return the experience from *level* to the next; 0 at the last."""
        if level >= kind.most:
            return 0
        if kind.steps:
            return kind.steps[level - 1]
        assert kind.experience is not None
        scope = Scope(self.stage, None, inputs=Given.over(self.stage.kinds.inputs, {"level": level}))
        needed = half_up(kind.experience.amount(scope))
        if needed < 1:
            raise FormulaError(
                kind.experience.formula.text,
                f"gives {needed} for level {level}; a level takes 1 or more",
                kind.experience.where,
            )
        return needed

    def left(self, body: Body, name: str) -> int:
        """Return the experience still needed for the next level; 0 at the last."""
        kind, standing = self.kind(name), self.standing(body, name)
        step = self.step(kind, standing.level)
        return standing.began + step - standing.total if step else 0

    def read(self, body: Body, name: str, part: str) -> int:
        """Return one part of a player's level on a ladder: level, xp or next."""
        if part == "next":
            return self.left(body, name)
        standing = self.table.standings.get(body.id, {}).get(name)
        if standing is None:
            return 0 if part == "xp" else 1
        return standing.total if part == "xp" else standing.level

    def gain(self, body: Body, name: str, amount: int, source: str = "") -> ChangeResult:
        """Add experience. One gain may pass several levels: each is reached once all that the one before it
        brought has been done. At the last level there is nothing more to gain."""
        kind = self.kind(name)
        if not body.kind.player:
            return ChangeResult("not_a_player")
        standing = self.standing(body, name)
        if standing.level >= kind.most:
            return ChangeResult("most", over=amount)
        gained = min(amount, MOST - standing.total)
        if gained == 0:
            return ChangeResult("most" if amount else "", over=amount)
        self._next(standing, kind, standing.total + gained)  # raises what its formula raises
        standing = self.table.standings.setdefault(body.id, {}).setdefault(name, standing)
        standing.total += gained
        seq = self.stage.emit("xp_gained", body.id, source, (name, gained, standing.total))
        self.stage.touched("levels", body.id)
        if not (self.stage.draining or self.stage.queue):
            self._coming.clear()
        if (body.id, name) not in self._coming:
            self._reach(body, kind, source, seq)
        return ChangeResult("", gained, amount - gained)

    def _next(self, standing: Standing, kind: LevelKind, total: int) -> int:
        """Return the experience at which the next level begins, if that much reaches it; else 0."""
        step = self.step(kind, standing.level)
        return standing.began + step if step and total >= standing.began + step else 0

    def _reach(self, body: Body, kind: LevelKind, source: str, cause: int) -> None:
        """Let a player be at the next level, if it has the experience."""
        standing = self.table.standings[body.id][kind.name]
        begins = self._next(standing, kind, standing.total)
        if begins:
            standing.began, standing.level = begins, standing.level + 1
            self._coming.add((body.id, kind.name))
            self.stage.emit("levelled", body.id, source, (kind.name, standing.level), cause)
            self.stage.touched("levels", body.id)

    def follow_on(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan what comes after everything that a level brought: the next one."""
        return [("", self._go_on)] if name == "levelled" else []

    def _go_on(self, event: Event) -> None:
        name, body = str(event.values[0]), self.stage.players.get(event.actor)
        self._coming.discard((event.actor, name))
        if body is not None and name in self.table.standings.get(body.id, {}):
            self._reach(body, self.kind(name), event.source, event.cause)

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan what a level brings."""
        if name != "levelled":
            return []
        return [
            (f"levels.{level.name}.do", partial(self._levelled, level))
            for level in self.kinds.levels.values()
            if level.do
        ]

    def _levelled(self, kind: LevelKind, event: Event) -> None:
        body = self.stage.actors.get(event.actor)
        if event.values[0] == kind.name and body is not None:
            self.effects.follow(kind.do, self._scope(body, kind, event.level, event), owed=True)

    def _scope(self, body: Body, kind: LevelKind, level: int, event: Event | None = None) -> Scope:
        event = event or Event(self.stage.kinds.events["levelled"], 0, 0, 0, body.id, "", (kind.name, level))
        inputs = Given.over(self.stage.kinds.inputs, {"level": level})
        place = f"levels.{kind.name}.do"
        return Scope(self.stage, body, None, body, event=event, place=place, reason=kind.name, inputs=inputs)

    def _once_more(self, body: Body, before: dict[str, Any]) -> None:
        """Do once more what levels bring that were reached since: a stage was played again, and they are
        kept."""
        for name, standing in self.table.standings.get(body.id, {}).items():
            then, kind = Standing(), self.kind(name)
            then.total = before.get(name, {}).get("xp", 0)
            self._find_level(then, kind)
            for level in range(then.level + 1, standing.level + 1):
                self.effects.once_more(kind.do, self._scope(body, kind, level))

    # effects

    def prepare(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        amount = half_up(amount_of(effect.beside["amount"], scope))
        if not body.kind.player:
            return amount, "not_a_player"
        if self.standing(body, effect.operand).level >= self.kind(effect.operand).most:
            return amount, "most"
        return amount, "" if amount else "no_change"

    def commit(self, scope: Scope, effect: BoundEffect, body: Body, amount: Any) -> None:
        """See `effects`."""
        self.gain(body, effect.operand, amount, doer(scope, body))

    # what outlives the session

    def kept(self, body: Body) -> dict[str, Any]:
        """Return a player's experience by ladder, to be saved."""
        return {
            name: {"xp": standing.total, "level": standing.level}
            for name, standing in self.table.standings.get(body.id, {}).items()
        }

    def back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player have the experience that was saved, without what its levels bring; returns those
        ladders that are unknown."""
        self.forget(body)
        for name in [name for name in data if name in self.kinds.levels]:
            standing, kind = Standing(), self.kind(name)
            saved = data.pop(name)
            standing.total = saved["xp"]
            self._find_level(standing, kind, saved.get("level", MOST))
            if standing.total:
                self.table.standings.setdefault(body.id, {})[name] = standing
        return data

    def forget(self, body: Body) -> None:
        """Drop what is kept of a player who goes."""
        self.table.standings.pop(body.id, None)
        self._coming = {key for key in self._coming if key[0] != body.id}
