"""A whole design: its sections, in the order they are checked."""

# fmt: off
# A line a key, however long.

from cleaver.design.keys import KeyTable, Named, key
from cleaver.design.models.contests import LevelLadder, MatchTable, Rating, Record, Stage, Team
from cleaver.design.models.effects import Rule
from cleaver.design.models.game import Check, Event, Game, Variant
from cleaver.design.models.goods import Currency, Exchange, Item, Pickup
from cleaver.design.models.quests import Achievement, Quest, QuestSet
from cleaver.design.models.rooms import Rooms
from cleaver.design.models.saves import Saves
from cleaver.design.models.stats import ItemSet
from cleaver.design.models.values import FormulaText, InputName, Name, Number, Text, Word
from cleaver.design.models.vitals import Actor, Status


class DesignTables(KeyTable):
    """A whole design."""

    game: Game = key("title, version of what is saved, tags that your game sets", '{ title = "Lanternreef", version = 1 }', default=Game())
    inputs: dict[InputName, Number] = key("numbers that your game gives to formulas, with their defaults", "{ charge = 1.0 }", default={})
    formulas: dict[InputName, FormulaText] = key("formulas by name, which stand for their text in others", '{ income = "self.mill * 3" }', default={})
    events: dict[Word, Event] = key("events that your game announces", '{ reached = { fields = { place = "name" } } }', default={})
    currencies: dict[Name, Currency] = key("whole-number money", "{ scrip = { start = 5 } }", default={}, alike=True)
    items: dict[Name, Item] = key("things that are held", "{ pearl = { most = 20 } }", default={}, alike=True)
    item_sets: dict[Word, ItemSet] = key("items that count together while they are worn", '{ ember = { items = ["ember_helm", "ember_plate"], pieces = { 2 = { adds = { might = 3 } } } } }', default={})
    actors: dict[Name, Actor] = key("kinds of actors, anything with meters", '{ eel = { vital = "hide", meters = { hide = 30 } } }', default={}, alike=True)
    statuses: dict[Word, Status] = key("something temporary on an actor", "{ venom = { lasts = 3.0 } }", default={}, alike=True)
    pickups: dict[Word, Pickup] = key("things that lie in the world", '{ pearl = { do = [ { give = "pearl" } ] } }', default={}, alike=True)
    rules: tuple[Rule, ...] = key("on an event that matches, do effects", '[ { on = "collected", of = "pearl", do = [ { score = 10 } ] } ]', default=())
    exchanges: dict[Word, Exchange] = key("some goods for others: a shop, a sale, a craft", "{ office = { costs = { pearl = 1 }, gives = { scrip = 15 } } }", default={}, alike=True)
    teams: dict[Name, Team] = key("who stands together", '{ north = { spawn = "north_pier" } }', default={})
    matches: dict[Word, MatchTable] = key("contests with an end", '{ race = { teams = ["north", "south"], win_at = 7 } }', default={}, alike=True)
    ratings: dict[Word, Rating] = key("stars for a result", '{ dive = { measure = "self.score", steps = [20, 60] } }', default={}, alike=True)
    levels: dict[Name, LevelLadder] = key("ranks reached by experience", '{ rank = { experience = "100 * level", most = 10 } }', default={}, alike=True)
    records: dict[Word, Record] = key("lifetime tallies of each player", '{ deepest = { on = "reached", best = "depth" } }', default={}, alike=True)
    quests: dict[Word, Quest] = key("quests with goals and rewards", '{ bells = { goals = [ { hold = "pearl", count = 2 } ] } }', default={}, alike=True)
    quest_sets: dict[Word, QuestSet] = key("quests of which only some are offered, drawn by the dice", '{ daily = { quests = ["bells"], draw = 1 } }', default={})
    achievements: dict[Word, Achievement] = key("given once per player, for ever", '{ first_pearl = { on = "gained", item = "pearl" } }', default={}, alike=True)
    stages: dict[Word, Stage] = key("content laid out for play: what lies and lives where", "{ reef = { pickups = { pearl = 12 }, actors = { eel = 6 } } }", default={})
    variants: dict[Word, Variant] = key("the same game with other numbers: easy, hard", '{ hard = { set = { "actors.eel.meters.hide.max" = 40 } } }', default={})
    texts: dict[Word, Text] = key("the text that a player sees for an event, with its fields in braces", '{ scored = "{actor} earned {amount} points" }', default={})
    saves: Saves = key("what is kept of a player, and what names became of older ones", '{ include = ["currencies", "items"] }', default=Saves())
    rooms: Rooms = key("what clients may ask for, where several play on several screens", '{ allow = ["take", "talk"] }', default=Rooms())
    check: Check = key("settings of `cleaver check`", "{ silence = [] }", default=Check())


NAMED: dict[str, type[KeyTable]] = {
    name: declared.type.inner
    for name, declared in DesignTables.declared().items()
    if isinstance(declared.type, Named) and isinstance(declared.type.inner, type)
}
"""Sections that are tables of named entries, in the order they are checked."""
