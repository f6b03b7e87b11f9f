"""Rules: on an event that matches, do effects.

Knows how an event is matched against the bound form of `on`, `of`, fields and `where`; goals and records use
the same. Start at `matches`.
"""

from __future__ import annotations

from functools import partial

from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Reaction, Stage

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.kernel.kinds import EventMatch, RuleKind


def may_match(match: EventMatch, stage: Stage, name: str, kind: str, source_kind: str) -> bool:
    """Return whether events of this name between these kinds can match at all."""
    if match.on != name:
        return False
    if match.of_kind and stage.kinds.events[name].party < 0:
        return match.of == (kind if match.mirrored else source_kind)
    return True


def party_is(match: EventMatch, stage: Stage, event: Event) -> bool:
    """Return whether the other party of an event is what `of` names."""
    word = match.of
    if event.shape.party >= 0:
        pickup = str(event.values[event.shape.party])
        return pickup == word or word in stage.kinds.labels[pickup]
    other = event.actor if match.mirrored else event.source
    body = stage.party(other)
    if body is not None:
        return body.is_a(word)
    kind = stage.kind_of(other)
    if not kind or kind == word:
        return bool(kind)
    known = stage.kinds.actors.get(kind)  # none where it was of another design, and has gone
    return known is not None and word in known.tags


def leaves_out(match: EventMatch, stage: Stage, event: Event) -> bool:
    """Return whether an event is left out because one did it to oneself, or struck or defeated one's own
    side."""
    if not match.mirrored or match.own_side or not event.source:
        return False
    if match.named == "mended":
        return event.credit == event.actor and stage.party(event.credit) is not None
    return stage.same_side(event.credit, event.actor)


def matches(match: EventMatch, stage: Stage, event: Event, scope: Scope) -> bool:
    """Return whether an event of the right name is one of those asked for."""
    if leaves_out(match, stage, event):
        return False
    values = event.values
    for index, wanted in match.fields:
        if values[index] != wanted:
            return False
    if match.of and not party_is(match, stage, event):
        return False
    return match.where is None or match.where.holds(scope)


def scope_of(match: EventMatch, stage: Stage, event: Event, place: str) -> Scope | None:
    """Return the scope of a rule on an event: `self` is whom the event is credited to. None where that is
    nobody."""
    actor, source = stage.actors.get(event.actor), stage.party(event.source)
    me = stage.party(event.credit) if match.mirrored else actor
    if me is None and (match.mirrored or event.actor):
        return None
    scope = Scope(stage, me, source, actor, event=event, place=place, reason=place)
    scope.credit = event.source if me is not source else ""
    return scope


class Rules:
    """The rules of one world's design."""

    stage: Stage
    effects: Effects

    def __init__(self, stage: Stage, effects: Effects) -> None:
        self.stage, self.effects = stage, effects

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan the rules for events of one name between two kinds."""
        return [
            (rule.where, partial(self.run, rule))
            for rule in self.stage.kinds.rules
            if may_match(rule.match, self.stage, name, kind, source_kind)
        ]

    def run(self, rule: RuleKind, event: Event) -> None:
        """Do a rule's effects if the event matches."""
        scope = scope_of(rule.match, self.stage, event, rule.where)
        if scope is not None and matches(rule.match, self.stage, event, scope):
            self.effects.follow(rule.do, scope)
