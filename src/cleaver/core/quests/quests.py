"""Quests: states, goals that track, rewards that come once.

Owns each player's errands. Goals over events are tallies that run only while they count; goals of something
held follow the purse and the bag. Completing is one step: what is handed over leaves, the reward arrives, or
the quest stays ready. When a quest opens is `offers`' business. Start at `Quests.accept`.
"""

from __future__ import annotations

from functools import partial

from cleaver.core.goods.goods import Goods
from cleaver.core.goods.pickups import Pickups, within
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import BoundEffect, amount_of
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import QuestResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.kernel.tallies import Tallies
from cleaver.core.quests.errands import (
    ACTIVE,
    AVAILABLE,
    COMPLETED,
    FAILED,
    LOCKED,
    OVER,
    READY,
    Again,
    Draw,
    Errand,
    QuestTable,
    TimeLimit,
)
from cleaver.core.quests.goals import Goals
from cleaver.core.quests.offers import changed_by, told_by_time
from cleaver.core.quests.openings import Openings
from cleaver.core.quests.outliving import Outliving
from cleaver.core.quests.sets import Sets
from cleaver.core.quests.turning_in import TurnIns
from cleaver.errors import SnapshotError, UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.crossing import Crossing
    from cleaver.core.quests.kinds import GoalKind, QuestKind, QuestKinds
    from cleaver.literals import Blocked, QuestState

SPOKEN_OF: tuple[QuestState, ...] = (READY, AVAILABLE, ACTIVE, FAILED, COMPLETED, LOCKED)
"""States in the order in which a giver speaks of them: what the player can do with the giver stands first."""
_CLOSED: dict[str, Blocked] = {LOCKED: LOCKED, COMPLETED: COMPLETED, ACTIVE: ACTIVE, READY: ACTIVE}
"""Why a quest in such a state cannot be accepted."""


