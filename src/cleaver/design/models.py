"""Models: the shape of everything a designer writes.

One class a table of the design file, with the range of each key; pydantic reads
them, finds all that is wrong at once and makes the JSON Schema. What a name
refers to is not known here (`references` checks that). Times are in seconds,
fractions between 0 and 1. Start at `SECTIONS`.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    PlainValidator,
    WithJsonSchema,
)
from pydantic_core import PydanticCustomError

from cleaver.design.vocabulary import EVENTS, IGNORABLE, KEEPS, NEEDS_AMOUNT, RESERVED, TARGETS, VERBS
from cleaver.errors import nearest

WHOLE_LIMIT = 2**63 - 1
LONGEST = 1e9  # seconds, a little over thirty years
SHORTEST = 0.001  # seconds: a span that is shorter is an error, or time would stand still


def _word(value: str) -> str:
    if (
        not value.isascii()
        or not value
        or not value[0].isalpha()
        or not value.replace("_", "").isalnum()
        or value != value.lower()
    ):
        raise PydanticCustomError(
            "word",
            "{value} is no name; names are lower-case words joined by underscores, such as brass_helm",
            {"value": repr(value)},
        )
    return value


def _unreserved(value: str) -> str:
    if value in RESERVED:
        raise PydanticCustomError(
            "reserved",
            "the name {value} is used by paths and formulas already; choose another",
            {"value": repr(value)},
        )
    return value


def _amount(value: Any) -> float | str:
    if isinstance(value, str):
        return value
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        raise PydanticCustomError(
            "amount", "must be a number or a formula in quotes, not {value}", {"value": repr(value)}
        )
    if not value >= 0 or value > WHOLE_LIMIT:
        raise PydanticCustomError(
            "amount",
            "is {value}; amounts are 0 or more and finite: the direction is in the verb (heal, hurt), never "
            "in the sign",
            {"value": repr(value)},
        )
    return value


def _formula(value: Any) -> str:
    if isinstance(value, bool) or not isinstance(value, (str, int, float)):
        raise PydanticCustomError(
            "formula", "must be a formula in quotes, not {value}", {"value": repr(value)}
        )
    return str(value)


def _span(value: float) -> float:
    if 0 < value < SHORTEST:
        raise PydanticCustomError(
            "span",
            "is {value}; a span of time is 0, or {shortest} s and more",
            {"value": repr(value), "shortest": SHORTEST},
        )
    return value


_WORD_SCHEMA = WithJsonSchema({"type": "string", "pattern": "^[a-z][a-z0-9_]*$"})
_AMOUNT_SCHEMA = {"anyOf": [{"type": "number", "minimum": 0}, {"type": "string", "description": "a formula"}]}
Word = Annotated[str, AfterValidator(_word), _WORD_SCHEMA]
Name = Annotated[str, AfterValidator(_word), AfterValidator(_unreserved), _WORD_SCHEMA]
Amount = Annotated[float | str, PlainValidator(_amount), WithJsonSchema(_AMOUNT_SCHEMA)]
FormulaText = Annotated[
    str, PlainValidator(_formula), WithJsonSchema({"type": "string", "description": "a formula"})
]
Number = Annotated[float, Field(allow_inf_nan=False, strict=True)]
Positive = Annotated[float, Field(gt=0, le=WHOLE_LIMIT, allow_inf_nan=False, strict=True)]
NotNegative = Annotated[float, Field(ge=0, le=WHOLE_LIMIT, allow_inf_nan=False, strict=True)]
Seconds = Annotated[float, Field(ge=0, le=LONGEST, allow_inf_nan=False, strict=True), AfterValidator(_span)]
Period = Annotated[float, Field(ge=SHORTEST, le=LONGEST, allow_inf_nan=False, strict=True)]
Fraction = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False, strict=True)]
Count = Annotated[int, Field(ge=0, le=WHOLE_LIMIT, strict=True)]
Text = Annotated[str, Field(max_length=2_000, strict=True)]
Truth = Annotated[bool, Field(strict=True)]
FieldValue = str | float | bool


def _win_at(value: Any) -> float | str:
    if value == "all":
        return "all"
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not 0 < value <= WHOLE_LIMIT:
        raise PydanticCustomError(
            "win_at", 'is {value}; it must be a number above 0, or "all"', {"value": repr(value)}
        )
    return value


def _experience(value: Any) -> str | tuple[int, ...]:
    if isinstance(value, str):
        return value
    if (
        isinstance(value, (list, tuple))
        and value
        and all(isinstance(step, int) and not isinstance(step, bool) and step > 0 for step in value)
    ):
        return tuple(value)
    if isinstance(value, (int, float)) and not isinstance(value, bool) and value >= 1:
        return str(value)
    raise PydanticCustomError(
        "experience",
        "is {value}; it must be a formula of `level`, or a list of whole numbers above 0",
        {"value": repr(value)},
    )


class Table(BaseModel):
    """A table of the design file; unknown keys are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)

    def written(self) -> dict[str, Any]:
        """Return the keys that were given, as they stand in a file."""
        return _written(self)


