"""Effects, rules and tallies: what every topic of a design is made of.

An effect is a table of one verb, with what stands beside it; the verbs are in `vocabulary`. Start at `Effect`
and `Matcher`.
"""

from functools import partial

from cleaver.design import keys
from cleaver.design.keys import WRONG, KeyTable, key, refused, type_of
from cleaver.design.lines import key_of
from cleaver.design.models.spans import Clocked, Days, Lasting, Stretch
from cleaver.design.models.values import (
    Amount,
    Chance,
    Choice,
    EventName,
    FormulaText,
    Truth,
    Word,
    amount_value,
    chance_value,
    formula_value,
)
from cleaver.design.vocabulary import ANYWHERE, BESIDE, EVENTS, IGNORABLE, KEEPS, TARGETS, VERBS
from cleaver.errors import nearest, said
from cleaver.rounding import is_number

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.design.keys import Shape, Shapes, Tell
    from cleaver.design.lines import Path
else:
    Any = Path = Shape = Shapes = Tell = object  # annotations are worked out here, as keys are read by them


class Effect(KeyTable):
    """One change, written ``{ heal = 25 }``: a verb with its operand, and what stands beside it."""

    if TYPE_CHECKING:
        verb: str
        operand: float | str | tuple["Option", ...]
        beside: dict[str, Any]
        to: str | None
        when: str | None
        chance: float | str | None

    @classmethod
    def read(cls, value: Any, path: Path, tell: Tell) -> Any:
        """See `keys.Type`."""
        if isinstance(value, Effect):
            return value
        try:
            return cls._read(value, path, tell)
        except ValueError as error:
            return refused(error, path, tell)

    @classmethod
    def _read(cls, value: Any, path: Path, tell: Tell) -> Any:
        if not isinstance(value, dict):
            raise ValueError(f"must be a table such as {{ heal = 25 }}, not {said(value)}")
        verb = _verb(value)
        beside = _beside(verb, value)
        for needed in VERBS[verb].needs:
            if needed not in beside:
                raise ValueError(
                    f"{verb} has no {needed}; write {{ {verb} = {said(value[verb])}, {needed} = 10 }}"
                )
        to, when, chance = (value.get(name) for name in ANYWHERE)
        if verb == "choose" and to is not None:
            raise ValueError("to stands beside choose; say it in the effects that it chooses")
        if to is not None and to not in TARGETS:
            raise ValueError(f"to is {said(to)}; it must be one of {', '.join(TARGETS)}")
        operand = _operand(VERBS[verb].operand, value[verb], verb, (*path, verb), tell)
        if operand is WRONG:
            return WRONG
        made = cls.__new__(cls)
        vars(made).update(
            verb=verb,
            operand=operand,
            beside=beside,
            to=to,
            when=None if when is None else formula_value(when),
            chance=None if chance is None else chance_value(chance),
        )
        return made

    @classmethod
    def shape(cls, shapes: Shapes) -> Shape:
        """See `keys.Type`: the table of each verb, by the verb that it has."""
        known = [verb for verb in VERBS if verb != "announce"]
        one = [{"if": {"required": [verb]}, "then": _verb_shape(shapes, verb)} for verb in known]
        return {
            "type": "object",
            "if": {"required": ["announce"]},
            "then": _verb_shape(shapes, "announce"),
            "else": {"oneOf": [{"required": [verb]} for verb in known], "allOf": one},
        }

    def written(self) -> dict[str, Any]:
        """Return the effect as it stands in a file."""
        rest = {"to": self.to, "when": self.when, "chance": self.chance}
        options = [option.as_written() for option in self.options()]
        return {
            self.verb: options or self.operand,
            **self.beside,
            **{name: value for name, value in rest.items() if value is not None},
        }

    def options(self) -> "tuple[Option, ...]":
        """Return what it chooses from; empty for any other verb."""
        return self.operand if isinstance(self.operand, tuple) else ()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Effect) and vars(self) == vars(other)

    def __hash__(self) -> int:
        return hash(self.verb)


def _verb(value: dict[str, Any]) -> str:
    """Return the one verb of an effect."""
    if "announce" in value:  # what stands beside it are the fields of an event, whatever they are called
        return "announce"
    given = [name for name in value if name in VERBS]
    if len(given) == 1:
        return given[0]
    near = [f"{name!r} (did you mean {nearest(name, VERBS)!r}?)" for name in value if nearest(name, VERBS)]
    trouble = f"has no verb{': ' + ', '.join(near) if near else ''}"
    if given:
        trouble = f"has two verbs: {', '.join(given)}; write two effects"
    raise ValueError(f"{trouble}; the verbs are {', '.join(VERBS)}")


