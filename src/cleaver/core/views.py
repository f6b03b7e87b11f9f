"""Views: what an actor has, as it is now — meters, purse, bag, quests — and placements and matches.

Each reads the world when asked; those with verbs change it by hand. A view of something that has left its
world says so. Start at `MeterView`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, MutableMapping

from cleaver.core import telling
from cleaver.core.commands import JSON, command
from cleaver.core.game import Game, Seen
from cleaver.core.kernel.arguments import TEXT, amount, line, whole, whole_if
from cleaver.core.kernel.body import Body, Meter
from cleaver.core.kernel.living import Living, View
from cleaver.core.kernel.results import ChangeResult, Result
from cleaver.core.vitals.meters import TALLEST
from cleaver.design.vocabulary import KEEPS
from cleaver.errors import AmountError, GoneError, UnknownNameError, UsageError, said
from cleaver.named import NamedTuple
from cleaver.rounding import shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, TypeVar

    from cleaver.core.contests.matches import Place
    from cleaver.core.goods.pickups import Placement as PlacementState
    from cleaver.literals import Keep, QuestState

    V = TypeVar("V", covariant=True)
    _Data = MutableMapping[str, Any]
else:
    V = object
    _Data = MutableMapping

MOST_NAME = 100
"""Characters of a name under which a game keeps something of its own."""
MOST_TEXT = 100_000
"""Characters of what it keeps there, as JSON."""


def there(body: Body) -> Body:
    """Return a body if it is still in its world."""
    if not body.here:
        raise GoneError("actor", body.id)
    return body


class MeterView(Seen, View):
    """A meter of an actor as it is now; `set` and `set_max` change it by hand."""

    __slots__ = ("_body", "name")
    name: str

    def __init__(self, game: Game, body: Body, meter: Meter) -> None:
        self._game, self._body, self.name = game, body, meter.kind.name

    @property
    def _meter(self) -> Meter:
        """Its state now; under another design a meter may be gone."""
        return self._world.vitals.meter(there(self._body), self.name)

    def _read(self, part: str) -> Any:
        return self._world.vitals.read(there(self._body), self.name, part)

    @property
    def path(self) -> str:
        """How scripts and `world.why` name it, such as "ana.suit"."""
        return f"{self._body.id}.{self.name}"

    @property
    def value(self) -> float:
        """The value now, from 0 to `max` (plus overfill)."""
        return self._read("value")  # type: ignore[no-any-return]

    @property
    def max(self) -> float:
        """The maximum."""
        return self._meter.max

    @property
    def fraction(self) -> float:
        """Value by maximum, from 0 to 1; overfill still reads 1."""
        return self._read("fraction")  # type: ignore[no-any-return]

    @property
    def percent(self) -> str:
        """The fraction as text: "0%" only when empty, "100%" only when nothing is missing."""
        return self._read("percent")  # type: ignore[no-any-return]

    @property
    def cells(self) -> int:
        """How many cells are filled, of as many as the design says (else 1)."""
        return self._read("cells")  # type: ignore[no-any-return]

    @property
    def cell_count(self) -> int:
        """How many cells there are; 1 where the design names none."""
        return self._meter.kind.cells or 1

    @property
    def marks(self) -> dict[str, float]:
        """The marks, as fractions by name, rising."""
        return dict(self._meter.kind.marks)

    @property
    def shields(self) -> str:
        """The meter that it shields, "" for none."""
        kind = self._meter.kind
        return self._body.kind.vital if kind.name in self._body.kind.shields else ""

    @command("set ana.suit 40", telling.HITS, says="{me.path} is {value}")
    def set(self, value: float) -> ChangeResult:
        """Set the value by hand, within 0 and max plus overfill; 0 on the vital meter kills."""
        world, body = self._world, there(self._body)
        return world.done(world.vitals.set(body, self.name, amount(self.path, value)))

    @command("set_max ana.suit 110 keep=missing", telling.HITS, says="{me.path} is {me.value} of {value}")
    def set_max(self, value: float, keep: Keep = "value") -> ChangeResult:
        """Set the maximum; *keep* the "value" (clamped), the "fraction", or what is "missing"."""
        world, body = self._world, there(self._body)
        if keep not in KEEPS:
            raise UnknownNameError("policy", keep, KEEPS)
        value = amount(f"the max of {self.path}", value, most=TALLEST)
        if value == 0:
            raise AmountError(f"the max of {self.path}", value, "greater than 0")
        return world.done(world.vitals.set_max(body, self.name, value, keep))

    def _key(self) -> tuple[object, ...]:
        return (self._body, self.name)

    def _shown(self) -> str:
        return f"{self.path} {self.value:g}/{self.max:g}"


class Owed(NamedTuple):
    """So many of an item that a player has earned and had no room for, and for what."""

    item: str
    amount: int
    reason: str


class _Log(Seen, Living, Mapping[str, V]):
    """What one actor has of each thing of a kind that the design names, in the order of the design."""

    __slots__ = ("_body",)

    def __init__(self, game: Game, body: Body) -> None:
        self._game, self._body = game, body

    @property
    def whose(self) -> str:
        """The id of the actor that has it."""
        return self._body.id

    def _names(self) -> Iterable[str]:
        raise NotImplementedError

    def _of(self, name: str) -> V:
        raise NotImplementedError

    def __getitem__(self, name: str) -> V:
        if not isinstance(name, str):
            raise UnknownNameError("name", name, tuple(self._names()))
        return self._of(name)

    @property
    def _there(self) -> Body:
        return there(self._body)

    def __iter__(self) -> Iterator[str]:
        return iter(self._names())

    def __len__(self) -> int:
        return len(tuple(self._names()))

    def __contains__(self, name: object) -> bool:
        return name in tuple(self._names())

    def __repr__(self) -> str:
        if not self._body.here:
            return f"<{type(self).__name__} of {self._body.id}, who has left>"
        return f"<{type(self).__name__} of {self._body.id}: {', '.join(f'{name} {self[name]}' for name in self)}>"


class Purse(_Log[int]):
    """What one actor has of each currency."""

    __slots__ = ()

    def _names(self) -> Iterable[str]:
        return self._world.kinds.goods.currencies

    def _of(self, currency: str) -> int:
        self._world.goods.known("currency", currency)
        return self._world.goods.money(self._there, currency)


class Bag(_Log[int]):
    """What one actor holds, and how much fits."""

    __slots__ = ()

    def _names(self) -> Iterable[str]:
        return self._world.kinds.goods.items

    def _of(self, item: str) -> int:
        self._world.goods.known("item", item)
        return self._world.goods.count(self._there, item)

    @property
    def used(self) -> int:
        """How much is taken, by the sizes of what is held."""
        return self._world.goods.bag_used(self._there)

    @property
    def most(self) -> int | None:
        """How much fits in all; None where there is no limit."""
        most = self._world.goods.bag_most(self._there)
        return None if most < 0 else most

    @command("bag ana 12", telling.GOODS, line="bag {me}", says="the bag of {me.whose} holds {most}")
    def resize(self, most: int) -> ChangeResult:
        """Let the bag hold *most*; what is held already stays, also where it is more."""
        world, body = self._world, self._there
        return world.done(world.goods.resize(body, whole("the size of the bag", most)))

    @property
    def left(self) -> int | None:
        """How much still fits; None where there is no limit."""
        return None if self.most is None else max(self.most - self.used, 0)


class Level(int):
    """A level, from 1: a number, with `xp` (the experience in all) and `left` (what the next level still
    needs; 0 at the last)."""

    xp: int
    left: int

    @classmethod
    def of(cls, level: int, xp: int, left: int) -> Level:
        """Return a level with its experience."""
        made = cls(level)
        made.xp, made.left = xp, left
        return made


class LevelLog(_Log[Level]):
    """A player's levels by ladder."""

    __slots__ = ()

    def _names(self) -> Iterable[str]:
        return self._world.kinds.contests.levels

    def _of(self, ladder: str) -> Level:
        levels, body = self._world.levels, self._there
        levels.kind(ladder)
        return Level.of(levels.read(body, ladder, "level"), levels.read(body, ladder, "xp"), levels.left(body, ladder))


