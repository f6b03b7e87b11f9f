"""Play: one session of a trial, on the real engine.

What a session is depends on the trial, the seed and its number alone. Each habit draws from streams of its
own, so many numbers at each of its turns, whatever they are used for; so two designs are played under the
same luck. All habits run by `World.after`, behind all else at their instants. Start at `Player.play`.
"""

from __future__ import annotations

import ast
import shlex
from collections.abc import Callable, Iterable, Mapping
from math import nan
from typing import Any, NamedTuple

from cleaver.core import read
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import Expression, NobodyError
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.world import World
from cleaver.design.design import Design
from cleaver.dice import Stream, stream, stream_of
from cleaver.errors import CleaverError, UsageError
from cleaver.lab.formulas import IT, TrialNames, compiled
from cleaver.lab.tables import End, Habit, Tally
from cleaver.lab.trial import Trial
from cleaver.rounding import shown
from cleaver.script import commands as _all_commands  # noqa: F401  # fills the table
from cleaver.script.blocks import Block, Line, items
from cleaver.script.command import Prepared, find
from cleaver.script.session import Session
from cleaver.script.tallies import COUNT, Tallied

LEAST_WAIT = 0.001  # seconds: a habit that waits less would stop time
LONGEST_WAIT = 1e9
MOST_LINES = 10_000  # of a setup, a habit or an end, blocks written out
MOST_TURNS = 100_000  # of habits, and lines that they do, in one session: more is a wait in milliseconds
Bot = Callable[[World, Stream], None]
Value = float | Expression
Span = tuple[Value, ...]


class Ready(NamedTuple):
    """A habit with its formulas compiled and its lines split."""

    name: str
    habit: Habit
    every: Span
    delay: Span
    when: Expression | None
    where: Expression | None
    chance: Value
    do: tuple[Prepared, ...]
    alive_only: bool
    """Whether it never acts about somebody who is dead."""


class SessionOutcome(NamedTuple):
    """What came of a session: the kind of player, how long it was, each measure (a truth as 1 or 0, a time
    that was not reached as nan), what was looked at over time (nan after its end)."""

    player: int
    seconds: float
    measures: tuple[float, ...]
    fan: tuple[tuple[float, ...], ...]


class LabSession(Session):
    """A session of the script commands that hears nothing and says nothing."""

    def __init__(self, design: Design, seed: int) -> None:
        super().__init__(design, seed=seed, history=0)
        self.quiet = True

    def _hear(self) -> None:
        """What a trial measures is heard by itself."""


