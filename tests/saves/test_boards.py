"""Leaderboards: ranks, pages and neighbours equal those of a sorted list, after any writes."""

from __future__ import annotations

import threading
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select, text

from cleaver.saves import HighScore, Store, open_store
from cleaver.saves.boards import Boards
from cleaver.saves.tables import blocks
from saving import DESIGN

PLAYERS = [f"p{number}" for number in range(40)]
STEPS = st.one_of(
    st.tuples(st.just("keep"), st.dictionaries(st.sampled_from(PLAYERS), st.integers(-6, 6), max_size=20)),
    st.tuples(st.just("keep"), st.dictionaries(st.sampled_from(PLAYERS), st.integers(0, 10**9), max_size=3)),
    st.tuples(st.just("forget"), st.sampled_from(PLAYERS)),
    st.tuples(st.just("end"), st.just("")),
)


@pytest.fixture
def store(url: str) -> Any:
    with open_store(url, DESIGN) as opened:
        yield opened


def small_blocks(store: Store, size: int) -> Boards:
    """Return the boards of a store with blocks so small that they are split, emptied and joined all the
    time."""
    made = Boards(store.id, server=store.engine.dialect.name == "postgresql")
    made.places.size = size
    return made


def ranked(rows: dict[str, tuple[int, float]], lower: bool) -> list[HighScore]:
    """Return a board as a sorted list has it: equal scores share a rank, the earlier first."""
    order = sorted(rows.items(), key=lambda row: (row[1][0] if lower else -row[1][0], row[1][1], row[0]))
    scores = [score for _, (score, _) in order]
    return [HighScore(1 + scores.index(score), player, score) for player, (score, _) in order]


