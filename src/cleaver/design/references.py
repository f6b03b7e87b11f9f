"""References: whether every name a design uses is one it defines, and every formula can be worked out.

Comes after `shape`, on whatever had the right shape; gathers the names first,
then walks each section once. Knows nothing of run time. Start at `refer`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from cleaver.design import models
from cleaver.design.lines import Path
from cleaver.design.paths import FormulaNames, Known
from cleaver.design.reading import Source
from cleaver.design.vocabulary import COMMON_FIELDS, EVENTS, VERBS, EventSpec
from cleaver.errors import FormulaError, advice
from cleaver.formula import Type
from cleaver.parsing import parse


def gather(tables: models.DesignTables, source: Source) -> Known:
    """Return every name that a design defines; entries of the wrong shape are known by name all the same."""
    known = Known()

    def section(name: str) -> tuple[str, ...]:
        return tuple(entries_of(source, name))

    known.inputs = dict(tables.inputs)
    for name, event in tables.events.items():
        known.events[name] = EventSpec(name, tuple(event.fields.items()))
    for name in section("events"):
        known.events.setdefault(name, EventSpec(name, ()))
    known.currencies, known.pickups, known.kinds, known.statuses = section("currencies"), section("pickups"), section("actors"), section("statuses")
    known.teams, known.items, known.exchanges = section("teams"), section("items"), section("exchanges")
    raw_actors = [entry for entry in entries_of(source, "actors").values() if isinstance(entry, dict)]
    known.meters = _ordered(name for entry in raw_actors if isinstance(entry.get("meters"), dict) for name in entry["meters"])
    known.attacks = _ordered(name for entry in raw_actors if isinstance(entry.get("attacks"), dict) for name in entry["attacks"])
    known.zones = _ordered(zone for actor in tables.actors.values() for zone in actor.guard.zones)
    known.hurts = _ordered(_kinds_of_damage(tables))
    known.tags = _ordered(_tags(tables))
    return known


def entries_of(source: Source, section: str) -> dict[str, Any]:
    """Return the entries of a section as they were written, whatever their shape."""
    entries = source.tree.get(section)
    return entries if isinstance(entries, dict) else {}


def _ordered(names: Iterable[str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(names))


def _all_effects(tables: models.DesignTables) -> Iterable[models.Effect]:
    for actor in tables.actors.values():
        yield from actor.on_death
        for attack in actor.attacks.values():
            yield from attack.do
        for pulse in actor.pulses.values():
            yield from pulse.do
    for status in tables.statuses.values():
        for pulse in status.pulses:
            yield from pulse.do
    for pickup in tables.pickups.values():
        yield from pickup.do
    for rule in tables.rules:
        yield from rule.do


def _kinds_of_damage(tables: models.DesignTables) -> Iterable[str]:
    for actor in tables.actors.values():
        yield from actor.guard.through
        yield from (attack.kind for attack in actor.attacks.values() if attack.kind)
    for status in tables.statuses.values():
        yield from status.through
    yield from (effect.beside["kind"] for effect in _all_effects(tables) if effect.verb == "hurt" and "kind" in effect.beside)


def _tags(tables: models.DesignTables) -> Iterable[str]:
    """Every tag the design uses anywhere or lists."""
    yield from tables.game.tags
    for actor in tables.actors.values():
        yield from actor.tags
        yield from actor.guard.immune_while
        for meter in actor.meters.values():
            yield from (tag for flow in meter.flows for tag in (flow.while_, flow.unless) if tag)
    for status in tables.statuses.values():
        yield from status.tags
        yield from (tag for flow in status.flows for tag in (flow.while_, flow.unless) if tag)
    for pickup in tables.pickups.values():
        yield from pickup.tags
    yield from (str(effect.operand) for effect in _all_effects(tables) if effect.verb in ("tag", "untag"))
    for rule in tables.rules:
        if rule.on in ("tagged", "untagged") and isinstance(rule.fields().get("tag"), str):
            yield rule.fields()["tag"]


class _Walk:
    """One walk over a design: tells its source whatever does not fit."""

    def __init__(self, tables: models.DesignTables, known: Known, source: Source) -> None:
        self.tables, self.known, self.source = tables, known, source
        k = known
        self.names: dict[str, Callable[[], tuple[str, ...]]] = {
            "meter": lambda: k.meters, "currency": lambda: k.currencies, "item": lambda: k.items, "levels": lambda: k.levels, "status": lambda: k.statuses,
            "tag": lambda: k.tags, "achievement": lambda: k.achievements, "quest": lambda: k.quests, "zone": lambda: k.zones, "kind": lambda: k.hurts,
            "pickup": lambda: k.pickups, "match": lambda: tuple(k.matches), "rating": lambda: k.ratings, "team": lambda: k.teams,
            "exchange": lambda: k.exchanges, "attack": lambda: k.attacks,
        }

    def need(self, what: str, name: object, path: Path) -> None:
        known = self.names[what]()
        if name not in known:
            self.source.tell(path, f"unknown {what} {name!r}", advice(str(name), known))

    def formula(self, text: object, names: FormulaNames, path: Path, wanted: Type = "number") -> None:
        if not isinstance(text, str):
            return
        try:
            found = parse(text, names).type
        except FormulaError as error:
            self.source.tell(path, f"formula {error.text[:60]!r} {error.trouble}")
            return
        if (wanted == "text" and found != "text") or (wanted != "text" and found not in ("number", "truth")):
            self.source.tell(path, f"formula {text!r} gives a {found}", f"it must give a {wanted}")

    def effects(self, effects: Iterable[models.Effect], path: Path, names: FormulaNames, *, target: bool = False) -> None:
        for number, effect in enumerate(effects):
            self.effect(effect, (*path, number), names, target=target)

    def effect(self, effect: models.Effect, path: Path, names: FormulaNames, *, target: bool) -> None:
        spec = VERBS[effect.verb]
        if effect.to == "target" and not target and names.event is None:
            self.source.tell((*path, "to"), "there is no target here", "`target` stands in an attack's `do` and in rules; use self or source")
        self.formula(effect.when, names, (*path, "when"))
        if effect.verb == "announce":
            self.announce(effect, path, names)
            return
        for key, kind, value in ((effect.verb, spec.operand, effect.operand), *((key, kind, effect.beside.get(key)) for key, kind in spec.beside)):
            if value is None:
                continue
            if kind == "amount":
                self.formula(value, names, (*path, key))
            elif kind in self.names:
                self.need(kind, value, (*path, key))

    def announce(self, effect: models.Effect, path: Path, names: FormulaNames) -> None:
        own = tuple(self.tables.events)
        spec = self.known.events.get(str(effect.operand))
        if spec is None or effect.operand not in entries_of(self.source, "events"):
            self.source.tell((*path, "announce"), f"unknown event {effect.operand!r} of the design's own", advice(str(effect.operand), own))
            return
        fields = dict(spec.fields)
        for key, value in effect.beside.items():
            if key not in fields:
                self.source.tell((*path, key), f"event {spec.name} has no field {key!r}", advice(key, list(fields), lead="it has"))
            elif fields[key] == "number":
                self.formula(value, names, (*path, key))
            elif isinstance(value, str) and value.startswith("event."):
                self.formula(value, names, (*path, key), "text")
        for key in fields:
            if key not in effect.beside:
                self.source.tell(path, f"announce {spec.name} does not say {key!r}", f"add {key} = …")

    def event(self, name: str, path: Path) -> EventSpec | None:
        spec = self.known.events.get(name)
        if spec is None:
            self.source.tell(path, f"unknown event {name!r}", advice(name, list(self.known.events)))
        return spec

    def matcher(self, matcher: models.Matcher, path: Path, roots: tuple[str, ...] = ("self", "source", "target"),
                besides: tuple[str, ...] = ()) -> FormulaNames | None:
        spec = self.event(matcher.on, (*path, "on"))
        if spec is None:
            return None
        names = FormulaNames(self.known, roots, spec)
        fields = dict(spec.fields)
        for key, value in matcher.fields().items():
            if key not in fields:
                allowed = ["on", "of", "where", *besides, *fields]
                self.source.tell((*path, key), f"unknown key {key!r}: event {matcher.on} has no such field", advice(key, allowed))
            else:
                self.field(key, fields[key], value, (*path, key), matcher.on)
        if matcher.of is not None:
            parties = self.known.pickups if spec.party == "pickup" else self.known.kinds
            known = (*parties, *self.known.tags)
            if matcher.of not in known:
                self.source.tell((*path, "of"), f"unknown kind or tag {matcher.of!r}", advice(matcher.of, known))
        self.formula(matcher.where, names, (*path, "where"))
        return names

    def field(self, key: str, kind: str, value: Any, path: Path, event: str) -> None:
        right = {"number": (int, float), "name": str, "truth": bool}[kind]
        if not isinstance(value, right) or (kind == "number" and isinstance(value, bool)):  # type: ignore[arg-type]
            self.source.tell(path, f"is {value!r}", f"field {key} of {event} holds a {kind}")
        elif key == "mark":
            marks = _ordered(mark for actor in self.tables.actors.values() for meter in actor.meters.values() for mark in meter.marks)
            if value not in marks:
                self.source.tell(path, f"unknown mark {value!r}", advice(str(value), marks))
        elif key in self.names and event in EVENTS:
            self.need(key, value, path)


def refer(tables: models.DesignTables, source: Source) -> Known:
    """Check every name and formula of *tables*; what is wrong is told to *source*. Returns the names."""
    known = gather(tables, source)
    walk = _Walk(tables, known, source)
    for name, event in tables.events.items():
        if name in EVENTS:
            source.tell(("events", name), f"{name} is one of Cleaver's own events", "choose another name")
        clash = [field for field in event.fields if field in dict(COMMON_FIELDS)]
        if clash:
            source.tell(("events", name, "fields", clash[0]), f"every event has a field {clash[0]!r} already", "choose another name")
    _clashes(source)
    for name, actor in tables.actors.items():
        _actor(walk, name, actor)
    for name, status in tables.statuses.items():
        _status(walk, name, status)
    for name, pickup in tables.pickups.items():
        _pickup(walk, name, pickup)
    for name, exchange in tables.exchanges.items():
        _exchange(walk, name, exchange)
    for number, rule in enumerate(tables.rules):
        path: Path = ("rules", number)
        names = walk.matcher(rule, path, besides=("do",))
        if names is not None:
            walk.effects(rule.do, (*path, "do"), names, target=True)
    _texts(walk)
    for name, currency in tables.currencies.items():
        if currency.most is not None and currency.start > currency.most:
            source.tell(("currencies", name, "start"), f"is {currency.start}, above its most of {currency.most}", "start with less, or raise most")
    return known


def _clashes(source: Source) -> None:
    """No two goods, meters or ladders share a name: a path could mean either."""
    seen: dict[str, Path] = {}
    places: list[tuple[str, Path]] = [(name, (section, name)) for section in ("currencies", "items", "levels") for name in entries_of(source, section)]
    for kind, entry in entries_of(source, "actors").items():
        meters = entry.get("meters") if isinstance(entry, dict) else None
        places += [(name, ("actors", kind, "meters", name)) for name in meters] if isinstance(meters, dict) else []
    for name, path in places:
        other = seen.setdefault(name, path)
        if other[0] != path[0]:
            source.tell(path, f"the name {name!r} is taken by {'.'.join(map(str, other))}", "choose another: a path such as ana." + name + " could mean either")


def _actor(walk: _Walk, name: str, actor: models.Actor) -> None:
    path: Path = ("actors", name)
    tell = walk.source.tell
    if actor.vital is not None and actor.vital not in actor.meters:
        tell((*path, "vital"), f"unknown meter {actor.vital!r} on {name}", advice(actor.vital, list(actor.meters), lead="it has"))
    for meter_name, meter in actor.meters.items():
        _meter(walk, (*path, "meters", meter_name), meter_name, meter, actor)
    names = FormulaNames(walk.known, ("self", "source", "target"))
    walk.formula(actor.guard.scale, FormulaNames(walk.known, ("self", "source")), (*path, "guard", "scale"))
    for attack_name, attack in actor.attacks.items():
        walk.formula(attack.amount, names, (*path, "attacks", attack_name, "amount"))
        walk.effects(attack.do, (*path, "attacks", attack_name, "do"), FormulaNames(walk.known, ("self", "source", "target")), target=True)
    for pulse_name, pulse in actor.pulses.items():
        walk.effects(pulse.do, (*path, "pulses", pulse_name, "do"), FormulaNames(walk.known, ("self", "source")))
    walk.effects(actor.on_death, (*path, "on_death"), FormulaNames(walk.known, ("self", "source"), walk.known.events["died"]))
    if actor.lives is not None and actor.lives.most is not None and actor.lives.start > actor.lives.most:
        tell((*path, "lives", "start"), f"is {actor.lives.start}, above its most of {actor.lives.most}", "start with fewer, or raise most")
    if (actor.lives or actor.respawn) and actor.vital is None:
        tell((*path, "vital"), "is missing: an actor with lives or respawn must be able to die", f"name one of its meters: {', '.join(actor.meters)}")


def _meter(walk: _Walk, path: Path, name: str, meter: models.MeterTable, actor: models.Actor) -> None:
    tell = walk.source.tell
    if meter.start is not None and meter.start > meter.max + meter.overfill:
        tell((*path, "start"), f"is {meter.start:g}, above its max of {meter.max:g}", "start at or below max")
    if meter.shields is not None and (meter.shields not in actor.meters or meter.shields == name):
        tell((*path, "shields"), f"unknown meter {meter.shields!r}", advice(meter.shields, [n for n in actor.meters if n != name], lead="it has"))
    elif meter.shields is not None and meter.shields != actor.vital:
        tell((*path, "shields"), f"{meter.shields!r} is not the vital meter, and hits reach no other", f"a shield shields {actor.vital!r}")
    if meter.whole:
        for key in ("max", "start", "overfill"):
            value = getattr(meter, key)
            if value is not None and value != int(value):
                tell((*path, key), f"is {value:g} on a meter of whole numbers", "give a whole number, or drop whole = true")


def _status(walk: _Walk, name: str, status: models.Status) -> None:
    for number, flow in enumerate(status.flows):
        walk.need("meter", flow.meter, ("statuses", name, "flows", number, "meter"))
    for number, pulse in enumerate(status.pulses):
        walk.effects(pulse.do, ("statuses", name, "pulses", number, "do"), FormulaNames(walk.known, ("self", "source")))
    if status.stack == "extend" and status.lasts is None:
        walk.source.tell(("statuses", name, "stack"), "is \"extend\" on a status that lasts until cured", "give it `lasts`")


def _pickup(walk: _Walk, name: str, pickup: models.Pickup) -> None:
    path: Path = ("pickups", name)
    for word in pickup.inputs:
        if word in walk.known.inputs:
            walk.source.tell((*path, "inputs", word), f"{word!r} is one of the game's inputs already", "choose another name")
    walk.effects(pickup.do, (*path, "do"), FormulaNames(walk.known, ("self", "source"), locals=pickup.inputs))
    allowed = (*walk.known.kinds, *walk.known.tags, *walk.known.teams)
    for number, word in enumerate(pickup.for_):
        if word not in allowed:
            walk.source.tell((*path, "for", number), f"unknown kind, tag or team {word!r}", advice(word, allowed))
    if pickup.respawn_after is not None and pickup.stays:
        walk.source.tell((*path, "respawn_after"), "stands beside stays = true", "a pad never goes; give it a cooldown instead")
    for axis, (low, high) in pickup.respawn_in.items():
        if low > high:
            walk.source.tell((*path, "respawn_in", axis), f"goes from {low:g} down to {high:g}", "give the lower bound first")


def _exchange(walk: _Walk, name: str, exchange: models.Exchange) -> None:
    path: Path = ("exchanges", name)
    goods = (*walk.known.currencies, *walk.known.items)
    names = FormulaNames(walk.known, locals=("bought",))
    for key, table in (("costs", exchange.costs), ("gives", exchange.gives)):
        for good, amount in table.items():
            if good not in goods:
                walk.source.tell((*path, key, good), f"unknown currency or item {good!r}", advice(good, goods))
            walk.formula(amount, names, (*path, key, good))
    for number, need in enumerate(exchange.needs):
        walk.formula(need, names, (*path, "needs", number))
    if not exchange.costs and not exchange.gives:
        walk.source.tell(path, "neither costs nor gives anything", "name goods in costs and gives")
    if exchange.restock_after is not None and exchange.stock is None:
        walk.source.tell((*path, "restock_after"), "stands without a stock", "say how many there are: stock = 3")
    if exchange.reach is not None and exchange.at is None:
        walk.source.tell((*path, "reach"), "stands without a place", "say where it is: at = [0, 0]")


def _texts(walk: _Walk) -> None:
    from string import Formatter  # only designs with texts need it

    for name, text in walk.tables.texts.items():
        spec = walk.event(name, ("texts", name))
        if spec is None:
            continue
        fields = [*spec.names(), *(field for field, _ in COMMON_FIELDS)]
        try:
            used = [field for _, field, _, _ in Formatter().parse(text) if field is not None]
        except ValueError as error:
            walk.source.tell(("texts", name), f"cannot be read: {error}", "write fields as {amount}, a real brace as {{")
            continue
        for field in used:
            if field not in fields:
                walk.source.tell(("texts", name), f"event {name} has no field {field!r}", advice(field, fields, lead="it has"))


