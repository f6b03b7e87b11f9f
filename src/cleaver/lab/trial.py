"""Trial: what is played by chance, as it is written — a setup, kinds of players, habits, an end, measures.

A TOML file beside a design, made of script lines, formulas, paths and events. Knows how it is written, not
whether it can be played; `loading` reads and checks it. Start at `TrialTables`.
"""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from cleaver.design.design import Design
from cleaver.design.models.effects import Table
from cleaver.design.models.values import FormulaText, Number, Positive, Seconds, Text, Word
from cleaver.design.reading import Source
from cleaver.script.tallies import Way, ways_of

MOST_PLAYERS, MOST_HABITS, MOST_MEASURES = 20, 100, 100
MOST_LOOKS = 1_000  # over time, in one session


def _span(value: Any) -> Any:
    """Return a span as it is written: a number, a formula, or [low, high] of these."""
    parts = value if isinstance(value, list) else [value]
    right = all(
        isinstance(part, str) or (isinstance(part, (int, float)) and not isinstance(part, bool))
        for part in parts
    )
    if not right or len(parts) > 2 or not parts:
        raise ValueError("must be a number of seconds, a formula, or [low, high]")
    return tuple(parts)


def _lines(value: Any) -> Any:
    """Return lines of a script, of one text or of a list."""
    texts = [value] if isinstance(value, str) else value
    if not isinstance(texts, list) or not all(isinstance(text, str) for text in texts):
        raise ValueError("must be a line of a script, or a list of lines")
    return tuple(line.strip() for text in texts for line in text.splitlines() if line.strip())


Span = Annotated[tuple[float | str, ...], BeforeValidator(_span)]
Script = Annotated[tuple[str, ...], BeforeValidator(_lines)]
Formula = FormulaText
Chance = Annotated[float | str, Field(union_mode="left_to_right")]


class Setup(Table):
    """What a session begins with."""

    lines: Script = ()


class Habit(Table):
    """What players, or creatures, do again and again: by a clock (`every`) or after an event (`on`)."""

    do: Script
    each: Word | None = None
    pick: Word | None = None
    every: Span | None = None
    on: Word | None = None
    who: str | None = None
    by: str | None = None
    where: Formula | None = None
    delay: Span = (0.0,)
    when: Formula | None = None
    chance: Chance = 1.0
    after: Seconds = 0.0
    until: Positive | None = None
    times: Annotated[int, Field(ge=1)] | None = None


class End(Table):
    """When a session ends, by whichever comes first, and what is done then."""

    after: Positive
    on: Word | None = None
    who: str | None = None
    when: Formula | None = None
    lines: Script = ()


class Tally(Table):
    """A measure made of events: how many, the sum, best or least of a field, or the time of the first."""

    on: Word
    who: str | None = None
    by: str | None = None
    where: Formula | None = None
    sum: Word | None = None
    best: Word | None = None
    least: Word | None = None
    first: bool = False

    @property
    def ways(self) -> list[tuple[Way, str]]:
        """How it tallies; one way at most in a trial that was checked, and none is a count."""
        return ways_of(self.sum or "", self.best or "", self.least or "", first=self.first)


Measure = Formula | Tally


class TrialTables(Table):
    """A whole trial."""

    design: str = ""
    title: Text = ""
    set: dict[str, Any] = {}
    setup: Setup = Setup()
    players: dict[Word, dict[str, Number]] = {}
    habits: dict[Word, Habit] = {}
    end: End
    measures: dict[Word, Measure]
    over_time: dict[str, Any] = {}


class Trial:
    """A trial that was read: its tables, the design it is played on, and its source for messages."""

    tables: TrialTables
    design: Design
    source: Source
    file: FilePath | None

    def __init__(
        self, tables: TrialTables, design: Design, source: Source, file: FilePath | None = None
    ) -> None:
        self.tables, self.design, self.source, self.file = tables, design, source, file

    @property
    def title(self) -> str:
        """What it is called; the name of its file, where it says nothing."""
        return self.tables.title or self.source.name

    @property
    def players(self) -> dict[str, dict[str, float]]:
        """The inputs of each kind of player; one kind, "all", where it names none."""
        found = {
            name: {key: value for key, value in given.items() if key != "share"}
            for name, given in self.tables.players.items()
        }
        return found or {"all": {}}

    @property
    def shares(self) -> dict[str, float]:
        """The share of each kind of player in the audience; together 1."""
        given = {name: player.get("share", 1.0) for name, player in self.tables.players.items()} or {
            "all": 1.0
        }
        total = sum(given.values())
        return {name: share / total for name, share in given.items()}

    @property
    def every(self) -> float:
        """Seconds from one look over time to the next; 0 where nothing is looked at."""
        return float(self.tables.over_time.get("every", 0))

    @property
    def fan(self) -> dict[str, str]:
        """The formulas that are looked at over time, by name."""
        return {name: text for name, text in self.tables.over_time.items() if name != "every"}

    @property
    def data(self) -> dict[str, Any]:
        """The trial as plain data, with the design apart: what a worker is sent."""
        return dict(self.source.tree)

    def __repr__(self) -> str:
        return f"<Trial {self.title!r} on {self.design!r}>"
