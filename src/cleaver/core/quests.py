"""Quests: states, goals that track, rewards that come once.

Owns each player's errands. Goals over events are tallies that run only while
they count; goals of something held follow the purse and the bag. Completing is
one step: what is handed over leaves, the reward arrives, or the quest stays
ready. Start at `Quests.accept`.
"""

from __future__ import annotations

from functools import partial

from cleaver.core.body import Body
from cleaver.core.clock import LIMITS, RETURNS, WAITS, Timer
from cleaver.core.effects import Effects
from cleaver.core.events import Fact
from cleaver.core.goods import ITEM, MONEY, Ledger, Move
from cleaver.core.kinds import Effect, GoalKind, QuestKind, Scope, amount_of
from cleaver.core.pickups import Pickups, within
from cleaver.core.record import Record
from cleaver.core.results import QuestResult
from cleaver.core.stage import Reaction, Stage
from cleaver.core.tally import Bucket, Member, Tallies
from cleaver.errors import UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, ClassVar

LOCKED, AVAILABLE, ACTIVE, READY, COMPLETED, FAILED = "locked", "available", "active", "ready", "completed", "failed"
STATES = (LOCKED, AVAILABLE, ACTIVE, READY, COMPLETED, FAILED)
ENDLESS = float(2**62)  # the target of a goal for all of what is not there yet
_MAY_UNLOCK = frozenset({
    "achieved", "damaged", "earned", "exchanged", "gained", "healed", "levelled", "lost", "quest_abandoned", "quest_completed", "quest_failed", "rated",
    "scored", "spent", "status_began", "status_ended", "tagged", "team_changed", "untagged", "xp_gained"})


class TurningIn(Timer):
    """A turning in that lasts: due when the reward comes."""

    __slots__ = ()
    rank: ClassVar[int] = WAITS
    verb: ClassVar[str] = "turn_in"


class TimeLimit(Timer):
    """The end of a quest's time."""

    __slots__ = ()
    rank: ClassVar[int] = LIMITS
    verb: ClassVar[str] = "quest_limit"


class Again(Timer):
    """A quest that becomes available again."""

    __slots__ = ()
    rank: ClassVar[int] = RETURNS
    verb: ClassVar[str] = "quest_again"


class Progress(Record):
    """One goal of one errand: how far it is while it is not being tallied, its target, whether it is met."""

    __slots__ = ("met", "progress", "seen", "target")
    progress: float
    target: float
    met: bool
    seen: dict[str, int]

    def __init__(self) -> None:
        self.progress, self.target, self.met, self.seen = 0, 0, False, {}


class Errand(Record):
    """One quest of one player. `state` is "" until it is accepted: locked or available, as its needs say now."""

    __slots__ = ("_kind", "_owner", "again", "completions", "goals", "limit", "state", "told", "turning")
    state: str
    goals: list[Progress]
    completions: int
    told: bool
    turning: TurningIn | None
    limit: TimeLimit | None
    again: Again | None
    _kind: QuestKind
    _owner: Body

    def __init__(self, kind: QuestKind, owner: Body) -> None:
        self._kind, self._owner = kind, owner
        self.state, self.completions, self.told = "", 0, False
        self.goals = [Progress() for _ in kind.goals]
        self.turning, self.limit, self.again = None, None, None


class Draw(Timer):
    """A set of quests of which some are offered: due when it is drawn anew."""

    __slots__ = ("drawn", "name", "times")
    rank: ClassVar[int] = RETURNS
    verb: ClassVar[str] = "quest_set"
    name: str
    drawn: list[str]
    times: int

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name, self.drawn, self.times = name, [], 0


class QuestTable(Record):
    """The state of this room: errands by player and quest, and the sets."""

    __slots__ = ("errands", "sets")
    errands: dict[str, dict[str, Errand]]
    sets: dict[str, Draw]

    def __init__(self) -> None:
        self.errands, self.sets = {}, {}


