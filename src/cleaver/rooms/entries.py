"""Entries: what is sent of a world, each kind once: how it is written, and how a replica takes it up.

An entry has a key, which begins with the letter of its kind, and a value. Start at `ENTRIES`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any, Protocol

from cleaver.core import read
from cleaver.core.contests.standing import Contest
from cleaver.core.goods.goods import team_holder
from cleaver.core.goods.ledgers import Holding
from cleaver.core.goods.pickups import PlacementState
from cleaver.core.kernel.body import Ailment, Body, Leaver, Meter
from cleaver.core.world import World
from cleaver.design.models.values import SeenBy
from cleaver.rooms.board import GONE, Key
from cleaver.rooms.sight import Sight

ALL = "all"
"""The board of what everybody may see."""
SECTIONS = ("raised", "owed", "worn", "exchanges", "levels", "ratings", "records", "achievements", "quests")
"""What is a player's own, as its profile has it."""
TALLIED = ("records", "achievements", "quests")
LEVELS: tuple[SeenBy, ...] = ("all", "team", "owner")
Shown = Iterator[tuple[Any, Key, Any]]
"""What is shown: who may see it (a level where it is somebody's, else a board), the key without its letter,
the
value."""


class Looks(Protocol):
    """Who looks at a world: `watch.RoomWatch`."""

    world: World
    sight: Sight
    known: dict[str, dict[Key, str]]

    def alias(self, name: str, /) -> str:
        """Return the name by which viewers know somebody, given its id."""


class Mirror:
    """What a replica makes of entries: a world of its own, and the entries that stand."""

    world: World
    entries: dict[Key, Any]
    errands: dict[str, dict[str, Any]]

    def __init__(self, world: World) -> None:
        self.world, self.entries = world, {}
        # What a stat comes to, and whether a quest is open, may depend on what this viewer may not know: the
        # room says so.
        read.parts(world).stage.touched = lambda what, who: None
        self.errands = read.parts(world).quests.told

    def body(self, name: str) -> Body | None:
        """Return who has a name here."""
        return read.parts(self.world).stage.actors.get(name)

    def held(self, holder: str) -> Holding:
        """Return what somebody, or a team, holds."""
        return read.parts(self.world).goods.table.held.setdefault(holder, Holding())

    def take(self, key: Key, value: Any) -> None:
        """Take an entry up; one of a later version of Cleaver is passed by."""
        kind = ENTRIES.get(key[0])
        if kind is None:
            return
        before = self.entries.pop(key, GONE)
        if value is not GONE:
            self.entries[key] = value
        try:
            kind.taken(self, key, value)
        except Exception:  # a damaged one does not stay, to damage others
            self.entries.pop(key, None)
            if before is not GONE:
                self.entries[key] = before
            raise


class EntryKind:
    """One kind of entry. `shown` yields what there is of somebody, or of the world; `taken` takes one up,
    with
    `GONE` for one that is there no more."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        """Yield what is to be seen of somebody."""
        raise NotImplementedError

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        """Take one up."""
        raise NotImplementedError


class About(EntryKind):
    """Who is there: kind, team, life, tags; whoever has come, is another, or has gone."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        parts = read.parts(looks.world)
        owner = looks.alias(body.owner) if body.owner in parts.stage.actors else ""
        score, tags = parts.scores.table.players.get(body.id, 0), tuple(body.tags)
        about = (body.kind_name, body.team, body.alive, body.lives, owner, score, tags, body.grace)
        # The turns of whoever takes none are not worth their bytes
        yield "all", (), (*about, body.came, *((body.turns,) if body.turns else ()))

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        parts, name = read.parts(mirror.world), key[1]
        body = mirror.body(name)
        if value is GONE:
            if body is not None:
                parts.let_go(body)
            return
        kind, team, alive, lives, owner, score, tags, grace, came, *turns = value
        if body is not None and (body.came != came or body.kind_name != kind):
            parts.let_go(body)
            body = None
        if body is None:
            made = parts.kinds.actors.get(kind)
            if made is None:
                return
            body = Body(name, made, team, mirror.body(owner), came, parts.stage.clock.now)
            parts.equip(body, None)
            for table in (parts.stage.actors, parts.stage.players):  # in the order in which they came
                there = sorted(table.items(), key=lambda item: item[1].came)
                table.clear()
                table.update(there)
        body.team, body.owner = team, owner
        body.alive, body.lives, body.grace, body.turns = alive, lives, grace, sum(turns)
        body.tags = dict.fromkeys(tags, 1)
        parts.statuses.gather(body)
        scores = parts.scores.table.players
        scores.pop(name, None)
        if score:
            scores[name] = score


