"""Names: every name that a design defines, gathered before anything is checked. Start at `gather`."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from cleaver.design import models
from cleaver.design.lines import Path
from cleaver.design.paths import Known
from cleaver.design.reading import Source
from cleaver.design.vocabulary import BESIDE, VERBS, EventSpec

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


def gather(tables: models.DesignTables, source: Source) -> Known:
    """Return every name that a design defines; entries of the wrong shape are known by name all the same."""
    known = Known()

    def section(name: str) -> tuple[str, ...]:
        return tuple(entries_of(source, name))

    known.inputs, known.formulas = dict(tables.inputs), dict(tables.formulas)
    for name, event in tables.events.items():
        known.events[name] = EventSpec(name, tuple(event.fields.items()))  # type: ignore[arg-type]
    for name in section("events"):
        known.events.setdefault(name, EventSpec(name, ()))
    known.currencies, known.pickups, known.kinds, known.statuses = (
        section("currencies"),
        section("pickups"),
        section("actors"),
        section("statuses"),
    )
    known.teams, known.items, known.exchanges = section("teams"), section("items"), section("exchanges")
    known.levels, known.ratings, known.records = section("levels"), section("ratings"), section("records")
    known.stages = section("stages")
    known.quests, known.achievements = section("quests"), section("achievements")
    for name, entry in entries_of(source, "quests").items():
        goals = entry.get("goals") if isinstance(entry, dict) else None
        known.goals[name] = len(goals) if isinstance(goals, list) else 0
    for name, entry in entries_of(source, "matches").items():
        teams = entry.get("teams", ()) if isinstance(entry, dict) else ()
        known.matches[name] = tuple(str(team) for team in teams) if isinstance(teams, list) else ()
    raw_actors = [entry for entry in entries_of(source, "actors").values() if isinstance(entry, dict)]
    known.meters = ordered(
        name for entry in raw_actors if isinstance(entry.get("meters"), dict) for name in entry["meters"]
    )
    for what in ("stats", "slots", "abilities"):
        named = (entry[what] for entry in raw_actors if isinstance(entry.get(what), dict))
        setattr(known, what, ordered(name for table in named for name in table))
    known.attacks = ordered(
        name for entry in raw_actors if isinstance(entry.get("attacks"), dict) for name in entry["attacks"]
    )
    known.marks = ordered(
        mark for actor in tables.actors.values() for meter in actor.meters.values() for mark in meter.marks
    )
    known.zones = ordered(zone for actor in tables.actors.values() for zone in actor.guard.zones)
    effects = tuple(_all_effects(tables))
    known.hurts = ordered(_kinds_of_damage(tables, effects))
    known.tags = ordered(_tags(tables, effects))
    return known


def entries_of(source: Source, section: str) -> dict[str, Any]:
    """Return the entries of a section as they were written, whatever their shape."""
    entries = source.tree.get(section)
    return entries if isinstance(entries, dict) else {}


def ordered(names: Iterable[str]) -> tuple[str, ...]:
    """Return each name once, in the order they first came."""
    return tuple(dict.fromkeys(names))


def flat(effects: Iterable[models.Effect]) -> Iterable[models.Effect]:
    """Yield the effects of a list, and those of every list one of them chooses from."""
    for effect in effects:
        yield effect
        for option in effect.options():
            yield from flat(option.do)


def _all_effects(tables: models.DesignTables) -> Iterable[models.Effect]:
    return flat(effect for _, effects in lists_of_effects(tables) for effect in effects)


def lists_of_effects(tables: models.DesignTables) -> Iterator[tuple[Path, tuple[models.Effect, ...]]]:
    """Yield every list of effects of a design with where it stands."""
    for name, actor in tables.actors.items():
        path: Path = ("actors", name)
        yield (*path, "on_death"), actor.on_death
        for what, each in (
            ("attacks", actor.attacks),
            ("abilities", actor.abilities),
            ("pulses", actor.pulses),
        ):
            for key, one in each.items():
                yield (*path, what, key, "do"), one.do
    for name, status in tables.statuses.items():
        for number, beat in enumerate(status.pulses):
            yield ("statuses", name, "pulses", number, "do"), beat.do
    for section in ("pickups", "exchanges", "levels"):
        for name, entry in getattr(tables, section).items():
            yield (section, name, "do"), entry.do
    for path, rule in placed_rules(tables):
        yield (*path, "do"), rule.do
    for name, quest in tables.quests.items():
        yield ("quests", name, "reward"), quest.reward
        for number, goal in enumerate(quest.goals):
            yield ("quests", name, "goals", number, "reward"), goal.reward
    for name, achievement in tables.achievements.items():
        yield ("achievements", name, "reward"), achievement.reward


def placed_rules(tables: models.DesignTables) -> Iterator[tuple[Path, models.Rule]]:
    """Yield every rule of a design, and of its matches, with where it stands."""
    for number, given in enumerate(tables.rules):
        yield ("rules", number), given
    for name, match in tables.matches.items():
        for number, given in enumerate(match.rules):
            yield ("matches", name, "rules", number), given


def every_rule(tables: models.DesignTables) -> Iterable[models.Rule]:
    """Yield the rules of the design and of its matches."""
    return (rule for _, rule in placed_rules(tables))


def named_in(effects: Iterable[models.Effect], kind: str) -> Iterator[str]:
    """Yield every name of a kind ("meter", "tag"…) that effects name, behind a verb or beside it."""
    for effect in effects:
        spec = VERBS[effect.verb]
        if spec.operand == kind:
            yield str(effect.operand)
        yield from (
            effect.beside[key] for key in spec.beside if BESIDE[key].kind == kind and key in effect.beside
        )


def _kinds_of_damage(tables: models.DesignTables, effects: Iterable[models.Effect]) -> Iterable[str]:
    for actor in tables.actors.values():
        yield from actor.guard.through
        yield from (attack.type for attack in actor.attacks.values() if attack.type)
    for status in tables.statuses.values():
        yield from status.through
    yield from named_in(effects, "type")


def _tags(tables: models.DesignTables, effects: Iterable[models.Effect]) -> Iterable[str]:
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
    yield from named_in(effects, "tag")
    tallies: list[models.Matcher] = [
        *every_rule(tables),
        *tables.records.values(),
        *tables.achievements.values(),
    ]
    for quest in tables.quests.values():
        tallies += [*quest.goals, *quest.fails]
    for matcher in tallies:
        if matcher.on in ("tagged", "untagged") and isinstance(matcher.fields().get("tag"), str):
            yield matcher.fields()["tag"]
