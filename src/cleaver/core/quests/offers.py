"""Offers: when a quest may have opened. What its needs read says which events may change that, and whether
time alone may.

Start at `changed_by`.
"""

from __future__ import annotations

from cleaver.design.paths import Path

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.kernel.kinds import Kinds
    from cleaver.core.quests.kinds import QuestKind, QuestKinds

_QUESTS = (
    "quest_available",
    "quest_started",
    "quest_ready",
    "quest_completed",
    "quest_failed",
    "quest_abandoned",
)
_EVENTS: dict[str, tuple[str, ...]] = {
    "meter": (
        "damaged",
        "healed",
        "drained",
        "adjusted",
        "respawned",
        "died",
        "emptied",
        "filled",
        "crossed",
    ),
    "alive": ("died", "respawned"),
    "lives": ("life_lost", "adjusted"),
    "team": ("team_changed", "scored"),
    "tags": ("tagged", "untagged"),
    "statuses": ("status_began", "status_ended"),
    "kind": (),
    "player": (),
    "owner": (),
    "seed": (),
    "now": (),
    "day": ("day_began",),
    "weekday": ("day_began",),
    "turn": ("turn_round_began",),
    "turns": ("turn_began",),
    "input": (),
    "score": ("scored",),
    "x": (),
    "y": (),
    "z": (),
    "currency": ("earned", "spent", "team_changed"),
    "item": ("gained", "lost"),
    "bag": ("gained", "lost", "adjusted"),
    "levels": ("xp_gained", "levelled"),
    "quest": _QUESTS,
    "goal": ("goal_advanced", "goal_met", *_QUESTS),
    "goal_count": ("goal_advanced", "goal_met", *_QUESTS),
    "stars": ("rated",),
    "rated": ("rated",),
    "achieved": ("achieved",),
    "record": (),
    "pickups": ("placed", "collected", "reappeared"),
    "team_purse": ("earned", "spent"),
    "match": ("match_started", "match_ended", "round_ended", "scored"),
    "near": ("joined", "departed", "died", "respawned", "tagged", "untagged", "status_began", "status_ended"),
}
"""What may be read, and the events that say it may have changed; what is not named here may change with
any."""
_TALLIED = ("record", "achieved", "goal", "goal_count")
_OF_ALL = ("near", "pickups", "match", "team_purse")  # what events about others may change
_PLACES = ("x", "y", "z", "near", "pickups")  # what the host changes without an event


def _reads(quest: QuestKind) -> list[Path]:
    return [path for need in quest.needs for _, path in need.formula.reads]


def changed_by(
    kinds: QuestKinds, bound: Kinds, pooled: bool
) -> dict[str, tuple[tuple[QuestKind, ...], bool]]:
    """Return, by event, the quests it may open, and whether for every player or only for those it is
    about; *pooled* says whether teams share a purse."""
    found: dict[str, dict[str, tuple[QuestKind, bool]]] = {}
    others = pooled or any(tally.who != "self" for tally in bound.tallies.values())
    for quest in kinds.quests.values():
        for path in _reads(quest):
            events = set(_EVENTS.get(path.what, tuple(bound.events)))
            if path.what in _TALLIED:
                events |= bound.tallied
            everyone = (
                path.what in _OF_ALL
                or path.what not in _EVENTS
                or path.root != "self"
                or (path.what in ("currency", *_TALLIED) and others)
            )
            for event in events:
                entry = found.setdefault(event, {})
                entry[quest.name] = (quest, everyone or (quest.name in entry and entry[quest.name][1]))
    return {
        event: (tuple(quest for quest, _ in entry.values()), any(everyone for _, everyone in entry.values()))
        for event, entry in found.items()
    }


def told_by_time(kinds: QuestKinds, bound: Kinds) -> dict[str, str]:
    """Return the quests that may open without an event: by "time" (a flow, the clock, a window), or only by
    "place"."""
    flowing = {name for actor in bound.actors.values() for name, meter in actor.meters.items() if meter.flows}
    flowing |= {name for status in bound.statuses.values() for name, _ in status.flows}
    windows = any(tally.within for tally in bound.tallies.values())
    found: dict[str, str] = {}
    for quest in kinds.quests.values():
        for path in _reads(quest):
            if (
                path.what == "now"
                or (path.what == "match" and path.part == "left")
                or (path.what == "meter" and path.name in flowing)
                or (path.what in _TALLIED and windows)
            ):
                found[quest.name] = "time"
            elif path.what in _PLACES:
                found.setdefault(quest.name, "place")
    return found
