"""Commands: every way in which a game changes a world, each declared once, on the method that does it.

From a declaration come the checks of arguments, the line that a journal writes, the command of scripts with
its usage, completion and help, and what a client may ask for. Start at `command`.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps

from cleaver.core.kernel.arguments import (
    ACTOR,
    CALL,
    DESIGN,
    NUMBER,
    PLACEMENT,
    PROFILE,
    TABLE,
    TEXTS,
    THING,
    TRUTH,
    Kind,
    look,
    maybe,
    plan_of,
    text,
)
from cleaver.core.kernel.door import Call
from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any, TypeVar

    F = TypeVar("F", bound=Callable[..., Any])
    Says = str | Callable[[Any, Any, Mapping[str, Any]], str]
else:
    Says = object

GIVEN = object()
"""The default of an argument that must be given."""


def _name_of(of: str) -> Kind:
    """Return the kind of a text that names something, such as an attack."""
    return Kind(of, text)


MAYBE_ATTACK = maybe(_name_of("attack"))
ON = maybe(ACTOR)
WORN, GEAR = Kind("worn", text, "item"), Kind("gear", text, "item")
EXCHANGE, INPUT = _name_of("exchange").named("exchange"), _name_of("input").named("input")
PLAYER_KIND, OTHER_KIND = Kind("player_kind", text, "kind"), Kind("other_kind", text, "kind")
ANYBODY = Kind("anybody", text, "actor")
"""The id of an actor, or nobody: "-" in a script."""
VALUE = Kind("input_value", label="value")
"""What an input stands at; None for the design's own."""
GOODS = Kind("goods", TABLE.check)
FIELDS = Kind("fields", TABLE.check)
STEPS = Kind("steps", TEXTS.check)
NEW = Kind("new", text, "name")
"""The id of something that comes."""
WHOLE = Kind("whole")
JSON = Kind("json")

# fmt: off
_NAMES = (
    "zone", "type", "meter", "tag", "status", "pulse", "pickup", "currency", "item", "rating", "levels",
    "stage", "giver", "quest", "team", "achievement", "event", "reason", "keep", "attack",
    "stat", "ability",
)
PARAMETERS: dict[str, Kind] = {
    **{name: _name_of(name) for name in _NAMES},
    **dict.fromkeys(("target", "actor", "one", "other", "owner"), ACTOR),
    **dict.fromkeys(("amount", "value", "fraction", "lasts", "x", "y", "z"), NUMBER),
    **dict.fromkeys(("times", "points", "count", "most", "day", "revision"), WHOLE),
    "instead": GEAR, "source": maybe(ACTOR), "thing": THING, "placement": PLACEMENT, "name": NEW,
    "ignores": STEPS,
    "crit": maybe(TRUTH), "posthumous": TRUTH, "at": Kind("spot", label="x,y"), "profile": maybe(PROFILE),
    "design": DESIGN, "gives": GOODS, "gives_back": GOODS, "fields": FIELDS, "inputs": Kind("inputs"),
    "seconds": NUMBER, "microseconds": WHOLE, "stop": maybe(CALL),
}
# fmt: on
"""What each argument of a command is, by its name: one name, one meaning. Where it is another for one
command, that says so itself."""


class Argument(NamedTuple):
    """One argument of a command: its name, what it is, its default, and whether it may stand without its name
    (`word`) or is as many as there are (`many`)."""

    name: str
    kind: Kind
    default: Any
    word: bool
    many: bool

    @property
    def told(self) -> bool:
        """Whether its word stands in a line whatever it is."""
        return self.required or self.kind.of == "anybody"

    @property
    def required(self) -> bool:
        """Whether it must be given."""
        return self.default is GIVEN and not self.many


class LinePart(NamedTuple):
    """One part of a command's line: an argument, None for what the command is given to; the name of its
    option; what stands there as it is; and whether scripts take several, for as many commands."""

    argument: Argument | None
    option: str
    literal: str
    several: bool


