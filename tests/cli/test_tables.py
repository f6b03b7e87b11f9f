"""Events, books, scores and saves as tables: what is in them, as DataFrame, CSV and Parquet, and from the commands."""

from __future__ import annotations

import csv
import io
from pathlib import Path
from typing import Any

import pandas
import pytest

import cleaver
from cleaver import tables
from helpers import DIVE, REEF, run

DESIGN = cleaver.load_design(REEF)
URL = "sqlite:///saves.db"


def fought() -> cleaver.World:
    world = cleaver.World(DESIGN, seed=7)
    ana, eel = world.join("diver", "ana", team="north"), world.spawn("eel", "eel1")
    eel.hit(ana, "sting", zone="visor", charge=0.5, crit=False)
    world.advance(1)
    ana.earn("scrip", 6, reason="wages")
    ana.spend("scrip", 2)
    world.set_team(ana, "south")
    return world


def test_events_are_rows_with_what_each_kind_has() -> None:
    world = fought()
    table = tables.events(world)

    assert table.columns[:7] == ("seq", "time", "name", "actor", "source", "credit", "cause")
    rows = [dict(zip(table.columns, row, strict=True)) for row in table]
    assert [row["name"] for row in rows] == [event.name for event in world.events]
    hurt = next(row for row in rows if row["name"] == "damaged")
    assert (hurt["actor"], hurt["source"], hurt["amount"], hurt["zone"], hurt["balance"]) == (
        *("ana", "eel1", 12.5, "visor"),
        None,
    )
    # `before` is a number in one event and a team in another: all of it is text then.
    assert (hurt["before"], rows[-1]["before"]) == ("90.0", "north")
    assert tables.events(world.events[:2]).rows == [
        (1, 0.0, "joined", "ana", "", "", 0),
        (2, 0.0, "joined", "eel1", "", "", 0),
    ]


def test_books_are_rows(tmp_path: Path) -> None:
    table = tables.books(fought())

    assert table.rows == [(1.0, "ana", "scrip", 6, "wages"), (1.0, "ana", "scrip", -2, "spend")]
    assert table.to_csv() == "time,holder,good,amount,reason\n1.0,ana,scrip,6,wages\n1.0,ana,scrip,-2,spend\n"
    assert fought().books.to_frame()["amount"].tolist() == [6, -2]


@pytest.mark.parametrize("name", ["events", "books"])
def test_a_table_comes_back_from_csv_and_parquet_as_it_was(tmp_path: Path, name: str) -> None:
    table = getattr(tables, name)(fought())
    frame = table.to_frame()
    table.write(tmp_path / "it.csv")
    table.write(tmp_path / "it.parquet")

    pandas.testing.assert_frame_equal(pandas.read_parquet(tmp_path / "it.parquet"), frame, check_dtype=False)
    rows = list(csv.reader(io.StringIO((tmp_path / "it.csv").read_text("utf-8"))))
    assert tuple(rows[0]) == table.columns
    assert rows[1:] == [["" if value is None else str(value) for value in row] for row in table]
    assert frame.columns.tolist() == list(table.columns)
    assert str(frame["time"].dtype) == "Float64" or str(frame["time"].dtype) == "Int64"


def test_what_csv_must_quote_is_quoted(tmp_path: Path) -> None:
    table = tables.Table(("a", "b"), [('say "hi", ana', 1), ("two\nlines", None), ("=1+2", 2.5)])

    assert list(csv.reader(io.StringIO(table.to_csv()))) == [
        ["a", "b"],
        ['say "hi", ana', "1"],
        ["two\nlines", ""],
        ["'=1+2", "2.5"],  # a text, in a spreadsheet too
    ]
    with pytest.raises(cleaver.UsageError, match=r"\.csv or \.parquet"):
        table.write(tmp_path / "it.xls")
    with pytest.raises(OSError):
        table.write(tmp_path / "gone" / "it.csv")


@pytest.fixture
def store(tmp_path: Path) -> Path:
    with cleaver.open_store(f"sqlite:///{tmp_path}/saves.db", DESIGN) as kept:
        kept.keep_scores("deepest", {"ana": 30, "bea": 42, "cyd": 30})
        kept.keep_scores("fastest", {"bea": 9}, lower_is_better=True)
        kept.save(cleaver.Profile("ana", 1, {}))
    return tmp_path