class Quests:
    """The quests of one world's players."""

    def __init__(self, stage: Stage, effects: Effects, tallies: Tallies, pickups: Pickups) -> None:
        self.stage, self.effects, self.tallies, self.pickups = stage, effects, tallies, pickups
        self.goods = effects.goods
        self.table = QuestTable()
        tallies.told["goal"] = self._advanced
        tallies.told["fail"] = self._fail_rule
        tallies.steps["goal"] = partial(stage.asks, "goal_advanced")
        stage.due["turn_in"] = self._turned_in
        stage.due["quest_limit"] = self._time_over
        stage.due["quest_again"] = self._again
        stage.due["quest_set"] = self._draw
        stage.readable["quest"] = lambda body, name, part: self.state(body, name)
        stage.readable["goal"] = self._read_goal
        stage.verbs["start_quest"] = (self._prepare_start, self._commit_start)
        stage.verbs["fail_quest"] = (self._prepare_fail, self._commit_fail)
        stage.departures.append(self._leave)
        for name, kind in stage.kinds.quest_sets.items():
            draw = self.table.sets[name] = Draw(name)
            self._draw_now(draw)
            if kind.every:
                stage.clock.arm(draw, kind.every)

    def relink(self) -> None:
        """Put the caches back after unpacking."""
        for player, errands in self.table.errands.items():
            body = self.stage.actors.get(player)
            for name, errand in errands.items():
                errand._kind = self.stage.kinds.quests[name]
                if body is not None:
                    errand._owner = body
                for timer in (errand.turning, errand.limit, errand.again):
                    if timer is not None:
                        timer._owner = errand

    # reading

    def kind(self, name: str) -> QuestKind:
        """Return a quest of the design by its name."""
        found = self.stage.kinds.quests.get(name)
        if found is None:
            raise UnknownNameError("quest", name, tuple(self.stage.kinds.quests))
        return found

    def errand(self, body: Body, name: str) -> Errand:
        """Return a player's errand of a quest."""
        errands = self.table.errands.setdefault(body.id, {})
        found = errands.get(name)
        if found is None:
            found = errands[name] = Errand(self.kind(name), body)
        return found

    def state(self, body: Body, name: str) -> str:
        """Return the state of a quest for a player now; looking changes nothing."""
        kind = self.kind(name)
        errand = self.table.errands.get(body.id, {}).get(name)
        if errand is not None and errand.state:
            return errand.state
        return AVAILABLE if self._open(body, kind) else LOCKED

    def _open(self, body: Body, kind: QuestKind) -> bool:
        for name, draw in self.table.sets.items():
            if kind.name in self.stage.kinds.quest_sets[name].quests and kind.name not in draw.drawn:
                return False
        if not kind.needs:
            return True
        scope = Scope(self.stage, body)
        return all(need.holds(scope) for need in kind.needs)

    def _read_goal(self, body: Body, name: str, part: str) -> float:
        number, _, what = part.partition(".")
        done, target = self.progress(body, name, int(number) - 1)
        return whole(target if what == "count" else done)

    def progress(self, body: Body, name: str, index: int) -> tuple[float, float]:
        """Return (progress, target) of a goal."""
        errand = self.table.errands.get(body.id, {}).get(name)
        goal = self.kind(name).goals[index]
        if errand is None or not errand.state:
            return 0, self._target(body, goal)
        found = self.tallies.find(goal.tally, body.id, "goal", f"{name}/{index}") if goal.tally is not None else None
        kept = errand.goals[index]
        return (found[0].progress(found[1]) if found is not None else kept.progress), 0 if kept.target == ENDLESS else kept.target

    def current(self, body: Body, name: str) -> list[int]:
        """Return the goals that count now, by number from 0."""
        errand = self.errand(body, name)
        if errand.state != ACTIVE:
            return []
        open_ = [index for index, goal in enumerate(errand.goals) if not goal.met]
        return open_[:1] if errand._kind.in_turn else open_

    # accept, abandon, fail

    def accept(self, body: Body, name: str, *, by_effect: bool = False) -> QuestResult:
        """Let a player begin a quest: from now on its goals count."""
        kind = self.kind(name)
        if not body._kind.player:
            return QuestResult("not_a_player")
        state = self.state(body, name)
        refused = {LOCKED: LOCKED, COMPLETED: COMPLETED, ACTIVE: ACTIVE, READY: ACTIVE}.get(state, "")
        if by_effect and state == LOCKED:
            refused = ""
        if not refused and not by_effect and not self._near_giver(body, kind):
            refused = "out_of_reach"
        if refused:
            return QuestResult(refused, state)
        errand = self.errand(body, name)
        errand.state = ACTIVE
        errand.goals = [Progress() for _ in kind.goals]
        for goal, kept in zip(kind.goals, errand.goals, strict=True):
            kept.target = self._target(body, goal)
        if kind.time_limit:
            errand.limit = TimeLimit()
            errand.limit._owner = errand
            self.stage.clock.arm(errand.limit, self.stage.clock.now + kind.time_limit)
        before, self.stage.cause = self.stage.cause, self.stage.emit("quest_started", body.id, "", (name,))
        self._run(errand)
        self.stage.cause = before
        return QuestResult("", errand.state)

    def _target(self, body: Body, goal: GoalKind) -> float:
        if goal.count == "all":
            return self.pickups.to_be_had(goal.tally.match.of if goal.tally is not None else "") or ENDLESS
        return whole(amount_of(goal.count, Scope(self.stage, body)))  # type: ignore[arg-type]  # not "all"

    def _near_giver(self, body: Body, kind: QuestKind) -> bool:
        giver = self.stage.kinds.actors.get(kind.giver)
        if giver is None or giver.reach is None:
            return True
        there = [other for other in self.stage.actors.values() if other.kind_name == kind.giver and other.alive and other.x is not None]
        return not there or any(within(body, other, giver.reach) for other in there)

    def _run(self, errand: Errand) -> None:
        """Start the tallies of the goals that count now, and look at what is held."""
        body, kind = errand._owner, errand._kind
        for index in self.current(body, kind.name):
            goal, kept = kind.goals[index], errand.goals[index]
            if goal.tally is not None and self.tallies.find(goal.tally, body.id, "goal", f"{kind.name}/{index}") is None:
                bucket, _ = self.tallies.start(goal.tally, body.id, "goal", f"{kind.name}/{index}", kept.target, done=kept.progress)
                bucket.seen.update(kept.seen)
        for number, fail in enumerate(kind.fails):
            if self.tallies.find(fail, body.id, "fail", f"{kind.name}/{number}") is None:
                self.tallies.start(fail, body.id, "fail", f"{kind.name}/{number}", amount_of(fail.count or 1, Scope(self.stage, body)))  # type: ignore[arg-type]
        self._look_at_held(errand)

    def _rest(self, errand: Errand) -> None:
        """Stop the tallies of an errand; what they stand at is kept."""
        body, kind = errand._owner, errand._kind
        for index, goal in enumerate(kind.goals):
            self._stop_goal(errand, index, goal)
        for number, fail in enumerate(kind.fails):
            self.tallies.stop(fail, body.id, "fail", f"{kind.name}/{number}")

    def _stop_goal(self, errand: Errand, index: int, goal: GoalKind) -> None:
        body, name = errand._owner, errand._kind.name
        found = self.tallies.find(goal.tally, body.id, "goal", f"{name}/{index}") if goal.tally is not None else None
        if goal.tally is not None and found is not None:
            errand.goals[index].progress = found[0].progress(found[1])
            errand.goals[index].seen = dict(found[0].seen)
            self.tallies.stop(goal.tally, body.id, "goal", f"{name}/{index}")

    def _end(self, errand: Errand, state: str) -> None:
        """Let an errand leave active and ready: its tallies and timers end."""
        self._rest(errand)
        errand.state = state
        for timer in (errand.turning, errand.limit):
            if timer is not None:
                self.stage.clock.disarm(timer)
        errand.turning = errand.limit = None

    def abandon(self, body: Body, name: str) -> QuestResult:
        """Let a player give a quest up: it is available again, its progress 0."""
        state = self.state(body, name)
        if state not in (ACTIVE, READY):
            return QuestResult({LOCKED: LOCKED, COMPLETED: COMPLETED}.get(state, "not_active"), state)
        errand = self.errand(body, name)
        self._end(errand, "")
        errand.goals = [Progress() for _ in errand._kind.goals]
        self.stage.emit("quest_abandoned", body.id, "", (name,))
        return QuestResult("", self.state(body, name))

    def fail(self, body: Body, name: str, cause: int = -1) -> QuestResult:
        """Let a quest fail."""
        state = self.state(body, name)
        if state not in (ACTIVE, READY):
            return QuestResult({LOCKED: LOCKED, COMPLETED: COMPLETED}.get(state, "not_active"), state)
        errand = self.errand(body, name)
        self._end(errand, FAILED)
        self.stage.emit("quest_failed", body.id, "", (name,), cause)
        self._plan_again(errand)
        return QuestResult("", FAILED)

    def _time_over(self, timer: TimeLimit) -> None:
        errand: Errand = timer._owner
        if errand.state == ACTIVE:
            self.fail(errand._owner, errand._kind.name)

    def _fail_rule(self, bucket: Bucket, advanced: list[Member], met: list[Member]) -> None:
        body = self.stage.actors.get(bucket.owner)
        for member in met:
            if body is not None:
                self.fail(body, member.ref.partition("/")[0])

    # goals

    def _advanced(self, bucket: Bucket, advanced: list[Member], met: list[Member]) -> None:
        """Tell of goals that advanced, then of those that are met, then of what that makes of their quests."""
        body = self.stage.actors.get(bucket.owner)
        if body is None:
            return
        for member in advanced:
            quest, _, index = member.ref.partition("/")
            self._step(body, quest, int(index), bucket.progress(member), member.target)
        for member in met:
            quest, _, index = member.ref.partition("/")
            errand = self.errand(body, quest)
            if not errand.goals[int(index)].met:
                self._stop_goal(errand, int(index), errand._kind.goals[int(index)])
                self._met(errand, int(index))

    def _step(self, body: Body, quest: str, index: int, progress: float, target: float) -> None:
        self.stage.emit("goal_advanced", body.id, "", (quest, f"goal{index + 1}", whole(progress), whole(target)))

    def _met(self, errand: Errand, index: int) -> None:
        kept, body, kind = errand.goals[index], errand._owner, errand._kind
        kept.met, kept.progress = True, kept.target
        self.stage.emit("goal_met", body.id, "", (kind.name, f"goal{index + 1}", whole(kept.target), whole(kept.target)))
        if self._enough(errand):
            self._become_ready(errand)
        elif kind.in_turn:
            self._run(errand)

    @staticmethod
    def _enough(errand: Errand) -> bool:
        kind = errand._kind
        needed = [kept.met for goal, kept in zip(kind.goals, errand.goals, strict=True) if not goal.optional]
        return sum(needed) >= (kind.needs_goals or len(needed))

    def _become_ready(self, errand: Errand) -> None:
        if errand.state != ACTIVE:
            return
        kind = errand._kind
        if kind.finish == "auto" and not self._complete(errand):
            return
        self._rest(errand)
        errand.state = READY
        self.stage.emit("quest_ready", errand._owner.id, "", (kind.name,))

    def _look_at_held(self, errand: Errand, good: str = "") -> None:
        """Let the goals of something held follow what is held now."""
        body, kind = errand._owner, errand._kind
        if errand.state not in (ACTIVE, READY):
            return
        counted = set(self.current(body, kind.name)) | {index for index, goal in enumerate(kind.goals) if goal.hold and errand.goals[index].met}
        for index in sorted(counted):
            goal, kept = kind.goals[index], errand.goals[index]
            if not goal.hold or good not in ("", goal.hold) or errand.state not in (ACTIVE, READY):
                continue
            held = self.goods.money(body, goal.hold) if goal.hold in self.stage.kinds.currencies else self.goods.count(body, goal.hold)
            progress = min(held, kept.target)
            if progress == kept.progress:
                continue
            kept.progress = progress
            self._step(body, kind.name, index, progress, kept.target)
            if progress >= kept.target and not kept.met:
                self._met(errand, index)
            elif progress < kept.target and kept.met:
                kept.met = False
                if errand.state == READY and not self._enough(errand):
                    self._unready(errand)

    def _unready(self, errand: Errand) -> None:
        errand.state = ACTIVE
        if errand.turning is not None:
            self.stage.clock.disarm(errand.turning)
            errand.turning = None
        self._run(errand)

    # completion

    def turn_in(self, body: Body, name: str) -> QuestResult:
        """Let a player turn a quest in: its reward comes, at once or after as long as that lasts."""
        kind, state = self.kind(name), self.state(body, name)
        refused = {LOCKED: LOCKED, COMPLETED: COMPLETED, ACTIVE: "not_ready", READY: ""}.get(state, "not_active")
        if not refused and not self._near_giver(body, kind):
            refused = "out_of_reach"
        errand = self.errand(body, name)
        if not refused and errand.turning is not None:
            refused = "busy"
        refused = refused or self._fits(errand)
        if refused:
            return QuestResult(refused, state)
        if kind.turn_in_lasts:
            errand.turning = TurningIn()
            errand.turning._owner = errand
            self.stage.clock.arm(errand.turning, self.stage.clock.now + kind.turn_in_lasts)
            return QuestResult("", READY)
        return QuestResult(self._complete(errand), errand.state)

    def _turned_in(self, timer: TurningIn) -> None:
        errand: Errand = timer._owner
        errand.turning = None
        if errand.state == READY:
            self._complete(errand)

    def _rewards(self, errand: Errand) -> tuple[tuple[Effect, ...], Scope, Ledger]:
        body, kind = errand._owner, errand._kind
        effects = kind.reward
        ledger = Ledger()
        for goal, kept in zip(kind.goals, errand.goals, strict=True):
            if goal.optional and kept.met:
                effects = effects + goal.reward
            if goal.hand_over and goal.hold and kept.met:
                what = MONEY if goal.hold in self.stage.kinds.currencies else ITEM
                ledger.moves.append(Move(body, what, goal.hold, -int(kept.target), kind.name))
        return effects, Scope(self.stage, body, None, body, place=f"quests.{kind.name}.reward", reason=kind.name), ledger

    def _fits(self, errand: Errand) -> str:
        """Return "full" where the reward as a whole would not fit, after what is handed over has left."""
        effects, scope, ledger = self._rewards(errand)
        return "full" if self.effects.prepare(effects, scope, ledger).refused else ""

    def _complete(self, errand: Errand) -> str:
        """Complete an errand, once: hand over, reward, or nothing at all; returns "full" where it does not fit."""
        effects, scope, ledger = self._rewards(errand)
        draft = self.effects.prepare(effects, scope, ledger)
        if draft.refused:
            return "full"
        body, kind = errand._owner, errand._kind
        self._end(errand, COMPLETED)  # before its reward's own facts, so that none of them can bring it again
        errand.completions += 1
        before, self.stage.cause = self.stage.cause, self.stage.emit("quest_completed", body.id, "", (kind.name,))
        self.effects.commit(draft)
        self.stage.cause = before
        self._plan_again(errand)
        return ""

    def _plan_again(self, errand: Errand) -> None:
        if errand._kind.repeat >= 0:
            errand.again = Again()
            errand.again._owner = errand
            self.stage.clock.arm(errand.again, self.stage.clock.now + errand._kind.repeat)

    def _again(self, timer: Again) -> None:
        errand: Errand = timer._owner
        errand.again = None
        if errand.state in (COMPLETED, FAILED):
            errand.state, errand.told = "", False
            errand.goals = [Progress() for _ in errand._kind.goals]
            self._tell_available(errand._owner, errand._kind)

    # what may change because of a fact

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan what facts mean to quests: goods held, quests that open, things placed."""
        kinds = self.stage.kinds
        if not kinds.quests:
            return []
        found: list[tuple[str, Reaction]] = []
        if name in ("gained", "lost", "earned", "spent"):
            found.append(("", self._goods_moved))
        if name in _MAY_UNLOCK and any(quest.needs for quest in kinds.quests.values()):
            found.append(("", self._may_unlock))
        if name == "placed" and any(goal.count == "all" for quest in kinds.quests.values() for goal in quest.goals):
            found.append(("", self._placed))
        return found

    def _goods_moved(self, fact: Fact) -> None:
        errands = self.table.errands.get(fact.actor)
        for errand in tuple(errands.values()) if errands else ():
            self._look_at_held(errand, str(fact.values[0]))
            if fact.name in ("lost", "spent") and errand.state == READY and errand._kind.finish == "auto" and errand.turning is None:
                self._complete(errand)

    def _may_unlock(self, fact: Fact) -> None:
        body = self.stage.players.get(fact.actor)
        if body is not None:
            for kind in self.stage.kinds.quests.values():
                if kind.needs:
                    self._tell_available(body, kind)

    def _tell_available(self, body: Body, kind: QuestKind) -> None:
        errand = self.errand(body, kind.name)
        if errand.state:
            return
        opened = self._open(body, kind)
        if opened and not errand.told:
            self.stage.emit("quest_available", body.id, "", (kind.name,))
        errand.told = opened

    def _placed(self, fact: Fact) -> None:
        """Let the goals for all of something ask for one more."""
        for errands in self.table.errands.values():
            for errand in errands.values():
                for index, goal in enumerate(errand._kind.goals if errand.state == ACTIVE else ()):
                    kept = errand.goals[index]
                    if goal.count == "all" and goal.tally is not None and not kept.met and self.pickups.is_a(str(fact.values[0]), goal.tally.match.of):
                        kept.target = 1 if kept.target == ENDLESS else kept.target + 1
                        self._stop_goal(errand, index, goal)
        for errands in self.table.errands.values():
            for errand in errands.values():
                if errand.state == ACTIVE and any(goal.count == "all" for goal in errand._kind.goals):
                    self._run(errand)

    def _leave(self, body: Body) -> None:
        for errand in self.table.errands.get(body.id, {}).values():
            self._rest(errand)
            for timer in (errand.turning, errand.limit, errand.again):
                if timer is not None:
                    self.stage.clock.disarm(timer)

    def forget(self, player: str) -> None:
        """Drop what is kept of a player who has left."""
        self.table.errands.pop(player, None)

    # sets

    def _draw_now(self, draw: Draw) -> None:
        kind = self.stage.kinds.quest_sets[draw.name]
        left = list(kind.quests)
        draw.drawn = []
        for turn in range(min(kind.draw, len(left))):
            draw.drawn.append(left.pop(int(self.stage.dice.draw(f"set/{draw.name}/{draw.times}/{turn}") * len(left))))
        for turn in range(min(kind.draw, len(kind.quests))):
            self.stage.dice.forget(f"set/{draw.name}/{draw.times}/{turn}")  # never drawn from again
        draw.times += 1

    def _draw(self, draw: Draw) -> None:
        """Draw a set anew: quests of it that were completed or failed may be offered again."""
        kind = self.stage.kinds.quest_sets[draw.name]
        self._draw_now(draw)
        self.stage.clock.arm(draw, self.stage.clock.now + kind.every)
        for body in tuple(self.stage.players.values()):
            for name in kind.quests:
                errand = self.errand(body, name)
                if errand.state in (COMPLETED, FAILED):
                    errand.state, errand.told = "", False
                    errand.goals = [Progress() for _ in errand._kind.goals]
                if not errand.state:
                    errand.told = False
                    self._tell_available(body, errand._kind)

    # effects

    def _prepare_start(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, str]:
        state = self.state(body, effect.operand) if body._kind.player else ""
        return None, "not_a_player" if not state else "" if state in (LOCKED, AVAILABLE, FAILED) else COMPLETED if state == COMPLETED else ACTIVE

    def _commit_start(self, scope: Scope, effect: Effect, body: Body, prepared: Any) -> None:
        self.accept(body, effect.operand, by_effect=True)

    def _prepare_fail(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, str]:
        if not body._kind.player:
            return None, "not_a_player"
        return None, "" if self.state(body, effect.operand) in (ACTIVE, READY) else "not_active"

    def _commit_fail(self, scope: Scope, effect: Effect, body: Body, prepared: Any) -> None:
        self.fail(body, effect.operand)

    # what outlives the session

    def kept(self, body: Body) -> dict[str, Any]:
        """Return a player's quests as data: states, goals, what time is left."""
        now, found = self.stage.clock.now, {}
        for name, errand in self.table.errands.get(body.id, {}).items():
            if not errand.state and not errand.completions:
                continue
            goals = []
            for index, goal in enumerate(errand._kind.goals):
                kept = errand.goals[index]
                tally = self.tallies.find(goal.tally, body.id, "goal", f"{name}/{index}") if goal.tally is not None else None
                progress, seen = (tally[0].progress(tally[1]), tally[0].seen) if tally is not None else (kept.progress, kept.seen)
                goals.append({"progress": progress, "target": kept.target, "met": kept.met, "seen": list(seen)})
            found[name] = {"state": errand.state, "goals": goals, "completions": errand.completions,
                           "limit": errand.limit.due - now if errand.limit is not None else None,
                           "again": errand.again.due - now if errand.again is not None else None}
        return found

    def back(self, body: Body, data: dict[str, Any]) -> dict[str, Any]:
        """Give a player the quests that were saved; returns those the design does not know."""
        for errand in self.table.errands.pop(body.id, {}).values():
            self._end(errand, "")
            if errand.again is not None:
                self.stage.clock.disarm(errand.again)
        for name in [name for name in data if name in self.stage.kinds.quests]:
            saved, errand = data.pop(name), self.errand(body, name)
            errand.state, errand.completions, errand.told = saved["state"], saved["completions"], True
            for kept, goal in zip(errand.goals, saved["goals"], strict=False):
                kept.progress, kept.target, kept.met, kept.seen = goal["progress"], goal["target"], goal["met"], dict.fromkeys(goal["seen"], 1)
            for index in range(len(saved["goals"]), len(errand.goals)):
                errand.goals[index].target = self._target(body, errand._kind.goals[index])
            for slot, timer in (("limit", TimeLimit()), ("again", Again())):
                if saved[slot] is not None:
                    timer._owner = errand
                    setattr(errand, slot, timer)
                    self.stage.clock.arm(timer, self.stage.clock.now + saved[slot])
            if errand.state == ACTIVE:
                self._run(errand)
        return data


def whole(number: float) -> float:
    """Return a number as a whole one where it is; what is endless stays 0 to be seen."""
    return 0 if number == ENDLESS else int(number) if number == int(number) else number