class Player:
    """Plays sessions of one trial; what does not change from one to the next is made once.

    Many labs may share one: nothing that belongs to one of them is kept here.
    """

    trial: Trial
    design: Design
    kinds: list[str]
    inputs: list[dict[str, float]]
    actors: dict[str, str]
    placements: list[str]
    looks: int

    def __init__(self, trial: Trial) -> None:
        self.trial, self.design = trial, trial.design
        tables = trial.tables
        self.kinds = list(trial.players)
        self.inputs = [{**self.design.tables.inputs, **given, "n": 0} for given in trial.players.values()]
        self._bounds: list[float] = []
        for share in trial.shares.values():
            self._bounds.append(share + (self._bounds[-1] if self._bounds else 0.0))
        first = LabSession(self.design, 0)
        self._setup = [prepared(first, line) for line in lines_of(tables.setup.lines, "setup")]
        for line in self._setup:
            line.run(first, {})
        self.first = first
        self.actors = {actor.id: actor.kind for actor in first.world.actors}
        self.placements = [placement.id for placement in first.world.placements]
        self._habits = [self._ready(name, habit) for name, habit in tables.habits.items()]
        self._end = [prepared(first, line) for line in lines_of(tables.end.lines, "end")]
        self._over = None if tables.end.when is None else self.formula(tables.end.when, "end.when")
        self._measures = [
            (name, measure, self._tally_where(name, measure))
            if isinstance(measure, Tally)
            else (name, measure, self.formula(measure, f"measures.{name}"))
            for name, measure in tables.measures.items()
        ]
        self._fan = [self.formula(text, f"over_time.{name}") for name, text in trial.fan.items()]
        self._every = trial.every
        self.looks = int(tables.end.after / self._every + 1e-9) if self._every else 0

    def names(self, *, it: str = "", lies: bool = False, event: str = "") -> TrialNames:
        """Return what names mean in one place of the trial."""
        return TrialNames(
            self.design, self.actors, self.placements, self.inputs[0], it=it, lies=lies, event=event
        )

    def formula(self, text: str, where: str, **about: Any) -> Expression:
        """Return a formula of the trial, compiled."""
        return compiled(text, self.names(**about), where)

    def _ready(self, name: str, habit: Habit) -> Ready:
        about, place = about_of(habit, self.design), f"habits.{name}"

        def span(given: tuple[float | str, ...] | None, key: str) -> Span:
            return tuple(value(part, key) for part in given or ())

        def value(given: float | str, key: str) -> Value:
            return self.formula(given, f"{place}.{key}", **about) if isinstance(given, str) else float(given)

        when = None if habit.when is None else self.formula(habit.when, f"{place}.when", **about)
        return Ready(
            name,
            habit,
            span(habit.every, "every"),
            span(habit.delay, "delay"),
            when,
            None
            if habit.where is None
            else self.formula(habit.where, f"{place}.where", event=habit.on or ""),
            value(habit.chance, "chance"),
            tuple(prepared(self.first, line) for line in lines_of(habit.do, place)),
            habit.each is not None and when is not None and false_of_the_dead(when.formula.tree),
        )

    def _tally_where(self, name: str, tally: Tally) -> Expression | None:
        if tally.where is None:
            return None
        return self.formula(tally.where, f"measures.{name}.where", event=tally.on)

    def kind_of(self, seed: int, number: int, only: str = "") -> int:
        """Return which kind of player session *number* has."""
        if only:
            return self.kinds.index(only)
        drawn = stream(stream_of(seed, f"session/{number}"), "player").draw()
        return next((at for at, bound in enumerate(self._bounds) if drawn < bound), len(self.kinds) - 1)

    def play(
        self, seed: int, number: int, only: str = "", *, bots: Mapping[str, Bot] | None = None
    ) -> SessionOutcome:
        """Play session *number*.

        Args:
            seed: Of all luck.
            number: Of the session, from 0.
            only: The kind of player that it has; "" for one by the shares.
            bots: Python callables that take the place of habits, by kind of player: called with the world
                after the setup and a stream of dice, and go on by `World.after`.

        Raises:
            UsageError: Something in it cannot be done, with the number of the session.
        """
        return self._played(seed, number, only, None, bots or {})[0]

    def recorded(self, seed: int, number: int, only: str = "") -> tuple[SessionOutcome, list[str], World]:
        """As `play`, with the lines of a script that does the same and expects each measure, and the world as
        it ended."""
        lines: list[str] = []
        outcome, session = self._played(seed, number, only, lines, {})
        lines += [
            _expected(name, formula, outcome.measures[at], self.inputs[0])
            for at, (name, measure, formula) in enumerate(self._measures)
            if formula is not None and not isinstance(measure, Tally)
        ]
        return outcome, lines, session.world

    def _played(
        self, seed: int, number: int, only: str, record: list[str] | None, bots: Mapping[str, Bot]
    ) -> tuple[SessionOutcome, LabSession]:
        kind, luck = self.kind_of(seed, number, only), stream_of(seed, f"session/{number}")
        running = _Running(self, luck, kind, record, bots.get(self.kinds[kind]))
        try:
            return running.play(), running.session
        except CleaverError as error:
            raise UsageError(f"session {number} (seed {seed}): {error}") from error


