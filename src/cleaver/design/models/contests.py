"""Contests: teams, matches, ratings, levels, records."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, PlainValidator, WithJsonSchema
from pydantic_core import PydanticCustomError

from cleaver.design.models.effects import Effects, Rule, Table, Tallying
from cleaver.design.models.values import (
    WHOLE_LIMIT,
    Formulas,
    FormulaText,
    Fraction,
    Number,
    Period,
    Text,
    Truth,
    Word,
)
from cleaver.rounding import is_number


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
    if is_number(value) and value >= 1:
        return str(value)
    raise PydanticCustomError(
        "experience",
        "is {value}; it must be a formula of `level`, or a list of whole numbers above 0",
        {"value": repr(value)},
    )


class Team(Table):
    """Who stands together."""

    spawn: Word | None = None
    friendly_fire: Truth | Fraction = False


MOST_LAID = 10_000  # of one thing in a stage


def _laid(value: Any) -> int | tuple[tuple[float, ...], ...]:
    if isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= MOST_LAID:
        return value
    if isinstance(value, (list, tuple)) and len(value) <= MOST_LAID:
        spots = [spot for spot in value if isinstance(spot, (list, tuple)) and len(spot) in (2, 3)]
        numbers = [number for spot in spots for number in spot]
        if len(spots) == len(value) and all(is_number(number) and abs(number) <= 1e12 for number in numbers):
            return tuple(tuple(map(float, spot)) for spot in spots)
    raise PydanticCustomError(
        "laid",
        "is {value}; it must be how many, up to {most}, or a list of places such as {example}",
        {"value": repr(value), "most": f"{MOST_LAID:,}", "example": "[[3, 0], [9, 2]]"},
    )


Laid = Annotated[
    int | tuple[tuple[float, ...], ...],
    PlainValidator(_laid),
    WithJsonSchema(
        {
            "anyOf": [
                {"type": "integer", "minimum": 0, "maximum": MOST_LAID},
                {
                    "type": "array",
                    "items": {
                        "type": "array",
                        "items": {"type": "number"},
                        "minItems": 2,
                        "maxItems": 3,
                    },
                },
            ]
        }
    ),
]


class Stage(Table):
    """Content laid out for play: how many of each pickup and creature, or where each of them is."""

    title: Text = ""
    pickups: dict[Word, Laid] = {}
    actors: dict[Word, Laid] = {}
    rating: Word | None = None
    needs: Formulas = ()


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
