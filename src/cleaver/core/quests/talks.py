"""Talks: what a giver says next, line by line.

A giver talks about the quest that matters most now. How far a talk has come is kept per player and quest, and
begins anew with each state; it is no part of a profile. Start at `Talks.talk`.
"""

from __future__ import annotations

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import TalkResult
from cleaver.core.kernel.state import Record
from cleaver.core.quests.quests import SPOKEN_OF, Quests
from cleaver.errors import UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.crossing import Crossing
    from cleaver.core.quests.kinds import QuestKind
    from cleaver.literals import NextStep

NEXT_STEPS = ("accept", "turn_in")
_NEXT: dict[str, NextStep] = {"available": "accept", "ready": "turn_in"}
"""What a player can do about a quest in such a state."""


class Talk(Record):
    """How far the talk about a quest has come: so many lines said, in one of its states."""

    __slots__ = ("said", "state")
    state: str
    said: int

    def __init__(self, state: str) -> None:
        self.state, self.said = state, 0


class TalkTable(Record):
    """The state of this part: talks by player and quest."""

    __slots__ = ("talks",)
    talks: dict[str, dict[str, Talk]]

    def __init__(self) -> None:
        self.talks = {}


class Talks(Part):
    """What givers say in one world."""

    quests: Quests
    table: TalkTable

    name = "talks"

    def __init__(self, quests: Quests) -> None:
        self.quests = quests
        self.table = TalkTable()

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`: how far each talk has come."""
        return (Keeper("talks", self._kept, self._back),)

    def _kept(self, body: Body) -> dict[str, Any]:
        return {quest: [talk.state, talk.said] for quest, talk in self.table.talks.get(body.id, {}).items()}

    def _back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        self.forget(body)
        for quest, (state, said) in data.items():
            if quest in self.quests.kinds.quests:
                talk = self.table.talks.setdefault(body.id, {})[quest] = Talk(state)
                talk.said = said
        return {}

    def forget(self, body: Body) -> None:
        """Drop the talks of somebody who goes."""
        self.table.talks.pop(body.id, None)

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: talks about quests that are gone."""
        crossing.only(self.table.talks, self.quests.kinds.quests)

    def line(self, body: Body, quest: str) -> str:
        """Return the line about a quest that comes next in its state now; "" where there is none."""
        state = self.quests.state(body, quest)
        lines = self.quests.kind(quest).says.get(state, ())
        return lines[min(self._said(body, quest, state), len(lines) - 1)] if lines else ""

    def _said(self, body: Body, quest: str, state: str) -> int:
        talk = self.table.talks.get(body.id, {}).get(quest)
        return talk.said if talk is not None and talk.state == state else 0

    def talk(self, body: Body, giver: str) -> TalkResult:
        """Let a giver say its next line to a player, about the quest it has most to say about."""
        mine = [kind for kind in self.quests.kinds.quests.values() if kind.giver == giver]
        if not mine or not giver:
            known = dict.fromkeys(kind.giver for kind in self.quests.kinds.quests.values() if kind.giver)
            raise UnknownNameError("giver", giver, tuple(known))
        if not body.kind.player:
            return TalkResult("not_a_player")
        if not body.alive:
            return TalkResult("dead")
        if not self.quests.near_giver(body, mine[0]):
            return TalkResult("out_of_reach")
        kind = self._most_wanted(body, mine)
        if kind is None:
            return TalkResult()
        state = self.quests.state(body, kind.name)
        lines = kind.says.get(state, ())
        said = self._said(body, kind.name, state)
        if lines:
            talk = self.table.talks.setdefault(body.id, {})[kind.name] = Talk(state)
            talk.said = min(said + 1, len(lines) - 1)
        last = said >= len(lines) - 1
        text = lines[min(said, len(lines) - 1)] if lines else ""
        return TalkResult("", text, kind.name, state, _NEXT.get(state, "") if last else "")

    def _most_wanted(self, body: Body, kinds: list[QuestKind]) -> QuestKind | None:
        """Return the quest that a giver has most to say about: one with a line for its state, else one that
        can be accepted or turned in."""
        states = [(kind, self.quests.state(body, kind.name)) for kind in kinds]
        for heard in (True, False):
            for state in SPOKEN_OF:
                for kind, stands in states:
                    if stands == state and (state in kind.says if heard else state in _NEXT):
                        return kind
        return None
