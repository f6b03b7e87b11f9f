"""References of clocks: what counts in turns, rounds and days stands where somebody's clock is. Start at
`refer_clock`.
"""

from __future__ import annotations

from cleaver.design import models

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.design.keys import KeyTable
    from cleaver.design.lines import Path
    from cleaver.design.reading import Source

WEEK = 7  # days


def takes_turns(tables: models.DesignTables) -> bool:
    """Return whether anybody in a design takes turns."""
    return any(actor.turns for actor in tables.actors.values())


def refer_clock(tables: models.DesignTables, source: Source, table: KeyTable, path: Path) -> None:
    """Tell where a table counts turns of somebody who takes none, or days that are no weeks."""
    if isinstance(table, models.Clocked) and table.clock == "turns":
        actor = tables.actors.get(str(path[1])) if path[0] == "actors" and path[-1] != "lasts" else None
        if actor is not None and not actor.turns:
            kind = path[1]
            source.tell(path, f"counts turns, and {kind} takes none", f"say so: [actors.{kind}] turns = true")
        elif not takes_turns(tables):
            source.tell(path, "counts turns, and nobody takes any", "say so of a kind: turns = true")
    elif isinstance(table, models.Open) and table.days[0] > table.days[1]:
        first, last = table.days
        source.tell((*path, "days"), f"goes from {first} back to {last}", "give the first day, then the last")
    elif (
        isinstance(table, (models.Days, models.QuestSet))
        and table.on is not None
        and (table.days or 1) % WEEK
    ):
        wrong = "stands without days" if table.days is None else f"stands beside {table.days} days"
        source.tell((*path, "on"), wrong, "give days = 7, or another number of whole weeks")
