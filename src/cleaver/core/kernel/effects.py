"""Effects: an interpreter over the verbs that the parts declare.

Amounts and targets of a list are worked out before its first effect (`prepare`:
pure, may raise). Then there are two ways. A list of a command (taking, turning in) happens whole or not at
all: its goods are added up over the list, what leaves before what arrives (`commit`). A list that follows
from an event goes effect by effect: one that cannot happen does not stop the rest, a cost that cannot be paid
ends it there (`follow`). Owns the game's own events (`announce`). Start at `Effects.prepare` and
`Effects.follow`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import Effect, Expression
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any, Protocol

    class Mover(Protocol):
        """What moves goods: the one part whose effects are worked out over a whole list, in a ledger of its
        own."""

        @property
        def verbs(self) -> Mapping[str, Any]:
            """The verbs that move goods."""

        def ledger(self) -> Any:
            """Return a new ledger."""

        def amount(self, effect: Effect, scope: Scope) -> int:
            """Return how much an effect moves."""

        def draft(
            self, ledger: Any, scope: Scope, effect: Effect, body: Body, amount: int, position: int
        ) -> None:
            """Add what an effect would move to a ledger."""

        def settle(self, ledger: Any, reasons: list[Blocked] | None = None) -> Blocked:
            """Work out whether all of a ledger can move; returns the refusal or ""."""

        def commit(self, ledger: Any, *, leaving: bool) -> None:
            """Do the losses or the gains of a ledger."""

        def follow(self, scope: Scope, effect: Effect, body: Body, amount: int, *, owed: bool) -> bool:
            """Do one effect of a list that follows from an event; False for a cost that cannot be paid."""

        def pay(self, body: Body, name: str, amount: int, reason: str, source: str) -> None:
            """Earn a constant amount by a pulse."""

    from cleaver.literals import Blocked


class Draft:
    """A list of effects, worked out but not done.

    `reasons` has one entry an effect and target, "" where it would change something; `refused` is why the
    goods of the list cannot move as a whole.
    """

    __slots__ = ("drawn", "ledger", "operations", "reasons", "refused", "scope")
    scope: Scope
    ledger: Any
    drawn: list[str]

    def __init__(self, scope: Scope, ledger: Any) -> None:
        self.scope = scope
        self.drawn = []  # the dice that are used up when it is done
        self.operations: list[tuple[Callable[..., Any], Effect, Body | None, Any]] = []
        self.reasons: list[Blocked] = []
        self.ledger = ledger
        self.refused: Blocked = ""

    @property
    def changes(self) -> bool:
        """Whether doing it would change anything."""
        return "" in self.reasons


class Effects:
    """Works out and does effect lists for one world."""

    stage: Stage
    goods: Mover

    def __init__(self, stage: Stage, goods: Mover) -> None:
        self.stage, self.goods = stage, goods
        stage.verbs["announce"] = (self._prepare_announce, self._commit_announce)

    def targets(self, effect: Effect, scope: Scope) -> Iterable[Body | None]:
        """Return whom an effect is for."""
        to, me = effect.to, scope.me
        if to == "self":
            return (me,) if me is not None else ()
        if to == "source":
            return (scope.source,) if scope.source is not None else ()
        if to == "target":
            return (scope.target,) if scope.target is not None else ()
        if to == "owner":
            owner = self.stage.actors.get(me.owner) if me is not None else None
            return (owner,) if owner is not None else ()
        if to == "team":
            return [
                body
                for body in self.stage.actors.values()
                if me is not None and (body is me or (body.team and body.team == me.team))
            ]
        if to in ("winners", "losers"):
            return self.stage.sides(scope.event, to == "winners")
        return list(self.stage.players.values())

    def _comes(self, effect: Effect, scope: Scope, drawn: list[str]) -> bool:
        """Return whether the dice let an effect happen, and note which die that takes; it is not drawn yet.

        A formula is cut to 0…1; also what is certain takes a number, so that a chance that is tuned leaves
        the numbers after it to those they were for.
        """
        if effect.chance is None:
            return True
        stream = effect.luck if scope.me is None else scope.me.stream(effect.luck)
        number = self.stage.dice.peek(stream, drawn.count(stream))
        drawn.append(stream)
        if not isinstance(effect.chance, Expression):
            return number < effect.chance
        chance = effect.chance.value(scope)
        if chance != chance:
            raise effect.chance.trouble("gives no number, and a chance is from 0 to 1", scope)
        return bool(number < chance)

    def _worked_out(
        self, effects: Iterable[Effect], scope: Scope, drawn: list[str]
    ) -> Iterable[tuple[Effect, Body | None, Any, Blocked, bool]]:
        """Give each effect and target with its amount, why it would change nothing now, and whether the dice
        let it happen; raises whatever formulas raise."""
        goods = self.goods
        for effect in effects:
            if effect.when is not None and not effect.when.holds(scope):
                continue
            comes = self._comes(effect, scope, drawn)
            prepare = self.stage.verbs[effect.verb][0]
            if effect.verb == "announce":
                yield effect, scope.me, prepare(scope, effect, scope.me)[0], "", comes
                continue
            for body in self.targets(effect, scope):
                if body is not None and effect.verb in goods.verbs:
                    yield effect, body, goods.amount(effect, scope), "", comes
                else:
                    yield effect, body, *prepare(scope, effect, body), comes

    def _draw(self, drawn: list[str]) -> None:
        for stream in drawn:
            self.stage.dice.draw(stream)

    def forget(self, body: Body) -> None:
        """Drop the dice of somebody who goes."""
        for luck in self.stage.kinds.lucks:
            self.stage.dice.forget(body.stream(luck))

    def prepare(self, effects: Iterable[Effect], scope: Scope, ledger: Any = None) -> Draft:
        """Work out a list that happens as a whole; raises whatever its formulas raise, and changes nothing.

        Args:
            effects: The list.
            scope: Who it is about.
            ledger: Goods that move in the same step, such as what a quest takes before it gives.
        """
        draft = Draft(scope, self.goods.ledger() if ledger is None else ledger)
        for effect, body, amount, reason, comes in self._worked_out(effects, scope, draft.drawn):
            if not comes:  # what might have come is a reason to take it, or to pay, all the same
                draft.reasons.append(reason)
                continue
            if body is not None and effect.verb in self.goods.verbs:
                self.goods.draft(draft.ledger, scope, effect, body, amount, len(draft.reasons))
            draft.operations.append((self.stage.verbs[effect.verb][1], effect, body, amount))
            draft.reasons.append(reason)
        if draft.ledger.moves:
            draft.refused = self.goods.settle(draft.ledger, draft.reasons)
        return draft

    def commit(self, draft: Draft) -> None:
        """Do what was worked out: goods that leave, goods that arrive, then everything else in order."""
        scope = draft.scope
        self._draw(draft.drawn)
        if draft.ledger.moves:
            self.goods.commit(draft.ledger, leaving=True)
            self.goods.commit(draft.ledger, leaving=False)
        for commit, effect, body, prepared in draft.operations:
            if effect.verb not in self.goods.verbs:
                commit(scope, effect, body, prepared)

    def follow(self, effects: Sequence[Effect], scope: Scope, *, owed: bool = False) -> None:
        """Do a list that follows from an event, effect by effect.

        Args:
            effects: The list.
            scope: Who it is about.
            owed: Whether what does not fit is kept for a player until it does; else it is reported as missed.
        """
        # Where nothing else need be worked out before it, one effect goes the short way.
        if len(effects) == 1 and self.stage.fast and effects[0].chance is None:
            effect = effects[0]
            to, verb = effect.to, effect.verb
            body = scope.me if to == "self" else scope.target if to == "target" else None
            if body is not None and verb != "announce":
                if effect.when is not None and not effect.when.holds(scope):
                    return
                if verb in self.goods.verbs:
                    self.goods.follow(scope, effect, body, self.goods.amount(effect, scope), owed=owed)
                else:
                    prepare, commit = self.stage.verbs[verb]
                    commit(scope, effect, body, prepare(scope, effect, body)[0])
                return
        drawn: list[str] = []
        found = tuple(self._worked_out(effects, scope, drawn))
        self._draw(drawn)
        for effect, body, prepared, _, comes in found:
            if not comes:
                continue
            if body is not None and effect.verb in self.goods.verbs:
                if not self.goods.follow(scope, effect, body, prepared, owed=owed):
                    return
            else:
                self.stage.verbs[effect.verb][1](scope, effect, body, prepared)

    def _prepare_announce(self, scope: Scope, effect: Effect, body: Any) -> tuple[Any, Blocked]:
        kind = self.stage.kinds.events[effect.operand]
        values = []
        for name in kind.names:
            value = effect.beside[name]
            values.append(value.number(scope) if isinstance(value, Expression) else value)
        return tuple(values), ""

    def _commit_announce(self, scope: Scope, effect: Effect, body: Any, values: Any) -> None:
        source = scope.source.id if scope.source is not None else scope.credit
        self.stage.emit(effect.operand, scope.me.id if scope.me is not None else "", source, values)
