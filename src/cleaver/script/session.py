"""Sessions: what one run of a script remembers.

The world, the latest event of each name and how many there were, the result of the last command that acted,
snapshots to come back to, and the store of the run. Knows the paths that only scripts have (`event`, `count`,
`new`, `result`). Start at `Session.do`.
"""

from __future__ import annotations

import json
import weakref
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

from cleaver.core import read
from cleaver.core.kernel import reading as names
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import Expression
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.scope import Scope
from cleaver.core.sight import ScriptNames
from cleaver.core.views import Placement
from cleaver.core.world import HISTORY, World
from cleaver.design.design import Design
from cleaver.design.paths import FormulaNames, Path
from cleaver.errors import StoppedError, UnknownNameError, UsageError
from cleaver.formula import Type
from cleaver.parsing import parse
from cleaver.script.past import Past
from cleaver.script.tallies import MOST_TALLIES, ScriptTally, Tallied

if TYPE_CHECKING:
    from cleaver.core.adoption import Adoption
    from cleaver.core.handles import Actor
    from cleaver.core.shot import Shot
    from cleaver.saves import Store

ROOTS = ("event", "count", "new", "result", "tally", "now", "seed", "actors", "pickups", "team", "match")
"""What a path may begin with besides a name; no actor or placement may be called so."""
MAX_TURNS = 250_000  # commands of one run, each turn of `repeat` counted
MAX_DUE = 2_000_000  # pulses, ends and other things that may come due in one run
MAX_SNAPSHOTS = 100
_RESULT_TYPES: dict[str, Type] = {
    "blocked": "text",
    "critical": "truth",
    "lethal": "truth",
    "next": "text",
    "quest": "text",
    "state": "text",
    "text": "text",
    "missing": "number",
}


class Step(NamedTuple):
    """What came of one line: its number and text, one line to say, the events that followed, and whether an
    expectation failed."""

    line: int
    text: str
    said: str
    events: tuple[Event, ...] = ()
    failed: bool = False


class Inner(NamedTuple):
    """A line that is carried out inside the delivery of the event of a number: its own number, its text."""

    line: int
    text: str
    event: int


class LineRecorder(Protocol):
    """What writes down the lines of a session (`recording.Recording`)."""

    on: bool
    file: FilePath

    def add(self, text: str) -> None:
        """Write a line down as it is."""

    def adopted(self, design: Design) -> None:
        """Write down that the game goes on under another design."""

    def note(self, step: Step, *, acts: bool) -> None:
        """Write down a line that was carried out."""

    def expect(self) -> list[str]:
        """Write down what is true now; returns the lines."""


