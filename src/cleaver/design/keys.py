"""Keys: how a key of a design is declared, in one line, and what reads it.

A table of the design file is a class, a key of it an annotated attribute: the annotation says what it holds,
`key` what it means, an example, its default and its bounds. The reader, which finds all errors at once, the
JSON Schema and the reference follow from that line. Knows nothing of games. Start at `KeyTable` and `key`.
"""

from __future__ import annotations

from collections.abc import Callable
from types import GenericAlias, UnionType

from cleaver.design.lines import Path, is_bare
from cleaver.errors import DesignError, Problem, advice, said

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, ClassVar, dataclass_transform

    Tell = Callable[[Path, str, str], None]
    Shape = dict[str, Any]
else:

    def dataclass_transform(**_):
        """Do nothing: only checkers read it."""
        return lambda cls: cls


WRONG: Any = object()
"""What reading gives where something was wrong, and told."""
REQUIRED: Any = object()


class Type:
    """What a key may hold; made with settings that stand in place of those of its class.

    `name` is what the schema keeps it under, where it is used in many places; `words` are for the reference.
    """

    name: str = ""
    words: str = "any"
    wanted: str = "another value"

    def __init__(self, **settings: Any) -> None:
        vars(self).update(settings)

    def bounded(self, **bounds: Any) -> Type:
        """Return it with other settings, and no name."""
        return type(self)(**{**vars(self), "name": "", **bounds})

    def takes(self, value: Any) -> bool:
        """Return whether a value is of the right kind at all, in range or not."""
        return True

    def check(self, value: Any) -> tuple[str, str] | None:
        """Return what is wrong with a value of the right kind, and what would be right; None for nothing."""
        return None

    def made(self, value: Any) -> Any:
        """Return a value that is right as the design has it."""
        return value

    def read(self, value: Any, path: Path, tell: Tell) -> Any:
        """Return a value as the design has it; tells what is wrong and returns `WRONG` otherwise."""
        wrong = self.check(value) if self.takes(value) else (f"is {said(value)}", f"it must be {self.wanted}")
        if wrong is not None:
            tell(path, *wrong)
            return WRONG
        return self.made(value)

    def shape(self, shapes: Shapes) -> Shape:
        """Return the JSON Schema of it."""
        return {}

    def __or__(self, other: Any) -> Type:
        return Optional(inner=self) if other is None else Either(self, type_of(other))

    def __ror__(self, other: Any) -> Type:
        return Either(type_of(other), self)


class Shapes:
    """The shared parts of a schema, each made once and referred to.

    `partial` makes tables of which another entry may give what is missing: those inside an entry that says
    `like`; lists are replaced whole, so what is in them is whole.
    """

    def __init__(self, parts: dict[str, Shape] | None = None, *, partial: bool = False) -> None:
        self.parts: dict[str, Shape] = {} if parts is None else parts
        self.partial = partial

    @property
    def whole(self) -> Shapes:
        """The same parts, with what must be given."""
        return Shapes(self.parts)

    def of(self, kind: Type | type[KeyTable]) -> Shape:
        """Return the schema of a type: a reference where it has a name."""
        if isinstance(kind, Type):
            return self.part(kind.name, kind.shape) if kind.name else kind.shape(self)
        return self.part(f"{kind.__name__}_part" if self.partial else kind.__name__, kind.shape)

    def alike(self, kind: type[KeyTable]) -> Shape:
        """Return the schema of a table that may say `like`, and then leave out what the other has."""
        partly = Shapes(self.parts, partial=True)
        like = partly.part(f"{kind.__name__}_like", lambda shapes: _with_like(kind.shape(shapes)))
        if self.partial:
            return like
        whole = {"if": {"required": ["like"]}, "then": like, "else": self.of(kind)}
        return self.part(f"{kind.__name__}_or_like", lambda _: whole)

    def part(self, name: str, shape: Callable[[Shapes], Shape]) -> Shape:
        """Return a reference to the shared part of a name, which *shape* makes once."""
        if name not in self.parts:
            self.parts[name] = {}  # it may be inside itself
            self.parts[name] |= shape(self)
        return {"$ref": f"#/$defs/{name}"}


def _with_like(shape: Shape) -> Shape:
    told = 'another entry that it is like, but for what it says itself; for example like = "eel"'
    shape["properties"]["like"] = {"type": "string", "description": told}
    return shape


