"""Carried: tags and statuses as a profile keeps them, where the design asks for it.

Start at `Carried.back`.
"""

from __future__ import annotations

from cleaver.core.kernel.body import Ailment, Beat, Body, Party
from cleaver.core.kernel.expressions import span_of
from cleaver.core.kernel.part import Keeper
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.spans import as_data, from_data
from cleaver.core.kernel.stage import Stage

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Protocol

    from cleaver.core.kernel.actor_kinds import StatusKind

    class _Statuses(Protocol):
        """What is asked of `Statuses`."""

        stage: Stage
        vitals: Any

        def changed(self, body: Body, cause: int = -1) -> None: ...
        def gather(self, body: Body) -> None: ...
        def forget_ailments(self, body: Body) -> None: ...
        def kind(self, name: str) -> StatusKind: ...


class Carried:
    """What of tags and statuses outlives a session."""

    statuses: _Statuses

    def __init__(self, statuses: _Statuses) -> None:
        self.statuses = statuses

    def keepers(self) -> tuple[Keeper, ...]:
        """Return the sections that are kept."""
        return (
            Keeper("tags", self.tags_kept, self.tags_back, of_players=False),
            Keeper("statuses", self.kept, self.back, of_players=False),
        )

    def tags_kept(self, body: Body) -> dict[str, Any]:
        """Return the tags that the host or an effect has set, to be saved."""
        return dict.fromkeys(body.tags, True)

    def tags_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a body have the tags that were saved; returns tags that are unknown."""
        known = self.statuses.stage.kinds.known.tags
        body.tags = {tag: 1 for tag in list(data) if tag in known and data.pop(tag)}
        self._came_back(body, told)
        return data

    def kept(self, body: Body) -> dict[str, Any]:
        """Return what a body is under, to be saved: stack by stack, what is left of each (microseconds; None
        without an end), who caused it, and what is left to each beat."""
        found: dict[str, Any] = {}
        left = self.statuses.stage.clock.left
        for order, ailment in enumerate(one for one in body.ailments if one.kind.active_when is None):
            source = ailment.source or Party("", -1, "", "")
            found.setdefault(ailment.name, []).append(
                {
                    "order": order,
                    "left": as_data(left(ailment.due, body)) if ailment.due >= 0 else None,
                    "source": source.id,
                    "kind": source.kind,
                    "team": source.team,
                    "beats": [
                        [as_data(beat.left), True]
                        if beat.left >= 0
                        else [as_data(max(left(beat.due, body), 0)), False]
                        for beat in ailment.beats
                    ],
                }
            )
        return found

    def back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a body be under what was saved, each for what was left of it; returns statuses that are
        unknown. The dead are under nothing."""
        before = [ailment.name for ailment in body.ailments]
        self.statuses.forget_ailments(body)
        known = [name for name in data if name in self.statuses.stage.kinds.statuses]
        stacks = [(stack["order"], name, stack) for name in known for stack in data.pop(name)]
        for _, name, stack in sorted(stacks, key=lambda one: one[:2]) if body.alive else ():
            self._again(body, self.statuses.kind(name), stack)
        if told:
            after = [ailment.name for ailment in body.ailments]
            for name in dict.fromkeys(before + after):
                fewer, more = before.count(name) - after.count(name), after.count(name) - before.count(name)
                for _ in range(fewer):
                    self.statuses.stage.emit(
                        "status_ended", body.id, "", (name, self.statuses.stage.told_why)
                    )
                for _ in range(more):
                    self.statuses.stage.emit("status_began", body.id, "", (name,))
        self._came_back(body, told)
        return data

    def _again(self, body: Body, kind: StatusKind, stack: dict[str, Any]) -> None:
        """Let one stack go on that began in an earlier session: what it does is credited to whoever caused it
        there, and to nobody who is called the same here."""
        clock, scope = self.statuses.stage.clock, Scope(self.statuses.stage, body)
        ailment = Ailment(kind, body)
        if stack["source"]:
            ailment.source = Party(stack["source"], -1, stack["kind"], stack["team"])
        # No event of this world began it; its flows still need a name of their own (`gather`).
        ailment.began = -1 - len(body.ailments)
        body.ailments.append(ailment)
        if stack["left"] is not None:
            clock.arm(ailment, clock.later(from_data(stack["left"]), body))
        for index, pulse in enumerate(kind.pulses):
            beat = Beat(pulse, body, ailment)
            ailment.beats.append(beat)
            beat.span = int(span_of(pulse.every, scope))
            left, paused = stack["beats"][index] if index < len(stack["beats"]) else (beat.span, False)
            if paused:
                beat.left = from_data(left)
            else:
                clock.arm(beat, clock.later(from_data(left), body, starts=True))

    def _came_back(self, body: Body, told: bool) -> None:
        if told:
            self.statuses.changed(body)
        else:
            self.statuses.gather(body)
            self.statuses.vitals.flows.renew(body)
