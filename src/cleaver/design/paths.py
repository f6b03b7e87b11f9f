"""Paths: the dotted names of formulas and scripts, and what each of them is.

`ana.suit.fraction`, `self.quest.drowned_bells.goal1`, `pickups.pearl.left`: one grammar for designs and
scripts. A path is understood here and read at run time by `core.names`; values are not known in this part.
Start at `FormulaNames`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from cleaver.design.vocabulary import COMMON_FIELDS, EVENTS, METER_PARTS, EventSpec
from cleaver.errors import UnknownNameError
from cleaver.formula import Names, Parts, Type
from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


class Path(NamedTuple):
    """A path that is understood: whose (`root`), what it is, which one, and which part of it."""

    root: str
    what: str
    name: str
    part: str
    type: Type


class Known:
    """Every name a design defines, by what it names."""

    __slots__ = (
        "abilities", "achievements", "attacks", "currencies", "events", "exchanges", "formulas", "goals",
        "hurts", "inputs", "items", "kinds", "levels", "marks", "matches", "meters", "pickups", "quests",
        "ratings", "records", "slots", "stages", "stats", "statuses", "tags", "teams", "zones",
    )  # fmt: skip

    def __init__(self) -> None:
        self.inputs: dict[str, float] = {}
        self.formulas: dict[str, str] = {}
        self.events: dict[str, EventSpec] = dict(EVENTS)
        self.goals: dict[str, int] = {}  # quest: how many goals
        self.matches: dict[str, tuple[str, ...]] = {}  # match: its teams
        self.abilities: tuple[str, ...] = ()
        self.achievements: tuple[str, ...] = ()
        self.attacks: tuple[str, ...] = ()
        self.currencies: tuple[str, ...] = ()
        self.exchanges: tuple[str, ...] = ()
        self.hurts: tuple[str, ...] = ()  # kinds of damage
        self.items: tuple[str, ...] = ()
        self.kinds: tuple[str, ...] = ()  # kinds of actors
        self.levels: tuple[str, ...] = ()
        self.marks: tuple[str, ...] = ()
        self.meters: tuple[str, ...] = ()
        self.pickups: tuple[str, ...] = ()
        self.quests: tuple[str, ...] = ()
        self.ratings: tuple[str, ...] = ()
        self.records: tuple[str, ...] = ()
        self.slots: tuple[str, ...] = ()
        self.stages: tuple[str, ...] = ()
        self.stats: tuple[str, ...] = ()
        self.statuses: tuple[str, ...] = ()
        self.tags: tuple[str, ...] = ()
        self.teams: tuple[str, ...] = ()
        self.zones: tuple[str, ...] = ()

    def same_as(self, other: Known) -> bool:
        """Return whether another design defines the same names, in the same order, so that formulas mean the
        same in both."""
        return all(getattr(self, slot) == getattr(other, slot) for slot in self.__slots__)

    def need(self, what: str, name: str, known: Iterable[str], where: str = "") -> str:
        """Return *name* if it is among *known*; raise `UnknownNameError` otherwise."""
        known = tuple(known)
        if name not in known:
            raise UnknownNameError(what, name, known, where)
        return name


_PLAIN: dict[str, Type] = {
    "alive": "truth",
    "lives": "number",
    "team": "text",
    "tags": "words",
    "statuses": "words",
    "kind": "text",
    "player": "truth",
    "owner": "text",
    "score": "number",
    "turns": "number",
    "x": "number",
    "y": "number",
    "z": "number",
}


def actor_path(root: str, parts: Sequence[str], known: Known) -> Path:
    """Return what ``root.parts`` is, for a root that is an actor."""
    if not parts:
        raise UnknownNameError(
            "path", root, (f"{root}.alive", f"{root}.{known.meters[0] if known.meters else 'score'}")
        )
    first, rest = parts[0], list(parts[1:])
    whole = ".".join((root, *parts))
    if first in _PLAIN and not rest:
        return Path(root, first, "", "", _PLAIN[first])
    if first in known.meters:
        part = _last(rest, METER_PARTS, whole, "value")
        return Path(root, "meter", first, part, "text" if part == "percent" else "number")
    if first in known.stats:
        _last(rest, (), whole, "")
        return Path(root, "stat", first, "", "number")
    if first in known.currencies or first in known.items:
        _last(rest, (), whole, "")
        return Path(root, "currency" if first in known.currencies else "item", first, "", "number")
    if first == "bag":
        return Path(root, "bag", "", _last(rest, ("used", "left", "most"), whole), "number")
    if first in known.levels:
        return Path(root, "levels", first, _last(rest, ("xp", "next"), whole, "level"), "number")
    if first == "quest" and rest:
        known.need("quest", rest[0], known.quests)
        return _quest(root, rest, known, whole)
    if first == "stars":
        name = _last(rest, (*known.ratings, *known.stages), whole, "")
        return Path(root, "stars", name, "", "number")
    if first == "rated":
        return Path(root, "rated", _last(rest, (*known.ratings, *known.stages), whole), "", "truth")
    if first == "achieved" and rest:
        known.need("achievement", rest[0], known.achievements)
        part = _last(rest[1:], ("progress",), whole, "")
        return Path(root, "achieved", rest[0], part, "number" if part else "truth")
    if first == "worn":
        return Path(root, "worn", _last(rest, known.items, whole), "", "number")
    if first == "bought":
        return Path(root, "bought", _last(rest, known.exchanges, whole), "", "number")
    if first == "record":
        return Path(root, "record", _last(rest, known.records, whole), "", "number")
    if first in _PLAIN:
        raise UnknownNameError("path", whole, (f"{root}.{first}",))
    raise UnknownNameError("path", whole, tuple(f"{root}.{name}" for name in _actor_names(known)))


def _actor_names(known: Known) -> tuple[str, ...]:
    more = [
        name
        for name, there in (
            ("bag", known.items),
            ("quest", known.quests),
            ("stars", known.ratings),
            ("rated", known.ratings),
            ("achieved", known.achievements),
            ("record", known.records),
            ("worn", known.slots),
            ("bought", known.exchanges),
        )
        if there
    ]
    return (*known.meters, *known.stats, *known.currencies, *known.items, *known.levels, *_PLAIN, *more)


def _last(rest: Sequence[str], allowed: Iterable[str], whole: str, default: str | None = None) -> str:
    if not rest and default is not None:
        return default
    allowed = tuple(allowed)
    if len(rest) != 1 or rest[0] not in allowed:
        base = whole if not rest else whole[: -len(".".join(rest)) - 1]
        raise UnknownNameError("path", whole, tuple(f"{base}.{name}" for name in allowed) or (base,))
    return rest[0]


def _quest(root: str, rest: Sequence[str], known: Known, whole: str) -> Path:
    name = rest[0]
    if len(rest) == 1:
        return Path(root, "quest", name, "", "text")
    goals = tuple(f"goal{number}" for number in range(1, known.goals.get(name, 0) + 1))
    if rest[1] not in goals:
        raise UnknownNameError("path", whole, tuple(f"{root}.quest.{name}.{goal}" for goal in goals))
    what = "goal_count" if _last(rest[2:], ("count",), whole, "") else "goal"
    return Path(root, what, name, rest[1], "number")


def world_path(parts: Sequence[str], known: Known) -> Path | None:
    """Return what a path is that begins at the world (`now`, `actors`, `pickups`, …), or None."""
    first, rest = parts[0], list(parts[1:])
    whole = ".".join(parts)
    if first == "turn":
        return Path("", "turn", "", _last(rest, ("round",), whole), "number")
    if first in ("now", "seed", "day", "weekday") and not rest:
        return Path("", first, "", "", "number")
    if first == "actors":
        if not rest:
            raise UnknownNameError("path", whole, tuple(f"actors.{name}.alive" for name in known.kinds))
        known.need("kind", rest[0], known.kinds)
        return Path("", "actors", rest[0], _last(rest[1:], ("alive", "count"), whole), "number")
    if first == "pickups":
        if not rest:
            raise UnknownNameError("path", whole, tuple(f"pickups.{name}.left" for name in known.pickups))
        known.need("pickup", rest[0], known.pickups)
        return Path("", "pickups", rest[0], _last(rest[1:], ("placed", "left", "taken"), whole), "number")
    if first == "team":
        if not rest:
            raise UnknownNameError("path", whole, tuple(f"team.{name}.score" for name in known.teams))
        known.need("team", rest[0], known.teams)
        if len(rest) == 2 and rest[1] in known.currencies:
            return Path("", "team_purse", rest[0], rest[1], "number")
        return Path("", "team", rest[0], _last(rest[1:], ("score",), whole), "number")
    if first == "match":
        if not rest:
            raise UnknownNameError("path", whole, tuple(f"match.{name}.running" for name in known.matches))
        known.need("match", rest[0], known.matches)
        return _match(rest, known, whole)
    return None


def _match(rest: Sequence[str], known: Known, whole: str) -> Path:
    types: dict[str, Type] = {"running": "truth", "winner": "text", "left": "number", "round": "number"}
    if len(rest) == 2 and rest[1] not in types and not known.matches[rest[0]]:
        return Path("", "match", rest[0], rest[1], "number")  # single players, by name
    part = _last(rest[1:], (*types, *known.matches[rest[0]]), whole)
    return Path("", "match", rest[0], part, types.get(part, "number"))


class FormulaNames(Names):
    """What names mean in a formula of a design.

    Args:
        known: The names of the design.
        roots: Names that stand for actors here (self, source, target).
        event: The event whose fields may be read, plainly or as ``event.field``.
        locals: Further plain numbers (`level`, `bought`, a pickup's own inputs).
    """

    known: Known
    roots: tuple[str, ...]
    event: EventSpec | None
    locals: tuple[str, ...]

    def __init__(
        self,
        known: Known,
        roots: Iterable[str] = ("self", "source"),
        event: EventSpec | None = None,
        locals: Iterable[str] = (),
    ) -> None:
        self.known, self.roots, self.event, self.locals = known, tuple(roots), event, tuple(locals)

    def path(self, parts: Parts) -> tuple[Type, Any]:
        """Return the type of a path and the `Path` that says what it is."""
        found = self.find(parts)
        return found.type, found

    def find(self, parts: Parts) -> Path:
        """Return the `Path` that *parts* are, or raise `UnknownNameError`."""
        first = parts[0]
        if first in self.roots or (first == "owner" and "self" in self.roots):
            return actor_path(first, parts[1:], self.known)
        if parts == ("has_source",) and "source" in self.roots:
            return Path("", "has_source", "", "", "truth")
        fields = self.fields()
        if first == "event" and self.event is not None and len(parts) == 2:
            self.known.need(f"field of {self.event.name}", parts[1], fields)
            return Path("event", "field", parts[1], "", fields[parts[1]])
        world = world_path(parts, self.known)
        if world is not None:
            return world
        if len(parts) == 1:
            if first in self.locals or (first in self.known.inputs and first not in fields):
                return Path("", "input", first, "", "number")
            if first in fields:
                return Path("event", "field", first, "", fields[first])
        hint = [
            *self.locals,
            *fields,
            *self.known.inputs,
            *self.known.formulas,
            *(f"{root}.{name}" for root in self.roots for name in _actor_names(self.known)),
            "now",
            "day",
            "weekday",
            "turn.round",
        ]
        raise UnknownNameError("name", ".".join(parts), hint)

    def written(self, name: str) -> str | None:
        """Return the text that a named formula stands for; None where a name is none."""
        if name in self.locals or name in self.fields():
            return None
        return self.known.formulas.get(name)

    def fields(self) -> Mapping[str, Type]:
        """Return the fields of the event at hand, with the types they have in a formula."""
        if self.event is None:
            return {}
        types: dict[str, Type] = {"number": "number", "name": "text", "truth": "truth"}
        return {name: types[kind] for name, kind in (*self.event.fields, *COMMON_FIELDS)}

    def call(self, function: str, word: str) -> Any:
        """Return the reference of `near`, `placed` or `held`."""
        return call_path(function, word, self.known, "self" if "self" in self.roots else "")


def call_path(function: str, word: str, known: Known, root: str) -> Path:
    """Return the `Path` behind ``near(...)``, ``placed("pearl")`` or ``held("pearl")``."""
    if function == "near":
        if word:
            known.need("kind or tag", word, (*known.kinds, *known.tags))
        if not root:
            raise UnknownNameError("function", function, ("placed",), "a formula that is about nobody")
        return Path(root, "near", word, "", "number")
    if function == "placed":
        return Path("", "pickups", known.need("pickup", word, known.pickups), "placed", "number")
    known.need("item or currency", word, (*known.items, *known.currencies))
    if not root:
        raise UnknownNameError("function", function, ("placed",), "a formula that is about nobody")
    return Path(root, "currency" if word in known.currencies else "item", word, "", "number")
