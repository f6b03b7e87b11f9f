"""Vocabulary: the words a design may use that are not the designer's own.

Events with their fields, the verbs of effects, the names no meter or good may take. Pure tables, read by the
checks, by the run time and by the generated reference; so each word is written down once. Start at `EVENTS`.
"""

from __future__ import annotations

from cleaver.design.steps import ignorable
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
        "day",
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
        "turn",
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
worn: item slot instead
taken_off: item slot why
stat_changed: stat before after reason
used: ability target
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
turn_round_began: round
turn_began: round turn
turn_ended: why
day_began: day
daily_visit: day
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
        "all",
        "and",
        "bag",
        "bought",
        "ceil",
        "clamp",
        "count",
        "day",
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
        "stage",
        "stars",
        "stats",
        "statuses",
        "tags",
        "target",
        "team",
        "true",
        "turn",
        "turns",
        "weekday",
        "worn",
        "x",
        "y",
        "z",
    }
)
"""Names that a path or a formula already uses; no meter, item, currency, level ladder, tag or kind may take
one."""


class Verb(NamedTuple):
    """One effect: what its operand is, what may stand beside it, what it does, and an example in TOML.

    `operand` is "amount", "fraction", "options", or what the name is of; `beside` are keys of `BESIDE`;
    `needs` those of them that must be there; `gives` and `takes` say what there is more or less of
    afterwards, which
    checks and totals ask; `kept_in` names the section of a profile that keeps what it does; `free` lets other
    keys stand beside it: the fields of an event.
    """

    operand: str
    beside: tuple[str, ...]
    meaning: str
    example: str
    needs: tuple[str, ...] = ()
    gives: str = ""
    takes: str = ""
    kept_in: str = ""
    free: bool = False


# fmt: off
# A line a verb, however long.
VERBS: dict[str, Verb] = {
    "heal": Verb("amount", ("meter",), "gives back so much of a meter, at most what is missing", "{ heal = 25 }", gives="meter"),
    "hurt": Verb("amount", ("type", "zone", "ignores"), "hurts as a hit of so much would, through the guard", '{ hurt = 2, type = "venom" }', takes="meter"),
    "drain": Verb("amount", ("meter",), "takes so much of a meter, past guard and shields", '{ drain = 5, meter = "air" }', takes="meter"),
    "revive": Verb("fraction", (), "brings back to life, with this fraction of each meter", "{ revive = 0.5 }"),
    "score": Verb("amount", (), "adds points", "{ score = 10 }", gives="points", kept_in="score"),
    "deduct": Verb("amount", (), "takes points away, to 0 at most unless the game has negative scores", "{ deduct = 5 }", takes="points", kept_in="score"),
    "lives": Verb("amount", (), "gives lives", "{ lives = 1 }", gives="lives", kept_in="lives"),
    "earn": Verb("currency", ("amount",), "gives money", '{ earn = "scrip", amount = 6 }', needs=("amount",), gives="money", kept_in="currencies"),
    "spend": Verb("currency", ("amount",), "takes money, all of the amount or nothing", '{ spend = "scrip", amount = 6 }', needs=("amount",), takes="money", kept_in="currencies"),
    "xp": Verb("levels", ("amount",), "gives experience of a ladder of levels", '{ xp = "rank", amount = 20 }', needs=("amount",), gives="experience", kept_in="levels"),
    "give": Verb("item", ("amount",), "gives an item, at most what the bag takes", '{ give = "pearl", amount = 2 }', gives="item", kept_in="items"),
    "remove": Verb("item", ("amount",), "takes an item, all of the amount or nothing", '{ remove = "pearl", amount = 2 }', takes="item", kept_in="items"),
    "raise_bag": Verb("amount", (), "makes the bag so many slots larger", "{ raise_bag = 2 }", kept_in="raised"),
    "raise_max": Verb("meter", ("amount", "keep"), "makes a meter's maximum larger", '{ raise_max = "suit", amount = 10 }', needs=("amount",), kept_in="raised"),
    "raise_stat": Verb("stat", ("amount",), "raises a stat, \"METER.max\" or bag for good", '{ raise_stat = "might", amount = 2 }', needs=("amount",), kept_in="raised"),
    "wear": Verb("item", (), "puts an item of the bag on", '{ wear = "brass_helm" }', kept_in="items"),
    "take_off": Verb("worn", (), "takes an item off, or \"all\" of them", '{ take_off = "all" }', kept_in="items"),
    "status": Verb("status", ("lasts",), "puts under a status", '{ status = "venom" }', kept_in="statuses"),
    "cure": Verb("status", (), "ends a status", '{ cure = "venom" }', kept_in="statuses"),
    "tag": Verb("tag", (), "sets a tag", '{ tag = "submerged" }', kept_in="tags"),
    "untag": Verb("tag", (), "takes a tag off", '{ untag = "submerged" }', kept_in="tags"),
    "grant": Verb("achievement", (), "gives an achievement", '{ grant = "first_pearl" }', kept_in="achievements"),
    "start_quest": Verb("quest", (), "starts a quest that may be started", '{ start_quest = "bells" }', kept_in="quests"),
    "fail_quest": Verb("quest", (), "lets an active quest fail", '{ fail_quest = "bells" }', kept_in="quests"),
    "place": Verb("pickup", ("amount", "lasts", "spread"), "lays a pickup where `self` stands", '{ place = "pearl", amount = 2, lasts = 20, spread = 1.5 }'),
    "exchange": Verb("exchange", ("times",), "does an exchange; where it cannot, the list ends, as at a cost that is not paid", '{ exchange = "harbour_office", times = 1 }', kept_in="exchanges"),
    "choose": Verb("options", (), "does one of several lists, by their weights", '{ choose = [ { weight = 3, do = [ { give = "pearl" } ] }, { weight = 1, do = [] } ] }'),
    "announce": Verb("event", (), "tells an event of the design's own, with its fields beside it", '{ announce = "reached", place = "wreck" }', free=True),
}
# fmt: on