def test_scores_and_saves_are_rows(store: Path) -> None:
    with cleaver.open_store(f"sqlite:///{store}/saves.db", DESIGN) as kept:
        assert tables.scores(kept).rows == [
            ("deepest", 1, "bea", 42),
            ("deepest", 2, "ana", 30),
            ("deepest", 2, "cyd", 30),
            ("fastest", 1, "bea", 9),
        ]
        assert tables.scores(kept, "fastest").rows == [("fastest", 1, "bea", 9)]
        assert [row[:2] for row in tables.saves(kept)] == [("ana", 1)]


def test_the_best_of_a_board_are_read_without_the_rest(store: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[int] = []
    with cleaver.open_store(f"sqlite:///{store}/saves.db", DESIGN) as kept:
        whole = kept.high_scores

        def high_scores(board: str, limit: int = 10, *, start: int = 0) -> Any:
            asked.append(limit)
            return whole(board, limit, start=start)

        monkeypatch.setattr(kept, "high_scores", high_scores)
        assert tables.scores(kept, "deepest", most=1).rows == [("deepest", 1, "bea", 42)]
        assert len(tables.scores(kept, "deepest", most=9)) == 3
    assert asked == [1, 9]
    out = run("saves", "scores", REEF, "--store", URL, "--limit", "1", "--table", "all.csv", cwd=store)[1]
    assert [line.split()[0] for line in out.splitlines()] == ["board", "deepest", "fastest"]
    assert len((store / "all.csv").read_text("utf-8").splitlines()) == 1 + 4


def test_a_table_is_written_whole_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("it.csv", "it.parquet"):
        (tmp_path / name).write_text("before", "utf-8")
        with monkeypatch.context() as patched:
            patched.setattr(Path, "replace", lambda self, target: 1 / 0)
            with pytest.raises(ZeroDivisionError):
                tables.Table(("a",), [(1,)]).write(tmp_path / name)
        assert [file.name for file in tmp_path.iterdir()] == [name]
        assert (tmp_path / name).read_text("utf-8") == "before"
        (tmp_path / name).unlink()


def test_every_score_is_there_also_beyond_a_page(store: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("cleaver.tables.kept.PAGE", 2)
    with cleaver.open_store(f"sqlite:///{store}/saves.db", DESIGN) as kept:
        assert len(tables.scores(kept, "deepest")) == 3


@pytest.mark.long
def test_the_commands_write_tables(store: Path) -> None:
    code, out, _ = run("saves", "scores", REEF, "--store", URL, cwd=store)
    assert code == 0
    assert [line.split() for line in out.splitlines()[:2]] == [
        ["board", "rank", "player", "score"],
        ["deepest", "1", "bea", "42"],
    ]
    assert (
        run("saves", "scores", REEF, "deepest", "--store", URL, "--table", "-", cwd=store)[1].splitlines()[1]
        == "deepest,1,bea,42"
    )
    code, _, err = run("saves", "scores", REEF, "depest", "--store", URL, cwd=store)
    assert (code, "did you mean 'deepest'" in err) == (2, True)
    assert run("saves", "list", REEF, "--store", URL, "--table", "saves.parquet", cwd=store)[0] == 0
    assert pandas.read_parquet(store / "saves.parquet")["player"].tolist() == ["ana"]

    code, out, err = run("play", REEF, DIVE, "--events", "events.csv", "--books", "-", cwd=store)
    assert code == 0
    assert out.splitlines()[:2] == ["time,holder,good,amount,reason", "4.0,ana,scrip,6,haul"]
    assert "6 of 6 expectations hold" in err
    events = pandas.read_csv(store / "events.csv")
    assert (events["name"] == "damaged").sum() == 18


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("--events", "events.xls"), "must end in .csv or .parquet"),
        (("--events", "-", "--books", "-"), "- can hold one table only"),
        (("--events", "it.csv", "--books", "it.csv"), "it.csv can hold one table only"),
        (("--events", "-", "--format", "json"), "JSON and a table cannot both go"),
    ],
)
def test_a_table_that_cannot_be_is_refused_before_anything_is_played(
    tmp_path: Path, words: Any, told: str
) -> None:
    code, out, err = run("play", REEF, DIVE, *words, cwd=tmp_path)

    assert (code, out) == (2, "")
    assert told in err
