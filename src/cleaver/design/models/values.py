"""Values: the types of single keys, each with its range. Times are in seconds, fractions between 0 and 1."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BeforeValidator, Field, PlainValidator, WithJsonSchema
from pydantic_core import PydanticCustomError

from cleaver.design.vocabulary import EVENTS, RESERVED

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


CALLED = frozenset(
    [
        "amount",
        "attack",
        "at",
        "by",
        "crit",
        "ignores",
        "name",
        "pickup",
        "posthumous",
        "rating",
        "self",
        "source",
        "target",
        "type",
        "with",
        "zone",
    ]
)
"""What the calls that take inputs have as parameters: an input of that name could never be given."""


def _uncalled(value: str) -> str:
    if value in CALLED:
        raise PydanticCustomError(
            "reserved",
            "the name {value} is used by the calls that take inputs already; choose another",
            {"value": repr(value)},
        )
    return value


def amount_value(value: Any) -> float | str:
    """Return an amount, 0 or more, or a formula; refuses anything else."""
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


def formula_value(value: Any) -> str:
    """Return a formula as text; a plain number is one, too."""
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


AMOUNT_SCHEMA: dict[str, Any] = {
    "anyOf": [{"type": "number", "minimum": 0}, {"type": "string", "description": "a formula"}]
}


Word = Annotated[str, AfterValidator(_word), _WORD_SCHEMA]


Name = Annotated[str, AfterValidator(_word), AfterValidator(_unreserved), _WORD_SCHEMA]
InputName = Annotated[Name, AfterValidator(_uncalled)]


Amount = Annotated[float | str, PlainValidator(amount_value), WithJsonSchema(AMOUNT_SCHEMA)]


FormulaText = Annotated[
    str, PlainValidator(formula_value), WithJsonSchema({"type": "string", "description": "a formula"})
]


Number = Annotated[float, Field(allow_inf_nan=False, strict=True)]


Positive = Annotated[float, Field(gt=0, le=WHOLE_LIMIT, allow_inf_nan=False, strict=True)]


NotNegative = Annotated[float, Field(ge=0, le=WHOLE_LIMIT, allow_inf_nan=False, strict=True)]


Seconds = Annotated[float, Field(ge=0, le=LONGEST, allow_inf_nan=False, strict=True), AfterValidator(_span)]


Period = Annotated[float, Field(ge=SHORTEST, le=LONGEST, allow_inf_nan=False, strict=True)]


def _seconds_or_formula(shortest: float) -> Any:
    def value_of(value: Any) -> float | str:
        if isinstance(value, str):
            return value
        if isinstance(value, bool) or not isinstance(value, (int, float)):
            raise PydanticCustomError(
                "span", "must be seconds or a formula in quotes, not {value}", {"value": repr(value)}
            )
        if not shortest <= value <= LONGEST:
            raise PydanticCustomError(
                "span",
                "is {value}; it must be {shortest} s or more, up to {longest}",
                {"value": repr(value), "shortest": f"{shortest:g}", "longest": f"{LONGEST:,.0f}"},
            )
        return float(_span(value))

    return value_of


def _span_schema(shortest: float) -> dict[str, Any]:
    return {
        "anyOf": [
            {"type": "number", "minimum": shortest, "maximum": LONGEST},
            {"type": "string", "description": "a formula"},
        ]
    }


SecondsOrFormula = Annotated[
    float | str, PlainValidator(_seconds_or_formula(0)), WithJsonSchema(_span_schema(0))
]
"""A span that may be 0, or a formula of it."""


PeriodOrFormula = Annotated[
    float | str, PlainValidator(_seconds_or_formula(SHORTEST)), WithJsonSchema(_span_schema(SHORTEST))
]
"""A span that may not be 0, or a formula of it."""


Fraction = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False, strict=True)]


Count = Annotated[int, Field(ge=0, le=WHOLE_LIMIT, strict=True)]


Text = Annotated[str, Field(max_length=2_000, strict=True)]


def _lines(value: Any) -> Any:
    return [value] if isinstance(value, str) else value


Lines = Annotated[
    tuple[Text, ...],
    Field(min_length=1, strict=False),
    BeforeValidator(_lines, json_schema_input_type=str | list[str]),
]
"""A text, or several that follow one another."""


Truth = Annotated[bool, Field(strict=True)]


FieldValue = str | float | bool


def _words(value: Any) -> Any:
    return [value] if isinstance(value, str) else value


Words = Annotated[tuple[Word, ...], BeforeValidator(_words)]


Formulas = tuple[FormulaText, ...]


_EVENT_SCHEMA = WithJsonSchema({"type": "string", "description": "an event", "examples": list(EVENTS)})


EventName = Annotated[str, _EVENT_SCHEMA]


SeenBy = Literal["all", "owner", "team", "nobody"]
"""Who may know of something, where several play on several screens."""
