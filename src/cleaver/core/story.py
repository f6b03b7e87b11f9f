"""Stories: a number told back to where it began, from the facts that were kept.

Each fact that changed the number is a chapter, with what it follows from; a
history that was cut, by its length or by a restore, is said to be. Start at
`story`.
"""

from __future__ import annotations

from collections import namedtuple

from cleaver.core.kernel.events import Fact
from cleaver.core.kernel.stage import Stage
from cleaver.design.paths import Path
from cleaver.errors import UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

_METER_FACTS = ("damaged", "healed", "drained", "adjusted", "emptied", "filled", "respawned", "died")


class Chapter(namedtuple("Chapter", ("fact", "before", "after", "because"))):
    """One change: the fact, what the value was before and after (None where that is not a number), and the facts it follows from, nearest first."""

    __slots__ = ()


class Story(namedtuple("Story", ("path", "value", "chapters", "cut"))):
    """How a value came to be what it is: its path, the value now, the changes in order, and whether earlier ones are not known any more."""

    __slots__ = ()


def story(stage: Stage, path: str, found: Path, value: Any) -> Story:
    """Return the story of a path of an actor: a meter, goods, a score, a quest's state, stars, a level.

    Raises:
        UsageError: A path of which no facts tell.
    """
    facts = list(stage.history)
    by_seq = {fact.seq: fact for fact in facts}
    actor = found.root
    team = stage.actors[actor].team if actor in stage.actors else ""
    chapters = []
    for fact in facts:
        change = _change(fact, found, actor, team)
        if change is not None:
            chapters.append(Chapter(fact, *change, _because(fact, by_seq)))
    cut = (bool(facts) and facts[0].seq > 1) or (not facts and stage.seq > 0)
    return Story(path, value, tuple(chapters), cut)


def _because(fact: Fact, by_seq: dict[int, Fact]) -> tuple[Fact, ...]:
    trail = []
    while fact.cause and fact.cause in by_seq:
        fact = by_seq[fact.cause]
        trail.append(fact)
    return tuple(trail)


def _change(fact: Fact, path: Path, actor: str, team: str) -> tuple[Any, Any] | None:
    """Return (before, after) where a fact changed what a path reads; None where it did not."""
    name, what = fact.name, path.what
    if fact.actor != actor:
        return None
    if what == "meter":
        return _meter_change(fact, path.name)
    if what in ("currency", "item"):
        amounts = {"earned": 1, "gained": 1, "spent": -1, "lost": -1}
        if name in amounts and fact.values[0] == path.name:
            after = fact.get("held" if what == "item" else "balance")
            return after - amounts[name] * fact.amount, after
        return None
    if what == "score":
        return (fact.score - fact.amount, fact.score) if name == "scored" else None
    if what == "levels":
        return (fact.level - 1, fact.level) if name == "levelled" and fact.levels == path.name and path.part == "level" else (
            (fact.total - fact.amount, fact.total) if name == "xp_gained" and fact.levels == path.name and path.part != "level" else None)
    if what in ("quest", "goal"):
        return _quest_change(fact, path)
    if what == "stars":
        return (None, fact.best) if name == "rated" and path.name in ("", fact.rating) else None
    if what == "achieved":
        return (None, True) if name == "achieved" and fact.achievement == path.name else None
    if what in ("alive", "lives"):
        return (None, name == "respawned") if what == "alive" and name in ("died", "respawned") else (
            (fact.lives + 1, fact.lives) if what == "lives" and name == "life_lost" else None)
    if what in ("tags", "statuses"):
        wanted = ("tagged", "untagged") if what == "tags" else ("status_began", "status_ended")
        return (None, fact.values[0]) if name in wanted else None
    raise UsageError(f"no facts tell of {path.root}.{what}; ask about a meter, goods, a score, a level, a quest or stars")


def _meter_change(fact: Fact, meter: str) -> tuple[Any, Any] | None:
    if fact.name not in _METER_FACTS:
        return None
    if fact.name in ("died", "respawned"):
        return None if fact.name == "died" else (None, None)
    if fact.meter != meter or (fact.name == "adjusted" and fact.part != "value"):
        return None
    if fact.name in ("emptied", "filled"):
        return None, None
    return fact.before, fact.after


def _quest_change(fact: Fact, path: Path) -> tuple[Any, Any] | None:
    if not fact.name.startswith(("quest_", "goal_")) or fact.quest != path.name:
        return None
    if path.what == "goal":
        return (None, fact.progress) if fact.name == "goal_advanced" and fact.goal == f"goal{path.part.partition('.')[0]}" else None
    states = {"quest_available": "available", "quest_started": "active", "quest_ready": "ready", "quest_completed": "completed", "quest_failed": "failed",
              "quest_abandoned": "available"}
    return (None, states[fact.name]) if fact.name in states else None
