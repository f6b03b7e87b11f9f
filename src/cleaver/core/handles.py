"""Handles: what a game holds of the actors of a world.

The verbs belong to the actor that does or suffers them and are the commands of scripts under the same names.
A handle checks its arguments, lets a part do the work, and delivers what follows. Start at `Actor`.
"""

from __future__ import annotations

from cleaver.core import telling
from cleaver.core.commands import EXCHANGE, GEAR, INPUT, MAYBE_ATTACK, ON, VALUE, WHOLE, WORN, command
from cleaver.core.game import Game, idle
from cleaver.core.kernel.arguments import ACTOR, TEXT, TRUTH, amount, checked, maybe, number, own_name, whole
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.results import (
    ChangeResult,
    ExchangeResult,
    HealResult,
    HitResult,
    QuestResult,
    RateResult,
    Result,
    TalkResult,
)
from cleaver.core.kernel.spans import as_span
from cleaver.core.shot import Shot
from cleaver.core.somebody import Somebody, body_of
from cleaver.core.stats.account import GAME
from cleaver.core.views import MeterView, Placement, lying
from cleaver.core.vitals.blow import Blow
from cleaver.design.vocabulary import IGNORABLE
from cleaver.errors import AmountError, UnknownNameError, UsageError, advice, renamed

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.literals import Blocked, HitStep


_amount = amount


def handle_of(game: Game, body: Body) -> Actor:
    """Return what a game holds of an actor: always the same, until another has its name."""
    handles: dict[str, Actor] = game.parts.handles
    handle = handles.get(body.id)
    if handle is None or handle._body is not body:
        handle = handles[body.id] = Actor(game, body)
    return handle


