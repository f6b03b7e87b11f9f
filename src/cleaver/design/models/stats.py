"""Stats: numbers of an actor that what it has changes, and the tables that change them."""

# fmt: off
# A line a key, however long.

from cleaver.design.keys import KeyTable, key
from cleaver.design.models.values import Figure, Number, Pieces, Target, Text, Word


class Stat(KeyTable):
    """A number of an actor, such as its strength, that what it has changes."""

    bare = "base"

    base: Figure = key("what it is before anything changes it: a number or a formula", '"8 + 2 * self.rank"')
    min: Number | None = key("it is never below this", "0", default=None)
    max: Number | None = key("it is never above this", "20", default=None)


class Modifying(KeyTable):
    """What changes the stats, maxima, flows and bag of whoever has it."""

    adds: dict[Target, Figure] = key("what it adds, by stat, METER.max, METER.rate or bag", '{ might = 2, "hp.max" = 10 }', default={})
    times: dict[Target, Figure] = key("what it multiplies, by stat, METER.max, METER.rate or bag", "{ speed = 0.5 }", default={})


class SetPieces(Modifying):
    """What so many things of a set bring."""


class ItemSet(KeyTable):
    """Items that count together while they are worn."""

    items: tuple[Word, ...] = key("those that belong to it", '["ember_helm", "ember_plate"]', low=1, of="item")
    pieces: dict[Pieces, SetPieces] = key("what so many different ones of them bring, beside what fewer bring", "{ 2 = { adds = { toughness = 3 } } }", default={})
    title: Text = key("its name for players", '"Ember"', default="")