class Quests(Part):
    """The quests of one world's players."""

    stage: Stage
    kinds: QuestKinds
    effects: Effects
    goods: Goods
    tallies: Tallies
    pickups: Pickups
    table: QuestTable
    goals: Goals
    sets: Sets
    outliving: Outliving
    turn_ins: TurnIns
    openings: Openings
    judging: bool
    openers: dict[str, tuple[tuple[QuestKind, ...], bool]]
    restless: list[QuestKind]
    told: dict[str, dict[str, QuestState]]

    name = "quests"

    def __init__(
        self,
        stage: Stage,
        kinds: QuestKinds,
        effects: Effects,
        goods: Goods,
        tallies: Tallies,
        pickups: Pickups,
    ) -> None:
        self.stage, self.kinds, self.effects = stage, kinds, effects
        self.goods, self.tallies, self.pickups = goods, tallies, pickups
        self.table = QuestTable()
        self.goals, self.sets, self.outliving = Goals(self), Sets(self), Outliving(self)
        self.turn_ins, self.openings = TurnIns(self), Openings(self)
        self.told = {}
        """Quest states that come from another world, by player and quest. A replica shows them instead of its
        own, because it lacks some of what the quests need. They are not part of a snapshot."""
        self.others: list[tuple[Errand, QuestKind, list[GoalKind | None]]] = []
        """Errands on their way to another design: what their quest was, and which goal each goal was."""
        self.judging = (
            False  # whether needs are being looked at: they see every quest that has not begun as available
        )
        tallies.told["goal"] = self.goals.advanced
        tallies.told["fail"] = self.goals.fail_rule
        tallies.steps["goal"] = partial(stage.asks, "goal_advanced")
        stage.due["turn_in"] = self.turn_ins.turned_in
        stage.due["quest_limit"] = self._time_over
        stage.due["quest_again"] = self._again
        stage.due["quest_set"] = self.sets.draw
        stage.readable["quest"] = lambda body, name, part: self.state(body, name)
        stage.readable["goal"] = lambda body, name, part: self.goals.read_goal(body, name, part, 0)
        stage.readable["goal_count"] = lambda body, name, part: self.goals.read_goal(body, name, part, 1)
        stage.verbs["start_quest"] = (self._prepare_start, self._commit_start)
        stage.verbs["fail_quest"] = (self._prepare_fail, self._commit_fail)
        shared = any(currency.pooled for currency in goods.kinds.currencies.values())
        self.openers = changed_by(kinds, stage.kinds, shared)  # event: (quests it may open, for everyone?)
        restless = told_by_time(kinds, stage.kinds)
        self.restless = [quest for quest in kinds.quests.values() if quest.name in restless]
        self._placeless = [quest for quest in kinds.quests.values() if restless.get(quest.name) == "place"]
        if self.restless:
            stage.moved.append(self.openings.look_around)
            if len(self._placeless) < len(self.restless):
                stage.watches.append(self.openings.watch)
        pickups.removed.append(self.goals.removed)
        stage.endings.append(self.goals.nothing_left)
        for name, kind in kinds.quest_sets.items():
            draw = self.table.sets[name] = Draw(name)
            self.sets.draw_now(draw)
            if kind.every:
                stage.clock.arm(draw, stage.clock.later(kind.every))

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (
            Keeper("quests", self.outliving.kept, self.outliving.back, known=lambda kind: self.kinds.quests),
        )

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`: what is being turned in."""
        return (Keeper("turning in", self.outliving.turning_kept, self.outliving.turning_back),)

    def relink(self) -> None:
        """Put the caches back after unpacking."""
        for player, errands in self.table.errands.items():
            body = self.stage.actors[player]
            for name, errand in errands.items():
                errand.kind, errand.owner = self.kinds.quests[name], body
                if (len(errand.goals), len(errand.fails)) != (len(errand.kind.goals), len(errand.kind.fails)):
                    raise SnapshotError(f"quest {name} of {player} has other goals in the snapshot than here")
                for timer in (errand.turning, errand.limit, errand.again):
                    if timer is not None:
                        timer.owner = errand

    # under another design

    def fit(self, crossing: Crossing) -> None:
        """See `Part`."""
        self.outliving.fit(crossing)

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`."""
        self.outliving.go_across(crossing)

    def catch_up(self, crossing: Crossing) -> None:
        """Let goals be met that ask for no more than there is by now, and quests be offered that are open
        by now."""
        self.outliving.open_up(crossing)

    # reading

    def kind(self, name: str) -> QuestKind:
        """Return a quest of the design by its name."""
        found = self.kinds.quests.get(name)
        if found is None:
            raise UnknownNameError("quest", name, tuple(self.kinds.quests))
        return found

    def look(self, body: Body, name: str) -> Errand:
        """Return a player's errand of a quest to be read: a fresh one, kept nowhere, where there is none
        yet."""
        return self.table.errands.get(body.id, {}).get(name) or Errand(self.kind(name), body)

    def errand(self, body: Body, name: str) -> Errand:
        """Return a player's errand of a quest to be changed."""
        errands = self.table.errands.setdefault(body.id, {})
        found = errands.get(name)
        if found is None:
            found = errands[name] = Errand(self.kind(name), body)
        return found

    def state(self, body: Body, name: str) -> QuestState:
        """Return the state of a quest for a player now; looking changes nothing."""
        kind = self.kind(name)
        if self.told and (told := self.told.get(body.id, {}).get(name)):
            return told
        errand = self.table.errands.get(body.id, {}).get(name)
        if errand is not None and errand.state:
            return errand.state  # type: ignore[return-value]  # a record's state is typed as it is kept
        return AVAILABLE if self.judging or self.openings.offered(body, kind) else LOCKED

    # accept, abandon, fail

    def accept(self, body: Body, name: str, *, by_effect: bool = False) -> QuestResult:
        """Let a player begin a quest: from now on its goals count."""
        kind = self.kind(name)
        if not body.kind.player:
            return QuestResult("not_a_player")
        state = self.state(body, name)
        refused = _CLOSED.get(state, "")
        if state == LOCKED and self.openings.closed(kind) and (by_effect or self.openings.needed(body, kind)):
            refused = "closed"
        elif by_effect:
            refused = "" if state == LOCKED else refused
        elif not body.alive:
            refused = "dead"
        elif not refused and not self.near_giver(body, kind):
            refused = "out_of_reach"
        if refused:
            return QuestResult(refused, state)
        targets = [self.goals.target(body, goal) for goal in kind.goals]
        fails = [self.goals.fail_count(body, fail) for fail in kind.fails]
        errand = self.errand(body, name)
        self._disarm(errand)
        errand.state = ACTIVE
        errand.begin_anew()
        for kept, target in zip((*errand.goals, *errand.fails), (*targets, *fails), strict=True):
            kept.target = target
        if kind.time_limit:
            errand.limit = self.arm(errand, TimeLimit(), kind.time_limit)
        before, self.stage.cause = self.stage.cause, self.stage.emit("quest_started", body.id, "", (name,))
        self._go_on(errand)
        self.stage.cause = before
        return QuestResult("", self.state(body, name))

    def arm(self, errand: Errand, timer: Any, after: int) -> Any:
        """Arm a timer of an errand."""
        timer.owner = errand
        self.stage.clock.arm(timer, self.stage.clock.later(after))
        return timer

    def _disarm(self, errand: Errand) -> None:
        """Let none of an errand's timers be due any more."""
        for timer in (errand.turning, errand.limit, errand.again):
            if timer is not None:
                self.stage.clock.disarm(timer)
        errand.turning = errand.limit = errand.again = None

    def near_giver(self, body: Body, kind: QuestKind) -> bool:
        """Return whether a quest's giver is at hand; one that is no kind of actor is everywhere."""
        giver = self.stage.kinds.actors.get(kind.giver)
        if giver is None:
            return True
        there = [
            other for other in self.stage.actors.values() if other.kind_name == kind.giver and other.alive
        ]
        reach = giver.reach
        return any(
            reach is None or within(body, one, amount_of(reach, Scope(self.stage, one))) for one in there
        )

    def _go_on(self, errand: Errand) -> None:
        """Let an errand that has begun be as its goals say: count what is open, follow what is held, see what
        is met."""
        for index, kept in enumerate(errand.goals):
            if not kept.met and kept.target <= 0 and not errand.kind.goals[index].hold:
                kept.met = True
                self.goals.tell_met(errand, index)
        self.goals.sync(errand)
        if not self.judge(errand):
            self.goals.look_at_held(errand)

    def end(self, errand: Errand, state: str) -> None:
        """Let an errand leave active and ready: its tallies and timers end."""
        errand.state = state
        self._disarm(errand)
        self.goals.sync(errand)

    def abandon(self, body: Body, name: str) -> QuestResult:
        """Let a player give a quest up: it is available again, its progress 0."""
        state = self.state(body, name)
        if not body.alive:
            return QuestResult("dead", state)
        if state not in (ACTIVE, READY):
            return QuestResult(OVER.get(state, "not_active"), state)
        errand = self.errand(body, name)
        self.end(errand, "")
        errand.begin_anew()
        errand.told = self.openings.offered(body, errand.kind)  # its one event says so already
        self.stage.emit("quest_abandoned", body.id, "", (name,))
        return QuestResult("", self.state(body, name))

    def fail(self, body: Body, name: str, cause: int = -1) -> QuestResult:
        """Let a quest fail."""
        state = self.state(body, name)
        if state not in (ACTIVE, READY):
            return QuestResult(OVER.get(state, "not_active"), state)
        errand = self.errand(body, name)
        self.end(errand, FAILED)
        errand.ended_on = self.stage.clock.today()
        self.stage.emit("quest_failed", body.id, "", (name,), cause)
        self.plan_again(errand)
        return QuestResult("", FAILED)

    def _time_over(self, timer: TimeLimit) -> None:
        """The time to get ready is over: too late for one that is not."""
        errand: Errand = timer.owner
        errand.limit = None
        if errand.state == READY:
            errand.overdue = True
        elif errand.state == ACTIVE:
            self.fail(errand.owner, errand.kind.name)

    # goals

    def judge(self, errand: Errand) -> bool:
        """Let a quest be ready, or active again, as its goals say; returns whether it changed."""
        enough = self.goals.enough(errand)
        if errand.state == ACTIVE and enough:
            if errand.kind.finish == "auto":
                self.turn_ins.complete_by_itself(errand)
                return True
            errand.state = READY
            self.goals.sync(errand)
            self.stage.emit("quest_ready", errand.owner.id, "", (errand.kind.name,))
            return True
        if errand.state == READY and not enough:
            errand.state = ACTIVE
            if errand.turning is not None:
                self.stage.clock.disarm(errand.turning)
                errand.turning = None
            if errand.overdue:
                self.fail(errand.owner, errand.kind.name)
            else:
                self.goals.sync(errand)
            return True
        return False

    # completion

    def plan_again(self, errand: Errand) -> None:
        """Let a quest that is over come back in its time."""
        if errand.kind.repeat >= 0 and errand.state in (COMPLETED, FAILED):
            errand.again = self.arm(errand, Again(), errand.kind.repeat)

    def _again(self, timer: Again) -> None:
        errand: Errand = timer.owner
        errand.again = None
        if errand.state in (COMPLETED, FAILED):
            self.offer_again(errand)

    def offer_again(self, errand: Errand) -> None:
        """Let an errand that has ended be as if it had not begun."""
        self._disarm(errand)
        errand.state, errand.told, errand.ended_on = "", False, None
        errand.begin_anew()
        self.openings.tell_available(errand.owner, errand.kind)

    # what may change because of an event

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan what events mean to quests that have begun: goods held, things placed."""
        kinds = self.kinds
        found: list[tuple[str, Reaction]] = []
        if name in ("gained", "lost", "earned", "spent") and kinds.quests:
            found.append(("", self._goods_moved))
        if name == "team_changed" and any(
            currency.pooled for currency in self.goods.kinds.currencies.values()
        ):
            found.append(("", self._side_changed))
        if name == "placed" and any(
            goal.count == "all" for quest in kinds.quests.values() for goal in quest.goals
        ):
            found.append(("", self.goals.placed))
        return found

    def _goods_moved(self, event: Event) -> None:
        good = str(event.values[0])
        body = self.stage.actors.get(event.actor)
        for holder in () if body is None else self.goods.sharers(body, good):
            for errand in tuple(self.table.errands.get(holder.id, {}).values()):
                self.goals.look_at_held(errand, good)

    def _side_changed(self, event: Event) -> None:
        for errand in tuple(self.table.errands.get(event.actor, {}).values()):
            self.goals.look_at_held(errand)

    def arrived(self, body: Body) -> None:
        """Note which quests are open for a player from the beginning, go on with those it brings, and
        complete what is met by now."""
        self.sets.offer_by_day(body)
        for kind in self.kinds.quests.values():
            if (kind.needs or self.table.sets) and not self.look(body, kind.name).state:
                offered = self.openings.offered(body, kind)
                if offered or kind.name in self.table.errands.get(body.id, {}):
                    self.errand(body, kind.name).told = offered
        for errand in tuple(self.table.errands.get(body.id, {}).values()):
            if errand.state in (ACTIVE, READY):
                self.meet_at_once(errand)

    def latest_day(self, body: Body) -> int | None:
        """Return the latest day on which a quest of a player has ended."""
        days = [errand.ended_on for errand in self.table.errands.get(body.id, {}).values()]
        return max((day for day in days if day is not None), default=None)

    def look_again(self, body: Body) -> None:
        """Tell a player of the quests that are open now and were not before."""
        for kind in self.kinds.quests.values():
            if kind.needs or self.table.sets:
                self.openings.tell_available(body, kind)

    def meet_at_once(self, errand: Errand) -> None:
        """Let goals be met whose target came within reach while the player was away."""
        kind = errand.kind
        for index, goal in enumerate(kind.goals):
            kept = errand.goals[index]
            found = self.tallies.find(errand.owner.id, "goal", f"{kind.name}/{index}")
            if goal.tally is not None and not kept.met and found is not None and found[0].reached(found[1]):
                kept.met = True
                self.goals.sync(errand)
                kept.progress = kept.target
                self.goals.tell_met(errand, index)
        if not self.judge(errand):
            self.goals.look_at_held(errand)

    def forget(self, body: Body) -> None:
        """Drop what is kept of a player who goes, and what is due for it."""
        for errand in self.table.errands.pop(body.id, {}).values():
            self._disarm(errand)
            for user, count in (("goal", len(errand.goals)), ("fail", len(errand.fails))):
                for number in range(count):
                    self.tallies.stop(body.id, user, f"{errand.kind.name}/{number}")

    # effects

    def _prepare_start(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        if not body.kind.player:
            return None, "not_a_player"
        state = self.state(body, effect.operand)
        if state == LOCKED:
            return None, "closed" if self.openings.closed(self.kind(effect.operand)) else ""
        return None, _CLOSED.get(state, "")

    def _commit_start(self, scope: Scope, effect: BoundEffect, body: Body, prepared: Any) -> None:
        self.accept(body, effect.operand, by_effect=True)

    def _prepare_fail(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        if not body.kind.player:
            return None, "not_a_player"
        return None, "" if self.state(body, effect.operand) in (ACTIVE, READY) else "not_active"

    def _commit_fail(self, scope: Scope, effect: BoundEffect, body: Body, prepared: Any) -> None:
        self.fail(body, effect.operand)
