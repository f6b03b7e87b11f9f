"""Turning in: completing a quest in one step: what is handed over leaves, the reward arrives. Start at
`TurnIns.turn_in`.
"""

from __future__ import annotations

from cleaver.core.goods.goods import Goods
from cleaver.core.goods.ledgers import ITEM, MONEY, Ledger, Move
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.expressions import BoundEffect
from cleaver.core.kernel.results import QuestResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.quests.errands import ACTIVE, COMPLETED, OVER, READY, Errand, QuestTable, TurningIn

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Protocol

    from cleaver.core.quests.kinds import QuestKind
    from cleaver.literals import Blocked, QuestState

    class _Quests(Protocol):
        """What is asked of `Quests`."""

        effects: Effects
        goods: Goods
        stage: Stage
        table: QuestTable

        def end(self, errand: Errand, state: str) -> None: ...
        def arm(self, errand: Errand, timer: Any, after: int) -> Any: ...
        def errand(self, body: Body, name: str) -> Errand: ...
        def kind(self, name: str) -> QuestKind: ...
        def near_giver(self, body: Body, kind: QuestKind) -> bool: ...
        def plan_again(self, errand: Errand) -> None: ...
        def state(self, body: Body, name: str) -> QuestState: ...


class TurnIns:
    """How quests of one world are completed."""

    quests: _Quests

    def __init__(self, quests: _Quests) -> None:
        self.quests = quests

    def turn_in(self, body: Body, name: str) -> QuestResult:
        """Let a player turn a quest in: its reward comes, at once or after as long as that lasts."""
        kind, state = self.quests.kind(name), self.quests.state(body, name)
        refused: Blocked = ""
        if not body.alive:
            refused = "dead"
        elif state != READY:
            refused = "not_ready" if state == ACTIVE else OVER.get(state, "not_active")
        elif not self.quests.near_giver(body, kind):
            refused = "out_of_reach"
        if refused:
            return QuestResult(refused, state)
        errand = self.quests.errand(body, name)
        refused = "busy" if errand.turning is not None else self._fits(errand)
        if refused:
            return QuestResult(refused, state)
        if kind.turn_in_lasts:
            errand.turning = self.quests.arm(errand, TurningIn(), kind.turn_in_lasts)
            return QuestResult("", READY)
        return QuestResult(self._complete(errand), self.quests.state(body, name))

    def turned_in(self, timer: TurningIn) -> None:
        """Complete what was turned in: the time of handing it over has come."""
        errand: Errand = timer.owner
        errand.turning = None
        if errand.state == READY and errand.owner.alive:
            self._complete(errand)

    def _handed_over(self, errand: Errand) -> Ledger:
        """Return what leaves the player when a quest is completed."""
        body, kind = errand.owner, errand.kind
        ledger = Ledger()
        for goal, kept in zip(kind.goals, errand.goals, strict=True):
            if goal.hand_over and goal.hold and kept.met:
                what = MONEY if goal.hold in self.quests.goods.kinds.currencies else ITEM
                ledger.moves.append(Move(body, what, goal.hold, -int(kept.target), kind.name))
        return ledger

    def _rewards(self, errand: Errand) -> tuple[tuple[BoundEffect, ...], Scope]:
        body, kind = errand.owner, errand.kind
        effects = kind.reward
        for goal, kept in zip(kind.goals, errand.goals, strict=True):
            if goal.optional and kept.met:
                effects = effects + goal.reward
        return effects, Scope(
            self.quests.stage, body, None, body, place=f"quests.{kind.name}.reward", reason=kind.name
        )

    def _fits(self, errand: Errand) -> Blocked:
        """Return "full" where the reward as a whole would not fit, after what is handed over has left."""
        return (
            "full"
            if self.quests.effects.prepare(*self._rewards(errand), self._handed_over(errand)).refused
            else ""
        )

    def _complete(self, errand: Errand) -> Blocked:
        """Complete an errand, once: hand over, reward, or nothing at all; returns "full" where it does not
        fit."""
        draft = self.quests.effects.prepare(*self._rewards(errand), self._handed_over(errand))
        if draft.refused:
            return "full"
        before = self._completed(errand)
        self.quests.effects.commit(draft)
        self.quests.stage.cause = before
        self.quests.plan_again(errand)
        return ""

    def complete_by_itself(self, errand: Errand) -> None:
        """Complete an errand that is not turned in: what of its reward does not fit is owed."""
        effects, scope = self._rewards(errand)
        ledger = self._handed_over(errand)
        self.quests.goods.settle(ledger)
        before = self._completed(errand)
        self.quests.goods.move(ledger.moves)
        try:
            self.quests.effects.follow(effects, scope, owed=True)
        finally:
            self.quests.stage.cause = before
            self.quests.plan_again(errand)

    def _completed(self, errand: Errand) -> int:
        """Let an errand be completed, before its reward's own events, so that none of them can bring it
        again; returns what the cause was."""
        self.quests.end(errand, COMPLETED)
        errand.ended_on = self.quests.stage.clock.today()
        errand.completions += 1
        before, self.quests.stage.cause = (
            self.quests.stage.cause,
            self.quests.stage.emit("quest_completed", errand.owner.id, "", (errand.kind.name,)),
        )
        return before