class Number(Type):
    """A number within bounds, or a whole one."""

    ge: float | None = None
    gt: float | None = None
    le: float | None = None
    whole: bool = False

    @property
    def wanted(self) -> str:  # type: ignore[override]
        return "a whole number" if self.whole else "a number"

    @property
    def words(self) -> str:  # type: ignore[override]
        if self.ge is None:
            return self.wanted + (f" above {self.gt:g}" if self.gt is not None else "")
        to = f" from {self.ge:g} to {self.le:g}" if self.le is not None and self.le < 1e6 else ""
        return self.wanted + (to or f", {self.ge:g} or more")

    def takes(self, value: Any) -> bool:
        return isinstance(value, int if self.whole else (int, float)) and not isinstance(value, bool)

    def check(self, value: Any) -> tuple[str, str] | None:
        right = ""
        if self.gt is not None and not value > self.gt:
            right = f"greater than {self.made(self.gt)}"
        elif self.ge is not None and not value >= self.ge:
            right = f"{self.made(self.ge)} or more"
        elif self.le is not None and not value <= self.le:
            right = f"at most {self.made(self.le)}"
        if value != value or not -LARGEST <= value <= LARGEST:
            right = "a finite number"
        return (f"is {said(value)}", f"it must be {right}") if right else None

    def made(self, value: Any) -> Any:
        return int(value) if self.whole else float(value)

    def shape(self, shapes: Shapes) -> Shape:
        bounds = {"minimum": self.ge, "exclusiveMinimum": self.gt, "maximum": self.le}
        told = {key: bound for key, bound in bounds.items() if bound is not None}
        return {"type": "integer" if self.whole else "number", **told}


LARGEST = 1.7976931348623157e308


class Truth(Type):
    """true or false."""

    words = wanted = "true or false"

    def takes(self, value: Any) -> bool:
        return isinstance(value, bool)

    def shape(self, shapes: Shapes) -> Shape:
        return {"type": "boolean"}


class Text(Type):
    """A text of so many characters."""

    words = wanted = "a text"
    low: int = 0
    high: int | None = None

    def takes(self, value: Any) -> bool:
        return isinstance(value, str)

    def check(self, value: Any) -> tuple[str, str] | None:
        if len(value) < self.low:
            return f"is {said(value)}", f"it must have {self.low} characters or more"
        if self.high is not None and len(value) > self.high:
            return f"is a text of {len(value):,} characters", f"it may have {self.high:,}"
        return None

    def shape(self, shapes: Shapes) -> Shape:
        bounds = {"minLength": self.low} if self.low else {}
        return {"type": "string", **bounds, **({"maxLength": self.high} if self.high is not None else {})}


class OneOf(Type):
    """One of a few words."""

    among: tuple[str, ...] = ()

    @property
    def words(self) -> str:  # type: ignore[override]
        return ", ".join(f'"{word}"' for word in self.among)

    def check(self, value: Any) -> tuple[str, str] | None:
        if isinstance(value, str) and value in self.among:
            return None
        near = advice(str(value), self.among, lead="allowed").removeprefix("allowed: ")
        return f"is {said(value)}", f"it must be one of {near}"

    def shape(self, shapes: Shapes) -> Shape:
        return {"enum": list(self.among)}


def refused(error: ValueError, path: Path, tell: Tell) -> Any:
    """Tell what an error says, what is wrong and what would be right with a semicolon between; returns
    `WRONG`."""
    wrong, _, right = str(error).partition("; ")
    tell(path, wrong, right)
    return WRONG


class Custom(Type):
    """Whatever a function of ours takes: it returns the value as the design has it, or raises `ValueError`
    with what is wrong, a semicolon, and what would be right."""

    def __init__(self, convert: Callable[[Any], Any], shape: Shape, words: str, **settings: Any) -> None:
        super().__init__(words=words, wanted=words, **settings)
        self._convert, self._shape = convert, shape

    def takes(self, value: Any) -> bool:
        return self.read(value, (), lambda *_: None) is not WRONG

    def read(self, value: Any, path: Path, tell: Tell) -> Any:
        try:
            return self._convert(value)
        except ValueError as error:
            return refused(error, path, tell)

    def shape(self, shapes: Shapes) -> Shape:
        return self._shape


