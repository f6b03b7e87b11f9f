"""Abilities: what somebody can do, for a price and once in a while. Start at `Abilities.use`."""

from __future__ import annotations

from cleaver.core.abilities.costs import Bill, Costs
from cleaver.core.goods.pickups import within
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.effects import Draft, Effects
from cleaver.core.kernel.expressions import amount_of, met, span_of
from cleaver.core.kernel.part import Part
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.errors import UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.kernel.actor_kinds import AbilityKind
    from cleaver.literals import Blocked


class Abilities(Part):
    """The abilities of the actors of one world. Keeps no state of its own: cooldowns are on the body."""

    stage: Stage
    effects: Effects
    costs: Costs

    def __init__(self, stage: Stage, effects: Effects, costs: Costs) -> None:
        self.stage, self.effects, self.costs = stage, effects, costs

    def kind(self, body: Body, name: str) -> AbilityKind:
        """Return an ability of a body's kind by its name."""
        found = body.kind.abilities.get(name)
        if found is None:
            raise UnknownNameError("ability", name, tuple(body.kind.abilities), body.id)
        return found

    def rests(self, body: Body, name: str) -> int:
        """Return the span until an ability can be used again; 0 if it can."""
        return max(self.stage.clock.left(body.cooldowns.get(self.kind(body, name).rests_as, 0), body), 0)

    def price(self, body: Body, name: str) -> dict[str, float]:
        """Return what an ability would cost somebody now."""
        kind = self.kind(body, name)
        return self.costs.written(body, kind.costs, self._scope(body, body, kind))

    def _scope(self, body: Body, target: Body | None, kind: AbilityKind) -> Scope:
        return Scope(self.stage, body, body, target, place=kind.where, reason=kind.name)

    def _target(self, body: Body, kind: AbilityKind, target: Body | None) -> tuple[Blocked, Body | None]:
        """Return whom an ability is used on, and why it cannot be."""
        if kind.targets == "nobody":
            return "not_for_you" if target is not None else "", None
        if target is None and kind.targets != "foe":
            target = body
        if target is None:
            return "not_for_you", None
        friend = self.stage.same_side(body.id, target.id)
        fits = {"self": target is body, "ally": friend, "foe": not friend, "any": True}
        return "" if fits[kind.targets] else "not_for_you", target

    def asked(self, body: Body, kind: AbilityKind, target: Body | None = None) -> Blocked:
        """Return why somebody cannot use an ability now, on whomever; "" if it can."""
        if not body.alive:
            return "source_dead"
        scope = self._scope(body, target, kind)
        if not met(kind.needs, scope):
            return "locked"
        if self.rests(body, kind.name):
            return "cooldown"
        bill = self.costs.bill(body, kind.costs, scope, kind.name)
        return "" if self.costs.affords(body, bill) else "too_poor"

    def worked_out(
        self, body: Body, name: str, target: Body | None
    ) -> tuple[Blocked, tuple[Bill, Draft, int, Body | None] | None]:
        """Work out whether somebody can use an ability on a target, and all that comes of it; changes
        nothing."""
        kind = self.kind(body, name)
        why, target = self._target(body, kind, target)
        why = self.asked(body, kind, target) or why
        if why:
            return why, None
        scope = self._scope(body, target, kind)
        bill = self.costs.bill(body, kind.costs, scope, kind.name)
        if (
            target is not None
            and kind.reach is not None
            and not within(body, target, amount_of(kind.reach, scope))
        ):
            return "out_of_reach", None
        if target is not None and not target.alive and not kind.revives:
            return "dead", None
        ledger = self.effects.goods.ledger()
        ledger.moves += bill.goods
        draft = self.effects.prepare(kind.do, scope, ledger)
        if draft.refused:
            return draft.refused, None
        if kind.do and not kind.waste and not draft.changes:
            return next(filter(None, draft.reasons), "no_change"), None
        rest = span_of(kind.cooldown, scope, least=0)
        return "", (bill, draft, rest, target)

    def use(self, body: Body, name: str, target: Body | None) -> Result:
        """Use an ability on a target: whole, or not at all."""
        why, made = self.worked_out(body, name, target)
        if made is None:
            return Result(why)
        bill, draft, rest, target = made
        stage = self.stage
        if rest:
            body.cooldowns[self.kind(body, name).rests_as] = stage.clock.later(rest, body, rest=True)
        used = stage.emit("used", body.id, "", (name, "" if target is None else target.id))
        before, stage.cause = stage.cause, used
        try:
            self.costs.drain(body, bill)
            self.effects.commit(draft)
        finally:
            stage.cause = before
        return Result()
