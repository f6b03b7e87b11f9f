"""Crossing: how a world gets from the design it was played under to another one.

What parts ask while they make their state fit: what the two designs have in common, how everything stood
under the old one, and where to note what becomes of it. So that the handles of a game go on, state that was
unpacked is put into the very objects that they hold, and taken out again where the crossing fails. Start at
`Crossing`.
"""

from __future__ import annotations

from cleaver.core.kernel.binder import same_entry
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.state import Record

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Container, Iterable
    from typing import Any


_NOTHING = object()


class Crossing:
    """One world on its way from one design to another.

    `before` are its parts under the old one, still whole; `old` and `new` the two designs, bound. `values`
    are (real, shown, course) of each meter of those whom the new one touches, by (id, meter), and `stats`
    their stats; `kept` what players have under the old one, by player and section, and `returning` the names
    of what had been put aside and comes back.
    """

    before: Any
    old: Any
    new: Any
    same_names: bool

    def __init__(self, before: Any, old: Any, new: Any) -> None:
        self.before, self.old, self.new = before, old, new
        self.same_names = old.known.same_as(new.known)
        self.values: dict[tuple[str, str], tuple[float, float, object]] = {}
        self.stats: dict[str, dict[str, float]] = {}
        self.kept: dict[str, dict[str, dict[str, Any]]] = {}
        self.returning: dict[str, dict[str, list[str]]] = {}
        self.put_aside: list[str] = []
        self.began: list[str] = []
        self.ended: list[str] = []
        self.told: list[tuple[str, str, tuple[Any, ...]]] = []
        """Events that only listeners hear of, once all is done: name, actor, values."""
        self._differs: dict[tuple[str, str], bool] = {}
        self._saved: list[tuple[Record, list[Any]]] = []

    def differs(self, section: str, name: str) -> bool:
        """Return whether an entry of a section is another one now, or only in one of the designs."""
        key = (section, name)
        found = self._differs.get(key)
        if found is None:
            was, now = (getattr(kinds.design.tables, section).get(name) for kinds in (self.old, self.new))
            found = self._differs[key] = not same_entry(was, now)
        return found

    def differing(self, section: str, names: Iterable[str]) -> list[str]:
        """Return those of some names whose entries are other ones now."""
        return [name for name in names if self.differs(section, name)]

    def touches(self, body: Body) -> bool:
        """Return whether the new design makes another of a body, or of what it is under."""
        return (
            not self.same_names
            or self.differs("actors", body.kind_name)
            or any(self.differs("statuses", ailment.name) for ailment in body.ailments)
        )

    def watches(self, body: Body) -> bool:
        """Return whether stats of a body may come to something else, whatever has changed."""
        sheets = self.old.stats.sheets, self.new.stats.sheets
        return self.touches(body) or any(one[body.kind_name].worked for one in sheets)

    def players(self) -> list[str]:
        """Return the ids of the players."""
        return list(self.before.stage.players)

    @staticmethod
    def only(table: dict[str, dict[str, Any]], known: Container[str]) -> None:
        """Take what is kept under names that are not known out of a table by player and name."""
        for player, mine in list(table.items()):
            gone = [name for name in mine if name not in known]
            for name in gone:
                del mine[name]
            if gone and not mine:
                del table[player]

    def comes_back(self, body: Body, section: str) -> Container[str]:
        """Return the names of what comes back to a player in a section, of what had been put aside."""
        return self.returning.get(body.id, {}).get(section, ())

    # who stands for whom

    def look_back(self) -> None:
        """Note how everything stands now, before anything is changed."""
        vitals, profiles = self.before.vitals, self.before.profiles
        for body in self.before.stage.actors.values():
            if self.watches(body):
                self.stats[body.id] = dict(body.stats)
                for name, meter in body.meters.items():
                    self.values[body.id, name] = vitals.real(meter), vitals.value(meter), meter.course
            if body.kind.player and (not self.same_names or self.differs("actors", body.kind_name)):
                for section, keeper in profiles.sections.items():
                    if keeper.known is not None:
                        self.kept.setdefault(body.id, {})[section] = keeper.write(body)

    def stand_in(self, parts: Any, found: list[Record]) -> list[Record]:
        """Put what was unpacked into the objects that a game may hold; returns *found* with these."""
        before, twins = self.before, dict[int, Record]()
        for body in parts.stage.actors.values():
            old = before.stage.actors[body.id]
            for name, meter in body.meters.items():
                twins[id(meter)] = body.meters[name] = self._put(meter, old.meters[name])
        parts.stage.actors = {
            name: self._put(body, before.stage.actors[name]) for name, body in parts.stage.actors.items()
        }
        for table, olds in (
            (parts.pickups.table.placements, before.pickups.table.placements),
            (parts.shots.table.shots, before.shots.table.shots),
        ):
            for name, record in table.items():
                twins[id(record)] = table[name] = self._put(record, olds[name])
        return [twins.get(id(record), record) for record in found]

    def _put(self, new: Record, old: Record) -> Any:
        names = _all_slots(type(old))
        self._saved.append((old, [getattr(old, name, _NOTHING) for name in names]))
        for name in names:
            value = getattr(new, name, _NOTHING)
            if value is not _NOTHING:
                setattr(old, name, value)
        return old

    def undo(self) -> None:
        """Let every object that a game may hold be as it was."""
        for record, values in self._saved:
            for name, value in zip(_all_slots(type(record)), values, strict=True):
                if value is not _NOTHING:
                    setattr(record, name, value)


def _all_slots(cls: type[Record]) -> tuple[str, ...]:
    found = _SLOTS.get(cls)
    if found is None:
        found = _SLOTS[cls] = tuple(
            slot for base in cls.__mro__ for slot in base.__dict__.get("__slots__", ())
        )
    return found


_SLOTS: dict[type[Record], tuple[str, ...]] = {}