def _beside(verb: str, value: dict[str, Any]) -> dict[str, Any]:
    """Return what stands beside the verb of an effect, checked."""
    spec = VERBS[verb]
    beside: dict[str, Any] = {}
    for name, item in value.items():
        if name == verb or name in ANYWHERE:
            continue
        if name not in spec.beside and not spec.free:
            known = [*spec.beside, *ANYWHERE]
            near = nearest(name, known)
            hint = f"; did you mean {near!r}?" if near else ""
            raise ValueError(f"unknown key {said(name)} beside {verb}{hint} (known: {', '.join(known)})")
        kind = "field" if spec.free else BESIDE[name].kind
        beside[name] = _operand(kind, item, f"{name} of {verb}")
    return beside


def _operand(kind: str, value: Any, what: str, path: Path = (), tell: Tell | None = None) -> Any:
    """Return what stands behind a verb or a key beside it, if it has the right shape."""
    if kind == "amount":
        return amount_value(value)
    if kind == "options":
        return _options(value, what, path, tell) if tell is not None else WRONG
    if kind == "span" and isinstance(value, dict):

        def refuse(path: Path, wrong: str, right: str) -> None:
            raise ValueError(f"{what}{'.' if path else ''}{key_of(path)} {wrong}; {right}")

        return Clocked.read(value, (), refuse)
    right, wanted = _fits(kind, value)
    if not right:
        raise ValueError(f"{what} must be {wanted}, not {said(value)}")
    return value


def _fits(kind: str, value: Any) -> tuple[bool, str]:
    """Return whether a value is what stands for its kind, and what that is."""
    if kind == "span":
        right = type_of(Lasting).takes(value)
        return right, "seconds, 0.001 or more, a formula in quotes, or such as { turns = 2 }"
    if kind == "fraction":
        return is_number(value) and 0 <= value <= 1, "a number from 0 to 1"
    if kind == "steps":
        right = isinstance(value, list) and all(step in IGNORABLE for step in value)
        return right, f"a list of steps out of {', '.join(IGNORABLE)}"
    if kind == "keep":
        return value in KEEPS, f"one of {', '.join(KEEPS)}"
    if kind == "field":
        return isinstance(value, (str, int, float)), "a number, a word or a formula in quotes"
    return isinstance(value, str), f"the name of one {kind}"


def _options(value: Any, what: str, path: Path, tell: Tell) -> Any:
    """Return the lists that a `choose` chooses from, checked."""
    if not isinstance(value, (list, tuple)) or not value:
        raise ValueError(f"{what} must be a list such as [ {{ weight = 3, do = [ … ] }}, {{ do = [] }} ]")
    found = [Option.read(one, (*path, number), tell) for number, one in enumerate(value)]
    if WRONG in found:
        return WRONG
    if all(option.weight == 0 for option in found):
        raise ValueError(f"{what} has no weight above 0")
    return tuple(found)


def _verb_shape(shapes: Shapes, verb: str) -> Shape:
    """Return the JSON Schema of an effect of one verb."""
    spec = VERBS[verb]
    told = f"{spec.meaning}; for example {spec.example}"
    properties = {verb: {**_kind_shape(shapes, spec.operand), "description": told}}
    for name in (*spec.beside, *ANYWHERE):
        if not (verb == "choose" and name == "to"):
            properties[name] = shapes.part(f"beside_{name}", partial(_beside_shape, name))
    whole: Shape = {"properties": properties, "required": [verb, *spec.needs]}
    whole["additionalProperties"] = {"type": ["string", "number", "boolean"]} if spec.free else False
    return whole


def _beside_shape(name: str, shapes: Shapes) -> Shape:
    beside = BESIDE[name]
    return {
        **_kind_shape(shapes, beside.kind),
        "description": f"{beside.meaning}; for example {beside.example}",
    }