GOODS = ("money", "item")
COUNTED = (*GOODS, "points", "experience")
"""What is counted in whole numbers."""


class BesideVerb(NamedTuple):
    """What may stand beside the verb of an effect: what it is, what it means, and an example in TOML."""

    kind: str
    meaning: str
    example: str


# fmt: off
BESIDE: dict[str, BesideVerb] = {
    "meter": BesideVerb("meter", "which meter; by default the vital one", '{ heal = 20, meter = "air" }'),
    "type": BesideVerb("type", "the type of the damage", '{ hurt = 2, type = "venom" }'),
    "zone": BesideVerb("zone", "the zone that is hit", '{ hurt = 5, zone = "visor" }'),
    "ignores": BesideVerb("steps", "steps of the hit that are left out", '{ hurt = 5, ignores = ["armour"] }'),
    "amount": BesideVerb("amount", "how much: a number or a formula; 1 item where none is given", '{ earn = "scrip", amount = "2 * self.level.rank" }'),
    "keep": BesideVerb("keep", 'what of the value stays: "value", "fraction" or what is "missing"', '{ raise_max = "suit", amount = 10, keep = "fraction" }'),
    "lasts": BesideVerb("span", "seconds, or a formula: instead of what the status says; until what was placed goes", '{ status = "venom", lasts = 1.5 }'),
    "spread": BesideVerb("amount", "how far from there each may lie, along x and y, by the dice", '{ place = "pearl", spread = 1.5 }'),
    "times": BesideVerb("amount", "how often, all of them or none", '{ exchange = "harbour_office", times = 2 }'),
    "to": BesideVerb("target", 'whom it is for, on `match_ended` also "winners" or "losers"; by default `self`, who the rule, pickup, level or quest belongs to, and `target` in the `do` of an attack', '{ score = 100, to = "source" }'),
    "when": BesideVerb("formula", "a formula that must hold, else it is left out", '{ heal = 5, when = "self.suit.fraction < 0.5" }'),
    "chance": BesideVerb("chance", "how likely it happens, from 0 to 1: a number or a formula, by dice of its own", '{ give = "pearl", chance = 0.3 }'),
}
# fmt: on
ANYWHERE = ("to", "when", "chance")
"""What may stand beside any verb."""
TARGETS = ("self", "source", "target", "owner", "team", "everyone", "winners", "losers")
AFTER_A_MATCH = ("winners", "losers")  # whom there is on `match_ended` alone
KEEPS = ("value", "fraction", "missing")
IGNORABLE = ignorable()
"""Steps of a hit that `ignores` may name."""