class Optional(Type):
    """Something, or nothing where it is not given; a file has no word for that."""

    inner: Any

    @property
    def words(self) -> str:  # type: ignore[override]
        return kind_words(self.inner)

    def bounded(self, **bounds: Any) -> Type:
        return Optional(inner=self.inner.bounded(**bounds))

    def takes(self, value: Any) -> bool:
        return value is None or bool(self.inner.takes(value))

    def read(self, value: Any, path: Path, tell: Tell) -> Any:
        return None if value is None else self.inner.read(value, path, tell)

    def shape(self, shapes: Shapes) -> Shape:
        return shapes.of(self.inner)


class Either(Type):
    """One of several types: the first that a value is of the kind of."""

    def __init__(self, *types: Any, said: str = "") -> None:
        self._types, self._said = [type_of(one) for one in types], said

    @property
    def words(self) -> str:  # type: ignore[override]
        return " or ".join(dict.fromkeys(map(kind_words, self._types)))

    @property
    def wanted(self) -> str:  # type: ignore[override]
        return self._said or self.words

    def takes(self, value: Any) -> bool:
        return any(one.takes(value) for one in self._types)

    def read(self, value: Any, path: Path, tell: Tell) -> Any:
        fitting = next((one for one in self._types if one.takes(value)), None)
        if fitting is None and is_bare(value):
            fitting = self._types[-1]  # which says what is wrong with a number, or a formula
        return super().read(value, path, tell) if fitting is None else fitting.read(value, path, tell)

    def shape(self, shapes: Shapes) -> Shape:
        return {"anyOf": [shapes.of(one) for one in self._types]}


class Each(Type):
    """A list of any length within bounds, or of exactly so many; `alone`: one may stand without brackets."""

    inner: Any
    low: int = 0
    high: int | None = None
    alone: bool = False
    said: str = ""
    wanted = "a list"

    @property
    def words(self) -> str:  # type: ignore[override]
        one = kind_words(self.inner)
        if self.said or (self.low and self.low == self.high):
            return self.said or f"a list of {self.low} numbers"
        return f"{one} or a list: {one}" if self.alone else f"a list: {one}"

    def bounded(self, **bounds: Any) -> Type:
        own = {name: bounds.pop(name) for name in ("low", "high") if name in bounds}
        return super().bounded(**own, inner=self.inner.bounded(**bounds) if bounds else self.inner)

    def takes(self, value: Any) -> bool:
        return isinstance(value, (list, tuple)) or (self.alone and isinstance(value, str))

    def check(self, value: Any) -> tuple[str, str] | None:
        count, most = len(value), self.high
        if (self.alone and isinstance(value, str)) or (self.low <= count and (most is None or count <= most)):
            return None
        many = f"{self.low} or more" if most is None else f"{self.low} to {most}"
        return f"has {count} in it", f"it must have {self.low if most == self.low else many}"

    def read(self, value: Any, path: Path, tell: Tell) -> Any:
        value = super().read(value, path, tell)
        if value is WRONG:
            return WRONG
        value = [value] if isinstance(value, str) else value
        found = [self.inner.read(one, (*path, number), tell) for number, one in enumerate(value)]
        return WRONG if any(one is WRONG for one in found) else tuple(found)

    def shape(self, shapes: Shapes) -> Shape:
        one = shapes.whole.of(self.inner)
        bounds = {"minItems": self.low, "maxItems": self.high}
        whole = {"type": "array", "items": one, **{name: most for name, most in bounds.items() if most}}
        return {"anyOf": [one, whole]} if self.alone else whole


class Named(Type):
    """A table of anything by name."""

    names: Any
    inner: Any
    wanted = "a table"

    @property
    def words(self) -> str:  # type: ignore[override]
        return f"names, each with: {kind_words(self.inner)}"

    def bounded(self, **bounds: Any) -> Type:
        which = "names" if isinstance(self.names, OneOf) else "inner"
        return super().bounded(**{which: getattr(self, which).bounded(**bounds)})

    def takes(self, value: Any) -> bool:
        return isinstance(value, dict)

    def read(self, value: Any, path: Path, tell: Tell) -> Any:
        if super().read(value, path, tell) is WRONG:
            return WRONG
        found, right = {}, True
        for name, inner in value.items():
            named = self.names.read(name, (*path, name), tell)
            held = self.inner.read(inner, (*path, name), tell)
            found[named], right = held, right and named is not WRONG and held is not WRONG
        return found if right else WRONG

    def shape(self, shapes: Shapes) -> Shape:
        names, inner = shapes.of(self.names), shapes.of(self.inner)
        return {"type": "object", "propertyNames": names, "additionalProperties": inner}


