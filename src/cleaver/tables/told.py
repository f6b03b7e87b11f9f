"""Told: what happened in a world, as tables. Start at `events`."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from cleaver.table import Table

TYPE_CHECKING = False  # the annotations are all that needs them
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.goods.books import Books
    from cleaver.core.kernel.events import Event
    from cleaver.core.world import World


def events(told: World | Iterable[Event]) -> Table:
    """Return events as a table, oldest first: those a world keeps, or any of them.

    The columns: `seq`, `time` (seconds), `name`, `actor`, `source`, `credit`, `cause` (the `seq` of what it
    followed from, 0 for a command), then the fields of each kind of event, in the order in which they first
    come.
    """
    rows: list[Event] = list(getattr(told, "events", told))  # type: ignore[arg-type]  # no world by then
    own = dict.fromkeys(field for event in rows for field in event.fields())
    found = [
        (
            *(event.seq, event.time, event.name, event.actor, event.source, event.credit, event.cause),
            *map(event.fields().get, own),
        )
        for event in rows
    ]
    return _made(("seq", "time", "name", "actor", "source", "credit", "cause", *own), found)


def books(kept: World | Books) -> Table:
    """Return the gains (+) and losses (−) of goods that a world keeps, oldest first: `time` (seconds),
    `holder`, `good`, `amount`, `reason`."""
    found: Books = getattr(kept, "books", kept)  # type: ignore[arg-type]  # a world, or its books
    return Table(("time", "holder", "good", "amount", "reason"), found.lines)


def _made(columns: Sequence[str], rows: list[tuple[Any, ...]]) -> Table:
    """Return a table whose columns hold one type each."""
    kinds: list[set[bool]] = [set() for _ in columns]
    for row in rows:
        for kind, value in zip(kinds, row, strict=True):
            if value is not None:
                kind.add(isinstance(value, str))
    mixed = [len(kind) > 1 for kind in kinds]
    return Table(
        columns,
        (
            tuple(
                str(value) if text and value is not None else value
                for value, text in zip(row, mixed, strict=True)
            )
            for row in rows
        ),
    )
