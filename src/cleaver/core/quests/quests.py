"""Quests: states, goals that track, rewards that come once.

Owns each player's errands. Goals over events are tallies that run only while they count; goals of something
held follow the purse and the bag. Completing is one step: what is handed over leaves, the reward arrives, or
the quest stays ready. When a quest opens is `offers`' business. Start at `Quests.accept`.
"""

from __future__ import annotations

from functools import partial

from cleaver.core.goods.goods import ITEM, MONEY, Goods, Ledger, Move
from cleaver.core.goods.pickups import Pickups, within
from cleaver.core.goods.pickups import Placement as PlacementState
from cleaver.core.kernel.arguments import whole_if
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.clock import LIMITS, RETURNS, WAITS, Timer
from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import Amount, Effect, Expression, amount_of
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import QuestResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.kernel.state import Record
from cleaver.core.kernel.tallies import Bucket, Member, Tallies
from cleaver.core.quests.offers import changed_by, told_by_time
from cleaver.errors import AmountError, SnapshotError, UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from typing import Any, ClassVar, Final

    from cleaver.core.kernel.crossing import Crossing
    from cleaver.core.kernel.kinds import TallyKind
    from cleaver.core.kernel.tallies import Kept
    from cleaver.core.quests.kinds import GoalKind, QuestKind, QuestKinds
    from cleaver.literals import Blocked, QuestState

LOCKED: Final = "locked"
AVAILABLE: Final = "available"
ACTIVE: Final = "active"
READY: Final = "ready"
COMPLETED: Final = "completed"
FAILED: Final = "failed"
STATES: tuple[QuestState, ...] = (LOCKED, AVAILABLE, ACTIVE, READY, COMPLETED, FAILED)
SPOKEN_OF: tuple[QuestState, ...] = (READY, AVAILABLE, ACTIVE, FAILED, COMPLETED, LOCKED)
"""States in the order in which a giver speaks of them: what the player can do with the giver stands first."""
_CLOSED: dict[str, Blocked] = {LOCKED: LOCKED, COMPLETED: COMPLETED, ACTIVE: ACTIVE, READY: ACTIVE}
"""Why a quest in such a state cannot be accepted."""
_OVER: dict[str, Blocked] = {LOCKED: LOCKED, COMPLETED: COMPLETED}
"""Why a quest that is not under way cannot be ended; else it is "not_active"."""
ENDLESS = 2.0**64  # more than can be counted: the target of a goal for all of what is not there yet


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
    """One goal of one errand, or one of its fails: its target, whether it is met, and how far it is while it
    is not being tallied.

    `total`, `seen` and `stamps` are what its tally had when it came to rest, at the instant `rested`; stamps
    are ages then.
    """

    __slots__ = ("met", "progress", "rested", "seen", "stamps", "target", "total")
    progress: float
    target: float
    met: bool
    total: float
    seen: dict[str, int]
    stamps: list[list[float]]
    rested: int

    def __init__(self, target: float = 0) -> None:
        self.progress, self.target, self.met = 0, target, False
        self.total, self.rested = 0, 0
        self.seen, self.stamps = {}, []

    def rest(self, kept: Kept, progress: float, now: int) -> None:
        """Take over what a tally has that comes to rest."""
        self.total, self.seen, self.stamps = kept["total"], dict.fromkeys(kept["seen"], 1), kept["stamps"]
        self.progress, self.rested = progress, now

    def kept(self, now: int) -> Kept:
        """Return what a tally goes on from, now."""
        return {
            "total": self.total,
            "seen": list(self.seen),
            "stamps": [[age + now - self.rested, amount] for age, amount in self.stamps],
        }


class Errand(Record):
    """One quest of one player. `state` is "" until it is accepted: locked or available, as its needs say now.

    `told` is whether it was open when that was last looked at; `overdue` whether its time was over while it
    was ready; `ended_on` the day on which it was completed or failed.
    """

    __slots__ = (
        "again",
        "completions",
        "ended_on",
        "fails",
        "goals",
        "kind",
        "limit",
        "overdue",
        "owner",
        "state",
        "told",
        "turning",
    )
    caches: ClassVar[tuple[str, ...]] = ("kind", "owner")
    state: str
    goals: list[Progress]
    fails: list[Progress]
    completions: int
    ended_on: int | None
    told: bool
    overdue: bool
    turning: TurningIn | None
    limit: TimeLimit | None
    again: Again | None
    kind: QuestKind
    owner: Body

    def __init__(self, kind: QuestKind, owner: Body) -> None:
        self.kind, self.owner = kind, owner
        self.state, self.completions, self.told = "", 0, False
        self.turning, self.limit, self.again, self.ended_on = None, None, None, None
        self.begin_anew()

    def begin_anew(self) -> None:
        """Put its progress to 0."""
        self.overdue = False
        self.goals = [Progress() for _ in self.kind.goals]
        self.fails = [Progress() for _ in self.kind.fails]


class Draw(Timer):
    """A set of quests of which some are offered: due when it is drawn anew, or drawn for one `period` of so
    many days."""

    __slots__ = ("drawn", "name", "period", "times")
    rank: ClassVar[int] = RETURNS
    verb: ClassVar[str] = "quest_set"
    name: str
    drawn: list[str]
    times: int
    period: int | None

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name, self.drawn, self.times, self.period = name, [], 0, None


