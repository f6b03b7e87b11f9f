"""A leaderboard of 100,000 players: a rank, a page and neighbours, beside looking one row up by its key, and
beside reading all of it and ranking it in Python."""

from __future__ import annotations

import random
import tempfile
from collections.abc import Callable
from pathlib import Path

from common import finish, ratio
from sqlalchemy import select

from cleaver import Design
from cleaver.saves import Store, open_store
from cleaver.saves.tables import boards

PLAYERS, BOARD, TIMES = 100_000, "dive", 50
MIDDLE = f"p{PLAYERS // 2}"


def all_ranked(store: Store) -> dict[str, int]:
    """Return everybody's rank, as a program would that keeps no order in its database."""
    with store.engine.connect() as connection:
        rows = connection.execute(
            select(boards.c.player, boards.c.score).where(boards.c.board == BOARD)
        ).all()
    ranks: dict[str, int] = {}
    last: tuple[int, int] = (-1, 0)
    for place, row in enumerate(sorted(rows, key=lambda row: -row.score), 1):
        last = last if row.score == last[0] else (row.score, place)
        ranks[row.player] = last[1]
    return ranks


def looked_up(store: Store) -> int:
    """Return one player's score, by the key of its row."""
    mine = select(boards.c.player, boards.c.score, boards.c.reached).where(
        boards.c.board == BOARD, boards.c.player == MIDDLE
    )
    with store.engine.connect().execution_options(reading=True) as connection:
        return int(connection.execute(mine).one().score)


def often(call: Callable[[], object]) -> Callable[[], None]:
    """Return what does something so often that it can be timed."""

    def all_of_them() -> None:
        for _ in range(TIMES):
            call()

    return all_of_them


def main() -> None:
    chance = random.Random(1)
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(f"sqlite:///{Path(folder) / 'boards.db'}", Design.from_dict({}))
        store.keep_scores(BOARD, {f"p{number}": chance.randrange(1_000_000) for number in range(PLAYERS)})
        row = store.rank_of(BOARD, MIDDLE)
        assert row is not None
        assert row.rank == all_ranked(store)[MIDDLE]
        assert row.score == looked_up(store)
        for what, call in (
            ("one's rank", lambda: store.rank_of(BOARD, MIDDLE)),
            ("the first ten", lambda: store.high_scores(BOARD, 10)),
            ("ten in the middle", lambda: store.high_scores(BOARD, 10, start=PLAYERS // 2)),
            ("five around one in the middle", lambda: store.scores_around(BOARD, MIDDLE)),
        ):
            ratio(
                f"{what} of 100,000: time, of a lookup by key",
                often(call),
                often(lambda: looked_up(store)),
                bar=3,
                each=TIMES,
            )
        ratio(
            "a rank of 100,000: faster than reading and ranking all",
            lambda: store.rank_of(BOARD, MIDDLE),
            lambda: all_ranked(store),
            bar=100,
            more=True,
            rounds=3,
        )
        store.close()
    finish()


if __name__ == "__main__":
    main()