def _written(model: BaseModel) -> dict[str, Any]:
    return {
        field.alias or name: getattr(model, name)
        for name, field in type(model).model_fields.items()
        if name in model.model_fields_set
    }


class Effect(Table):
    """One change, written ``{ heal = 25 }``: a verb with its operand, and what stands beside it."""

    verb: str
    operand: float | str
    beside: dict[str, Any] = {}
    to: str | None = None
    when: str | None = None

    def written(self) -> dict[str, Any]:
        """Return the effect as it stands in a file."""
        rest = {"to": self.to, "when": self.when}
        return {
            self.verb: self.operand,
            **self.beside,
            **{key: value for key, value in rest.items() if value is not None},
        }


def _effect(value: Any) -> Effect:
    if isinstance(value, Effect):
        return value
    if not isinstance(value, dict):
        raise PydanticCustomError(
            "effect",
            "must be a table such as {example}, not {value}",
            {"example": "{ heal = 25 }", "value": repr(value)},
        )
    given = [key for key in value if key in VERBS]
    if len(given) != 1:
        near = [f"{key!r} (did you mean {nearest(key, VERBS)!r}?)" for key in value if nearest(key, VERBS)]
        trouble = (
            f"has two verbs: {', '.join(given)}; write two effects"
            if given
            else f"has no verb{': ' + ', '.join(near) if near else ''}"
        )
        raise PydanticCustomError(
            "effect", "{trouble}; the verbs are {known}", {"trouble": trouble, "known": ", ".join(VERBS)}
        )
    verb = given[0]
    spec = VERBS[verb]
    beside_kinds = dict(spec.beside)
    beside: dict[str, Any] = {}
    for key, item in value.items():
        if key == verb or key in ("to", "when"):
            continue
        if key not in beside_kinds and not spec.free:
            known = [*beside_kinds, "to", "when"]
            near_key = nearest(key, known)
            hint = f"; did you mean {near_key!r}?" if near_key else ""
            raise PydanticCustomError(
                "effect",
                "unknown key {key} beside {verb}{hint} (known: {known})",
                {"key": repr(key), "verb": verb, "hint": hint, "known": ", ".join(known)},
            )
        beside[key] = _operand(beside_kinds.get(key, "field"), item, f"{key} of {verb}")
    if verb in NEEDS_AMOUNT and "amount" not in beside:
        raise PydanticCustomError(
            "effect",
            "{verb} has no amount; write {example}",
            {"verb": verb, "example": f"{{ {verb} = {value[verb]!r}, amount = 10 }}"},
        )
    to, when = value.get("to"), value.get("when")
    if to is not None and to not in TARGETS:
        raise PydanticCustomError(
            "effect", "to is {to}; it must be one of {known}", {"to": repr(to), "known": ", ".join(TARGETS)}
        )
    return Effect(
        verb=verb,
        operand=_operand(spec.operand, value[verb], verb),
        beside=beside,
        to=to,
        when=None if when is None else _formula(when),
    )


