"""Tables of a trial: what is played by chance, as it is written — a setup, kinds of players, habits, an end,
measures. Start at `TrialTables`.
"""

from typing import TYPE_CHECKING, Any

from cleaver.design.keys import Custom, KeyTable, Type, key
from cleaver.design.models.values import FormulaText, Number, Positive, Seconds, Text, Truth, Whole, Word
from cleaver.rounding import is_number
from cleaver.script.tallies import Way, ways_of

MOST_PLAYERS, MOST_HABITS, MOST_MEASURES = 20, 100, 100
MOST_LOOKS = 1_000  # over time, in one session


def _span(value: Any) -> tuple[float | str, ...]:
    """Return a span as it is written: a number, a formula, or [low, high] of these."""
    parts = value if isinstance(value, (list, tuple)) else [value]
    if len(parts) not in (1, 2) or not all(isinstance(part, str) or is_number(part) for part in parts):
        raise ValueError("must be a number of seconds, a formula, or [low, high]")
    return tuple(parts)


def _lines(value: Any) -> tuple[str, ...]:
    """Return lines of a script, of one text or of a list."""
    texts = [value] if isinstance(value, str) else value
    if not isinstance(texts, (list, tuple)) or not all(isinstance(text, str) for text in texts):
        raise ValueError("must be a line of a script, or a list of lines")
    return tuple(line.strip() for text in texts for line in text.splitlines() if line.strip())


def _chance(value: Any) -> float | str:
    """Return a chance as it is written: a number or a formula, which `loading` looks at."""
    if not isinstance(value, str) and not is_number(value):
        raise ValueError("must be a number from 0 to 1, or a formula")
    return value


if TYPE_CHECKING:
    Span = tuple[float | str, ...]
    Script = tuple[str, ...]
    Chance = float | str
    Object = Any
else:
    Span = Custom(_span, {}, "seconds, a formula, or [low, high]")
    Script = Custom(_lines, {}, "a line of a script, or a list of lines")
    Chance = Custom(_chance, {}, "a number from 0 to 1 or a formula")
    Object = Type()


# fmt: off
# A line a key, however long.
class Setup(KeyTable):
    """What a session begins with."""

    lines: Script = key("lines of a script", '["join diver ana"]', default=())


class Habit(KeyTable):
    """What players, or creatures, do again and again: by a clock (`every`) or after an event (`on`)."""

    do: Script = key("lines of a script", '["use ana jab {it}"]')
    each: Word | None = key("the kind or tag whose every creature does it", '"eel"', default=None)
    pick: Word | None = key("the kind or tag of which one is drawn", '"eel"', default=None)
    every: Span | None = key("seconds from one time to the next", "[2, 4]", default=None)
    on: Word | None = key("the event after which it is done", '"died"', default=None)
    who: Text | None = key("whom the event is about", '"ana"', default=None)
    by: Text | None = key("who is its source", '"ana"', default=None)
    where: FormulaText | None = key("a formula that must hold of the event", '"amount > 5"', default=None)
    delay: Span = key("seconds from the event until it is done", "0.3", default=(0.0,))
    when: FormulaText | None = key("a formula that must hold", '"ana.suit > 20"', default=None)
    chance: Chance = key("how likely it is done", "0.8", default=1.0)
    after: Seconds = key("seconds from the start before which it is not done", "10", default=0.0)
    until: Positive | None = key("seconds from the start after which it is not done", "60", default=None)
    times: Whole | None = key("how often at most", "3", default=None, ge=1)


class End(KeyTable):
    """When a session ends, by whichever comes first, and what is done then."""

    after: Positive = key("seconds after which it ends at the latest", "600")
    turns: Whole | None = key("plays in turns, at most so many: each is over when what it led to is done", "200", default=None, ge=1, le=100_000)
    turn_takes: Positive = key("seconds that pass in each turn", "1.0", default=1.0)
    on: Word | None = key("the event that ends it", '"died"', default=None)
    who: Text | None = key("whom the event is about", '"ana"', default=None)
    when: FormulaText | None = key("a formula that ends it", '"ana.score >= 100"', default=None)
    lines: Script = key("lines of a script, done at the end", '["rate ana dive"]', default=())


class Tally(KeyTable):
    """A measure made of events: how many, the sum, best or least of a field, or the time of the first."""

    on: Word = key("the event", '"struck"')
    who: Text | None = key("whom it is about", '"ana"', default=None)
    by: Text | None = key("who is its source", '"ana"', default=None)
    where: FormulaText | None = key("a formula that must hold of the event", '"amount > 5"', default=None)
    sum: Word | None = key("the field that is added up", '"amount"', default=None)
    best: Word | None = key("the field whose largest value counts", '"amount"', default=None)
    least: Word | None = key("the field whose smallest value counts", '"amount"', default=None)
    first: Truth = key("whether it is the time of the first", "true", default=False)

    @property
    def ways(self) -> list[tuple[Way, str]]:
        """How it tallies; one way at most in a trial that was checked, and none is a count."""
        return ways_of(self.sum or "", self.best or "", self.least or "", first=self.first)


if TYPE_CHECKING:
    Measure = str | Tally
else:
    Measure = FormulaText | Tally


class TrialTables(KeyTable):
    """A whole trial."""

    design: Text = key("the design it is played on, beside it", '"reef.toml"', default="")
    variant: Text = key("the variant of the design that is played", '"hard"', default="")
    title: Text = key("what it is called", '"A dive"', default="")
    set: dict[Text, Object] = key("values of the design that are other ones", '{ "actors.eel.meters.hide" = 40 }', default={})
    setup: Setup = key("what a session begins with", '{ lines = ["join diver ana"] }', default=Setup())
    players: dict[Word, dict[Word, Number]] = key("kinds of players: their inputs, and `share`", "{ new = { skill = 0.4, share = 3 } }", default={})
    habits: dict[Word, Habit] = key("what is done again and again", '{ jab = { every = 0.5, do = "use ana jab eel" } }', default={})
    end: End = key("when a session ends", "{ after = 600 }")
    measures: dict[Word, Measure] = key("what is measured at the end", '{ score = "ana.score" }')
    over_time: dict[Text, Object] = key("`every` so many seconds, what is looked at", '{ every = 1, suit = "ana.suit" }', default={})
