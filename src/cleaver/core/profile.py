"""Profiles: what of a player outlives the session, as plain data.

Each part that keeps something says how to write it down and take it back (`Part.keepers`).
What the design does not know any more is put aside untouched and written out again.
Knows nothing of stores. Start at `Profiles.write`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any
else:
    Any = object

Data = dict[str, Any]


class Profile:
    """All of one player that outlives the session: `player` (its id), `version` of the design's saves, and
    `sections` of plain data."""

    __slots__ = ("player", "sections", "version")
    player: str
    version: int
    sections: dict[str, Data]

    def __init__(self, player: str, version: int, sections: Mapping[str, Data]) -> None:
        self.player, self.version, self.sections = player, version, dict(sections)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Profile) and (self.player, self.version, self.sections) == (
            other.player,
            other.version,
            other.sections,
        )

    def __repr__(self) -> str:
        return f"<Profile {self.player} v{self.version}: {', '.join(self.sections) or 'empty'}>"


class ProfileTable(Record):
    """The state of this part: what was put aside, by player, section and name, as JSON text."""

    __slots__ = ("aside",)
    aside: dict[str, dict[str, dict[str, str]]]

    def __init__(self) -> None:
        self.aside = {}


OWN = "data"
"""The section of what the host keeps of a player: as all that the design does not know, it is put aside."""


class Profiles(Part):
    """Writes profiles and takes them back."""

    table: ProfileTable

    name = "profiles"

    def __init__(self, stage: Stage) -> None:
        self.stage = stage
        self.table = ProfileTable()
        self.sections: dict[str, Keeper] = {}
        self.noted: list[Callable[[Body], None]] = []
        """Called with whom the host's own data changed, of which no event tells."""

    def keep(self, keeper: Keeper) -> None:
        """Let a part keep a section."""
        self.sections[keeper.section] = keeper

    def forget(self, body: Body) -> None:
        """Drop what was put aside for a player who goes."""
        self.table.aside.pop(body.id, None)

    def own(self, body: Body) -> dict[str, str]:
        """Return what the host keeps of a player, by name, as JSON text."""
        return self.table.aside.get(body.id, {}).get(OWN, {})

    def set_own(self, body: Body, name: str, text: str | None) -> None:
        """Keep a value of the host's, as JSON text; None forgets it."""
        if self.own(body).get(name) == text:
            return
        kept = self.table.aside.setdefault(body.id, {}).setdefault(OWN, {})
        if text is not None:
            kept[name] = text
        else:
            del kept[name]
            if not kept:  # as if it had never been
                del self.table.aside[body.id][OWN]
                if not self.table.aside[body.id]:
                    del self.table.aside[body.id]
        for call in self.noted:
            call(body)

    def unknown(self, body: Body) -> set[str]:
        """Return what was put aside because the design does not know it, as "currencies.scrip"; not the
        host's own data, and not sections that the design knows and does not save."""
        return {
            f"{section}.{name}"
            for section, kept in self.table.aside.get(body.id, {}).items()
            if section != OWN and (section not in self.sections or self._included(section))
            for name in kept
        }

    def _included(self, section: str) -> bool:
        if section == "meters":
            return True  # each meter says for itself whether it is saved
        keeper = self.sections[section]
        return (keeper.included_as or section) in self.stage.kinds.design.tables.saves.include

    def write(self, body: Body) -> Profile:
        """Return a player's profile as it is now."""
        import json  # only where something is saved

        design = self.stage.kinds.design
        sections: dict[str, Data] = {}
        for section, keeper in self.sections.items():
            data = keeper.write(body) if self._included(section) else None
            if data:
                sections[section] = data
        for section, kept in self.table.aside.get(body.id, {}).items():
            sections.setdefault(section, {}).update({name: json.loads(text) for name, text in kept.items()})
        return Profile(body.id, design.tables.game.version, sections)

    def take_back(self, body: Body, profile: Profile, *, told: bool) -> None:
        """Make everything that is kept of a player as its profile says; what the design does not know is put
        aside."""
        import json  # as above

        aside: dict[str, dict[str, str]] = {}
        for section, data in profile.sections.items():
            if section not in self.sections or not self._included(section):
                aside[section] = {name: json.dumps(value) for name, value in data.items()}
        for section, keeper in self.sections.items():
            if self._included(section):
                unknown = keeper.take_back(body, dict(profile.sections.get(section, {})), told)
                if unknown:
                    aside[section] = {name: json.dumps(value) for name, value in unknown.items()}
        if aside:
            self.table.aside[body.id] = {section: kept for section, kept in aside.items() if kept}
        else:
            self.table.aside.pop(body.id, None)
