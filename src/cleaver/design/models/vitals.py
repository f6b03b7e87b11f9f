"""Vitals: actors with their meters, guards and attacks, and statuses."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from cleaver.design.models.effects import Effects, Table
from cleaver.design.models.values import (
    WHOLE_LIMIT,
    Amount,
    Count,
    FormulaText,
    Fraction,
    Name,
    NotNegative,
    Number,
    Period,
    PeriodOrFormula,
    Positive,
    Seconds,
    SecondsOrFormula,
    SeenBy,
    Text,
    Truth,
    Word,
    Words,
)
from cleaver.literals import HitStep
from cleaver.rounding import is_number


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
    return {"max": value} if is_number(value) else value


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
    seen_by: SeenBy | None = None


Meter = Annotated[MeterTable, BeforeValidator(_bare_max, json_schema_input_type=MeterTable | Positive)]


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


_NO_GUARD = Guard()


class Crit(Table):
    """The chance of a critical hit, and what it multiplies by."""

    chance: Fraction
    times: NotNegative = 2


class Attack(Table):
    """The definition of a hit."""

    amount: Amount
    type: Word | None = None
    cooldown: SecondsOrFormula = 0
    crit: Crit | None = None
    ignores: tuple[HitStep, ...] = ()
    hits_owner: Truth = False
    pierces: Count = 0
    flight: Period = 30
    do: Effects = ()


class Pulse(Table):
    """Effects repeated every so many seconds."""

    every: PeriodOrFormula
    at_once: Truth = False
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

    after: SecondsOrFormula
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
    guard: Guard = Field(default_factory=lambda: _NO_GUARD)  # shared: nothing in it changes
    attacks: dict[Word, Attack] = {}
    pulses: dict[Word, Pulse] = {}
    on_death: Effects = ()
    vanish_after: Seconds | None = None
    keep: Truth = False
    reach: NotNegative | None = None


class Status(Table):
    """Something temporary on an actor."""

    lasts: PeriodOrFormula | None = None
    stack: Literal["refresh", "extend", "add", "keep"] = "refresh"
    most: Annotated[int, Field(ge=1, le=1000, strict=True)] | None = None
    tags: tuple[Name, ...] = ()
    flows: tuple[StatusFlow, ...] = ()
    pulses: tuple[Pulse, ...] = ()
    deals: NotNegative = 1
    through: dict[Word, NotNegative] = {}
    scale: NotNegative = 1
    seen_by: SeenBy | None = None
