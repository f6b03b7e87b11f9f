"""Records: lifetime tallies of each player — the deepest dive, damage taken, a combo of the last seconds.

Start at `Records.value`.
"""

from __future__ import annotations

from cleaver.core.body import Body
from cleaver.core.stage import Stage
from cleaver.core.tally import Bucket, Member, Tallies

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

ENDLESS = float(2**63)  # the target of a tally without one


class Records:
    """The records of one world's players."""

    def __init__(self, stage: Stage, tallies: Tallies) -> None:
        self.stage, self.tallies = stage, tallies
        tallies.told["record"] = self._told
        stage.readable["record"] = lambda body, name, part: self.value(body, name)
        stage.departures.append(self._leave)

    def equip(self, body: Body) -> None:
        """Begin a new player's records."""
        if body._kind.player:
            for name, kind in self.stage.kinds.records.items():
                self.tallies.start(kind, body.id, "record", name, ENDLESS)

    def _leave(self, body: Body) -> None:
        for name, kind in self.stage.kinds.records.items():
            self.tallies.stop(kind, body.id, "record", name)

    @staticmethod
    def _told(bucket: Bucket, advanced: list[Member], met: list[Member]) -> None:
        """A record has no target and raises no fact."""

    def value(self, body: Body, name: str) -> float:
        """Return what a record of a player stands at; 0 where there is nothing yet."""
        found = self.tallies.find(self.stage.kinds.records[name], body.id, "record", name)
        if found is None:
            return 0
        bucket, member = found
        return self.tallies.value(bucket) if bucket._kind.within or bucket._kind.how in ("best", "least") else bucket.total - member.start

    def kept(self, body: Body) -> dict[str, Any]:
        """Return a player's records, to be saved; those of the last seconds are not."""
        found = {name: self.tallies.find(kind, body.id, "record", name) for name, kind in self.stage.kinds.records.items() if not kind.within}
        return {name: self._data(*tally) for name, tally in found.items() if tally is not None}

    def _data(self, bucket: Bucket, member: Member) -> list[Any]:
        value, seen = self.tallies.kept(bucket, member)
        return [bucket.total - member.start if bucket._kind.how in ("count", "sum") else value, seen]

    def back(self, body: Body, data: dict[str, Any]) -> dict[str, Any]:
        """Let a player's records go on from what was saved; returns those the design does not know."""
        for name in [name for name in data if name in self.stage.kinds.records]:
            found = self.tallies.find(self.stage.kinds.records[name], body.id, "record", name)
            if found is not None:
                self.tallies.put_back(*found, data[name])
            del data[name]
        return data
