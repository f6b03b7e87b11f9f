"""Scores: points of players and their teams. Start at `Scores.add`."""

from __future__ import annotations

from collections.abc import Callable

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import MOST, BoundEffect, amount_of
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import ChangeResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record
from cleaver.core.vitals.meters import doer
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.contests.kinds import ContestKinds
    from cleaver.core.kernel.crossing import Crossing
    from cleaver.literals import Blocked


class ScoreTable(Record):
    """The state of this part: running totals by player and by team."""

    __slots__ = ("players", "teams")
    players: dict[str, int]
    teams: dict[str, int]

    def __init__(self) -> None:
        self.players, self.teams = {}, {}


class Scores(Part):
    """Points in one world."""

    stage: Stage
    kinds: ContestKinds
    table: ScoreTable

    name = "scores"

    def __init__(self, stage: Stage, kinds: ContestKinds) -> None:
        self.stage, self.kinds = stage, kinds
        self.table = ScoreTable()
        self.told: Callable[[str, Body, int], bool] | None = None  # told of what a match's rules scored
        stage.readable["score"] = lambda body, name, part: self.table.players.get(body.id, 0)
        stage.verbs["score"] = (self.prepare, self.commit)
        stage.verbs["deduct"] = (self.prepare_deduct, self.commit_deduct)

    def of_team(self, team: str) -> int:
        """Return the running total of a team."""
        return self.table.teams.get(team, 0)

    def add(self, body: Body, amount: int, source: str = "", match: str = "") -> ChangeResult:
        """Add points to a player and to its team."""
        if not body.kind.player:
            return ChangeResult("not_a_player")
        if amount == 0:
            return ChangeResult()
        table = self.table
        score, side = table.players.get(body.id, 0) + amount, table.teams.get(body.team, 0) + amount
        if max(score, side) > MOST:
            return ChangeResult("most", over=amount)
        table.players[body.id] = score
        if body.team:
            table.teams[body.team] = side
        self.stage.emit("scored", body.id, source, (amount, score, body.team, match))
        if match and self.told is not None:
            self.told(match, body, amount)
        return ChangeResult("", amount)

    def _less(self, body: Body, points: int) -> tuple[int, int]:
        """Return what is left of the totals of a player and of its team after so many points are taken."""
        less, table = self.kinds.less, self.table
        return less(table.players.get(body.id, 0), points), less(table.teams.get(body.team, 0), points)

    def deduct(self, body: Body, amount: int, source: str = "", match: str = "") -> ChangeResult:
        """Take points from a player and from its team, from each as many as there are.

        Returns what the player lost, and as `over` what it did not have.
        """
        if not body.kind.player:
            return ChangeResult("not_a_player")
        table = self.table
        before, (score, team) = table.players.get(body.id, 0), self._less(body, amount)
        if min(score, team) < -MOST:
            return ChangeResult("most", over=amount)
        changed = score != before or (bool(body.team) and team != table.teams.get(body.team, 0))
        if match and self.told is not None:
            changed = self.told(match, body, -amount) or changed
        if not changed:
            return ChangeResult("no_change", 0, amount)
        table.players[body.id] = score
        if body.team:
            table.teams[body.team] = team
        self.stage.emit("scored", body.id, source, (score - before, score, body.team, match))
        return ChangeResult("", before - score, amount - (before - score))

    def prepare_deduct(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        amount, blocked = self.prepare(scope, effect, body)
        if blocked or scope.match:  # of a match the standings count too
            return amount, blocked
        return amount, "no_change" if self._less(body, amount) == self._less(body, 0) else ""

    def commit_deduct(self, scope: Scope, effect: BoundEffect, body: Body, amount: Any) -> None:
        """See `effects`."""
        self.deduct(body, amount, doer(scope, body), scope.match)

    def prepare(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        amount = half_up(amount_of(effect.operand, scope))
        if not body.kind.player:
            return amount, "not_a_player"
        return amount, "" if amount else "no_change"

    def commit(self, scope: Scope, effect: BoundEffect, body: Body, amount: Any) -> None:
        """See `effects`."""
        self.add(body, amount, doer(scope, body), scope.match)

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("score", self.kept, self.back),)

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: teams that are gone, in which nobody stands."""
        teams = crossing.new.teams
        self.table.teams = {name: score for name, score in self.table.teams.items() if name in teams}

    def remember(self) -> Any:
        """See `Part`: the scores of teams."""
        return dict(self.table.teams)

    def put_back(self, data: Any) -> None:
        """See `Part`."""
        self.table.teams = dict(data)

    def kept(self, body: Body) -> dict[str, Any]:
        """Return a player's running total, to be saved where the design asks for it."""
        score = self.table.players.get(body.id, 0)
        return {"points": score} if score else {}

    def back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player have the score that was saved; its team keeps what it scored here."""
        score, before = data.pop("points", 0), self.table.players.pop(body.id, 0)
        if score:
            self.table.players[body.id] = score
        if told and score != before:
            self.stage.emit("scored", body.id, "", (score - before, score, body.team, ""))
        return data

    def forget(self, body: Body) -> None:
        """Drop the score of a player who goes; its team keeps what it scored."""
        self.table.players.pop(body.id, None)