class _Running:
    """One session while it is played."""

    def __init__(
        self, player: Player, luck: int, kind: int, record: list[str] | None, bot: Bot | None
    ) -> None:
        self.player, self.kind, self.luck, self.record, self.bot = player, kind, luck, record, bot
        seed = luck >> 1  # a seed of a world is at most 63 bits long
        self.session = LabSession(player.design, seed)
        self.world = self.session.world
        self.inputs = dict(player.inputs[kind])
        self.over = False
        self.turns = 0
        self.counts = [0] * len(player._habits)
        self.tallies: dict[int, Tallied] = {}
        self.fan: list[tuple[float, ...]] = []
        self.asleep: dict[tuple[int, str], Callable[[], None]] = {}  # clocks of the dead, by habit and id
        self.clocks: dict[str, int] = {}  # how many clocks there were of a habit and an id
        if record is not None:
            record += [f"seed {seed}"]

    @property
    def stage(self) -> Stage:
        """What the world stands on now."""
        return read.parts(self.world).stage

    def play(self) -> SessionOutcome:
        player, world, tables = self.player, self.world, self.player.trial.tables
        for line in player._setup:
            self._do(line, {})
        for at, (measure_name, measure, where) in enumerate(player._measures):
            if isinstance(measure, Tally):
                self._listen(measure.on, measure.who, measure.by, where, self._tallier(at, measure))
                self._note(_tally_line(measure_name, measure, player.inputs[0]))
        if self.bot is not None:
            self.bot(world, stream(self.luck, "bot"))
        else:
            for at, ready in enumerate(player._habits):
                self._begin(at, ready)
        if player._every:
            for look in range(1, player.looks + 1):
                world.after(look * player._every, self._look)
        end = tables.end
        stop: Callable[[], bool] | None = None
        if end.on is not None:
            self._listen(end.on, end.who, None, None, self._finish)
            stop = lambda: self.over  # noqa: E731  # a name of its own says no more
        if player._over is not None:
            scope, over = self._scope(None), player._over
            stop = lambda: self.over or over.holds(scope)  # noqa: E731  # it closes over both
        self._pass(end, stop)
        seconds = world.now
        self._note_time()
        self.over = True
        for at, (measure_name, measure, _) in enumerate(player._measures):
            if isinstance(measure, Tally):  # what the last lines bring about is counted no more
                self._note(
                    _tally_expected(measure_name, measure, self._stands(at, measure), player.inputs[0])
                )
        for line in player._end:
            self._do(line, {})
        scope = self._scope(None)
        found = [
            self._stands(at, measure)
            if isinstance(measure, Tally) or formula is None
            else float(formula.value(scope))
            for at, (_, measure, formula) in enumerate(player._measures)
        ]
        missing = (nan,) * len(player._fan)
        fan = (*self.fan, *[missing] * (player.looks - len(self.fan)))
        return SessionOutcome(self.kind, seconds, tuple(found), fan)

    def _pass(self, end: End, stop: Callable[[], bool] | None) -> None:
        """Let a session go on to its end: by the clock, or turn after turn."""
        world = self.world
        if end.turns is None:
            world.advance(end.after, stop=stop)
            return
        for _ in range(end.turns):
            if self.record is not None:
                self._note_time()
                self.record.append("turn next")
            nobody = world.next_turn() is None
            if nobody or (stop is not None and stop()):
                return
            world.advance(min(end.turn_takes, end.after - world.now), stop=stop)
            if world.now >= end.after or (stop is not None and stop()):
                return

    def _stands(self, at: int, measure: Any) -> float:
        """Return what a tally stands at: a first, best or least that never came is nan."""
        tallied = self.tallies[at]
        nothing = isinstance(measure, Tally) and (measure.first or measure.best or measure.least)
        return nan if nothing and not tallied.events else tallied.value

    # habits

    def _begin(self, at: int, ready: Ready) -> None:
        habit = ready.habit
        if habit.on is not None:
            waits, luck = stream(self.luck, f"{ready.name}/wait"), self._luck(ready)
            self._listen(
                habit.on,
                habit.who,
                habit.by,
                ready.where,
                lambda event: self._stirred(at, ready, waits, luck),
            )
            return
        if habit.each is None:
            self._clock(at, ready, None)
            return
        for body in list(self.stage.actors.values()):
            if body.kind.name == habit.each:
                self._clock(at, ready, body)

        def joined(event: Event) -> None:
            self._clock(at, ready, self.stage.actors[event.actor])

        self.world.listen_own("joined", joined, kind=habit.each)
        if ready.alive_only:
            self.world.listen("respawned", lambda event: self._wake(at, event.actor), kind=habit.each)

    def _wake(self, at: int, name: str) -> None:
        wait = self.asleep.pop((at, name), None)
        if wait is not None:
            wait()

    def _clock(self, at: int, ready: Ready, body: Body | None) -> None:
        """Let a habit come again and again, for one of those whom it is about."""
        habit, of = ready.habit, ""
        if body is not None:  # a name may be given again: whoever has it then has other luck
            key = f"{ready.name}/{body.id}"
            self.clocks[key] = self.clocks.get(key, 0) + 1
            of = f"/{body.id}/{self.clocks[key]}"
        waits = stream(self.luck, f"{ready.name}/wait{of}")
        luck = self._luck(ready, of)
        scope = self._scope(body, body.id if body is not None else "")
        until = round((habit.until if habit.until is not None else LONGEST_WAIT) * 1e6)

        def turn() -> None:
            if self.over or (body is not None and not body.here):
                return
            if ready.alive_only and body is not None and not body.alive:
                # It would come in vain until it is alive again: most of what is dead stays so.
                self.asleep[at, body.id] = wait
                return
            self._act(at, ready, scope, luck)
            wait()

        def wait(more: float = 0.0) -> None:
            span = _span(ready.every, waits, scope, ready.name, "every", LEAST_WAIT) + more
            due = self.stage.clock.now + int(span * 1e6 + 0.5)  # what `World.after` does, without its checks
            if due <= until:
                self.stage.calls.add(turn, due)

        wait(max(habit.after - self.world.now, 0.0))

    def _luck(self, ready: Ready, of: str = "") -> tuple[Stream, Stream]:
        return stream(self.luck, f"{ready.name}/chance{of}"), stream(self.luck, f"{ready.name}/pick{of}")

    def _stirred(self, at: int, ready: Ready, waits: Stream, luck: tuple[Stream, Stream]) -> None:
        """Let a habit act that an event has set off."""
        habit, now, scope = ready.habit, self.world.now, self._scope(None)
        if self.over or now < habit.after or (habit.until is not None and now > habit.until):
            return
        delay = _span(ready.delay, waits, scope, ready.name, "delay", 0.0)
        self.world.after(delay, lambda: None if self.over else self._act(at, ready, scope, luck))

    def _act(self, at: int, ready: Ready, scope: Scope, luck: tuple[Stream, Stream]) -> None:
        """Let a habit act, if it is to. Its dice are drawn first, whatever they are used for, so that one
        design's refusals do not become the next one's luck."""
        habit = ready.habit
        self.turns += 1 + len(ready.do)
        if self.turns > MOST_TURNS:
            raise UsageError(
                f"its habits come more than {MOST_TURNS:,} times by {self.world.now:g} s; let them wait "
                "longer, or end it sooner"
            )
        drawn = luck[0].draw() if ready.chance != 1.0 else 0.0
        if habit.pick is not None:
            which = luck[1].draw()
            scope.place = self._picked(habit.pick, which)
            if not scope.place:
                return
            scope.me = self.stage.actors.get(scope.place)
        if habit.times is not None and self.counts[at] >= habit.times:
            return
        self.inputs["n"] = self.counts[at] + 1
        if ready.when is not None and not ready.when.holds(scope):
            return
        chance = ready.chance
        if drawn >= (chance if isinstance(chance, float) else chance.value(scope)):
            return
        self.counts[at] += 1
        fill = {IT: scope.place, "n": str(self.counts[at])}
        for line in ready.do:
            self._do(line, fill)

    def _picked(self, kind: str, which: float) -> str:
        """Return one living actor of a kind, or one pickup that lies there; "" where there is none."""
        there = [body.id for body in self.stage.actors.values() if body.kind.name == kind and body.alive]
        if not there and kind in self.player.design.tables.pickups:
            there = [one.id for one in self.world.placements_of(kind) if one.present]
        return there[min(int(which * len(there)), len(there) - 1)] if there else ""

    # what happens

    def _scope(self, body: Body | None, place: str = "") -> Scope:
        return Scope(self.stage, body, inputs=self.inputs, place=place)

    def _do(self, line: Prepared, fill: dict[str, str]) -> None:
        if self.record is not None:
            self._note_time()
            text = line.text
            for name, filling in fill.items():
                text = text.replace(f"{{{name}}}", filling)
            self.record.append(text)
        self.session.turns = 0
        line.run(self.session, fill)

    def _note(self, text: str) -> None:
        if self.record is not None:
            self.record.append(text)

    def _note_time(self) -> None:
        if self.record is not None and self.world.now_us:
            self.record.append(f"until {self.world.now_us / 1e6:.6f}")

    def _listen(
        self,
        name: str,
        who: str | None,
        by: str | None,
        where: Expression | None,
        call: Callable[[Event], None],
    ) -> None:
        def heard(event: Event) -> None:
            if by is not None and event.credit != by and event.source != by:
                return
            if where is not None:
                scope = Scope(self.stage, None, event=event, inputs=self.inputs)
                if not where.holds(scope):
                    return
            call(event)

        self.world.listen_own(name, heard, actor=who or "")

    def _tallier(self, at: int, tally: Tally) -> Callable[[Event], None]:
        self.tallies[at] = Tallied()
        way, field = tally.ways[0] if tally.ways else COUNT

        def count(event: Event) -> None:
            if not self.over:
                self.tallies[at] = self.tallies[at].with_event(event, way, field)

        return count

    def _finish(self, event: Event) -> None:
        self.over = True

    def _look(self) -> None:
        # Once more behind what else comes at this instant: a look sees it as it is when that is done.
        self.world.after(0, self._look_now)

    def _look_now(self) -> None:
        if self.over:
            return
        scope = self._scope(None)
        self.fan.append(tuple(_or_nan(one, scope) for one in self.player._fan))


