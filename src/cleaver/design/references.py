"""References: whether every name a design uses is one it defines, and every formula can be worked out.

Comes after `shape`, on whatever had the right shape; walks each section once. Knows nothing of run time.
Start at `refer`.
"""

from __future__ import annotations

from cleaver.design import contests, models, quests, stats
from cleaver.design.clocks import takes_turns
from cleaver.design.lines import Path
from cleaver.design.models.values import WHOLE_LIMIT
from cleaver.design.names import entries_of, flat, gather
from cleaver.design.paths import FormulaNames, Known
from cleaver.design.reading import Source
from cleaver.design.vocabulary import ANNOUNCING, COMMON_FIELDS, EVENTS
from cleaver.design.walk import Walk
from cleaver.errors import advice


def refer(
    tables: models.DesignTables, source: Source, before: tuple[models.DesignTables, Known] | None = None
) -> Known:
    """Check every name and formula of *tables*; errors are added to *source*. Returns the names.

    What is shared with a design that is right, *before*, is not looked at again where the names are the same.
    """
    known, right = gather(tables, source), None
    if before is not None and known.same_as(before[1]) and takes_turns(tables) == takes_turns(before[0]):
        right, known = before
    walk = Walk(tables, known, source, right)
    _events(tables, source)
    _clashes(source)
    for name, text in tables.formulas.items():
        if name in tables.inputs:
            source.tell(
                ("formulas", name), f"{name!r} is one of the game's inputs already", "choose another name"
            )
        else:
            walk.written(text, ("formulas", name))
    for section in models.NAMED:
        for name, entry in walk.others(section):
            walk.named(entry, (section, name))
    for name, actor in walk.others("actors"):
        _actor(walk, name, actor)
    for name, status in walk.others("statuses"):
        _status(walk, name, status)
    for name, pickup in walk.others("pickups"):
        _pickup(walk, name, pickup)
    for name, exchange in tables.exchanges.items():
        _exchange(walk, name, exchange)
    if right is None or right.rules is not tables.rules:
        walk.rules(tables.rules, ("rules",))
    for number, change in enumerate(tables.saves.changes):
        if change.from_ >= tables.game.version:
            source.tell(
                ("saves", "changes", number, "from"),
                f"is {change.from_}, and the game is of version {tables.game.version}",
                f"raise version in [game] to {change.from_ + 1}, or begin from an older one",
            )
    contests.refer_contests(walk)
    quests.refer_quests(walk)
    stats.refer_stats(walk)
    if tables.game.turn_order is not None:
        walk.formula(tables.game.turn_order, FormulaNames(known, ("self",)), ("game", "turn_order"))
        if not takes_turns(tables):
            source.tell(("game", "turn_order"), "nobody takes turns", "say so of a kind: turns = true")
    _texts(walk)
    for name, currency in tables.currencies.items():
        if currency.most is not None and currency.start > currency.most:
            source.tell(
                ("currencies", name, "start"),
                f"is {currency.start}, above its most of {currency.most}",
                "start with less, or raise most",
            )
    return known


def _events(tables: models.DesignTables, source: Source) -> None:
    """The design's own events, and their fields, have names of their own."""
    for name, event in tables.events.items():
        if name in EVENTS:
            source.tell(("events", name), f"{name} is one of Cleaver's own events", "choose another name")
        clash = [field for field in event.fields if field in (*dict(COMMON_FIELDS), *ANNOUNCING)]
        if clash:
            source.tell(
                ("events", name, "fields", clash[0]),
                f"every event has a field {clash[0]!r} already"
                if clash[0] in dict(COMMON_FIELDS)
                else f"{clash[0]!r} is a word of the call that announces an event",
                "choose another name",
            )


def _clashes(source: Source) -> None:
    """No two goods, meters, stats or ladders share a name: a path could mean either."""
    seen: dict[str, Path] = {}
    places: list[tuple[str, Path]] = [
        (name, (section, name))
        for section in ("currencies", "items", "levels")
        for name in entries_of(source, section)
    ]
    for kind, entry in entries_of(source, "actors").items():
        for what in ("meters", "stats") if isinstance(entry, dict) else ():
            table = entry.get(what)
            places += [(name, (what, kind, what, name)) for name in table] if isinstance(table, dict) else []
    for name, path in places:
        other = seen.setdefault(name, path)
        if other[0] != path[0]:
            path, other = (("actors", *one[1:]) if len(one) > 2 else one for one in (path, other))
            source.tell(
                path,
                f"the name {name!r} is taken by {'.'.join(map(str, other))}",
                "choose another: a path such as ana." + name + " could mean either",
            )


