"""Arguments: whether what a game gives can be used: numbers, names, truths, things of this world. Start at
`checked`."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial, wraps

from cleaver.core.kernel.expressions import MOST
from cleaver.errors import AmountError, UsageError, said

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any, TypeVar

    F = TypeVar("F", bound=Callable[..., Any])
    Plan = list[tuple[int, str, Callable[[str, Any], Any]]]

LONGEST_NAME = 200
_LARGE = 1.7e308  # larger numbers are infinite, or whole ones that no float holds


def plain(value: Any) -> Any:
    """Return a number from elsewhere (of numpy, say, or of a class of its own) as one of Python's own; what
    is none as it is."""
    if type(value) in (int, float, bool, str):
        return value
    if hasattr(value, "__index__") and not isinstance(value, bool):
        return value.__index__()
    import numbers  # only where there is such a number

    return float(value) if isinstance(value, numbers.Real) and not isinstance(value, bool) else value


def finite(value: Any) -> bool:
    """Return whether *value* is a number, and finite; also a whole one beyond all floats is not."""
    return isinstance(value, (int, float)) and not isinstance(value, bool) and -_LARGE <= value <= _LARGE


def text(what: str, value: Any) -> Any:
    """Return *value* if it is a text."""
    if not isinstance(value, str):
        raise UsageError(f"{what} is {said(value)}; it must be a text")
    return value


def _one_line(value: str) -> bool:
    """Return whether a text has no zero characters, line breaks or halves of surrogate pairs."""
    halves = any("\ud800" <= letter <= "\udfff" for letter in value)
    return not halves and "\0" not in value and len(f"{value}.".splitlines()) == 1


def own_name(what: str, value: Any) -> Any:
    """Return *value* if something new may be called so: a text that can be written anywhere."""
    return line(what, value, LONGEST_NAME)


def line(what: str, value: Any, longest: int) -> Any:
    """Return *value* if it is one line of text of so many letters, which can be written anywhere."""
    value = text(what, value)
    # What is printable is on one line and whole: most names are.
    if len(value) > longest or not (value.isprintable() or _one_line(value)):
        raise UsageError(
            f"{what} is {said(value)}; it must be a text of at most {longest} letters, on one line, "
            "without zero characters and halves of surrogate pairs"
        )
    return value


class Kind:
    """What an argument is: how it is looked at before anything else is done, and what it is called where it
    is written.

    `of` says what it names or holds, such as "actor" or "attack"; it is what a word of a script stands for.
    """

    __slots__ = ("check", "label", "of")
    of: str
    check: Callable[[str, Any], Any] | None
    label: str

    def __init__(self, of: str, check: Callable[[str, Any], Any] | None = None, label: str = "") -> None:
        self.of, self.check, self.label = of, check, label

    def named(self, label: str) -> Kind:
        """Return the same under another word."""
        return Kind(self.of, self.check, label)


def maybe(kind: Kind) -> Kind:
    """Return a kind of argument that may be None."""
    look = kind.check

    def check(what: str, value: Any) -> None:
        if value is not None and look is not None:
            look(what, value)

    return Kind(kind.of, check, kind.label)


def _truth(what: str, value: Any) -> None:
    if not isinstance(value, bool):
        raise UsageError(f"{what} is {said(value)}; it must be True or False")


def _texts(what: str, value: Any) -> None:
    if not isinstance(value, (tuple, list)) or not all(isinstance(item, str) for item in value):
        raise UsageError(f"{what} is {said(value)}; it must be a tuple of texts")


def _is_a(value: Any, module: str, name: str = "") -> bool:
    """Return whether a value is of a class of Cleaver's; a world of one's own may be of a class of one's
    own."""
    return any(cls.__module__ == module and name in ("", cls.__name__) for cls in type(value).__mro__)


def _of_class(module: str, name: str, right: str) -> Callable[[str, Any], None]:
    def check(what: str, value: Any) -> None:
        if not _is_a(value, module, name):
            raise UsageError(f"{what} is {said(value)}; it must be {right}")

    return check


def _somebody(classes: Mapping[str, str], right: str) -> Callable[[str, Any], None]:
    """Return the check of a handle of one of some classes, by their modules, or an id."""

    def check(what: str, value: Any) -> None:
        if not isinstance(value, str) and not any(_is_a(value, classes[name], name) for name in classes):
            raise UsageError(f"{what} is {said(value)}; it must be {right} of this world, or its id")

    return check


def _pairs(what: str, value: Any) -> None:
    if isinstance(value, str) or not hasattr(value, "__iter__"):
        raise UsageError(f"{what} is {said(value)}; it must be pairs, such as [(eel, ana)]")


def to_call(what: str, value: Any) -> None:
    """Refuse what cannot be called, and an async function, which nobody would wait for."""
    if not callable(value):
        raise UsageError(f"{what} is {said(value)}; it must be something to call")
    while isinstance(value, partial):
        value = value.func
    called = value if hasattr(value, "__code__") else type(value).__call__
    code = getattr(called, "__code__", None)
    if code is not None and code.co_flags & _ASYNC:
        raise UsageError(
            f"{what} is {said(value)}, an async function, and nobody would wait for it; give a plain one "
            "that begins it: asyncio.get_running_loop().create_task(…)"
        )


_ASYNC = 0x80 | 0x100 | 0x200  # CO_COROUTINE, CO_ITERABLE_COROUTINE, CO_ASYNC_GENERATOR


def _table(what: str, value: Any) -> None:
    if not isinstance(value, dict) or not all(isinstance(key, str) for key in value):
        raise UsageError(f"{what} is {said(value)}; it must be a table by name")


def _words(what: str, value: Any) -> None:
    _table(what, value)
    if not all(isinstance(word, str) for word in value.values()):
        raise UsageError(f"{what} is {said(value)}; it must be a table of texts by name")


def _point(what: str, value: Any) -> None:
    if not isinstance(value, (tuple, list)) or len(value) != 2 or not all(map(finite, value)):
        raise UsageError(f"{what} is {said(value)}; it must be two numbers, such as (3, 4)")


_HANDLES, _VIEWS = "cleaver.core.handles", "cleaver.core.views"
NUMBER = Kind("number")
"""Of any number the call itself says whether it is right."""
TEXT = Kind("text", text)
TRUTH = Kind("truth", _truth)
TEXTS = Kind("texts", _texts)
CALL = Kind("call", to_call)
PAIRS = Kind("pairs", _pairs)
TABLE = Kind("table", _table)
WORDS = Kind("words", _words)
POINT = Kind("point", _point)
HANDLE = Kind("actor", _of_class(_HANDLES, "Actor", "the Actor that the world gave you"))
ACTOR = Kind("actor", _somebody({"Actor": _HANDLES}, "an actor"))
THING = Kind("thing", _somebody({"Actor": _HANDLES, "Placement": _VIEWS}, "an actor or a placement"))
PLACEMENT = Kind("placement", _of_class(_VIEWS, "Placement", "the Placement that the world gave you"))
WORLD = Kind("world", _of_class("cleaver.core.world", "World", "a World"))
PROFILE = Kind("profile", _of_class("cleaver.core.profile", "Profile", "the Profile that the world gave you"))
DESIGN = Kind(
    "design", _of_class("cleaver.design.design", "", "a Design, as load_design and with_values return")
)
SAVER = Kind("saver", _of_class("cleaver.saves.autosave", "Autosaver", "an Autosaver"))


def checked(**kinds: Kind) -> Callable[[F], F]:
    """Let a public method look at arguments before anything else: each by its name and its kind.

    Raises, when called:
        UsageError: An argument of another kind; nothing has changed.
    """

    def wrapped(method: F) -> F:
        plan = plan_of(method, kinds)

        @wraps(method)
        def call(*args: Any, **named: Any) -> Any:
            look(plan, args, named)
            return method(*args, **named)

        return call  # type: ignore[return-value]  # the same call

    return wrapped


def plan_of(method: Callable[..., Any], kinds: Mapping[str, Kind]) -> Plan:
    """Return the checks of a method's arguments: the place and the name of each, itself the first."""
    code = method.__code__
    names = code.co_varnames[: code.co_argcount + code.co_kwonlyargcount]
    unknown = [name for name in kinds if name not in names]
    if unknown:
        raise TypeError(f"{method.__qualname__} has no argument {unknown[0]}")
    return [
        (index, name, check)
        for index, name in enumerate(names)
        if name in kinds and (check := kinds[name].check) is not None
    ]


