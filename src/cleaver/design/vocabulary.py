"""Vocabulary: the words a design may use that are not the designer's own.

Events with their fields, the verbs of effects, the names no meter or good may take. Pure tables, read by the
checks, by the run time and by the generated reference; so each word is written down once. Start at `EVENTS`.
"""

from __future__ import annotations

from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Literal

    FieldType = Literal["number", "name", "truth"]
else:
    FieldType = str


class EventSpec(NamedTuple):
    """One kind of event: its own fields in order, with what they hold.

    `fields` are (name, type) pairs; `party` is the field that names the other party, where that is no actor;
    `seen_as` its name from the other side; `seen_from`, on such a name, the event it really is.
    """

    name: str
    fields: tuple[tuple[str, FieldType], ...]
    party: str = ""
    seen_as: str = ""
    seen_from: str = ""

    def names(self) -> tuple[str, ...]:
        """Return the names of the fields, in order."""
        return tuple(name for name, _ in self.fields)


ANNOUNCING = (
    "event",
    "fields",
    "self",
)  # words of the call that announces an event: no field may be called so
COMMON_FIELDS: tuple[tuple[str, FieldType], ...] = (
    ("name", "name"),
    ("seq", "number"),
    ("time", "number"),
    ("cause", "number"),
    ("actor", "name"),
    ("source", "name"),
    ("credit", "name"),
)

_NUMBERS = frozenset(
    {
        "absorbed",
        "after",
        "amount",
        "asked",
        "balance",
        "before",
        "best",
        "count",
        "held",
        "level",
        "lives",
        "measure",
        "of",
        "over",
        "overkill",
        "progress",
        "revision",
        "round",
        "score",
        "stars",
        "times",
        "total",
    }
)
_TRUTHS = frozenset({"critical"})

_ROWS = """
damaged: amount absorbed overkill meter type zone attack critical before after
deflected: type zone attack
healed: meter amount asked before after
drained: meter amount asked before after
died: attack type overkill
launched: attack shot
life_lost: lives
out_of_lives: lives
respawned: place
emptied: meter
filled: meter
crossed: meter mark way
adjusted: meter part before after
status_began: status
status_ended: status why
tagged: tag
untagged: tag
placed: pickup placement
collected: pickup placement
reappeared: pickup placement
vanished: pickup placement
gained: item amount reason held
lost: item amount reason held
missed: item amount reason
owed: item amount reason
earned: currency amount reason balance over
spent: currency amount reason balance
exchanged: exchange times
traded:
scored: amount score team match
match_started: match
match_ended: match winner
round_ended: match round winner
team_changed: team before
stage_entered: stage
stage_left: stage
restarted:
rated: rating stars of measure best
xp_gained: levels amount total
levelled: levels level
quest_available: quest
quest_started: quest
quest_ready: quest
quest_completed: quest
quest_failed: quest
quest_abandoned: quest
goal_advanced: quest goal progress count
goal_met: quest goal progress count
achieved: achievement rank
joined:
departed:
saved: revision
loaded:
adopted:
"""
_PARTY = dict.fromkeys(("placed", "collected", "reappeared", "vanished"), "pickup")
_MIRRORED = {"died": "defeated", "damaged": "struck", "healed": "mended"}


def _type(event: str, field: str) -> FieldType:
    if event == "team_changed":
        return "name"
    if field in _TRUTHS:
        return "truth"
    return "number" if field in _NUMBERS else "name"


def _events() -> dict[str, EventSpec]:
    found: dict[str, EventSpec] = {}
    for row in _ROWS.strip().splitlines():
        name, _, fields = row.partition(":")
        typed = tuple((field, _type(name, field)) for field in fields.split())
        found[name] = EventSpec(name, typed, _PARTY.get(name, ""), _MIRRORED.get(name, ""))
    for name, other in _MIRRORED.items():
        found[other] = found[name]._replace(name=other, seen_as="", seen_from=name)
    return found


EVENTS: dict[str, EventSpec] = _events()
"""Every event Cleaver raises itself, by name; those seen from the other side included."""

METER_PARTS = ("value", "max", "fraction", "percent", "cells")
RESERVED = frozenset(
    {
        "abs",
        "achieved",
        "actors",
        "alive",
        "and",
        "bag",
        "bought",
        "ceil",
        "clamp",
        "count",
        "else",
        "event",
        "everyone",
        "false",
        "floor",
        "has_source",
        "held",
        "id",
        "if",
        "in",
        "is",
        "kind",
        "level",
        "lives",
        "match",
        "max",
        "min",
        "name",
        "near",
        "new",
        "none",
        "not",
        "now",
        "or",
        "owner",
        "pickups",
        "placed",
        "player",
        "position",
        "quest",
        "quests",
        "rated",
        "record",
        "result",
        "round",
        "score",
        "seed",
        "self",
        "source",
        "sqrt",
        "stars",
        "statuses",
        "tags",
        "target",
        "team",
        "true",
        "x",
        "y",
        "z",
    }
)
"""Names that a path or a formula already uses; no meter, item, currency, level ladder, tag or kind may take
one."""


class Verb(NamedTuple):
    """One effect: what its operand is, and what may stand beside it.

    `operand` is "amount", "fraction", or what the name is of; `beside` are (key, kind) pairs; `free` lets
    other keys stand beside it:
    the fields of an event.
    """

    operand: str
    beside: tuple[tuple[str, str], ...] = ()
    free: bool = False


VERBS: dict[str, Verb] = {
    "heal": Verb("amount", (("meter", "meter"),)),
    "hurt": Verb("amount", (("type", "type"), ("zone", "zone"), ("ignores", "steps"))),
    "drain": Verb("amount", (("meter", "meter"),)),
    "revive": Verb("fraction"),
    "score": Verb("amount"),
    "deduct": Verb("amount"),
    "lives": Verb("amount"),
    "earn": Verb("currency", (("amount", "amount"),)),
    "spend": Verb("currency", (("amount", "amount"),)),
    "xp": Verb("levels", (("amount", "amount"),)),
    "give": Verb("item", (("amount", "amount"),)),
    "remove": Verb("item", (("amount", "amount"),)),
    "raise_bag": Verb("amount"),
    "raise_max": Verb("meter", (("amount", "amount"), ("keep", "keep"))),
    "status": Verb("status", (("lasts", "span"),)),
    "cure": Verb("status"),
    "tag": Verb("tag"),
    "untag": Verb("tag"),
    "grant": Verb("achievement"),
    "start_quest": Verb("quest"),
    "fail_quest": Verb("quest"),
    "place": Verb("pickup", (("amount", "amount"), ("lasts", "span"), ("spread", "amount"))),
    "exchange": Verb("exchange", (("times", "amount"),)),
    "choose": Verb("options"),
    "announce": Verb("event", free=True),
}
NEEDS_AMOUNT = frozenset({"earn", "spend", "xp", "raise_max"})
TARGETS = ("self", "source", "target", "owner", "team", "everyone", "winners", "losers")
AFTER_A_MATCH = ("winners", "losers")  # whom there is on `match_ended` alone
KEEPS = ("value", "fraction", "missing")
IGNORABLE = (
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
)
"""Steps of a hit that `ignores` may name."""
