"""Trial: what is played by chance, as it is written — a setup, kinds of players, habits, an end, measures.

A TOML file beside a design, made of script lines, formulas, paths and events (`tables`). Knows how it is
written, not whether it can be played; `loading` reads and checks it. Start at `Trial`.
"""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any

from cleaver.design.design import Design
from cleaver.design.reading import Source
from cleaver.lab.tables import TrialTables


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
