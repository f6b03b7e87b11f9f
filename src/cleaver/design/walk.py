"""Walk: the checks that every section shares — names that must be known, formulas, effect lists, matchers.

A `Walk` knows the names of one design and tells its source whatever does not fit; `references` and the
modules of single sections walk with it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from cleaver.design import models
from cleaver.design.clocks import refer_clock
from cleaver.design.keys import KeyTable
from cleaver.design.lines import Path
from cleaver.design.names import entries_of
from cleaver.design.paths import FormulaNames, Known
from cleaver.design.reading import Source
from cleaver.design.vocabulary import AFTER_A_MATCH, BESIDE, EVENTS, VERBS, EventSpec
from cleaver.errors import FormulaError, advice
from cleaver.formula import Parts, Type

TYPE_CHECKING = False  # only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.design.models import DesignTables


class _Anything(FormulaNames):
    """Names of which every one may be a number somewhere."""

    def path(self, parts: Parts) -> tuple[Type, Any]:
        """See `Names`."""
        return "number", parts

    def call(self, function: str, word: str) -> Any:
        """See `Names`."""
        return word


class Walk:
    """One walk over a design: tells its source whatever does not fit."""

    tables: DesignTables
    known: Known
    source: Source

    def __init__(
        self,
        tables: models.DesignTables,
        known: Known,
        source: Source,
        right: models.DesignTables | None = None,
    ) -> None:
        self.tables, self.known, self.source = tables, known, source
        self._right = right  # of a design that is right and defines the same names
        k = known
        self.names: dict[str, Callable[[], tuple[str, ...]]] = {
            "meter": lambda: k.meters,
            "currency": lambda: k.currencies,
            "item": lambda: k.items,
            "levels": lambda: k.levels,
            "status": lambda: k.statuses,
            "tag": lambda: k.tags,
            "achievement": lambda: k.achievements,
            "quest": lambda: k.quests,
            "zone": lambda: k.zones,
            "type": lambda: k.hurts,
            "pickup": lambda: k.pickups,
            "match": lambda: tuple(k.matches),
            "rating": lambda: k.ratings,
            "team": lambda: k.teams,
            "exchange": lambda: k.exchanges,
            "attack": lambda: k.attacks,
            "kind": lambda: k.kinds,
            "ability": lambda: k.abilities,
            "meter, currency or item": lambda: (*k.meters, *k.currencies, *k.items),
            "currency or item": lambda: (*k.currencies, *k.items),
            "slot": lambda: k.slots,
            "stat": lambda: (*k.stats, *(f"{name}.max" for name in k.meters), "bag"),
            "worn": lambda: (*k.items, "all"),
            "kind or tag": lambda: (*k.kinds, *k.tags),
            "kind, tag or team": lambda: (*k.kinds, *k.tags, *k.teams),
        }

    def others(self, section: str) -> list[tuple[str, Any]]:
        """Return the entries of a section that must be looked at, with their names: what is wrong with one
        follows from itself and the names alone, so those of a design that is right are."""
        entries: dict[str, Any] = getattr(self.tables, section)
        past = {} if self._right is None else getattr(self._right, section)
        return [(name, entry) for name, entry in entries.items() if past.get(name) is not entry]

    def named(self, table: KeyTable, path: Path) -> None:
        """Tell of each key of a table, and of the tables in it, that is declared to be a name of something,
        and names nothing; and of a clock that nobody has."""
        refer_clock(self.tables, self.source, table, path)
        for key, declared in table.declared().items():
            held = vars(table).get(declared.attribute)
            if held is not None:
                self._named(held, declared.of, (*path, key))

    def _named(self, held: object, what: str, path: Path) -> None:
        if isinstance(held, KeyTable):
            self.named(held, path)
        elif isinstance(held, dict):
            for name, inner in held.items():
                if what:
                    self.need(what, name, (*path, name))
                else:
                    self._named(inner, "", (*path, name))
        elif isinstance(held, tuple):
            for number, inner in enumerate(held):
                self._named(inner, what, (*path, number))
        elif what:
            self.need(what, held, path)

    def need(self, what: str, name: object, path: Path) -> None:
        """Tell where a name of some kind is not one the design has."""
        known = self.names[what]()
        if name not in known:
            self.source.tell(path, f"unknown {what} {name!r}", advice(str(name), known))

    def formula(self, text: object, names: FormulaNames, path: Path, wanted: Type = "number") -> None:
        """Tell what is wrong with a formula; anything but a text is passed over."""
        if not isinstance(text, str):
            return
        from cleaver.parsing import parse  # slow to import, and a design of no formulas needs none

        try:
            found = parse(text, names).type
        except FormulaError as error:
            self.source.tell(path, f"formula {error.text[:60]!r} {error.trouble}")
            return
        if (wanted == "text" and found != "text") or (wanted != "text" and found not in ("number", "truth")):
            self.source.tell(path, f"formula {text!r} gives a {found}", f"it must give a {wanted}")

    def written(self, text: str, path: Path) -> None:
        """Tell where a named formula cannot be read, or goes in a circle; what it reads is looked at where it
        is used."""
        from cleaver.parsing import parse

        try:
            parse(text, _Anything(self.known))
        except FormulaError as error:
            self.source.tell(path, f"formula {error.text[:60]!r} {error.trouble}")

    def effects(
        self, effects: Iterable[models.Effect], path: Path, names: FormulaNames, *, target: bool = False
    ) -> None:
        """Check a list of effects."""
        for number, effect in enumerate(effects):
            self.effect(effect, (*path, number), names, target=target)

    def effect(self, effect: models.Effect, path: Path, names: FormulaNames, *, target: bool) -> None:
        """Check one effect: its target, its names, its formulas."""
        spec = VERBS[effect.verb]
        if effect.to == "target" and not target and names.event is None:
            self.source.tell(
                (*path, "to"),
                "there is no target here",
                "`target` stands in an attack's `do` and in rules; use self or source",
            )
        if effect.to in AFTER_A_MATCH and (names.event is None or names.event.name != "match_ended"):
            self.source.tell(
                (*path, "to"),
                f"there are no {effect.to} here",
                "`winners` and `losers` stand in a rule on match_ended; use self, source or team",
            )
        self.formula(effect.when, names, (*path, "when"))
        self.formula(effect.chance, names, (*path, "chance"))
        if effect.verb == "announce":
            self.announce(effect, path, names)
            return
        for key, kind, value in (
            (effect.verb, spec.operand, effect.operand),
            *((key, BESIDE[key].kind, effect.beside.get(key)) for key in spec.beside),
        ):
            if value is None:
                continue
            if isinstance(value, KeyTable):
                refer_clock(self.tables, self.source, value, (*path, key))
                if effect.verb == "place" and isinstance(value, models.Clocked) and value.clock == "turns":
                    told = "counts turns, and what lies there takes none"
                    self.source.tell((*path, key), told, "give rounds, days or seconds")
            elif kind in ("amount", "span"):
                self.formula(value, names, (*path, key))
            elif kind == "options":
                for number, option in enumerate(effect.options()):
                    self.formula(option.weight, names, (*path, key, number, "weight"))
                    self.effects(option.do, (*path, key, number, "do"), names, target=target)
            elif kind in self.names:
                self.need(kind, value, (*path, key))
            one = self.tables.statuses.get(str(value)) if kind == "status" else None
            if one is not None and one.active_when is not None:
                self.source.tell(
                    (*path, key),
                    f"{value} is on while {one.active_when} holds",
                    "it can be neither put on nor cured; use another status",
                )

    def announce(self, effect: models.Effect, path: Path, names: FormulaNames) -> None:
        """Check an effect that raises one of the design's own events: every field said, of the right type."""
        own = tuple(self.tables.events)
        spec = self.known.events.get(str(effect.operand))
        if spec is None or effect.operand not in entries_of(self.source, "events"):
            self.source.tell(
                (*path, "announce"),
                f"unknown event {effect.operand!r} of the design's own",
                advice(str(effect.operand), own),
            )
            return
        fields = dict(spec.fields)
        for key, value in effect.beside.items():
            if key not in fields:
                self.source.tell(
                    (*path, key),
                    f"event {spec.name} has no field {key!r}",
                    advice(key, list(fields), lead="it has"),
                )
            elif fields[key] == "number":
                self.formula(value, names, (*path, key))
            elif isinstance(value, str) and value.startswith("event."):
                self.formula(value, names, (*path, key), "text")
        for key in fields:
            if key not in effect.beside:
                self.source.tell(path, f"announce {spec.name} does not say {key!r}", f"add {key} = …")

    def event(self, name: str, path: Path) -> EventSpec | None:
        """Return an event by its name, or tell that there is none."""
        spec = self.known.events.get(name)
        if spec is None:
            self.source.tell(path, f"unknown event {name!r}", advice(name, list(self.known.events)))
        return spec

    def matcher(
        self, matcher: models.Matcher, path: Path, roots: tuple[str, ...] = ("self", "source", "target")
    ) -> FormulaNames | None:
        """Check what picks events; returns the names its formulas may use, None where there is no such
        event."""
        spec = self.event(matcher.on, (*path, "on"))
        if spec is None:
            return None
        names = FormulaNames(self.known, roots, spec)
        fields = dict(spec.fields)
        for key, value in matcher.fields().items():
            if key not in fields:
                allowed = [*matcher.declared(), *fields]
                self.source.tell(
                    (*path, key),
                    f"unknown key {key!r}: event {matcher.on} has no such field",
                    advice(key, allowed),
                )
            else:
                self.field(key, fields[key], value, (*path, key), matcher.on)
        if matcher.of is not None:
            parties = self.known.pickups if spec.party == "pickup" else self.known.kinds
            known = (*parties, *self.known.tags)
            if matcher.of not in known:
                self.source.tell(
                    (*path, "of"), f"unknown kind or tag {matcher.of!r}", advice(matcher.of, known)
                )
        self.formula(matcher.where, names, (*path, "where"))
        return names

    def field(self, key: str, kind: str, value: Any, path: Path, event: str) -> None:
        """Check the value asked for of one field."""
        right = {"number": (int, float), "name": str, "truth": bool}[kind]
        if not isinstance(value, right) or (kind == "number" and isinstance(value, bool)):  # type: ignore[arg-type]
            self.source.tell(path, f"is {value!r}", f"field {key} of {event} holds a {kind}")
        elif key == "mark":
            if value not in self.known.marks:
                self.source.tell(path, f"unknown mark {value!r}", advice(str(value), self.known.marks))
        elif key in self.names and event in EVENTS:
            self.need(key, value, path)

    def rules(self, rules: Iterable[models.Rule], path: Path) -> None:
        """Check a list of rules: each by itself, and that no two have one name, and so the same dice."""
        seen: dict[str, int] = {}
        for number, rule in enumerate(rules):
            names = self.matcher(rule, (*path, number))
            if names is not None:
                self.effects(rule.do, (*path, number, "do"), names, target=True)
            if rule.name is not None and seen.setdefault(rule.name, number) != number:
                self.source.tell(
                    (*path, number, "name"),
                    f"{rule.name!r} is the name of rule {seen[rule.name] + 1} already",
                    "choose another: the dice of a rule are named for it",
                )

    def tally(self, tally: models.Tallying, path: Path) -> None:
        """Check how a tally matches and adds up."""
        names = self.matcher(tally, path)
        ways = [
            way for way in ("count", "sum", "best", "least", "distinct") if getattr(tally, way) is not None
        ]
        ways += ["streak"] if tally.in_a_row() is not None else []
        if len([way for way in ways if way != "count"]) > 1:
            self.source.tell(path, f"adds up in {len(ways)} ways: {', '.join(ways)}", "choose one")
        how, field = tally.way()
        spec = self.known.events.get(tally.on)
        if field and spec is not None:
            types = dict(spec.fields)
            if field not in types:
                self.source.tell(
                    (*path, how),
                    f"event {tally.on} has no field {field!r}",
                    advice(field, list(types), lead="it has"),
                )
            elif how != "distinct" and types[field] != "number":
                self.source.tell(
                    (*path, how), f"field {field} of {tally.on} holds a {types[field]}", "add up a number"
                )
        if tally.reset_on is not None:
            self.event(tally.reset_on, (*path, "reset_on"))
        if tally.within is not None and how not in ("count", "sum"):
            self.source.tell(
                (*path, "within"), f"stands beside {how}", "count or sum what came within a time"
            )
        if names is not None and isinstance(tally.count, str) and tally.count != "all":
            self.formula(tally.count, FormulaNames(self.known, ("self",)), (*path, "count"))