class QuestTable(Record):
    """The state of this part: errands by player and quest, the sets, and the day that the host said it is."""

    __slots__ = ("day", "errands", "sets")
    day: int | None
    errands: dict[str, dict[str, Errand]]
    sets: dict[str, Draw]

    def __init__(self) -> None:
        self.errands, self.sets, self.day = {}, {}, None


class Quests(Part):
    """The quests of one world's players."""

    stage: Stage
    kinds: QuestKinds
    effects: Effects
    goods: Goods
    tallies: Tallies
    pickups: Pickups
    table: QuestTable
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
        self.told = {}
        """Quest states that come from another world, by player and quest. A replica shows them instead of its
        own, because it lacks some of what the quests need. They are not part of a snapshot."""
        self._others: list[tuple[Errand, QuestKind, list[GoalKind | None]]] = []
        """Errands on their way to another design: what their quest was, and which goal each goal was."""
        self._judging = (
            False  # whether needs are being looked at: they see every quest that has not begun as available
        )
        tallies.told["goal"] = self._advanced
        tallies.told["fail"] = self._fail_rule
        tallies.steps["goal"] = partial(stage.asks, "goal_advanced")
        stage.due["turn_in"] = self._turned_in
        stage.due["quest_limit"] = self._time_over
        stage.due["quest_again"] = self._again
        stage.due["quest_set"] = self._draw
        stage.readable["quest"] = lambda body, name, part: self.state(body, name)
        stage.readable["goal"] = lambda body, name, part: self._read_goal(body, name, part, 0)
        stage.readable["goal_count"] = lambda body, name, part: self._read_goal(body, name, part, 1)
        stage.verbs["start_quest"] = (self._prepare_start, self._commit_start)
        stage.verbs["fail_quest"] = (self._prepare_fail, self._commit_fail)
        shared = any(currency.pooled for currency in goods.kinds.currencies.values())
        self._openers = changed_by(kinds, stage.kinds, shared)  # event: (quests it may open, for everyone?)
        restless = told_by_time(kinds, stage.kinds)
        self._restless = [quest for quest in kinds.quests.values() if quest.name in restless]
        self._placeless = [quest for quest in kinds.quests.values() if restless.get(quest.name) == "place"]
        if self._restless:
            stage.moved.append(self._look_around)
            if len(self._placeless) < len(self._restless):
                stage.watches.append(self._watch)
        pickups.removed.append(self._removed)
        stage.endings.append(self._nothing_left)
        for name, kind in kinds.quest_sets.items():
            draw = self.table.sets[name] = Draw(name)
            self._draw_now(draw)
            if kind.every:
                stage.clock.arm(draw, kind.every)

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("quests", self.kept, self.back, known=lambda kind: self.kinds.quests),)

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
        """See `Part`: quests that are gone, those that have other goals, and the sets they are drawn from."""
        for player, errands in self.table.errands.items():
            for name in crossing.differing("quests", list(errands)):
                errand, was = errands[name], crossing.before.quests.kinds.quests[name]
                self._come_to_rest(crossing, player, name, errand)
                now = self.kinds.quests.get(name)
                if now is None:
                    for timer in (errand.turning, errand.limit, errand.again):
                        if timer is not None:
                            timer.due = -1
                    del errands[name]
                    continue
                goals, fails = paired(was.goals, now.goals), paired(was.fails, now.fails)
                errand.goals = [Progress() if at is None else errand.goals[at] for at in goals]
                errand.fails = [Progress() if at is None else errand.fails[at] for at in fails]
                self._others.append((errand, was, [None if at is None else was.goals[at] for at in goals]))
        sets = self.table.sets
        for name in [name for name in sets if name not in self.kinds.quest_sets]:
            sets.pop(name).due = -1
        for name in crossing.differing("quest_sets", list(sets)):
            draw, kind = sets[name], self.kinds.quest_sets[name]
            draw.drawn = [quest for quest in draw.drawn if quest in kind.quests]
            if not kind.every:
                draw.due = -1
            draw.period = None if not kind.days or self.table.day is None else self.table.day // kind.days

    def _come_to_rest(self, crossing: Crossing, player: str, name: str, errand: Errand) -> None:
        """Let no goal of an errand be tallied; what they stand at is kept."""
        tallies, now = crossing.before.tallies, self.stage.clock.now
        for user, each in (("goal", errand.goals), ("fail", errand.fails)):
            for number, kept in enumerate(each):
                found = tallies.find(player, user, f"{name}/{number}")
                if found is not None:
                    kept.rest(tallies.kept(*found), tallies.progress(*found), now)
                    self.tallies.take_out(player, user, f"{name}/{number}")

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`: quests ask for what they ask for now, and their spans are those that have begun."""
        clock = self.stage.clock
        for errand, was, olds in self._others:
            body, kind = errand.owner, errand.kind
            if errand.state in (ACTIVE, READY):
                for goal, old, kept in zip(kind.goals, olds, errand.goals, strict=True):
                    if (not kept.met or goal.hold) and (old is None or asks(old.count) != asks(goal.count)):
                        kept.target = self._target(body, goal)
                        kept.progress = min(kept.progress, kept.target)
                for fail, kept in zip(kind.fails, errand.fails, strict=True):
                    kept.target = self._fail_count(body, fail)
            if errand.limit is not None and not kind.time_limit:
                clock.disarm(errand.limit)
                errand.limit = None
            elif errand.state == ACTIVE and kind.time_limit and not was.time_limit:
                errand.limit = self._arm(errand, TimeLimit(), kind.time_limit)
            if errand.again is not None and kind.repeat < 0:
                clock.disarm(errand.again)
                errand.again = None
            elif errand.again is None and was.repeat < 0:
                self._plan_again(errand)
            self._sync(errand)
        self._others = []
        for name, kind_of in self.kinds.quest_sets.items():
            draw = self.table.sets.get(name)
            if draw is None:
                draw = self.table.sets[name] = Draw(name)
                if kind_of.days and self.table.day is not None:
                    draw.period = self.table.day // kind_of.days
                self._draw_now(draw)
            elif crossing.differs("quest_sets", name):
                self._draw_more(draw)
            if kind_of.every and draw.due < 0:
                clock.arm(draw, clock.now + kind_of.every)
        self.table.sets = {name: self.table.sets[name] for name in self.kinds.quest_sets}

    def catch_up(self, crossing: Crossing) -> None:
        """Let goals be met that ask for no more than there is by now, and quests be offered that are open
        by now."""
        sets = crossing.differing("quest_sets", self.kinds.quest_sets)
        for body in tuple(self.stage.players.values()):
            errands = self.table.errands.get(body.id, {})
            for name in crossing.differing("quests", self.kinds.quests):
                errand = errands.get(name)
                if errand is not None and errand.state in (ACTIVE, READY):
                    self._catch_up(errand)
                elif self.kind(name).needs:
                    self._tell_available(body, self.kind(name))
            for name in dict.fromkeys(quest for one in sets for quest in self.kinds.quest_sets[one].quests):
                self._tell_available(body, self.kind(name))

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
        return AVAILABLE if self._judging or self._offered(body, kind) else LOCKED

    def _offered(self, body: Body, kind: QuestKind) -> bool:
        """Return whether a quest that has not begun may be: it is drawn, and its needs hold."""
        for name, draw in self.table.sets.items():
            if kind.name in self.kinds.quest_sets[name].quests and kind.name not in draw.drawn:
                return False
        if not kind.needs:
            return True
        scope = Scope(self.stage, body)
        before, self._judging = self._judging, True
        try:
            return all(need.holds(scope) for need in kind.needs)
        finally:
            self._judging = before

    def _read_goal(self, body: Body, name: str, goal: str, which: int) -> float:
        number = int(goal.removeprefix("goal"))
        return whole(self.progress(body, name, number - 1)[which])

    def progress(self, body: Body, name: str, index: int) -> tuple[float, float]:
        """Return (progress, target) of a goal."""
        errand = self.table.errands.get(body.id, {}).get(name)
        goal = self.kind(name).goals[index]
        if errand is None or not errand.state:
            target = self._target(body, goal)
            return 0, 0 if target == ENDLESS else target
        found = self.tallies.find(body.id, "goal", f"{name}/{index}")
        kept = errand.goals[index]
        done = self.tallies.progress(*found) if found is not None else self._at_rest(goal, kept)
        return done, 0 if kept.target == ENDLESS else kept.target

    def _at_rest(self, goal: GoalKind, kept: Progress) -> float:
        if kept.met or goal.tally is None or not goal.tally.within:
            return kept.progress
        since = self.stage.clock.now - kept.rested
        return min(sum(amount for age, amount in kept.stamps if age + since < goal.tally.within), kept.target)

    def current(self, errand: Errand) -> list[int]:
        """Return the goals that are open now and not met, by number from 0.

        In turn that is the first required one, and the optional ones that stand before it; while a quest is
        ready, its optional ones.
        """
        goals = errand.kind.goals
        open_ = [index for index, kept in enumerate(errand.goals) if not kept.met]
        if errand.state == READY:
            return [index for index in open_ if goals[index].optional]
        if errand.state != ACTIVE:
            return []
        if errand.kind.in_turn:
            first = next((index for index in open_ if not goals[index].optional), len(goals))
            return [index for index in open_ if index == first or (index < first and goals[index].optional)]
        return open_

    # accept, abandon, fail

    def accept(self, body: Body, name: str, *, by_effect: bool = False) -> QuestResult:
        """Let a player begin a quest: from now on its goals count."""
        kind = self.kind(name)
        if not body.kind.player:
            return QuestResult("not_a_player")
        state = self.state(body, name)
        refused = _CLOSED.get(state, "")
        if by_effect:
            refused = "" if state == LOCKED else refused
        elif not body.alive:
            refused = "dead"
        elif not refused and not self.near_giver(body, kind):
            refused = "out_of_reach"
        if refused:
            return QuestResult(refused, state)
        targets = [self._target(body, goal) for goal in kind.goals]
        fails = [self._fail_count(body, fail) for fail in kind.fails]
        errand = self.errand(body, name)
        self._disarm(errand)
        errand.state = ACTIVE
        errand.begin_anew()
        for kept, target in zip((*errand.goals, *errand.fails), (*targets, *fails), strict=True):
            kept.target = target
        if kind.time_limit:
            errand.limit = self._arm(errand, TimeLimit(), kind.time_limit)
        before, self.stage.cause = self.stage.cause, self.stage.emit("quest_started", body.id, "", (name,))
        self._go_on(errand)
        self.stage.cause = before
        return QuestResult("", self.state(body, name))

    def _arm(self, errand: Errand, timer: Any, after: int) -> Any:
        timer.owner = errand
        self.stage.clock.arm(timer, self.stage.clock.now + after)
        return timer

    def _disarm(self, errand: Errand) -> None:
        """Let none of an errand's timers be due any more."""
        for timer in (errand.turning, errand.limit, errand.again):
            if timer is not None:
                self.stage.clock.disarm(timer)
        errand.turning = errand.limit = errand.again = None

    def _target(self, body: Body, goal: GoalKind) -> float:
        if goal.count == "all":
            return self.pickups.to_be_had(goal.tally.match.of if goal.tally is not None else "") or ENDLESS
        return whole(amount_of(goal.count, Scope(self.stage, body)))  # type: ignore[arg-type]  # not "all"

    def _fail_count(self, body: Body, fail: TallyKind) -> float:
        # Not "all"
        return max(amount_of(1 if fail.count is None else fail.count, Scope(self.stage, body)), 1)  # type: ignore[arg-type]

    def near_giver(self, body: Body, kind: QuestKind) -> bool:
        """Return whether a quest's giver is at hand; one that is no kind of actor is everywhere."""
        giver = self.stage.kinds.actors.get(kind.giver)
        if giver is None:
            return True
        there = [
            other for other in self.stage.actors.values() if other.kind_name == kind.giver and other.alive
        ]
        return any(giver.reach is None or within(body, other, giver.reach) for other in there)

    def _go_on(self, errand: Errand) -> None:
        """Let an errand that has begun be as its goals say: count what is open, follow what is held, see what
        is met."""
        for index, kept in enumerate(errand.goals):
            if not kept.met and kept.target <= 0 and not errand.kind.goals[index].hold:
                kept.met = True
                self._tell_met(errand, index)
        self._sync(errand)
        if not self._judge(errand):
            self._look_at_held(errand)

    def _sync(self, errand: Errand) -> None:
        """Start the tallies of the goals that are open, and stop those of others; what they stand at is
        kept."""
        body, kind = errand.owner, errand.kind
        open_ = self.current(errand)
        for index, goal in enumerate(kind.goals):
            if goal.tally is not None:
                self._run(
                    "goal", f"{kind.name}/{index}", goal.tally, body, errand.goals[index], index in open_
                )
        for number, fail in enumerate(kind.fails):
            self._run(
                "fail", f"{kind.name}/{number}", fail, body, errand.fails[number], errand.state == ACTIVE
            )

    def _run(self, user: str, ref: str, tally: TallyKind, body: Body, kept: Progress, on: bool) -> None:
        """Let one tally of an errand count or rest."""
        found, now = self.tallies.find(body.id, user, ref), self.stage.clock.now
        if on and found is None:
            self.tallies.start(tally, body.id, user, ref, kept.target, done=kept.kept(now))
        elif not on and found is not None:
            kept.rest(self.tallies.kept(*found), self.tallies.progress(*found), now)
            self.tallies.stop(body.id, user, ref)

    def _end(self, errand: Errand, state: str) -> None:
        """Let an errand leave active and ready: its tallies and timers end."""
        errand.state = state
        self._disarm(errand)
        self._sync(errand)

    def abandon(self, body: Body, name: str) -> QuestResult:
        """Let a player give a quest up: it is available again, its progress 0."""
        state = self.state(body, name)
        if not body.alive:
            return QuestResult("dead", state)
        if state not in (ACTIVE, READY):
            return QuestResult(_OVER.get(state, "not_active"), state)
        errand = self.errand(body, name)
        self._end(errand, "")
        errand.begin_anew()
        errand.told = self._offered(body, errand.kind)  # its one event says so already
        self.stage.emit("quest_abandoned", body.id, "", (name,))
        return QuestResult("", self.state(body, name))

    def fail(self, body: Body, name: str, cause: int = -1) -> QuestResult:
        """Let a quest fail."""
        state = self.state(body, name)
        if state not in (ACTIVE, READY):
            return QuestResult(_OVER.get(state, "not_active"), state)
        errand = self.errand(body, name)
        self._end(errand, FAILED)
        errand.ended_on = self.table.day
        self.stage.emit("quest_failed", body.id, "", (name,), cause)
        self._plan_again(errand)
        return QuestResult("", FAILED)

    def _time_over(self, timer: TimeLimit) -> None:
        """The time to get ready is over: too late for one that is not."""
        errand: Errand = timer.owner
        errand.limit = None
        if errand.state == READY:
            errand.overdue = True
        elif errand.state == ACTIVE:
            self.fail(errand.owner, errand.kind.name)

    def _fail_rule(self, bucket: Bucket, advanced: list[Member], met: list[Member]) -> None:
        body = self.stage.actors.get(bucket.owner)
        for member in met:
            if body is not None:
                self.fail(body, member.ref.partition("/")[0])

    # goals

    def _advanced(self, bucket: Bucket, advanced: list[Member], met: list[Member]) -> None:
        """Tell of goals that advanced, then of those that are met, then of what that makes of their
        quests."""
        body = self.stage.actors.get(bucket.owner)
        if body is None:
            return
        for member in advanced:
            quest, _, index = member.ref.partition("/")
            self._step(body, quest, int(index), self.tallies.progress(bucket, member), member.target)
        for member in met:
            quest, _, index = member.ref.partition("/")
            errand = self.errand(body, quest)
            if (
                errand.state in (ACTIVE, READY)
                and not errand.goals[int(index)].met
                and member.ref in bucket.members
            ):
                self._met(errand, int(index))

    def _step(self, body: Body, quest: str, index: int, progress: float, target: float) -> None:
        self.stage.emit(
            "goal_advanced", body.id, "", (quest, f"goal{index + 1}", whole(progress), whole(target))
        )

    def _tell_met(self, errand: Errand, index: int) -> None:
        kept = errand.goals[index]
        self.stage.emit(
            "goal_met",
            errand.owner.id,
            "",
            (errand.kind.name, f"goal{index + 1}", whole(kept.target), whole(kept.target)),
        )

    def _met(self, errand: Errand, index: int) -> None:
        """Note a goal that is met, and what that makes of its quest."""
        kept = errand.goals[index]
        kept.met = True
        self._sync(errand)
        kept.progress = kept.target
        self._tell_met(errand, index)
        if not self._judge(errand):
            self._look_at_held(errand)

    @staticmethod
    def _enough(errand: Errand) -> bool:
        kind = errand.kind
        needed = [kept.met for goal, kept in zip(kind.goals, errand.goals, strict=True) if not goal.optional]
        return sum(needed) >= (kind.needs_goals or len(needed))

    def _judge(self, errand: Errand) -> bool:
        """Let a quest be ready, or active again, as its goals say; returns whether it changed."""
        enough = self._enough(errand)
        if errand.state == ACTIVE and enough:
            if errand.kind.finish == "auto":
                self._complete_by_itself(errand)
                return True
            errand.state = READY
            self._sync(errand)
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
                self._sync(errand)
            return True
        return False

    def _look_at_held(self, errand: Errand, good: str = "") -> None:
        """Let the goals of something held follow what is held now, one change after the other."""
        while errand.state in (ACTIVE, READY) and self._one_held(errand, good):
            good = ""  # what became of one may open or close others

    def _one_held(self, errand: Errand, good: str) -> bool:
        """Let the first goal of something held that differs from what is held follow it; returns whether one
        changed between met and not met."""
        body, kind = errand.owner, errand.kind
        open_ = self.current(errand)
        for index, goal in enumerate(kind.goals):
            kept = errand.goals[index]
            if not goal.hold or good not in ("", goal.hold) or not (kept.met or index in open_):
                continue
            progress = min(self.goods.of(body, goal.hold), kept.target)
            if progress != kept.progress:
                kept.progress = progress
                self._step(body, kind.name, index, progress, kept.target)
            if (progress >= kept.target) != kept.met:
                kept.met = not kept.met
                self._sync(errand)
                if kept.met:
                    self._tell_met(errand, index)
                self._judge(errand)
                return True
        return False

    # completion

    def turn_in(self, body: Body, name: str) -> QuestResult:
        """Let a player turn a quest in: its reward comes, at once or after as long as that lasts."""
        kind, state = self.kind(name), self.state(body, name)
        refused: Blocked = ""
        if not body.alive:
            refused = "dead"
        elif state != READY:
            refused = "not_ready" if state == ACTIVE else _OVER.get(state, "not_active")
        elif not self.near_giver(body, kind):
            refused = "out_of_reach"
        if refused:
            return QuestResult(refused, state)
        errand = self.errand(body, name)
        refused = "busy" if errand.turning is not None else self._fits(errand)
        if refused:
            return QuestResult(refused, state)
        if kind.turn_in_lasts:
            errand.turning = self._arm(errand, TurningIn(), kind.turn_in_lasts)
            return QuestResult("", READY)
        return QuestResult(self._complete(errand), self.state(body, name))

    def _turned_in(self, timer: TurningIn) -> None:
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
                what = MONEY if goal.hold in self.goods.kinds.currencies else ITEM
                ledger.moves.append(Move(body, what, goal.hold, -int(kept.target), kind.name))
        return ledger

    def _rewards(self, errand: Errand) -> tuple[tuple[Effect, ...], Scope]:
        body, kind = errand.owner, errand.kind
        effects = kind.reward
        for goal, kept in zip(kind.goals, errand.goals, strict=True):
            if goal.optional and kept.met:
                effects = effects + goal.reward
        return effects, Scope(
            self.stage, body, None, body, place=f"quests.{kind.name}.reward", reason=kind.name
        )

    def _fits(self, errand: Errand) -> Blocked:
        """Return "full" where the reward as a whole would not fit, after what is handed over has left."""
        return (
            "full" if self.effects.prepare(*self._rewards(errand), self._handed_over(errand)).refused else ""
        )

    def _complete(self, errand: Errand) -> Blocked:
        """Complete an errand, once: hand over, reward, or nothing at all; returns "full" where it does not
        fit."""
        draft = self.effects.prepare(*self._rewards(errand), self._handed_over(errand))
        if draft.refused:
            return "full"
        before = self._completed(errand)
        self.effects.commit(draft)
        self.stage.cause = before
        self._plan_again(errand)
        return ""

    def _complete_by_itself(self, errand: Errand) -> None:
        """Complete an errand that is not turned in: what of its reward does not fit is owed."""
        effects, scope = self._rewards(errand)
        ledger = self._handed_over(errand)
        self.goods.settle(ledger)
        before = self._completed(errand)
        self.goods.move(ledger.moves)
        try:
            self.effects.follow(effects, scope, owed=True)
        finally:
            self.stage.cause = before
            self._plan_again(errand)

    def _completed(self, errand: Errand) -> int:
        """Let an errand be completed, before its reward's own events, so that none of them can bring it
        again; returns what the cause was."""
        self._end(errand, COMPLETED)
        errand.ended_on = self.table.day
        errand.completions += 1
        before, self.stage.cause = (
            self.stage.cause,
            self.stage.emit("quest_completed", errand.owner.id, "", (errand.kind.name,)),
        )
        return before

    def _plan_again(self, errand: Errand) -> None:
        if errand.kind.repeat >= 0 and errand.state in (COMPLETED, FAILED):
            errand.again = self._arm(errand, Again(), errand.kind.repeat)

    def _again(self, timer: Again) -> None:
        errand: Errand = timer.owner
        errand.again = None
        if errand.state in (COMPLETED, FAILED):
            self._offer_again(errand)

    def _offer_again(self, errand: Errand) -> None:
        """Let an errand that has ended be as if it had not begun."""
        self._disarm(errand)
        errand.state, errand.told, errand.ended_on = "", False, None
        errand.begin_anew()
        self._tell_available(errand.owner, errand.kind)

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
            found.append(("", self._placed))
        return found

    def follow_openings(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan which quests an event may open, after everything else has reacted to it."""
        return [("", partial(self._may_open, *self._openers[name]))] if name in self._openers else []

    def _goods_moved(self, event: Event) -> None:
        good = str(event.values[0])
        body = self.stage.actors.get(event.actor)
        for holder in () if body is None else self.goods.sharers(body, good):
            for errand in tuple(self.table.errands.get(holder.id, {}).values()):
                self._look_at_held(errand, good)

    def _side_changed(self, event: Event) -> None:
        for errand in tuple(self.table.errands.get(event.actor, {}).values()):
            self._look_at_held(errand)

    def _may_open(self, quests: tuple[QuestKind, ...], everyone: bool, event: Event) -> None:
        players = self.stage.players
        parties = dict.fromkeys((event.actor, event.source, event.credit))
        bodies = (
            tuple(players.values())
            if everyone
            else [body for body in map(self.stage.party, parties) if body is not None and body.kind.player]
        )
        for body in bodies:
            for kind in quests:
                self._tell_available(body, kind)

    def _tell_available(self, body: Body, kind: QuestKind) -> None:
        """Tell of a quest that has opened since it was last looked at."""
        errands = self.table.errands.get(body.id)
        errand = errands.get(kind.name) if errands else None
        if errand is None:
            if not self._offered(body, kind):
                return
            errand = self.errand(body, kind.name)
        if errand.state:
            return
        opened = self._offered(body, kind)
        before, errand.told = errand.told, opened
        if opened and not before:
            self.stage.emit("quest_available", body.id, "", (kind.name,))

    def _look_around(self) -> None:
        """Look at quests that open by themselves: by time, by where somebody stands."""
        for body in tuple(self.stage.players.values()):
            for kind in self._restless:
                self._tell_available(body, kind)

    def _watch(self) -> Callable[[], bool] | None:
        """Give the question whether time has opened or closed a quest."""
        return self._differs if self.stage.players else None

    def _differs(self) -> bool:
        for body in self.stage.players.values():
            for kind in self._restless:
                errand = self.look(body, kind.name)
                if not errand.state and errand.told != self._offered(body, kind):
                    return True
        return False

    def arrived(self, body: Body) -> None:
        """Note which quests are open for a player from the beginning, go on with those it brings, and
        complete what is met by now."""
        days = [errand.ended_on for errand in self.table.errands.get(body.id, {}).values()]
        latest = max((day for day in days if day is not None), default=None)
        if latest is not None and (self.table.day is None or latest > self.table.day):
            self.set_day(latest)  # a player has been where it was later already
        self._new_day(body)
        for kind in self.kinds.quests.values():
            if (kind.needs or self.table.sets) and not self.look(body, kind.name).state:
                offered = self._offered(body, kind)
                if offered or kind.name in self.table.errands.get(body.id, {}):
                    self.errand(body, kind.name).told = offered
        for errand in tuple(self.table.errands.get(body.id, {}).values()):
            if errand.state in (ACTIVE, READY):
                self._catch_up(errand)

    def look_again(self, body: Body) -> None:
        """Tell a player of the quests that are open now and were not before."""
        for kind in self.kinds.quests.values():
            if kind.needs or self.table.sets:
                self._tell_available(body, kind)

    def _catch_up(self, errand: Errand) -> None:
        """Let goals be met whose target came within reach while the player was away."""
        kind = errand.kind
        for index, goal in enumerate(kind.goals):
            kept = errand.goals[index]
            found = self.tallies.find(errand.owner.id, "goal", f"{kind.name}/{index}")
            if goal.tally is not None and not kept.met and found is not None and found[0].reached(found[1]):
                kept.met = True
                self._sync(errand)
                kept.progress = kept.target
                self._tell_met(errand, index)
        if not self._judge(errand):
            self._look_at_held(errand)

    def _placed(self, event: Event) -> None:
        """Let the goals for all of something ask for one more."""
        self._ask_for(str(event.values[0]), str(event.values[1]), 1)

    def _removed(self, placement: PlacementState) -> None:
        """Let the goals for all of something no longer ask for what the host took away untaken."""
        if not placement.taken:
            self._ask_for(placement.pickup, placement.id, -1)

    def _nothing_left(self) -> None:
        """Let goals for all of something begin anew, and ask for what the next stage has."""
        for player, errands in self.table.errands.items():
            for errand in errands.values():
                for index, goal in enumerate(errand.kind.goals if errand.state in (ACTIVE, READY) else ()):
                    kept, ref = errand.goals[index], f"{errand.kind.name}/{index}"
                    if goal.count != "all" or goal.tally is None or kept.met:
                        continue
                    running = self.tallies.find(player, "goal", ref) is not None
                    self.tallies.stop(player, "goal", ref)
                    errand.goals[index] = Progress(ENDLESS)
                    if running:
                        self.tallies.start(goal.tally, player, "goal", ref, ENDLESS)

    def _ask_for(self, pickup: str, placement: str, more: int) -> None:
        for errands in tuple(self.table.errands.values()):
            for errand in tuple(errands.values()):
                for index, goal in enumerate(errand.kind.goals if errand.state in (ACTIVE, READY) else ()):
                    kept = errand.goals[index]
                    if (
                        goal.count != "all"
                        or goal.tally is None
                        or kept.met
                        or not self.pickups.is_a(pickup, goal.tally.match.of)
                    ):
                        continue
                    found = self.tallies.find(errand.owner.id, "goal", f"{errand.kind.name}/{index}")
                    kept.target = (0 if kept.target == ENDLESS else kept.target) + more or ENDLESS
                    if found is not None:
                        bucket, member = found
                        bucket.seen.pop(placement, None)  # another of the same name is another one
                        member.target = kept.target
                        bucket.enter_anew(member)
                        if bucket.reached(member) and member.target:
                            self._met(errand, index)

    def forget(self, body: Body) -> None:
        """Drop what is kept of a player who goes, and what is due for it."""
        for errand in self.table.errands.pop(body.id, {}).values():
            self._disarm(errand)
            for user, count in (("goal", len(errand.goals)), ("fail", len(errand.fails))):
                for number in range(count):
                    self.tallies.stop(body.id, user, f"{errand.kind.name}/{number}")

    # days

    def set_day(self, day: int) -> bool:
        """Let it be a later day: what waited for one comes back. Returns False where it is that day
        already."""
        table = self.table
        if table.day is not None and day < table.day:
            raise AmountError("the day", day, f"{table.day} or later: days only go on")
        if day == table.day:
            return False
        table.day = day
        for draw in table.sets.values():
            days = self.kinds.quest_sets[draw.name].days
            if days and draw.period != day // days:
                draw.period = day // days
                self._draw_now(draw)
        for body in tuple(self.stage.players.values()):
            self._new_day(body)
        return True

    def _new_day(self, body: Body) -> None:
        """Offer a player what waited for this day. What ended before anybody said what day it is, here or
        in an earlier session, has ended today."""
        for errand in tuple(self.table.errands.get(body.id, {}).values()):
            if errand.state in (COMPLETED, FAILED) and errand.ended_on is None:
                errand.ended_on = self.table.day
            if errand.state in (COMPLETED, FAILED) and self._day_has_come(errand):
                self._offer_again(errand)
        for draw in self.table.sets.values():
            if draw.period is not None:
                self._offer_drawn(body, draw)

    def _day_has_come(self, errand: Errand) -> bool:
        today, ended, kind = self.table.day, errand.ended_on, errand.kind
        if today is None or ended is None:
            return False
        if kind.repeat_days and today >= ended + kind.repeat_days:
            return True
        return any(
            table.days and kind.name in table.quests and today // table.days > ended // table.days
            for table in self.kinds.quest_sets.values()
        )

    # sets

    def _offer_drawn(self, body: Body, draw: Draw) -> None:
        """Tell a player which quests of a set are open now."""
        for name in self.kinds.quest_sets[draw.name].quests:
            errand = self.errand(body, name)
            if not errand.state:
                errand.told = False
                self._tell_available(body, errand.kind)

    def _draw_now(self, draw: Draw) -> None:
        draw.drawn = []
        self._draw_more(draw)
        draw.times += 1

    def _draw_more(self, draw: Draw) -> None:
        """Draw as many quests as a set offers, beside those that are drawn already."""
        kind = self.kinds.quest_sets[draw.name]
        left = [quest for quest in kind.quests if quest not in draw.drawn]
        for turn in range(len(draw.drawn), min(kind.draw, len(kind.quests))):
            # Of a day the same, whenever in it a world begins.
            which = draw.times if draw.period is None else f"day {draw.period}"
            stream = f"set/{draw.name}/{which}/{turn}"
            draw.drawn.append(left.pop(int(self.stage.dice.draw(stream) * len(left))))
            self.stage.dice.forget(stream)  # never drawn from again

    def _draw(self, draw: Draw) -> None:
        """Draw a set anew: quests of it that were completed or failed may be offered again."""
        kind = self.kinds.quest_sets[draw.name]
        self._draw_now(draw)
        self.stage.clock.arm(draw, self.stage.clock.now + kind.every)
        for body in tuple(self.stage.players.values()):
            for name in kind.quests:
                errand = self.errand(body, name)
                if errand.state in (COMPLETED, FAILED):
                    self._offer_again(errand)
            self._offer_drawn(body, draw)

    # effects

    def _prepare_start(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, Blocked]:
        if not body.kind.player:
            return None, "not_a_player"
        state = self.state(body, effect.operand)
        return None, "" if state == LOCKED else _CLOSED.get(state, "")

    def _commit_start(self, scope: Scope, effect: Effect, body: Body, prepared: Any) -> None:
        self.accept(body, effect.operand, by_effect=True)

    def _prepare_fail(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, Blocked]:
        if not body.kind.player:
            return None, "not_a_player"
        return None, "" if self.state(body, effect.operand) in (ACTIVE, READY) else "not_active"

    def _commit_fail(self, scope: Scope, effect: Effect, body: Body, prepared: Any) -> None:
        self.fail(body, effect.operand)

    # what outlives the session

    def kept(self, body: Body) -> dict[str, Any]:
        """Return a player's quests as data: states, goals, what time is left (microseconds)."""
        now, found = self.stage.clock.now, {}
        for name, errand in self.table.errands.get(body.id, {}).items():
            if not errand.state and not errand.completions:
                continue
            limit = None if errand.limit is None else max(errand.limit.due - now, 0)
            if errand.overdue:
                limit = 0
            found[name] = {
                "state": errand.state,
                "completions": errand.completions,
                "limit": limit,
                "again": max(errand.again.due - now, 0) if errand.again is not None else None,
                "goals": [
                    self._kept_goal(body, "goal", f"{name}/{number}", kept)
                    for number, kept in enumerate(errand.goals)
                ],
                "fails": [
                    self._kept_goal(body, "fail", f"{name}/{number}", kept)
                    for number, kept in enumerate(errand.fails)
                ],
            }
            if errand.ended_on is not None:
                found[name]["day"] = errand.ended_on
        return found

    def _kept_goal(self, body: Body, user: str, ref: str, kept: Progress) -> dict[str, Any]:
        found = self.tallies.find(body.id, user, ref)
        tally = self.tallies.kept(*found) if found is not None else kept.kept(self.stage.clock.now)
        progress = self.tallies.progress(*found) if found is not None else kept.progress
        return {"progress": progress, "target": whole(kept.target), "met": kept.met, **tally}

    def back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player have the quests that were saved, and no others; returns those that are unknown."""
        errands = self.table.errands.get(body.id, {})
        open_before = [name for name, errand in errands.items() if errand.told and not errand.state]
        self.forget(body)
        if self.stage.told_why == "restarted":  # of what was open before nobody need be told again
            for name in open_before:
                self.errand(body, name).told = True
        for name in [name for name in data if name in self.kinds.quests]:
            saved, errand = data.pop(name), self.errand(body, name)
            errand.state, errand.completions, errand.told = saved["state"], saved["completions"], True
            errand.ended_on = saved.get("day")
            begun = errand.state in (ACTIVE, READY)
            for kept, goal, found in zip(
                errand.goals, errand.kind.goals, [*saved["goals"], *[None] * len(errand.goals)], strict=False
            ):
                self._goal_back(kept, found, goal.count if begun or found is None else None, body, goal)
            for kept, fail, found in zip(
                errand.fails, errand.kind.fails, [*saved["fails"], *[None] * len(errand.fails)], strict=False
            ):
                kept.target = self._fail_count(body, fail)
                self._tally_back(kept, found)
            if errand.state == READY and saved["limit"] == 0:
                errand.overdue = True
            elif begun and saved["limit"] is not None and errand.kind.time_limit:
                errand.limit = self._arm(errand, TimeLimit(), saved["limit"])
            if errand.state in (COMPLETED, FAILED) and errand.kind.repeat >= 0:
                errand.again = self._arm(
                    errand, Again(), errand.kind.repeat if saved["again"] is None else saved["again"]
                )
            self._sync(errand)
        return data

    def _goal_back(
        self, kept: Progress, saved: dict[str, Any] | None, count: Any, body: Body, goal: GoalKind
    ) -> None:
        """Let a goal be as it was saved; a plain number of the design is its target, whatever it was then."""
        self._tally_back(kept, saved)
        if saved is not None:
            endless = goal.count == "all" and not saved["target"]
            kept.target, kept.met = ENDLESS if endless else saved["target"], saved["met"]
        if saved is None or (count is not None and isinstance(count, (int, float)) and not kept.met):
            kept.target = self._target(body, goal)
        kept.progress = kept.target if kept.met else min(kept.progress, kept.target)

    def _tally_back(self, kept: Progress, saved: dict[str, Any] | None) -> None:
        if saved is not None:
            kept.rest(saved, saved["progress"], self.stage.clock.now)


def asks(count: Amount | str | None) -> object:
    """Return what a goal asks for, to be compared: a number, the text of a formula, or "all"."""
    return count.formula.text if isinstance(count, Expression) else count


def paired(was: Sequence[GoalKind | TallyKind], now: Sequence[GoalKind | TallyKind]) -> list[int | None]:
    """Return which of the goals that were each goal is now, by number from 0: the one of its name, else one
    that is equal, else one that counts the same; None for a new one."""
    left, found = dict(enumerate(was)), list[int | None]([None] * len(now))
    for same in (_same_name, _equal, _same_count):
        for number, goal in enumerate(now):
            if found[number] is None:
                at = next((at for at, old in left.items() if same(old, goal)), None)
                if at is not None:
                    found[number] = at
                    del left[at]
    return found


def _same_name(one: GoalKind | TallyKind, other: GoalKind | TallyKind) -> bool:
    name = getattr(one, "name", "")
    return bool(name) and name == getattr(other, "name", "")


def _equal(one: GoalKind | TallyKind, other: GoalKind | TallyKind) -> bool:
    return _same_count(one, other) and asks(one.count) == asks(other.count)


def _same_count(one: GoalKind | TallyKind, other: GoalKind | TallyKind) -> bool:
    names = [name for goal in (one, other) if (name := getattr(goal, "name", ""))]
    return len(names) < 2 and counts(one) == counts(other)


def counts(goal: GoalKind | TallyKind) -> str:
    """Return what a goal counts, to be compared."""
    return goal.what if hasattr(goal, "what") else goal.spec


def whole(number: float) -> float:
    """Return a number as a whole one where it is; what is endless stays 0 to be seen."""
    return 0 if number == ENDLESS else whole_if(number)
