"""Kept: what is in a store, as tables. Start at `scores`."""

from __future__ import annotations

from cleaver.table import Table

TYPE_CHECKING = False  # the annotations are all that needs them
if TYPE_CHECKING:
    from typing import Any

    from cleaver.saves import HighScore, Store

PAGE = 10_000  # rows of a board that are read at once


def scores(store: Store, board: str = "", *, most: int | None = None) -> Table:
    """Return the high scores of a store, of one *board* or of all, the best *most* of each.

    The columns: `board`, `rank` (from 1; equal scores share one), `player`, `score`.

    Raises:
        SaveError: The store cannot be read.
    """
    rows: list[tuple[Any, ...]] = []
    for name in (board,) if board else store.boards():
        found: list[HighScore] = []
        while most is None or len(found) < most:
            size = PAGE if most is None else min(PAGE, most - len(found))
            page = store.high_scores(name, size, start=len(found))
            found += page
            if len(page) < size:
                break
        rows += [(name, row.rank, row.player, row.score) for row in found]
    return Table(("board", "rank", "player", "score"), rows)


def saves(store: Store) -> Table:
    """Return every player of a store.

    The columns: `player`, `revision`, `saved` (seconds since 1970), `bytes`, `in_use_by` (None for nobody).

    Raises:
        SaveError: The store cannot be read.
    """
    rows: list[tuple[Any, ...]] = []
    for player in store.players():
        kept = store.revisions(player)
        revision, saved, size = kept[0] if kept else (0, None, 0)
        holder = store.holder_of(player)
        rows.append((player, revision, saved, size, holder.name if holder is not None else None))
    return Table(("player", "revision", "saved", "bytes", "in_use_by"), rows)