class Actor(Somebody):
    """An actor in a world. Every verb returns a small result that is true if something was done, with
    `blocked` saying why not."""

    # reading

    if not TYPE_CHECKING:  # a checker must find a misspelt name

        def __getattr__(self, name: str) -> Any:
            raise renamed("Actor", name)

    def __getitem__(self, meter: str) -> MeterView:
        return MeterView(self._game, self._there, self._world.vitals.meter(self._there, meter))

    def __contains__(self, meter: str) -> bool:
        return meter in self._there.meters

    def __repr__(self) -> str:
        return f"<{self.kind} {self.id}>"

    @checked(attack=TEXT, target=maybe(ACTOR))
    def cooldown_left(self, attack: str, target: Actor | str | None = None) -> float:
        """Return the seconds until an attack may hit *target* again, or may be launched again where there is
        none; 0 if it may now. Of a cooldown in turns, rounds or days it is how many of them."""
        form = self._world.combat.attack(self._there, attack)
        key = form.rests_as("" if target is None else body_of(self._game, target).id)
        return self._world.stage.clock.time_left(self._there.cooldowns.get(key, 0), self._there)

    # hits

    def hit(
        self,
        target: Actor | str,
        attack: str | None = None,
        *,
        amount: float | None = None,
        zone: str = "",
        type: str = "",
        crit: bool | None = None,
        posthumous: bool = False,
        ignores: tuple[HitStep, ...] = (),
        **inputs: float,
    ) -> HitResult:
        """Hit *target* with one of this actor's attacks, or with a bare amount.

        Args:
            target: Who is hit.
            attack: An attack of this actor's kind; without one, give `amount`.
            amount: Replaces the attack's amount, in the unit of the target's vital meter.
            zone: Where the target is hit, one of its zones.
            type: The type of damage; an attack brings its own.
            crit: Forces a critical hit, or forbids it; None lets the dice decide.
            posthumous: For what is still in flight when its owner has died.
            ignores: Steps of the hit to skip.
            **inputs: Inputs of the design, for formulas.

        Raises:
            UnknownNameError: An attack, zone, type, step or input that is not there.
            AmountError: A number that is negative or not finite.
            FormulaError: A formula that gives no usable number; nothing has changed.
        """
        game = self._game
        if (
            target.__class__ is Actor
            and target._game is game
            and not game.observers
            and amount is None
            and (crit is None or crit.__class__ is bool)
            and not (type or ignores or posthumous)
        ):
            game.depth += 1
            try:
                quick = game.parts.quick.hit(self._body, target._body, attack, zone, crit, inputs)
            finally:
                game.depth -= 1
                if game.asked is not None:
                    game.over()
            if quick is not None:
                return quick
        return self._hit(
            target,
            attack,
            amount=amount,
            zone=zone,
            type=type,
            crit=crit,
            posthumous=posthumous,
            ignores=ignores,
            **inputs,
        )

    @command(
        "hit ana by=eel1 with=sting zone=visor charge=0.5",
        telling.HITS,
        line="hit {target} by={me} with={attack}",
        says=telling.hit,
        attack=MAYBE_ATTACK,
    )
    def _hit(
        self,
        target: Actor | str,
        attack: str | None = None,
        *,
        zone: str = "",
        type: str = "",
        amount: float | None = None,
        crit: bool | None = None,
        posthumous: bool = False,
        ignores: tuple[HitStep, ...] = (),
        **inputs: float,
    ) -> HitResult:
        """Hit with an attack, a bare amount, or a shot that lands."""
        world, source, struck = self._world, self._there, body_of(self._game, target)
        form = world.combat.attack(source, attack) if attack else None
        if form is None and amount is None:
            raise UsageError(
                f"hit {struck.id} with what? "
                f"{advice('', list(source.kind.attacks), lead=f'attacks of {source.id}')}; or give an amount"
            )
        how_much = (
            form.amount if amount is None and form is not None else _amount("the amount of the hit", amount)
        )
        type = type or (form.type if form is not None else "")
        world.combat.check(struck, zone, type)
        blow = Blow(
            how_much,
            source,
            attack=form,
            zone=zone,
            type=type,
            inputs=world.inputs(inputs),
            crit=crit,
            posthumous=posthumous,
            ignores=_steps(ignores) | form.ignores if form is not None else _steps(ignores),
        )
        return world.done(world.combat.hit(struck, blow))

    @command("hurt ana 5 type=pressure", telling.HITS, says=telling.hit)
    def hurt(
        self,
        amount: float,
        *,
        type: str = "",
        zone: str = "",
        source: Actor | str | None = None,
        ignores: tuple[HitStep, ...] = (),
        **inputs: float,
    ) -> HitResult:
        """Hurt this actor by a bare amount: a fall, a trap. The guard stands between as in a hit."""
        world, body = self._world, self._there
        by = body_of(self._game, source) if source is not None else None
        if not (ignores or inputs):
            quick = world.quick.hurt(body, amount, type, zone, by)
            if quick is not None:
                return quick
        world.combat.check(body, zone, type)
        blow = Blow(
            _amount("the amount to hurt", amount),
            by,
            zone=zone,
            type=type,
            inputs=world.inputs(inputs),
            ignores=_steps(ignores),
        )
        return world.done(world.combat.hit(body, blow))

    @command(
        "launch ana bolt as=s1 charge=0.7",
        telling.HITS,
        line="launch {me} {attack} as={name}",
        says="{result.id} flies",
    )
    def launch(self, attack: str, name: str = "", **inputs: float) -> Shot:
        """Launch one of this actor's attacks: a shot that hits what the game says it meets.

        Nothing is worked out yet. The shot keeps who launched it, with its team, and the inputs.

        Args:
            attack: An attack of this actor's kind.
            name: The id of the shot, one that is free; without it one is made up, such as "bolt#3".
            **inputs: Inputs of the design, for formulas where it lands.

        Returns:
            The shot; false, with `blocked`, where this actor is dead or its attack still rests.
        """
        world, body = self._world, self._there
        own_name("the id", name)
        given = world.inputs(inputs)
        mine = {} if given is None else {key: given[key] for key in inputs}
        shot, blocked = world.shots.launch(body, attack, name, mine)
        return world.done(Shot(self._game, shot, blocked, attack))

    @command(
        "input ana nearby 3",
        telling.HITS,
        line="input {me}",
        says=telling.input_stands,
        name=INPUT,
        value=VALUE,
    )
    def set_input(self, name: str, value: float | None) -> Result:
        """Let an input stand at *value* for this actor from now on, wherever a call gives none; None lets it
        go back to the design's own."""
        world, body = self._world, self._there
        value = value if value is None else number(f"input {name}", value)
        result = world.lasting.set(body, name, value)
        world.stage.settle()
        return result

    # meters

    @command("heal ana 25", telling.HITS, says="{result.restored} of {amount} restored")
    def heal(self, amount: float, meter: str = "", *, source: Actor | str | None = None) -> HealResult:
        """Give back up to *amount* of a meter (the vital one unless named)."""
        world, body = self._world, self._there
        return world.done(
            world.vitals.heal(
                body,
                _amount("the amount to heal", amount),
                meter,
                body_of(self._game, source).id if source is not None else "",
            )
        )

    @command("drain ana 5 meter=air", telling.HITS, says="{result.amount} drained")
    def drain(self, amount: float, meter: str = "", *, source: Actor | str | None = None) -> ChangeResult:
        """Take up to *amount* of a meter, past guard and shields."""
        world, body = self._world, self._there
        return world.done(
            world.vitals.drain(
                body,
                _amount("the amount to drain", amount),
                meter,
                body_of(self._game, source).id if source is not None else "",
            )
        )

    @command("revive ana fraction=0.5", telling.HITS, says="{me.id} lives")
    def revive(self, fraction: float = 1.0) -> Result:
        """Bring a dead actor back with that fraction of what each meter starts with."""
        world, body = self._world, self._there
        return world.done(world.vitals.death.revive(body, _amount("the fraction", fraction, most=1)))

    # tags, statuses, pulses

    @checked(on=TRUTH)
    def set_tag(self, tag: str, on: bool = True) -> Result:
        """Set or take away a tag; call it on every frame if you like, an event comes only when it changes."""
        return self.tag(tag) if on else self.untag(tag)

    @command("tag ana submerged", telling.STATUSES, says="{me.id} is {tag}")
    def tag(self, tag: str) -> Result:
        """Set a tag."""
        world, body = self._world, self._there
        return world.done(world.statuses.set_tag(body, tag, True))

    @command("untag ana submerged", telling.STATUSES, says="{me.id} is not {tag}")
    def untag(self, tag: str) -> Result:
        """Take a tag away."""
        world, body = self._world, self._there
        return world.done(world.statuses.set_tag(body, tag, False))

    @command("status ana venom", telling.STATUSES, says="{me.id} is under {status}")
    def status(self, status: str, *, lasts: float | None = None, source: Actor | str | None = None) -> Result:
        """Put this actor under a status; *lasts* (seconds) replaces the design's."""
        world, body = self._world, self._there
        span = -1 if lasts is None else as_span(_amount("the time it lasts", lasts, most=1e9))
        if 0 <= span < 1_000:
            raise AmountError("the time it lasts", lasts, "0.001 s or more")
        return world.done(
            world.statuses.begin(
                body, status, body_of(self._game, source).id if source is not None else "", span
            )
        )

    @command("cure ana venom", telling.STATUSES, says="{me.id} is rid of {status}")
    def cure(self, status: str) -> Result:
        """End a status before its time."""
        world, body = self._world, self._there
        return world.done(world.statuses.cure(body, status))

    @command("begin_turn ana", telling.TIME, says="{me.id}'s turn")
    def begin_turn(self) -> Result:
        """Begin a turn of this actor, in a game with an order of its own; several may be on at once.

        Raises:
            UsageError: Its kind takes no turns.
            BusyError: In a listener, or in a call of `after`.
            ReactionError: What listeners and reactions raised; the turn has begun all the same.
        """
        idle(self._game, "begin_turn")
        world, body = self._world, self._there
        world.turns.takes(body)
        if not body.alive or body.id in world.turns.table.on:
            return world.done(Result("no_change" if body.alive else "dead"))
        return world.moved_on(world.turns.begin(body), Result())

    @command("end_turn ana", telling.TIME, says="{me.id}'s turn is over")
    def end_turn(self) -> Result:
        """End the turn of this actor that is on.

        Raises:
            BusyError: In a listener, or in a call of `after`.
            ReactionError: What listeners and reactions raised; the turn is over all the same.
        """
        idle(self._game, "end_turn")
        world, body = self._world, self._there
        if body.id not in world.turns.table.on:
            return world.done(Result("no_change"))
        return world.moved_on(world.turns.end(body, "over"), Result())

    @command(
        "pause haul of=winch1", telling.TIME, line="pause {pulse} of={me}", says="{pulse} of {me.id} pauses"
    )
    def pause(self, pulse: str) -> Result:
        """Pause a pulse; it keeps its place."""
        world, body = self._world, self._there
        return world.done(world.statuses.pause(body, pulse, True))

    @command(
        "resume haul of=winch1",
        telling.TIME,
        line="resume {pulse} of={me}",
        says="{pulse} of {me.id} goes on",
    )
    def resume(self, pulse: str) -> Result:
        """Let a paused pulse go on."""
        world, body = self._world, self._there
        return world.done(world.statuses.pause(body, pulse, False))

    # goods

    @command("take ana kit", telling.GOODS, says="{me.id} takes {placement.id}")
    def take(self, placement: Placement) -> Result:
        """Take a placement."""
        world, body = self._world, self._there
        return world.done(world.pickups.take(body, lying(self._game, placement)))

    @command("earn ana scrip 10", telling.GOODS, says=telling.moved, amount=WHOLE)
    def earn(self, currency: str, amount: int, *, reason: str = "earn") -> ChangeResult:
        """Gain money; what is over the most that may be had is reported as `over`."""
        world, body = self._world, self._there
        return world.done(world.goods.change(body, "earn", currency, amount, reason))

    @command("spend ana scrip 4", telling.GOODS, says=telling.moved, amount=WHOLE)
    def spend(self, currency: str, amount: int, *, reason: str = "spend") -> ChangeResult:
        """Spend money, all or nothing."""
        world, body = self._world, self._there
        return world.done(world.goods.change(body, "spend", currency, amount, reason))

    @command(
        "give ana pearl 2", telling.GOODS, line="give {me} {item} {amount}", says=telling.moved, amount=WHOLE
    )
    def give(self, item: str, amount: int = 1, *, reason: str = "give") -> ChangeResult:
        """Give this actor an item, all or nothing."""
        world, body = self._world, self._there
        return world.done(world.goods.change(body, "give", item, amount, reason))

    @command(
        "remove ana pearl",
        telling.GOODS,
        line="remove {me} {item} {amount}",
        says=telling.moved,
        amount=WHOLE,
    )
    def remove(self, item: str, amount: int = 1, *, reason: str = "remove") -> ChangeResult:
        """Take an item from this actor, all or nothing."""
        world, body = self._world, self._there
        return world.done(world.goods.change(body, "remove", item, amount, reason))

    @command(
        "exchange ana harbour_office",
        telling.GOODS,
        says="{name}, {result.times:time}",
        name=EXCHANGE,
        target=ON,
    )
    def exchange(
        self, name: str, times: int | None = None, *, target: Actor | str | None = None
    ) -> ExchangeResult:
        """Use an exchange once, *times* times or nothing, or as often as it can where the design says
        `all`.

        Args:
            name: The exchange.
            times: How often.
            target: Whom its effects on a target are for.
        """
        world, body = self._world, self._there
        if times is not None and whole("times", times) == 0:
            raise AmountError("times", times, "1 or more")
        on = None if target is None else body_of(self._game, target)
        return world.done(world.exchanges.exchange(body, name, times, on))

    @command("score ana 40", telling.POINTS, line="score {me}", says="{points} points")
    def add_score(self, points: int) -> ChangeResult:
        """Add points to this player and its team."""
        world, body = self._world, self._there
        return world.done(world.scores.add(body, whole("the points", points)))

    @command("deduct ana 5", telling.POINTS, says="{result.amount} points less, {me.score} now")
    def deduct(self, points: int) -> ChangeResult:
        """Take points from this player and its team, from each as many as there are; what the player did not
        have is `over`. With `[game] negative_scores` all of them are taken."""
        world, body = self._world, self._there
        return world.done(world.scores.deduct(body, whole("the points", points)))

    # stats and gear

    @command("raise_stat ana strength 2", telling.GEAR, says=telling.stat)
    def raise_stat(self, stat: str, amount: float) -> ChangeResult:
        """Raise a stat for good, or "METER.max", or "bag".

        Args:
            stat: What is raised.
            amount: By how much; below 0 lowers it.
        """
        world, body = self._world, self._there
        return world.done(world.stats.raised(body, stat, number("the amount", amount), GAME))

    @command("wear ana harpoon", telling.GEAR, says="{me.id} wears {item}", item=GEAR)
    def wear(self, item: str, instead: str = "") -> Result:
        """Put an item of the bag on; what it replaces goes into the bag in the same step.

        Args:
            item: The item.
            instead: What it replaces; by default, where its slot is full, what has been worn longest.
        """
        world, body = self._world, self._there
        return world.done(world.gear.wear(body, item, instead))

    @command("take_off ana harpoon", telling.GEAR, says="{me.id} takes {item} off", item=WORN)
    def take_off(self, item: str) -> Result:
        """Take an item off into the bag, or "all" of them."""
        world, body = self._world, self._there
        return world.done(world.gear.take_off(body, item))

    @command(
        "use ana patch",
        telling.ABILITIES,
        line="use {me} {ability} on={target}",
        says="{me.id}: {ability}",
        target=ON,
    )
    def use(self, ability: str, target: Actor | str | None = None) -> Result:
        """Use an ability on somebody: whole, or not at all.

        Args:
            ability: An ability of this actor's kind.
            target: Whom it is used on; by default this actor itself, where the ability allows that.
        """
        world, body = self._world, self._there
        on = None if target is None else body_of(self._game, target)
        return world.done(world.abilities.use(body, ability, on))

    @checked(ability=TEXT, target=maybe(ACTOR))
    def usable(self, ability: str, target: Actor | str | None = None) -> Blocked:
        """Return why an ability cannot be used on somebody now; "" if it can. Nothing is done."""
        on = None if target is None else body_of(self._game, target)
        return self._world.abilities.worked_out(self._there, ability, on)[0]

    @checked(ability=TEXT)
    def ability_left(self, ability: str) -> float:
        """Return the seconds until an ability can be used again; 0 if it can be now."""
        self._world.abilities.kind(self._there, ability)
        return self._world.abilities.rests(self._there, ability) / 1e6

    # quests and achievements

    @command("accept ana drowned_bells", telling.QUESTS, says=telling.quest("accepted"))
    def accept(self, quest: str) -> QuestResult:
        """Begin a quest: from now on its goals count."""
        world, body = self._world, self._there
        return world.done(world.quests.accept(body, quest))

    @command("turn_in ana drowned_bells", telling.QUESTS, says=telling.quest("turned in"))
    def turn_in(self, quest: str) -> QuestResult:
        """Turn a ready quest in, for its reward."""
        world, body = self._world, self._there
        return world.done(world.quests.turn_ins.turn_in(body, quest))

    @command("abandon ana drowned_bells", telling.QUESTS, says=telling.quest("given up"))
    def abandon(self, quest: str) -> QuestResult:
        """Give a quest up; it is available again, its progress 0."""
        world, body = self._world, self._there
        return world.done(world.quests.abandon(body, quest))

    @command("fail ana drowned_bells", telling.QUESTS, says=telling.quest("failed"))
    def fail(self, quest: str) -> QuestResult:
        """Let a quest fail."""
        world, body = self._world, self._there
        return world.done(world.quests.fail(body, quest))

    @command("talk ana harbourmaster", telling.QUESTS, says=telling.talked)
    def talk(self, giver: str) -> TalkResult:
        """Let a giver of quests say its next line to this player, about the quest it has most to say
        about."""
        world, body = self._world, self._there
        return world.done(world.talks.talk(body, giver))

    @command("grant ana eel_bane", telling.QUESTS, says="{me.id} achieves {achievement}")
    def grant(self, achievement: str) -> Result:
        """Give this player an achievement, once for ever."""
        world, body = self._world, self._there
        return world.done(world.achievements.grant(body, achievement))

    # contests

    @command("xp ana rank 60", telling.POINTS, line="xp {me}", says=telling.grown, amount=WHOLE)
    def gain_xp(self, levels: str, amount: int) -> ChangeResult:
        """Gain experience on a ladder of levels."""
        world, body = self._world, self._there
        return world.done(world.levels.gain(body, levels, whole("the experience", amount)))

    @command("rate ana dive", telling.POINTS, says=telling.rated)
    def rate(self, rating: str, **inputs: float) -> RateResult:
        """Rate this player now; the best stars are kept."""
        world, body = self._world, self._there
        return world.done(world.ratings.rate(body, rating, world.inputs(inputs)))

    @command("start_rating ana dive", telling.POINTS, says="{rating} is measured from now on")
    def start_rating(self, rating: str, **inputs: float) -> Result:
        """Let a rating be measured from now on: from here to `rate`, instead of over the whole life."""
        world, body = self._world, self._there
        return world.done(world.ratings.start(body, rating, world.inputs(inputs)))

    @command("lives ana 1", telling.POINTS, line="lives {me}", says=telling.lives)
    def add_lives(self, count: int) -> ChangeResult:
        """Add lives, up to the most the kind may have."""
        world, body = self._world, self._there
        return world.done(world.vitals.death.add_lives(body, whole("the lives", count)))

    # events of the host's own

    @command("announce ana reached place=wreck depth=18", telling.QUESTS, says="{me.id}: {event}")
    def announce(self, event: str, **fields: float | str) -> int:
        """Tell an event the host saw, one of the design's own events; returns its number."""
        world, body = self._world, self._there
        return world.announce(event, body.id, fields)


def _steps(ignores: tuple[HitStep, ...]) -> frozenset[str]:
    for step in ignores:
        if step not in IGNORABLE:
            raise UnknownNameError("step", step, IGNORABLE)
    return frozenset(ignores)