def _operand(kind: str, value: Any, what: str) -> Any:
    """Return what stands behind a verb or a key beside it, if it has the right shape."""

    def refuse(wanted: str) -> PydanticCustomError:
        return PydanticCustomError(
            "effect",
            "{what} must be {wanted}, not {value}",
            {"what": what, "wanted": wanted, "value": repr(value)},
        )

    if kind == "amount":
        return _amount(value)
    if kind in ("fraction", "seconds"):
        if (
            isinstance(value, bool)
            or not isinstance(value, (int, float))
            or not 0 <= value <= (1 if kind == "fraction" else LONGEST)
        ):
            raise refuse("a number from 0 to 1" if kind == "fraction" else "a number of seconds")
    elif kind == "steps":
        wrong = [step for step in value if step not in IGNORABLE] if isinstance(value, list) else [value]
        if wrong:
            raise refuse(f"a list of steps out of {', '.join(IGNORABLE)}")
    elif kind == "keep":
        if value not in KEEPS:
            raise refuse(f"one of {', '.join(KEEPS)}")
    elif kind == "field":
        if not isinstance(value, (str, int, float)):
            raise refuse("a number, a word or a formula in quotes")
    elif not isinstance(value, str):
        raise refuse(f"the name of one {kind}")
    return value


def _effect_schema() -> dict[str, Any]:
    shapes = {
        "amount": _AMOUNT_SCHEMA,
        "fraction": {"type": "number", "minimum": 0, "maximum": 1},
        "seconds": {"type": "number", "minimum": 0},
        "steps": {"type": "array", "items": {"enum": list(IGNORABLE)}},
        "keep": {"enum": list(KEEPS)},
    }
    tables = []
    for verb, spec in VERBS.items():
        keys = {
            verb: shapes.get(spec.operand, {"type": "string"}),
            "to": {"enum": list(TARGETS)},
            "when": {"type": "string", "description": "a formula"},
        }
        keys.update({key: shapes.get(kind, {"type": "string"}) for key, kind in spec.beside})
        required = [verb, "amount"] if verb in NEEDS_AMOUNT else [verb]
        tables.append(
            {
                "title": verb,
                "type": "object",
                "properties": keys,
                "required": required,
                "additionalProperties": spec.free,
            }
        )
    return {"anyOf": tables}


Effects = Annotated[
    tuple[Annotated[Effect, PlainValidator(_effect), WithJsonSchema(_effect_schema())], ...],
    Field(strict=False),
]


def _words(value: Any) -> Any:
    return [value] if isinstance(value, str) else value


Words = Annotated[tuple[Word, ...], BeforeValidator(_words)]
Formulas = tuple[FormulaText, ...]
_EVENT_SCHEMA = WithJsonSchema({"type": "string", "description": "an event", "examples": list(EVENTS)})
EventName = Annotated[str, _EVENT_SCHEMA]


class Matcher(BaseModel):
    """What picks events: `on` one, `of` the other party, any field by its name, `where` a formula.

    `defeated` and `struck` leave out what one does to oneself or one's own side, `mended` only oneself,
    unless `own_side`.
    """

    model_config = ConfigDict(extra="allow", frozen=True, populate_by_name=True)

    on: EventName
    of: Word | None = None
    where: FormulaText | None = None
    own_side: Truth = False

    def fields(self) -> dict[str, Any]:
        """Return the fields of the event that are asked for, as written."""
        return dict(self.model_extra or {})

    def written(self) -> dict[str, Any]:
        """Return the keys that were given, as they stand in a file."""
        return _written(self) | self.fields()


class Rule(Matcher):
    """On an event that matches, do effects."""

    do: Effects


