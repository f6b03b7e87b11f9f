"""Stage: what all rooms stand on.

Who is there, what time it is, the dice, the number of the last fact, what
caused what, and the queue of facts not yet delivered. A room plugs in by four
tables: the verbs of effects, what is due, what follows from a fact, what can be
read. The stage names no room. Start at `Stage.emit` and `Stage.drain`.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

from cleaver.core.body import Body
from cleaver.core.clock import Clock, Timer
from cleaver.core.delivery import Listeners, Listening
from cleaver.core.dice import Dice
from cleaver.core.events import Fact, Value
from cleaver.core.kinds import Effect, Kinds, Scope
from cleaver.errors import BusyError, GoneError, ReactionError, RunawayRulesError, UnknownNameError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any
else:
    Any = object

MOST_FACTS = 10_000  # that may follow from one command

Reaction = Callable[[Fact], None]
Planner = Callable[[str, str, str], list[tuple[str, Reaction]]]
Read = Callable[[Body, str, str], Any]
Commit = Callable[[Scope, Effect, Any, Any], None]
Prepare = Callable[[Scope, Effect, Any], tuple[Any, str]]


class Stage:
    """The common ground of one world."""

    def __init__(self, kinds: Kinds, seed: int, history: int) -> None:
        self.kinds = kinds
        self.damaged = kinds.facts["damaged"]
        self.clock = Clock()
        self.dice = Dice(seed)
        self.seq = 0
        self.actors: dict[str, Body] = {}
        self.players: dict[str, Body] = {}
        self.gone: dict[str, str] = {}  # ids that were given by the host and may not come again: their kinds
        self.counts: dict[str, int] = {}  # kind: how many ids were made up for it
        self.verbs: dict[str, tuple[Prepare, Commit]] = {}
        self.due: dict[str, Callable[[Any], None]] = {}
        self.planners: list[Planner] = []
        self.readable: dict[str, Read] = {}
        self.arrivals: list[Callable[[Body], None]] = []  # called when an actor has come
        self.departures: list[Callable[[Body], None]] = []
        self.listeners = Listeners(self)
        self.history: deque[Fact] = deque(maxlen=history)
        self.queue: deque[Fact] = deque()
        self.cause = 0
        self.draining = False
        self.patience: int | None = None  # how much more may come due, where a host sets a limit; no part of the state
        self._plans: dict[tuple[str, str, str], tuple[tuple[str, Reaction], ...]] = {}

    # who is there

    def actor(self, name: str) -> Body:
        """Return an actor by its id; one that has left, or never was, is an error that says so."""
        found = self.actors.get(name)
        if found is None:
            if name in self.gone:
                raise GoneError("actor", name)
            raise UnknownNameError("actor", name, tuple(self.actors))
        return found

    def kind_of(self, name: str) -> str:
        """Return the kind of an actor, also of one that has left; "" for nobody."""
        found = self.actors.get(name)
        if found is not None:
            return found.kind_name
        return self.gone.get(name) or (name.partition("#")[0] if "#" in name else "")

    # facts

    def emit(self, name: str, actor: str, source: str, values: tuple[Value, ...], cause: int = -1) -> int:
        """Let a fact be known; returns its number. *cause* is that of the command or reaction at work unless given."""
        self.seq += 1
        fact = Fact(self.kinds.facts[name], self.seq, self.clock.now, self.cause if cause < 0 else cause, actor, source, values)
        self.queue.append(fact)
        return self.seq

    def idle(self, command: str) -> None:
        """Refuse *command* while facts are being delivered."""
        if self.draining:
            raise BusyError(command)

    def drain(self) -> None:
        """Deliver all facts that wait, and those that follow from them; raise what went wrong when all is done."""
        if self.draining or not self.queue:
            return
        errors = self.deliver()
        if errors:
            raise only(errors)

    def deliver(self) -> list[Exception]:
        """Deliver all facts that wait and those that follow; return the errors of listeners and reactions."""
        queue = self.queue
        errors: list[Exception] = []
        self.draining = True
        fired: list[str] = []
        count = 0
        try:
            while queue:
                count += 1
                if count > MOST_FACTS:
                    queue.clear()
                    errors.append(RunawayRulesError(MOST_FACTS, list(dict.fromkeys(fired))))
                    break
                self._give_out(queue.popleft(), errors, fired if count > MOST_FACTS - 200 else None)
        finally:
            self.draining = False
            self.cause = 0
        return errors

    def _give_out(self, fact: Fact, errors: list[Exception], fired: list[str] | None) -> None:
        """Let one fact be known: the reactions of the design in their order, then listeners."""
        actor, source = fact.actor, fact.source
        actors = self.actors
        body, other = actors.get(actor), actors.get(source)
        self._let_know(fact, body.kind_name if body is not None else self.kind_of(actor), other.kind_name if other is not None else self.kind_of(source),
                       errors, fired)

    def _let_know(self, fact: Fact, actor_kind: str, source_kind: str, errors: list[Exception], fired: list[str] | None) -> None:
        kind = fact.kind
        name = kind.name
        self.history.append(fact)
        self.cause = fact.seq
        plan = self._plans.get((name, actor_kind, source_kind))
        if plan is None:
            plan = self.plan(name, actor_kind, source_kind)
        for place, react in plan:
            if fired is not None and place:
                fired.append(place)
            try:
                react(fact)
            except Exception as error:  # whatever a reaction raises must not stop the others
                errors.append(error)
        cache = self.listeners.cache
        if name in cache:
            self._call(fact, cache[name].get(fact.actor) or self.listeners.heard(name, fact.actor, actor_kind), errors)
        if kind.seen_as in cache:
            name = kind.seen_as
            self._call(fact, cache[name].get(fact.source) or self.listeners.heard(name, fact.source, source_kind), errors)

    @staticmethod
    def _call(fact: Fact, heard: tuple[Listening, ...], errors: list[Exception]) -> None:
        seq = fact.seq
        for listening in heard:
            if listening.open and listening.after < seq:
                try:
                    listening.call(fact)
                except Exception as error:  # as above
                    errors.append(error)

    def tell(self, fact: Fact, actor_kind: str, source_kind: str) -> None:
        """Deliver one fact straight away where nothing waits and nothing is being delivered: the same as queue and drain, without the queue."""
        if self.draining or self.queue:
            self.queue.append(fact)
            return
        self.draining = True
        errors: list[Exception] = []
        try:
            self._let_know(fact, actor_kind, source_kind, errors, None)
        finally:
            self.draining = False
            self.cause = 0
        if self.queue:
            errors += self.deliver()
        if errors:
            raise only(errors)

    def plan(self, name: str, kind: str, source_kind: str) -> tuple[tuple[str, Reaction], ...]:
        """Return the reactions to a fact between two kinds, in their order."""
        key = (name, kind, source_kind)
        found = self._plans.get(key)
        if found is None:
            found = self._plans[key] = tuple(reaction for planner in self.planners for reaction in planner(name, kind, source_kind))
        return found

    def forget_plans(self) -> None:
        """Let plans be made anew, after what they are made of has changed."""
        self._plans.clear()

    def asks(self, name: str) -> bool:
        """Return whether anybody would hear of a fact: a listener, a rule, the history."""
        if self.history.maxlen or name in self.listeners.cache:
            return True
        return any(rule.match.on == name for rule in self.kinds.rules) or name in self.kinds.tallied

    # time

    def pass_time(self, until: int) -> None:
        """Let everything due up to the microsecond *until* happen, each at its own instant."""
        clock = self.clock
        errors: list[Exception] = []
        while (timer := clock.next(until)) is not None:
            if not clock.tick(timer.due):
                errors.append(RunawayRulesError(MOST_FACTS, [f"a {timer.verb} that is due again at the instant it happens"]))
                break
            errors.extend(self.happen(timer))
            if self.patience is not None:
                self.patience -= 1
                if self.patience <= 0:
                    raise UsageError(f"more came due than may in one run of a script; time stands at {clock.now / 1e6:g} s. Let less time pass")
        clock.tick(until)
        if errors:
            raise only(errors)

    def happen(self, timer: Timer) -> list[Exception]:
        """Let what *timer* stands for happen now, and deliver what follows."""
        self.cause = 0
        timer.due = -1
        errors: list[Exception] = []
        try:
            self.due[timer.verb](timer)
        except Exception as error:  # time goes on; the error is raised at the end
            errors.append(error)
        if self.queue:
            errors.extend(self.deliver())
        self.cause = 0
        return errors


def only(errors: list[Exception]) -> Exception:
    """Return what to raise for *errors*: a loop of rules as itself, anything else as one group."""
    if len(errors) == 1 and isinstance(errors[0], RunawayRulesError):
        return errors[0]
    flat = [inner for error in errors for inner in (error.exceptions if isinstance(error, ReactionError) else (error,))]
    return ReactionError("listeners or reactions failed; everything else happened", flat)


