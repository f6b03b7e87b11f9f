"""Profiles: what of a player outlives the session, as plain data.

Each room that keeps something says how to write it down and take it back
(`keep`); what the design does not know any more is put aside untouched and
written out again. Knows nothing of stores. Start at `Profiles.write`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

from cleaver.core.body import Body
from cleaver.core.record import Record
from cleaver.core.stage import Stage

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any
else:
    Any = object

Data = dict[str, Any]
Write = Callable[[Body], Data]
TakeBack = Callable[[Body, Data], Data]


class Profile:
    """All of one player that outlives the session: `player` (its id), `version` of the design's saves, and `sections` of plain data."""

    __slots__ = ("player", "sections", "version")

    def __init__(self, player: str, version: int, sections: Mapping[str, Data]) -> None:
        self.player, self.version, self.sections = player, version, dict(sections)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Profile) and (self.player, self.version, self.sections) == (other.player, other.version, other.sections)

    __hash__ = None  # type: ignore[assignment]  # compared by what it holds

    def __repr__(self) -> str:
        return f"<Profile {self.player} v{self.version}: {', '.join(self.sections) or 'empty'}>"


class ProfileTable(Record):
    """The state of this room: what was put aside, by player, section and name, as JSON text."""

    __slots__ = ("aside",)
    aside: dict[str, dict[str, dict[str, str]]]

    def __init__(self) -> None:
        self.aside = {}


class Profiles:
    """Writes profiles and takes them back."""

    def __init__(self, stage: Stage) -> None:
        self.stage = stage
        self.table = ProfileTable()
        self.keepers: dict[str, tuple[Write, TakeBack]] = {}

    def keep(self, section: str, write: Write, take_back: TakeBack) -> None:
        """Let a room keep a section: *take_back* returns what it does not know."""
        self.keepers[section] = (write, take_back)

    def write(self, body: Body) -> Profile:
        """Return a player's profile as it is now."""
        import json  # only where something is saved

        design = self.stage.kinds.design
        sections: dict[str, Data] = {}
        for section, (write, _) in self.keepers.items():
            if section == "meters" or section in design.tables.saves.include:
                data = write(body)
                if data:
                    sections[section] = data
        for section, kept in self.table.aside.get(body.id, {}).items():
            sections.setdefault(section, {}).update({name: json.loads(text) for name, text in kept.items()})
        return Profile(body.id, design.tables.game.version, sections)

    def take_back(self, body: Body, profile: Profile) -> None:
        """Give a player what its profile says; what the design does not know is put aside."""
        import json  # as above

        aside: dict[str, dict[str, str]] = {}
        include = self.stage.kinds.design.tables.saves.include
        for section, data in profile.sections.items():
            keeper = self.keepers.get(section)
            known = keeper is not None and (section == "meters" or section in include)
            unknown = keeper[1](body, dict(data)) if keeper is not None and known else data
            if unknown:
                aside[section] = {name: json.dumps(value) for name, value in unknown.items()}
        if aside:
            self.table.aside[body.id] = aside
        else:
            self.table.aside.pop(body.id, None)
