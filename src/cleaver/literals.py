"""Closed lists of words as types, for type checkers.

Written by docs/reference.py from the lists that the code checks against; change those instead.
"""

from typing import Literal

Reason = Literal[
    "dead",
    "source_dead",
    "cooldown",
    "grace",
    "immune",
    "friendly",
    "deflected",
    "full",
    "alive",
    "no_change",
    "gone",
    "not_for_you",
    "out_of_reach",
    "most",
    "too_poor",
    "locked",
    "sold_out",
    "completed",
    "active",
    "not_active",
    "not_ready",
    "busy",
    "not_a_player",
    "running",
    "not_running",
    "spent",
    "no_slot",
]
"""Why a command was refused."""

Blocked = Literal[
    "",
    "dead",
    "source_dead",
    "cooldown",
    "grace",
    "immune",
    "friendly",
    "deflected",
    "full",
    "alive",
    "no_change",
    "gone",
    "not_for_you",
    "out_of_reach",
    "most",
    "too_poor",
    "locked",
    "sold_out",
    "completed",
    "active",
    "not_active",
    "not_ready",
    "busy",
    "not_a_player",
    "running",
    "not_running",
    "spent",
    "no_slot",
]
"""The same, or nothing where it was not."""

QuestState = Literal["locked", "available", "active", "ready", "completed", "failed"]
"""The states of a quest."""

NextStep = Literal["", "accept", "turn_in"]
"""What a player can do about a quest once its giver has said all."""

Keep = Literal["value", "fraction", "missing"]
"""What a change of a maximum keeps."""

HitStep = Literal[
    "cooldown",
    "grace",
    "immune",
    "friendly",
    "zone",
    "critical",
    "deals",
    "scale",
    "through",
    "armour",
    "shields",
]
"""The steps of a hit that an attack can leave out."""

EventName = Literal[
    "damaged",
    "deflected",
    "healed",
    "drained",
    "died",
    "launched",
    "life_lost",
    "out_of_lives",
    "respawned",
    "emptied",
    "filled",
    "crossed",
    "adjusted",
    "status_began",
    "status_ended",
    "tagged",
    "untagged",
    "placed",
    "collected",
    "worn",
    "taken_off",
    "stat_changed",
    "used",
    "reappeared",
    "vanished",
    "gained",
    "lost",
    "missed",
    "owed",
    "earned",
    "spent",
    "exchanged",
    "traded",
    "scored",
    "match_started",
    "match_ended",
    "round_ended",
    "team_changed",
    "stage_entered",
    "stage_left",
    "restarted",
    "rated",
    "xp_gained",
    "levelled",
    "quest_available",
    "quest_started",
    "quest_ready",
    "quest_completed",
    "quest_failed",
    "quest_abandoned",
    "goal_advanced",
    "goal_met",
    "achieved",
    "joined",
    "departed",
    "saved",
    "loaded",
    "adopted",
    "defeated",
    "struck",
    "mended",
]
"""The events of every design; it may add its own."""