class Position(EntryKind):
    """Where somebody stands."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        if body.x is not None:
            yield "all", (), (body.x, body.y, body.z)

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        body = mirror.body(key[1])
        if body is not None:
            body.x, body.y, body.z = value or (None, None, None)


class OfMeter(EntryKind):
    """A meter: its value and maximum, and where it goes on from there, at which rates to which limits."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        seen = looks.sight.meters[body.kind_name]
        for meter in body.meters.values():
            yield seen[meter.kind.name], (meter.kind.name,), self._written(meter)

    @staticmethod
    def _written(meter: Meter) -> tuple[float, ...]:
        if not meter.course and meter.base == meter.value:
            return (meter.value, meter.max)
        return (
            meter.value,
            meter.max,
            meter.base,
            meter.since,
            *(part for flow in meter.course for part in flow),
        )

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        body = mirror.body(key[1])
        meter = body.meters.get(key[2]) if body is not None else None
        if meter is None or value is GONE:
            return
        meter.value, meter.max = value[0], value[1]
        meter.base = value[2] if len(value) > 2 else value[0]
        meter.since = value[3] if len(value) > 3 else read.parts(mirror.world).stage.clock.now
        meter.course = tuple((value[at], value[at + 1]) for at in range(4, len(value), 2))


class OfStatuses(EntryKind):
    """The statuses of somebody: for each audience all that it may know of."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        seen = looks.sight.statuses
        for number, level in enumerate(LEVELS):
            allowed = LEVELS[: number + 1]
            if not number or any(seen[one.name] == level for one in body.ailments):
                there = tuple((one.name, one.due) for one in body.ailments if seen[one.name] in allowed)
                yield level, (str(number),), there

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        body = mirror.body(key[1])
        if body is None:
            return
        parts = read.parts(mirror.world)
        keys = [(key[0], key[1], str(number)) for number in reversed(range(len(LEVELS)))]
        body.ailments = []
        for number, (status, due) in enumerate(
            next((mirror.entries[at] for at in keys if at in mirror.entries), ())
        ):
            kind = parts.kinds.statuses.get(status)
            if kind is not None:
                ailment = Ailment(kind, body)
                ailment.due, ailment.began = due, number
                body.ailments.append(ailment)
        parts.statuses.gather(body)


class OfCooldowns(EntryKind):
    """Which attacks of somebody rest, until when."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        now = read.parts(looks.world).stage.clock.now
        waits = {
            f"{attack}/{looks.alias(target) if target else ''}": until
            for key, until in body.cooldowns.items()
            if until > now
            for attack, _, target in (key.partition("/"),)
        }
        if waits:
            yield "owner", (), waits

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        body = mirror.body(key[1])
        if body is not None:
            body.cooldowns = dict(value or {})


class OfPulse(EntryKind):
    """When a pulse beats next."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        for beat in body.pulses.values():
            yield "owner", (beat.kind.name,), (beat.due, beat.span, beat.left)

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        body = mirror.body(key[1])
        beat = body.pulses.get(key[2]) if body is not None else None
        if beat is not None and value is not GONE:
            beat.due, beat.span, beat.left = value


class OfGood(EntryKind):
    """What a player has of a good."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        goods = read.parts(looks.world).goods
        for good, level in looks.sight.goods.items():
            currency = good in looks.world.design.tables.currencies
            if (
                not currency or goods.holder(body, good) == body.id
            ):  # else its team's, which stands with the team
                yield level, (good,), goods.money(body, good) if currency else goods.count(body, good)

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        held = mirror.held(key[1])
        table = held.purse if key[2] in mirror.world.design.tables.currencies else held.items
        table.pop(key[2], None)
        if value:
            table[key[2]] = value


