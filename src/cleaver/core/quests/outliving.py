"""Outliving: quests as a profile keeps them, and as they go on under another design.

Start at `Outliving.kept`.
"""

from __future__ import annotations

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.spans import as_data, from_data
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.tallies import Tallies
from cleaver.core.quests.errands import (
    ACTIVE,
    COMPLETED,
    ENDLESS,
    FAILED,
    READY,
    Again,
    Draw,
    Errand,
    Progress,
    QuestTable,
    TimeLimit,
    TurningIn,
    whole_count,
)
from cleaver.core.quests.kinds import GoalKind
from cleaver.core.quests.openings import Openings
from cleaver.core.quests.pairing import Identity, asks, identity, paired

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any, Protocol

    from cleaver.core.kernel.crossing import Crossing
    from cleaver.core.kernel.kinds import TallyKind
    from cleaver.core.quests.kinds import QuestKind, QuestKinds

    class _Quests(Protocol):
        """What is asked of `Quests`."""

        openings: Openings
        others: list[tuple[Errand, QuestKind, list[GoalKind | None]]]
        goals: Any
        kinds: QuestKinds
        sets: Any
        stage: Stage
        table: QuestTable
        tallies: Tallies

        def arm(self, errand: Errand, timer: Any, after: int) -> Any: ...
        def meet_at_once(self, errand: Errand) -> None: ...
        def plan_again(self, errand: Errand) -> None: ...
        def errand(self, body: Body, name: str) -> Errand: ...
        def forget(self, body: Body) -> None: ...
        def kind(self, name: str) -> QuestKind: ...