def _span(span: Span, waits: Stream, scope: Scope, name: str, key: str, least: float) -> float:
    """Return how long it is until something, drawn between the two ends of a span."""
    drawn = waits.draw()
    low, high = (one if isinstance(one, float) else one.value(scope) for one in (span[0], span[-1]))
    found: float = low + (high - low) * drawn
    if not least <= found <= LONGEST_WAIT:
        raise UsageError(f"habits.{name}.{key} gives {found:g} s; it must be {least:g} s or more")
    return found


def _expected(name: str, formula: Expression, value: float, inputs: Iterable[str]) -> str:
    """Return the line of a script that expects what a formula came to."""
    text = formula.formula.text
    if names_of(text) & {*inputs}:
        return f"# {name}: {text} is {shown(value)}; scripts do not know the players' inputs"
    if formula.formula.type == "truth":
        return f"expect {text if value else f'not ({text})'}  # {name}"
    return f"expect {text} == {value!r}  # {name}"


def _tally_line(name: str, tally: Tally, inputs: Iterable[str]) -> str:
    """Return the line of a script that tallies the same."""
    if tally.where is not None and names_of(tally.where) & {*inputs}:
        return f"# {name}: scripts do not know the players' inputs"
    given = [f"on={tally.on}"]
    given += [f"{key}={value}" for key in ("who", "by") if (value := getattr(tally, key))]
    given += [f"{key}={value}" for key in ("sum", "best", "least") if (value := getattr(tally, key))]
    given += ["first=yes"] if tally.first else []
    given += [f"where={shlex.quote(tally.where)}"] if tally.where is not None else []
    return f"tally {name} {' '.join(given)}"


