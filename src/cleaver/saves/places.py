"""Places: how many rows of a leaderboard stand before one, without counting them all. Start at `SavePlaces`.

The rows of a board stand in one order: points (fewer are better), when they were reached, player. They are
counted in blocks of some hundreds, each known by where it begins. So a rank is the sum over the blocks
before, and a count within one; both are read by an index. What is kept, moved or deleted changes the counts
in the same transaction.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple
from zlib import crc32

from sqlalchemy import (
    Column,
    Connection,
    Table,
    bindparam,
    delete,
    func,
    insert,
    select,
    text,
    tuple_,
    update,
)

from cleaver.saves.tables import blocks, boards

SIZE = 1024  # rows of a block that was made anew; one of more than twice as many is split
_LOCK = 0x426F6172  # of PostgreSQL's advisory locks: who writes to a board


class SaveKey(NamedTuple):
    """Where a row stands on its board: the lesser key is before."""

    points: int
    reached: float
    player: str


BEGINNING = SaveKey(-(2**63), 0.0, "")  # where the first block begins, before every row

_ORDER = ", ".join(SaveKey._fields)
_BACKWARDS = ", ".join(f"{column} DESC" for column in SaveKey._fields)
_HERE = f"FROM {boards.name} WHERE board = :board"  # names of our own tables
_BLOCKS = f"FROM {blocks.name} WHERE board = :board"
_KEY = f"({_ORDER})"
_ROWS = f"SELECT {_ORDER}, score {_HERE} AND {_KEY}"


def _of(part: str) -> str:
    """Return SQL for the key in a part of a statement, so that both databases compare it by their index."""
    return "(" + ", ".join(f"(SELECT {column} FROM {part})" for column in SaveKey._fields) + ")"


def _better(points: str) -> str:
    """Return SQL for how many rows have fewer points; the part ``block`` must be as `_block` makes it."""
    return (
        f"(SELECT coalesce(sum(size), 0) {_BLOCKS} AND {_KEY} < {_of('block')})"
        f" + (SELECT count(*) {_HERE} AND {_KEY} >= {_of('block')} AND points < {points})"
    )


def _block(points: str) -> str:
    """Return SQL for the block in which the rows with fewer points end."""
    return f"block AS (SELECT {_ORDER} {_BLOCKS} AND points < {points} ORDER BY {_BACKWARDS} LIMIT 1)"


_RANK = text(
    f"WITH mine AS (SELECT points, score {_HERE} AND player = :player), "
    f"{_block('(SELECT points FROM mine)')} "
    f"SELECT score, {_better('(SELECT points FROM mine)')} AS better FROM mine"
)
_BETTER = text(f"WITH {_block(':points')} SELECT {_better(':points')}")
_BLOCK_AT = text(
    f"SELECT {_ORDER}, before FROM (SELECT {_ORDER},"
    f" CAST(sum(size) OVER (ORDER BY {_ORDER}) - size AS BIGINT) AS before {_BLOCKS}) AS counted"
    f" WHERE before <= :start ORDER BY {_BACKWARDS} LIMIT 1"
)
# A statement of its own: as a part of one, SQLite would look for the block once for each of its columns.
_PAGE = text(f"{_ROWS} >= (:points, :reached, :player) ORDER BY {_ORDER} LIMIT :limit OFFSET :start")
_AROUND = text(
    f"WITH mine AS (SELECT {_ORDER} {_HERE} AND player = :player), "
    f"above AS ({_ROWS} < {_of('mine')} ORDER BY {_BACKWARDS} LIMIT :each), "
    f"below AS ({_ROWS} >= {_of('mine')} ORDER BY {_ORDER} LIMIT :each + 1) "
    f"SELECT * FROM above UNION ALL SELECT * FROM below ORDER BY {_ORDER}"
)


class SavePlaces:
    """Where the rows of boards stand; each call is given the transaction it works in.

    Args:
        size: Rows of a block.
    """

    def __init__(self, size: int = SIZE) -> None:
        self.size = size

    def lock(self, connection: Connection, board: str) -> None:
        """Be the only one who writes to a board until the transaction ends; before any row is looked at."""
        if connection.dialect.name == "postgresql":  # SQLite lets one write at a time
            connection.execute(
                text("SELECT pg_advisory_xact_lock(:space, :board)"),
                {"space": _LOCK, "board": crc32(board.encode()) - 2**31},
            )

    # reading

    def rank(self, connection: Connection, board: str, player: str) -> tuple[int, int] | None:
        """Return (score, how many have a better one) of a player; None where it has no row."""
        row = connection.execute(_RANK, {"board": board, "player": player}).first()
        return None if row is None else (int(row.score), int(row.better))

    def better(self, connection: Connection, board: str, points: int) -> int:
        """Return how many rows have fewer points."""
        return int(connection.execute(_BETTER, {"board": board, "points": points}).scalar() or 0)

    def page(self, connection: Connection, board: str, start: int, limit: int) -> list[Any]:
        """Return *limit* rows from place *start* (0 is the first)."""
        block = connection.execute(_BLOCK_AT, {"board": board, "start": start}).first()
        if block is None:
            return []
        begins = SaveKey(block.points, block.reached, block.player)._asdict()
        asked = {**begins, "board": board, "limit": limit, "start": start - block.before}
        return list(connection.execute(_PAGE, asked).all())

    def around(self, connection: Connection, board: str, player: str, each: int) -> list[Any]:
        """Return a player's row with up to *each* before and after it; none where it has no row."""
        asked = {"board": board, "player": player, "each": each}
        return list(connection.execute(_AROUND, asked).all())

    # writing

    def changed(
        self, connection: Connection, board: str, gone: Iterable[SaveKey], come: Iterable[SaveKey]
    ) -> None:
        """Count what went from a board, and what came to it."""
        change = Counter(come)
        change.subtract(gone)
        if not any(change.values()):
            return
        if len(change) > self.size and len(change) * 4 > self._counted(connection, board):
            self.recount(connection, board)
            return
        starts = self._starts(connection, board, min(change), max(change))
        sizes = Counter[SaveKey]()
        for key, count in change.items():
            sizes[starts[bisect_right(starts, key) - 1]] += count
        connection.execute(
            update(blocks).where(_this(board)).values(size=blocks.c.size + bindparam("more")),
            [{**_named(start), "more": more} for start, more in sizes.items()],
        )
        for start in sizes:
            self._balance(connection, board, start)

    def recount(self, connection: Connection, board: str) -> None:
        """Count the rows of a board anew."""
        connection.execute(delete(blocks).where(blocks.c.board == board))
        rows = self._cut(connection, board)
        made = [
            {"board": board, **key._asdict(), "size": size}
            for key, size in ([(BEGINNING, rows[0][1]), *rows[1:]] if rows else [])
        ]
        if made:
            connection.execute(insert(blocks), made)
        if connection.dialect.name == "postgresql":
            # So many rows are news to its planner, which would sort a board instead of using the index.
            connection.execute(text(f"ANALYZE {boards.name}"))

    def rename(self, connection: Connection, board: str, name: str) -> None:
        """Let the counts go on under another name of the board."""
        connection.execute(update(blocks).where(blocks.c.board == board).values(board=name))

    def _counted(self, connection: Connection, board: str) -> int:
        counted = select(func.coalesce(func.sum(blocks.c.size), 0)).where(blocks.c.board == board)
        return int(connection.execute(counted).scalar() or 0)

    def _starts(self, connection: Connection, board: str, first: SaveKey, last: SaveKey) -> list[SaveKey]:
        """Return where the blocks begin in which rows from *first* to *last* stand."""
        here = select(*_columns(blocks)).where(blocks.c.board == board)
        backwards = [column.desc() for column in _columns(blocks)]
        row = connection.execute(here.where(_place(blocks) <= first).order_by(*backwards).limit(1)).first()
        found = BEGINNING if row is None else SaveKey(*row)
        if row is None:  # the board had no row yet
            connection.execute(insert(blocks).values(board=board, **found._asdict(), size=0))
        between = here.where(_place(blocks) > found, _place(blocks) <= last)
        return sorted([found, *(SaveKey(*row) for row in connection.execute(between))])

    def _balance(self, connection: Connection, board: str, start: SaveKey) -> None:
        """Split a block that has grown too large; let one with few rows left be one with that before."""
        size = connection.execute(select(blocks.c.size).where(_this(board)), _named(start)).scalar()
        if size is None:  # went to the one before already
            return
        if size > 2 * self.size:
            self._split(connection, board, start, size)
        elif size < self.size // 4 and start != BEGINNING:
            connection.execute(delete(blocks).where(_this(board)), _named(start))
            (before,) = self._starts(connection, board, start, start)
            grown = update(blocks).where(_this(board)).values(size=blocks.c.size + size)
            connection.execute(grown, _named(before))
            self._balance(connection, board, before)

    def _split(self, connection: Connection, board: str, start: SaveKey, size: int) -> None:
        left, made = size, [start]
        while left > 2 * self.size:
            here = select(*_columns(boards)).where(boards.c.board == board, _place(boards) >= made[-1])
            row = connection.execute(here.order_by(*_columns(boards)).offset(self.size).limit(1)).first()
            if row is None:  # rows were deleted by hand: nobody's score is refused for that
                self.recount(connection, board)
                return
            made.append(SaveKey(*row))
            left -= self.size
        connection.execute(update(blocks).where(_this(board)).values(size=self.size), _named(start))
        connection.execute(
            insert(blocks),
            [
                {"board": board, **key._asdict(), "size": left if key is made[-1] else self.size}
                for key in made[1:]
            ],
        )

    def _cut(self, connection: Connection, board: str) -> list[tuple[SaveKey, int]]:
        """Return where blocks of the usual size would begin now, with how many rows each has."""
        number = func.row_number().over(order_by=_columns(boards)).label("number")
        rows = select(*_columns(boards), number).where(boards.c.board == board).subquery()
        first = select(rows).where(rows.c.number % self.size == (1 % self.size)).order_by(rows.c.number)
        starts = [SaveKey(*row[:3]) for row in connection.execute(first)]
        total = connection.execute(select(func.count()).where(boards.c.board == board)).scalar() or 0
        return [(key, min(self.size, total - at * self.size)) for at, key in enumerate(starts)]

    # checking

    def wrong(self, connection: Connection) -> Iterator[str]:
        """Yield the boards whose rows are no longer as many as were counted."""
        counted: dict[str, list[tuple[SaveKey, int]]] = {}
        for row in connection.execute(select(blocks)):
            key = SaveKey(row.points, row.reached, row.player)
            counted.setdefault(row.board, []).append((key, row.size))
        there: dict[str, list[SaveKey]] = {}
        for row in connection.execute(select(boards)):
            there.setdefault(row.board, []).append(SaveKey(row.points, row.reached, row.player))
        for board in sorted({*counted, *there}):
            starts = [start for start, _ in sorted(counted.get(board, ()))]
            found = Counter(bisect_right(starts, key) - 1 for key in there.get(board, ()))
            if any(found[at] != size for at, (_, size) in enumerate(sorted(counted.get(board, ())))) or (
                there.get(board) and not starts
            ):
                yield board


def _columns(table: Table) -> list[Column[Any]]:
    return [table.c[name] for name in SaveKey._fields]


def _place(table: Table) -> Any:
    return tuple_(*_columns(table))


def _this(board: str) -> Any:
    """Return what is true of one block, whose start is given as `_named` has it."""
    start = tuple_(*(bindparam(f"at_{name}", type_=blocks.c[name].type) for name in SaveKey._fields))
    return (blocks.c.board == board) & (_place(blocks) == start)


def _named(start: SaveKey) -> dict[str, Any]:
    return {f"at_{name}": value for name, value in start._asdict().items()}
