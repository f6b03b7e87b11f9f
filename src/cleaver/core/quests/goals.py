"""Goals: what the goals of errands ask for, how far they are, and when they are met.

Start at `Goals.sync`.
"""

from __future__ import annotations

from cleaver.core.goods.goods import Goods
from cleaver.core.goods.pickups import Pickups
from cleaver.core.goods.pickups import PlacementState as PlacementState
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import amount_of
from cleaver.core.kernel.results import QuestResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.tallies import Bucket, Member, Tallies
from cleaver.core.quests.errands import ACTIVE, ENDLESS, READY, Errand, Progress, QuestTable, whole_count

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Protocol

    from cleaver.core.kernel.kinds import TallyKind
    from cleaver.core.quests.kinds import GoalKind, QuestKind

    class _Quests(Protocol):
        """What is asked of `Quests`."""

        goods: Goods
        pickups: Pickups
        stage: Stage
        table: QuestTable
        tallies: Tallies

        def judge(self, errand: Errand) -> bool: ...
        def errand(self, body: Body, name: str) -> Errand: ...
        def fail(self, body: Body, name: str, cause: int = -1) -> QuestResult: ...
        def kind(self, name: str) -> QuestKind: ...


class Goals:
    """The goals of the quests of one world."""

    quests: _Quests

    def __init__(self, quests: _Quests) -> None:
        self.quests = quests

    def read_goal(self, body: Body, name: str, goal: str, which: int) -> float:
        """Return how far a goal is (which 0), or its target (1), by its name in a path: "goal1"."""
        number = int(goal.removeprefix("goal"))
        return whole_count(self.progress(body, name, number - 1)[which])

    def progress(self, body: Body, name: str, index: int) -> tuple[float, float]:
        """Return (progress, target) of a goal."""
        errand = self.quests.table.errands.get(body.id, {}).get(name)
        goal = self.quests.kind(name).goals[index]
        if errand is None or not errand.state:
            target = self.target(body, goal)
            return 0, 0 if target == ENDLESS else target
        found = self.quests.tallies.find(body.id, "goal", f"{name}/{index}")
        kept = errand.goals[index]
        done = self.quests.tallies.progress(*found) if found is not None else self._at_rest(goal, kept)
        return done, 0 if kept.target == ENDLESS else kept.target

    def _at_rest(self, goal: GoalKind, kept: Progress) -> float:
        if kept.met or goal.tally is None or not goal.tally.within:
            return kept.progress
        stamps = kept.kept(self.quests.tallies.now(goal.tally))["stamps"]
        done: float = sum(amount for age, amount in stamps if age < goal.tally.window)
        return min(done, kept.target)

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

    def target(self, body: Body, goal: GoalKind) -> float:
        """Return how much a goal asks for, now."""
        if goal.count == "all":
            return (
                self.quests.pickups.to_be_had(goal.tally.match.of if goal.tally is not None else "")
                or ENDLESS
            )
        return whole_count(amount_of(goal.count, Scope(self.quests.stage, body)))  # type: ignore[arg-type]  # not "all"

    def fail_count(self, body: Body, fail: TallyKind) -> float:
        """Return how often what fails a quest may happen."""
        # Not "all"
        return max(amount_of(1 if fail.count is None else fail.count, Scope(self.quests.stage, body)), 1)  # type: ignore[arg-type]

    def sync(self, errand: Errand) -> None:
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
        found, now = self.quests.tallies.find(body.id, user, ref), self.quests.tallies.now(tally)
        if on and found is None:
            self.quests.tallies.start(tally, body.id, user, ref, kept.target, done=kept.kept(now))
        elif not on and found is not None:
            kept.rest(self.quests.tallies.kept(*found), self.quests.tallies.progress(*found), now)
            self.quests.tallies.stop(body.id, user, ref)

    def fail_rule(self, bucket: Bucket, advanced: list[Member], met: list[Member]) -> None:
        """Let a quest fail whose rule of failing has come true."""
        body = self.quests.stage.actors.get(bucket.owner)
        for member in met:
            if body is not None:
                self.quests.fail(body, member.ref.partition("/")[0])

    def advanced(self, bucket: Bucket, advanced: list[Member], met: list[Member]) -> None:
        """Tell of goals that advanced, then of those that are met, then of what that makes of their
        quests."""
        body = self.quests.stage.actors.get(bucket.owner)
        if body is None:
            return
        for member in advanced:
            quest, _, index = member.ref.partition("/")
            self._step(body, quest, int(index), self.quests.tallies.progress(bucket, member), member.target)
        for member in met:
            quest, _, index = member.ref.partition("/")
            errand = self.quests.errand(body, quest)
            if (
                errand.state in (ACTIVE, READY)
                and not errand.goals[int(index)].met
                and member.ref in bucket.members
            ):
                self._met(errand, int(index))

    def _step(self, body: Body, quest: str, index: int, progress: float, target: float) -> None:
        self.quests.stage.emit(
            "goal_advanced",
            body.id,
            "",
            (quest, f"goal{index + 1}", whole_count(progress), whole_count(target)),
        )

    def tell_met(self, errand: Errand, index: int) -> None:
        """Tell that a goal is met."""
        kept = errand.goals[index]
        self.quests.stage.emit(
            "goal_met",
            errand.owner.id,
            "",
            (errand.kind.name, f"goal{index + 1}", whole_count(kept.target), whole_count(kept.target)),
        )

    def _met(self, errand: Errand, index: int) -> None:
        """Note a goal that is met, and what that makes of its quest."""
        kept = errand.goals[index]
        kept.met = True
        self.sync(errand)
        kept.progress = kept.target
        self.tell_met(errand, index)
        if not self.quests.judge(errand):
            self.look_at_held(errand)

    @staticmethod
    def enough(errand: Errand) -> bool:
        """Return whether all goals are met that must be."""
        kind = errand.kind
        needed = [kept.met for goal, kept in zip(kind.goals, errand.goals, strict=True) if not goal.optional]
        return sum(needed) >= (kind.needs_goals or len(needed))

    def look_at_held(self, errand: Errand, good: str = "") -> None:
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
            progress = min(self.quests.goods.of(body, goal.hold), kept.target)
            if progress != kept.progress:
                kept.progress = progress
                self._step(body, kind.name, index, progress, kept.target)
            if (progress >= kept.target) != kept.met:
                kept.met = not kept.met
                self.sync(errand)
                if kept.met:
                    self.tell_met(errand, index)
                self.quests.judge(errand)
                return True
        return False

    def placed(self, event: Event) -> None:
        """Let the goals for all of something ask for one more."""
        self._ask_for(str(event.values[0]), str(event.values[1]), 1)

    def removed(self, placement: PlacementState) -> None:
        """Let the goals for all of something no longer ask for what the host took away untaken."""
        if not placement.taken:
            self._ask_for(placement.pickup, placement.id, -1)

    def nothing_left(self) -> None:
        """Let goals for all of something begin anew, and ask for what the next stage has."""
        for player, errands in self.quests.table.errands.items():
            for errand in errands.values():
                for index, goal in enumerate(errand.kind.goals if errand.state in (ACTIVE, READY) else ()):
                    kept, ref = errand.goals[index], f"{errand.kind.name}/{index}"
                    if goal.count != "all" or goal.tally is None or kept.met:
                        continue
                    running = self.quests.tallies.find(player, "goal", ref) is not None
                    self.quests.tallies.stop(player, "goal", ref)
                    errand.goals[index] = Progress(ENDLESS)
                    if running:
                        self.quests.tallies.start(goal.tally, player, "goal", ref, ENDLESS)

    def _ask_for(self, pickup: str, placement: str, more: int) -> None:
        for errands in tuple(self.quests.table.errands.values()):
            for errand in tuple(errands.values()):
                for index, goal in enumerate(errand.kind.goals if errand.state in (ACTIVE, READY) else ()):
                    kept = errand.goals[index]
                    if (
                        goal.count != "all"
                        or goal.tally is None
                        or kept.met
                        or not self.quests.pickups.is_a(pickup, goal.tally.match.of)
                    ):
                        continue
                    found = self.quests.tallies.find(errand.owner.id, "goal", f"{errand.kind.name}/{index}")
                    kept.target = (0 if kept.target == ENDLESS else kept.target) + more or ENDLESS
                    if found is not None:
                        bucket, member = found
                        bucket.seen.pop(placement, None)  # another of the same name is another one
                        member.target = kept.target
                        bucket.enter_anew(member)
                        if bucket.reached(member) and member.target:
                            self._met(errand, index)