class Memory:
    """What expectations read beside a world: the latest event of each name and how many there were, the
    result of the last command that acted, the placements and shots named so far."""

    def __init__(self, world: World) -> None:
        self.world = world
        self.result: Result = Result(done=False)
        self.counts: dict[str, int] = {}
        self.new: dict[str, int] = {}
        self.latest: dict[str, Event] = {}
        self.placements: dict[str, Placement] = {}
        self.shots: dict[str, Shot] = {}
        self.tallies: dict[str, tuple[ScriptTally, Tallied]] = {}

    @classmethod
    @contextmanager
    def of(cls, world: World) -> Iterator[Memory]:
        """Give a memory of the events that *world* kept: what expectations outside scripts are read by.
        Leaves nothing behind."""
        kept = dict(read.parts(world).stage.readable)
        memory = cls(world)
        for event in world.events:
            memory.count(event.name, event)
        memory.let_read(world)
        try:
            yield memory
        finally:
            read.parts(world).stage.readable.clear()
            read.parts(world).stage.readable.update(kept)

    def let_read(self, world: World) -> None:
        """Let formulas of *world* read what is remembered."""
        readable = read.parts(world).stage.readable
        readable["count"] = lambda body, name, part: self.counts.get(name, 0)
        readable["new"] = lambda body, name, part: self.new.get(name, 0)
        readable["latest"] = lambda body, name, part: self._latest(name).get(part)
        readable["placement"] = lambda body, name, part: (
            name in read.parts(self.world).pickups.table.placements and self.world.placement(name).present
        )
        readable["tally"] = lambda body, name, part: getattr(self._tally(name)[1], part)
        readable["result"] = lambda body, name, part: self.result_field(part)

    def count(self, name: str, event: Event) -> None:
        """Remember an event, under one of its names."""
        if name == "placed":
            self._remember(event.placement, event.pickup)
        elif name == "launched" and event.shot in read.parts(self.world).shots.table.shots:
            self.shots[event.shot] = self.world.shot(event.shot)
        self.latest[name] = event
        self.counts[name] = self.counts.get(name, 0) + 1
        self.new[name] = self.new.get(name, 0) + 1
        if self.tallies:
            self._add_to_tallies(name, event)

    def _add_to_tallies(self, name: str, event: Event) -> None:
        for own, (tally, tallied) in self.tallies.items():
            if tally.event != name or not tally.concerns(event):
                continue
            if tally.where is None or tally.where.holds(
                Scope(read.parts(self.world).stage, None, event=event)
            ):
                self.tallies[own] = (tally, tallied.with_event(event, tally.way, tally.field))

    def _tally(self, name: str) -> tuple[ScriptTally, Tallied]:
        if name not in self.tallies:
            raise UnknownNameError("tally", name, tuple(self.tallies))
        return self.tallies[name]

    def recall(self, kept: dict[str, Any]) -> None:
        """Remember what was kept before, and nothing else."""
        self.counts, self.latest = dict(kept["counts"]), dict(kept["latest"])
        self.placements, self.shots = {}, dict(kept["shots"])
        for name, placement in kept["placements"].items():
            if not placement.removed:
                self._remember(name, placement.pickup)
        self.tallies = dict(kept["tallies"])

    def _remember(self, name: str, pickup: str) -> None:
        """Remember a placement: a script may name it also when it was taken for good and the world has
        forgotten it."""
        pickups = read.parts(self.world).pickups
        state = pickups.table.placements.get(name) or pickups.taken(name, pickup)
        self.placements[name] = Placement(read.game_of(self.world), state)

    def _latest(self, name: str) -> Event:
        if name not in self.latest:
            raise UsageError(f"there was no {name} so far, so event.{name} is nothing yet; count.{name} is 0")
        return self.latest[name]

    def result_field(self, name: str) -> Any:
        """Return a field of the last result; "" is whether it did something."""
        if not name:
            return bool(self.result)
        if name == "blocked":
            return self.result.blocked
        fields = self.result.fields()
        if name not in fields:
            raise UnknownNameError("field", name, ("blocked", *fields), "the last result")
        return fields[name]

    def tally(self, name: str, tally: ScriptTally, where: str) -> None:
        """Tally events from now on, those for which the formula *where* is true if one is given.

        Raises:
            UsageError: There is one of this name, or there are too many.
            FormulaError: The formula is none.
        """
        if not name.isidentifier():
            raise UsageError(f"{name!r} is no name of a tally; write a word, such as lost")
        if name in self.tallies:
            raise UsageError(f"there is a tally {name!r} already; choose another name")
        if len(self.tallies) >= MOST_TALLIES:
            raise UsageError(f"there are {MOST_TALLIES} tallies already, and a run may have no more")
        if where:
            found = Expression(parse(where, TallyNames(self, tally.event), tolerant=True), names.reader, "")
            tally = tally._replace(where=found)
        self.tallies[name] = (tally, Tallied())

    def formula(self, text: str) -> Expression:
        """Return an expectation, checked against the world as it is now."""
        return Expression(parse(text, ExpectNames(self), tolerant=True), names.reader, "")

    def evaluate(self, text: str) -> Any:
        """Return what a formula gives now."""
        return self.formula(text).value(Scope(read.parts(self.world).stage, None))


