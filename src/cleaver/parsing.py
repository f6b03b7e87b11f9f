"""Parsing: a text as a checked formula.

Python's own parser makes the tree; every node is then held against a short list, its types are worked out,
and the tree that is compiled is built of new nodes. Apart from `formula`, as the parser is slow to import and
a program that loads no design needs none. Start at `parse`.
"""

from __future__ import annotations

import ast
import warnings
from collections.abc import Iterator
from copy import copy
from functools import lru_cache
from math import isfinite

from cleaver.errors import FormulaError, UnknownNameError
from cleaver.formula import Formula, Names, Parts, Type, called, failing

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

MAX_TEXT = 1_000  # characters
MAX_NODES = 300
MAX_DEPTH = 40
MAX_NUMBER = 10**18  # largest number that may be written down

_FUNCTIONS: dict[str, tuple[int, int]] = {  # least and most arguments
    "min": (2, 20),
    "max": (2, 20),
    "abs": (1, 1),
    "floor": (1, 1),
    "ceil": (1, 1),
    "round": (1, 1),
    "clamp": (3, 3),
    "sqrt": (1, 1),
}
_WORLD_FUNCTIONS = ("near", "placed", "held")
_ARITHMETIC = (ast.Add, ast.Sub, ast.Mult, ast.Div, ast.FloorDiv, ast.Mod)
_ORDER = {ast.Lt: False, ast.LtE: True, ast.Gt: False, ast.GtE: True}
"""The comparisons of size, and whether each holds of what is the same."""


def _calls(function: str, *arguments: ast.expr) -> ast.expr:
    return ast.Call(ast.Name(function, ast.Load()), list(arguments), [])


def _negated(value: ast.expr) -> ast.expr:
    return ast.UnaryOp(ast.Not(), value)


def _compared(left: ast.expr, sign: ast.cmpop, right: ast.expr, tolerant: bool) -> ast.expr:
    """Return a comparison; a *tolerant* one takes numbers within 1e-9 for the same."""
    plain = ast.Compare(left, [sign], [right])
    if not tolerant or isinstance(sign, (ast.In, ast.NotIn)):
        return plain
    same = _calls("_same", left, right)
    if isinstance(sign, ast.Eq):
        return same
    if isinstance(sign, ast.NotEq):
        return _negated(same)
    if _ORDER[type(sign)]:
        return ast.BoolOp(ast.Or(), [plain, same])
    return ast.BoolOp(ast.And(), [plain, _negated(same)])


