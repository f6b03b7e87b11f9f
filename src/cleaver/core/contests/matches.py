"""Matches: contests with an end. Sides, standings, rounds, time, a winner.

A match's rules count only while it runs and for those in it. It ends once. Points are `scores`' business;
this part keeps its own standings of what its rules scored. Start at `Matches.start`.
"""

from __future__ import annotations

from functools import partial

from cleaver.core.contests.standing import DRAW, Contest, MatchTable, Place
from cleaver.core.contests.winning import Winning
from cleaver.core.goods.pickups import Pickups
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.part import Part
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.rules import matches, may_match, scope_of
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.kernel.state import each_under_its_name
from cleaver.errors import UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.contests.kinds import ContestKinds
    from cleaver.core.kernel.crossing import Crossing
    from cleaver.core.kernel.kinds import RuleKind


class Matches(Part):
    """The matches of one world."""

    stage: Stage
    kinds: ContestKinds
    effects: Effects
    pickups: Pickups
    table: MatchTable
    winning: Winning

    name = "matches"

    def __init__(self, stage: Stage, kinds: ContestKinds, effects: Effects, pickups: Pickups) -> None:
        self.stage, self.kinds, self.effects, self.pickups = stage, kinds, effects, pickups
        self.table = MatchTable()
        self.winning = Winning(self)
        stage.due["match"] = self._time_over
        stage.readable["match"] = self._read
        stage.sides = self.of_side
        pickups.removed.append(self.winning.removed)
        stage.endings.append(self._nothing_left)
        if any(kind.win_when is not None for kind in self.kinds.matches.values()):
            stage.moved.append(self.winning.look_around)
            stage.watches.append(self.winning.watch)

    def relink(self) -> None:
        """Put the caches back after unpacking."""
        each_under_its_name(self.table.contests, "name")
        for contest in self.table.contests.values():
            contest.kind = self.kinds.matches[contest.name]

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: matches that are gone, none of which runs, and those that are other ones now."""
        contests = self.table.contests
        for name in crossing.differing("matches", list(contests)):
            if name not in self.kinds.matches:
                crossing.ended.append(f"match {name}")
                del contests[name]
            else:
                self._fit(contests[name])

    def _fit(self, contest: Contest) -> None:
        """Let a match that began under another design be of the present one: its sides and its time."""
        kind = self.kinds.matches[contest.name]
        if kind.teams:
            had = contest.standings
            contest.standings = {side: had.get(side, 0) for side in kind.teams}
            for table in (contest.counts, contest.wins):
                for side in [side for side in table if side and side not in kind.teams]:
                    del table[side]
        if not kind.time_limit:
            contest.due, contest.left = -1, min(contest.left, 0)

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`: what a match has by now under other rules."""
        stage = self.stage
        for name in crossing.differing("matches", list(self.table.contests)):
            contest, old = self.table.contests[name], crossing.before.contests.kinds.matches[name]
            kind = contest.kind
            if not contest.running:
                continue
            if kind.time_limit and not old.time_limit and not contest.extra:
                if contest.left < 0:
                    stage.clock.arm(contest, stage.clock.later(kind.time_limit))
                else:
                    contest.left = int(kind.time_limit)
            if not kind.teams:
                players = dict.fromkeys(stage.players, 0)
                contest.standings = (players | contest.standings) if not old.teams else players
            if self.winning.wanted(kind) and not self.winning.wanted(old):
                asked = [one.id for word in self.winning.wanted(kind) for one in self.pickups.lying(word)]
                contest.asked, contest.counts = dict.fromkeys(asked, 1), {}

    def catch_up(self) -> None:
        """End the matches in which somebody has enough by now: they ask for less than they did."""
        for contest in list(self.table.contests.values()):
            self._catch_up(contest)

    def _catch_up(self, contest: Contest) -> None:
        win_at = contest.kind.win_at
        if self.open(contest) and isinstance(win_at, (int, float)) and contest.standings:
            places = self.places(contest)
            if places[0].score >= win_at:
                self.round_over(contest, self.leader(contest))

    def remember(self) -> Any:
        """See `Part`: every match as it stands, and how long until its end."""
        left = self.stage.clock.left
        return {
            name: [one.pack(), left(one.due) if one.due >= 0 else -1]
            for name, one in self.table.contests.items()
        }

    def put_back(self, data: Any) -> None:
        """See `Part`."""
        clock = self.stage.clock
        for contest in self.table.contests.values():
            clock.disarm(contest)
        known = self.kinds.matches  # one may be gone, under a design that was adopted since
        self.table.contests = {
            name: Contest.unpack(one, []) for name, (one, _) in data.items() if name in known
        }
        for contest in self.table.contests.values():
            self._fit(contest)
        self.relink()
        for contest in self.table.contests.values():
            if contest.due >= 0:
                clock.arm(contest, clock.later(data[contest.name][1]))

    def _nothing_left(self) -> None:
        """Let a match for all there is ask for what the next stage has."""
        for contest in self.table.contests.values():
            contest.asked, contest.counts = {}, {}

    def contest(self, name: str) -> Contest:
        """Return a match as it stands, to be read: a fresh one, kept nowhere, where it was never started."""
        found = self.table.contests.get(name)
        if found is None:
            kind = self.kinds.matches.get(name)
            if kind is None:
                raise UnknownNameError("match", name, tuple(self.kinds.matches))
            found = Contest(kind)
        return found

    def _read(self, body: Any, name: str, part: str) -> Any:
        contest = self.contest(name)
        if part in ("running", "winner", "round"):
            return getattr(contest, part)
        return self.time_left(contest) if part == "left" else contest.standings.get(part, 0)

    def time_left(self, contest: Contest) -> float:
        """Return the seconds left of a match; 0 where it has no limit or does not run."""
        if contest.left >= 0:
            return contest.left / 1e6
        return self.stage.clock.time_left(contest.due) if contest.due >= 0 else 0.0

    def side(self, contest: Contest, body: Body) -> str:
        """Return the side of a body in a match: its team, or itself where there are no teams; "" if it is not
        in it."""
        teams = contest.kind.teams
        if teams:
            return body.team if body.team in teams else ""
        return body.id if body.kind.player else ""

    def of_side(self, event: Event, won: bool) -> list[Body]:
        """Return the players of the side that won a match which has ended, or of all its other sides.

        After a draw there is nobody.
        """
        contest, winner = self.contest(event.match), event.winner
        if winner == DRAW:
            return []
        sides = ((body, self.side(contest, body)) for body in self.stage.players.values())
        return [body for body, side in sides if side and (side == winner) is won]

    def places(self, contest: Contest) -> list[Place]:
        """Return the standings, best first; equal scores share a rank, and the next one is skipped ("1, 1,
        3")."""
        order = sorted(contest.standings.items(), key=lambda item: -item[1])
        return [Place(1 + sum(other > score for _, other in order), side, score) for side, score in order]

    # start and end

    def start(self, name: str) -> Result:
        """Start a match, or start it anew: standings from 0."""
        contest = self.contest(name)
        if contest.running:
            return Result("running")
        kind = contest.kind
        self.table.contests[name] = contest
        contest.running, contest.winner, contest.round, contest.wins = True, "", 1, {}
        self._begin_round(contest)
        self.stage.emit("match_started", "", "", (kind.name,))
        return Result()

    def _begin_round(self, contest: Contest) -> None:
        kind, stage = contest.kind, self.stage
        contest.since, contest.drain = stage.seq, -1
        if (
            stage.handling
        ):  # what follows from the event at hand, which ended another, counts nothing in this one
            contest.drain = stage.delivery
            stage.shadow.add(stage.handling)
        asked = [placement.id for word in self.winning.wanted(kind) for placement in self.pickups.lying(word)]
        contest.asked = dict.fromkeys(asked, 1)
        players = [] if kind.teams else [body.id for body in self.stage.players.values()]
        contest.standings = dict.fromkeys(kind.teams or players, 0)
        contest.counts, contest.extra, contest.left = {}, False, -1
        if kind.time_limit:
            self.stage.clock.arm(contest, self.stage.clock.later(kind.time_limit))

    def end(self, name: str) -> Result:
        """End a match by hand: whoever leads wins."""
        contest = self.contest(name)
        if not contest.running:
            return Result("not_running")
        self._finish(contest, self.leader(contest))
        return Result()

    def pause(self, name: str, paused: bool) -> Result:
        """Pause a match (its rules count nothing, its time stands still), or let it go on."""
        contest = self.contest(name)
        if not contest.running:
            return Result("not_running")
        if paused == self.paused(contest):
            return Result("no_change")
        clock = self.stage.clock
        if paused:
            contest.left = clock.left(contest.due) if contest.due >= 0 else 0
            clock.disarm(contest)
        else:
            if contest.kind.time_limit and not contest.extra:
                clock.arm(contest, clock.later(contest.left))
            contest.left = -1
            self._catch_up(contest)  # what has come to pass meanwhile
            self.winning.all_collected(contest)
        return Result()

    @staticmethod
    def paused(contest: Contest) -> bool:
        """Return whether a match is paused."""
        return contest.left >= 0

    def leader(self, contest: Contest) -> str:
        """Return which side leads, "" for none."""
        places = self.places(contest)
        if not places or (len(places) > 1 and places[1].rank == 1):
            return DRAW
        return places[0].side

    def _time_over(self, contest: Contest) -> None:
        leader = self.leader(contest)
        if leader == DRAW and contest.kind.on_tie == "extra_time":
            contest.extra = True  # the next point decides
            return
        self.round_over(contest, leader)

    def round_over(self, contest: Contest, winner: str) -> None:
        """End a round; the match ends with it unless it is the best of several and nobody has enough yet."""
        rounds = contest.kind.rounds
        if rounds == 1:
            self._finish(contest, winner)
            return
        if winner != DRAW:
            contest.wins[winner] = contest.wins.get(winner, 0) + 1
        self.stage.emit("round_ended", "", "", (contest.name, contest.round, winner))
        if winner != DRAW and contest.wins[winner] * 2 > rounds:
            self._finish(contest, winner)
        elif contest.round >= rounds:
            most = max(contest.wins.values(), default=0)
            leaders = [side for side, wins in contest.wins.items() if wins == most]
            self._finish(contest, leaders[0] if len(leaders) == 1 else DRAW)
        else:
            contest.round += 1
            self._begin_round(contest)

    def _finish(self, contest: Contest, winner: str) -> None:
        contest.running, contest.winner, contest.left = False, winner, -1
        self.stage.clock.disarm(contest)
        self.stage.emit("match_ended", "", "", (contest.name, winner))

    # while it runs

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan the rules of all matches, and what may end one, for events of one name between two kinds."""
        stage = self.stage
        found: list[tuple[str, Reaction]] = []
        for match in self.kinds.matches.values():
            found += [
                (rule.where, partial(self._run, match.name, rule))
                for rule in match.rules
                if may_match(rule.match, stage, name, kind, source_kind)
            ]
            if match.win_at == "all" and name == "collected":
                found.append(("", partial(self.winning.collected, match.name)))
            if match.win_when is not None and name not in ("match_ended", "round_ended"):
                found.append(("", partial(self.winning.may_win, match.name)))
        return found

    def open(self, contest: Contest | None) -> bool:
        """Return whether a match counts: it runs, and is not paused."""
        return contest is not None and contest.running and contest.left < 0

    def after_its_end(self, contest: Contest) -> bool:
        """Return whether what is being delivered follows from the event that ended the round before."""
        return contest.drain == self.stage.delivery and self.stage.handling in self.stage.shadow

    def _run(self, name: str, rule: RuleKind, event: Event) -> None:
        contest = self.table.contests.get(name)
        if (
            contest is None
            or not self.open(contest)
            or event.seq <= contest.since
            or self.after_its_end(contest)
        ):
            return
        scope = scope_of(rule.match, self.stage, event, rule.where)
        if (
            scope is None
            or scope.me is None
            or not self.side(contest, scope.me)
            or not matches(rule.match, self.stage, event, scope)
        ):
            return
        scope.match = name
        if contest.kind.win_at == "all" and rule.match.on == "collected":
            self.winning.tick_off(contest, str(event.values[1]), self.side(contest, scope.me))
        self.effects.follow(rule.do, scope)

    def truce(self, target: Body) -> float | None:
        """Return the share of friendly fire that a running match sets for one side; None where none does."""
        for contest in self.table.contests.values():
            share = contest.kind.friendly_fire
            if contest.running and share is not None and self.side(contest, target):
                return share
        return None
