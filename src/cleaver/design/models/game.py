"""The game as a whole: its title and tags, its own events, and the settings of `cleaver check`."""

# fmt: off
# A line a key, however long.

from cleaver.design.keys import KeyTable, key
from cleaver.design.models.saves import KEPT
from cleaver.design.models.values import Choice, FormulaText, Name, SeenBy, Text, Truth, Value, Whole, Word


class Game(KeyTable):
    """The game as a whole."""

    title: Text = key("the game's name", '"Lanternreef"', default="Untitled")
    version: Whole = key("of what is saved; one more whenever names in it change", "2", default=1, ge=1, le=1_000_000)
    tags: tuple[Name, ...] = key("tags that your game sets, so that a misspelt one is found", '["submerged"]', default=())
    variant: Text = key("which variant of the design this is; Cleaver writes it", '"hard"', default="")
    negative_scores: Truth = key("whether `deduct` may take a score below 0", "true", default=False)
    turn_order: FormulaText | None = key("who takes turns first: highest first, by this formula of each; by default in the order in which they came", '"self.speed"', default=None)
    week_start: Whole = key("a day on which a week begins", "7", default=1, ge=-1_000_000_000, le=1_000_000_000)
    restart_keeps: tuple[Choice, ...] = key("what players keep where a stage is played again", '["achievements", "records", "ratings"]', default=("achievements", "records", "ratings"), among=KEPT)


class Variant(KeyTable):
    """The same game with other numbers: easy, hard."""

    title: Text = key("its name for players", '"Hard"', default="")
    set: dict[Text, Value] = key("other values, by key path; `base` is the number without the variant", '{ "actors.eel.attacks.sting.amount" = 20, "actors.diver.meters.suit.max" = "base * 0.8" }')


class Event(KeyTable):
    """An event of your game's own."""

    fields: dict[Word, Choice] = key("what it tells: names and numbers", '{ place = "name", depth = "number" }', default={}, among=("name", "number"))
    seen_by: SeenBy | None = key('whose screens know of it: "all", its "owner", the "team", or "nobody"', '"team"', default=None)


class Silence(KeyTable):
    """A warning of `cleaver check` about what is meant: the rule, where, and why."""

    rule: Word = key("the rule's name, as `cleaver check` prints it in brackets", '"contact_every_frame"')
    at: Text = key("the key path it is about", '"actors.diver.attacks.jab"')
    because: Text = key("why it is meant", '"our game calls it once a swing"', low=3, high=2_000)


class Check(KeyTable):
    """Settings of `cleaver check`."""

    silence: tuple[Silence, ...] = key("warnings about what is meant", '[ { rule = "no_vital", at = "actors.crate", because = "nobody hits it" } ]', default=())
