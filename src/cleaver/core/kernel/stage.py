"""Stage: what all parts stand on.

Who is there, what time it is, the dice, the number of the last event, what caused what, and the queue of
events not yet delivered. A part plugs in by tables: the verbs of effects, what is due, what follows from an
event, what can be read, what modifies. Start at `Stage.emit` and `Stage.drain`.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Container

from cleaver.core.kernel.body import Ailment, Body, Leaver, Party
from cleaver.core.kernel.clock import MOST_AT_ONCE, Clock, Timer
from cleaver.core.kernel.delivery import Listeners
from cleaver.core.kernel.dice import Dice
from cleaver.core.kernel.events import Event, EventShape, Value
from cleaver.core.kernel.gathered import noted, only
from cleaver.core.kernel.later import Calls, Later
from cleaver.errors import BusyError, RunawayRulesError, UnknownNameError, UsageError, said

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.kinds import Kinds
    from cleaver.literals import Blocked
else:
    Any = object
    Blocked = str

GONE_ON = -2
"""The number of the last event where the world has another stage by now."""
MOST_EVENTS = 10_000  # that may follow from one command
SHORT_CUTS = [True]
"""Whether worlds made from now on take short cuts where they give the same. Tests turn them off
(`general_way` in `tests/strategies.py`)."""

NEW = object.__new__
Reaction = Callable[[Event], None]
Planner = Callable[[str, str, str], list[tuple[str, Reaction]]]
Read = Callable[[Body, str, str], Any]
Verb = tuple[Callable[..., tuple[Any, Blocked]], Callable[..., Any]]
"""How an effect is worked out, and how it is done; see `effects`."""


class Stage:
    """The common ground of one world."""

    fast: bool
    damaged: EventShape
    clock: Clock
    dice: Dice
    seq: int
    listeners: Listeners
    calls: Calls
    passing: bool
    acted: int
    adopted: int
    cause: int
    handling: int
    delivery: int
    draining: bool

    def __init__(self, kinds: Kinds, seed: int, history: int) -> None:
        self.kinds = kinds
        self.fast = SHORT_CUTS[0]
        self.damaged = kinds.events["damaged"]
        self.clock = Clock()
        self.dice = Dice(seed)
        self.seq = 0
        self.came = 0  # arrivals so far
        self.actors: dict[str, Body] = {}
        self.players: dict[str, Body] = {}
        self.parting: tuple[str, str] = ("", "")  # id and kind of who leaves, during `departed`
        self.counts: dict[str, int] = {}  # kind: how many ids were made up for it
        self.verbs: dict[str, Verb] = {}
        self.due: dict[str, Callable[[Any], None]] = {}
        self.planners: list[Planner] = []
        self.named_things: list[Callable[[], Container[str]]] = [lambda: self.actors]
        """What else stands under a name of its own: one name is one thing."""
        self.lasting = False  # whether the host has set inputs for an actor that go on
        self.enter: Callable[[str, str], Body]  # lets a creature of a kind come, under a name; see `Parts`
        self.twin: Callable[[], Any]  # a copy of the world as it is now, to try something in; see `snapshots`
        self.try_out: Callable[[str], None]  # raises what the coming of one would raise; see `Parts`
        self.endings: list[Callable[[], None]] = []  # called where a stage ends: its content goes
        self.playing = ""  # the stage of the design that is being played
        self.keeping: frozenset[str] = frozenset()  # sections that stay, while a stage is put back
        self.told_why = "loaded"  # the reason in events that no rule or quest reacts to
        self.touched: Callable[[str, str], None] = lambda what, who: None
        """Called where something has changed of somebody, or of everybody (""), that stats may hang on."""
        self.still = False  # whether somebody is being put together: nothing is worked out yet
        self.last: Callable[[], None] | None = None
        """Called when all events of a command are delivered."""
        self.depart: Callable[[Body], None] = lambda body: None  # lets an actor go; see `Parts.depart`
        self.sides: Callable[[Any, bool], list[Body]] = lambda event, won: []  # see `Matches.of_side`
        self.readable: dict[str, Read] = {}
        self.bears: dict[str, Callable[[Body, str], int]] = {}
        """How often an actor bears something that modifies it, by what that is; see `design.stats`."""
        self.arrivals: list[Callable[[Body], None]] = []  # called when an actor has come
        # Called when one goes: to forget all that is kept of it.
        self.departures: list[Callable[[Body], None]] = []
        # Called after a change that no event tells of: a place, a placement taken away.
        self.moved: list[Callable[[], None]] = []
        self.watches: list[Callable[[], Callable[[], bool] | None]] = []
        """What may come true by time alone: each gives a question (has it?), or None while there is nothing
        to ask."""
        self.listeners = Listeners(self)
        self.calls = Calls()
        self.passing = False  # whether time is passing just now
        self.acted = 0  # commands of the host so far; no part of the state
        self.adopted = 0  # how often another design was adopted; no part of the state
        self.history: deque[Event] = deque(maxlen=history)
        self.queue: deque[Event] = deque()
        self.cause = 0
        self.handling = 0  # number of the event being delivered
        self.delivery = 0  # number of the event that the delivery began with; no part of the state
        self.draining = False
        # Inputs of the command or event at work: they reach all that follows from it at once.
        self.given: dict[str, float] | None = None
        self._given: dict[int, dict[str, float]] = {}  # of events that wait
        self.told_only = False  # whether events are for listeners alone: those of loading
        self._told_only: set[int] = set()
        # Events that follow from one which ended a round or a match, in this drain.
        self.shadow: set[int] = set()
        # How much more may come due, where a host sets a limit; no part of the state.
        self.patience: int | None = None
        # Asked between two things due; what it raises ends the time.
        self.halt: Callable[[], None] | None = None
        self.successor: Stage | None = None  # where the world goes on once it has adopted another design
        self._plans: dict[tuple[str, str, str], tuple[tuple[str, Reaction], ...]] = {}

    # who is there

    def is_free(self, name: str) -> bool:
        """Return whether nothing stands under a name."""
        return not any(name in things() for things in self.named_things)

    def free(self, name: str) -> None:
        """Raise where something stands under a name already."""
        if not self.is_free(name):
            raise UsageError(f"the name {said(name)} is taken in this world; choose another id")

    def made_up(self, word: str, counts: dict[str, int]) -> str:
        """Return the next name made of a word and a number that nothing stands under."""
        while True:
            counts[word] = counts.get(word, 0) + 1
            name = f"{word}#{counts[word]}"
            if self.is_free(name):
                return name

    def actor(self, name: str) -> Body:
        """Return an actor by its id."""
        found = self.actors.get(name)
        if found is None:
            raise UnknownNameError("actor", name, tuple(self.actors))
        return found

    def party(self, name: str) -> Body | None:
        """Return the actor that an event names, if it is still the same one."""
        return None if name.__class__ is Leaver else self.actors.get(name)

    def kind_of(self, name: str) -> str:
        """Return the kind of an actor that an event names, also of one that has left; "" for nobody."""
        if name.__class__ is Leaver:
            return name.kind
        found = self.actors.get(name)
        if found is not None:
            return found.kind_name
        return self.parting[1] if name and name == self.parting[0] else ""

    def team_of(self, name: str) -> str:
        """Return the team of an actor that an event names, also of one that has left."""
        if name.__class__ is Leaver:
            return name.team
        found = self.actors.get(name)
        return found.team if found is not None else ""

    def same_side(self, one: str, other: str) -> bool:
        """Return whether two actors that an event names are one, or stand in one team."""
        if one == other and one.__class__ is not Leaver and other.__class__ is not Leaver:
            return True
        team = self.team_of(one)
        return bool(team) and team == self.team_of(other)

    def named(self, party: Party, credit: Party | None = None) -> str:
        """Return somebody who was noted, as events name it: an `Leaver` where that actor has gone."""
        found = self.actors.get(party.id)
        if found is not None and found.came == party.came:
            return party.id
        return Leaver.named(party.id, party.kind, party.team, "" if credit is None else self.named(credit))

    def noted(self, source: str) -> tuple[Party | None, Party | None]:
        """Return who an event's source is, to be kept in what it causes, and whom that counts for where it is
        another."""
        if not source:
            return None, None
        if source.__class__ is Leaver:
            lead = source.credit
            return _party(source, self), _party(lead, self) if lead else None
        found = self.actors.get(source)
        return (_party(source, self), None) if found is None else (found.party(), found.lead)

    def source_of(self, ailment: Ailment) -> str:
        """Return who caused a status, as events name it: an `Leaver` where that actor has gone."""
        return "" if ailment.source is None else self.named(ailment.source, ailment.credit)

    def credit_of(self, source: str) -> str:
        """Return whom what a source does counts for, as events name it: itself, or the owner of all it acts
        for."""
        if source.__class__ is Leaver:
            return source.credit or source
        body = self.actors.get(source)
        return source if body is None or body.lead is None else self.named(body.lead)

    def owner_of(self, body: Body) -> Body | None:
        """Return the owner of a body, if it has one that is still there."""
        found = self.actors.get(body.owner) if body.owner else None
        return found if found is not None and found.came == body.owner_came else None

    def acts_for(self, body: Body | None, other: Body) -> bool:
        """Return whether *other* is the owner of a body, or the owner's owner, and so on."""
        while body is not None and body.owner:
            body = self.owner_of(body)
            if body is other:
                return True
        return False

    def leave_behind(self, body: Body) -> None:
        """Let what somebody who goes owned go on without it: of the owner of all its team is still known."""
        for owned in body.owns.values():
            self._lose(owned, body)
        owner = self.owner_of(body)
        if owner is not None:
            owner.owns.pop(body.id, None)

    def _lose(self, owned: Body, gone: Body) -> None:
        if owned.lead is not None and owned.lead.came == gone.came:
            owned.lead = gone.party()
            for other in owned.owns.values():
                self._lose(other, gone)

    def belong(self, body: Body) -> None:
        """Note whose a body is."""
        owner = self.owner_of(body)
        if owner is not None:
            owner.owns[body.id] = body

    # events

    def emit(self, name: str, actor: str, source: str, values: tuple[Value, ...], cause: int = -1) -> int:
        """Let an event be known; returns its number. *cause* is that of the command or reaction at work
        unless given."""
        # As `Event` and `post` do it, written out: every event that is not a hit comes this way, and calling
        # `__init__` costs as much as half of all this.
        seq = self.seq = self.seq + 1
        shape, now = self.kinds.events[name], self.clock.now
        cause = self.cause if cause < 0 else cause
        event = NEW(Event)
        event.shape, event.seq, event.time_us, event.cause = shape, seq, now, cause
        event.actor, event.source, event.values = actor, source, values
        event.credit = self.credit_of(source) if source else source
        self.queue.append(event)
        if self.given is not None:
            self._given[seq] = self.given
        if self.told_only:
            self._told_only.add(seq)
        return seq

    def post(self, event: Event) -> None:
        """Let an event be known that was made with the next number."""
        self.seq = seq = event.seq
        self.queue.append(event)
        if self.given is not None:
            self._given[seq] = self.given
        if self.told_only:
            self._told_only.add(seq)

    def tell(self, event: Event) -> None:
        """Let an event wait that listeners are to hear of, and from which nothing follows."""
        self._told_only.add(event.seq)
        self.queue.append(event)

    def idle(self, command: str) -> None:
        """Refuse *command* while events are being delivered."""
        if self.draining:
            raise BusyError(command)

    def drain(self) -> None:
        """Deliver all events that wait, and those that follow from them; raise what went wrong when all is
        done."""
        if self.draining or not self.queue:
            return
        event = self.queue.popleft()
        given = self._given.pop(event.seq, None) if self._given else None
        errors = self.give_out(event, self.kind_of(event.actor), self.kind_of(event.source), given)
        if errors is not None:
            raise only(errors)

    def deliver(self) -> list[Exception]:
        """Deliver all events that wait and those that follow; return the errors of listeners and
        reactions."""
        event = self.queue.popleft()
        given = self._given.pop(event.seq, None)
        return self.give_out(event, self.kind_of(event.actor), self.kind_of(event.source), given) or []

    def give_out(
        self, event: Event, actor_kind: str, source_kind: str, given: dict[str, float] | None
    ) -> list[Exception] | None:
        """Let an event be known, and after it those that wait and those that follow; return the errors of
        listeners and reactions, if there were any.

        Each: the reactions of the design in their order, then listeners. One function, for every event of a
        game goes through it.
        """
        errors: list[Exception] | None = None
        queue, actors, cache = self.queue, self.actors, self.listeners.cache
        fired: list[str] | None = None
        count = 1
        self.draining = True
        self.delivery = event.seq
        try:
            while True:
                shape, seq = event.shape, event.seq
                name = shape.name
                self.history.append(event)
                self.cause = self.handling = seq
                if self.shadow and event.cause in self.shadow:
                    self.shadow.add(seq)
                if not self._told_only or seq not in self._told_only:
                    plan = self._plans.get((name, actor_kind, source_kind))
                    if plan is None:
                        plan = self.plan(name, actor_kind, source_kind)
                    if plan:
                        self.given = given
                        for place, react in plan:
                            if fired is not None and place:
                                fired.append(place)
                            try:
                                react(event)
                            except Exception as error:  # whatever a reaction raises must not stop the others
                                errors = noted(errors, error)
                            self.cause = seq
                self.given = None  # what listeners command is their own
                hearers = cache.get(name)
                if hearers is not None:
                    actor = event.actor
                    heard = hearers.get(actor) if self.fast and actor.__class__ is str else None
                    if heard is None:
                        heard = self.listeners.heard(name, actor, actor_kind)
                    if self.listeners.newest >= seq:  # somebody began to listen only after it was known
                        heard = tuple(listening for listening in heard if listening.after < seq)
                    for listening in heard:
                        if listening.open:
                            try:
                                listening.call(event)
                            except Exception as error:  # one that fails stops no other
                                errors = noted(errors, error)
                if shape.seen_as in cache:
                    credit = event.credit
                    credit_kind = source_kind if credit is event.source else self.kind_of(credit)
                    for listening in self.listeners.heard_of(shape.seen_as, credit, credit_kind, actor_kind):
                        if listening.open and listening.after < seq:
                            try:
                                listening.call(event)
                            except Exception as error:  # one that fails stops no other
                                errors = noted(errors, error)
                if not queue:
                    if self.last is not None:
                        try:
                            self.last()
                        except Exception as error:
                            errors = noted(errors, error)
                    if not queue:
                        break
                count += 1
                if count > MOST_EVENTS - 200 and fired is None:
                    fired = []
                if count > MOST_EVENTS:
                    queue.clear()
                    runaway = RunawayRulesError(MOST_EVENTS, list(dict.fromkeys(fired or ())))
                    errors = noted(errors, runaway)
                    break
                event = queue.popleft()
                given = self._given.pop(event.seq, None) if self._given else None
                body = actors.get(event.actor)
                actor_kind = self.kind_of(event.actor) if body is None else body.kind_name
                source_kind = ""
                if event.source:  # most events have none, and are not to pay for it
                    other = actors.get(event.source) if event.source.__class__ is str else None
                    source_kind = self.kind_of(event.source) if other is None else other.kind_name
        finally:
            self.draining = False
            self.cause = self.handling = 0
            self.given = None
            if self._given or self._told_only or self.shadow:
                self._given.clear()
                self._told_only.clear()
                self.shadow.clear()
        return errors

    def plan(self, name: str, kind: str, source_kind: str) -> tuple[tuple[str, Reaction], ...]:
        """Return the reactions to an event between two kinds, in their order."""
        key = (name, kind, source_kind)
        found = self._plans.get(key)
        if found is not None:
            return found
        # Plans follow from the design alone: which planners have anything to say is asked once for all of its
        # worlds.
        asked = self.kinds.planning.get(key) if self.fast else None
        made = [
            (number, self.planners[number](name, kind, source_kind))
            for number in (range(len(self.planners)) if asked is None else asked)
        ]
        if asked is None and self.fast:
            self.kinds.planning[key] = tuple(number for number, reactions in made if reactions)
        found = self._plans[key] = tuple(reaction for _, reactions in made for reaction in reactions)
        return found

    def asks(self, name: str) -> bool:
        """Return whether anybody would hear of an event: a listener, a reaction, the history."""
        if not self.fast or self.history.maxlen or name in self.listeners.cache:
            return True
        return bool(self.plan(name, "", ""))

    # time

    def pass_time(self, until: int, stop: Callable[[], bool] | None = None) -> None:
        """Let everything due up to the microsecond *until* happen, each at its own instant; time stands where
        *stop* says so."""
        errors: list[Exception] = []
        stage: Stage | None = self
        self.passing = True
        while stage is not None:
            try:
                stage._pass(until, stop, errors)
            finally:
                stage.passing = False
                stage = stage.successor
        if errors:
            raise only(errors)

    def _pass(self, until: int, stop: Callable[[], bool] | None, errors: list[Exception]) -> None:
        clock, calls = self.clock, self.calls
        waiting = calls.heap
        at_once = 0  # calls of the game that have come at this instant
        while True:
            if self.halt is not None:
                self.halt()
            due = clock.first()
            if waiting or self.watches or stop is not None:  # of which most worlds have none
                ahead, called = due, calls.first() if waiting else -1
                host = called >= 0 and (ahead < 0 or called < ahead)  # the game's own come last at an instant
                due = called if host else ahead
                over = due < 0 or due > until
                if stop is not None and self._stands(stop, until if over else due - 1, errors):
                    return
                if self.watches:
                    self._watch(until if over else due if host else due - 1, errors)
                    if clock.first() != ahead or (waiting and calls.first() != called):
                        continue  # what came true has made something due before that
                if host and not over:
                    at_once = at_once + 1 if due == clock.now else 1
                    if at_once > MOST_AT_ONCE:
                        calls.take()
                        errors.append(
                            RunawayRulesError(MOST_AT_ONCE, ["world.after(0, …) that calls itself again"])
                        )
                        continue
                    clock.tick(due)
                    errors.extend(self._call(calls.take()))
                    if self.successor is not None:
                        return
                    continue
            if due < 0 or due > until:
                break
            timer = clock.take()
            if not clock.tick(timer.due):
                errors.append(
                    RunawayRulesError(
                        MOST_AT_ONCE, [f"a {timer.verb} that is due again at the instant it happens"]
                    )
                )
                clock.arm(timer, until + 1)  # not again in this advance, which reaches its end
                continue
            errors.extend(self.happen(timer))
            if self.patience is not None:
                self.patience -= 1
                if self.patience <= 0:
                    raise UsageError(
                        f"more came due than may in one run of a script; time stands at {clock.now / 1e6:g} "
                        "s. Let less time pass"
                    )
        clock.tick(until)

    def _stands(self, stop: Callable[[], bool], until: int, errors: list[Exception]) -> bool:
        """Let time pass to the first microsecond at which *stop* holds, if it does so up to *until*, before
        the next thing due."""
        clock = self.clock
        while until >= clock.now:  # else more is due at this very instant
            if stop():
                return True
            found = self._first(stop, until)
            if found < 0:
                return False
            before = clock.now, self.seq
            if self.watches:  # what comes true by time alone until then may move it
                self._watch(found, errors)
            if (clock.now, self.seq) == before:
                clock.tick(found)
        return False

    def _call(self, later: Later) -> list[Exception]:
        """Let a call of the game come; returns what it raised."""
        self.cause = 0
        try:
            later.come()
        except Exception as error:  # time goes on; the error is raised at the end
            return [error]
        return []

    def _watch(self, until: int, errors: list[Exception]) -> None:
        """Find what comes true by time alone before *until*, and let it happen at the first microsecond at
        which it does.

        Between two things due everything that can be read follows its course, so a change is found by
        halving.
        """
        for watch in self.watches:
            while (question := watch()) is not None:
                found = self._first(question, until)
                if found < 0:
                    break
                self.clock.tick(found)
                errors.extend(self.look())
                if self._holds(question, found):
                    break  # what was to happen could not; it is asked again later

    def _holds(self, question: Callable[[], bool], instant: int) -> bool:
        now, self.clock.now = self.clock.now, instant
        try:
            return question()
        finally:
            self.clock.now = now

    def _first(self, question: Callable[[], bool], until: int) -> int:
        """Return the first microsecond from now to *until* at which a question is answered yes; -1 for
        none."""
        low, high = self.clock.now - 1, until
        if high <= low or not self._holds(question, high):
            return -1
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (low, middle) if self._holds(question, middle) else (middle, high)
        return high

    def look(self) -> list[Exception]:
        """Let what may have come true without an event happen now, and deliver what follows."""
        self.cause = 0
        errors: list[Exception] = []
        for call in self.moved:
            try:
                call()
            except Exception as error:  # time goes on; the error is raised at the end
                errors.append(error)
        if self.last is not None and not self.queue:
            self.last()
        if self.queue:
            errors.extend(self.deliver())
        return errors

    def settle(self) -> None:
        """After a command of the host that no event tells of: let what it made true happen, and deliver it
        all."""
        self.acted += 1
        if not self.draining:
            errors = self.look()
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


def _party(name: str, stage: Stage) -> Party:
    """Return somebody who has left, and stands for nobody who comes under its name."""
    return Party(str(name), -1, stage.kind_of(name), stage.team_of(name))
