"""Quests with their goals, sets of them, and achievements."""

# fmt: off
# A line a key, however long.

from cleaver.design.keys import Custom, Either, KeyTable, key
from cleaver.design.models.effects import Effects, Tallying
from cleaver.design.models.spans import MOST_OF_A_CLOCK, Days, Open, Stretch
from cleaver.design.models.stats import Modifying
from cleaver.design.models.values import (
    LONGEST,
    SHORTEST,
    WHOLE_LIMIT,
    Choice,
    EventName,
    Formulas,
    Lines,
    Seconds,
    Text,
    Truth,
    Whole,
    Word,
    span_shape,
)
from cleaver.errors import said
from cleaver.rounding import is_number

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any
else:
    Any = object  # annotations are worked out here, as keys are read by them


class Goal(Tallying):
    """One goal of a quest: a tally over events, or something held."""

    name: Word | None = key("what it is known by where the design changes while the game runs", '"eels"', default=None)
    on: EventName = key("the event it hears", '"damaged"', default="")
    hold: Word | None = key("the good that must be held, in place of an event", '"pearl"', default=None, of="currency or item")
    hand_over: Truth = key("what is held is taken at turning in", "true", default=False)
    optional: Truth = key("not needed to finish", "true", default=False)
    hidden: Truth = key("not shown until it is met", "true", default=False)
    reward: Effects = key("effects when it is met", '[ { xp = "rank", amount = 20 } ]', default=())
    text: Text = key("what the player reads", '"Drive off eels"', default="")


class Fail(Tallying):
    """What lets a quest fail."""


def _again(value: Any) -> float:
    if not is_number(value) or not (value == 0 or SHORTEST <= value <= LONGEST):
        raise ValueError(f"is {said(value)}; it must be seconds, or days such as {{ days = 1 }}")
    return float(value)


if TYPE_CHECKING:
    Repeat = float | Days
else:
    Repeat = Either(Days, Custom(_again, span_shape(0), "a number, 0 or more"), said="seconds, or days such as { days = 1 }")


class Quest(KeyTable):
    """A quest."""

    title: Text = key("its name for players", '"The drowned bells"', default="")
    text: Text = key("what it is about", '"Eels have taken the belfry."', default="")
    giver: Text = key("who gives it and takes it", '"harbourmaster"', default="")
    needs: Formulas = key("formulas that must hold before it is available", '["self.rank >= 2"]', default=())
    goals: tuple[Goal, ...] = key("what is to be done", '[ { on = "defeated", of = "eel", count = 3 } ]', low=1)
    order: Choice = key("whether goals count in any order or one after another", '"in_turn"', default="any", among=("any", "in_turn"))
    needs_goals: Whole | None = key("how many goals suffice", "2", default=None, ge=1, le=1000)
    finish: Choice = key("whether it is turned in or finishes by itself", '"auto"', default="turn_in", among=("turn_in", "auto"))
    reward: Effects = key("effects when it is completed, once", '[ { earn = "scrip", amount = 85 } ]', default=())
    says: dict[Choice, Lines] = key("what the giver says in each state: a text, or several that follow one another", '{ available = ["Listen.", "Three eels, two pearls."] }', default={}, among=("locked", "available", "active", "ready", "completed", "failed"))
    turn_in_lasts: Seconds = key("seconds that turning in takes, in which it cannot be asked again", "2.0", default=0)
    time_limit: Stretch | None = key("the time from accepting it to its failure", "120.0", default=None)
    fails: tuple[Fail, ...] = key("what lets it fail", '[ { on = "died" } ]', default=())
    repeat: Repeat | None = key("seconds or calendar days until it is available again; by default it is given once", "{ days = 1 }", default=None)
    open: Open | None = key("the days on which it can be accepted", "{ days = [739500, 739514] }", default=None)


class QuestSet(KeyTable):
    """Quests of which only some are offered, drawn by the dice."""

    quests: tuple[Word, ...] = key("those that belong to it", '["bells", "first_light"]', low=1, of="quest")
    draw: Whole = key("how many are offered at a time", "2", default=1, ge=1, le=1000)
    every: Stretch | None = key("the time from one draw to the next", "86400.0", default=None)
    days: Whole | None = key("calendar days from one draw to the next, as your game says what day it is", "1", default=None, ge=1, le=MOST_OF_A_CLOCK)
    on: Choice | None = key('"week" beside `days` lets them begin with the week', '"week"', default=None, among=("week",))
    open: Open | None = key("the days on which its quests are offered", "{ days = [739500, 739514] }", default=None)


class Achievement(Tallying, Modifying):
    """Something achieved once per player, for ever: by a tally, or by an effect."""

    on: EventName = key("the event it hears", '"damaged"', default="")
    title: Text = key("its name for players", '"Eel bane"', default="")
    text: Text = key("what it is for", '"Defeat ten eels"', default="")
    icon: Text = key("your game's name for its picture", '"eel.png"', default="")
    hidden: Truth = key("not shown before it is achieved", "true", default=False)
    ranks: dict[Word, Whole] = key("ranks with the count each needs", "{ lantern = 10, beacon = 25 }", default={}, ge=1, le=WHOLE_LIMIT)
    reward: Effects = key("effects when it is achieved", '[ { earn = "scrip", amount = 50 } ]', default=())