class Outliving:
    """What of quests outlives a session, or a design."""

    quests: _Quests

    def __init__(self, quests: _Quests) -> None:
        self.quests = quests

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: quests that are gone, those that have other goals, and the sets they are drawn from."""
        for player, errands in self.quests.table.errands.items():
            for name in crossing.differing("quests", list(errands)):
                errand, was = errands[name], crossing.before.quests.kinds.quests[name]
                self._come_to_rest(crossing, player, name, errand)
                now = self.quests.kinds.quests.get(name)
                if now is None:
                    for timer in (errand.turning, errand.limit, errand.again):
                        if timer is not None:
                            timer.due = -1
                    del errands[name]
                    continue
                goals, fails = (
                    paired([identity(one) for one in old], [identity(one) for one in new])
                    for old, new in ((was.goals, now.goals), (was.fails, now.fails))
                )
                errand.goals = [Progress() if at is None else errand.goals[at] for at in goals]
                errand.fails = [Progress() if at is None else errand.fails[at] for at in fails]
                self.quests.others.append(
                    (errand, was, [None if at is None else was.goals[at] for at in goals])
                )
        sets = self.quests.table.sets
        for name in [name for name in sets if name not in self.quests.kinds.quest_sets]:
            sets.pop(name).due = -1
        for name in crossing.differing("quest_sets", list(sets)):
            draw, kind = sets[name], self.quests.kinds.quest_sets[name]
            draw.drawn = [quest for quest in draw.drawn if quest in kind.quests]
            if not kind.every:
                draw.due = -1
            draw.period = self.quests.sets.period(name)

    def _come_to_rest(self, crossing: Crossing, player: str, name: str, errand: Errand) -> None:
        """Let no goal of an errand be tallied; what they stand at is kept."""
        tallies = crossing.before.tallies
        for user, each in (("goal", errand.goals), ("fail", errand.fails)):
            for number, kept in enumerate(each):
                found = tallies.find(player, user, f"{name}/{number}")
                if found is not None:
                    now = tallies.now(found[0].kind)
                    kept.rest(tallies.kept(*found), tallies.progress(*found), now)
                    self.quests.tallies.take_out(player, user, f"{name}/{number}")

    def go_across(self, crossing: Crossing) -> None:
        """See `Part`: quests ask for what they ask for now, and their spans are those that have begun."""
        clock = self.quests.stage.clock
        for errand, was, olds in self.quests.others:
            body, kind = errand.owner, errand.kind
            if errand.state in (ACTIVE, READY):
                for goal, old, kept in zip(kind.goals, olds, errand.goals, strict=True):
                    if (not kept.met or goal.hold) and (old is None or asks(old.count) != asks(goal.count)):
                        kept.target = self.quests.goals.target(body, goal)
                        kept.progress = min(kept.progress, kept.target)
                for fail, kept in zip(kind.fails, errand.fails, strict=True):
                    kept.target = self.quests.goals.fail_count(body, fail)
            if errand.limit is not None and not kind.time_limit:
                clock.disarm(errand.limit)
                errand.limit = None
            elif errand.state == ACTIVE and kind.time_limit and not was.time_limit:
                errand.limit = self.quests.arm(errand, TimeLimit(), kind.time_limit)
            if errand.again is not None and kind.repeat < 0:
                clock.disarm(errand.again)
                errand.again = None
            elif errand.again is None and was.repeat < 0:
                self.quests.plan_again(errand)
            self.quests.goals.sync(errand)
        self.quests.others = []
        for name, kind_of in self.quests.kinds.quest_sets.items():
            draw = self.quests.table.sets.get(name)
            if draw is None:
                draw = self.quests.table.sets[name] = Draw(name)
                draw.period = self.quests.sets.period(name)
                self.quests.sets.draw_now(draw)
            elif crossing.differs("quest_sets", name):
                self.quests.sets.draw_more(draw)
            if kind_of.every and draw.due < 0:
                clock.arm(draw, clock.later(kind_of.every))
        self.quests.table.sets = {name: self.quests.table.sets[name] for name in self.quests.kinds.quest_sets}

    def open_up(self, crossing: Crossing) -> None:
        """Let goals be met that ask for no more than there is by now, and quests be offered that are open
        by now."""
        sets = crossing.differing("quest_sets", self.quests.kinds.quest_sets)
        for body in tuple(self.quests.stage.players.values()):
            errands = self.quests.table.errands.get(body.id, {})
            for name in crossing.differing("quests", self.quests.kinds.quests):
                errand = errands.get(name)
                if errand is not None and errand.state in (ACTIVE, READY):
                    self.quests.meet_at_once(errand)
                elif self.quests.kind(name).needs:
                    self.quests.openings.tell_available(body, self.quests.kind(name))
            for name in dict.fromkeys(
                quest for one in sets for quest in self.quests.kinds.quest_sets[one].quests
            ):
                self.quests.openings.tell_available(body, self.quests.kind(name))

    def kept(self, body: Body) -> dict[str, Any]:
        """Return a player's quests as data: states, goals, what time is left (microseconds)."""
        clock, found = self.quests.stage.clock, {}
        for name, errand in self.quests.table.errands.get(body.id, {}).items():
            if not errand.state and not errand.completions:
                continue
            limit = None if errand.limit is None else as_data(max(clock.left(errand.limit.due), 0))
            if errand.overdue:
                limit = 0
            found[name] = {
                "state": errand.state,
                "completions": errand.completions,
                "limit": limit,
                "again": max(clock.left(errand.again.due), 0) if errand.again is not None else None,
                "goals": [
                    self._kept_goal(body, "goal", f"{name}/{number}", kept, goal)
                    for number, (kept, goal) in enumerate(zip(errand.goals, errand.kind.goals, strict=True))
                ],
                "fails": [
                    self._kept_goal(body, "fail", f"{name}/{number}", kept, fail)
                    for number, (kept, fail) in enumerate(zip(errand.fails, errand.kind.fails, strict=True))
                ],
            }
            if errand.ended_on is not None:
                found[name]["day"] = errand.ended_on
        return found

    def _kept_goal(
        self, body: Body, user: str, ref: str, kept: Progress, goal: GoalKind | TallyKind
    ) -> dict[str, Any]:
        found = self.quests.tallies.find(body.id, user, ref)
        now = self.quests.tallies.now(_tally(goal))
        tally = self.quests.tallies.kept(*found) if found is not None else kept.kept(now)
        progress = self.quests.tallies.progress(*found) if found is not None else kept.progress
        known = identity(goal)
        return {
            "progress": progress,
            "target": whole_count(kept.target),
            "met": kept.met,
            **tally,
            "goal": [known.name, known.counts, str(known.asks)],
        }

    @staticmethod
    def _saved_of(saved: list[dict[str, Any]], now: Sequence[GoalKind | TallyKind]) -> list[Any]:
        """Return what was saved of each goal there is now, None for a new one; what Cleaver 0.2.0 saved has
        no more than its place."""
        if not all("goal" in one for one in saved):
            return [*saved, *[None] * len(now)][: len(now)]
        found = paired([Identity(*one["goal"]) for one in saved], [identity(goal) for goal in now])
        return [None if at is None else saved[at] for at in found]

    def back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player have the quests that were saved, and no others; returns those that are unknown."""
        errands = self.quests.table.errands.get(body.id, {})
        open_before = [name for name, errand in errands.items() if errand.told and not errand.state]
        self.quests.forget(body)
        if self.quests.stage.told_why == "restarted":  # of what was open before nobody need be told again
            for name in open_before:
                self.quests.errand(body, name).told = True
        for name in [name for name in data if name in self.quests.kinds.quests]:
            saved, errand = data.pop(name), self.quests.errand(body, name)
            errand.state, errand.completions, errand.told = saved["state"], saved["completions"], True
            errand.ended_on = saved.get("day")
            begun = errand.state in (ACTIVE, READY)
            goals, fails = errand.kind.goals, errand.kind.fails
            saved_goals = self._saved_of(saved["goals"], goals)
            for kept, goal, found in zip(errand.goals, goals, saved_goals, strict=True):
                self._goal_back(kept, found, goal.count if begun or found is None else None, body, goal)
            saved_fails = self._saved_of(saved["fails"], fails)
            for kept, fail, found in zip(errand.fails, fails, saved_fails, strict=True):
                kept.target = self.quests.goals.fail_count(body, fail)
                self._tally_back(kept, found, fail)
            if errand.state == READY and saved["limit"] == 0:
                errand.overdue = True
            elif begun and saved["limit"] is not None and errand.kind.time_limit:
                errand.limit = self.quests.arm(errand, TimeLimit(), from_data(saved["limit"]))
            if errand.state in (COMPLETED, FAILED) and errand.kind.repeat >= 0:
                errand.again = self.quests.arm(
                    errand, Again(), errand.kind.repeat if saved["again"] is None else saved["again"]
                )
            self.quests.goals.sync(errand)
        return data

    def turning_kept(self, body: Body) -> dict[str, int]:
        """Return the microseconds left of each turning in that lasts."""
        now, errands = self.quests.stage.clock.now, self.quests.table.errands.get(body.id, {})
        return {name: one.turning.due - now for name, one in errands.items() if one.turning is not None}

    def turning_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let be turned in what was being turned in."""
        for name, errand in self.quests.table.errands.get(body.id, {}).items():
            if name in data and errand.state == READY and errand.turning is None:
                errand.turning = self.quests.arm(errand, TurningIn(), data[name])
        return {}

    def _goal_back(
        self, kept: Progress, saved: dict[str, Any] | None, count: Any, body: Body, goal: GoalKind
    ) -> None:
        """Let a goal be as it was saved; a plain number of the design is its target, whatever it was then."""
        self._tally_back(kept, saved, goal)
        if saved is not None:
            endless = goal.count == "all" and not saved["target"]
            kept.target, kept.met = ENDLESS if endless else saved["target"], saved["met"]
        asked = count is not None and isinstance(count, (int, float)) and (not kept.met or goal.hold)
        if saved is None or asked:
            kept.target = self.quests.goals.target(body, goal)
        kept.progress = kept.target if kept.met else min(kept.progress, kept.target)

    def _tally_back(self, kept: Progress, saved: dict[str, Any] | None, goal: GoalKind | TallyKind) -> None:
        if saved is not None:
            kept.rest(saved, saved["progress"], self.quests.tallies.now(_tally(goal)))


def _tally(goal: GoalKind | TallyKind) -> TallyKind | None:
    """Return what a goal, or a fail, counts; None for a goal of something held."""
    return goal.tally if isinstance(goal, GoalKind) else goal
