"""Stats: what changes the stats, maxima, flows and bag of an actor, and whether formulas go in a circle.

What a table `adds` or `times` may stand on is declared once, in `SOURCES`. Start at `modifiers` and
`refer_stats`.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from cleaver.design import models
from cleaver.design.lines import Path
from cleaver.design.paths import FormulaNames
from cleaver.design.walk import Walk
from cleaver.errors import advice
from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Set as AbstractSet
    from typing import Any

    from cleaver.design.models import DesignTables
else:
    Any = object

SOURCES = {
    "statuses": "status",
    "items": "held",
    "levels": "levels",
    "achievements": "achievement",
    "teams": "team",
    "stages": "stage",
}
"""Sections whose entries may have modifiers, and what such a modifier is called as a cause."""
MOVES = {
    "stat": "",
    "meter": "",
    "status": "status",
    "held": "item",
    "worn": "worn",
    "set": "worn",
    "achievement": "achieved",
    "team": "team",
    "stage": "stage",
    "statuses": "status",
    "tags": "tags",
    "levels": "levels",
    "record": "record",
    "achieved": "achieved",
    "item": "item",
    "bought": "bought",
    "input": "input",
    "turns": "turns",
    "turn": "turn",
    "day": "day",
    "weekday": "day",
    "kind": "",
    "player": "",
}
"""What formulas of stats may read and modifiers hang on, and what is touched where it changes; "" for what
is worked out with them, or never changes."""


class Modifier(NamedTuple):
    """One entry of a table `adds` or `times`: what it stands on (``status``, ``worn`` …), which one, what it
    changes, by how much, and where it is written."""

    what: str
    name: str
    target: str
    way: str
    amount: float | str
    where: Path

    @property
    def cause(self) -> str:
        """The name of the cause, such as "worn:sword"."""
        return f"{self.what}:{self.name}"


def modifiers(tables: DesignTables) -> Iterator[Modifier]:
    """Yield every modifier of a design."""
    for section, what in SOURCES.items():
        for name, entry in getattr(tables, section).items():
            if section == "items":
                what = "worn" if (entry.adds_when or ("worn" if entry.slot else "held")) == "worn" else "held"
            yield from _of(entry, what, name, (section, name))
    for name, several in tables.item_sets.items():
        for count, entry in several.pieces.items():
            yield from _of(entry, "set", f"{name}/{count}", ("item_sets", name, "pieces", count))


def _of(entry: models.Modifying, what: str, name: str, where: Path) -> Iterator[Modifier]:
    for way, table in (("adds", entry.adds), ("times", entry.times)):
        for target, amount in table.items():
            yield Modifier(what, name, target, way, amount, (*where, way, target))


def targets(actor: models.Actor) -> tuple[str, ...]:
    """Return all that may be modified of a kind."""
    meters = [f"{name}.{part}" for name in actor.meters for part in ("max", "rate")]
    return (*actor.stats, *meters, *(["bag"] if actor.bag is not None else []))


def in_order(needs: Mapping[str, AbstractSet[str]]) -> tuple[list[str], list[str]]:
    """Return names in an order in which each comes after those it needs, and the first circle among them."""
    done: list[str] = []
    seen: set[str] = set()
    way: list[str] = []
    circle: list[str] = []

    def visit(name: str) -> None:
        if name in way:
            circle[:] = circle or [*way[way.index(name) :], name]
        elif name not in seen:
            way.append(name)
            for other in sorted(needs.get(name, ())):
                visit(other)
            way.pop()
            seen.add(name)
            done.append(name)

    for name in needs:
        visit(name)
    return done, circle


def refer_stats(walk: Walk) -> None:
    """Check what modifies stats, what their formulas read, and that none goes in a circle."""
    tables, tell = walk.tables, walk.source.tell
    known = {
        *walk.known.stats,
        *(f"{name}.{part}" for name in walk.known.meters for part in ("max", "rate")),
        "bag",
    }
    needs: dict[str, set[str]] = {}
    states = {
        name: _state(walk, name, status) for name, status in tables.statuses.items() if status.active_when
    }
    for one in modifiers(tables):
        needs.setdefault(one.target, set()).update(states.get(one.name, ()) if one.what == "status" else ())
        if one.target not in known:
            tell(
                one.where, f"no kind has {one.target!r}", advice(one.target, sorted(known), lead="there are")
            )
        needs.setdefault(one.target, set()).update(_lasting(walk, one.amount, one.where))
    for name, actor in tables.actors.items():
        mine = {target: set(needs.get(target, ())) for target in targets(actor)}
        for stat, spec in actor.stats.items():
            where: Path = ("actors", name, "stats", stat)
            mine[stat] |= _lasting(walk, spec.base, (*where, "base"))
            if spec.min is not None and spec.max is not None and spec.min > spec.max:
                tell((*where, "min"), f"is {spec.min:g}, above its max of {spec.max:g}", "swap them")
        for meter, form in actor.meters.items():
            path: Path = ("actors", name, "meters", meter)
            mine[f"{meter}.max"] |= _lasting(walk, form.max, (*path, "max"))
            for number, flow in enumerate(form.flows):
                _flow(walk, flow, (*path, "flows", number))
        if actor.bag is not None:
            mine["bag"] |= _lasting(walk, actor.bag.most, ("actors", name, "bag", "most"))
        _, circle = in_order({target: needed & mine.keys() for target, needed in mine.items()})
        if circle:
            tell(
                ("actors", name), f"stats go in a circle: {' → '.join(circle)}", "let one of them be a number"
            )
    for name, status in tables.statuses.items():
        for number, flow in enumerate(status.flows):
            _flow(walk, flow, ("statuses", name, "flows", number))
        for key, amount in (("deals", status.deals), ("scale", status.scale)):
            _lasting(walk, amount, ("statuses", name, key))
        for what, amount in status.through.items():
            _lasting(walk, amount, ("statuses", name, "through", what))
    for name, item in tables.items.items():
        names = FormulaNames(walk.known, ("self",))
        for number, need in enumerate(item.needs):
            walk.formula(need, names, ("items", name, "needs", number))
        if item.slot is None and (item.needs or item.adds_when == "worn"):
            tell(("items", name), "is never worn: it has no slot", 'say where it is worn: slot = "hand"')


def _state(walk: Walk, name: str, status: models.Status) -> set[str]:
    """Check a status that is on while a condition holds; returns the stats and maxima that it hangs on."""
    where: Path = ("statuses", name)
    tell = walk.source.tell
    walk.formula(status.active_when, FormulaNames(walk.known, ("self",)), (*where, "active_when"), "truth")
    for key in ("lasts", "most"):
        if getattr(status, key) is not None:
            tell((*where, key), "stands beside active_when", "leave it out: it lasts while that holds")
    found: set[str] = set()
    for written, read in reads_of(str(status.active_when), walk.known):
        if not _moves(walk, read):
            right = "read meters, stats, tags, levels, what is worn or held"
            tell((*where, "active_when"), f"reads {written}, which moves too often", right)
        elif read.what in ("stat", "meter"):
            found.add(worked_of(read))
    words = _words_in(str(status.active_when))
    brought = {tag for one in walk.tables.statuses.values() if one.active_when for tag in one.tags}
    if words & brought:
        tell(
            (*where, "active_when"),
            f"asks for {min(words & brought)!r}, which such a status brings: that goes in a circle",
            "ask for another tag",
        )
    return found


def _words_in(text: str) -> set[str]:
    """Return the texts in a formula, such as tags."""
    import re

    return set(re.findall(r"""["']([^"']*)["']""", text))


def _flow(walk: Walk, flow: models.Flow, path: Path) -> None:
    for key in ("rate", "until", "after_hurt"):
        _lasting(walk, getattr(flow, key), (*path, key))


def _lasting(walk: Walk, text: object, path: Path) -> set[str]:
    """Check a formula that is worked out only where what it reads has changed; returns the stats and maxima
    that it reads."""
    found: set[str] = set()
    walk.formula(text, FormulaNames(walk.known, ("self",)), path)
    if not isinstance(text, str):
        return found
    for written, read in reads_of(text, walk.known):
        if not _moves(walk, read) or (read.what == "meter" and read.part != "max"):
            walk.source.tell(
                path,
                f"formula {text!r} reads {written}, which moves too often for a stat",
                "read stats, levels, records, achievements, statuses, tags, items, what is worn or bought",
            )
        elif read.what in ("stat", "meter"):
            found.add(worked_of(read))
    return found


def worked_of(read: Any) -> str:
    """Return what has to be worked out before a stat or a meter is read: the stat, or the maximum."""
    return str(read.name) if read.what == "stat" else f"{read.name}.max"


def _moves(walk: Walk, read: Any) -> bool:
    """Return whether something is touched where what is read changes: a record of the last seconds goes down
    by itself."""
    record = walk.tables.records.get(read.name) if read.what == "record" else None
    return read.what in MOVES and (record is None or record.within is None)


def reads_of(text: str, known: Any) -> list[tuple[str, Any]]:
    """Return what a formula about `self` reads, as it is written and as a path; nothing where it is wrong."""
    from cleaver.errors import FormulaError
    from cleaver.parsing import parse  # slow to import, and needed only where there are formulas

    try:
        return list(parse(text, FormulaNames(known, ("self",))).reads)
    except FormulaError:
        return []
