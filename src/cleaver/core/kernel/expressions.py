"""Expressions: formulas and effects made ready for play.

A formula is compiled once per design and takes its scope, what it is about, as an argument; so all worlds
of a design share it. Who makes them from a design is `binder`. Start at `Expression`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from math import floor, inf

from cleaver.design.paths import Path
from cleaver.errors import CleaverError, FormulaError
from cleaver.formula import Formula, Reader, failing
from cleaver.rounding import half_up, shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


MOST = 2**63 - 1  # of any amount
LONGEST_SPAN = 10**9  # seconds
MakeReader = Callable[[Path], Reader]


class NobodyError(FormulaError):
    """A formula reads an actor that is not there: nobody caused the event."""


class Expression:
    """A formula compiled for play."""

    __slots__ = ("fn", "formula", "readers", "where")
    formula: Formula
    where: str
    fn: Reader
    readers: tuple[tuple[str, Reader], ...]

    def __init__(self, formula: Formula, make_reader: MakeReader, where: str) -> None:
        self.formula, self.where = formula, where
        self.fn = formula.compile(make_reader)
        self.readers = tuple((text, make_reader(path)) for text, path in formula.reads)

    def value(self, scope: Any) -> Any:
        """Return what the formula gives; raise `FormulaError` with the values it read where it gives
        nothing."""
        try:
            return self.fn(scope)
        except ArithmeticError as error:
            raise self.trouble(failing(error), scope) from None
        except NobodyError as error:
            raise NobodyError(self.formula.text, error.trouble, self.where) from None

    def amount(self, scope: Any) -> float:
        """Return the formula as an amount: finite and 0 or more."""
        value: float = self.value(scope)
        if not 0 <= value <= MOST:
            raise self.trouble(f"gives {value:g}, and an amount is finite and 0 or more", scope)
        return value

    def number(self, scope: Any) -> Any:
        """Return the formula as a value that an event can carry: a number within ±`MOST`, or a text."""
        value = self.value(scope)
        if not isinstance(value, str) and not -MOST <= value <= MOST:
            raise self.trouble(f"gives {value:g}, and a number of an event is within ±{MOST}", scope)
        return value

    def holds(self, scope: Any) -> bool:
        """Return whether the formula is true; one that asks about nobody is not."""
        try:
            return bool(self.value(scope))
        except NobodyError:
            return False

    def trouble(self, what: str, scope: Any) -> FormulaError:
        """Return an error that names the formula and what it read."""
        read = []
        for text, reader in self.readers:
            try:
                value = reader(scope)
            except CleaverError:
                continue
            if not callable(value):
                read.append(f"{text} = {shown(value) if isinstance(value, (int, float)) else value}")
        return FormulaError(
            self.formula.text, what + (f" (with {', '.join(read)})" if read else ""), self.where
        )


Amount = float | Expression


def met(needs: Iterable[Expression], scope: Any) -> bool:
    """Return whether all of some conditions hold."""
    return all(need.holds(scope) for need in needs)


def amount_of(amount: Amount, scope: Any) -> float:
    """Return a number, or what a formula gives as an amount."""
    return amount.amount(scope) if isinstance(amount, Expression) else amount


def whole_amount(amount: Amount, scope: Any) -> int:
    """Return how much of a good an amount is, rounded half up. It may be more than anybody can have
    (`MOST`): who pays is then too poor, and who gains gets nothing."""
    if not isinstance(amount, Expression):
        return half_up(amount)
    value = amount.value(scope)
    if not 0 <= value < inf:
        raise amount.trouble(f"gives {value:g}, and an amount is finite and 0 or more", scope)
    return half_up(value)


Span = int | Expression
"""A span of time: whole microseconds, so much of another clock (`spans`), or a formula that gives seconds."""


def span_of(span: Span, scope: Any, *, least: float = 0.001) -> int:
    """Return a span: microseconds, or so much of another clock; raise `FormulaError` where a formula gives
    none.

    Args:
        span: The span.
        scope: What a formula of it is about: it is worked out now, where the span begins.
        least: The shortest that it may be, in seconds; 0 where there may be none.
    """
    if not isinstance(span, Expression):
        return span
    seconds: float = span.value(scope)
    if not (0.001 <= seconds <= LONGEST_SPAN or (least == 0 and seconds == 0)):
        none = "0, or " if least == 0 else ""
        raise span.trouble(f"gives {seconds:g} s, and a span is {none}0.001 s to {LONGEST_SPAN:,} s", scope)
    return floor(seconds * 1_000_000 + 0.5)


class BoundOption:
    """One of the lists of a `choose`: how much it weighs, and what it does."""

    __slots__ = ("do", "weight")
    weight: Amount
    do: Effects

    def __init__(self, weight: Amount, do: Effects) -> None:
        self.weight, self.do = weight, do


class BoundEffect:
    """One effect, bound."""

    __slots__ = ("beside", "chance", "luck", "operand", "to", "verb", "when", "where")
    verb: str
    operand: Any
    beside: dict[str, Any]
    to: str
    when: Expression | None
    where: str
    chance: Amount | None
    luck: str
    """What its dice are named for: its place, which stays the same when the design grows elsewhere."""

    def __init__(
        self,
        verb: str,
        operand: Any,
        beside: dict[str, Any],
        to: str,
        when: Expression | None,
        where: str,
        chance: Amount | None = None,
        luck: str = "",
    ) -> None:
        self.chance, self.luck = chance, luck
        self.verb, self.operand, self.beside, self.to, self.when, self.where = (
            verb,
            operand,
            beside,
            to,
            when,
            where,
        )

    def streams(self) -> list[str]:
        """Return what all its dice are named for."""
        named = [self.luck] if self.chance is not None else []
        if self.verb == "choose":
            named.append(f"{self.luck}/choose")
        if self.verb == "place" and "spread" in self.beside:
            named += [f"{self.luck}/{axis}" for axis in ("x", "y")]
        return named


Effects = tuple[BoundEffect, ...]