def type_of(annotation: Any) -> Any:
    """Return the type that an annotation stands for: a `Type`, a `KeyTable`, or made of these."""
    if isinstance(annotation, Type) or (isinstance(annotation, type) and issubclass(annotation, KeyTable)):
        return annotation
    if isinstance(annotation, UnionType):
        several = [one for one in annotation.__args__ if one is not type(None)]
        inner = type_of(several[0]) if len(several) == 1 else Either(*several)
        return Optional(inner=inner) if len(several) < len(annotation.__args__) else inner
    if isinstance(annotation, GenericAlias):
        first, *others = (one if one is ... else type_of(one) for one in annotation.__args__)
        if annotation.__origin__ is dict:
            return Named(names=first, inner=others[0])
        many = {} if others[-1] is ... else {"low": 1 + len(others), "high": 1 + len(others)}
        return Each(inner=first, **many)
    raise TypeError(f"{annotation!r} is no type of a key")


def kind_words(kind: Any) -> str:
    """Return what a type or a table is called in the reference."""
    if isinstance(kind, Type):
        return kind.words
    bare = f" or {kind_words(kind.declared()[kind.bare].type)}" if kind.bare else ""
    return f"[[{kind.__name__}]]{bare}"


class Declaration:
    """One key of a table: what it holds, what it means, an example in TOML, its default, what it names."""

    __slots__ = ("alike", "attribute", "bounds", "default", "example", "meaning", "of", "type", "written")
    meaning: str
    example: str
    default: Any
    of: str
    alike: bool
    bounds: dict[str, Any]
    type: Any
    attribute: str
    written: str

    def __init__(
        self, meaning: str, example: str, default: Any, of: str, alike: bool, bounds: dict[str, Any]
    ) -> None:
        self.meaning, self.example, self.default = meaning, example, default
        self.of, self.alike, self.bounds = of, alike, bounds

    def named(self, attribute: str, annotation: Any) -> Declaration:
        """Let it know its attribute and what it holds; a key that is a word of Python has an attribute with a
        line below at its end."""
        self.attribute, self.written = attribute, attribute.rstrip("_")
        self.type = type_of(annotation)
        if self.bounds:
            self.type = self.type.bounded(**self.bounds)
        return self

    def shape(self, shapes: Shapes) -> Shape:
        """Return the JSON Schema of it, with what it means."""
        told = f"{self.meaning}; for example {self.written} = {self.example}"
        if self.alike:
            shape: Shape = self.type.shape(shapes)
            return shape | {"additionalProperties": shapes.alike(self.type.inner), "description": told}
        return {**shapes.of(self.type), "description": told}


def key(
    meaning: str, example: str, *, default: Any = REQUIRED, of: str = "", alike: bool = False, **bounds: Any
) -> Any:
    """Declare a key of a table.

    Args:
        meaning: What it means, in one line.
        example: An example as it stands in TOML.
        default: What it is where it is not given; without it, the key must be given.
        of: What it is a name of ("meter", "item"…), where the design must have one of that name.
        alike: Whether each entry of it may be `like` another one of them.
        bounds: Of a number: ``ge``, ``gt``, ``le``; of a text or a list: ``low``, ``high``; of a
            choice, or of what is made of choices: ``among``.
    """
    return Declaration(meaning, example, default, of, alike, bounds)


