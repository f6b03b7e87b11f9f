"""Contests: teams, matches, ratings, levels, records."""

# fmt: off
# A line a key, however long.

from cleaver.design.keys import Custom, KeyTable, key
from cleaver.design.models.effects import Effects, Rule, Tallying
from cleaver.design.models.spans import Days, Open, Stretch
from cleaver.design.models.stats import Modifying
from cleaver.design.models.values import (
    WHOLE_LIMIT,
    Choice,
    Formulas,
    FormulaText,
    Fraction,
    Number,
    Text,
    Truth,
    Whole,
    Word,
)
from cleaver.errors import said
from cleaver.rounding import is_number

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any
else:
    Any = object  # annotations are worked out here, as keys are read by them

MOST_LAID = 10_000  # of one thing in a stage


def _win_at(value: Any) -> float | str:
    if value == "all":
        return "all"
    if not is_number(value) or not 0 < value <= WHOLE_LIMIT:
        raise ValueError(f'is {said(value)}; it must be a number above 0, or "all"')
    return float(value)


def _experience(value: Any) -> str | tuple[int, ...]:
    if isinstance(value, str):
        return value
    if isinstance(value, (list, tuple)) and value and all(type(step) is int and step > 0 for step in value):
        return tuple(value)
    if is_number(value) and value >= 1:
        return str(value)
    raise ValueError(f"is {said(value)}; it must be a formula of `level`, or a list of whole numbers above 0")


def _laid(value: Any) -> int | tuple[tuple[float, ...], ...]:
    if type(value) is int and 0 <= value <= MOST_LAID:
        return value
    if isinstance(value, (list, tuple)) and len(value) <= MOST_LAID:
        spots = [spot for spot in value if isinstance(spot, (list, tuple)) and len(spot) in (2, 3)]
        numbers = [number for spot in spots for number in spot]
        if len(spots) == len(value) and all(is_number(number) and abs(number) <= 1e12 for number in numbers):
            return tuple(tuple(map(float, spot)) for spot in spots)
    raise ValueError(
        f"is {said(value)}; it must be how many, up to {MOST_LAID:,}, or a list of places such as "
        "[[3, 0], [9, 2]]"
    )


_SPOT = {
    "type": "array",
    "items": {"type": "number", "minimum": -1e12, "maximum": 1e12},
    "minItems": 2,
    "maxItems": 3,
}
if TYPE_CHECKING:
    WinAt = float | str
    Experience = str | tuple[int, ...]
    Laid = int | tuple[tuple[float, ...], ...]
else:
    WinAt = Custom(
        _win_at,
        {"anyOf": [{"type": "number", "exclusiveMinimum": 0, "maximum": WHOLE_LIMIT}, {"const": "all"}]},
        'a number above 0 or "all"',
    )
    Experience = Custom(
        _experience,
        {
            "anyOf": [
                {"type": "string"},
                {"type": "number", "minimum": 1},
                {"type": "array", "items": {"type": "integer", "minimum": 1}, "minItems": 1},
            ]
        },
        "a formula of `level` or a list: a whole number, 1 or more",
    )
    Laid = Custom(
        _laid,
        {
            "anyOf": [
                {"type": "integer", "minimum": 0, "maximum": MOST_LAID},
                {"type": "array", "items": _SPOT, "maxItems": MOST_LAID},
            ]
        },
        f"a whole number from 0 to {MOST_LAID} or a list of places",
        name="Laid",
    )


class Team(Modifying):
    """Who stands together."""

    spawn: Word | None = key("the name of the place where it enters", '"north_pier"', default=None)
    friendly_fire: Truth | Fraction = key("whether its own hits count, or what part of them", "0.5", default=False)


class Stage(Modifying):
    """Content laid out for play: how many of each pickup and creature, or where each of them is."""

    title: Text = key("its name for players", '"The reef"', default="")
    pickups: dict[Word, Laid] = key("how many of each lie there, or where", "{ pearl = 12, sealant = [[3, 0], [9, 2]] }", default={}, of="pickup")
    actors: dict[Word, Laid] = key("how many creatures of each kind live there, or where", "{ eel = 6, moray = 1 }", default={}, of="kind")
    rating: Word | None = key("the rating whose stars are kept for this stage", '"dive"', default=None, of="rating")
    needs: Formulas = key("formulas that must hold for every player to enter it", '["self.stars >= 4"]', default=())
    open: Open | None = key("the days on which it can be entered", "{ days = [739500, 739514] }", default=None)


class MatchTable(KeyTable):
    """A contest with an end."""

    teams: tuple[Word, ...] = key("who takes part; by default each player alone", '["north", "south"]', default=(), of="team")
    rules: tuple[Rule, ...] = key("rules that hold while it runs, whose score is the match's", '[ { on = "collected", of = "pearl", do = [ { score = 1 } ] } ]', default=())
    win_at: WinAt | None = key('the score that wins, or "all" there is to collect', "7", default=None)
    win_when: FormulaText | None = key("a formula that ends it", '"self.score >= 3"', default=None)
    time_limit: Stretch | None = key("how long it lasts at most", "600.0", default=None)
    on_tie: Choice = key("what a tie at the end is", '"extra_time"', default="draw", among=("draw", "extra_time"))
    friendly_fire: Truth | Fraction | None = key("as of teams, while it runs", "false", default=None)
    rounds: Whole = key("how many rounds are played", "3", default=1, ge=1, le=99)
    title: Text = key("its name for players", '"Salvage race"', default="")


class Condition(KeyTable):
    """A star for a condition that holds."""

    text: Text = key("what the star is for", '"Come back alive"')
    when: FormulaText = key("the formula that earns it", '"self.alive"')


class Rating(KeyTable):
    """Stars for a result: `steps` over a `measure`, or `conditions`."""

    measure: FormulaText | None = key("the formula that is rated", '"self.score"', default=None)
    steps: tuple[Number, ...] = key("what each star needs", "[20, 60, 120]", default=())
    better: Choice = key("whether more or less is better", '"lower"', default="higher", among=("higher", "lower"))
    conditions: tuple[Condition, ...] = key("stars for conditions, in place of steps", '[ { text = "Come back alive", when = "self.alive" } ]', default=())
    unit: Text = key("of the measure, for texts", '"seconds"', default="points")
    title: Text = key("its name for players", '"Clean dive"', default="")


class LevelLadder(Modifying):
    """Ranks reached by experience."""

    experience: Experience = key("from one level to the next: a formula of `level`, or a list", '"100 * level"')
    most: Whole | None = key("the last level; needed with a formula", "10", default=None, ge=2, le=10_000)
    do: Effects = key("effects at each new level", '[ { raise_max = "suit", amount = 10 } ]', default=())
    title: Text = key("its name for players", '"Rank"', default="")


class Record(Tallying):
    """A lifetime tally of each player."""

    streak: Days | None = key("counts days in a row on which it came, or weeks: several in one count once", "{ days = 1 }", default=None)

    def in_a_row(self) -> Days | None:
        """See `Tallying`."""
        return self.streak

    def way(self) -> tuple[str, str]:
        """See `Tallying`."""
        return ("streak", "") if self.streak is not None else super().way()