class Tallying(Matcher):
    """How a tally adds up what matches."""

    count: Amount | None = None
    sum: Word | None = None
    best: Word | None = None
    least: Word | None = None
    distinct: Word | None = None
    within: Period | None = None
    reset_on: Word | None = None
    who: Literal["self", "team", "anyone"] = "self"

    def way(self) -> tuple[str, str]:
        """Return how it adds up and over which field: ("count", ""), ("sum", "amount")…"""
        for how in ("sum", "best", "least", "distinct"):
            field = getattr(self, how)
            if field is not None:
                return how, field
        return "count", ""


class Game(Table):
    """The game as a whole."""

    title: Text = "Untitled"
    version: Annotated[int, Field(ge=1, le=1_000_000, strict=True)] = 1
    tags: tuple[Name, ...] = ()


class Event(Table):
    """An event of the host's own."""

    fields: dict[Word, Literal["name", "number"]] = {}


class Currency(Table):
    """Whole-number money."""

    start: Count = 0
    most: Count | None = None
    pooled: Truth = False


class Item(Table):
    """A thing held."""

    most: Count | None = None
    size: Count = 1
    title: Text = ""


class Flow(Table):
    """A continuous change of a meter, in units per second."""

    rate: Number
    while_: Annotated[Word | None, Field(alias="while")] = None
    unless: Word | None = None
    after_hurt: Seconds = 0
    until: Fraction | None = None
    every: Period | None = None


class StatusFlow(Flow):
    """A flow that a status brings to a meter."""

    meter: Word


def _bare_max(value: Any) -> Any:
    return {"max": value} if isinstance(value, (int, float)) and not isinstance(value, bool) else value


class MeterTable(Table):
    """A number between 0 and its maximum."""

    max: Positive
    start: NotNegative | None = None
    whole: Truth = False
    round: Literal["half_up", "down", "up"] = "half_up"
    marks: dict[Name, Fraction] = {}
    flows: tuple[Flow, ...] = ()
    overfill: NotNegative = 0
    shields: Word | None = None
    cells: Annotated[int, Field(ge=1, le=1000, strict=True)] | None = None
    saved: Truth = False


Meter = Annotated[MeterTable, BeforeValidator(_bare_max, json_schema_input_type=MeterTable | float)]


class Guard(Table):
    """All that stands between a hit and a meter."""

    zones: dict[Word, NotNegative] = {}
    through: dict[Word, NotNegative] = {}
    armour: NotNegative = 0
    scale: FormulaText | None = None
    grace: Seconds = 0
    immune_while: Words = ()
    least: NotNegative = 0
    most: NotNegative | None = None


class Crit(Table):
    """The chance of a critical hit, and what it multiplies by."""

    chance: Fraction
    times: NotNegative = 2


class Attack(Table):
    """The definition of a hit."""

    amount: Amount
    type: Word | None = None
    cooldown: Seconds = 0
    crit: Crit | None = None
    # The table is the one list of steps
    ignores: tuple[Literal[IGNORABLE], ...] = ()  # type: ignore[valid-type]
    do: Effects = ()


class Pulse(Table):
    """Effects repeated every so many seconds."""

    every: Period
    do: Effects


class Bag(Table):
    """How much an actor can hold."""

    most: Count


class Lives(Table):
    """How many lives there are, the present one included."""

    start: Annotated[int, Field(ge=1, le=WHOLE_LIMIT, strict=True)]
    most: Annotated[int, Field(ge=1, le=WHOLE_LIMIT, strict=True)] | None = None


class Respawn(Table):
    """How an actor comes back after a death."""

    after: Seconds
    fraction: Fraction = 1
    grace: Seconds = 0