class _Checker:
    """Walks one tree, refuses what is not on the list, and builds the tree that is compiled."""

    def __init__(self, text: str, where: str, names: Names, tolerant: bool) -> None:
        self.text, self.where, self.names, self.tolerant = text, where, names, tolerant
        self.reads: dict[str, tuple[int, Any]] = {}
        self.nodes = 0
        self.inside: list[str] = []  # the named formulas that are being walked

    def fail(self, trouble: str) -> FormulaError:
        if self.inside:
            name = self.inside[-1]
            trouble = f"{trouble} (in the formula {name}: {(self.names.written(name) or '')[:60]!r})"
        return FormulaError(self.text, trouble, self.where)

    def expanded(self, tree: ast.expr) -> ast.expr:
        """Return a tree with what named formulas stand for in place of their names."""
        if isinstance(tree, ast.Name) and (text := self.names.written(tree.id)) is not None:
            if tree.id in self.inside:
                circle = " → ".join([*self.inside[self.inside.index(tree.id) :], tree.id])
                raise self.fail(f"goes in a circle: {circle}")
            self.inside.append(tree.id)
            found = copy(self.expanded(_tree_of(text, self.where)))
            found.named = self.inside.pop()  # type: ignore[attr-defined]  # for messages
            return found
        self.nodes += 1
        if self.nodes > MAX_NODES:
            raise self.fail(f"is too long: at most {MAX_NODES} parts")
        changed: dict[str, Any] = {}
        for field, value in ast.iter_fields(tree):
            if isinstance(value, ast.expr) and field != "func":
                changed[field] = self.expanded(value)
            elif isinstance(value, list):
                changed[field] = [self.expanded(one) if isinstance(one, ast.expr) else one for one in value]
        if all(getattr(tree, field) is one or getattr(tree, field) == one for field, one in changed.items()):
            return tree
        made = copy(tree)
        for field, one in changed.items():
            setattr(made, field, one)
        return made

    def read(self, key: str, reference: Any) -> ast.expr:
        index = self.reads.setdefault(key, (len(self.reads), reference))[0]
        return called(f"_r{index}")

    def visit(self, node: ast.expr, depth: int = 0) -> tuple[Type, ast.expr]:
        """Return the type of a node and the tree that works it out."""
        self.nodes += 1
        if self.nodes > MAX_NODES:
            raise self.fail(f"is too long: at most {MAX_NODES} parts")
        if depth > MAX_DEPTH:
            raise self.fail(f"is nested too deeply: at most {MAX_DEPTH} levels")
        method = getattr(self, f"_{type(node).__name__.lower()}", None)
        if method is None:
            raise self.fail(
                f"may not contain {_describe(node)}; allowed are numbers, names, arithmetic, comparisons, "
                "and/or/not, x if c else y"
            )
        named = getattr(node, "named", "")
        if named:
            self.inside.append(named)
        found: tuple[Type, ast.expr] = method(node, depth + 1)
        if named:
            self.inside.pop()
        return found

    def number(self, node: ast.expr, depth: int, role: str) -> ast.expr:
        kind, code = self.visit(node, depth)
        if kind not in ("number", "truth"):
            raise self.fail(f"{role} must be a number, and {ast.unparse(node)} is {_a(kind)}")
        return code

    def _constant(self, node: ast.Constant, depth: int) -> tuple[Type, ast.expr]:
        value = node.value
        if isinstance(value, bool):
            return "truth", ast.Constant(value)
        if isinstance(value, (int, float)):
            if abs(value) > MAX_NUMBER or not isfinite(value):
                raise self.fail("holds a number beyond 10**18")
            return "number", ast.Constant(value)
        if isinstance(value, str):
            raise self.fail(
                f"a text such as {value[:20]!r} may stand only beside ==, != and in, and inside near(), "
                "placed(), held()"
            )
        raise self.fail(f"may not contain {value!r}")

    def text_or(self, node: ast.expr, depth: int) -> tuple[Type, ast.expr]:
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            self.nodes += 1
            return "text", ast.Constant(node.value)
        return self.visit(node, depth)

    def _name(self, node: ast.Name, depth: int) -> tuple[Type, ast.expr]:
        return self.path((node.id,))

    def _attribute(self, node: ast.Attribute, depth: int) -> tuple[Type, ast.expr]:
        parts = [node.attr]
        inner: ast.expr = node.value
        while isinstance(inner, ast.Attribute):
            parts.append(inner.attr)
            inner = inner.value
        if not isinstance(inner, ast.Name):
            raise self.fail(f"a dot may only follow a name, not {_describe(inner)}")
        return self.path((inner.id, *reversed(parts)))

    def path(self, parts: Parts) -> tuple[Type, ast.expr]:
        if any(part.startswith("_") for part in parts):
            raise self.fail(f"no name may begin with an underscore: {'.'.join(parts)}")
        if len(parts) > 6:
            raise self.fail(f"path {'.'.join(parts)} has too many parts")
        try:
            kind, reference = self.names.path(parts)
        except UnknownNameError as unknown:
            raise self.fail(str(unknown)) from unknown
        return kind, self.read(".".join(parts), reference)

    def _binop(self, node: ast.BinOp, depth: int) -> tuple[Type, ast.expr]:
        left = self.number(node.left, depth, "the left side")
        right = self.number(node.right, depth, "the right side")
        if isinstance(node.op, ast.Pow):
            return "number", _calls("_power", left, right)
        if not isinstance(node.op, _ARITHMETIC):
            raise self.fail("may use only + - * / // % and **")
        return "number", ast.BinOp(left, node.op, right)

    def _unaryop(self, node: ast.UnaryOp, depth: int) -> tuple[Type, ast.expr]:
        value = self.number(node.operand, depth, "what follows the sign")
        if isinstance(node.op, ast.Not):
            return "truth", _negated(value)
        if isinstance(node.op, (ast.USub, ast.UAdd)):
            return "number", ast.UnaryOp(node.op, value)
        raise self.fail("may not use ~")

    def _boolop(self, node: ast.BoolOp, depth: int) -> tuple[Type, ast.expr]:
        sides = [self.number(value, depth, "each side of and/or") for value in node.values]
        return "truth", ast.BoolOp(node.op, [_calls("bool", side) for side in sides])

    def _ifexp(self, node: ast.IfExp, depth: int) -> tuple[Type, ast.expr]:
        test = self.number(node.test, depth, "the condition")
        body = self.number(node.body, depth, "the value before if")
        other = self.number(node.orelse, depth, "the value after else")
        return "number", ast.IfExp(test, body, other)

    def _compare(self, node: ast.Compare, depth: int) -> tuple[Type, ast.expr]:
        sides = [self.text_or(side, depth) for side in (node.left, *node.comparators)]
        found = []
        for (left, one), (right, other), sign in zip(sides, sides[1:], node.ops, strict=False):
            if isinstance(sign, (ast.Is, ast.IsNot)):
                raise self.fail("may not use 'is'; write ==")
            self.comparable(left, right, sign)
            found.append(_compared(one, sign, other, self.tolerant))
        return "truth", found[0] if len(found) == 1 else ast.BoolOp(ast.And(), found)

    def comparable(self, left: Type, right: Type, sign: ast.cmpop) -> None:
        if isinstance(sign, (ast.In, ast.NotIn)):
            if (left, right) != ("text", "words"):
                word = "in" if isinstance(sign, ast.In) else "not in"
                raise self.fail(
                    f"'{word}' asks whether a word is among words, as in \"submerged\" in self.tags"
                )
        elif "words" in (left, right) or (left == "text") != (right == "text"):
            raise self.fail(f"compares {_a(left)} with {_a(right)}, which is never the same")
        elif left == "text" and not isinstance(sign, (ast.Eq, ast.NotEq)):
            raise self.fail("texts can only be compared with == and !=")

    def _call(self, node: ast.Call, depth: int) -> tuple[Type, ast.expr]:
        if not isinstance(node.func, ast.Name):
            raise self.fail("may not call anything on an object")
        name = node.func.id
        if node.keywords or any(isinstance(argument, ast.Starred) for argument in node.args):
            raise self.fail(f"{name}() takes plain arguments only")
        if name in _WORLD_FUNCTIONS:
            return "number", self.world_call(name, node.args, depth)
        if name not in _FUNCTIONS:
            raise self.fail(str(UnknownNameError("function", name, (*_FUNCTIONS, *_WORLD_FUNCTIONS))))
        least, most = _FUNCTIONS[name]
        if not least <= len(node.args) <= most:
            raise self.fail(
                f"{name}() takes {least if least == most else f'{least} or more'} arguments, not "
                f"{len(node.args)}"
            )
        given = [self.number(argument, depth, f"an argument of {name}()") for argument in node.args]
        return "number", _calls(name, *given)

    def world_call(self, name: str, arguments: list[ast.expr], depth: int) -> ast.expr:
        words = [
            node.value for node in arguments if isinstance(node, ast.Constant) and isinstance(node.value, str)
        ]
        shape = 'near(radius) or near(radius, "kind")' if name == "near" else f'{name}("name")'
        numbers = arguments[:1] if name == "near" else []
        if len(arguments) != len(numbers) + len(words) or len(words) > 1 or (name != "near" and not words):
            raise self.fail(f"write {shape}")
        word = words[0] if words else ""
        if len(word) > 200:
            raise self.fail("holds a text of more than 200 characters")
        try:
            reference = self.names.call(name, word)
        except UnknownNameError as unknown:
            raise self.fail(str(unknown)) from unknown
        found = self.read(f'{name}("{word}")', reference)
        return ast.Call(found, [self.number(numbers[0], depth, "the radius")], []) if numbers else found