class OfBag(EntryKind):
    """How large a player's bag is, where that was worked out or set."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        yield "owner", (), body.stats.get("bag", -1)

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        body = mirror.body(key[1])
        if body is not None:
            body.stats.pop("bag", None)
            if value is not GONE and value >= 0:
                body.stats["bag"] = value


class OfStats(EntryKind):
    """What a player's stats come to."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        for stat in body.kind.stats:
            yield "owner", (stat,), body.stats[stat]

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        body = mirror.body(key[1])
        if body is not None and value is not GONE:
            body.stats[key[2]] = value


class OfSection(EntryKind):
    """What else is a player's own, as its profile has it."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        parts = read.parts(looks.world)
        clock, sections = parts.stage.clock, parts.profiles.sections
        # What counts for so long a time is written by its age, which may be the same at another time.
        at = (clock.now, clock.rounds, clock.day) if parts.tallies.looks_back(body.id) else ()
        for section in SECTIONS:
            hidden = self._hidden(looks, body) if section == "achievements" else ()
            data = sections[section].write(body)
            shown = {k: v for k, v in data.items() if k not in hidden} if hidden else data
            yield "owner", (section,), (shown, *at) if at and section in TALLIED else shown

    @staticmethod
    def _hidden(looks: Looks, body: Body) -> Iterable[str]:
        """Return the achievements that a player may not know of yet."""
        given = read.parts(looks.world).achievements.table.achieved.get(body.id, {})
        known = looks.world.design.tables.achievements
        return [name for name, one in known.items() if one.hidden and not given.get(name)]

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        body = mirror.body(key[1])
        if body is None or value is GONE:
            return
        parts = read.parts(mirror.world)
        parts.profiles.sections[key[2]].take_back(body, value if isinstance(value, dict) else value[0], False)
        parts.stage.queue.clear()  # the room itself sends the events of it


class OfQuest(EntryKind):
    """In which state a player's quest is."""

    def shown(self, looks: Looks, body: Body) -> Shown:
        quests = read.parts(looks.world).quests
        for quest in quests.kinds.quests:
            yield "owner", (quest,), quests.state(body, quest)

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        states = mirror.errands.setdefault(key[1], {})
        if value:
            states[key[2]] = value
        else:
            states.pop(key[2], None)


class WorldEntry(EntryKind):
    """What is about nobody."""

    def there(self, looks: Looks) -> Shown:
        """Yield what is to be seen of the world."""
        raise NotImplementedError


class OfPlacement(WorldEntry):
    """What lies where."""

    def there(self, looks: Looks) -> Shown:
        for name, one in read.parts(looks.world).pickups.table.placements.items():
            yield ALL, (name,), (one.pickup, one.present, one.x, one.y, one.z)

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        pickups = read.parts(mirror.world).pickups
        there = pickups.table.placements.get(key[1])
        if value is GONE:
            if there is not None:
                there.there = False
                del pickups.table.placements[key[1]]
                pickups.by_kind.get(there.pickup, {}).pop(key[1], None)
            return
        pickup, present, x, y, z = value
        if there is None:
            kind = pickups.kinds.pickups.get(pickup)
            if kind is None:
                return
            there = pickups.table.placements[key[1]] = PlacementState(key[1], kind, {})
            pickups.by_kind.setdefault(pickup, {})[key[1]] = there
        there.present, there.x, there.y, there.z = present, x, y, z


class OfPickup(WorldEntry):
    """How many of a pickup were placed and taken."""

    def there(self, looks: Looks) -> Shown:
        parts = read.parts(looks.world)
        table = parts.pickups.table
        for pickup in parts.kinds.known.pickups:
            yield ALL, (pickup,), (table.placed.get(pickup, 0), table.taken.get(pickup, 0))

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        table = read.parts(mirror.world).pickups.table
        table.placed[key[1]], table.taken[key[1]] = value or (0, 0)


