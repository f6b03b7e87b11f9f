"""Effects, rules and tallies: what every topic of a design is made of. Start at `Effect` and `Matcher`."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, PlainValidator, WithJsonSchema
from pydantic_core import PydanticCustomError

from cleaver.design.models.values import (
    AMOUNT_SCHEMA,
    LONGEST,
    SHORTEST,
    Amount,
    EventName,
    FormulaText,
    Period,
    Truth,
    Word,
    amount_value,
    formula_value,
)
from cleaver.design.vocabulary import IGNORABLE, KEEPS, NEEDS_AMOUNT, TARGETS, VERBS
from cleaver.errors import nearest


class Table(BaseModel):
    """A table of the design file; unknown keys are refused."""

    model_config: ClassVar[ConfigDict] = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)

    def written(self) -> dict[str, Any]:
        """Return the keys that were given, as they stand in a file."""
        return written_keys(self)


def written_keys(model: BaseModel) -> dict[str, Any]:
    """Return the keys of a table that were given, as they stand in a file."""
    return {
        field.alias or name: getattr(model, name)
        for name, field in type(model).model_fields.items()
        if name in model.model_fields_set
    }


ANYWHERE = ("to", "when", "chance")
"""What may stand beside any verb."""


class Effect(Table):
    """One change, written ``{ heal = 25 }``: a verb with its operand, and what stands beside it."""

    verb: str
    operand: float | str | tuple[Option, ...]
    beside: dict[str, Any] = {}
    to: str | None = None
    when: str | None = None
    chance: float | str | None = None

    def written(self) -> dict[str, Any]:
        """Return the effect as it stands in a file."""
        rest = {"to": self.to, "when": self.when, "chance": self.chance}
        options = [option.as_written() for option in self.options()]
        return {
            self.verb: options or self.operand,
            **self.beside,
            **{key: value for key, value in rest.items() if value is not None},
        }

    def options(self) -> tuple[Option, ...]:
        """Return what it chooses from; empty for any other verb."""
        return self.operand if isinstance(self.operand, tuple) else ()


def _effect(value: Any) -> Effect:
    if isinstance(value, Effect):
        return value
    if not isinstance(value, dict):
        raise PydanticCustomError(
            "effect",
            "must be a table such as {example}, not {value}",
            {"example": "{ heal = 25 }", "value": repr(value)},
        )
    verb = _verb(value)
    beside = _beside(verb, value)
    if verb in NEEDS_AMOUNT and "amount" not in beside:
        raise PydanticCustomError(
            "effect",
            "{verb} has no amount; write {example}",
            {"verb": verb, "example": f"{{ {verb} = {value[verb]!r}, amount = 10 }}"},
        )
    to, when = value.get("to"), value.get("when")
    if verb == "choose" and to is not None:
        raise PydanticCustomError(
            "effect", "to stands beside choose; say it in the effects that it chooses", {}
        )
    if to is not None and to not in TARGETS:
        raise PydanticCustomError(
            "effect", "to is {to}; it must be one of {known}", {"to": repr(to), "known": ", ".join(TARGETS)}
        )
    return Effect(
        verb=verb,
        operand=_operand(VERBS[verb].operand, value[verb], verb),
        beside=beside,
        to=to,
        when=None if when is None else formula_value(when),
        chance=_chance(value.get("chance")),
    )


def _chance(value: Any) -> float | str | None:
    """Return a chance: a number from 0 to 1, or a formula."""
    if value is None or isinstance(value, str):
        return None if value is None else formula_value(value)
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not 0 <= value <= 1:
        raise PydanticCustomError(
            "effect",
            "chance is {value}; it must be a number from 0 to 1, or a formula",
            {"value": repr(value)},
        )
    return float(value)


def _verb(value: dict[str, Any]) -> str:
    """Return the one verb of an effect."""
    if "announce" in value:  # what stands beside it are the fields of an event, whatever they are called
        return "announce"
    given = [key for key in value if key in VERBS]
    if len(given) == 1:
        return given[0]
    near = [f"{key!r} (did you mean {nearest(key, VERBS)!r}?)" for key in value if nearest(key, VERBS)]
    trouble = f"has no verb{': ' + ', '.join(near) if near else ''}"
    if given:
        trouble = f"has two verbs: {', '.join(given)}; write two effects"
    raise PydanticCustomError(
        "effect", "{trouble}; the verbs are {known}", {"trouble": trouble, "known": ", ".join(VERBS)}
    )


def _beside(verb: str, value: dict[str, Any]) -> dict[str, Any]:
    """Return what stands beside the verb of an effect, checked."""
    spec = VERBS[verb]
    kinds = dict(spec.beside)
    beside: dict[str, Any] = {}
    for key, item in value.items():
        if key == verb or key in ANYWHERE:
            continue
        if key not in kinds and not spec.free:
            known = [*kinds, *ANYWHERE]
            near = nearest(key, known)
            hint = f"; did you mean {near!r}?" if near else ""
            raise PydanticCustomError(
                "effect",
                "unknown key {key} beside {verb}{hint} (known: {known})",
                {"key": repr(key), "verb": verb, "hint": hint, "known": ", ".join(known)},
            )
        beside[key] = _operand(kinds.get(key, "field"), item, f"{key} of {verb}")
    return beside


def _operand(kind: str, value: Any, what: str) -> Any:
    """Return what stands behind a verb or a key beside it, if it has the right shape."""

    def refuse(wanted: str) -> PydanticCustomError:
        return PydanticCustomError(
            "effect",
            "{what} must be {wanted}, not {value}",
            {"what": what, "wanted": wanted, "value": repr(value)},
        )

    if kind == "amount":
        return amount_value(value)
    if kind == "options":
        return _options(value, what)
    if kind == "span":
        if not isinstance(value, str) and (
            isinstance(value, bool) or not isinstance(value, (int, float)) or not SHORTEST <= value <= LONGEST
        ):
            raise refuse(f"seconds, {SHORTEST} or more, or a formula in quotes")
    elif kind == "fraction":
        if isinstance(value, bool) or not isinstance(value, (int, float)) or not 0 <= value <= 1:
            raise refuse("a number from 0 to 1")
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


def _options(value: Any, what: str) -> tuple[Option, ...]:
    """Return the lists that a `choose` chooses from, checked."""
    if not isinstance(value, list) or not value:
        raise PydanticCustomError(
            "effect",
            "{what} must be a list such as {example}",
            {"what": what, "example": "[ { weight = 3, do = [ … ] }, { do = [] } ]"},
        )
    found = []
    for number, one in enumerate(value):
        if isinstance(one, Option):
            found.append(one)
            continue
        place = f"{what}[{number + 1}]"
        if not isinstance(one, dict) or not set(one) <= {"weight", "do"} or "do" not in one:
            raise PydanticCustomError(
                "effect",
                "{place} must be a table of `do` and, where the lists differ in it, `weight`, not {value}",
                {"place": place, "value": repr(one)},
            )
        if not isinstance(one["do"], list):
            raise PydanticCustomError("effect", "{place}.do must be a list of effects", {"place": place})
        effects = tuple(_effect(effect) for effect in one["do"])
        found.append(Option.model_construct(weight=amount_value(one.get("weight", 1)), do=effects))
    if all(option.weight == 0 for option in found):
        raise PydanticCustomError("effect", "{what} has no weight above 0", {"what": what})
    return tuple(found)


def _effect_schema() -> dict[str, Any]:
    shapes = {
        "amount": AMOUNT_SCHEMA,
        "fraction": {"type": "number", "minimum": 0, "maximum": 1},
        "span": {
            "anyOf": [
                {"type": "number", "minimum": SHORTEST, "maximum": LONGEST},
                {"type": "string", "description": "a formula"},
            ]
        },
        "options": {
            "type": "array",
            "minItems": 1,
            "items": {
                "type": "object",
                "properties": {"weight": AMOUNT_SCHEMA, "do": {"type": "array", "items": {"type": "object"}}},
                "required": ["do"],
                "additionalProperties": False,
            },
        },
        "steps": {"type": "array", "items": {"enum": list(IGNORABLE)}},
        "keep": {"enum": list(KEEPS)},
    }
    tables = []
    for verb, spec in VERBS.items():
        keys = {
            verb: shapes.get(spec.operand, {"type": "string"}),
            "to": {"enum": list(TARGETS)},
            "when": {"type": "string", "description": "a formula"},
            "chance": {
                "anyOf": [
                    {"type": "number", "minimum": 0, "maximum": 1},
                    {"type": "string", "description": "a formula"},
                ]
            },
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


class Option(Table):
    """One of the lists that a `choose` chooses from."""

    weight: Amount = 1
    do: tuple[Effect, ...] = ()

    def as_written(self) -> dict[str, Any]:
        """Return it as it stands in a file."""
        return {"weight": self.weight, "do": [effect.written() for effect in self.do]}


Effect.model_rebuild()


class Matcher(BaseModel):
    """What picks events: `on` one, `of` the other party, any field by its name, `where` a formula.

    `defeated` and `struck` leave out what one does to oneself or one's own side, `mended` only oneself,
    unless `own_side`.
    """

    model_config: ClassVar[ConfigDict] = ConfigDict(extra="allow", frozen=True, populate_by_name=True)

    on: EventName
    of: Word | None = None
    where: FormulaText | None = None
    own_side: Truth = False

    def fields(self) -> dict[str, Any]:
        """Return the fields of the event that are asked for, as written."""
        return dict(self.model_extra or {})

    def written(self) -> dict[str, Any]:
        """Return the keys that were given, as they stand in a file."""
        return written_keys(self) | self.fields()


class Rule(Matcher):
    """On an event that matches, do effects."""

    name: Word | None = None
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
