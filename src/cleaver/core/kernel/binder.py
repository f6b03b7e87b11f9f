"""Binder: the formulas and effects of a design's tables, made ready for play.

The kinds of every topic are made with one. Start at `Binder`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import partial

from cleaver.core.kernel.events import EventShape
from cleaver.core.kernel.expressions import (
    Amount,
    BoundEffect,
    BoundOption,
    Effects,
    Expression,
    MakeReader,
    Span,
)
from cleaver.core.kernel.spans import Periods, as_span
from cleaver.design.paths import FormulaNames, Known
from cleaver.design.vocabulary import BESIDE, VERBS

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, TypeVar

    from cleaver.design import models

    K = TypeVar("K")
    Made = tuple[Any, Any, tuple[str, ...]]

NOTHING: Mapping[Any, Any] = {}


def same_entry(one: Any, other: Any) -> bool:
    """Return whether two entries of designs say the same; 1, 1.0 and true, which Python takes for equal, do
    not."""
    return one is other or (bool(one == other) and repr(one) == repr(other))


class Binder:
    """Turns the formulas and effects of the tables into bound ones."""

    known: Known
    events: dict[str, EventShape]
    make_reader: MakeReader

    def __init__(
        self,
        known: Known,
        events: dict[str, EventShape],
        make_reader: MakeReader,
        made: Mapping[tuple[str, str], Made] = NOTHING,
        week_start: int = 0,
    ) -> None:
        self.week_start = week_start
        self.known, self.events, self.make_reader = known, events, make_reader
        self.lucks: list[str] = []  # what all dice of effects are named for
        self.made: dict[tuple[str, str], Made] = {}
        self._before = made  # of a design that means the same by every name

    def once(self, section: str, name: str, entry: Any, make: Callable[[], K]) -> K:
        """Return one entry of a section bound: what *make* returns, or what was made of the same entry
        before."""
        key = (section, name)
        found = self._before.get(key)
        if found is None or not same_entry(found[0], entry):
            start = len(self.lucks)
            bound = make()
            found = (entry, bound, tuple(self.lucks[start:]))
        else:
            self.lucks += found[2]
        self.made[key] = found
        made: K = found[1]
        return made

    def each(self, section: str, entries: Mapping[str, Any], make: Callable[[str, Any], K]) -> dict[str, K]:
        """Return the entries of a section bound, by name; see `once`."""
        return {
            name: self.once(section, name, entry, partial(make, name, entry))
            for name, entry in entries.items()
        }

    def expression(
        self,
        text: str | None,
        where: str,
        roots: Iterable[str] = ("self", "source"),
        *,
        event: str = "",
        locals: Iterable[str] = (),
    ) -> Expression | None:
        """Bind a formula; None stays None. *roots* and *locals* are the names it may use besides the inputs,
        and the event's."""
        if text is None:
            return None
        from cleaver.parsing import parse  # slow to import, and needed only once a design is there

        spec = self.known.events[event] if event else None
        return Expression(
            parse(text, FormulaNames(self.known, roots, spec, locals), where=where), self.make_reader, where
        )

    def amount(
        self,
        amount: float | str,
        where: str,
        roots: Iterable[str] = ("self", "source"),
        *,
        event: str = "",
        locals: Iterable[str] = (),
    ) -> Amount:
        """Bind an amount: a number, or a formula."""
        return (
            self.expression(amount, where, roots, event=event, locals=locals) or 0.0
            if isinstance(amount, str)
            else amount
        )

    def span(
        self,
        span: float | str | models.ByRoundsOrDays | None,
        where: str,
        roots: Iterable[str] = ("self", "source"),
        *,
        event: str = "",
        locals: Iterable[str] = (),
    ) -> Span:
        """Bind a span of time: seconds, a formula of them, or so much of another clock; none is 0."""
        if isinstance(span, str):
            return self.expression(span, where, roots, event=event, locals=locals) or 0
        return as_span(span or 0)

    def periods(self, days: models.Days) -> Periods:
        """Bind so many calendar days together."""
        return Periods(days.days, self.week_start if days.on == "week" else 0)

    def reach(self, reach: float | str | None, where: str) -> Amount | None:
        """Bind how far something reaches; None is as far as whoever uses it."""
        return None if reach is None else self.amount(reach, f"{where}.reach", ("self",))

    def conditions(
        self,
        texts: Iterable[str],
        where: str,
        *,
        roots: Iterable[str] = ("self", "source"),
        locals: Iterable[str] = (),
    ) -> tuple[Expression, ...]:
        """Bind a list of formulas, each a condition."""
        found = (
            self.expression(text, f"{where}[{number + 1}]", roots, locals=locals)
            for number, text in enumerate(texts)
        )
        return tuple(expression for expression in found if expression is not None)

    def effects(
        self,
        effects: Iterable[models.Effect],
        where: str,
        roots: Iterable[str] = ("self", "source"),
        *,
        to: str = "self",
        event: str = "",
        locals: Iterable[str] = (),
        luck: str = "",
    ) -> Effects:
        """Bind a list of effects; *to* is whom they are for where an effect does not say, *luck* what their
        dice are named for, where that is not where they stand."""
        found = []
        for number, effect in enumerate(effects):
            place = f"{where}[{number + 1}]"
            keys: dict[str, Any] = {"roots": tuple(roots), "event": event, "locals": tuple(locals)}

            named = f"{luck or where}[{number + 1}]"

            def bound(
                value: Any,
                kind: str,
                place: str = place,
                keys: dict[str, Any] = keys,
                to: str = to,
                named: str = named,
            ) -> Any:
                if kind == "span":
                    return self.span(value, place, **keys)
                if kind == "options":
                    return tuple(
                        BoundOption(
                            self.amount(one.weight, f"{place}.choose[{nth + 1}].weight", **keys),
                            self.effects(
                                one.do,
                                f"{place}.choose[{nth + 1}].do",
                                to=to,
                                luck=f"{named}.choose[{nth + 1}]",
                                **keys,
                            ),
                        )
                        for nth, one in enumerate(value)
                    )
                return self.amount(value, place, **keys) if kind == "amount" else value

            spec = VERBS[effect.verb]
            beside = {
                key: bound(value, BESIDE[key].kind if key in spec.beside else "")
                for key, value in effect.beside.items()
            }
            if effect.verb == "announce":
                beside = self._announced(str(effect.operand), beside, place, keys)
            found.append(
                BoundEffect(
                    effect.verb,
                    bound(effect.operand, spec.operand),
                    beside,
                    effect.to or ("self" if effect.verb == "place" else to),
                    self.expression(effect.when, place, **keys),
                    place,
                    None if effect.chance is None else self.amount(effect.chance, place, **keys),
                    named,
                )
            )
            self.lucks += found[-1].streams()
        return tuple(found)

    def _announced(
        self, event: str, beside: dict[str, Any], place: str, keys: dict[str, Any]
    ) -> dict[str, Any]:
        types = dict(self.known.events[event].fields)
        made = {}
        for key, value in beside.items():
            formula = (types[key] == "number" and isinstance(value, str)) or (
                types[key] == "name" and str(value).startswith("event.")
            )
            made[key] = self.expression(str(value), place, **keys) if formula else value
        return made
