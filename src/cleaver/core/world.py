"""World: one running game. Composes the parts; holds no rules of its own.

Here stands how a world becomes data and goes on from it, and the calls that concern no single actor. Which
parts it has, and the order in which they react, stand in `parts`. Start at `World`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import partial

from cleaver.core import telling
from cleaver.core.adoption import Adoption
from cleaver.core.commands import ANYBODY, FIELDS, OTHER_KIND, PLAYER_KIND, command
from cleaver.core.game import Game, parts_of
from cleaver.core.handles import Actor, handle_of
from cleaver.core.kernel.arguments import (
    ACTOR,
    CALL,
    PAIRS,
    PROFILE,
    TEXT,
    checked,
    maybe,
    number,
    own_name,
    whole,
)
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.delivery import Hearer, Listening
from cleaver.core.kernel.gathered import only
from cleaver.core.kernel.results import HitResult, Result, TradeResult
from cleaver.core.profile import Profile, look_at
from cleaver.core.timing import WorldClocks
from cleaver.core.views import FARTHEST, Placement, lying, spot_of
from cleaver.design.design import Design
from cleaver.errors import FormulaError, ReactionError, SaveError, UsageError, renamed, said

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, TypeVar

    from cleaver.core.kernel.event_types import Listens as _Listens

    R = TypeVar("R")
else:
    _Listens = object

HISTORY = 1_000  # events kept


class World(WorldClocks, _Listens):
    """One running game: clock, actors, dice, rules at work. Deterministic; belongs to one thread.

    Args:
        design: What the designer wrote.
        seed: Of the dice, from 0 to 2**64 - 1.
        history: How many of the latest events `events` and `why` can look back on.

    >>> world = World(Design.from_dict({"actors": {"crate": {"vital": "planks", "meters": {"planks": 20}}}}))
    >>> crate = world.spawn("crate")
    >>> crate.hurt(12.5).dealt, crate["planks"].value
    (12.5, 7.5)
    """

    _instead = "World.restore(world.design, world.snapshot()) makes another that goes on in the same way"

    def __init__(self, design: Design, seed: int = 0, *, history: int = HISTORY) -> None:
        # Here, so that a tool or a menu that only names the library does not wait for the rules to load.
        from cleaver.core import snapshots
        from cleaver.core.parts import Parts

        parts = Parts(design, seed, history)
        parts.stage.twin = partial(snapshots.twin, parts)
        self._game = Game(parts)

    def __repr__(self) -> str:
        count = len(self._world.stage.actors)
        return f"<World {self.design.title!r} at {self.now:g} s, {count} actor{'s' if count != 1 else ''}>"

    if not TYPE_CHECKING:  # a checker must find a misspelt name

        def __getattr__(self, name: str) -> Any:
            raise renamed("World", name)

    # who is there

    @checked(pairs=PAIRS, attack=TEXT)
    def contacts(
        self, pairs: Iterable[tuple[Actor | str, Actor | str]], attack: str, **inputs: float
    ) -> tuple[HitResult, ...]:
        """Let the first of each pair hit the second with one attack: the contacts of a frame.

        Call it in every frame, with all pairs that touch: cooldown and grace decide which of them hurt.

        Args:
            pairs: Who touches whom, as actors or ids, in the order in which they hit.
            attack: An attack that all of the first have.
            **inputs: Inputs of the design, for formulas.

        Returns:
            One result for each pair, in their order.

        Raises:
            UnknownNameError: Somebody who is not there, or has no such attack; nobody was hit.
            ReactionError: What single hits raised, such as listeners; the others have happened.
        """
        parts = self._world
        found: list[tuple[Actor, Actor]] = []
        for pair in pairs:
            if not isinstance(pair, (tuple, list)) or len(pair) != 2:
                raise UsageError(f"{said(pair)} is no pair; give who hits and who is hit, such as (eel, ana)")
            if not all(isinstance(one, (Actor, str)) for one in pair):
                raise UsageError(f"{said(pair)} must be two actors of this world, or their ids")
            source, target = map(self._body, pair)
            parts.combat.attack(source, attack)
            found.append((handle_of(self._game, source), handle_of(self._game, target)))
        given: dict[str, Any] = {**inputs}
        results: list[HitResult] = []
        errors: list[Exception] = []
        for one, other in found:
            try:
                results.append(one.hit(other, attack, **given))
            except (ReactionError, FormulaError) as error:
                errors.append(error)
        if errors:
            raise only(errors)
        return tuple(results)

    @command(
        "join diver ana team=north",
        telling.PEOPLE,
        line="join {kind} {name} team={team} from={profile}",
        says="{name} enters as {kind}",
        kind=PLAYER_KIND,
    )
    def join(self, kind: str, name: str, *, team: str = "", profile: Profile | None = None) -> Actor:
        """Let a player enter under the id *name*, with what *profile* brings; without one it gets the
        starting amounts."""
        if not self._kind(kind).player:
            raise UsageError(
                f"{said(kind)} is not a player kind; spawn it, or say player = true at actors.{kind}"
            )
        if not name:
            raise UsageError("a player needs an id of its own; join(kind, id)")
        return self._enter(kind, name, team, None, profile)

    @command(
        "spawn eel eel1",
        telling.PEOPLE,
        line="spawn {kind} {name…}",
        says=telling.came("enters", "enter"),
        kind=OTHER_KIND,
    )
    def spawn(self, kind: str, name: str = "", *, team: str = "", owner: Actor | str = "") -> Actor:
        """Let any other actor enter; without a name it gets one such as "eel#3"."""
        if self._kind(kind).player:
            raise UsageError(
                f"{kind} is a player kind; let it join(kind, id), so that it has a purse and progress"
            )
        whose = None if owner == "" else self._body(owner)
        return self._enter(kind, name, team, whose, None)

    def _enter(
        self, kind_name: str, name: str, team: str, owner: Body | None, profile: Profile | None
    ) -> Actor:
        stage = self._world.stage
        self._kind(kind_name)
        own_name("the id", name)
        self._world.teams.known(team)
        if name:
            stage.free(name)
        if profile is not None:
            look_at(profile)
        body = self._world.come(kind_name, name, team, owner, profile)
        stage.drain()
        return handle_of(self._game, body)

    @command("dismiss eel1", telling.PEOPLE, says="{actor.id} is gone")
    def dismiss(self, actor: Actor | str) -> None:
        """Take an actor out of the world for good; all that is kept of it is forgotten, and its id may be
        given again."""
        body = self._body(actor)
        self._world.stage.idle("dismiss")
        self._world.depart(body)

    @checked(actor=ACTOR)
    def leave(self, actor: Actor | str) -> Profile:
        """Let a player leave; returns the profile it leaves with."""
        self._world.stage.idle("leave")
        profile = self.profile(actor)
        self.dismiss(actor)
        return profile

    @command("load ana", telling.SAVES, line="load {actor} from={profile}", profile=PROFILE)
    def load(self, actor: Actor | str, profile: Profile) -> None:
        """Make everything that a profile keeps of a player as *profile* says, what it lacks as at its start.

        Listeners are told what changed, with reason "loaded" where goods move; no rule, tally or quest reacts
        to that.

        Raises:
            SaveError: A profile of somebody else, malformed, or beyond what the design lets one have; its
                path is named, and nothing has changed.
        """
        body = self._loading(actor, profile)
        beyond = self._world.goods.keeping.beyond(profile.sections)
        if beyond is not None:
            path, amount, most = beyond
            raise SaveError(
                f"profile {body.id}: {path} is {amount}, and the design lets one have at most {most}. "
                "Nothing was taken from it"
            )
        self._take_back(body, profile)

    @command("load ana over=yes", telling.SAVES, line="load {actor} from={profile} over=yes", profile=PROFILE)
    def take_back(self, actor: Actor | str, profile: Profile) -> None:
        """As `load`, also with more of a good than the design lets one have by now: it stays, as with what
        one holds already."""
        self._take_back(self._loading(actor, profile), profile)

    def _loading(self, actor: Actor | str, profile: Profile) -> Body:
        """Return who a profile is to be loaded onto, if it is that player's and whole."""
        body = self._body(actor)
        self._world.stage.idle("load")
        if not body.kind.player:
            raise UsageError(f"{body.id} is no player; only players have a profile")
        if profile.player != body.id:
            raise UsageError(
                f"this is the profile of {said(profile.player)}, and {body.id} is another player"
            )
        look_at(profile)
        return body

    def _take_back(self, body: Body, profile: Profile) -> None:
        stage = self._world.stage
        World(self.design).join(
            body.kind_name, body.id, profile=profile
        )  # whatever its formulas raise is raised before anything has changed here
        stage.told_only = True
        try:
            self._world.profiles.take_back(body, profile, told=True)
        finally:
            stage.told_only = False
        stage.emit("loaded", body.id, "", ())
        stage.drain()

    @command("saved ana 3", telling.SAVES, says="{actor.id} is saved as revision {revision}")
    def saved(self, actor: Actor | str, revision: int) -> None:
        """Tell that a player was saved, as that revision of its profile."""
        self._world.stage.emit("saved", self._body(actor).id, "", (whole("the revision", revision),))
        self._world.stage.drain()

    @command(
        "trade ana bea gives=pearl:2 gets=scrip:30",
        telling.GOODS,
        line="trade {one} {other} gives={gives} gets={gives_back}",
        says=telling.traded,
    )
    def trade(
        self, one: Actor | str, gives: Mapping[str, int], other: Actor | str, gives_back: Mapping[str, int]
    ) -> TradeResult:
        """Let two players give each other goods in one step: all of it changes hands, or nothing does.

        An `Autosaver` writes both profiles in one transaction, so that no crash leaves a thing with both, or
        with neither.

        Args:
            one: The first player.
            gives: What it gives, by good: currencies and items, whole numbers.
            other: The second player.
            gives_back: What that one gives; ``{}`` for nothing.

        Raises:
            UnknownNameError: A good that is not there.
            AmountError: An amount that is no whole number from 0 up.
            UsageError: Somebody who is no player, or one player twice.
        """
        return self._world.done(
            self._world.trades.trade(self._body(one), gives, self._body(other), gives_back)
        )

    # things lying about

    @command(
        "place sealant kit at=3,4 mends=60",
        telling.GOODS,
        line="place {pickup} {name…}",
        says=telling.came("lies there", "lie there"),
    )
    def place(
        self, pickup: str, name: str = "", *, at: tuple[float, ...] | None = None, **inputs: float
    ) -> Placement:
        """Lay a pickup into the world; *inputs* override those the design gives it, *at* is where."""
        own_name("the id", name)
        given = {key: number(f"{key} of {pickup}", value) for key, value in inputs.items()}
        spot = None if at is None else spot_of(at)
        placed = Placement(self._game, self._world.pickups.place(pickup, name, given, spot))
        self._world.stage.drain()
        self._world.stage.settle()
        return placed

    def move(self, thing: Actor | Placement | str, x: float, y: float, z: float = 0.0) -> None:
        """Note where an actor or a placement stands now, by itself or by its id; Cleaver moves nothing
        itself."""
        # What a game says of everything in every frame: what is plainly right need not be looked at closely.
        if (
            thing.__class__ is Actor
            and not self._game.observers
            and x.__class__ is float
            and y.__class__ is float
            and z.__class__ is float
            and -FARTHEST <= x <= FARTHEST
            and -FARTHEST <= y <= FARTHEST
            and -FARTHEST <= z <= FARTHEST
        ):
            game, body = self._game, self._body(thing)
            game.depth += 1
            try:
                game.parts.places.move(body, x, y, z)
                if game.parts.stage.moved:
                    game.parts.stage.settle()
            finally:
                game.depth -= 1
                if game.asked is not None:
                    game.over()
        else:
            self._move(thing, x, y, z)

    @command(
        "move ana 3 4",
        telling.PEOPLE,
        line="move {thing} {x} {y} {z}",
        says="{thing.id} stands at {x}, {y}, {z}",
    )
    def _move(self, thing: Actor | Placement | str, x: float, y: float, z: float = 0.0) -> None:
        """Say where an actor or a placement stands now."""
        at, table = spot_of((x, y, z)), self._world.pickups.table
        if isinstance(thing, str) and thing in table.placements:
            thing = Placement(self._game, table.placements[thing])
        if isinstance(thing, Placement):
            state = lying(self._game, thing)
            state.x, state.y, state.z = at
        else:
            self._world.places.move(self._body(thing), *at)
        if self._world.stage.moved:
            self._world.stage.settle()

    # stages

    @command("stage enter shallows", telling.STAGES, line="stage enter {stage}", says=telling.stage)
    def enter_stage(self, stage: str) -> Result:
        """End the stage that is being played, and lay out another: creatures and placements go, players stay
        with all they have.

        Creatures and placements are named by kind and number from 1 (`eel1`, `pearl1`). Where something of
        that name stays, the next number is taken.

        Returns:
            What came of it: `locked` where the needs of the stage do not hold for every player.

        Raises:
            UnknownNameError: A stage that is not there.
            BusyError: In a listener; use what `stage_left` or another event says once it is delivered.
            ReactionError: What listeners and reactions raised; the stage is laid out all the same.
        """
        self._world.stage.idle("enter_stage")
        return self._world.stages.enter(stage)

    @command("stage leave", telling.STAGES, line="stage leave", says=telling.stage)
    def leave_stage(self) -> Result:
        """End the stage that is being played; nothing is laid out after it."""
        self._world.stage.idle("leave_stage")
        return self._world.stages.leave()

    @command("stage restart", telling.STAGES, line="stage restart", says=telling.stage)
    def restart_stage(self) -> Result:
        """Put the stage that is being played back to how it began, players included; whoever came later is
        as on arrival. What `[game] restart_keeps` names stays, and what it gave; clock and dice go on.

        Raises:
            UsageError: No stage is being played.
            BusyError: In a listener.
            ReactionError: What listeners and reactions raised; the stage has begun anew all the same.
        """
        self._world.stage.idle("restart_stage")
        return self._world.stages.restart()

    # matches

    @command(
        "team ana south", telling.PEOPLE, line="team {actor} {team}", says="{actor.id} stands with {team}"
    )
    def set_team(self, actor: Actor | str, team: str) -> Result:
        """Let an actor change sides, or stand alone ("")."""
        return self._world.done(self._world.teams.change(self._body(actor), team))

    # events

    @command(
        "announce - tide height=3",
        telling.QUESTS,
        line="announce {actor} {event}",
        says="{event}",
        actor=ANYBODY,
        fields=maybe(FIELDS),
    )
    def announce(self, event: str, actor: str = "", fields: Mapping[str, Any] | None = None) -> int:
        """Tell an event of the design's own events; returns its number."""
        return self._world.announce(event, actor, fields)

    @checked(event=TEXT, call=CALL, actor=ACTOR, kind=TEXT)
    def listen_own(self, event: str, call: Hearer, *, actor: Actor | str = "", kind: str = "") -> Listening:
        """Call *call* with each event of that name, of one actor or kind if given.

        It takes the design's own events, and a name that is worked out. `listen` does the same; to a type
        checker it takes Cleaver's own events by name, and knows the fields of each. The same listener added
        twice for the same thing is called once. Close what is returned to stop, or use it in a `with`.

        Raises:
            UnknownNameError: An event or kind that is not there, with the nearest that is.
        """
        known = self._world.stage.kinds.known
        known.need("event", event, known.events)
        if kind:
            self._kind(kind)
        actor_id = self._body(actor).id if isinstance(actor, Actor) else actor
        if actor_id and kind:
            raise UsageError("listen to one actor or to a kind, not both")
        return self._world.stage.listeners.listen(event, call, actor_id, kind)

    if not TYPE_CHECKING:
        listen = listen_own  # checkers take it from `Listens`, which knows each event's fields

    # a world as data

    def snapshot(self) -> dict[str, Any]:
        """Return everything that changes while a world runs, as JSON-ready data."""
        from cleaver.core import snapshots  # only where worlds are written down

        self._world.stage.idle("snapshot")
        return snapshots.written(self._world)

    @command("adopt actors.eel.attacks.sting.amount=20", telling.RUNNING)
    def adopt(self, design: Design) -> Adoption:
        """Go on under another design, in the middle of the game.

        What both designs name goes on. The maxima of meters follow the new one, and what was raised on them
        stays; values stay, cut at the maximum. What is new begins: meters, pulses, quests, records. What is
        not there any more ends: statuses, pulses, flows; or it is put aside as with profiles: goods, quests,
        records. Spans that have begun keep their end, and rates are the new ones from now on. A goal goes on
        by its `name`, else where it counts the same. Handles, listeners, calls of `after` and what draws a
        HUD go on. Listeners hear what changed by it, and no rule does.

        Raises:
            InUseError: A kind, pickup, team, match or stage that is in use is not in *design*, each with what
                uses it; nothing has changed.
            FormulaError: A formula of *design* that gives no usable number for somebody now; nothing has
                changed.
            BusyError: In a listener; use ``world.after(0, …)``.
            ReactionError: What listeners and rules raised; the world has gone on under *design*.
        """
        from cleaver.core.adopting import adopted  # only where a design changes

        self._world.stage.idle("adopt")
        return adopted(self._game, design)

    @classmethod
    def restore(
        cls, design: Design, snapshot: Mapping[str, Any], *, history: int = HISTORY, adopt: bool = False
    ) -> World:
        """Return a world that goes on exactly as the one that was written down would have.

        Listeners and kept history are not part of a snapshot: `events` and `why` begin anew.

        Args:
            design: The design that it was taken under.
            snapshot: What `snapshot` returned.
            history: How many of the latest events `events` and `why` can look back on.
            adopt: Whether *design* may be another one than it was taken under, which then goes on as with
                `adopt`.

        Raises:
            SnapshotError: A snapshot of another design, or of a version with other state.
            InUseError: Something that is in use is not in *design*, which was to be adopted.
        """
        from cleaver.core import snapshots  # slow to import, and few need it

        if adopt:
            world = cls.restore(snapshots.design_of(snapshot), snapshot, history=history)
            world.adopt(design)
            return world
        snapshots.check_snapshot(design, snapshot)
        world = cls(design, 0, history=history)
        snapshots.restored(parts_of(world), snapshot)
        return world
