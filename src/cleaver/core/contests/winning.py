"""Winning: what is counted in a match, and when it is won. Start at `Winning.scored`."""

from __future__ import annotations

from cleaver.core.contests.standing import DRAW, Contest, MatchTable
from cleaver.core.goods.pickups import Pickups
from cleaver.core.goods.pickups import PlacementState as PlacementState
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Reaction, Stage

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Protocol

    from cleaver.core.contests.kinds import ContestKinds, MatchKind

    class _Matches(Protocol):
        """What is asked of `Matches`."""

        kinds: ContestKinds
        pickups: Pickups
        stage: Stage
        table: MatchTable

        def after_its_end(self, contest: Contest) -> bool: ...
        def leader(self, contest: Contest) -> str: ...
        def open(self, contest: Contest | None) -> bool: ...
        def round_over(self, contest: Contest, winner: str) -> None: ...
        def contest(self, name: str) -> Contest: ...
        def side(self, contest: Contest, body: Body) -> str: ...


class Winning:
    """What wins the matches of one world."""

    matches: _Matches

    def __init__(self, matches: _Matches) -> None:
        self.matches = matches

    @staticmethod
    def tick_off(contest: Contest, placement: str, side: str) -> None:
        """Ask no longer for what a side has taken; "" is whoever takes it for no side."""
        if contest.asked.pop(placement, 0):
            contest.counts[side] = contest.counts.get(side, 0) + 1

    def collected(self, name: str, event: Event) -> None:
        """Look whether anything is left of a match for all there is, once its rule has counted what was
        taken. Also what others take, or somebody takes in a pause, is no longer there."""
        contest = self.matches.table.contests.get(name)
        if contest is not None and contest.running and event.seq > contest.since:
            self.tick_off(contest, str(event.values[1]), "")
            self.all_collected(contest)

    def scored(self, name: str, body: Body, amount: int) -> bool:
        """Add what a match's rule scored to its standings, or take it away, and end it where that is enough;
        returns whether that changed anything."""
        contest = self.matches.contest(name)
        side = self.matches.side(contest, body)
        if not contest.running or not side or self.matches.after_its_end(contest):
            return False
        before = contest.standings.get(side, 0)
        score = before + amount if amount > 0 else self.matches.kinds.less(before, -amount)
        contest.standings[side] = score
        win_at = contest.kind.win_at
        if (contest.extra and self.matches.leader(contest) != DRAW) or (
            isinstance(win_at, (int, float)) and score >= win_at
        ):
            self.matches.round_over(contest, self.matches.leader(contest) if contest.extra else side)
        return score != before

    @staticmethod
    def wanted(kind: MatchKind) -> list[str]:
        """Return what a match that is won by all of something counts: pickups or their tags, "" for any."""
        return (
            [rule.match.of for rule in kind.rules if rule.match.on == "collected"]
            if kind.win_at == "all"
            else []
        )

    def all_collected(self, contest: Contest) -> None:
        """End a match for all there is once nothing is left of it: by whoever has it all, else by the leader;
        all of nothing wins nothing."""
        if self.matches.open(contest) and not contest.asked and contest.counts:
            first, *others = contest.counts
            self.matches.round_over(contest, first if first and not others else self.matches.leader(contest))

    def follow_placed(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan that matches ask for what is placed while they run."""
        return (
            [("", self._placed)]
            if name == "placed" and any(self.wanted(match) for match in self.matches.kinds.matches.values())
            else []
        )

    def _placed(self, event: Event) -> None:
        for contest in self.matches.table.contests.values():
            if (
                contest.running
                and event.seq > contest.since
                and any(
                    self.matches.pickups.is_a(str(event.values[0]), word)
                    for word in self.wanted(contest.kind)
                )
            ):
                contest.asked[str(event.values[1])] = 1

    def removed(self, placement: PlacementState) -> None:
        """Ask no longer for what the host took away untaken."""
        for contest in self.matches.table.contests.values():
            if contest.running and contest.asked.pop(placement.id, 0):
                self.all_collected(contest)

    def may_win(self, name: str, event: Event) -> None:
        """See whether an event has won a match."""
        contest = self.matches.table.contests.get(name)
        if contest is not None and event.seq > contest.since and not self.matches.after_its_end(contest):
            self._look_whether_won(contest)

    def _won_by(self, contest: Contest) -> str:
        """Return the side for which the formula of a match holds now; "" for none."""
        if self.matches.open(contest) and contest.kind.win_when is not None:
            for body in self.matches.stage.players.values():
                side = self.matches.side(contest, body)
                if side and contest.kind.win_when.holds(Scope(self.matches.stage, body)):
                    return side
        return ""

    def _look_whether_won(self, contest: Contest) -> None:
        side = self._won_by(contest)
        if side:
            self.matches.round_over(contest, side)

    def look_around(self) -> None:
        """Look whether a match has been won by time, or by where somebody stands."""
        for contest in tuple(self.matches.table.contests.values()):
            self._look_whether_won(contest)

    def watch(self) -> Callable[[], bool] | None:
        """Give the question whether time has won a match."""
        running = [
            contest
            for contest in self.matches.table.contests.values()
            if self.matches.open(contest) and contest.kind.win_when is not None
        ]
        return (lambda: any(self._won_by(contest) for contest in running)) if running else None