class RecordLog(_Log[float]):
    """What a player's records stand at."""

    __slots__ = ()

    def _names(self) -> Iterable[str]:
        return self._world.kinds.contests.records

    def _of(self, record: str) -> float:
        if record not in self._world.kinds.contests.records:
            raise UnknownNameError("record", record, tuple(self._world.kinds.contests.records))
        return self._world.records.value(self._there, record)


class BestRating(NamedTuple):
    """The best stars in a rating, of how many, and whether it was ever rated: "not yet rated" is not "no
    stars"."""

    best: int
    of: int
    rated: bool


class RatingLog(_Log[BestRating]):
    """A player's best ratings, and the best in each stage that has one."""

    __slots__ = ()

    def _names(self) -> Iterable[str]:
        contests = self._world.kinds.contests
        return [*contests.ratings, *(name for name, stage in contests.stages.items() if stage.rating)]

    def _of(self, rating: str) -> BestRating:
        ratings, body = self._world.ratings, self._there
        kind = ratings.rated_by(rating)
        return BestRating(
            ratings.stars(body, rating),
            len(kind.steps) or len(kind.conditions),
            rating in ratings.table.best.get(body.id, {}),
        )

    @property
    def total(self) -> int:
        """The best stars together: of each stage, and of the ratings that no stage uses."""
        return self._world.ratings.stars(self._there, "")


