"""Arguments: whether what a game gives can be used: numbers, names, truths, things of this world. Start at
`checked`."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial, wraps

from cleaver.core.kernel.expressions import MOST
from cleaver.errors import AmountError, UsageError, said

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, TypeVar

    F = TypeVar("F", bound=Callable[..., Any])

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


def _truth(what: str, value: Any) -> None:
    if not isinstance(value, bool):
        raise UsageError(f"{what} is {said(value)}; it must be True or False")


def _texts(what: str, value: Any) -> None:
    if not isinstance(value, (tuple, list)) or not all(isinstance(item, str) for item in value):
        raise UsageError(f"{what} is {said(value)}; it must be a tuple of texts")


def _design(what: str, value: Any) -> None:
    if not any(cls.__module__ == "cleaver.design.design" for cls in type(value).__mro__):
        raise UsageError(
            f"{what} is {said(value)}; it must be a Design, as load_design and with_values return"
        )


def _made_by(module: str, name: str) -> Callable[[str, Any], None]:
    def check(what: str, value: Any) -> None:
        # A world of one's own may be of a class of one's own.
        if not any(cls.__name__ == name and cls.__module__ == module for cls in type(value).__mro__):
            own = {"World": "a World", "Autosaver": "an Autosaver"}
            right = own.get(name, f"the {name} that the world gave you")
            raise UsageError(f"{what} is {said(value)}; it must be {right}")

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


_CHECKS: dict[str, Callable[[str, Any], Any]] = {
    "str": text,
    "bool": _truth,
    "tuple[str, ...]": _texts,
    "Actor": _made_by("cleaver.core.handles", "Actor"),
    "Design": _design,
    "Autosaver": _made_by("cleaver.saves.autosave", "Autosaver"),
    "Hearer": to_call,
    "Callable[[], Any]": to_call,
    "Callable[[], bool]": to_call,
    "Callable[[Place], Point]": to_call,
    "Iterable[tuple[Actor | str, Actor | str]]": _pairs,
    "Label": text,  # which word, the call looks at itself
    "Placement": _made_by("cleaver.core.views", "Placement"),
    "World": _made_by("cleaver.core.world", "World"),
    "Point": _point,
    "Profile": _made_by("cleaver.core.profile", "Profile"),
    "Mapping[str, Any]": _table,
    "Mapping[str, float]": _table,
    "Mapping[str, int]": _table,
    "Mapping[str, str]": _words,
    "Keep": text,  # which word, the call looks at itself
    "tuple[HitStep, ...]": _texts,
}
_BY_THE_CALL = ("float", "int", "tuple[float, ...]", "Any", "")
"""Numbers and the like, which each call looks at itself."""


def _check_of(annotation: str) -> Callable[[str, Any], Any] | None:
    """Return the check of what a parameter is annotated with, as written; None for numbers, which each call
    checks itself."""
    parts = [annotation] if annotation in _CHECKS else annotation.split(" | ")
    unknown = [part for part in parts if part not in _CHECKS and part not in ("None", *_BY_THE_CALL)]
    if unknown:
        raise TypeError(f"no check is known of an argument annotated {unknown[0]}; add one to _CHECKS")
    checks = [_CHECKS[part] for part in parts if part in _CHECKS]
    if not checks or any(part in _BY_THE_CALL for part in parts):
        return None
    empty = "None" in parts
    somebody = "Actor" in parts and "str" in parts

    def check(what: str, value: Any) -> None:
        if empty and value is None:
            return
        for one in checks:
            try:
                one(what, value)
            except UsageError as error:
                trouble = error
            else:
                return
        if somebody:
            wanted = "an actor or a placement" if "Placement" in parts else "an actor"
            raise UsageError(f"{what} is {said(value)}; it must be {wanted} of this world, or its id")
        raise trouble

    return check


def check_plan(method: Callable[..., Any]) -> list[tuple[int, str, Callable[[str, Any], Any]]]:
    """Return the checks of a method's arguments: the place and the name of each, itself the first."""
    names = method.__code__.co_varnames[: method.__code__.co_argcount + method.__code__.co_kwonlyargcount]
    return [
        (index, name, check)
        for index, name in enumerate(names)
        if (check := _check_of(str(method.__annotations__.get(name, "")))) is not None
    ]


def checked(method: F) -> F:
    """Let a public method look at the types of its arguments before anything else, by what they are annotated
    with.

    Raises, when called:
        UsageError: An argument of another type; nothing has changed.
    """
    plan = check_plan(method)

    @wraps(method)
    def call(*args: Any, **named: Any) -> Any:
        given = len(args)
        for index, name, check in plan:
            if index < given:
                check(name, args[index])
            elif name in named:
                check(name, named[name])
        return method(*args, **named)

    return call  # type: ignore[return-value]  # the same call


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
