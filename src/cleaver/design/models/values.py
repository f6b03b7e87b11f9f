"""Values: what single keys may hold, each with its range. Times are in seconds, fractions between 0 and 1.

Checkers read the first list, the reader the second. Start at `Word` and `Amount`.
"""

from __future__ import annotations

from collections.abc import Callable

from cleaver.design import keys
from cleaver.design.vocabulary import RESERVED
from cleaver.errors import said
from cleaver.rounding import is_number

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

WHOLE_LIMIT = 2**63 - 1
FARTHEST = 1e300  # that a stat may be from 0
LONGEST = 1e9  # seconds, a little over thirty years
SHORTEST = 0.001  # seconds: a span that is shorter is an error, or time would stand still
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


class _Word(keys.Text):
    """A lower-case word, and none of those that are taken."""

    words = "a name"
    taken: frozenset[str] = frozenset()

    def check(self, value: Any) -> tuple[str, str] | None:
        """See `Type`."""
        plain = value.isascii() and value[:1].isalpha() and value.replace("_", "").isalnum()
        if not plain or value != value.lower():
            return (
                f"{said(value)} is no name",
                "names are lower-case words joined by underscores, such as brass_helm",
            )
        if value in self.taken:
            by = "paths and formulas" if value in RESERVED else "the calls that take inputs"
            return f"the name {said(value)} is used by {by} already", "choose another"
        return None

    def shape(self, shapes: keys.Shapes) -> dict[str, Any]:
        """See `Type`."""
        taken = {"not": {"enum": sorted(self.taken)}} if self.taken else {}
        return {"type": "string", "pattern": "^[a-z][a-z0-9_]*$", **taken}


class _Target(keys.Text):
    """What a modifier changes: a stat, the maximum or the rate of a meter, the bag."""

    words = "a stat, METER.max, METER.rate or bag"

    def check(self, value: Any) -> tuple[str, str] | None:
        """See `Type`."""
        word, _, part = value.partition(".")
        plain = word.isascii() and word[:1].isalpha() and word.replace("_", "").isalnum()
        if plain and word == word.lower() and (part in ("max", "rate") or value == word):
            return None
        return (
            f"{said(value)} is nothing that can be modified",
            'name a stat, "METER.max", "METER.rate" or bag',
        )

    def shape(self, shapes: keys.Shapes) -> dict[str, Any]:
        """See `Type`."""
        return {"type": "string", "pattern": "^[a-z][a-z0-9_]*([.](max|rate))?$"}


class _Pieces(keys.Text):
    """How many things of a set, as the name of a table."""

    words = "a whole number"

    def check(self, value: Any) -> tuple[str, str] | None:
        """See `Type`."""
        if value.isascii() and value.isdigit() and value[0] != "0" and len(value) <= 4:
            return None
        return f"{said(value)} is no number of pieces", "write [item_sets.NAME.pieces.2]"

    def shape(self, shapes: keys.Shapes) -> dict[str, Any]:
        """See `Type`."""
        return {"type": "string", "pattern": "^[1-9][0-9]{0,3}$"}


def amount_value(value: Any) -> float | str:
    """Return an amount, 0 or more, or a formula; refuses anything else."""
    if isinstance(value, str):
        return value
    if not is_number(value):
        raise ValueError(f"must be a number or a formula in quotes, not {said(value)}")
    if not 0 <= value <= WHOLE_LIMIT:
        raise ValueError(
            f"is {said(value)}; amounts are 0 or more and finite: the direction is in the verb (heal, hurt), "
            "never in the sign"
        )
    return value


def figure_value(value: Any) -> float | str:
    """Return a number of any sign, or a formula."""
    if isinstance(value, str):
        return value
    if not is_number(value) or not -FARTHEST <= value <= FARTHEST:
        raise ValueError(f"is {said(value)}; it must be a number within ±1e300, or a formula in quotes")
    return float(value)


def factor_value(value: Any) -> float | str:
    """Return a number, 0 or more, or a formula."""
    if isinstance(value, str):
        return value
    if not is_number(value):
        raise ValueError(f"must be a number or a formula in quotes, not {said(value)}")
    if not 0 <= value <= WHOLE_LIMIT:
        raise ValueError(f"is {said(value)}; it must be 0 or more")
    return float(value)


def count_value(value: Any) -> int | str:
    """Return a whole number, 0 or more, or a formula."""
    if isinstance(value, str):
        return value
    if not is_number(value) or value != int(value) or not 0 <= value <= WHOLE_LIMIT:
        raise ValueError(f"is {said(value)}; it must be a whole number, 0 or more, or a formula in quotes")
    return int(value)


def maximum_value(value: Any) -> float | str:
    """Return a maximum: a number above 0, or a formula."""
    if isinstance(value, str):
        return value
    if not is_number(value):
        raise ValueError(f"must be a number or a formula in quotes, not {said(value)}")
    if not 0 < value <= WHOLE_LIMIT:
        right = (
            "greater than 0"
            if value <= 0
            else "a finite number"
            if value != value
            else f"at most {WHOLE_LIMIT}"
        )
        raise ValueError(f"is {said(value)}; it must be {right}")
    return float(value)


def formula_value(value: Any) -> str:
    """Return a formula as text; a plain number is one, too."""
    if isinstance(value, bool) or not isinstance(value, (str, int, float)):
        raise ValueError(f"must be a formula in quotes, not {said(value)}")
    return str(value)


def chance_value(value: Any) -> float | str:
    """Return a chance: a number from 0 to 1, or a formula."""
    if isinstance(value, str):
        return value
    if not is_number(value) or not 0 <= value <= 1:
        raise ValueError(f"chance is {said(value)}; it must be a number from 0 to 1, or a formula")
    return float(value)