def _a(kind: Type) -> str:
    return {"number": "a number", "truth": "a truth", "text": "a text", "words": "a set of words"}[kind]


def _describe(node: ast.AST) -> str:
    words = {
        "Subscript": "[...]",
        "List": "a list",
        "Dict": "a dictionary",
        "Tuple": "a tuple",
        "Lambda": "lambda",
        "ListComp": "a loop",
        "GeneratorExp": "a loop",
        "NamedExpr": ":=",
        "JoinedStr": "an f-string",
        "Set": "a set",
        "Await": "await",
        "Starred": "*",
    }
    return words.get(type(node).__name__, type(node).__name__.lower())


def comparisons(formula: Formula) -> Iterator[tuple[str, ast.expr, ast.expr]]:
    """Yield (text, left, right) of each comparison that `and` joins at the top of a formula."""
    waiting: list[ast.expr] = [formula.tree]
    while waiting:
        node = waiting.pop(0)
        if isinstance(node, ast.BoolOp) and isinstance(node.op, ast.And):
            waiting[:0] = node.values
        elif isinstance(node, ast.Compare) and len(node.ops) == 1:
            yield ast.unparse(node), node.left, node.comparators[0]


@lru_cache(4096)  # a design that is tuned is read again and again, its formulas rarely change
def _read(text: str) -> ast.expr:
    with (
        warnings.catch_warnings()
    ):  # Python's own remarks on a text such as "1if" are no message for a designer
        warnings.simplefilter("ignore")
        return ast.parse(text, mode="eval").body