def _tally_expected(name: str, tally: Tally, value: float, inputs: Iterable[str]) -> str:
    if tally.where is not None and names_of(tally.where) & {*inputs}:
        return f"# {name}: {'never' if value != value else shown(value)}"
    return f"expect tally.{name}.count == 0" if value != value else f"expect tally.{name} == {value!r}"


def names_of(formula: str) -> set[str]:
    """Return the plain names in a formula that has been compiled."""
    return {
        node.id for node in ast.walk(ast.parse(formula.strip(), mode="eval")) if isinstance(node, ast.Name)
    }


def _or_nan(formula: Expression, scope: Scope) -> float:
    try:
        return float(formula.value(scope))
    except NobodyError:
        return nan


def about_of(habit: Habit, design: Design) -> dict[str, Any]:
    """Return what `it` is in a habit: its kind, "" for nobody, and whether it is a pickup."""
    named = habit.each or habit.pick or ""
    return {"it": named, "lies": named in design.tables.pickups and named not in design.tables.actors}


def false_of_the_dead(tree: ast.expr) -> bool:
    """Return whether a condition is plainly false of the dead: `it.alive`, or that and something else."""
    if isinstance(tree, ast.BoolOp) and isinstance(tree.op, ast.And):
        return any(map(false_of_the_dead, tree.values))
    return ast.unparse(tree) == f"{IT}.alive"


def lines_of(lines: tuple[str, ...], file: str) -> list[str]:
    """Return the lines of a script without comments, blocks written out.

    Raises:
        ScriptError: A block that is not closed.
        UsageError: They are more than a session may have.
    """
    found: list[str] = []

    def add(item: Line | Block) -> None:
        if isinstance(item, Block):
            for _ in range(item.turns if item.body else 0):
                for inner in item.body:
                    add(inner)
        else:
            found.append(item.text)
        if len(found) > MOST_LINES:
            raise UsageError(f"these are more than {MOST_LINES:,} lines; repeat less often")

    for item in items(lines, file):
        add(item)
    return found


def prepared(session: Session, text: str) -> Prepared:
    """Return a line of a script, split.

    Raises:
        CleaverError: It is wrong.
    """
    name, _, rest = text.partition(" ")
    return Prepared(find(name), session, rest)
