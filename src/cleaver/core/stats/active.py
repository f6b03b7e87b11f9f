"""Active: statuses that are on exactly while a condition holds, such as the rage of a boss.

Start at `Active`.
"""

from __future__ import annotations

from cleaver.core.kernel.body import Ailment, Body
from cleaver.core.kernel.part import Part
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.stats.account import Stats
from cleaver.core.stats.kinds import ACTIVE

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Protocol

    from cleaver.core.kernel.actor_kinds import StatusKind
    from cleaver.core.kernel.crossing import Crossing

    class _Statuses(Protocol):
        """What is asked of `Statuses`."""

        def put_on(self, body: Body, kind: StatusKind, source: str, lasts: int, spans: list[int]) -> Any: ...
        def end(self, ailment: Ailment, why: str, cause: int) -> None: ...


class Active(Part):
    """The statuses of one world that hang on conditions."""

    stage: Stage
    stats: Stats
    statuses: _Statuses

    def __init__(self, stage: Stage, stats: Stats, statuses: _Statuses) -> None:
        self.stage, self.stats, self.statuses = stage, stats, statuses
        stats.fits[ACTIVE] = lambda body, name, value, keep, cause: self.look(body)

    def look(self, body: Body) -> None:
        """Let begin what holds now, and end what holds no more."""
        if not body.alive:
            return  # death ends every status by itself
        scope = Scope(self.stage, body)
        for kind, condition in self.stats.sheet(body).active:
            there = [one for one in body.ailments if one.kind is kind]
            holds = condition.holds(scope)
            if holds and not there:
                self.statuses.put_on(body, kind, "", 0, [])
            for ailment in there if not holds else ():
                self.statuses.end(ailment, "over", -1)

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`: conditions that are others now."""
        for body in self.stage.actors.values():
            if crossing.watches(body):
                self.look(body)
