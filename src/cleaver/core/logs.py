"""Logs: what an actor has of each thing of a kind: money, items, levels, records, ratings, achievements,
quests, and a game's own data. Start at `Purse`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, MutableMapping

from cleaver.core import telling
from cleaver.core.commands import JSON, command
from cleaver.core.game import Game, Seen
from cleaver.core.kernel.arguments import TEXT, line, whole, whole_if
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.living import Living, View
from cleaver.core.kernel.results import ChangeResult
from cleaver.core.kernel.spans import unit_of
from cleaver.core.views import there
from cleaver.errors import UnknownNameError, UsageError, said
from cleaver.named import NamedTuple
from cleaver.rounding import shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, TypeVar

    from cleaver.literals import QuestState

    V = TypeVar("V", covariant=True)
    _Data = MutableMapping[str, Any]
else:
    V = object
    _Data = MutableMapping


MOST_NAME = 100
"""Characters of a name under which a game keeps something of its own."""


MOST_TEXT = 100_000
"""Characters of what it keeps there, as JSON."""


class OwedItem(NamedTuple):
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
        return (
            f"<{type(self).__name__} of {self._body.id}: "
            f"{', '.join(f'{name} {self[name]}' for name in self)}>"
        )


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
        return self._world.goods.bags.bag_used(self._there)

    @property
    def most(self) -> int | None:
        """How much fits in all; None where there is no limit."""
        most = self._world.goods.bags.bag_most(self._there)
        return None if most < 0 else most

    @command("bag ana 12", telling.GOODS, line="bag {me}", says="the bag of {me.whose} holds {most}")
    def resize(self, most: int) -> ChangeResult:
        """Let the bag hold *most*; what is held already stays, also where it is more."""
        world, body = self._world, self._there
        return world.done(world.goods.bags.resize(body, whole("the size of the bag", most)))

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
        return Level.of(
            levels.read(body, ladder, "level"), levels.read(body, ladder, "xp"), levels.left(body, ladder)
        )


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


class AchievedRanks(NamedTuple):
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


class AchievementLog(_Log[AchievedRanks]):
    """A player's achievements."""

    __slots__ = ()

    def _names(self) -> Iterable[str]:
        return self._world.kinds.quests.achievements

    def _of(self, achievement: str) -> AchievedRanks:
        achievements, body = self._world.achievements, self._there
        achievements.kind(achievement)
        done, target = achievements.progress(body, achievement)
        return AchievedRanks(tuple(achievements.ranks(body, achievement)), done, target)


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
        import json  # slow to import, and few need it

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
        from cleaver.core.kept import can_be_kept  # slow to import, and few need it

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
            Goal(self._log, self.name, index)
            for index in range(len(self._log._world.quests.kind(self.name).goals))
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
        """What is left of its time limit, in seconds, rounds or days (`left_unit`); 0 without one."""
        limit = self._log._world.quests.look(self._log._there, self.name).limit
        return self._log._world.stage.clock.time_left(limit.due) if limit is not None else 0.0

    @property
    def left_unit(self) -> str:
        """What `left` counts: "seconds", "rounds" or "days"."""
        limit = self._log._world.quests.look(self._log._there, self.name).limit
        return "seconds" if limit is None else unit_of(limit.due)

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