def _actor(walk: Walk, name: str, actor: models.Actor) -> None:
    path: Path = ("actors", name)
    tell = walk.source.tell
    if actor.vital is not None and actor.vital not in actor.meters:
        tell(
            (*path, "vital"),
            f"unknown meter {actor.vital!r} on {name}",
            advice(actor.vital, list(actor.meters), lead="it has"),
        )
    for meter_name, meter in actor.meters.items():
        _meter(walk, (*path, "meters", meter_name), meter_name, meter, actor)
    mine = FormulaNames(walk.known, ("self", "source"))
    died = FormulaNames(walk.known, ("self", "source"), walk.known.events["died"])
    _deeds(walk, actor, path)
    for pulse_name, pulse in actor.pulses.items():
        walk.effects(pulse.do, (*path, "pulses", pulse_name, "do"), mine)
        walk.formula(pulse.every, mine, (*path, "pulses", pulse_name, "every"))
    walk.effects(actor.on_death, (*path, "on_death"), died)
    if actor.respawn is not None:
        walk.formula(actor.respawn.after, died, (*path, "respawn", "after"))
    if actor.vanish_after is not None and actor.player:
        tell(
            (*path, "vanish_after"),
            "stands on a player kind",
            "a player stays until it leaves; use respawn, or let the game call leave",
        )
    if actor.lives is not None and actor.lives.most is not None and actor.lives.start > actor.lives.most:
        tell(
            (*path, "lives", "start"),
            f"is {actor.lives.start}, above its most of {actor.lives.most}",
            "start with fewer, or raise most",
        )
    if (actor.lives or actor.respawn) and actor.vital is None:
        tell(
            (*path, "vital"),
            "is missing: an actor with lives or respawn must be able to die",
            f"name one of its meters: {', '.join(actor.meters)}",
        )


def _deeds(walk: Walk, actor: models.Actor, path: Path) -> None:
    """Check what stands between hits and an actor, and what it can do."""
    names = FormulaNames(walk.known, ("self", "source", "target"))
    mine = FormulaNames(walk.known, ("self", "source"))
    guard = actor.guard
    for key in ("scale", "armour", "grace"):
        walk.formula(getattr(guard, key), names, (*path, "guard", key))
    for key, table in (("zones", guard.zones), ("through", guard.through)):
        for what, amount in table.items():
            walk.formula(amount, names, (*path, "guard", key, what))
    walk.formula(actor.reach, FormulaNames(walk.known, ("self",)), (*path, "reach"))
    for attack_name, attack in actor.attacks.items():
        walk.formula(attack.amount, names, (*path, "attacks", attack_name, "amount"))
        for key in ("cooldown", "flight", "pierces"):
            walk.formula(getattr(attack, key), mine, (*path, "attacks", attack_name, key))
        for key in ("chance", "times") if attack.crit is not None else ():
            walk.formula(getattr(attack.crit, key), names, (*path, "attacks", attack_name, "crit", key))
        walk.effects(
            attack.do,
            (*path, "attacks", attack_name, "do"),
            FormulaNames(walk.known, ("self", "source", "target")),
            target=True,
        )
        _priced(walk, attack, names, (*path, "attacks", attack_name))
    for ability_name, ability in actor.abilities.items():
        where: Path = (*path, "abilities", ability_name)
        _priced(walk, ability, names, where)
        walk.formula(ability.cooldown, names, (*where, "cooldown"))
        walk.formula(ability.reach, names, (*where, "reach"))
        walk.effects(ability.do, (*where, "do"), names, target=ability.targets != "nobody")


def _priced(walk: Walk, priced: models.Priced, names: FormulaNames, path: Path) -> None:
    for name, amount in priced.costs.items():
        walk.formula(amount, names, (*path, "costs", name))
    for number, need in enumerate(priced.needs):
        walk.formula(need, names, (*path, "needs", number))


def _meter(walk: Walk, path: Path, name: str, meter: models.MeterTable, actor: models.Actor) -> None:
    tell = walk.source.tell
    top = meter.max
    if isinstance(top, str):
        top = WHOLE_LIMIT  # `stats` looks at it
    if meter.start is not None and meter.start > top + meter.overfill:
        tell((*path, "start"), f"is {meter.start:g}, above its max of {top:g}", "start at or below max")
    if meter.shields is not None and (meter.shields not in actor.meters or meter.shields == name):
        tell(
            (*path, "shields"),
            f"unknown meter {meter.shields!r}",
            advice(meter.shields, [n for n in actor.meters if n != name], lead="it has"),
        )
    elif meter.shields is not None and meter.shields != actor.vital:
        tell(
            (*path, "shields"),
            f"{meter.shields!r} is not the vital meter, and hits reach no other",
            f"a shield shields {actor.vital!r}",
        )
    if meter.whole:
        for key in ("max", "start", "overfill"):
            value = getattr(meter, key)
            if value is not None and not isinstance(value, str) and value != int(value):
                tell(
                    (*path, key),
                    f"is {value:g} on a meter of whole numbers",
                    "give a whole number, or drop whole = true",
                )


