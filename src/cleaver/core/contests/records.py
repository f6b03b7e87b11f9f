"""Records: lifetime tallies of each player — the deepest dive, damage taken, a combo of the last seconds.

Start at `Records.value`.
"""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.tallies import Bucket, Member, Tallies

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.contests.kinds import ContestKinds
    from cleaver.core.kernel.crossing import Crossing
else:
    Any = object

EMPTY: Mapping[str, Any] = {}
ENDLESS = float(2**63)  # the target of a tally without one


class Records(Part):
    """The records of one world's players."""

    stage: Stage
    kinds: ContestKinds
    tallies: Tallies

    def __init__(self, stage: Stage, kinds: ContestKinds, tallies: Tallies) -> None:
        self.stage, self.kinds, self.tallies = stage, kinds, tallies
        self._others: dict[str, dict[str, Any]] = {}  # what is to go on under another design, by player
        tallies.told["record"] = self._told
        stage.readable["record"] = lambda body, name, part: self.value(body, name)

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("records", self.kept, self.back, known=lambda kind: self.kinds.records),)

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: records that are gone or count something else now."""
        was, now, tallies = crossing.before.records.kinds.records, self.kinds.records, crossing.before.tallies
        others = [name for name, kind in was.items() if name not in now or now[name].spec != kind.spec]
        for body in crossing.players():
            for name in others:
                found = tallies.find(body, "record", name)
                if found is not None:
                    self._others.setdefault(body, {})[name] = tallies.kept(*found)
                    self.tallies.take_out(body, "record", name)

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`: new ones begin, and others go on with what there was."""
        for body in self.stage.players.values():
            kept = self._others.get(body.id, EMPTY)
            for name, kind in self.kinds.records.items():
                if self.tallies.find(body.id, "record", name) is None:
                    self.tallies.start(kind, body.id, "record", name, ENDLESS, done=kept.get(name))
        self._others = {}

    def equip(self, body: Body, kept: Mapping[str, Any] = EMPTY) -> None:
        """Begin a new player's records, with what it had of each before."""
        if body.kind.player:
            for name, kind in self.kinds.records.items():
                self.tallies.start(kind, body.id, "record", name, ENDLESS, done=kept.get(name))

    def forget(self, body: Body) -> None:
        """Drop what is kept of a player who goes."""
        for name in self.kinds.records:
            self.tallies.stop(body.id, "record", name)

    def _told(self, bucket: Bucket, advanced: list[Member], met: list[Member]) -> None:
        """A record has no target and raises no event."""
        self.stage.touched("record", bucket.owner)

    def value(self, body: Body, name: str) -> float:
        """Return what a record of a player stands at; 0 where there is nothing yet."""
        found = self.tallies.find(body.id, "record", name)
        if found is None:
            return 0
        bucket, member = found
        return (
            self.tallies.value(bucket)
            if bucket.kind.within or bucket.kind.how in ("best", "least")
            else bucket.total - member.start
        )

    def kept(self, body: Body) -> dict[str, Any]:
        """Return a player's records, to be saved."""
        found = {name: self.tallies.find(body.id, "record", name) for name in self.kinds.records}
        return {name: self.tallies.kept(*tally) for name, tally in found.items() if tally is not None}

    def back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player's records go on from what was saved, and begin those that were not; returns those the
        design does not know."""
        self.forget(body)
        self.equip(body, {name: data.pop(name) for name in list(data) if name in self.kinds.records})
        return data
