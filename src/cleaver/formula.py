"""Formulas: a number or a truth worked out from named values.

A safe part of Python's expression syntax. A text is parsed, every node checked against a short list, its
types worked out, and a new tree built of it: nodes for what it reads, constants as constants. That tree is
compiled to one Python function that takes its scope as an argument. No text of a formula is ever put together
with code, so nothing of it can call, import, loop or grow without bound. What a name means is not known here:
the caller passes `names`, which says of a dotted path what type it has. Read by `parsing`, kept here as a
value. Start at `Formula`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from math import sqrt

from cleaver.errors import UnknownNameError
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    import ast
    from typing import Any, Literal

    Type = Literal["number", "truth", "text", "words"]
else:
    Any, Type = object, str

MAX_EXPONENT = 1_024  # of ** with a whole exponent
MAX_BITS = 1_024  # of a whole number that ** may give
CLOSE = 1e-9  # what scripts call equal

Parts = tuple[str, ...]
Reader = Callable[[Any], Any]


class Names:
    """What the names of a formula mean; the caller's subclass knows.

    `path` returns (type, reference) of a dotted path and raises `UnknownNameError`; `text_argument` returns
    the reference behind ``near``, ``placed`` and ``held``.
    """

    def path(self, parts: Parts) -> tuple[Type, Any]:
        """Return the type of a path and a reference that a reader is later made from."""
        raise UnknownNameError("name", ".".join(parts))

    def written(self, name: str) -> str | None:
        """Return the text that a named formula stands for; None where a name is none."""
        return None

    def call(self, function: str, word: str) -> Any:
        """Return the reference for one of the functions that look at the world."""
        raise UnknownNameError("function", function)


def _power(base: float, exponent: float) -> float:
    """Whole powers by repeated multiplication, so that the same bits come out everywhere."""
    if exponent != int(exponent):
        if base < 0:
            raise ArithmeticError("takes a fractional power of a negative number")
        return math.pow(base, exponent)
    count = int(exponent)
    if abs(count) > MAX_EXPONENT:
        raise ArithmeticError(f"takes a power beyond {MAX_EXPONENT}")
    if isinstance(base, int) and base.bit_length() * abs(count) > MAX_BITS:
        base = float(base)
    result: float = 1
    for _ in range(abs(count)):
        result = result * base
    return result if count >= 0 else 1 / result


def _clamp(value: float, low: float, high: float) -> float:
    return low if value < low else min(value, high)


def _root(value: float) -> float:
    if value < 0:
        raise ArithmeticError("takes the square root of a negative number")
    return sqrt(value)


def _floor(value: float) -> int:
    return int(value // 1)


def _ceil(value: float) -> int:
    return -int(-value // 1)


def same_value(left: object, right: object) -> bool:
    """Return whether two values are equal as scripts see it: numbers within 1e-9."""
    if isinstance(left, (int, float)) and isinstance(right, (int, float)):
        return left == right or abs(left - right) <= CLOSE * max(1.0, abs(left), abs(right))
    return left == right


_GLOBALS: dict[str, Any] = {
    "__builtins__": {},
    "min": min,
    "max": max,
    "abs": abs,
    "floor": _floor,
    "ceil": _ceil,
    "round": half_up,
    "clamp": _clamp,
    "sqrt": _root,
    "bool": bool,
    "_power": _power,
    "_same": same_value,
}


class Formula:
    """A formula that was checked: its text, its type, and what it reads.

    `tree` is the checked syntax tree, kept for other back ends; `reads` are the references that `Names` gave,
    each once, beside the text they stand for.
    """

    __slots__ = ("code", "reads", "text", "tree", "type")
    text: str
    code: ast.expr
    reads: tuple[tuple[str, Any], ...]
    tree: ast.expr

    def __init__(
        self, text: str, kind: Type, code: ast.expr, reads: tuple[tuple[str, Any], ...], tree: ast.expr
    ) -> None:
        self.text, self.type, self.code, self.reads, self.tree = text, kind, code, reads, tree

    def compile(self, reader: Callable[[Any], Reader]) -> Reader:
        """Return the formula as a function of a scope `s`; *reader* makes a function of each reference.

        A function that has `inline`, an `Inline`, says how to read the same from `s` without a call.
        """
        import ast  # slow to import, and a program that loads no design needs none

        space, reads = dict(_GLOBALS), dict[str, ast.expr]()
        for index, (_, reference) in enumerate(self.reads):
            name = f"_r{index}"
            read = space[name] = reader(reference)
            inline: Inline | None = getattr(read, "inline", None)
            if inline is not None:
                reads[name] = inline.tree(name)
        arguments = ast.arguments([], [ast.arg("s")], kwonlyargs=[], kw_defaults=[], defaults=[])
        function = ast.Expression(ast.Lambda(arguments, _in_place(self.code, reads) if reads else self.code))
        made: Reader = eval(compile(ast.fix_missing_locations(function), "<formula>", "eval"), space)
        return made


class Inline:
    """How to read something from a scope `s` without a call: an expression of Cleaver's own, in which some
    names stand for constants, and ``read`` for the function itself.

    Args:
        text: The expression, a literal of the code that makes this; never a text of a design.
        values: What stands for each of its other names, as a constant.
    """

    __slots__ = ("text", "values")
    text: str
    values: dict[str, str]

    def __init__(self, text: str, **values: str) -> None:
        self.text, self.values = text, values

    def tree(self, read: str) -> ast.expr:
        """Return the expression as a tree, for a function that stands under the name *read*."""
        import ast

        found = _TREES.get(self.text)
        if found is None:
            found = _TREES[self.text] = ast.parse(self.text, mode="eval").body
        constants: dict[str, ast.expr] = {name: ast.Constant(value) for name, value in self.values.items()}
        made: ast.expr = _in_place(found, {**constants, "read": called(read)})
        return made


def called(name: str) -> ast.expr:
    """Return the tree of ``name(s)``."""
    import ast

    return ast.Call(ast.Name(name, ast.Load()), [ast.Name("s", ast.Load())], [])


_TREES: dict[str, ast.expr] = {}  # of the texts of `Inline`


def _in_place(node: Any, put: dict[str, ast.expr]) -> Any:
    """Return a copy of a tree with other nodes in place of the names and calls by name that are in *put*."""
    name = getattr(node, "id", None) or getattr(getattr(node, "func", None), "id", None)
    if name in put:
        return put[name]
    made = type(node)()
    for field in node._fields:
        value = getattr(node, field)
        if isinstance(value, list):
            value = [_in_place(one, put) for one in value]
        elif hasattr(value, "_fields"):
            value = _in_place(value, put)
        setattr(made, field, value)
    return made


def failing(error: ArithmeticError) -> str:
    """Return what an error of arithmetic means to whoever wrote the formula."""
    if isinstance(error, ZeroDivisionError):
        return "divides by zero"
    if isinstance(error, OverflowError):
        return "gives a number too large to hold"
    return str(error)