def parse(text: str, names: Names, *, where: str = "", tolerant: bool = False) -> Formula:
    """Return *text* as a checked formula.

    Args:
        text: The expression, at most 1,000 characters.
        names: What its names mean.
        where: Where it stands, for messages.
        tolerant: Compare numbers as scripts do, equal within 1e-9.

    Raises:
        FormulaError: What is wrong with it, with the nearest known name where a name is unknown.

    >>> parse("6 + 6 * 2", Names()).compile(lambda reference: lambda scope: 0)(None)
    18
    """
    if len(text) > MAX_TEXT:
        raise FormulaError(text, f"is {len(text):,} characters long; at most {MAX_TEXT:,}", where)
    tree = _tree_of(text, where)
    checker = _Checker(text, where, names, tolerant)
    tree = checker.expanded(tree)
    checker.nodes = 0
    kind, code = checker.visit(tree)
    reads = tuple((key, reference) for key, (_, reference) in checker.reads.items())
    formula = Formula(text, kind, code, reads, tree)
    if not reads:  # it can be worked out now, so a power or a division that cannot be is an error now
        try:
            formula.compile(lambda reference: lambda scope: 0)(None)
        except ArithmeticError as error:
            raise FormulaError(text, failing(error), where) from None
    return formula


def _tree_of(text: str, where: str) -> ast.expr:
    """Return the syntax tree of a text; it is not checked yet."""
    try:
        return _read(text.strip())
    except SyntaxError as error:
        raise FormulaError(text, f"cannot be read: {error.msg}", where) from None
    except (ValueError, RecursionError, MemoryError):
        raise FormulaError(
            text,
            "cannot be read: nested too deeply, or holding a character or number that no formula has",
            where,
        ) from None