class Achieved(NamedTuple):
    """An achievement of a player: its `ranks` so far ("" for one without ranks), and how far the next one is;
    true once there is any."""

    ranks: tuple[str, ...]
    progress: float
    count: float  # type: ignore[assignment]  # hides the method of tuples

    @property
    def achieved(self) -> bool:
        """Whether this player has it, in any rank."""
        return bool(self.ranks)

    def __bool__(self) -> bool:
        return bool(self.ranks)


class AchievementLog(_Log[Achieved]):
    """A player's achievements."""

    __slots__ = ()

    def _names(self) -> Iterable[str]:
        return self._world.kinds.quests.achievements

    def _of(self, achievement: str) -> Achieved:
        achievements, body = self._world.achievements, self._there
        achievements.kind(achievement)
        done, target = achievements.progress(body, achievement)
        return Achieved(tuple(achievements.ranks(body, achievement)), done, target)


class OwnData(Seen, Living, _Data):
    """Your game's own data of a player, by name: anything that JSON can hold. It is saved with the profile;
    stages and restarts do not change it.

    Reading returns a copy: to change a list or a table, assign it again.
    """

    __slots__ = ("_body",)

    def __init__(self, game: Game, body: Body) -> None:
        self._game, self._body = game, body

    @property
    def whose(self) -> str:
        """The id of the player it is kept of."""
        return self._body.id

    def _kept(self) -> dict[str, str]:
        return self._world.profiles.own(there(self._body))

    def __getitem__(self, name: str) -> Any:
        import json  # only where something is kept

        kept = self._kept()
        if name not in kept:
            raise UnknownNameError("name", name, tuple(kept), f"the data of {self._body.id}")
        return json.loads(kept[name])

    @command("data ana helmet '\"red\"'", telling.SAVES, line="data {me}", name=TEXT, value=JSON)
    def __setitem__(self, name: str, value: Any) -> None:
        import json  # as above

        if not line("the name of data", name, MOST_NAME):
            raise UsageError(f"{said(name)} is no name; use a text of up to {MOST_NAME} characters")
        try:
            text = json.dumps(value, allow_nan=False, ensure_ascii=False)
            same = _same(json.loads(text), value)
        except (TypeError, ValueError, RecursionError):
            same = False
        if not same:
            raise UsageError(
                f"{name}: {said(value)} does not come back from JSON as it is; keep texts, numbers, true and "
                "false, None, and lists and tables by text of these"
            )
        from cleaver.core.kept import can_be_kept  # as above

        can_be_kept({name: value}, f"{self._body.id}.data", 1)
        if len(text) > MOST_TEXT:
            raise UsageError(f"{name} is {len(text):,} characters long as JSON; keep at most {MOST_TEXT:,}")
        self._world.profiles.set_own(there(self._body), name, text)

    @command("data ana helmet", telling.SAVES, line="data {me}", name=TEXT)
    def __delitem__(self, name: str) -> None:
        self[name]  # which says what is wrong where it is not there
        self._world.profiles.set_own(there(self._body), name, None)

    def __iter__(self) -> Iterator[str]:
        return iter(tuple(self._kept()))

    def __len__(self) -> int:
        return len(self._kept())

    def __repr__(self) -> str:
        if not self._body.here:
            return f"<OwnData of {self._body.id}, who has left>"
        return f"<OwnData of {self._body.id}: {dict(self)}>"