class Session(Memory):
    """One run: a world and what is remembered beside it."""

    world: World
    history: int
    turns: int
    quiet: bool
    stopping: bool
    past: Past | None

    def __init__(
        self,
        design: Design,
        *,
        store: Store | None = None,
        seed: int = 0,
        remember: bool = False,
        history: int = HISTORY,
        folder: FilePath | None = None,
    ) -> None:
        super().__init__(World(design, seed, history=history))
        self.past = Past(self.remembered, self.go_back) if remember else None  # what `undo` takes back
        self.store, self.history = store, history
        self.journaled = False  # whether a running game wrote the script
        self.inner: dict[
            int, list[Inner]
        ] = {}  # lines to be carried out while an event is delivered, by its number
        self.carry_out_inner: Callable[[list[Inner]], None]
        """Carries such lines out; the runner gives it."""
        self._hears: set[str] = set()
        self.file: FilePath | None = None  # where the design was read from, for scripts that are recorded
        self.folder = folder  # where the script stands: files it names are looked for from there
        self.recording: LineRecorder | None = None
        self.block: list[str] = []  # the lines of a block that is open, as typed
        self.turns = 0  # commands carried out, each turn of `repeat` counted
        self.quiet = False  # whether nobody reads what is said
        self.stopping = False  # whether the command that runs is to be given up
        self.started = False  # whether anything was done; `seed` must come before
        self.fresh: list[Event] = []
        self.snapshots: dict[str, Any] = {}
        self.failures = 0
        # Lets time pass in frames of so many seconds, with a call after each.
        self.frame: tuple[float, Callable[[], None]] | None = None
        read.parts(self.world).stage.patience = MAX_DUE
        self.attach(self.world)

    def attach(self, world: World) -> World:
        """Let *world* be the one that is played: hear all its events, and let expectations read it."""
        read.parts(world).stage.patience = read.parts(self.world).stage.patience
        self.world, self._hears = world, set()
        self._hear()
        self.let_read(world)
        if self.past is not None:
            read.game_of(world).observe(self.past)
        return world

    def _hear(self) -> None:
        """Hear of every event that the design of the world has."""
        events = read.parts(self.world).kinds.known.events
        for name in self.world.event_names:
            if name not in self._hears:
                self._hears.add(name)
                self.world.listen_own(name, self._mirrored(name) if events[name].seen_from else self._heard)

    @property
    def design(self) -> Design:
        """The design that the world is played under now."""
        return self.world.design

    def adopt(self, design: Design) -> Adoption:
        """Let the world go on under another design."""
        try:
            return self.world.adopt(design)
        finally:
            self._hear()
            self.let_read(self.world)

    def _mirrored(self, name: str) -> Any:
        def heard(event: Event) -> None:
            self.count(name, event)

        return heard

    def _heard(self, event: Event) -> None:
        self.fresh.append(event)
        self.count(event.name, event)
        if event.seq in self.inner:
            self.carry_out_inner(self.inner.pop(event.seq))

    def own_store(self) -> Store:
        """Return the store of this run; one in memory where none was named."""
        if self.store is None:
            from cleaver.saves import open_store  # a database is slow to import; only runs that save need one

            self.store = open_store("sqlite://", self.design)
            # Nobody else knows of it, so nobody else closes it; Python 3.13 warns of a database that is left.
            weakref.finalize(self, self.store.close)
        return self.store

    # names

    def actor(self, name: str) -> Actor:
        """Return an actor by the name a script gives it."""
        return self.world.actor(name)

    def thing(self, name: str) -> Actor | Placement:
        """Return an actor or a placement by its name."""
        if name in read.parts(self.world).pickups.table.placements:
            return self.world.placement(name)
        return self.world.actor(name)

    def shot(self, name: str) -> Shot:
        """Return a shot by the name a script gives it, also one that has ended."""
        if name in self.shots and name not in read.parts(self.world).shots.table.shots:
            return self.shots[name]
        return self.world.shot(name)

    def doer(self, name: str) -> Actor | Shot:
        """Return who or what hits, by the name a script gives it: an actor or a shot."""
        if name in read.parts(self.world).shots.table.shots:
            return self.world.shot(name)
        if name in self.shots and name not in read.parts(self.world).stage.actors:
            return self.shots[name]  # one that has ended says so
        return self.actor(name)

    def placement(self, name: str) -> Placement:
        """Return a placement by the name a script gives it, also one that was taken for good."""
        if name in self.placements and name not in read.parts(self.world).pickups.table.placements:
            return self.placements[name]
        return self.world.placement(name)

    def free(self, name: str) -> str:
        """Return *name* if an actor or placement may be called so."""
        if name in ROOTS and not self.journaled:  # what a game has called so is called so
            raise UsageError(f"{name!r} already begins a path; choose another name")
        return name

    def all_free(self, given: list[str]) -> list[str]:
        """Return names if something new may be called by each of them; so either all of it comes or
        nothing."""
        for index, name in enumerate(given):
            self.free(name)
            if not read.parts(self.world).stage.is_free(name) or name in given[:index]:
                raise UsageError(f"the name {name!r} is taken; choose another")
        return given

    def changes(self) -> None:
        """Let `undo` know that the run is about to change by what is no command of its world."""
        if self.past is not None:
            self.past.keep()

    def turn(self) -> None:
        """Count one command.

        Raises:
            UsageError: There were more than one run may have.
            StoppedError: `stop` was called.
        """
        if self.stopping:
            raise StoppedError("stopped")
        self.turns += 1
        if self.turns > MAX_TURNS and not self.journaled:
            raise UsageError(
                f"more than {MAX_TURNS:,} commands in one run; repeat less often, or split the script"
            )

    def stop(self) -> None:
        """Stop the command that runs, from another thread or a signal, at the next thing that is due or the
        next command."""
        self.stopping = True
        read.game_of(self.world).ask(self._halt)

    def go_on(self) -> None:
        """Take commands again."""
        self.stopping = False
        read.game_of(self.world).ask(None)

    def _halt(self) -> None:
        raise StoppedError(f"stopped at {self.world.now:g} s")

    # state to come back to

    def remembered(self) -> dict[str, Any]:
        """Return all that the run remembers, the world included, as data to come back to."""
        return {
            "world": json.dumps(self.world.snapshot()),
            "design": self.design,
            "counts": dict(self.counts),
            "latest": dict(self.latest),
            "placements": dict(self.placements),
            "shots": dict(self.shots),
            "tallies": dict(self.tallies),
        }

    def go_back(self, kept: dict[str, Any]) -> None:
        """Go on from what `remembered` returned."""
        self.attach(World.restore(kept["design"], json.loads(kept["world"]), history=self.history))
        self.recall(kept)