@pytest.mark.parametrize("lower", [False, True])
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(STEPS, max_size=25), st.sampled_from([1, 3, 8, 12]))
def test_a_board_is_what_a_sorted_list_is(store: Store, lower: bool, steps: list[Any], size: int) -> None:
    made = small_blocks(store, size)
    rows: dict[str, tuple[int, float]] = {}
    with store.engine.connect() as connection, connection.begin() as transaction:
        for now, (what, given_) in enumerate(steps):
            if what == "keep":
                better = made.keep(connection, "dive", given_, float(now // 2), lower)
                for player, score in given_.items():
                    old = rows.get(player)
                    assert better[player] == (old is None or (score < old[0] if lower else score > old[0]))
                    if better[player]:
                        rows[player] = (score, float(now // 2))
            elif what == "forget":
                assert made.forget(connection, given_) >= (given_ in rows)
                rows.pop(given_, None)
            elif rows:
                made.end_season(connection, "dive", f"s{now}")
                rows.clear()
            wanted = ranked(rows, lower)
            assert made.page(connection, "dive", 0, 100) == wanted
            for place, row in enumerate(wanted):
                assert made.rank(connection, "dive", row.player) == row
                assert made.page(connection, "dive", place, 2) == wanted[place : place + 2]
                near = made.around(connection, "dive", row.player, 2)
                assert near == wanted[max(place - 2, 0) : place + 3]
            assert made.page(connection, "dive", len(wanted), 5) == []
            assert made.wrong(connection) == []
        transaction.rollback()


def test_a_block_with_few_rows_left_becomes_one_with_that_before(store: Store) -> None:
    made = small_blocks(store, 8)
    with store.engine.connect() as connection, connection.begin() as transaction:
        made.keep(connection, "dive", {f"p{number:02}": number for number in range(40)}, 0.0, None)
        sizes = select(blocks.c.size).order_by(blocks.c.points)
        assert list(connection.execute(sizes).scalars()) == [8, 8, 8, 8, 8]
        for number in range(24, 31):  # one is left in the second
            made.forget(connection, f"p{number}")
        assert list(connection.execute(sizes).scalars()) == [9, 8, 8, 8]
        assert made.rank(connection, "dive", "p00") == HighScore(33, "p00", 0)
        assert made.page(connection, "dive", 8, 2) == [HighScore(9, "p31", 31), HighScore(10, "p23", 23)]
        assert made.wrong(connection) == []
        transaction.rollback()


def test_ties_by_hand(store: Store) -> None:
    store.keep_scores("dive", {"cid": 7, "ana": 7, "bea": 9, "dee": 7, "eve": 1})
    board = store.high_scores("dive")
    assert [(row.rank, row.player) for row in board] == [
        (1, "bea"), (2, "ana"), (2, "cid"), (2, "dee"), (5, "eve")
    ]  # fmt: skip
    assert store.high_scores("dive", 2, start=2) == board[2:4]  # its rank is that of a row before the page
    assert store.scores_around("dive", "dee", 1) == board[2:5]
    assert store.rank_of("dive", "dee") == HighScore(2, "dee", 7)
    assert store.rank_of("dive", "fay") is None
    assert store.rank_of("lap", "ana") is None
    assert store.high_scores("dive", 3, start=5) == []


def test_many_scores_kept_at_once_and_one_by_one_are_one_board(store: Store) -> None:
    scores = {f"p{number}": number * 7919 % 1009 for number in range(3_000)}
    store.keep_scores("once", scores)
    half = dict(list(scores.items())[:1_500])
    store.keep_scores("parts", half)
    for start in range(0, 1_500, 100):
        store.keep_scores("parts", dict(list(scores.items())[1_500 + start : 1_600 + start]))
    for place in (0, 1, 1_023, 1_024, 2_047, 2_999):
        (row,) = store.high_scores("once", 1, start=place)
        assert row.rank == 1 + sum(score > row.score for score in scores.values())
        (other,) = store.high_scores("parts", 1, start=place)
        assert (other.rank, other.score) == (row.rank, row.score)
    assert list(store.verify()) == []


def test_rows_deleted_by_hand_are_told_and_counted_anew(store: Store) -> None:
    store.keep_scores("dive", {"ana": 3, "bea": 5, "cid": 1})
    with store.engine.begin() as connection:
        connection.execute(text("DELETE FROM cleaver_scores WHERE player = 'bea'"))
    wrong = "the row counts of the board dive do not match its rows; run store.recount('dive')"
    assert list(store.verify()) == [("", wrong)]
    store.recount("dive")
    assert list(store.verify()) == []
    assert store.rank_of("dive", "cid") == HighScore(2, "cid", 1)


def test_a_score_is_kept_also_where_most_rows_were_deleted_by_hand(store: Store) -> None:
    made = small_blocks(store, 4)
    with store.engine.connect() as connection, connection.begin() as transaction:
        for number in range(8):
            made.keep(connection, "dive", {f"p{number}": number}, 0.0, None)
        connection.execute(text("DELETE FROM cleaver_scores WHERE score > 1"))
        made.keep(connection, "dive", {"ana": 5}, 0.0, None)
        assert made.rank(connection, "dive", "p0") == HighScore(3, "p0", 0)
        assert made.wrong(connection) == []
        transaction.rollback()


def test_many_that_keep_scores_at_a_time_are_all_counted(url: str) -> None:
    with open_store(url, DESIGN) as first, open_store(url, DESIGN) as second:

        def play(store: Store, name: str) -> None:
            for number in range(40):
                store.keep_scores("dive", {f"{name}{number}": number, "ana": number, "bea": 40 - number})
                if number % 10 == 9:
                    store.forget(f"{name}{number}")

        threads = [
            threading.Thread(target=play, args=(store, f"{name}-"))
            for store, name in ((first, "a"), (second, "b"), (first, "c"), (second, "d"))
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert len(first.high_scores("dive", 1_000)) == 4 * 36 + 2
        assert first.rank_of("dive", "bea") == HighScore(1, "bea", 40)
        assert list(second.verify()) == []