def _same(one: Any, other: Any) -> bool:
    """Return whether two values are equal, and of the same types all through."""
    if one.__class__ is not other.__class__:
        return False
    if isinstance(one, dict):
        return list(one) == list(other) and all(_same(one[key], other[key]) for key in one)
    if isinstance(one, list):
        return len(one) == len(other) and all(map(_same, one, other))
    return bool(one == other)


def lying(game: Game, placement: Placement) -> PlacementState:
    """Return the state of a placement of one world."""
    if placement._game is not game:
        raise UsageError(f"{placement.id} lies in another world; several worlds share nothing")
    return placement._there


class Placement(Seen, View):
    """A pickup lying in the world."""

    __slots__ = ("_state", "id")
    id: str

    def __init__(self, game: Game, state: PlacementState) -> None:
        self._game, self._state, self.id = game, state, state.id

    @property
    def _there(self) -> PlacementState:
        """Its state, also when it was taken for good; not when the host took it out of the world."""
        if not self._state.there:
            raise GoneError("placement", self.id)
        return self._state

    @property
    def removed(self) -> bool:
        """Whether the host took it out of the world."""
        return not self._state.there

    @property
    def pickup(self) -> str:
        """What it is a placement of."""
        return self._state.pickup

    @property
    def present(self) -> bool:
        """Whether it lies there now."""
        return self._there.present

    @property
    def position(self) -> tuple[float, float, float] | None:
        """Where it lies, if the host said."""
        return position(self._there)

    @command("remove_placement kit", telling.GOODS, line="remove_placement {me}", says="{me.id} is gone")
    def remove(self) -> None:
        """Take it out of the world for good."""
        state = self._there
        stage = self._world.stage
        stage.idle("remove")
        self._world.pickups.remove(state)
        stage.settle()

    def _key(self) -> tuple[object, ...]:
        return (self._state,)

    def _shown(self) -> str:
        return f"placement {self.id} of {self.pickup}"


class Goal(View):
    """One goal of a player's quest, as it stands now."""

    __slots__ = ("_log", "_quest", "index")
    index: int

    def __init__(self, log: QuestLog, quest: str, index: int) -> None:
        self._log, self._quest, self.index = log, quest, index

    def _key(self) -> tuple[object, ...]:
        return (self._log._body, self._quest, self.index)

    def _shown(self) -> str:
        return f"goal {self.index + 1} of {self._quest}: {self.line}"

    @property
    def _kind(self) -> Any:
        return self._log._world.quests.kind(self._quest).goals[self.index]

    @property
    def text(self) -> str:
        """What is to be done."""
        return str(self._kind.text)

    @property
    def optional(self) -> bool:
        """Whether the quest can do without it."""
        return bool(self._kind.optional)

    @property
    def progress(self) -> float:
        """How far it is, never above `count`."""
        return whole_if(self._log._world.quests.goals.progress(self._log._there, self._quest, self.index)[0])

    @property
    def count(self) -> float:
        """Its target; 0 while a goal for all of something has nothing to count."""
        return whole_if(self._log._world.quests.goals.progress(self._log._there, self._quest, self.index)[1])

    @property
    def met(self) -> bool:
        """Whether it is met."""
        return self._log._world.quests.look(self._log._there, self._quest).goals[self.index].met

    @property
    def current(self) -> bool:
        """Whether it counts now."""
        quests = self._log._world.quests
        errand = quests.look(self._log._there, self._quest)
        return self.index in quests.goals.current(errand) and (errand.state == "active" or self.optional)

    @property
    def shown(self) -> bool:
        """Whether a player is to see it: a hidden one only once it is reached."""
        return not self._kind.hidden or self.met or self.progress > 0

    @property
    def line(self) -> str:
        """The goal in a line: "Drive off eels 2/3"."""
        return f"{self.text} {shown(self.progress)}/{shown(self.count)}"


