"""Statuses, pulses and tags: what an actor is under, for how long, and by whom.

Owns ailments and beats; gives `vitals` the flows and `combat` the factors they bring. A pulse performs its
effects as one prepared list, credited to whoever caused its status. Start at `Statuses.begin`.
"""

from __future__ import annotations

from collections.abc import Callable

from cleaver.core.kernel.body import Ailment, Beat, Body
from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.expressions import BoundEffect, amount_of, span_of
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.spans import more, seconds_of, unit_of
from cleaver.core.kernel.stage import Stage
from cleaver.core.stats.kinds import STATUSES
from cleaver.core.vitals.carried import Carried
from cleaver.core.vitals.meters import Vitals, doer
from cleaver.errors import FormulaError, UnknownNameError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.actor_kinds import StatusKind
    from cleaver.core.kernel.crossing import Crossing
    from cleaver.literals import Blocked


def beyond(span: int, body: Body) -> bool:
    """Return whether a span counts turns of somebody who takes none."""
    return not body.kind.turns and unit_of(span) == "turns"


class Statuses(Part):
    """Everything temporary on the actors of one world, and their tags."""

    stage: Stage
    vitals: Vitals
    effects: Effects
    carried: Carried

    def __init__(self, stage: Stage, vitals: Vitals, effects: Effects) -> None:
        self.stage, self.vitals, self.effects = stage, vitals, effects
        stage.due["status"] = self._over
        stage.due["pulse"] = self._beat
        stage.readable["tags"] = lambda body, name, part: body.words()
        stage.readable["statuses"] = lambda body, name, part: [ailment.name for ailment in body.ailments]
        stage.bears["status"] = lambda body, name: sum(one.name == name for one in body.ailments)
        stage.verbs["status"] = (self.prepare_begin, self.commit_begin)
        stage.verbs["cure"] = (self.prepare_cure, self.commit_cure)
        stage.verbs["tag"] = (self.prepare_tag, self.commit_tag)
        stage.verbs["untag"] = (self.prepare_tag, self.commit_tag)
        self.carried = Carried(self)
        vitals.before_death.append(self._clear)
        vitals.stats.fits[STATUSES] = lambda body, name, value, keep, cause: self.gather(body)
        self.hurt: Callable[[Body, float, str, Body | None, str], None]
        """Hurts a body by a constant, by its type, for whoever caused it; the parts that do hits give it."""

    # pulses of an actor's own kind

    def equip(self, body: Body) -> None:
        """Start the pulses of a new body's kind, and count its words."""
        for name, kind in body.kind.pulses.items():
            beat = body.pulses[name] = Beat(kind, body)
            self._start(beat, span_of(kind.every, Scope(self.stage, body)))

    def _arm(self, beat: Beat, span: int) -> None:
        """Let a pulse come after a span that begins now."""
        beat.span = int(span)
        self._resume(beat, span)

    def _resume(self, beat: Beat, span: int) -> None:
        self.stage.clock.arm(beat, self.stage.clock.later(span, beat.owner, starts=True))

    def _start(self, beat: Beat, span: int) -> None:
        """Let a pulse begin: its first beat comes after a span, or at once."""
        self._arm(beat, span)
        if beat.kind.at_once:
            self.stage.clock.arm(beat, self.stage.clock.now)

    def beats(self, body: Body, name: str) -> list[Beat]:
        """Return the pulses called *name*: of the body's kind, or of the statuses of that name."""
        if name in body.pulses:
            return [body.pulses[name]]
        found = [beat for ailment in body.ailments if ailment.name == name for beat in ailment.beats]
        if not found:
            raise UnknownNameError(
                "pulse",
                name,
                (*body.pulses, *(ailment.name for ailment in body.ailments if ailment.beats)),
                body.id,
            )
        return found

    def progress(self, beat: Beat) -> float:
        """Return how far a pulse is towards its next beat, from 0 to 1."""
        return min(max(1 - seconds_of(self.left(beat)) / seconds_of(beat.span), 0.0), 1.0)

    def left(self, beat: Beat) -> int:
        """Return the span until the next beat of a pulse; of a paused one, what was left of it."""
        if beat.left >= 0:
            return beat.left
        return self.stage.clock.left(beat.due, beat.owner) if beat.due >= 0 else beat.span

    def pause(self, body: Body, name: str, paused: bool) -> Result:
        """Pause or resume a pulse; a paused one keeps its place."""
        changed = False
        for beat in self.beats(body, name):
            if paused and beat.left < 0 <= beat.due:
                beat.left = self.stage.clock.left(beat.due, beat.owner)
                self.stage.clock.disarm(beat)
                changed = True
            elif not paused and beat.left >= 0:
                self._resume(beat, beat.left)
                beat.left = -1
                changed = True
        return Result("" if changed else "no_change")

    def _beat(self, beat: Beat) -> None:
        every = beat.kind.every
        if isinstance(every, int):
            self._arm(beat, every)
            self._pulse(beat)
            return
        body, status = beat.owner, beat.status
        caused_by = self.stage.source_of(status) if status is not None else ""
        try:
            self._arm(beat, span_of(every, Scope(self.stage, body, self.stage.party(caused_by))))
        except FormulaError:
            self._arm(beat, beat.span)  # the error is raised below; the pulse keeps its last interval
            raise
        finally:
            self._pulse(beat)

    def _pulse(self, beat: Beat) -> None:
        """Do what a pulse does, for whoever caused it."""
        body, status, kind = beat.owner, beat.status, beat.kind
        if not body.alive:
            return
        if status is None and kind.pays is not None:
            owner = self.stage.owner_of(body)
            if owner is not None:
                self.effects.goods.pay(owner, *kind.pays, kind.name, body.id)
            return
        self.stage.cause = status.cause if status is not None else 0
        caused_by = self.stage.source_of(status) if status is not None else ""
        source = self.stage.party(caused_by)
        if kind.hurts is not None and self.stage.fast:
            self.hurt(body, *kind.hurts, source, caused_by)
            return
        place = (
            f"statuses.{status.name}" if status is not None else f"actors.{body.kind_name}.pulses.{kind.name}"
        )
        scope = Scope(
            self.stage,
            body,
            source,
            place=place,
            reason=status.name if status is not None else kind.name,
            pulse=True,
        )
        if source is None:
            scope.credit = caused_by
        self.effects.follow(kind.do, scope)

    def forget(self, body: Body) -> None:
        """Let what is due for an actor that goes never come."""
        for beat in body.pulses.values():
            self.stage.clock.disarm(beat)
        self.forget_ailments(body)

    def forget_ailments(self, body: Body) -> None:
        """Take a body's statuses away, without an event."""
        for timer in (*(beat for ailment in body.ailments for beat in ailment.beats), *body.ailments):
            self.stage.clock.disarm(timer)
        body.ailments = []

    # statuses

    def kind(self, name: str) -> StatusKind:
        """Return a status of the design by its name."""
        found = self.stage.kinds.statuses.get(name)
        if found is None:
            raise UnknownNameError("status", name, tuple(self.stage.kinds.statuses))
        return found

    def by_hand(self, name: str) -> StatusKind:
        """Return a status by its name that may be put on and cured; raises where a condition says when it
        is on."""
        kind = self.kind(name)
        if kind.active_when is not None:
            raise UsageError(
                f"{name} is on exactly while {kind.active_when.formula.text} holds; it can be neither put on "
                "nor cured"
            )
        return kind

    def refusal(self, body: Body, kind: StatusKind) -> Blocked:
        """Return why a status would not begin on a body; "" if it would."""
        if not body.alive:
            return "dead"
        if kind.in_turns and not body.kind.turns:
            return "immune"
        immune = body.kind.guard.immune_while
        if immune and any(body.has(tag) for tag in immune):
            return "immune"
        there = [ailment for ailment in body.ailments if ailment.kind is kind]
        if not there:
            return ""
        if kind.stack == "keep" or (kind.stack == "add" and kind.most and len(there) >= kind.most):
            return "no_change"
        if kind.stack == "refresh" and there[0].due < 0:
            return "no_change"
        return ""

    def begin(self, body: Body, name: str, source: str = "", lasts: int = -1) -> Result:
        """Let a status begin, or stack as its kind says; *lasts* in microseconds replaces the kind's."""
        kind = self.by_hand(name)
        refused = self.refusal(body, kind)
        if refused:
            return Result(refused)
        scope = Scope(self.stage, body, self.stage.party(source))
        lasts = span_of(kind.lasts, scope) if lasts < 0 else lasts
        if beyond(lasts, body):
            return Result("immune")
        there = [ailment for ailment in body.ailments if ailment.kind is kind]
        if there and kind.stack in ("refresh", "extend"):
            return self._prolong(there[0], kind, lasts, source)
        spans = [span_of(pulse.every, scope) for pulse in kind.pulses]
        return self.put_on(body, kind, source, lasts, spans)

    def put_on(self, body: Body, kind: StatusKind, source: str, lasts: int, spans: list[int]) -> Result:
        """Put a body under a status; nothing is asked any more. *spans* are those of its pulses."""
        spans = spans or [span_of(pulse.every, Scope(self.stage, body)) for pulse in kind.pulses]
        ailment = Ailment(kind, body)
        ailment.source, ailment.credit = self.stage.noted(source)
        body.ailments.append(ailment)
        seq = self.stage.emit("status_began", body.id, source, (kind.name,))
        ailment.cause = ailment.began = seq
        if lasts:
            self.stage.clock.arm(ailment, self.stage.clock.later(lasts, body))
        for pulse, span in zip(kind.pulses, spans, strict=True):
            beat = Beat(pulse, body, ailment)
            ailment.beats.append(beat)
            self._start(beat, span)
        self.changed(body, seq)
        return Result()

    def _prolong(self, ailment: Ailment, kind: StatusKind, lasts: int, source: str) -> Result:
        """Refresh or extend one that is there; its pulses keep their beat, its cause becomes the newest."""
        clock, body = self.stage.clock, ailment.owner
        span = lasts
        if kind.stack == "extend" and ailment.due >= 0:
            span = more(clock.left(ailment.due, body), lasts, kind.most)
        until = clock.later(span, body)
        if ailment.due < 0 or (lasts and clock.longer(ailment.due, until, body) == ailment.due):
            return Result("no_change")  # it would prolong nothing
        if lasts:
            self.stage.clock.arm(ailment, until)
        else:
            self.stage.clock.disarm(ailment)
        ailment.source, ailment.credit = self.stage.noted(source)
        ailment.cause = self.stage.emit("status_began", ailment.owner.id, source, (kind.name,))
        return Result()

    def cure(self, body: Body, name: str) -> Result:
        """End a status before its time, all of its stacks."""
        self.by_hand(name)
        if not body.alive:
            return Result("dead")
        there = [ailment for ailment in body.ailments if ailment.name == name]
        for ailment in there:
            self.end(ailment, "cured", -1)
        return Result("" if there else "no_change")

    def _over(self, ailment: Ailment) -> None:
        self.end(ailment, "over", ailment.cause)

    def end(self, ailment: Ailment, why: str, cause: int) -> None:
        """End one status, and tell why."""
        body = ailment.owner
        self.stage.clock.disarm(ailment)
        for beat in ailment.beats:
            self.stage.clock.disarm(beat)
        body.ailments.remove(ailment)
        seq = self.stage.emit(
            "status_ended", body.id, self.stage.source_of(ailment), (ailment.name, why), cause
        )
        self.changed(body, seq)

    def _clear(self, body: Body, cause: int) -> None:
        """Death ends every status."""
        for ailment in list(body.ailments):
            self.end(ailment, "died", cause)

    def changed(self, body: Body, cause: int = -1) -> None:
        """Work out anew what a body's statuses bring, and tell of tags that came or went."""
        before = set(body.word_counts)
        self.gather(body)
        for tag in [word for word in body.word_counts if word not in before and word not in body.kind.tags]:
            self.stage.emit("tagged", body.id, "", (tag,), cause)
        for tag in [
            word for word in sorted(before) if word not in body.word_counts and word not in body.kind.tags
        ]:
            self.stage.emit("untagged", body.id, "", (tag,), cause)
        self.stage.touched("status", body.id)
        self.stage.touched("tags", body.id)
        self.vitals.flows.renew(body)

    def gather(self, body: Body) -> None:
        """Fill a body's caches from its statuses: words, flows, factors."""
        body.unburden()
        scope = Scope(self.stage, body) if body.ailments else None
        for tag in body.tags:
            body.word_counts[tag] = 1
        for ailment in body.ailments:
            kind = ailment.kind
            for tag in kind.tags:
                body.word_counts[tag] = body.word_counts.get(tag, 0) + 1
            for index, (meter, flow) in enumerate(kind.flows):
                body.flows.append((meter, flow, ailment, f"s{ailment.began}.{index}"))
            body.deals *= amount_of(kind.deals, scope)
            body.scale *= amount_of(kind.scale, scope)
            for name, factor in kind.through.items():
                body.through[name] = body.through.get(name, 1.0) * amount_of(factor, scope)
        body.ill = bool(body.through or body.scale != 1)
        body.flowing = bool(body.flows or body.rates)
        body.quiets = body.kind.quiets or any(flow.after_hurt for _, flow, _, _ in body.flows)

    # under another design

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: tags, statuses and pulses that are not there any more end; of those that begin,
        `go_on` says when they are due."""
        for body in self.stage.actors.values():
            if not crossing.touches(body):
                continue
            for tag in [tag for tag in body.tags if tag not in crossing.new.known.tags]:
                del body.tags[tag]
                crossing.told.append(("untagged", body.id, (tag,)))
            kind = crossing.new.actors[body.kind_name]
            for name in [name for name in body.pulses if name not in kind.pulses]:
                body.pulses.pop(name).due = -1
                crossing.ended.append(f"{body.id}: pulse {name}")
            for name in [name for name in kind.pulses if name not in body.pulses]:
                body.pulses[name] = Beat(kind.pulses[name], body)
                crossing.began.append(f"{body.id}: pulse {name}")
            body.pulses = {name: body.pulses[name] for name in kind.pulses}
            for ailment in body.ailments:
                status = crossing.new.statuses.get(ailment.name)
                count = 0 if status is None else len(status.pulses)
                for timer in ailment.beats[count:]:
                    timer.due = -1
                ailment.beats = ailment.beats[:count]
                if status is None:
                    ailment.due = -1
                    crossing.ended.append(f"{body.id}: {ailment.name}")
                    crossing.told.append(("status_ended", body.id, (ailment.name, "adopted")))
                else:
                    new = status.pulses[len(ailment.beats) :]
                    ailment.beats += [Beat(pulse, body, ailment) for pulse in new]
            body.ailments = [one for one in body.ailments if one.name in crossing.new.statuses]

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`."""
        for body in self.stage.actors.values():
            if not crossing.touches(body):
                continue
            for beat in (*body.pulses.values(), *(beat for one in body.ailments for beat in one.beats)):
                if beat.due < 0 and beat.left < 0:
                    source = (
                        None if beat.status is None else self.stage.party(self.stage.source_of(beat.status))
                    )
                    self._start(beat, span_of(beat.kind.every, Scope(self.stage, body, source)))

    # tags

    def set_tag(self, body: Body, tag: str, on: bool) -> Result:
        """Set or take away one of a body's own tags; an event comes only where it changes."""
        if tag not in self.stage.kinds.known.tags:
            raise UnknownNameError("tag", tag, self.stage.kinds.known.tags)
        if not body.alive:
            return Result("dead")
        if (tag in body.tags) == on:
            return Result("no_change")
        if on:
            body.tags[tag] = 1
        else:
            del body.tags[tag]
        self.changed(body)
        return Result()

    # what outlives the session

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return self.carried.keepers()

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`: how far the pulses of a kind are."""
        return (Keeper("pulses", self._pulses_kept, self._pulses_back, of_players=False),)

    def _pulses_kept(self, body: Body) -> dict[str, Any]:
        left = self.stage.clock.left
        return {
            name: [beat.left if beat.left >= 0 else left(beat.due, body), beat.left >= 0, beat.span]
            for name, beat in body.pulses.items()
        }

    def _pulses_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        clock = self.stage.clock
        for name, beat in body.pulses.items():
            if name not in data:  # it came with a design that was adopted since
                continue
            left, paused, beat.span = data[name]
            clock.disarm(beat)
            beat.left = left if paused else -1
            if not paused:
                self._resume(beat, left)
        return {}

    # effects

    def prepare_begin(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        kind, lasts = self.kind(effect.operand), effect.beside.get("lasts")
        # Also what the status itself works out, which is not to fail once others are under way.
        mine = Scope(self.stage, body, self.stage.party(doer(scope, body)))
        span = span_of(kind.lasts, mine) if lasts is None else span_of(lasts, scope)
        for pulse in kind.pulses:
            span_of(pulse.every, mine)
        return span, "immune" if body.alive and beyond(span, body) else self.refusal(body, kind)

    def commit_begin(self, scope: Scope, effect: BoundEffect, body: Body, prepared: Any) -> None:
        """See `effects`."""
        self.begin(body, effect.operand, doer(scope, body), prepared)

    def prepare_cure(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        there = any(ailment.name == effect.operand for ailment in body.ailments)
        if not body.alive:
            return None, "dead"
        return None, "" if there else "no_change"

    def commit_cure(self, scope: Scope, effect: BoundEffect, body: Body, prepared: Any) -> None:
        """See `effects`."""
        self.cure(body, effect.operand)

    def prepare_tag(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        """See `effects`."""
        if not body.alive:
            return None, "dead"
        return None, "no_change" if (effect.operand in body.tags) == (effect.verb == "tag") else ""

    def commit_tag(self, scope: Scope, effect: BoundEffect, body: Body, prepared: Any) -> None:
        """See `effects`."""
        self.set_tag(body, effect.operand, effect.verb == "tag")