class ExpectNames(ScriptNames):
    """What names mean in an expectation."""

    def __init__(self, memory: Memory) -> None:
        super().__init__(memory.world)
        self.memory = memory

    def find(self, parts: tuple[str, ...]) -> Path:
        """See `FormulaNames.find`."""
        first, rest = parts[0], parts[1:]
        events = self.known.events
        if first == "event":
            if not rest:
                raise UnknownNameError("path", "event", tuple(f"event.{name}" for name in self.memory.latest))
            self.known.need("event", rest[0], events)
            self.event = events[rest[0]]
            fields = self.fields()
            self.event = None
            if len(rest) != 2:
                raise UnknownNameError(
                    "path", ".".join(parts), tuple(f"event.{rest[0]}.{name}" for name in fields)
                )
            self.known.need(f"field of {rest[0]}", rest[1], fields)
            return Path("", "latest", rest[0], rest[1], fields[rest[1]])
        if (
            first in self.memory.placements
            and first not in read.parts(self.world).pickups.table.placements
            and rest == ("present",)
        ):
            return Path("", "placement", first, "present", "truth")
        if first in ("count", "new") and len(rest) == 1:
            self.known.need("event", rest[0], events)
            return Path("", first, rest[0], "", "number")
        if first == "tally" and len(rest) in (1, 2) and rest[1:] in ((), ("count",)):
            self.known.need("tally", rest[0], self.memory.tallies)
            return Path("", "tally", rest[0], "events" if rest[1:] else "value", "number")
        if first == "result" and len(rest) <= 1:
            part = rest[0] if rest else ""
            if part:
                self.memory.result_field(part)
            return Path("", "result", "", part, _RESULT_TYPES.get(part, "number") if part else "truth")
        return super().find(parts)

    def first_names(self) -> tuple[str, ...]:
        """See `ScriptNames.first_names`."""
        return (*super().first_names(), "event", "count", "new", "result", "tally")


class TallyNames(ExpectNames):
    """What names mean in the condition of a tally: as in expectations, and fields of the event at hand."""

    at_hand: Any

    def __init__(self, memory: Memory, event: str) -> None:
        super().__init__(memory)
        self.at_hand = self.known.events[event]

    def find(self, parts: tuple[str, ...]) -> Path:
        """See `FormulaNames.find`."""
        if parts[0] == "event" and len(parts) == 2:
            self.event = self.at_hand
            try:
                return FormulaNames.find(self, parts)
            finally:
                self.event = None
        return super().find(parts)
