"""State: all that can be read of a world, by the paths of scripts.

What a recorded session expects, what two designs are compared by, and what a live view shows all come from
here. Start at `state_of`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.views import Placement
from cleaver.core.world import World

Values = dict[str, Any]
"""Paths and their values: numbers, truths, texts, and for tags and statuses tuples of texts."""


def state_of(world: World, placed: Mapping[str, Placement] | None = None) -> Values:
    """Return every path of *world* with its value, actors in the order they came; *placed* are placements
    that it may have forgotten."""
    found: Values = {}
    for actor in world.actors:
        found |= {f"{actor.id}.{path}": value for path, value in actor_state(actor).items()}
    for placement in {
        **(placed or {}),
        **{placement.id: placement for placement in world.placements},
    }.values():
        if placement.removed:
            continue
        found[f"{placement.id}.present"] = placement.present
    if world.turn_round:
        found["turn.round"] = world.turn_round
    for name, match in world.matches.items():
        found[f"match.{name}.running"] = match.running
        found[f"match.{name}.winner"] = match.winner
        if match.running or match.winner:
            found |= {f"match.{name}.{place.side}": place.score for place in match.standings}
    return found


def actor_state(actor: Actor) -> Values:
    """Return the paths of one actor, without its name, with their values."""
    kinds = read.parts(actor).kinds
    found: Values = {}
    for name in actor.meters:
        found[name], found[f"{name}.max"] = actor[name].value, actor[name].max
    found |= {name: stat.value for name, stat in actor.stats.items()}
    found["alive"] = actor.alive
    if actor.lives:
        found["lives"] = actor.lives
    body = read.body(actor)
    if body.kind.turns:
        found["turns"] = (body.turns + 1) // 2
    found["team"], found["tags"], found["statuses"] = actor.team, actor.tags, actor.statuses
    found |= {name: actor.purse[name] for name in actor.purse if actor.player or actor.purse[name]}
    found |= {name: actor.bag[name] for name in actor.bag if actor.player or actor.bag[name]}
    slots = kinds.stats.slots
    found |= {
        f"worn.{item}": sum(worn.count(item) for worn in actor.worn.values()) for item in slots if actor.worn
    }
    if actor.player:
        found["score"] = actor.score
        for levels in kinds.contests.levels:
            found[levels], found[f"{levels}.xp"] = actor.levels[levels], actor.levels[levels].xp
        for name in actor.quests:
            quest = actor.quests[name]
            found[f"quest.{name}"] = quest.state
            if quest.state in ("active", "ready"):
                found |= {
                    f"quest.{name}.goal{number}": goal.progress for number, goal in enumerate(quest.goals, 1)
                }
        found |= {f"stars.{name}": actor.ratings[name].best for name in kinds.contests.ratings}
        found |= {
            f"achieved.{name}": bool(actor.achievements[name].ranks) for name in kinds.quests.achievements
        }
        found |= {f"record.{name}": actor.records[name] for name in kinds.contests.records}
    return found


def changed(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[tuple[str, Any, Any]]:
    """Return (path, before, after) of every value that differs, None for one that is not there; in the order
    of *after*, then of *before*."""
    paths = [*after, *(path for path in before if path not in after)]
    return [
        (path, before.get(path), after.get(path))
        for path in paths
        if not same(before.get(path), after.get(path))
    ]


def same(one: Any, other: Any) -> bool:
    """Return whether two values are equal, as an expectation reckons: numbers within 1e-9."""
    if isinstance(one, (int, float)) and isinstance(other, (int, float)) and not isinstance(one, bool):
        return abs(one - other) <= 1e-9
    return bool(one == other)