class Actor(Table):
    """A kind of actor."""

    player: Truth = False
    vital: Word | None = None
    tags: tuple[Name, ...] = ()
    title: Text = ""
    spawn: Word | None = None
    bag: Bag | None = None
    lives: Lives | None = None
    respawn: Respawn | None = None
    meters: dict[Name, Meter] = {}
    guard: Guard = Guard()
    attacks: dict[Word, Attack] = {}
    pulses: dict[Word, Pulse] = {}
    on_death: Effects = ()
    reach: NotNegative | None = None


class Status(Table):
    """Something temporary on an actor."""

    lasts: Period | None = None
    stack: Literal["refresh", "extend", "add", "keep"] = "refresh"
    most: Annotated[int, Field(ge=1, le=1000, strict=True)] | None = None
    tags: tuple[Name, ...] = ()
    flows: tuple[StatusFlow, ...] = ()
    pulses: tuple[Pulse, ...] = ()
    deals: NotNegative = 1
    through: dict[Word, NotNegative] = {}
    scale: NotNegative = 1


class Pickup(Table):
    """A thing lying in the world with effects for whoever takes it."""

    inputs: dict[Word, Number] = {}
    do: Effects
    for_: Annotated[Words, Field(alias="for")] = ()
    reach: NotNegative | None = None
    waste: Truth = False
    stays: Truth = False
    split: Truth = False
    cooldown: Seconds = 0
    respawn_after: Seconds | None = None
    respawn_in: dict[Literal["x", "y", "z"], tuple[Number, Number]] = {}
    tags: tuple[Name, ...] = ()
    title: Text = ""


class Team(Table):
    """Who stands together."""

    spawn: Word | None = None
    friendly_fire: Truth | Fraction = False


class Exchange(Table):
    """Some goods for others: a sale, a shop, a craft."""

    costs: dict[Word, Amount] = {}
    gives: dict[Word, Amount] = {}
    all: Truth = False
    needs: Formulas = ()
    stock: Count | None = None
    restock_after: Seconds | None = None
    at: Annotated[tuple[Number, ...], Field(min_length=2, max_length=3)] | None = None
    reach: NotNegative | None = None
    title: Text = ""


class MatchTable(Table):
    """A contest with an end."""

    teams: tuple[Word, ...] = ()
    rules: tuple[Rule, ...] = ()
    win_at: Annotated[
        float | Literal["all"] | None,
        PlainValidator(_win_at),
        WithJsonSchema({"anyOf": [{"type": "number", "exclusiveMinimum": 0}, {"const": "all"}]}),
    ] = None
    win_when: FormulaText | None = None
    time_limit: Period | None = None
    on_tie: Literal["draw", "extra_time"] = "draw"
    friendly_fire: Truth | Fraction | None = None
    rounds: Annotated[int, Field(ge=1, le=99, strict=True)] = 1
    title: Text = ""


class Condition(Table):
    """A star for a condition that holds."""

    text: Text
    when: FormulaText


class Rating(Table):
    """Stars for a result: `steps` over a `measure`, or `conditions`."""

    measure: FormulaText | None = None
    steps: tuple[Number, ...] = ()
    better: Literal["higher", "lower"] = "higher"
    conditions: tuple[Condition, ...] = ()
    unit: Text = "points"
    title: Text = ""


class LevelLadder(Table):
    """Ranks reached by experience."""

    experience: Annotated[
        str | tuple[int, ...],
        PlainValidator(_experience),
        WithJsonSchema(
            {
                "anyOf": [
                    {"type": "string", "description": "a formula of `level`"},
                    {"type": "array", "items": {"type": "integer", "minimum": 1}},
                ]
            }
        ),
    ]
    most: Annotated[int, Field(ge=2, le=10_000, strict=True)] | None = None
    do: Effects = ()
    title: Text = ""


class Record(Tallying):
    """A lifetime tally of each player."""


class Goal(Tallying):
    """One goal of a quest: a tally over events, or something held."""

    on: EventName = ""
    hold: Word | None = None
    hand_over: Truth = False
    optional: Truth = False
    hidden: Truth = False
    reward: Effects = ()
    text: Text = ""