def _status(walk: Walk, name: str, status: models.Status) -> None:
    names = FormulaNames(walk.known, ("self", "source"))
    walk.formula(status.lasts, names, ("statuses", name, "lasts"))
    for number, pulse in enumerate(status.pulses):
        walk.effects(pulse.do, ("statuses", name, "pulses", number, "do"), names)
        walk.formula(pulse.every, names, ("statuses", name, "pulses", number, "every"))
    if status.for_ and status.active_when is None:
        walk.source.tell(("statuses", name, "for"), "stands without active_when", "say when it is on")
    if status.stack == "extend" and status.lasts is None:
        walk.source.tell(
            ("statuses", name, "stack"), 'is "extend" on a status that lasts until cured', "give it `lasts`"
        )


def _pickup(walk: Walk, name: str, pickup: models.Pickup) -> None:
    path: Path = ("pickups", name)
    for word in pickup.inputs:
        if word in walk.known.inputs:
            walk.source.tell(
                (*path, "inputs", word),
                f"{word!r} is one of the game's inputs already",
                "choose another name",
            )
    names = FormulaNames(walk.known, ("self", "source"), locals=pickup.inputs)
    walk.effects(pickup.do, (*path, "do"), names)
    walk.formula(pickup.cooldown, names, (*path, "cooldown"))
    walk.formula(pickup.reach, FormulaNames(walk.known, ("self",)), (*path, "reach"))
    for number, need in enumerate(pickup.needs):
        walk.formula(need, names, (*path, "needs", number))
    if pickup.respawn_after is not None and pickup.stays:
        walk.source.tell(
            (*path, "respawn_after"),
            "stands beside stays = true",
            "a pad never goes; give it a cooldown instead",
        )
    for axis, (low, high) in pickup.respawn_in.items():
        if low > high:
            walk.source.tell(
                (*path, "respawn_in", axis),
                f"goes from {low:g} down to {high:g}",
                "give the lower bound first",
            )


def _exchange(walk: Walk, name: str, exchange: models.Exchange) -> None:
    path: Path = ("exchanges", name)
    names = FormulaNames(walk.known, locals=("bought",))
    for key, table in (("costs", exchange.costs), ("gives", exchange.gives)):
        for good, amount in table.items():
            walk.formula(amount, names, (*path, key, good))
    walk.formula(exchange.reach, FormulaNames(walk.known, ("self",)), (*path, "reach"))
    for number, need in enumerate(exchange.needs):
        walk.formula(need, names, (*path, "needs", number))
    walk.effects(exchange.do, (*path, "do"), names, target=True)
    if not (exchange.costs or exchange.gives or exchange.do):
        walk.source.tell(path, "neither costs nor gives anything", "name goods in costs and gives")
    if exchange.all and exchange.do:
        walk.source.tell(
            (*path, "all"),
            "stands beside effects, of which there is no end",
            "leave `all` out, or give goods in `gives`",
        )
    circle = _circle(walk, name)
    if circle:
        walk.source.tell(
            (*path, "do"),
            f"goes round in a circle: {' → '.join(circle)}",
            "take one of these exchanges out of `do`",
        )
    if exchange.restock_after is not None and exchange.stock is None:
        walk.source.tell(
            (*path, "restock_after"), "stands without a stock", "say how many there are: stock = 3"
        )
    if exchange.reach is not None and exchange.at is None:
        walk.source.tell((*path, "reach"), "stands without a place", "say where it is: at = [0, 0]")


def _circle(walk: Walk, name: str) -> list[str]:
    """Return the way from an exchange back to itself through their effects; empty where there is none."""
    exchanges = walk.tables.exchanges
    ways = [[name]]
    seen: set[str] = set()
    while ways:
        way = ways.pop(0)
        found = exchanges.get(way[-1])
        for effect in flat(found.do) if found is not None else ():
            if effect.verb != "exchange":
                continue
            if effect.operand == name:
                return [*way, name]
            if effect.operand not in seen:
                seen.add(str(effect.operand))
                ways.append([*way, str(effect.operand)])
    return []


def _texts(walk: Walk) -> None:
    for name, text in walk.tables.texts.items():
        spec = walk.event(name, ("texts", name))
        if spec is None:
            continue
        fields = [*spec.names(), *(field for field, _ in COMMON_FIELDS)]
        try:
            from string import Formatter  # only designs with texts need it

            parts = list(Formatter().parse(text))
            used = [field for _, field, _, _ in parts if field is not None]
        except ValueError as error:
            walk.source.tell(
                ("texts", name), f"cannot be read: {error}", "write fields as {amount}, a real brace as {{"
            )
            continue
        if any(spec not in ("", None, "title") or conversion for _, _, spec, conversion in parts):
            walk.source.tell(
                ("texts", name),
                "says how a field is to be written, with : or !",
                "write fields as {amount}, or {item:title} for the title; numbers are written as everywhere",
            )
        for field in used:
            if field not in fields:
                walk.source.tell(
                    ("texts", name),
                    f"event {name} has no field {field!r}",
                    advice(field, fields, lead="it has"),
                )
