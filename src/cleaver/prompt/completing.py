"""Completing: what may be typed next — commands, names, meters, pickups, options. Start at `complete`."""

from __future__ import annotations

from collections.abc import Iterable

from cleaver.core.handles import Actor
from cleaver.script.commands import COMMANDS
from cleaver.script.session import Session
from cleaver.script.state import actor_state, state_of

MOST = 200  # candidates offered


def complete(session: Session, text: str) -> list[str]:
    """Return what the last word of *text* may become, in the order it is offered; nothing where anything
    goes."""
    words = text.split(" ")
    last, before = words[-1], [word for word in words[:-1] if word]
    while before and before[0] in ("expect_error", "repeat"):
        before = before[2:] if before[0] == "repeat" else before[1:]
    found = _commands() if not before else _after(session, before, last)
    return [word for word in dict.fromkeys(found) if word.startswith(last) and word != last][:MOST]


def _commands() -> list[str]:
    return sorted(COMMANDS)


def _after(session: Session, before: list[str], last: str) -> Iterable[str]:
    """Return candidates for the word after *before*, by the usage of the command."""
    name = before[0]
    if name not in COMMANDS:
        return ()
    if name == "expect":
        return [
            *state_of(session.world, session.placements),
            *(f"count.{event}" for event in session.counts),
            *(f"event.{event}." for event in session.latest),
            "result.blocked",
        ]
    usage = [word for word in COMMANDS[name].usage.split()[1:] if word != "…"]
    places = [word.strip("[]…") for word in usage if "=" not in word]
    given = [word for word in before[1:] if "=" not in word]
    if "=" in last:
        option, _, _ = last.partition("=")
        return [f"{option}={value}" for value in _values(session, option, before)]
    options = [f"{word.strip('[]').partition('=')[0]}=" for word in usage if "=" in word and "…" not in word]
    if "INPUT=" in COMMANDS[name].usage:
        options += [f"{given}=" for given in session.design.tables.inputs]
    unused = [option for option in options if not any(word.startswith(option) for word in before)]
    if len(given) < len(places):
        return [
            *_names(session, places[len(given)], before),
            *(unused if usage[len(given)].startswith("[") else ()),
        ]
    return [*(_names(session, places[-1], before) if places and usage[-1].endswith("…]") else ()), *unused]


def _actors(session: Session) -> list[str]:
    return [actor.id for actor in session.world.actors]


def _names(session: Session, place: str, before: list[str]) -> Iterable[str]:
    tables, world = session.design.tables, session.world
    if place in ("ACTOR", "TARGET", "NAME"):
        placements = [placement.id for placement in world.placements] if before[0] == "move" else []
        if before[0] in ("join", "spawn", "place", "snapshot"):
            return ()
        if before[0] == "match":
            return tables.matches
        return session.snapshots if before[0] == "restore" else [*_actors(session), *placements]
    if place == "KIND":
        return [kind for kind, actor in tables.actors.items() if actor.player == (before[0] == "join")]
    if place in ("NAME.METER", "NAME.PATH"):
        return [
            f"{actor.id}.{path}"
            for actor in world.actors
            for path in (actor.meters if place == "NAME.METER" else actor_state(actor))
        ]
    if "|" in place:
        return place.split("|")
    if place == "PLACEMENT":
        return [placement.id for placement in world.placements if placement.present]
    if place == "PULSE":
        return [name for actor in tables.actors.values() for name in actor.pulses]
    if place == "COMMAND":
        return _commands()
    if place == "TAG":
        return session.world.stage.kinds.known.tags
    sections: dict[str, Iterable[str]] = {
        "PICKUP": tables.pickups,
        "CURRENCY": tables.currencies,
        "ITEM": tables.items,
        "EXCHANGE": tables.exchanges,
        "RATING": tables.ratings,
        "LEVELS": tables.levels,
        "QUEST": tables.quests,
        "STATUS": tables.statuses,
        "TEAM": tables.teams,
        "ACHIEVEMENT": tables.achievements,
        "EVENT": tables.events,
    }
    return sections.get(place, ())


def _values(session: Session, option: str, before: list[str]) -> Iterable[str]:
    tables = session.design.tables
    given = dict(word.split("=", 1) for word in before if "=" in word)
    if option in ("by", "of", "owner"):
        return _actors(session)
    if option == "with":
        source = _actor(session, given.get("by", ""))
        return (
            tables.actors[source.kind].attacks
            if source is not None
            else [name for actor in tables.actors.values() for name in actor.attacks]
        )
    if option == "zone":
        target = _actor(session, before[1] if len(before) > 1 else "")
        return tables.actors[target.kind].guard.zones if target is not None else ()
    if option == "meter":
        actor = _actor(session, before[1] if len(before) > 1 else "")
        return actor.meters if actor is not None else ()
    return {
        "team": tables.teams,
        "crit": ("yes", "no"),
        "posthumous": ("yes", "no"),
        "keep": ("value", "fraction", "missing"),
        "kind": session.world.stage.kinds.known.hurts,
    }.get(option, ())


def _actor(session: Session, name: str) -> Actor | None:
    return session.world.actor(name) if name in session.world.stage.actors else None
