"""Achievements: given once per player, for ever.

A tally like any other, or given by an effect; with ranks, several thresholds of one tally. Start at
`Achievements.grant`.
"""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.expressions import BoundEffect, amount_of
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record
from cleaver.core.kernel.tallies import Bucket, Member, Tallies
from cleaver.errors import UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.crossing import Crossing
    from cleaver.core.kernel.tallies import Kept
    from cleaver.core.quests.kinds import AchievementKind, QuestKinds
    from cleaver.literals import Blocked
else:
    Any = object

EMPTY: Mapping[str, Any] = {}


class AchievementTable(Record):
    """The state of this part: what each player has achieved, with the ranks."""

    __slots__ = ("achieved",)
    achieved: dict[str, dict[str, dict[str, int]]]

    def __init__(self) -> None:
        self.achieved = {}


class Achievements(Part):
    """The achievements of one world's players."""

    stage: Stage
    kinds: QuestKinds
    effects: Effects
    tallies: Tallies
    table: AchievementTable

    name = "achievements"

    def __init__(self, stage: Stage, kinds: QuestKinds, effects: Effects, tallies: Tallies) -> None:
        self.stage, self.kinds, self.effects, self.tallies = stage, kinds, effects, tallies
        self.table = AchievementTable()
        self._others: dict[str, dict[str, dict[str, Kept]]] = {}  # what is to go on under another design
        tallies.told["achievement"] = self._told
        stage.bears["achievement"] = lambda body, name: int(bool(self.ranks(body, name)))
        stage.readable["achieved"] = self._read
        stage.verbs["grant"] = (self._prepare, self._commit)

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (
            Keeper(
                "achievements",
                self.kept,
                self.back,
                again=self._once_more,
                known=lambda kind: self.kinds.achievements,
            ),
        )

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: achievements that are gone, or other ones now."""
        before = crossing.before
        others = crossing.differing("achievements", before.achievements.kinds.achievements)
        for player in crossing.players():
            for name in others:
                for rank in before.achievements.kind(name).ranks:
                    found = before.tallies.find(player, "achievement", f"{name}/{rank}")
                    if found is not None:
                        kept = self._others.setdefault(player, {}).setdefault(name, {})
                        kept[rank] = before.tallies.kept(*found)
                        self.tallies.take_out(player, "achievement", f"{name}/{rank}")
        crossing.only(self.table.achieved, self.kinds.achievements)

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`: new ones begin, and others go on with what was counted."""
        for body in self.stage.players.values():
            self.equip(body, self._others.get(body.id, EMPTY), new=False)
        self._others = {}

    def kind(self, name: str) -> AchievementKind:
        """Return an achievement of the design by its name."""
        found = self.kinds.achievements.get(name)
        if found is None:
            raise UnknownNameError("achievement", name, tuple(self.kinds.achievements))
        return found

    def ranks(self, body: Body, name: str) -> dict[str, int]:
        """Return the ranks that a player has of an achievement; one without ranks has the rank ""."""
        return self.table.achieved.get(body.id, {}).get(name, {})

    def equip(
        self, body: Body, tallies: Mapping[str, Mapping[str, Kept]] = EMPTY, *, new: bool = True
    ) -> None:
        """Begin the tallies of what a player has not achieved yet, with what it had of each before, by
        achievement and rank; those that are at work already go on where it is not *new*."""
        if not body.kind.player:
            return
        for name, kind in self.kinds.achievements.items():
            if kind.tally is None:
                continue
            had = self.ranks(body, name)
            before = tallies.get(name, EMPTY)
            for rank, count in kind.ranks.items():
                ref = f"{name}/{rank}"
                if rank not in had and (new or self.tallies.find(body.id, "achievement", ref) is None):
                    target = amount_of(count, Scope(self.stage, body))
                    done = before.get(rank) or self._most(before) or self._at_least(kind, had)
                    self.tallies.start(kind.tally, body.id, "achievement", ref, target, done=done)

    @staticmethod
    def _most(tallies: Mapping[str, Kept]) -> Kept | None:
        """Return the furthest of what was saved for other ranks: a rank that is new counts from there."""
        return max(tallies.values(), key=lambda kept: (len(kept["stamps"]), kept["total"]), default=None)

    @staticmethod
    def _at_least(kind: AchievementKind, had: Mapping[str, int]) -> Kept | None:
        """Return what a player must have counted who has all ranks that there were."""
        counts = [
            count for rank, count in kind.ranks.items() if rank in had and isinstance(count, (int, float))
        ]
        if not counts or kind.tally is None or kind.tally.how not in ("count", "sum") or kind.tally.within:
            return None
        return {"total": max(counts), "seen": [], "stamps": []}

    def arrived(self, body: Body) -> None:
        """Give a player what came within its reach while it was away."""
        for name, kind in self.kinds.achievements.items():
            for rank in kind.ranks:
                found = self.tallies.find(body.id, "achievement", f"{name}/{rank}")
                if found is not None and found[0].reached(found[1]):
                    self._give(body, kind, rank)

    def forget(self, body: Body) -> None:
        """Drop what is kept of a player who goes."""
        self.table.achieved.pop(body.id, None)
        self._stop(body)

    def _stop(self, body: Body) -> None:
        for name, kind in self.kinds.achievements.items():
            for rank in kind.ranks:
                self.tallies.stop(body.id, "achievement", f"{name}/{rank}")

    def progress(self, body: Body, name: str) -> tuple[float, float]:
        """Return (progress, target) towards the last rank that is not achieved yet."""
        kind = self.kind(name)
        best: tuple[float, float] = (0, 0)
        for rank, count in kind.ranks.items():
            found = self.tallies.find(body.id, "achievement", f"{name}/{rank}")
            target = amount_of(count, Scope(self.stage, body))
            if rank in self.ranks(body, name):
                best = (target, target)
            else:
                best = (self.tallies.progress(*found) if found is not None else 0, target)
        return best

    def _read(self, body: Body, name: str, part: str) -> Any:
        return self.progress(body, name)[0] if part else bool(self.ranks(body, name))

    def _told(self, bucket: Bucket, advanced: list[Member], met: list[Member]) -> None:
        body = self.stage.actors.get(bucket.owner)
        for member in met:
            if body is not None:
                name, _, rank = member.ref.partition("/")
                self._give(body, self.kind(name), rank)

    def _give(self, body: Body, kind: AchievementKind, rank: str) -> None:
        ranks = self.table.achieved.setdefault(body.id, {}).setdefault(kind.name, {})
        if rank in ranks:
            return
        ranks[rank] = 1
        if kind.tally is not None:
            self.tallies.stop(body.id, "achievement", f"{kind.name}/{rank}")
        before, self.stage.cause = (
            self.stage.cause,
            self.stage.emit("achieved", body.id, "", (kind.name, rank)),
        )
        self.stage.touched("achieved", body.id)
        try:
            scope = Scope(
                self.stage, body, None, body, place=f"achievements.{kind.name}.reward", reason=kind.name
            )
            self.effects.follow(kind.reward, scope, owed=True)
        finally:
            self.stage.cause = before

    def grant(self, body: Body, name: str) -> Result:
        """Give an achievement, all its ranks; once per player, for ever."""
        kind = self.kind(name)
        refused = self._refusal(body, kind)
        if refused:
            return Result(refused)
        for rank in kind.ranks:
            self._give(body, kind, rank)
        return Result()

    def _refusal(self, body: Body, kind: AchievementKind) -> Blocked:
        if not body.kind.player:
            return "not_a_player"
        return "no_change" if all(rank in self.ranks(body, kind.name) for rank in kind.ranks) else ""

    def _prepare(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        return None, self._refusal(body, self.kind(effect.operand))

    def _commit(self, scope: Scope, effect: BoundEffect, body: Body, prepared: Any) -> None:
        self.grant(body, effect.operand)

    # what outlives the session

    def kept(self, body: Body) -> dict[str, Any]:
        """Return what a player has achieved, and how far the rest is."""
        found: dict[str, Any] = {}
        for name, kind in self.kinds.achievements.items():
            tallies = {}
            for rank in kind.ranks:
                tally = self.tallies.find(body.id, "achievement", f"{name}/{rank}")
                kept = self.tallies.kept(*tally) if tally is not None else None
                if kept is not None and (kept["total"] or kept["seen"] or kept["stamps"]):
                    tallies[rank] = kept
            ranks = list(self.ranks(body, name))
            if ranks or tallies:
                found[name] = {"achieved": ranks, "tallies": tallies}
        return found

    def _once_more(self, body: Body, before: dict[str, Any]) -> None:
        """Give once more what has been achieved since: a stage was played again, and it is kept."""
        for name, kind in self.kinds.achievements.items():
            had = before.get(name, {}).get("achieved", ())
            for rank in self.ranks(body, name):
                if rank not in had:
                    place = f"achievements.{name}.reward"
                    scope = Scope(self.stage, body, None, body, place=place, reason=name)
                    self.effects.once_more(kind.reward, scope)

    def back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player have achieved what was saved; returns achievements the design does not know."""
        self.forget(body)
        known = {name: data.pop(name) for name in list(data) if name in self.kinds.achievements}
        achieved = {
            name: dict.fromkeys(saved["achieved"], 1) for name, saved in known.items() if saved["achieved"]
        }
        if achieved:
            self.table.achieved[body.id] = achieved
        self.equip(body, {name: saved["tallies"] for name, saved in known.items()})
        return data
