"""A whole design: its sections, in the order they are checked."""

from __future__ import annotations

from pydantic import BaseModel

from cleaver.design.models.contests import LevelLadder, MatchTable, Rating, Record, Stage, Team
from cleaver.design.models.effects import Rule, Table
from cleaver.design.models.game import Check, Event, Game
from cleaver.design.models.goods import Currency, Exchange, Item, Pickup
from cleaver.design.models.quests import Achievement, Quest, QuestSet
from cleaver.design.models.rooms import Rooms
from cleaver.design.models.saves import Saves
from cleaver.design.models.values import InputName, Name, Number, Text, Word
from cleaver.design.models.vitals import Actor, Status

NAMED: dict[str, type[BaseModel]] = {
    "events": Event,
    "currencies": Currency,
    "items": Item,
    "actors": Actor,
    "statuses": Status,
    "pickups": Pickup,
    "exchanges": Exchange,
    "teams": Team,
    "matches": MatchTable,
    "ratings": Rating,
    "levels": LevelLadder,
    "records": Record,
    "quests": Quest,
    "quest_sets": QuestSet,
    "achievements": Achievement,
    "stages": Stage,
}
"""Sections that are tables of named entries, in the order they are checked."""


class DesignTables(Table):
    """A whole design."""

    game: Game = Game()
    inputs: dict[InputName, Number] = {}
    events: dict[Word, Event] = {}
    currencies: dict[Name, Currency] = {}
    items: dict[Name, Item] = {}
    actors: dict[Name, Actor] = {}
    statuses: dict[Word, Status] = {}
    pickups: dict[Word, Pickup] = {}
    rules: tuple[Rule, ...] = ()
    exchanges: dict[Word, Exchange] = {}
    teams: dict[Name, Team] = {}
    matches: dict[Word, MatchTable] = {}
    ratings: dict[Word, Rating] = {}
    levels: dict[Name, LevelLadder] = {}
    records: dict[Word, Record] = {}
    quests: dict[Word, Quest] = {}
    quest_sets: dict[Word, QuestSet] = {}
    achievements: dict[Word, Achievement] = {}
    stages: dict[Word, Stage] = {}
    texts: dict[Word, Text] = {}
    saves: Saves = Saves()
    rooms: Rooms = Rooms()
    check: Check = Check()
