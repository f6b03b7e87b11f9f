"""Versions: profiles of an older version of a game carried over, step by step.

Each step is a pure function from one version's sections to the next: the renames of the design's
`[[saves.changes]]`, then a Python function where the game has one. Knows nothing of stores. Start at
`Versions.carry`.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Mapping
from typing import Any

from cleaver.core import read
from cleaver.core.kept import renamed
from cleaver.core.profile import Profile
from cleaver.core.world import World
from cleaver.design.design import Design
from cleaver.errors import MigrationError, ProfileTooNewError, UsageError

Sections = dict[str, dict[str, Any]]
Step = Callable[[Sections], Sections]


class Versions:
    """How profiles of each older version become those of the design's own.

    Raises:
        UsageError: A version that nothing leads on from.
    """

    current: int
    migrations: dict[int, Step]

    def __init__(self, design: Design, migrations: Mapping[int, Step] | None = None) -> None:
        self.current = design.tables.game.version
        self.migrations = dict(migrations or {})
        self.renames: dict[int, dict[str, str]] = {}
        self._look_at(design)
        gaps = [
            version
            for version in range(1, self.current)
            if version not in self.renames and version not in self.migrations
        ]
        if gaps:
            raise UsageError(
                f"nothing leads from version {gaps[0]} of a profile to {gaps[0] + 1}; write "
                f"[[saves.changes]] with from = {gaps[0]}, or give "
                f"migrations={{{gaps[0]}: function}}"
            )

    def _look_at(self, design: Design) -> None:
        for change in design.tables.saves.changes:
            self.renames.setdefault(change.from_, {}).update(change.rename)

    def follow(self, design: Design) -> None:
        """Read profiles as a design does that a running world has adopted, where it is of a newer version."""
        if design.tables.game.version > self.current:
            self._look_at(design)
            self.current = design.tables.game.version

    def carry(self, profile: Profile) -> Profile:
        """Return *profile* as one of the current version; the original is left as it is.

        Raises:
            ProfileTooNewError: It is of a newer version; it is left alone.
            MigrationError: A step raised; player, step and cause are named.
        """
        if profile.version > self.current:
            raise ProfileTooNewError(
                f"profile {profile.player} is of version {profile.version}, and this game knows "
                f"{self.current}; it was left alone. "
                "Update the game"
            )
        if profile.version == self.current:
            return profile
        sections: Sections = copy.deepcopy(profile.sections)
        for version in range(profile.version, self.current):
            sections = self._renamed(profile.player, version, sections)
            step = self.migrations.get(version)
            if step is not None:
                try:
                    sections = step(sections)
                except Exception as error:  # a game's own function may raise anything
                    raise MigrationError(
                        f"profile {profile.player}: the step from version {version} to {version + 1} "
                        f"failed: {error!r}; nothing was "
                        "written"
                    ) from error
                if not isinstance(sections, dict):
                    raise MigrationError(
                        f"profile {profile.player}: the step from version {version} returned {sections!r}, "
                        "no sections; nothing was written"
                    )
        return Profile(profile.player, self.current, sections)

    def _renamed(self, player: str, version: int, sections: Sections) -> Sections:
        def clash(name: str, new: str) -> MigrationError:
            return MigrationError(
                f"profile {player}: version {version} has both {name} and {new} in {section}, so one cannot "
                "become the other; nothing was written. Give a Python step that says which counts"
            )

        renames = self.renames.get(version, {})
        made: Sections = {}
        for section, data in sections.items():
            made[section] = renamed(section, data, renames, clash)
        return made


def unknown_to(profile: Profile, design: Design) -> list[str]:
    """Return what in a profile the design no longer knows, as "currencies.scrip": what a player of any kind
    would have put aside.

    Raises:
        CleaverError: A profile that no player of the design can be given.
    """
    aside: list[set[str]] = []
    for kind, actor in design.tables.actors.items():
        if actor.player:
            world = World(design)
            player = world.join(kind, profile.player, profile=profile)
            aside.append(read.parts(world).profiles.unknown(read.body(player)))
    names = [f"{section}.{name}" for section, data in profile.sections.items() for name in data]
    return [name for name in names if aside and all(name in one for one in aside)]
