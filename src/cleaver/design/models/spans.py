"""Spans of time: seconds, or turns, rounds of turns and days, which pass because the game says so.

`Span` and `Lasting` stand where somebody who takes turns bears what lasts, `Delay`, `Pause` and `Stretch`
where nobody does. Start at `Clocked`.
"""

# fmt: off
# A line a key, however long.

from cleaver.design.keys import WRONG, Either, KeyTable, key
from cleaver.design.models.values import Choice, Period, PeriodOrFormula, Seconds, SecondsOrFormula, Whole

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.design.keys import Shape, Shapes, Tell
    from cleaver.design.lines import Path
else:
    Any = Shape = Shapes = Tell = Path = object

MOST_OF_A_CLOCK = 100_000  # turns, rounds or days


class ByRoundsOrDays(KeyTable):
    """So many rounds of turns or calendar days, in place of seconds."""

    rounds: Whole | None = key("rounds of turns: it is over where the last of so many begins", "2", default=None, ge=1, le=MOST_OF_A_CLOCK)
    days: Whole | None = key("calendar days: it is over where the last of so many begins", "1", default=None, ge=1, le=MOST_OF_A_CLOCK)

    @property
    def clock(self) -> str:
        """What it counts in: "turns", "rounds" or "days"."""
        return next(iter(self.written()))

    @property
    def count(self) -> int:
        """How many of them."""
        return int(self.written()[self.clock])

    @classmethod
    def read(cls, value: Any, path: Path, tell: Tell) -> Any:
        """See `Type`."""
        made = super().read(value, path, tell)
        if made is not WRONG and len(made.written()) != 1:
            names = ", ".join(cls.declared())
            tell(path, f"names {len(made.written())} clocks", f"give one of {names}, such as {{ {next(iter(cls.declared()))} = 2 }}")
            return WRONG
        return made

    @classmethod
    def shape(cls, shapes: Shapes) -> Shape:
        """See `Type`."""
        return {**super().shape(shapes), "minProperties": 1, "maxProperties": 1}

    def __str__(self) -> str:
        return f"{self.count} {self.clock if self.count != 1 else self.clock[:-1]}"


class Clocked(ByRoundsOrDays):
    """So many turns, rounds of turns or calendar days, in place of seconds."""

    turns: Whole | None = key("own turns of whoever bears it", "2", default=None, ge=1, le=MOST_OF_A_CLOCK)


class Days(KeyTable):
    """So many calendar days, as the game says what day it is."""

    days: Whole = key("how many", "1", ge=1, le=MOST_OF_A_CLOCK)
    on: Choice | None = key('"week" lets them begin with the week, so that seven are a calendar week', '"week"', default=None, among=("week",))


class Open(KeyTable):
    """When something is open."""

    days: tuple[Whole, ...] = key("the first and the last day on which it is", "[739500, 739514]", low=2, high=2)


if TYPE_CHECKING:
    Span = float | str | Clocked
    Lasting = float | str | Clocked
    Delay = float | str | ByRoundsOrDays
    Pause = float | ByRoundsOrDays
    Stretch = float | ByRoundsOrDays
else:
    Span = Either(Clocked, SecondsOrFormula, said="seconds, a formula in quotes, or such as { turns = 2 }")
    Lasting = Either(Clocked, PeriodOrFormula, said="seconds, a formula in quotes, or such as { turns = 2 }")
    Delay = Either(ByRoundsOrDays, SecondsOrFormula, said="seconds, a formula in quotes, or such as { days = 1 }")
    Pause = Either(ByRoundsOrDays, Seconds, said="seconds, or such as { days = 1 }")
    Stretch = Either(ByRoundsOrDays, Period, said="seconds, or such as { days = 1 }")
