"""Kinds of stats: what is worked out for each kind of actor, from what, in which order.

Start at `StatKinds`.
"""

from __future__ import annotations

from cleaver.core.kernel.expressions import Expression
from cleaver.design.stats import MOVES, in_order, modifiers, targets, worked_of

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Iterable
    from typing import Any

    from cleaver.core.kernel.actor_kinds import ActorKind, StatusKind
    from cleaver.core.kernel.binder import Binder
    from cleaver.core.kernel.expressions import Amount
    from cleaver.design import models

SELF = ("self",)
FLOWS, STATUSES, ACTIVE = "flows", "statuses", "active"
"""What is looked at, in place of a value, where formulas of flows or statuses read
something else now, and statuses that are on while a condition holds."""


class Source:
    """One modifier: what it stands on, which one, in which way it changes something, and by how much."""

    __slots__ = ("amount", "cause", "name", "times", "what")
    what: str
    name: str
    cause: str
    times: bool
    amount: Amount

    def __init__(self, what: str, name: str, cause: str, times: bool, amount: Amount) -> None:
        self.what, self.name, self.cause, self.times, self.amount = what, name, cause, times, amount


class Worked:
    """What is worked out of a kind: a stat, "METER.max", "METER.rate" or "bag"; what it is before anything
    changes it, its bounds, and what may change it."""

    __slots__ = ("asked", "base", "least", "most", "sources", "target")
    target: str
    base: Amount
    least: float | None
    most: float | None
    sources: tuple[Source, ...]
    asked: tuple[Amount, ...]
    """Formulas that are worked out elsewhere, where what they read has changed."""

    def __init__(
        self,
        target: str,
        base: Amount = 0,
        least: float | None = None,
        most: float | None = None,
        sources: tuple[Source, ...] = (),
        asked: tuple[Amount, ...] = (),
    ) -> None:
        self.target, self.base, self.least, self.most, self.sources = target, base, least, most, sources
        self.asked = asked


class Sheet:
    """All that is worked out of one kind, each after what it reads; `moved` says what of it is looked at
    where something is touched."""

    __slots__ = ("active", "edges", "moved", "worked")
    worked: dict[str, Worked]
    active: tuple[tuple[StatusKind, Expression], ...]
    """Statuses that are on while a condition holds."""
    edges: dict[str, tuple[tuple[str, float], ...]]
    """Where conditions of these turn, by meter: "fraction" or "value", and at what."""
    moved: dict[str, tuple[Worked, ...]]

    def __init__(
        self, worked: Iterable[Worked], active: tuple[tuple[StatusKind, Expression], ...] = ()
    ) -> None:
        self.active, self.edges = active, _edges(active)
        found = {one.target: one for one in worked}
        reads = {
            name: [path for amount in _amounts(one) for path in _paths(amount)] for name, one in found.items()
        }
        needs = {name: {worked_of(path) for path in paths} & found.keys() for name, paths in reads.items()}
        order, _ = in_order(needs)
        self.worked = {name: found[name] for name in order}
        touches: dict[str, set[str]] = {}
        for name in order:
            mine = {MOVES[path.what] or path.what for path in reads[name]}
            mine |= {MOVES[one.what] for one in found[name].sources}
            for other in needs[name]:
                mine |= touches[other]
            touches[name] = mine - {""}
        words = sorted(set().union(*touches.values()))
        self.moved = {word: tuple(found[name] for name in order if word in touches[name]) for word in words}


def _edges(active: Iterable[tuple[StatusKind, Expression]]) -> dict[str, tuple[tuple[str, float], ...]]:
    """Return where conditions about meters turn: at the numbers that their values are compared with."""
    import ast

    found: dict[str, set[tuple[str, float]]] = {}
    for _, condition in active:
        for node in ast.walk(condition.formula.tree):
            sides = [node.left, *node.comparators] if isinstance(node, ast.Compare) else []
            for one, other in zip([*sides, *sides[1:]], [*sides[1:], *sides], strict=False):
                path = ast.unparse(one).split(".")
                if not isinstance(one, ast.Attribute) or not isinstance(other, ast.Constant):
                    continue
                if path[0] == "self" and len(path) < 4 and isinstance(other.value, (int, float)):
                    found.setdefault(path[1], set()).add((path[2] if path[2:] else "value", other.value))
    return {name: tuple(sorted(edges)) for name, edges in found.items()}


def _amounts(one: Worked) -> Iterable[Amount]:
    return (one.base, *(source.amount for source in one.sources), *one.asked)


def _paths(amount: Amount) -> Iterable[Any]:
    return [path for _, path in amount.formula.reads] if not isinstance(amount, (int, float)) else ()


def _concerns(status: StatusKind, actor: ActorKind) -> bool:
    """Return whether a status that hangs on a condition is for a kind."""
    assert status.active_when is not None
    there = {"meter": actor.meters, "stat": actor.stats}
    has = all(path.name in there.get(path.what, (path.name,)) for path in _paths(status.active_when))
    return has and (not status.for_ or any(word in (actor.name, *actor.tags) for word in status.for_))


class StatKinds:
    """The stats of a design: for each kind what is worked out, and the things of a set that count
    together."""

    __slots__ = ("needs", "sets", "sheets", "slots")
    sheets: dict[str, Sheet]
    sets: dict[str, tuple[tuple[str, ...], int]]
    slots: dict[str, str]
    """The slot of each item that can be worn."""
    needs: dict[str, tuple[Expression, ...]]
    """What must hold to wear it."""

    def __init__(
        self,
        tables: models.DesignTables,
        actors: dict[str, ActorKind],
        statuses: dict[str, StatusKind],
        bind: Binder,
    ) -> None:
        sources: dict[str, list[Source]] = {}
        for one in modifiers(tables):
            amount = bind.amount(one.amount, ".".join(map(str, one.where)), SELF)
            made = Source(one.what, one.name, one.cause, one.way == "times", amount)
            sources.setdefault(one.target, []).append(made)
        self.sheets = {}
        for name, actor in tables.actors.items():
            worked = []
            for target in targets(actor):
                stat = actor.stats.get(target)
                least, most = (None, None) if stat is None else (stat.min, stat.max)
                mine = tuple(sources.get(target, ()))
                base = actors[name].bases[target]
                if stat is not None or mine or not isinstance(base, (int, float)):
                    worked.append(Worked(target, base, least, most, mine))
            flows = [flow for meter in actors[name].meters.values() for flow in meter.flows]
            flows += [flow for status in statuses.values() for _, flow in status.flows]
            asked = tuple(formula for flow in flows for formula in flow.asked.values())
            factors = tuple(
                one
                for status in statuses.values()
                for one in (status.deals, status.scale, *status.through.values())
                if isinstance(one, Expression)
            )
            worked += [Worked(STATUSES, asked=factors)] if factors else []
            worked += [Worked(FLOWS, asked=asked)] if asked else []
            active = tuple(
                (status, status.active_when)
                for status in statuses.values()
                if status.active_when is not None and _concerns(status, actors[name])
            )
            worked += [Worked(ACTIVE, asked=tuple(condition for _, condition in active))] if active else []
            self.sheets[name] = Sheet(worked, active)
        self.sets = {
            f"{name}/{count}": (several.items, int(count))
            for name, several in tables.item_sets.items()
            for count in several.pieces
        }
        self.needs = {
            name: bind.conditions(item.needs, f"items.{name}.needs", roots=SELF)
            for name, item in tables.items.items()
        }
        self.slots = {name: item.slot for name, item in tables.items.items() if item.slot is not None}
