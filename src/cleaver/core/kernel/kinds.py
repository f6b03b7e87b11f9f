"""Kinds: what the kernel needs of a design bound for play: events, rules, tallies, kinds of actors.

Nothing here belongs to a world; all worlds of a design share it. The kinds of each topic stand in its own
package, `core.bind` makes them all. Start at `Kinds`.
"""

from __future__ import annotations

from collections.abc import Iterable

from cleaver.core.kernel.actor_kinds import ActorKind, StatusKind
from cleaver.core.kernel.events import EventShape
from cleaver.core.kernel.expressions import Amount, Effects, Expression, MakeReader
from cleaver.core.kernel.spans import FAR, Periods, as_span, split

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.binder import Binder
    from cleaver.design import models
    from cleaver.design.design import Design
    from cleaver.design.paths import Known


class EventMatch:
    """What picks events: the bound form of `on`, `of`, the fields and `where`."""

    __slots__ = ("fields", "mirrored", "named", "of", "of_kind", "on", "own_side", "where")
    mirrored: bool
    of: str
    of_kind: bool
    fields: tuple[tuple[int, Any], ...]
    where: Expression | None
    own_side: bool

    def __init__(self, matcher: models.Matcher, path: str, bind: Binder) -> None:
        spec = bind.known.events[matcher.on]
        self.mirrored = bool(spec.seen_from)
        self.named: str = spec.name
        self.on: str = spec.seen_from or spec.name
        kind = bind.events[self.on]
        self.of = matcher.of or ""
        self.of_kind = self.of in bind.known.kinds and self.of not in bind.known.tags
        self.fields = tuple((kind.index[name], value) for name, value in matcher.fields().items())
        self.where = bind.expression(
            matcher.where, f"{path}.where", ("self", "source", "target"), event=matcher.on
        )
        self.own_side = matcher.own_side


class RuleKind:
    """On events that match, do effects."""

    __slots__ = ("do", "match", "where")
    match: EventMatch
    do: Effects
    where: str

    def __init__(self, rule: models.Rule, path: str, bind: Binder, luck: str) -> None:
        self.match = EventMatch(rule, path, bind)
        roots = ("self", "source", "target")
        self.do = bind.effects(rule.do, f"{path}.do", roots, event=rule.on, luck=luck)
        self.where = path


def rule_kinds(rules: Iterable[models.Rule], path: str, bind: Binder) -> tuple[RuleKind, ...]:
    """Return rules bound.

    The dice of a rule are named for its name, else for its event and its number among the rules on it, so
    that a rule on something else, wherever it is added, changes nobody's luck.
    """
    on: dict[str, int] = {}
    found = []
    for number, rule in enumerate(rules):
        on[rule.on] = on.get(rule.on, 0) + 1
        luck = f"{path}.{rule.name or f'{rule.on}.{on[rule.on]}'}"
        found.append(RuleKind(rule, f"{path}[{number + 1}]", bind, luck))
    return tuple(found)


class TallyKind:
    """How events are counted. `spec` tells tallies apart that count different things; those of one owner that
    are `shared` count together. `written` is what they count, to be kept."""

    __slots__ = (
        "count",
        "field",
        "how",
        "match",
        "reset_on",
        "shared",
        "spec",
        "streak",
        "where",
        "who",
        "window",
        "within",
        "written",
    )
    match: EventMatch
    how: str
    field: int
    within: int
    window: int
    streak: Periods | None
    reset_on: str
    where: str
    shared: bool
    spec: str
    written: str
    who: str

    def __init__(self, tally: models.Tallying, path: str, bind: Binder) -> None:
        self.match = EventMatch(tally, path, bind)
        self.how, field = tally.way()
        if tally.count == "all" and self.how == "count" and self.match.on == "collected":
            self.how, field = "distinct", "placement"  # one that comes back and is taken again is still one
        kind = bind.events[self.match.on]
        self.field = kind.index[field] if field else -1
        self.within = as_span(tally.within) if tally.within is not None else 0
        self.window = self.within if self.within < FAR else split(self.within)[1]
        days = tally.in_a_row()
        self.streak = None if days is None else bind.periods(days)
        self.reset_on, self.who, self.where = tally.reset_on or "", tally.who, path
        self.count: Amount | str | None = (
            tally.count
            if tally.count in (None, "all")
            else bind.amount(tally.count, f"{path}.count", ("self",))
        )
        self.shared = self.how in ("count", "sum") and not self.within and not self.reset_on
        parts: tuple[Any, ...] = (
            tally.on,
            self.match.of,
            tally.fields(),
            tally.where,
            self.how,
            field,
            self.within,
        )
        if self.streak is not None:
            parts += self.streak
        self.written = text_of([*parts, self.reset_on, self.who, tally.own_side])
        self.spec = fingerprint_of(self.written)


def text_of(parts: list[Any]) -> str:
    """Return a text that is the same for the same parts."""
    import json  # once per tally of a design

    return json.dumps(parts, sort_keys=True, default=str)


def fingerprint_of(text: str) -> str:
    """Return a short text that is the same for the same text."""
    import hashlib  # once per tally of a design

    return hashlib.sha256(text.encode()).hexdigest()[:12]


class Kinds:
    """What the kernel needs of a design. `tallies` are all that anything counts by, by what they count;
    `tallied` are the events that matter to one; `labels` are the tags of what lies in the world. `planning`
    and `hits` are what its worlds found out once for all of them: which planners have anything to say of an
    event between two kinds, and how an attack goes against a zone."""

    __slots__ = (
        "actors", "design", "events", "hits", "inputs", "known", "labels", "lucks", "make_reader",
        "planning", "rules", "statuses", "tallied", "tallies", "teams",
    )  # fmt: skip
    design: Design
    known: Known
    make_reader: MakeReader
    events: dict[str, EventShape]
    inputs: dict[str, float]
    teams: dict[str, tuple[str, bool | float]]
    labels: dict[str, tuple[str, ...]]
    lucks: tuple[str, ...]
    """What the dice of effects are named for, so that they can be forgotten with whom they were for."""

    def __init__(self, design: Design, make_reader: MakeReader, like: Kinds | None = None) -> None:
        tables = design.tables
        self.design, self.make_reader = design, make_reader
        if like is not None:  # which names the same
            self.known, self.events = like.known, like.events
        else:
            self.known = known = design.known
            self.events = {
                name: EventShape(spec) for name, spec in known.events.items() if not spec.seen_from
            }
        self.inputs = dict(tables.inputs)
        self.teams = {name: (team.spawn or "", team.friendly_fire) for name, team in tables.teams.items()}
        self.labels = {name: pickup.tags for name, pickup in tables.pickups.items()}
        self.actors: dict[str, ActorKind] = {}
        self.statuses: dict[str, StatusKind] = {}
        self.rules: tuple[RuleKind, ...] = ()
        self.tallies: dict[str, TallyKind] = {}
        self.tallied: set[str] = set()
        self.planning: dict[tuple[str, str, str], tuple[int, ...]] = {}
        self.hits: dict[Any, Any] = {}

    def tally(self, kinds: Iterable[TallyKind]) -> None:
        """Let these be counted: every topic names those of its own."""
        for kind in kinds:
            self.tallies[kind.spec] = kind
            self.tallied.add(kind.match.on)
            if kind.reset_on:
                spec = self.known.events[kind.reset_on]
                self.tallied.add(spec.seen_from or spec.name)
