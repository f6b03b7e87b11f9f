"""Goods: currencies, items, pickups, exchanges."""

# fmt: off
# A line a key, however long.

from cleaver.design.keys import KeyTable, key
from cleaver.design.models.effects import Effects
from cleaver.design.models.spans import Delay, Open, Pause
from cleaver.design.models.stats import Modifying
from cleaver.design.models.values import (
    Amount,
    Choice,
    Count,
    Factor,
    Formulas,
    InputName,
    Name,
    Number,
    SeenBy,
    Text,
    Truth,
    Word,
    Words,
)


class Currency(KeyTable):
    """Whole-number money."""

    start: Count = key("what a player has who was never saved", "5", default=0)
    most: Count | None = key("more than this is not kept; `earn` says what did not fit", "9999", default=None)
    pooled: Truth = key("one purse for a whole team", "true", default=False)
    seen_by: SeenBy | None = key('whose screens know of it: "all", its "owner", the "team", or "nobody"', '"team"', default=None)


class Item(Modifying):
    """A thing held."""

    most: Count | None = key("how many one may hold", "20", default=None)
    size: Count = key("how much room one takes in the bag", "2", default=1)
    title: Text = key("its name for players", '"Brass helm"', default="")
    slot: Word | None = key("the slot in which it is worn", '"hand"', default=None, of="slot")
    adds_when: Choice | None = key('whether `adds` and `times` count once for each one "held", or "worn", the default where it has a slot', '"held"', default=None, among=("held", "worn"))
    needs: Formulas = key("formulas that must hold to wear it", '["self.rank >= 2"]', default=())
    seen_by: SeenBy | None = key('whose screens know of it: "all", its "owner", the "team", or "nobody"', '"team"', default=None)


class Pickup(KeyTable):
    """A thing lying in the world with effects for whoever takes it."""

    inputs: dict[InputName, Number] = key("its own numbers, which each placement may change", "{ mends = 25 }", default={})
    do: Effects = key("effects on whoever takes it", '[ { heal = "mends" } ]')
    for_: Words = key("kinds, tags or teams that may take it; by default players", '"diver"', default=(), of="kind, tag or team")
    needs: Formulas = key("formulas that must all be true, else it is `locked`", '["self.level.rank >= 2"]', default=())
    once: Truth = key("lets each player take it once ever, whichever placement", "true", default=False)
    reach: Factor | None = key("from how far it can be taken, in your game's units; else as far as who takes it reaches", "2", default=None)
    waste: Truth = key("is taken even where it would do nothing", "true", default=False)
    stays: Truth = key("stays lying there", "true", default=False)
    split: Truth = key("gives what fits and keeps the rest", "true", default=False)
    cooldown: Delay = key("the time before it can be taken again, by anybody", "5.0", default=0)
    respawn_after: Pause | None = key("the time until it lies there again", "30.0", default=None)
    respawn_in: dict[Choice, tuple[Number, Number]] = key("the box in which it comes back, by axis", "{ x = [0, 10], y = [0, 4] }", default={}, among=("x", "y", "z"))
    tags: tuple[Name, ...] = key("words that rules and goals can ask for", '["salvage"]', default=())
    title: Text = key("its name for players", '"Sealant kit"', default="")


class Exchange(KeyTable):
    """Some goods for others: a sale, a shop, a craft."""

    costs: dict[Word, Amount] = key("what it takes", '{ scrip = "40 + 10 * bought" }', default={}, of="currency or item")
    gives: dict[Word, Amount] = key("what it gives", "{ brass_helm = 1 }", default={}, of="currency or item")
    do: Effects = key("effects beside the goods, each time", '[ { raise_max = "suit", amount = 10 } ]', default=())
    all: Truth = key("done as often as it can be, in one go", "true", default=False)
    needs: Formulas = key("formulas that must hold", '["self.rank >= 2"]', default=())
    stock: Count | None = key("how often it can be done", "3", default=None)
    restock_after: Pause | None = key("the time until the stock is full again", "120.0", default=None)
    open: Open | None = key("the days on which it can be done", "{ days = [739500, 739514] }", default=None)
    at: tuple[Number, ...] | None = key("where it stands, in your game's units", "[3, 4]", default=None, low=2, high=3)
    reach: Factor | None = key("from how far it can be used; else as far as who uses it reaches", "5", default=None)
    title: Text = key("its name for players", '"Harbour office"', default="")
