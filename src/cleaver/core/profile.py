"""Profiles: what of a player outlives the session, as plain data.

Each part that keeps something says how to write it down and take it back (`Part.keepers`).
What the design does not know any more is put aside untouched and written out again.
Knows nothing of stores. Start at `Profiles.write`.
"""

from __future__ import annotations

from collections.abc import Callable, Container, Mapping

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.crossing import Crossing
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


def look_at(profile: Profile) -> None:
    """Refuse a profile that does not have the shape of one, before anything of it is taken."""
    from cleaver.core.kept import look_at_section as look  # only where a profile comes

    look(profile.player, profile.sections)


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

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: what players have that the new design does not name is put aside; what was, and it
        names again, will come back."""
        import json  # as in `write`

        for player, sections in crossing.kept.items():
            for section, data in sections.items():
                was, now = self._known_to(crossing, player, section)
                aside = self.table.aside.get(player, {}).get(section, {})
                back = [name for name in aside if name in now and name not in was]
                if back:
                    crossing.returning.setdefault(player, {})[section] = back
                for name in [name for name in data if name in was and name not in now]:
                    kept = self.table.aside.setdefault(player, {}).setdefault(section, {})
                    kept[name] = json.dumps(data[name])
                    crossing.put_aside.append(f"{player}: {section}.{name}")

    def _known_to(
        self, crossing: Crossing, player: str, section: str
    ) -> tuple[Container[str], Container[str]]:
        """Return the names of a section under the old design and under the new one."""
        kind = self.stage.actors[player].kind_name
        was, now = crossing.before.profiles.sections[section].known, self.sections[section].known
        assert was is not None
        assert now is not None
        return was(crossing.old.actors[kind]), now(crossing.new.actors[kind])

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`: what was put aside, and the design names again, comes back."""
        import json  # slow to import, and few need it

        for player, sections in crossing.returning.items():
            body, aside = self.stage.actors[player], self.table.aside[player]
            for section, names in sections.items():
                keeper, kept = self.sections[section], aside[section]
                back = {name: json.loads(kept.pop(name)) for name in names}
                keeper.take_back(body, keeper.write(body) | back, False)
                crossing.began += [f"{player}: {section}.{name}" for name in names]
                if not kept:
                    del aside[section]
            if not aside:
                del self.table.aside[player]

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
        if section in ("meters", "raised", "visits"):
            return (
                True  # each meter says for itself whether it is saved, and each cause; a day is one for all
            )
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
        import json  # slow to import, and few need it

        sections = profile.sections
        aside: dict[str, dict[str, str]] = {}
        for section, data in sections.items():
            if section not in self.sections or not self._included(section):
                aside[section] = {name: json.dumps(value) for name, value in data.items()}
        self.stage.still, self.stage.clock.as_of = True, sections.get("visits", {}).get("day")
        try:
            for section, keeper in self.sections.items():
                if self._included(section):
                    unknown = keeper.take_back(body, dict(sections.get(section, {})), told)
                    if unknown:
                        aside[section] = {name: json.dumps(value) for name, value in unknown.items()}
        finally:
            self.stage.still, self.stage.clock.as_of = False, None
        self.stage.touched("meter", body.id)
        if aside:
            self.table.aside[body.id] = {section: kept for section, kept in aside.items() if kept}
        else:
            self.table.aside.pop(body.id, None)