def _kind_shape(shapes: Shapes, kind: str) -> Shape:
    """Return the JSON Schema of what stands behind a verb or a key beside it."""
    named: dict[str, Any] = {
        "amount": Amount,
        "span": Lasting,
        "chance": Chance,
        "formula": FormulaText,
        "options": keys.Each(inner=Option, low=1),
    }
    if kind in named:
        return shapes.of(named[kind])
    listed = {"steps": IGNORABLE, "keep": KEEPS, "target": TARGETS}
    if kind in listed:
        choice: Shape = {"enum": list(listed[kind])}
        return {"type": "array", "items": choice} if kind == "steps" else choice
    return {"type": "number", "minimum": 0, "maximum": 1} if kind == "fraction" else {"type": "string"}


if TYPE_CHECKING:
    Effects = tuple[Effect, ...]
else:
    Effects = keys.Each(inner=Effect, name="Effects", said="a list of effects")


# fmt: off
# A line a key, however long.
class Option(KeyTable):
    """One of the lists that a `choose` chooses from."""

    weight: Amount = key("how likely it is, beside the weights of the others", "3", default=1)
    do: Effects = key("its effects", '[ { give = "pearl" } ]')

    def as_written(self) -> dict[str, Any]:
        """Return it as it stands in a file."""
        return {"weight": self.weight, "do": [effect.written() for effect in self.do]}


class Matcher(KeyTable):
    """What picks events: `on` one, `of` the other party, any field by its name, `where` a formula.

    `defeated` and `struck` leave out what one does to oneself or one's own side, `mended` only oneself,
    unless `own_side`.
    """

    takes_more = True

    on: EventName = key("the event it hears", '"damaged"')
    of: Word | None = key("the other party's kind, tag or name of a pickup", '"eel"', default=None)
    where: FormulaText | None = key("a formula that must hold, over the event's fields, `self` and `source`", '"amount > 5"', default=None)
    own_side: Truth = key("whether `defeated`, `struck` and `mended` count what one does to oneself or one's own side, too", "true", default=False)

    @classmethod
    def shape(cls, shapes: Shapes) -> Shape:
        """See `keys.Type`: with the fields of the event that it is on, by Cleaver's own events."""
        whole = super().shape(shapes)
        return whole | {"allOf": [shapes.part("fields", _fields_shape)], "unevaluatedProperties": False}

    def fields(self) -> dict[str, Any]:
        """Return the fields of the event that are asked for, as written."""
        return dict(vars(self).get("_more", {}))


def _fields_shape(shapes: Shapes) -> Shape:
    """Return the JSON Schema of the fields that a matcher may ask for, by its event."""
    kinds = {"number": {"type": "number"}, "name": {"type": "string"}, "truth": {"type": "boolean"}}
    own = {"properties": {"on": {"not": {"enum": list(EVENTS)}}}, "required": ["on"]}
    cases = [{"if": own, "then": {"additionalProperties": True}}]
    for name, spec in EVENTS.items():
        fields = {field: kinds[kind] for field, kind in spec.fields}
        case = {"properties": {"on": {"const": name}}, "required": ["on"]}
        cases.append({"if": case, "then": {"properties": fields}})
    return {"allOf": cases}


class Rule(Matcher):
    """On an event that matches, do effects."""

    name: Word | None = key("what its dice are named for; by default its event and its number among the rules on it", '"pearls_of_eels"', default=None)
    do: Effects = key("the effects", "[ { score = 10 } ]")


class Tallying(Matcher):
    """How a tally adds up what matches."""

    count: Amount | None = key("how often it must come", "3", default=None)
    sum: Word | None = key("the field that is added up", '"amount"', default=None)
    best: Word | None = key("the field whose largest value counts", '"depth"', default=None)
    least: Word | None = key("the field whose smallest value counts", '"time"', default=None)
    distinct: Word | None = key("the field whose different values are counted", '"place"', default=None)
    within: Stretch | None = key("only what is no older than this counts", "10.0", default=None)
    reset_on: Word | None = key("the event that sets it back to nothing", '"died"', default=None)
    who: Choice = key("whose events count: one's own, the team's, or anyone's", '"team"', default="self", among=("self", "team", "anyone"))

    def in_a_row(self) -> Days | None:
        """Return what it counts in a row; None where it adds up."""
        return None

    def way(self) -> tuple[str, str]:
        """Return how it adds up and over which field: ("count", ""), ("sum", "amount")…"""
        for how in ("sum", "best", "least", "distinct"):
            field = getattr(self, how)
            if field is not None:
                return how, field
        return "count", ""
