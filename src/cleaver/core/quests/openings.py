"""Openings: when a quest becomes available to a player, and the one event that says so.

Start at `Openings.offered`.
"""

from __future__ import annotations

from functools import partial

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import met
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.quests.errands import Errand, QuestTable

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Protocol

    from cleaver.core.quests.kinds import QuestKind, QuestKinds

    class _Quests(Protocol):
        """What is asked of `Quests`."""

        judging: bool
        openers: dict[str, tuple[tuple[QuestKind, ...], bool]]
        restless: list[QuestKind]
        kinds: QuestKinds
        stage: Stage
        table: QuestTable

        def errand(self, body: Body, name: str) -> Errand: ...
        def look(self, body: Body, name: str) -> Errand: ...


class Openings:
    """Which quests of one world are open."""

    quests: _Quests

    def __init__(self, quests: _Quests) -> None:
        self.quests = quests
        kinds = quests.kinds
        by_sets = {name for one in kinds.quest_sets.values() if one.open is not None for name in one.quests}
        self._by_day = {
            name: True for name, quest in kinds.quests.items() if quest.open is not None or name in by_sets
        }

    def offered(self, body: Body, kind: QuestKind) -> bool:
        """Return whether a quest that has not begun may be: it is drawn, and its needs hold."""
        return self.drawn(kind) and self.needed(body, kind) and not self.closed(kind)

    def drawn(self, kind: QuestKind) -> bool:
        """Return whether every set that a quest belongs to offers it now."""
        sets = self.quests.kinds.quest_sets
        return all(
            kind.name in draw.drawn or kind.name not in sets[name].quests
            for name, draw in self.quests.table.sets.items()
        )

    def closed(self, kind: QuestKind) -> bool:
        """Return whether this is no day on which a quest is open."""
        if kind.name not in self._by_day:
            return False
        sets = (one for one in self.quests.kinds.quest_sets.values() if kind.name in one.quests)
        return not all(map(self.quests.stage.clock.is_open, (kind.open, *(one.open for one in sets))))

    @property
    def seasonal(self) -> tuple[QuestKind, ...]:
        """The quests that are open on certain days only."""
        return tuple(self.quests.kinds.quests[name] for name in self._by_day)

    def needed(self, body: Body, kind: QuestKind) -> bool:
        """Return whether what a quest needs of a player holds."""
        if not kind.needs:
            return True
        scope = Scope(self.quests.stage, body)
        before, self.quests.judging = self.quests.judging, True
        try:
            return met(kind.needs, scope)
        finally:
            self.quests.judging = before

    def follow_openings(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan which quests an event may open, after everything else has reacted to it."""
        return (
            [("", partial(self._may_open, *self.quests.openers[name]))] if name in self.quests.openers else []
        )

    def _may_open(self, quests: tuple[QuestKind, ...], everyone: bool, event: Event) -> None:
        players = self.quests.stage.players
        parties = dict.fromkeys((event.actor, event.source, event.credit))
        bodies = (
            tuple(players.values())
            if everyone
            else [
                body
                for body in map(self.quests.stage.party, parties)
                if body is not None and body.kind.player
            ]
        )
        for body in bodies:
            for kind in quests:
                self.tell_available(body, kind)

    def tell_available(self, body: Body, kind: QuestKind) -> None:
        """Tell of a quest that has opened since it was last looked at."""
        errands = self.quests.table.errands.get(body.id)
        errand = errands.get(kind.name) if errands else None
        if errand is None:
            if not self.offered(body, kind):
                return
            errand = self.quests.errand(body, kind.name)
        if errand.state:
            return
        opened = self.offered(body, kind)
        before, errand.told = errand.told, opened
        if opened and not before:
            self.quests.stage.emit("quest_available", body.id, "", (kind.name,))

    def look_around(self) -> None:
        """Look at quests that open by themselves: by time, by where somebody stands."""
        for body in tuple(self.quests.stage.players.values()):
            for kind in self.quests.restless:
                self.tell_available(body, kind)

    def watch(self) -> Callable[[], bool] | None:
        """Give the question whether time has opened or closed a quest."""
        return self._differs if self.quests.stage.players else None

    def _differs(self) -> bool:
        for body in self.quests.stage.players.values():
            for kind in self.quests.restless:
                errand = self.quests.look(body, kind.name)
                if not errand.state and errand.told != self.offered(body, kind):
                    return True
        return False