class Declared:
    """One command as it is declared: the class it is given to, its name in Python, and what `command` was
    given."""

    __slots__ = ("_arguments", "_parts", "example", "kinds", "line", "method", "name", "of", "says", "theme")
    of: str
    name: str
    line: str
    theme: str
    example: str
    says: Says
    kinds: dict[str, Kind]
    method: Callable[..., Any]

    def __init__(
        self,
        method: Callable[..., Any],
        line: str,
        theme: str,
        example: str,
        says: Says,
        kinds: dict[str, Kind],
        given_to: str = "",
    ) -> None:
        self.of, _, name = method.__qualname__.rpartition(".")
        self.of = given_to or self.of
        self.name = name if name.startswith("__") else name.removeprefix("_")
        self.method, self.theme, self.example, self.says, self.kinds = method, theme, example, says, kinds
        self.line = line or (self.name if self.of == "World" else f"{self.name} {{me}}")
        self._arguments: tuple[Argument, ...] | None = None
        self._parts: list[LinePart] | None = None

    @property
    def word(self) -> str:
        """The command's name in scripts."""
        return self.line.partition(" ")[0]

    @property
    def help(self) -> str:
        """What it does: the first sentence of the method's docstring."""
        told = " ".join((self.method.__doc__ or "").partition("\n\n")[0].split()).replace("*", "")
        told = told.partition(". ")[0]
        return told[:1].lower() + told[1:].rstrip(".")

    @property
    def arguments(self) -> tuple[Argument, ...]:
        """Its arguments, in the order of the method."""
        if self._arguments is None:
            code, method = self.method.__code__, self.method
            words = code.co_varnames[1 : code.co_argcount]
            options = code.co_varnames[code.co_argcount : code.co_argcount + code.co_kwonlyargcount]
            defaults: tuple[Any, ...] = method.__defaults__ or ()
            known = dict(zip(words[len(words) - len(defaults) :], defaults, strict=True))
            known |= method.__kwdefaults__ or {}
            found = [
                Argument(name, self.kinds[name], known.get(name, GIVEN), name in words, False)
                for name in (*words, *options)
            ]
            if code.co_flags & 0x08:  # CO_VARKEYWORDS
                name = code.co_varnames[code.co_argcount + code.co_kwonlyargcount]
                found.append(Argument(name, PARAMETERS[name], {}, False, True))
            self._arguments = tuple(found)
        return self._arguments

    @property
    def parts(self) -> list[LinePart]:
        """The parts of its line, in their order."""
        if self._parts is None:
            import re  # only where lines are written or read

            by_name = {one.name: one for one in self.arguments}
            self._parts = []
            for part in re.finditer(r"(?:(\w+)=)?\{(\w+)(…?)\}|\S+", self.line):
                option, name, many = part.groups(default="")
                self._parts.append(
                    LinePart(by_name.pop(name, None), option, "" if name else part[0], bool(many))
                )
            for one in by_name.values():
                option = "" if one.required else "by" if one.name == "source" else one.name
                self._parts.append(LinePart(one, option, "", False))
        return self._parts

    def given(self, args: tuple[Any, ...], options: Mapping[str, Any]) -> dict[str, Any]:
        """Return what a call gives, by the names of the arguments; those that were not given have their
        default.

        Raises:
            TypeError: It cannot be called so.
        """
        words = [one.name for one in self.arguments if one.word]
        found = dict(zip(words, args, strict=False))
        more = {name: value for name, value in options.items() if name not in found}
        if len(args) > len(words) or len(more) < len(options):
            raise TypeError(f"{self.name} is given too much")
        for one in self.arguments:
            if one.many:
                found[one.name] = more
            elif one.name not in found:
                found[one.name] = more.pop(one.name, one.default)
        if any(value is GIVEN for value in found.values()) or (
            more and not any(one.many for one in self.arguments)
        ):
            raise TypeError(f"{self.name} is not given so")
        return found


COMMANDS: dict[tuple[str, str], Declared] = {}
"""Every command, by the class that it is given to and its name in Python."""


def command(
    example: str, theme: str, *, line: str = "", says: Says = "", given_to: str = "", **kinds: Kind
) -> Callable[[F], F]:
    """Let a public method be a command of a world: its arguments are looked at, it goes through the door, and
    scripts, journals and rooms know it.

    A method whose name begins with one underscore is the general way of the command without it.

    Args:
        example: A line of a script.
        theme: What it is about, as the help of scripts lists it.
        line: How its line begins, ``{me}`` for what it is given to and ``{name}`` for an argument; arguments
            that are not named follow: those that must be given as words, others as options.
        says: What a script says once it is done: a text with the same names and ``{result}``, or a function
            of (me, result, arguments by name).
        given_to: The class that it is given to, where a base of it declares it.
        **kinds: What arguments are, where `PARAMETERS` says otherwise.
    """

    def declared(method: F) -> F:
        code = method.__code__
        names = code.co_varnames[1 : code.co_argcount + code.co_kwonlyargcount]
        missing = [name for name in names if name not in kinds and name not in PARAMETERS]
        if missing:
            raise TypeError(f"{method.__qualname__}: say what {missing[0]} is, here or in PARAMETERS")
        own = {name: kinds.get(name) or PARAMETERS[name] for name in names}
        made = Declared(method, line, theme, example, says, own, given_to)
        COMMANDS[made.of, made.name] = made
        plan = plan_of(method, own)

        @wraps(method)
        def call(self: Any, *args: Any, **named: Any) -> Any:
            look(plan, (self, *args), named)
            door = self._game
            door.depth += 1
            try:
                if door.observers:
                    return door.observed(Call(made, self, args, named), method)
                return method(self, *args, **named)
            finally:
                door.depth -= 1
                if door.asked is not None:
                    door.over()

        return call  # type: ignore[return-value]  # the same call

    return declared