class Quest(View):
    """One quest of one player, as it stands now."""

    __slots__ = ("_log", "name")
    name: str

    def __init__(self, log: QuestLog, name: str) -> None:
        self._log, self.name = log, name

    @property
    def title(self) -> str:
        """Its title."""
        return str(self._log._world.quests.kind(self.name).title)

    @property
    def giver(self) -> str:
        """Who gives it."""
        return str(self._log._world.quests.kind(self.name).giver)

    @property
    def state(self) -> QuestState:
        """locked, available, active, ready, completed or failed."""
        return self._log._world.quests.state(self._log._there, self.name)

    @property
    def goals(self) -> tuple[Goal, ...]:
        """Its goals, in order."""
        return tuple(
            Goal(self._log, self.name, index) for index in range(len(self._log._world.quests.kind(self.name).goals))
        )

    @property
    def says(self) -> str:
        """The line that its giver says next in the state it is in, "" where the design has none."""
        return str(self._log._world.talks.line(self._log._there, self.name))

    @property
    def completions(self) -> int:
        """How often it was completed."""
        return self._log._world.quests.look(self._log._there, self.name).completions

    @property
    def busy(self) -> bool:
        """Whether it is being turned in just now."""
        return self._log._world.quests.look(self._log._there, self.name).turning is not None

    @property
    def left(self) -> float:
        """Seconds of its time limit that are left; 0 without one."""
        limit = self._log._world.quests.look(self._log._there, self.name).limit
        return max(limit.due - self._log._world.now_us, 0) / 1e6 if limit is not None else 0.0

    def _key(self) -> tuple[object, ...]:
        return (self._log._body, self.name)

    def _shown(self) -> str:
        return f"quest {self.name} {self.state}"


class QuestLog(_Log[Quest]):
    """A player's quests, by name, in the order of the design."""

    __slots__ = ()

    def _names(self) -> Iterable[str]:
        return self._world.kinds.quests.quests

    def _of(self, name: str) -> Quest:
        self._world.quests.kind(name)
        return Quest(self, name)


class Match(Seen, View):
    """A match of a world."""

    __slots__ = ("name",)
    name: str

    def __init__(self, game: Game, name: str) -> None:
        self._game, self.name = game, name

    def _key(self) -> tuple[object, ...]:
        return (self._game, self.name)

    def _shown(self) -> str:
        state = "paused" if self.paused else "running" if self.running else f"won by {self.winner}"
        return f"match {self.name} {state if self.running or self.winner else 'not running'}"

    @property
    def running(self) -> bool:
        """Whether it runs; also while it is paused."""
        return self._world.contests.contest(self.name).running

    @property
    def paused(self) -> bool:
        """Whether it is paused."""
        return self._world.contests.paused(self._world.contests.contest(self.name))

    @property
    def winner(self) -> str:
        """The side that won, "draw", or "" until it ends."""
        return self._world.contests.contest(self.name).winner

    @property
    def round(self) -> int:
        """The round it is in, from 1; 0 before it ever began."""
        return self._world.contests.contest(self.name).round

    @property
    def left(self) -> float:
        """Seconds until its time is over; 0 without a limit."""
        return self._world.contests.time_left(self._world.contests.contest(self.name))

    @property
    def standings(self) -> tuple[Place, ...]:
        """Rank, side and score of each side, best first; equal scores share a rank."""
        return tuple(self._world.contests.places(self._world.contests.contest(self.name)))

    @command("match start salvage_race", telling.POINTS, line="match start {me}", says=telling.match("starts"))
    def start(self) -> Result:
        """Start it, standings from 0."""
        return self._world.done(self._world.contests.start(self.name))

    @command("match end salvage_race", telling.POINTS, line="match end {me}", says=telling.match("ends"))
    def end(self) -> Result:
        """End it by hand; whoever leads wins."""
        return self._world.done(self._world.contests.end(self.name))

    @command("match pause salvage_race", telling.POINTS, line="match pause {me}", says=telling.match("pauses"))
    def pause(self) -> Result:
        """Pause it: its rules count nothing, its time stands still."""
        return self._world.done(self._world.contests.pause(self.name, True))

    @command("match resume salvage_race", telling.POINTS, line="match resume {me}", says=telling.match("resumes"))
    def resume(self) -> Result:
        """Let a paused one go on."""
        return self._world.done(self._world.contests.pause(self.name, False))


def position(thing: Any) -> tuple[float, float, float] | None:
    """Return where a body or a placement stands, or None."""
    return None if thing.x is None else (thing.x, thing.y, thing.z)