def look(plan: Plan, args: tuple[Any, ...], named: Mapping[str, Any]) -> None:
    """Look at arguments by a plan; raises `UsageError` where one is wrong."""
    given = len(args)
    for index, name, check in plan:
        if index < given:
            check(name, args[index])
        elif name in named:
            check(name, named[name])


def amount(what: str, value: Any, *, most: float = MOST) -> Any:
    """Return *value* if it can be an amount: finite, 0 or more. The direction is in the verb, never in the
    sign."""
    value = plain(value)
    if not finite(value) or not 0 <= value <= most:
        right = (
            "a finite number, 0 or more (the direction is in the verb: heal, hurt)"
            if most == MOST
            else f"a number from 0 to {most:g}"
        )
        raise AmountError(what, value, right)
    return value


def number(what: str, value: Any) -> Any:
    """Return *value* if it is a number that can be kept: finite, and within ±(2**63 - 1)."""
    value = plain(value)
    if not finite(value) or not -MOST <= value <= MOST:
        raise AmountError(what, value, f"a finite number within ±{MOST}")
    return value


def whole(what: str, value: Any) -> int:
    """Return *value* if it is a whole number, 0 or more."""
    value = plain(value)
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= MOST:
        raise AmountError(what, value, f"a whole number from 0 to {MOST}")
    return value


def whole_if(number: float) -> float:
    """Return a number as a whole one where it is."""
    return int(number) if number == int(number) else number