@dataclass_transform(kw_only_default=True, frozen_default=True, field_specifiers=(key,))
class KeyTable:
    """A table of the design file; unknown keys are refused, nothing in it changes once read.

    Raises:
        DesignError: Made in Python of keys that do not fit, all of them at once.
    """

    bare: ClassVar[str] = ""
    """The key that a number, or a formula, in place of the table is."""
    takes_more: ClassVar[bool] = False
    """Whether it takes keys that are not declared: fields of an event."""
    _keys: ClassVar[dict[str, Declaration] | None] = None
    _own: ClassVar[dict[str, Declaration]] = {}

    def __init_subclass__(cls) -> None:
        own = {name: value for name, value in vars(cls).items() if isinstance(value, Declaration)}
        cls._own, cls._keys = own, None
        for name, value in own.items():
            if value.default is REQUIRED:
                delattr(cls, name)
            else:
                setattr(cls, name, value.default)

    def __init__(self, **given: Any) -> None:
        own = [key for base in type(self).__mro__ for key in vars(base).get("_own", {}).values()]
        if not given and not any(key.default is REQUIRED for key in own):
            return  # nothing is read: defaults are made so while their module is still being loaded
        problems: list[Problem] = []

        def tell(path: Path, wrong: str, right: str) -> None:
            problems.append(Problem(type(self).__name__, 0, ".".join(map(str, path)), wrong, right))

        made = self.read({name.rstrip("_"): value for name, value in given.items()}, (), tell)
        if problems:
            raise DesignError(problems)
        vars(self).update(vars(made))

    @classmethod
    def declared(cls) -> dict[str, Declaration]:
        """Return the keys of the table as they are written, those of its base first."""
        if cls._keys is None:
            found: dict[str, Declaration] = {}
            for base in reversed(cls.__mro__):
                for name, own in vars(base).get("_own", {}).items():
                    made = own.named(name, base.__annotations__[name])
                    found[made.written] = made
            cls._keys = found
        return cls._keys

    @classmethod
    def takes(cls, value: Any) -> bool:
        return isinstance(value, (dict, cls)) or bool(cls.bare and is_bare(value))

    @classmethod
    def read(cls, value: Any, path: Path, tell: Tell) -> Any:
        if isinstance(value, cls):
            return value
        if cls.bare and is_bare(value):
            value = {cls.bare: value}
        if not isinstance(value, dict):
            tell(path, f"is {said(value)}", "it must be a table")
            return WRONG
        keys = cls.declared()
        found: dict[str, Any] = {}
        right = True
        for name, item in value.items():
            declared = keys.get(name)
            if declared is not None:
                held = declared.type.read(item, (*path, name), tell)
                found[declared.attribute], right = held, right and held is not WRONG
            elif cls.takes_more:
                found.setdefault("_more", {})[name] = item
            else:
                tell((*path, name), f"unknown key {said(name)}", advice(str(name), list(keys)))
                right = False
        for name, declared in keys.items():
            if declared.default is REQUIRED and name not in value:
                tell((*path, name), "is missing", f"give it a value: {name} = …")
                right = False
        if not right:
            return WRONG
        made = cls.__new__(cls)
        vars(made).update(found)
        return made

    @classmethod
    def shape(cls, shapes: Shapes) -> Shape:
        properties = {name: declared.shape(shapes) for name, declared in cls.declared().items()}
        if shapes.partial:  # what is the same as in the whole table is said there
            shapes.whole.of(cls)
            place = f"#/$defs/{cls.__name__}{'/anyOf/0' if cls.bare else ''}/properties"
            for name, declared in cls.declared().items():
                if properties[name] == declared.shape(shapes.whole):
                    properties[name] = {"$ref": f"{place}/{name}"}
        whole: Shape = {"type": "object", "description": cls.__doc__, "properties": properties}
        required = [name for name, declared in cls.declared().items() if declared.default is REQUIRED]
        if required and not shapes.partial:
            whole["required"] = required
        if not cls.takes_more:
            whole["additionalProperties"] = False
        return {"anyOf": [whole, shapes.of(cls.declared()[cls.bare].type)]} if cls.bare else whole

    def written(self) -> dict[str, Any]:
        """Return the keys that were given, as they stand in a file."""
        given = vars(self)
        told = {name: given[one.attribute] for name, one in self.declared().items() if one.attribute in given}
        return {**told, **given.get("_more", {})}

    def __setattr__(self, name: str, value: Any) -> None:
        raise AttributeError(f"{type(self).__name__} cannot be changed; make another one")

    def __eq__(self, other: object) -> bool:
        return type(other) is type(self) and self._all() == other._all()

    def __hash__(self) -> int:
        return hash(type(self))

    def _all(self) -> dict[str, Any]:
        told = {name: getattr(self, one.attribute) for name, one in self.declared().items()}
        return {**told, **vars(self).get("_more", {})}

    def __repr__(self) -> str:
        told = ", ".join(f"{name}={value!r}" for name, value in self.written().items())
        return f"{type(self).__name__}({told})"