class Fail(Tallying):
    """What lets a quest fail."""


class Quest(Table):
    """A quest."""

    title: Text = ""
    text: Text = ""
    giver: Text = ""
    needs: Formulas = ()
    goals: Annotated[tuple[Goal, ...], Field(min_length=1)]
    order: Literal["any", "in_turn"] = "any"
    needs_goals: Annotated[int, Field(ge=1, le=1000, strict=True)] | None = None
    finish: Literal["turn_in", "auto"] = "turn_in"
    reward: Effects = ()
    says: dict[Literal["locked", "available", "active", "ready", "completed", "failed"], Text] = {}
    turn_in_lasts: Seconds = 0
    time_limit: Period | None = None
    fails: tuple[Fail, ...] = ()
    repeat: Seconds | None = None


class QuestSet(Table):
    """Quests of which only some are offered, drawn by the dice."""

    quests: Annotated[tuple[Word, ...], Field(min_length=1)]
    draw: Annotated[int, Field(ge=1, le=1000, strict=True)] = 1
    every: Period | None = None


class Achievement(Tallying):
    """Something achieved once per player, for ever: by a tally, or by an effect."""

    on: EventName = ""
    title: Text = ""
    text: Text = ""
    icon: Text = ""
    hidden: Truth = False
    ranks: dict[Word, Annotated[int, Field(ge=1, le=WHOLE_LIMIT, strict=True)]] = {}
    reward: Effects = ()


class Silence(Table):
    """A finding of `cleaver check` that is meant: the rule, where, and why."""

    rule: Word
    at: Text
    because: Annotated[str, Field(min_length=3, max_length=2_000, strict=True)]


class Check(Table):
    """What `cleaver check` is told."""

    silence: tuple[Silence, ...] = ()


class Change(Table):
    """What became of names from one version of saved data to the next."""

    from_: Annotated[int, Field(alias="from", ge=1, le=1_000_000, strict=True)]
    rename: dict[str, Word] = {}


class Saves(Table):
    """What is kept of a player."""

    changes: tuple[Change, ...] = ()

    include: tuple[
        Literal[
            "currencies",
            "items",
            "exchanges",
            "levels",
            "quests",
            "achievements",
            "ratings",
            "records",
            "lives",
        ],
        ...,
    ] = (
        "currencies",
        "items",
        "exchanges",
        "levels",
        "quests",
        "achievements",
        "ratings",
        "records",
        "lives",
    )


NAMED: dict[str, type[BaseModel]] = {
    "events": Event,
    "currencies": Currency,
    "items": Item,
    "actors": Actor,
    "statuses": Status,
    "pickups": Pickup,
    "exchanges": Exchange,
    "teams": Team,
    "matches": MatchTable,
    "ratings": Rating,
    "levels": LevelLadder,
    "records": Record,
    "quests": Quest,
    "quest_sets": QuestSet,
    "achievements": Achievement,
}
"""Sections that are tables of named entries, in the order they are checked."""


class DesignTables(Table):
    """A whole design."""

    game: Game = Game()
    inputs: dict[Name, Number] = {}
    events: dict[Word, Event] = {}
    currencies: dict[Name, Currency] = {}
    items: dict[Name, Item] = {}
    actors: dict[Name, Actor] = {}
    statuses: dict[Word, Status] = {}
    pickups: dict[Word, Pickup] = {}
    rules: tuple[Rule, ...] = ()
    exchanges: dict[Word, Exchange] = {}
    teams: dict[Name, Team] = {}
    matches: dict[Word, MatchTable] = {}
    ratings: dict[Word, Rating] = {}
    levels: dict[Name, LevelLadder] = {}
    records: dict[Word, Record] = {}
    quests: dict[Word, Quest] = {}
    quest_sets: dict[Word, QuestSet] = {}
    achievements: dict[Word, Achievement] = {}
    texts: dict[Word, Text] = {}
    saves: Saves = Saves()
    check: Check = Check()
