"""Quests with their goals, sets of them, and achievements."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, PlainValidator, WithJsonSchema
from pydantic_core import PydanticCustomError

from cleaver.design.models.effects import Effects, Table, Tallying
from cleaver.design.models.values import (
    LONGEST,
    SHORTEST,
    WHOLE_LIMIT,
    EventName,
    Formulas,
    Lines,
    Period,
    Seconds,
    Text,
    Truth,
    Word,
)


class Goal(Tallying):
    """One goal of a quest: a tally over events, or something held."""

    name: Word | None = None
    on: EventName = ""
    hold: Word | None = None
    hand_over: Truth = False
    optional: Truth = False
    hidden: Truth = False
    reward: Effects = ()
    text: Text = ""


class Fail(Tallying):
    """What lets a quest fail."""


class Days(Table):
    """So many calendar days, as the game says what day it is."""

    days: Annotated[int, Field(ge=1, le=100_000, strict=True)]


def _repeat(value: Any) -> float | Days:
    if isinstance(value, Days):
        return value
    if isinstance(value, dict):
        days = value.get("days")
        if set(value) == {"days"} and type(days) is int and 1 <= days <= 100_000:
            return Days(days=days)
    elif type(value) in (int, float) and (value == 0 or SHORTEST <= value <= LONGEST):
        return float(value)
    raise PydanticCustomError(
        "repeat",
        "is {value}; it must be seconds, or days such as {example}",
        {"value": repr(value), "example": "{ days = 1 }"},
    )


Repeat = Annotated[
    float | Days,
    PlainValidator(_repeat),
    WithJsonSchema(
        {
            "anyOf": [
                {"type": "number", "minimum": 0, "maximum": LONGEST},
                {
                    "type": "object",
                    "properties": {"days": {"type": "integer", "minimum": 1, "maximum": 100_000}},
                    "required": ["days"],
                    "additionalProperties": False,
                },
            ]
        }
    ),
]


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
    says: dict[Literal["locked", "available", "active", "ready", "completed", "failed"], Lines] = {}
    turn_in_lasts: Seconds = 0
    time_limit: Period | None = None
    fails: tuple[Fail, ...] = ()
    repeat: Repeat | None = None


class QuestSet(Table):
    """Quests of which only some are offered, drawn by the dice."""

    quests: Annotated[tuple[Word, ...], Field(min_length=1)]
    draw: Annotated[int, Field(ge=1, le=1000, strict=True)] = 1
    every: Period | None = None
    days: Annotated[int, Field(ge=1, le=100_000, strict=True)] | None = None


class Achievement(Tallying):
    """Something achieved once per player, for ever: by a tally, or by an effect."""

    on: EventName = ""
    title: Text = ""
    text: Text = ""
    icon: Text = ""
    hidden: Truth = False
    ranks: dict[Word, Annotated[int, Field(ge=1, le=WHOLE_LIMIT, strict=True)]] = {}
    reward: Effects = ()
