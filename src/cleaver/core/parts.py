"""Parts of a world: what a world is composed of, one of each topic's parts.

Here stands the order in which parts react to one event. Handles and views reach the parts through this, so
that they need not know the world that holds them. Start at `Parts`.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import partial

from cleaver.core.abilities.abilities import Abilities
from cleaver.core.abilities.costs import Costs
from cleaver.core.bind import BoundDesign, bind
from cleaver.core.clocks.days import Days
from cleaver.core.clocks.turns import Turns
from cleaver.core.contests.levels import Levels
from cleaver.core.contests.matches import Matches
from cleaver.core.contests.ratings import Ratings
from cleaver.core.contests.records import Records
from cleaver.core.contests.scores import Scores
from cleaver.core.contests.stages import Stages
from cleaver.core.contests.teams import Teams
from cleaver.core.goods.exchanges import Exchanges
from cleaver.core.goods.gear import Gear
from cleaver.core.goods.goods import Goods
from cleaver.core.goods.pickups import Pickups
from cleaver.core.goods.trades import Trades
from cleaver.core.kernel import reading as names
from cleaver.core.kernel.arguments import TABLE, TEXT, checked, maybe, number, own_name, whole
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.effects import Effects
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.gathered import only
from cleaver.core.kernel.inputs import Inputs
from cleaver.core.kernel.part import Part
from cleaver.core.kernel.places import Places
from cleaver.core.kernel.rules import Rules
from cleaver.core.kernel.scope import Given
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.kernel.tallies import Tallies
from cleaver.core.profile import Profile, Profiles
from cleaver.core.quests.achievements import Achievements
from cleaver.core.quests.quests import Quests
from cleaver.core.quests.talks import Talks
from cleaver.core.stats.account import Stats
from cleaver.core.stats.active import Active
from cleaver.core.vitals.hits import Combat
from cleaver.core.vitals.meters import Vitals
from cleaver.core.vitals.quick import Quick
from cleaver.core.vitals.shots import Shots
from cleaver.core.vitals.statuses import Statuses
from cleaver.design.design import Design
from cleaver.errors import AmountError, UnknownNameError, UsageError, said

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, TypeVar

    R = TypeVar("R")


MOST_HISTORY = 100_000_000  # events


class Parts:
    """The parts of one world, and what every command on them goes through."""

    kinds: BoundDesign
    stage: Stage
    stats: Stats
    goods: Goods
    effects: Effects
    vitals: Vitals
    statuses: Statuses
    active: Active
    combat: Combat
    quick: Quick
    shots: Shots
    gear: Gear
    costs: Costs
    abilities: Abilities
    places: Places
    lasting: Inputs
    scores: Scores
    pickups: Pickups
    exchanges: Exchanges
    trades: Trades
    rules: Rules
    tallies: Tallies
    teams: Teams
    records: Records
    levels: Levels
    ratings: Ratings
    contests: Matches
    stages: Stages
    quests: Quests
    talks: Talks
    achievements: Achievements
    turns: Turns
    days: Days
    profiles: Profiles
    design: Design

    def __init__(self, design: Design, seed: int, history: int) -> None:
        if isinstance(seed, bool) or not isinstance(seed, int) or not 0 <= seed < 2**64:
            raise AmountError("the seed", seed, "a whole number from 0 to 2**64 - 1")
        if not isinstance(design, Design):
            raise UsageError(
                f"a world needs a design, not {said(design)}; make one with load_design or Design.from_dict"
            )
        if whole("history", history) > MOST_HISTORY:
            raise AmountError("history", history, f"a whole number from 0 to {MOST_HISTORY:,}")
        self.design = design
        self.handles: dict[str, Any] = {}  # what a game holds of the actors, by id
        self.kinds = kinds = bind(design, names.reader)
        self.stage = Stage(kinds, seed, history)
        stage = self.stage
        self.stats = Stats(stage, kinds.stats)
        self.goods = Goods(stage, kinds.goods, self.stats)
        self.effects = Effects(stage, self.goods)
        stage.departures.append(self.effects.forget)
        stage.depart = self.depart
        self.vitals = Vitals(stage, self.stats)
        self.statuses = Statuses(stage, self.vitals, self.effects)
        self.active = Active(stage, self.stats, self.statuses)
        self.combat = Combat(stage, self.vitals, self.effects)
        self.quick = Quick(self.combat)
        self.statuses.hurt = self.quick.pulse
        self.shots = Shots(stage, self.combat)
        self.places = Places(stage)
        self.lasting = Inputs(stage)
        self.scores = Scores(stage, kinds.contests)
        self.pickups = Pickups(stage, self.goods, self.effects)
        self.exchanges = Exchanges(stage, self.goods, self.effects)
        self.effects.trader = self.exchanges
        self.gear = Gear(stage, self.goods, kinds.stats)
        self.costs = Costs(self.goods, self.vitals)
        self.combat.costs = self.costs
        self.abilities = Abilities(stage, self.effects, self.costs)
        self.trades = Trades(stage, self.goods)
        self.rules = Rules(stage, self.effects)
        self.tallies = Tallies(stage)
        self.teams = Teams(stage, self.tallies.file_anew)
        self.records = Records(stage, kinds.contests, self.tallies)
        self.levels = Levels(stage, kinds.contests, self.effects)
        self.ratings = Ratings(stage, kinds.contests)
        self.turns = Turns(stage, self.vitals.life, self.pickups, kinds.turn_order)
        self.stages = Stages(stage, kinds.contests, self.pickups, self.places, self.turns)
        self.trades.told = self.stages.traded
        self.contests = Matches(stage, kinds.contests, self.effects, self.pickups)
        self.quests = Quests(stage, kinds.quests, self.effects, self.goods, self.tallies, self.pickups)
        self.talks = Talks(self.quests)
        self.achievements = Achievements(stage, kinds.quests, self.effects, self.tallies)
        week_start = design.tables.game.week_start
        self.days = Days(stage, self.vitals.life, self.pickups, self.tallies, self.quests.sets, week_start)
        self.scores.told = self.contests.winning.scored
        self.combat.truces.append(self.contests.truce)
        self.profiles = Profiles(stage)
        # The order in which parts react to one event: what is owed and fits now, what a death ends; then an
        # attack's own effects and `on_death`, and the return of the dead; what a level brings; then tallies,
        # so that a rule can read a combo that counts the event at hand; then the design's rules and those
        # of matches; then the quests that all this may open; at last the next of several levels.
        stage.planners += [
            self.goods.debts.plan,
            self.vitals.death.follow,
            self.combat.follow,
            self.vitals.death.follow_return,
            self.turns.follow,
            self.levels.follow,
            self.quests.follow,
            self.tallies.follow,
            self.rules.follow,
            self.contests.winning.follow_placed,
            self.contests.follow,
            self._follow_arrival,
            self.quests.openings.follow_openings,
            self.levels.follow_on,
        ]
        # A profile is taken back in this order: the team before money that a team has together; statuses
        # after life, which the dead have none of; meters after all that their maxima may hang on.
        self.all_parts: tuple[Part, ...] = (
            self.turns,
            self.teams,
            self.stats,
            self.goods,
            self.gear,
            self.exchanges,
            self.trades,
            self.levels,
            self.vitals.life,
            self.statuses,
            self.scores,
            self.pickups,
            self.profiles,
            self.tallies,
            self.ratings,
            self.records,
            self.contests,
            self.achievements,
            self.quests,
            self.days,
            self.talks,
            self.vitals,
            self.active,
            self.places,
            self.lasting,
            self.shots,
            self.stages,
        )
        self.stages.parts, self.stages.sections = self.all_parts, self.profiles.sections
        stage.enter, stage.try_out = self._creature, self._try_out
        for part in self.all_parts:
            stage.departures.append(part.forget)
            for keeper in part.keepers():
                self.profiles.keep(keeper)
        stage.readable["actors"] = lambda body, name, part: sum(
            one.kind.name == name and (part == "count" or one.alive) for one in stage.actors.values()
        )
        stage.readable["pickups"] = lambda body, name, part: self.pickups.count(name, part)
        stage.readable["team_purse"] = lambda body, name, part: self.goods.team_money(name, part)
        stage.readable["placement"] = lambda body, name, part: self.pickups.placement(name).present
        self._plain_paths()

    @property
    def now_us(self) -> int:
        """Microseconds since the world began."""
        return self.stage.clock.now

    def with_state(self) -> Iterator[tuple[str, Any]]:
        """Yield the parts that have state, each with its name in a snapshot."""
        return ((part.name, part) for part in self.all_parts if part.name)

    def _plain_paths(self) -> None:
        read = self.stage.readable
        read["team"] = lambda body, name, part: self.scores.of_team(name) if body is None else body.team
        read["kind"] = lambda body, name, part: body.kind_name
        read["owner"] = lambda body, name, part: body.owner
        read["player"] = lambda body, name, part: body.kind.player
        for axis in ("x", "y", "z"):
            read[axis] = partial(_coordinate, axis)

    def _follow_arrival(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan what a player finds on arriving, or after its profile was loaded: what it is owed, what came
        within its reach."""
        if name == "restarted":
            return [("", self._restarted)]
        return [("", self._arrived)] if name in ("joined", "loaded") else []

    def _restarted(self, event: Event) -> None:
        body = self.stage.players.get(event.actor)
        if body is not None:
            self.goods.debts.pay_debts(body)
            self.quests.look_again(body)

    def _arrived(self, event: Event) -> None:
        body = self.stage.players.get(event.actor)
        if body is not None:
            self.goods.debts.pay_debts(body)
            self.days.arrived(body, self.quests.latest_day(body))
            self.levels.arrived(body)
            self.achievements.arrived(body)
            self.quests.arrived(body)

    # who comes and goes

    def come(self, kind_name: str, name: str, team: str, owner: Body | None, profile: Profile | None) -> Body:
        """Let an actor come, with all that it begins with; what it raises has changed nothing."""
        stage, kind = self.stage, self.kinds.actors[kind_name]
        made, counts = stage.clock.made, dict(stage.counts)
        name = name or stage.made_up(kind_name, stage.counts)
        stage.came += 1
        body = Body(name, kind, team or kind.team, owner, stage.came, stage.clock.now)
        try:
            self.equip(body, profile)
        except BaseException:  # a formula that fails, say: nothing of it has come
            self.let_go(body)
            stage.came, stage.clock.made, stage.counts = stage.came - 1, made, counts
            raise
        if kind.player:
            self.goods.start(body, saved=profile is not None)
        stage.listeners.forget(name)
        for arrive in stage.arrivals:
            arrive(body)
        stage.emit("joined", name, "", ())
        self.active.look(body)
        return body

    def equip(self, body: Body, profile: Profile | None) -> None:
        """Put a body into the world, with what it begins with."""
        stage = self.stage
        stage.actors[body.id] = body
        stage.belong(body)
        if body.kind.player:
            stage.players[body.id] = body
        self.statuses.gather(body)
        self.stats.anew(body)
        self.vitals.equip(body)
        self.statuses.equip(body)
        self.records.equip(body)
        self.achievements.equip(body)
        if profile is not None:
            self.profiles.take_back(body, profile, told=False)

    def _creature(self, kind: str, name: str) -> Body:
        return self.come(kind, name, "", None, None)

    def _try_out(self, kind: str) -> None:
        """Raise what a creature's coming would raise: its pulses may have formulas."""
        if any(not isinstance(pulse.every, int) for pulse in self.kinds.actors[kind].pulses.values()):
            Parts(self.design, 0, 0).come(kind, "", "", None, None)

    def let_go(self, body: Body) -> None:
        """Let every part forget an actor, and take it out of the world."""
        stage = self.stage
        for depart in stage.departures:
            depart(body)
        stage.leave_behind(body)
        body.here = body.alive = False
        stage.actors.pop(body.id, None)
        stage.players.pop(body.id, None)
        self.handles.pop(body.id, None)

    def depart(self, body: Body) -> None:
        """Let an actor go for good, and tell it."""
        stage = self.stage
        self.let_go(body)
        stage.parting = (body.id, body.kind_name)
        try:
            stage.emit("departed", body.id, "", ())
            stage.drain()
        finally:
            stage.parting = ("", "")
            stage.listeners.forget(body.id)
            stage.settle()

    # commands

    def done(self, result: R) -> R:
        """Deliver what followed from a command, then return its result."""
        stage = self.stage
        stage.acted += 1
        if stage.last is not None and not stage.queue and not stage.draining:
            stage.last()
        if stage.queue:
            stage.drain()
        return result

    def moved_on(self, errors: list[Exception], result: R) -> R:
        """Deliver what followed from a clock that was moved on, then return its result, or raise what was
        raised."""
        self.stage.acted += 1
        errors.extend(self.stage.look())
        if errors:
            raise only(errors)
        return result

    @checked(given=TABLE)
    def inputs(self, given: Mapping[str, float]) -> Given | None:
        """Return the inputs of the design with those *given*, checked; None where none are."""
        if not given:
            return None
        known, found = self.stage.kinds.inputs, dict[str, float]()
        for name, value in given.items():
            if name not in known:
                raise UnknownNameError("input", name, tuple(known))
            found[name] = number(f"input {name}", value)
        return Given.over(known, found)

    @checked(event=TEXT, actor=TEXT, fields=maybe(TABLE))
    def announce(self, event: str, actor: str = "", fields: Mapping[str, Any] | None = None) -> int:
        """Tell an event of the design's own events; returns its number."""
        stage, fields = self.stage, dict(fields or {})
        own = self.design.tables.events
        if event not in own:
            raise UnknownNameError("event of the design's own", event, tuple(own))
        kind = stage.kinds.events[event]
        for name in fields:
            if name not in kind.index:
                raise UnknownNameError("field", name, kind.names, f"event {event}")
        values = []
        for name, wanted in own[event].fields.items():
            if name not in fields:
                raise UsageError(f"event {event} needs {name}=; its fields are: {', '.join(kind.names)}")
            value = fields[name]
            if wanted == "number":
                value = number(f"{name} of {event}", value)
            elif not isinstance(value, str):
                raise AmountError(f"{name} of {event}", value, "a name")
            else:
                value = str(own_name(f"{name} of {event}", value))
            values.append(value)
        seq = stage.emit(event, actor, "", tuple(values))
        stage.drain()
        return seq


def _coordinate(axis: str, body: Body, name: str, part: str) -> float:
    return getattr(body, axis) or 0.0