class _Span(keys.Number):
    """A span of time: 0, or long enough that time moves on."""

    def check(self, value: Any) -> tuple[str, str] | None:
        """See `Type`."""
        if 0 < value < SHORTEST:
            return f"is {said(value)}", f"a span of time is 0, or {SHORTEST} s and more"
        return super().check(value)

    def shape(self, shapes: keys.Shapes) -> dict[str, Any]:
        """See `Type`."""
        return span_shape(0)


def span_shape(shortest: float) -> dict[str, Any]:
    """Return the JSON Schema of a span of time: 0, where it may be that short, or long enough."""
    span = {"type": "number", "minimum": SHORTEST, "maximum": LONGEST}
    return span if shortest else {"anyOf": [{"const": 0}, span]}


def _span_or_formula(shortest: float) -> Callable[[Any], float | str]:
    def value_of(value: Any) -> float | str:
        if isinstance(value, str):
            return value
        if not is_number(value):
            raise ValueError(f"must be seconds or a formula in quotes, not {said(value)}")
        if not shortest <= value <= LONGEST:
            raise ValueError(f"is {said(value)}; it must be {shortest:g} s or more, up to {LONGEST:,.0f}")
        if 0 < value < SHORTEST:
            raise ValueError(f"is {said(value)}; a span of time is 0, or {SHORTEST} s and more")
        return float(value)

    return value_of


FORMULA_SHAPE = {"type": "string", "description": "a formula"}
_NUMBER_SHAPE = {"type": "number", "minimum": 0, "maximum": WHOLE_LIMIT}

if TYPE_CHECKING:
    Word = str
    Name = str
    InputName = str
    EventName = str
    Text = str
    Lines = tuple[str, ...]
    Words = tuple[str, ...]
    FormulaText = str
    Formulas = tuple[str, ...]
    Truth = bool
    Choice = str
    Whole = int
    Count = int
    Number = float
    Positive = float
    NotNegative = float
    Fraction = float
    Seconds = float
    Period = float
    Amount = float | str
    Factor = float | str
    Figure = float | str
    CountOrFormula = int | str
    Maximum = float | str
    Value = float | str | bool
    Target = str
    Pieces = str
    Chance = float | str
    SecondsOrFormula = float | str
    PeriodOrFormula = float | str
    SeenBy = str
else:
    Word = _Word(name="Word")
    Name = _Word(taken=RESERVED, name="Name")
    InputName = _Word(taken=RESERVED | CALLED, name="InputName")
    EventName = keys.Text(words="an event")
    Text = keys.Text(high=2_000, name="Text")
    Lines = keys.Each(inner=Text, low=1, alone=True)
    Words = keys.Each(inner=Word, alone=True)
    FormulaText = keys.Custom(
        formula_value, {"type": ["string", "number"], "description": "a formula"}, "a formula", name="Formula"
    )
    Formulas = keys.Each(inner=FormulaText)
    Truth = keys.Truth()
    Choice = keys.OneOf()
    Whole = keys.Number(whole=True)
    Count = keys.Number(ge=0, le=WHOLE_LIMIT, whole=True, name="Count")
    Number = keys.Number()
    Positive = keys.Number(gt=0, le=WHOLE_LIMIT, name="Positive")
    NotNegative = keys.Number(ge=0, le=WHOLE_LIMIT, name="NotNegative")
    Fraction = keys.Number(ge=0, le=1, name="Fraction")
    Seconds = _Span(ge=0, le=LONGEST, name="Seconds")
    Period = keys.Number(ge=SHORTEST, le=LONGEST, name="Period")
    Amount = keys.Custom(
        amount_value,
        {"anyOf": [_NUMBER_SHAPE, FORMULA_SHAPE]},
        "a number, 0 or more or a formula",
        name="Amount",
    )
    Factor = keys.Custom(
        factor_value,
        {"anyOf": [_NUMBER_SHAPE, FORMULA_SHAPE]},
        "a number, 0 or more or a formula",
        name="Factor",
    )
    Figure = keys.Custom(figure_value, {"type": ["number", "string"]}, "a number or a formula", name="Figure")
    CountOrFormula = keys.Custom(
        count_value,
        {"anyOf": [{"type": "integer", "minimum": 0, "maximum": WHOLE_LIMIT}, FORMULA_SHAPE]},
        "a whole number, 0 or more or a formula",
        name="CountOrFormula",
    )
    Maximum = keys.Custom(
        maximum_value,
        {"anyOf": [{"type": "number", "exclusiveMinimum": 0, "maximum": WHOLE_LIMIT}, FORMULA_SHAPE]},
        "a number above 0 or a formula",
        name="Maximum",
    )
    Value = keys.Custom(lambda value: value, {}, "any value")
    Target = _Target(name="Target")
    Pieces = _Pieces(name="Pieces")
    Chance = keys.Custom(
        chance_value,
        {"anyOf": [{"type": "number", "minimum": 0, "maximum": 1}, FORMULA_SHAPE]},
        "a number from 0 to 1 or a formula",
        name="Chance",
    )
    SecondsOrFormula = keys.Custom(
        _span_or_formula(0),
        {"anyOf": [span_shape(0), FORMULA_SHAPE]},
        "a number, 0 or more or a formula",
        name="SecondsOrFormula",
    )
    PeriodOrFormula = keys.Custom(
        _span_or_formula(SHORTEST),
        {"anyOf": [span_shape(SHORTEST), FORMULA_SHAPE]},
        "a number, 0.001 or more or a formula",
        name="PeriodOrFormula",
    )
    SeenBy = keys.OneOf(among=("all", "owner", "team", "nobody"), name="SeenBy")
