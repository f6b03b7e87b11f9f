"""Effects: an interpreter over the verbs that the parts declare.

Amounts and targets of a list are worked out before its first effect (`prepare`:
pure, may raise). Then there are two ways. A list of a command (taking, turning in) happens whole or not at
all: its goods are added up over the list, what leaves before what arrives, and then each effect is done where
it is written (`commit`). A list that follows from an event goes effect by effect: one that cannot happen
does not stop the rest, a cost that cannot be paid ends it there (`follow`). Owns the game's own events
(`announce`). Start at `Effects.prepare` and `Effects.follow`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import BoundEffect, Expression, amount_of
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.design.vocabulary import VERBS

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

        def amount(self, effect: BoundEffect, scope: Scope) -> int:
            """Return how much an effect moves."""

        def draft(
            self, ledger: Any, scope: Scope, effect: BoundEffect, body: Body, amount: int, position: int
        ) -> Any:
            """Add what an effect would move to a ledger; returns the move."""

        def settle(self, ledger: Any, reasons: list[Blocked] | None = None) -> Blocked:
            """Work out whether all of a ledger can move; returns the refusal or ""."""

        def move(self, moves: Any, told: Any = None) -> None:
            """Do moves that were settled."""

        def follow(self, scope: Scope, effect: BoundEffect, body: Body, amount: int, *, owed: bool) -> bool:
            """Do one effect of a list that follows from an event; False for a cost that cannot be paid."""

        def pay(self, body: Body, name: str, amount: int, reason: str, source: str) -> None:
            """Earn a constant amount by a pulse."""

    class Trader(Protocol):
        """What makes exchanges as one step with others."""

        def order(self, body: Any, name: str, times: int | None, drawn: list[str]) -> Any:
            """Work out an exchange without its goods moving; it has `moves` and `refused`."""

        def fill(self, order: Any) -> None:
            """Do an order that was worked out."""

    from cleaver.literals import Blocked
else:
    Any, Blocked = object, str


Worked = tuple[BoundEffect, "Body | None", Any, Blocked, bool]
"""One effect of a list on one target: its amount, why it would change nothing now, and whether the dice let
it happen."""
_ANYWHERE = ("announce", "place")  # what happens also where it is about nobody
_OF_ITS_OWN = (*_ANYWHERE, "choose")  # what the short way does not know
FOR_PLAYERS = ("score", "deduct", "xp", "grant", "start_quest", "fail_quest")
"""Effects on what only players have."""


class Draft:
    """A list of effects, worked out but not done.

    `reasons` has one entry an effect and target, "" where it would change something; `refused` is why it
    cannot happen as a whole.
    """

    __slots__ = ("before", "drawn", "ledger", "operations", "reasons", "refused", "scope")
    scope: Scope
    ledger: Any
    drawn: list[str]
    before: int
    """How many moves stood in the ledger before those of the list."""

    def __init__(self, scope: Scope, ledger: Any, drawn: list[str]) -> None:
        self.scope = scope
        self.drawn = drawn  # the dice that are used up when it is done
        self.operations: list[tuple[Callable[..., Any], BoundEffect, Body | None, Any]] = []
        self.reasons: list[Blocked] = []
        self.ledger, self.before = ledger, len(ledger.moves)
        self.refused: Blocked = ""

    @property
    def changes(self) -> bool:
        """Whether doing it would change anything."""
        return "" in self.reasons


class Effects:
    """Works out and does effect lists for one world."""

    stage: Stage
    goods: Mover
    trader: Trader

    def __init__(self, stage: Stage, goods: Mover) -> None:
        self.stage, self.goods = stage, goods
        self.passed_by: frozenset[str] = frozenset()
        """Verbs that do nothing just now: a stage begins anew, and what they did is kept."""
        stage.verbs["announce"] = (self._prepare_announce, self._commit_announce)

    def targets(self, effect: BoundEffect, scope: Scope) -> Iterable[Body | None]:
        """Return whom an effect is for."""
        to, me = effect.to, scope.me
        if to == "self":
            return (me,) if me is not None else ()
        if to == "source":
            return (self._player_behind(effect, scope.source),) if scope.source is not None else ()
        if to == "target":
            return (scope.target,) if scope.target is not None else ()
        if to == "owner":
            owner = self.stage.owner_of(me) if me is not None else None
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

    def _player_behind(self, effect: BoundEffect, body: Body) -> Body:
        """Return whom something is for that only players have: what has earned it, or whom that acts for."""
        if effect.verb not in FOR_PLAYERS or body.kind.player or body.lead is None:
            return body
        return self.stage.party(self.stage.credit_of(body.id)) or body

    def _comes(self, effect: BoundEffect, scope: Scope, drawn: list[str]) -> bool:
        """Return whether the dice let an effect happen, and note which die that takes; it is not drawn yet.

        A formula is cut to 0…1; also what is certain takes a number, so that a chance that is tuned leaves
        the numbers after it to those they were for.
        """
        if effect.chance is None:
            return True
        number = self._number(effect.luck, scope, drawn)
        if not isinstance(effect.chance, Expression):
            return number < effect.chance
        chance = effect.chance.value(scope)
        if chance != chance:
            raise effect.chance.trouble("gives no number, and a chance is from 0 to 1", scope)
        return bool(number < chance)

    def _number(self, stream: str, scope: Scope, drawn: list[str]) -> float:
        """Return the next number of a stream of an effect's dice, and note that it takes it."""
        stream = stream if scope.me is None else scope.me.stream(stream)
        number = self.stage.dice.peek(stream, drawn.count(stream))
        drawn.append(stream)
        return number

    def _chosen(self, effect: BoundEffect, scope: Scope, drawn: list[str]) -> int:
        """Return which of its lists a `choose` does, by their weights; -1 where all of them weigh nothing."""
        weights = [amount_of(option.weight, scope) for option in effect.operand]
        left = self._number(f"{effect.luck}/choose", scope, drawn) * sum(weights)
        for number, weight in enumerate(weights):
            left -= weight
            if left < 0:
                return number
        # Rounding may leave a trace over; it belongs to the last one that weighs anything.
        return max((number for number, weight in enumerate(weights) if weight), default=-1)

    def _worked_out(self, effects: Iterable[BoundEffect], scope: Scope, drawn: list[str]) -> Iterable[Worked]:
        """Give each effect and target with its amount, why it would change nothing now, and whether the dice
        let it happen; raises whatever formulas raise."""
        goods = self.goods
        for effect in effects:
            if effect.verb in self.passed_by or (effect.when is not None and not effect.when.holds(scope)):
                continue
            comes = self._comes(effect, scope, drawn)
            if effect.verb == "choose":
                chosen = self._chosen(effect, scope, drawn)
                for number, option in enumerate(effect.operand):
                    mine = comes and number == chosen
                    # The dice of a list that is not chosen are not thrown.
                    for one, body, amount, reason, too in self._worked_out(
                        option.do, scope, drawn if mine else [*drawn]
                    ):
                        yield one, body, amount, reason, mine and too
                continue
            prepare = self.stage.verbs[effect.verb][0]
            if effect.verb in _ANYWHERE and effect.to == "self":
                yield effect, scope.me, *prepare(scope, effect, scope.me), comes
                continue
            for body in self.targets(effect, scope):
                if body is not None and effect.verb in goods.verbs:
                    yield effect, body, goods.amount(effect, scope), "", comes
                else:
                    yield effect, body, *prepare(scope, effect, body), comes

    def draw(self, drawn: Iterable[str]) -> None:
        """Use up the dice of lists that were worked out and are done."""
        for stream in drawn:
            self.stage.dice.draw(stream)

    def once_more(self, effects: Sequence[BoundEffect], scope: Scope) -> None:
        """Do a reward again, after its stage began anew: what it gave in sections that are kept is still
        there."""
        kept = {*self.stage.keeping, "raised"}
        self.passed_by = frozenset(name for name, verb in VERBS.items() if verb.kept_in in kept)
        try:
            self.follow(effects, scope, owed=True)
        finally:
            self.passed_by = frozenset()

    def forget(self, body: Body) -> None:
        """Drop the dice of somebody who goes."""
        for luck in self.stage.kinds.lucks:
            self.stage.dice.forget(body.stream(luck))

    def prepare(self, effects: Iterable[BoundEffect], scope: Scope, ledger: Any = None) -> Draft:
        """Work out a list that happens as a whole; raises whatever its formulas raise, and changes nothing.

        Args:
            effects: The list.
            scope: Who it is about.
            ledger: Goods that move in the same step, such as what a quest takes before it gives.
        """
        draft = self.work_out(effects, scope, [], ledger)
        if not draft.refused and draft.ledger.moves:
            draft.refused = self.goods.settle(draft.ledger, draft.reasons)
        return draft

    def work_out(
        self, effects: Iterable[BoundEffect], scope: Scope, drawn: list[str], ledger: Any = None
    ) -> Draft:
        """Work out a list as `prepare` does, but for whether its goods can move, which whoever asks settles
        with others.

        Args:
            effects: The list.
            scope: Who it is about.
            drawn: The dice that lists before it take; those of this one are added.
            ledger: Goods that move in the same step.
        """
        draft = Draft(scope, self.goods.ledger() if ledger is None else ledger, drawn)
        for effect, body, amount, reason, comes in self._worked_out(effects, scope, draft.drawn):
            if not comes:  # what might have come is a reason to take it, or to pay, all the same
                draft.reasons.append(reason)
                continue
            if body is not None and effect.verb in self.goods.verbs:
                amount = self.goods.draft(draft.ledger, scope, effect, body, amount, len(draft.reasons))
            if effect.verb == "exchange":
                amount = self.trader.order(body, effect.operand, amount, drawn)
                draft.ledger.moves += amount.moves
                draft.refused = draft.refused or amount.refused
            draft.operations.append((self.stage.verbs[effect.verb][1], effect, body, amount))
            draft.reasons.append(reason)
        return draft

    def commit(self, draft: Draft) -> None:
        """Do what was worked out: what moves in the same step first, then the list as it is written."""
        self.goods.move(draft.ledger.moves[: draft.before])
        self.finish(draft)
        self.draw(draft.drawn)

    def finish(self, draft: Draft, told: Any = None) -> None:
        """Do the effects of a list that was worked out, each where it is written; *told* is as `Mover.move`
        has it."""
        for commit, effect, body, prepared in draft.operations:
            if effect.verb == "exchange":
                self.trader.fill(prepared)
            elif effect.verb in self.goods.verbs:
                self.goods.move((prepared,), told)
            else:
                commit(draft.scope, effect, body, prepared)

    def follow(self, effects: Sequence[BoundEffect], scope: Scope, *, owed: bool = False) -> None:
        """Do a list that follows from an event, effect by effect.

        Args:
            effects: The list.
            scope: Who it is about.
            owed: Whether what does not fit is kept for a player until it does; else it is reported as missed.
        """
        # Where nothing else need be worked out before it, one effect goes the short way.
        if len(effects) == 1 and self.stage.fast and effects[0].chance is None and not self.passed_by:
            effect = effects[0]
            to, verb = effect.to, effect.verb
            body = scope.me if to == "self" else scope.target if to == "target" else None
            if body is not None and verb not in _OF_ITS_OWN:
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
        self.draw(drawn)
        for effect, body, prepared, _, comes in found:
            if not comes:
                continue
            if body is not None and effect.verb in self.goods.verbs:
                if not self.goods.follow(scope, effect, body, prepared, owed=owed):
                    return
            elif self.stage.verbs[effect.verb][1](scope, effect, body, prepared) is False:
                return  # an exchange that could not be made is a cost that could not be paid

    def _prepare_announce(self, scope: Scope, effect: BoundEffect, body: Any) -> tuple[Any, Blocked]:
        kind = self.stage.kinds.events[effect.operand]
        values = []
        for name in kind.names:
            value = effect.beside[name]
            values.append(value.number(scope) if isinstance(value, Expression) else value)
        return tuple(values), ""

    def _commit_announce(self, scope: Scope, effect: BoundEffect, body: Any, values: Any) -> None:
        who = scope.source if body is scope.me else scope.me
        source = who.id if who is not None else scope.credit
        self.stage.emit(effect.operand, body.id if body is not None else "", source, values)
