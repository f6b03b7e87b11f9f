"""Somebody: what a game reads of an actor as it is now. Start at `Somebody`."""

from __future__ import annotations

from cleaver.core.game import Game, Seen
from cleaver.core.goods.exchanges import Offer
from cleaver.core.kernel.arguments import TEXT, checked
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.living import Living
from cleaver.core.logs import (
    AchievementLog,
    Bag,
    LevelLog,
    OwedItem,
    OwnData,
    Purse,
    QuestLog,
    RatingLog,
    RecordLog,
)
from cleaver.core.stat_views import StatLog
from cleaver.core.views import position, there
from cleaver.errors import UsageError


def body_of(game: Game, actor: Somebody | str) -> Body:
    """Return the state of an actor of one world, given by itself or by its id."""
    if isinstance(actor, str):
        return game.parts.stage.actor(actor)
    if actor._game is not game:
        raise UsageError(f"{actor.id} stands in another world; several worlds share nothing")
    return actor._there


class Somebody(Seen, Living):
    """An actor, to look at."""

    __slots__ = ("_body", "id")
    id: str

    def __init__(self, game: Game, body: Body) -> None:
        self._game, self._body, self.id = game, body, body.id

    @property
    def _there(self) -> Body:
        """Its state, if it is still in the world."""
        return there(self._body)

    @property
    def kind(self) -> str:
        """Its kind."""
        return self._body.kind_name

    @property
    def player(self) -> bool:
        """Whether its progress can be saved."""
        return self._body.kind.player

    @property
    def alive(self) -> bool:
        """Whether it lives."""
        return self._there.alive

    @property
    def lives(self) -> int:
        """How many lives it has, the present one included; 0 where they are not counted."""
        return self._there.lives

    @property
    def team(self) -> str:
        """Its team, "" for none."""
        return self._there.team

    @property
    def owner(self) -> str:
        """The id of its owner, "" for none."""
        return self._there.owner

    @property
    def tags(self) -> tuple[str, ...]:
        """Its tags: its kind's, then those set."""
        return tuple(self._there.words())

    @property
    def statuses(self) -> tuple[str, ...]:
        """The statuses it is under, oldest first; one that was added twice stands twice."""
        return tuple(ailment.name for ailment in self._there.ailments)

    @property
    def score(self) -> int:
        """Its running score."""
        return self._world.scores.table.players.get(self._there.id, 0)

    @property
    def meters(self) -> tuple[str, ...]:
        """The names of its meters."""
        return tuple(self._there.meters)

    @property
    def position(self) -> tuple[float, float, float] | None:
        """Where it stands, if the host said."""
        body = self._body
        return position(body if body.here else there(body))

    @property
    def purse(self) -> Purse:
        """Its money, by currency."""
        return Purse(self._game, self._there)

    @property
    def owed(self) -> tuple[OwedItem, ...]:
        """What this player has earned and had no room for, in order: it is given as soon as it fits."""
        return tuple(
            OwedItem(debt.item, debt.amount, debt.reason)
            for debt in self._world.goods.table.owed.get(self._there.id, ())
        )

    @property
    def bag(self) -> Bag:
        """What it holds."""
        return Bag(self._game, self._there)

    @property
    def stats(self) -> StatLog:
        """Its stats by name."""
        return StatLog(self._game, self._there)

    @property
    def worn(self) -> dict[str, tuple[str, ...]]:
        """What it wears, by slot, in the order of the design; what has been worn longest first."""
        body = self._there
        return {slot: tuple(body.worn.get(slot, ())) for slot in body.kind.slots}

    @property
    def achievements(self) -> AchievementLog:
        """This player's achievements by name."""
        return AchievementLog(self._game, self._there)

    @property
    def data(self) -> OwnData:
        """Your game's own data of this player: saved with the profile, and not used by Cleaver.

        Raises:
            UsageError: No player; only players have a profile.
        """
        if not self._body.kind.player:
            raise UsageError(f"{self.id} is no player; only players have a profile")
        return OwnData(self._game, self._there)

    @property
    def levels(self) -> LevelLog:
        """This player's levels by ladder; each is a number, from 1, with its experience."""
        return LevelLog(self._game, self._there)

    @property
    def ratings(self) -> RatingLog:
        """This player's best ratings by name."""
        return RatingLog(self._game, self._there)

    @property
    def records(self) -> RecordLog:
        """What this player's records stand at, by name."""
        return RecordLog(self._game, self._there)

    @checked(pulse=TEXT)
    def pulse_progress(self, pulse: str) -> float:
        """Return how far a pulse is towards its next beat, from 0 to 1."""
        statuses = self._world.statuses
        return statuses.progress(statuses.beats(self._there, pulse)[0])

    @checked(exchange=TEXT)
    def bought(self, exchange: str) -> int:
        """Return how often this actor has used an exchange."""
        self._world.exchanges.kind(exchange)
        return self._world.exchanges.bought(self._there, exchange)

    @checked(exchange=TEXT)
    def price(self, exchange: str) -> dict[str, int]:
        """Return what the next use of an exchange would cost this actor, by good."""
        return self._world.exchanges.price(self._there, exchange)

    def offers(self) -> tuple[Offer, ...]:
        """Return every exchange as this actor finds it: what the next one costs, what is left of it, why it
        cannot be used, and how often it could be now."""
        return self._world.exchanges.offers(self._there)

    @property
    def quests(self) -> QuestLog:
        """This player's quests by name, with their goals."""
        return QuestLog(self._game, self._there)