class OfMatch(WorldEntry):
    """How a match stands."""

    def there(self, looks: Looks) -> Shown:
        for name, contest in read.parts(looks.world).contests.table.contests.items():
            yield ALL, (name,), self._written(looks, contest)

    @staticmethod
    def _written(looks: Looks, contest: Contest) -> tuple[Any, ...]:
        sides, winner = contest.standings, contest.winner
        if not contest.kind.teams:
            sides = {looks.alias(side): score for side, score in sides.items()}
            winner = looks.alias(winner) if winner in looks.known or winner.__class__ is Leaver else winner
        state = (contest.running, contest.left, winner, contest.round, contest.extra, contest.due)
        return (*state, tuple(sides.items()))

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        contests = read.parts(mirror.world).contests
        contests.table.contests.pop(key[1], None)
        if value is GONE or key[1] not in contests.kinds.matches:
            return
        contest = contests.table.contests[key[1]] = contests.contest(key[1])
        running, left, winner, round_, extra, due, standings = value
        contest.running, contest.left, contest.winner, contest.round = running, left, winner, round_
        contest.extra, contest.due, contest.standings = extra, due, dict(standings)


class OfTeams(WorldEntry):
    """Which stage is played, and the scores of teams."""

    def there(self, looks: Looks) -> Shown:
        parts = read.parts(looks.world)
        yield ALL, (), (parts.stages.table.present, tuple(sorted(parts.scores.table.teams.items())))

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        parts = read.parts(mirror.world)
        parts.stages.table.present, teams = value or ("", [])
        parts.scores.table.teams = dict(teams)


class OfClocks(WorldEntry):
    """Whose turn it is, who comes after, in which round, and what day it is: what spans in turns, rounds and
    days are counted by."""

    def there(self, looks: Looks) -> Shown:
        parts = read.parts(looks.world)
        table, clock = parts.turns.table, parts.stage.clock
        on, order = (tuple(map(looks.alias, names)) for names in (table.on, table.order))
        if clock.rounds or table.on or clock.day is not None:
            yield ALL, (), (on, order, table.round, clock.rounds, clock.day)

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        parts = read.parts(mirror.world)
        table, clock = parts.turns.table, parts.stage.clock
        on, order, table.round, clock.rounds, clock.day = value or ((), (), 0, 0, None)
        table.on, table.order = list(on), list(order)


class OfTeamsGood(WorldEntry):
    """What a team has together of a currency."""

    def there(self, looks: Looks) -> Shown:
        parts, seen = read.parts(looks.world), looks.sight.goods
        for team in parts.kinds.known.teams:
            held = parts.goods.table.held.get(team_holder(team))
            for name, currency in looks.world.design.tables.currencies.items():
                if currency.pooled and held is not None and seen[name] != "nobody":
                    yield (
                        ALL if seen[name] == "all" else f"team {team}",
                        (team, name),
                        held.purse.get(name, 0),
                    )

    def taken(self, mirror: Mirror, key: Key, value: Any) -> None:
        held = mirror.held(team_holder(key[1]))
        held.purse.pop(key[2], None)
        if value is not GONE:
            held.purse[key[2]] = value
        if not held.purse:
            del read.parts(mirror.world).goods.table.held[team_holder(key[1])]


ENTRIES: dict[str, EntryKind] = {
    "c": OfClocks(),
    "a": About(),
    "g": OfGood(),
    "h": OfBag(),
    "q": OfSection(),
    "v": OfStats(),
    "m": OfMeter(),
    "p": Position(),
    "s": OfStatuses(),
    "w": OfCooldowns(),
    "b": OfPulse(),
    "l": OfPlacement(),
    "o": OfPickup(),
    "f": OfMatch(),
    "t": OfTeams(),
    "k": OfTeamsGood(),
    "Q": OfQuest(),
}
"""Each kind of entry by the letter of its keys, in the order in which a replica takes them up: where
the clocks stand first, then who is there."""
OF_BODIES, OF_PLAYERS = "apmswb", "ghqvQ"
"""What is looked at of everybody, and of players to whom something has happened."""
OF_WORLD = {letter: kind for letter, kind in ENTRIES.items() if isinstance(kind, WorldEntry)}
