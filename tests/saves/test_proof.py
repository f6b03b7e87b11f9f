"""A proof that nothing acknowledged is missing: chains, counters, files that were moved, replaced or merged."""

from __future__ import annotations

import os
import random
import shutil
import signal
import sqlite3
from collections.abc import Callable
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text

from cleaver import (
    Profile,
    ProfileDamagedError,
    SaveError,
    StoreCorruptError,
    StoreUnavailableError,
    UsageError,
    World,
)
from cleaver.saves import Autosaver, DamagedProfile, Found, HighScore, open_store
from cleaver.saves.chain import CommitCounter
from helpers import Clock, run
from saving import DESIGN, scrip


def noted(amount: int, note: str) -> Profile:
    """Return a profile with a long note, so that a store grows."""
    return Profile("ana", 1, {"currencies": {"scrip": amount}, "notes": {"text": note}})


def made(path: Path, count: int = 6, players: tuple[str, ...] = ("ana", "bea")) -> Path:
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        for player in players:
            for amount in range(1, count + 1):
                store.save(scrip(amount, player))
    return path


def changed(path: Path, *statements: str) -> None:
    connection = sqlite3.connect(path, isolation_level=None)
    for statement in statements:
        connection.execute(statement)
    connection.close()


def forked(work: Callable[[], None]) -> None:
    """Do something in a process that is killed after it."""
    child = os.fork()
    if child == 0:
        try:
            work()
        finally:
            os.kill(os.getpid(), signal.SIGKILL)
    os.waitpid(child, 0)


# chains

HEAD = "UPDATE cleaver_profiles SET"


@pytest.mark.parametrize(
    ("statement", "told"),
    [
        (f"{HEAD} revision = 3 WHERE player = 'ana'", "its row says revision 3, and revision 6 is there"),
        (f"{HEAD} revision = 0 WHERE player = 'ana'", "its row says revision 0, and revision 6 is there"),
        (f"{HEAD} chain = 'x' WHERE player = 'ana'", "revision 6 is not the one that was saved last"),
        ("DELETE FROM cleaver_profiles WHERE player = 'ana'", "but not its row"),
    ],
)
def test_a_row_that_does_not_fit_its_generations_is_told_and_not_written_over(
    tmp_path: Path, statement: str, told: str
) -> None:
    path = made(tmp_path / "saves.db")
    changed(path, statement)
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        found = store.load("ana")
        assert isinstance(found, DamagedProfile)
        assert told in "; ".join(found.tried)
        assert any(player == "ana" and told in what for player, what in store.verify())
        with pytest.raises(ProfileDamagedError):
            store.hold("ana")
        assert store.save(scrip(9, "bea")).revision == 7
        assert store.restore("ana", 5).revision == 7  # by hand, it can be put right
        assert store.read("ana") == scrip(5)
        assert [problem for problem in store.verify() if problem[0] == "ana"] == []


def test_rows_of_another_store_are_no_saves_of_this_one(tmp_path: Path) -> None:
    path, other = made(tmp_path / "saves.db"), made(tmp_path / "other.db", 9)
    tables = ("cleaver_generations", "cleaver_profiles")
    copies = [f"INSERT OR REPLACE INTO {name} SELECT * FROM o.{name} WHERE player = 'ana'" for name in tables]
    changed(path, f"ATTACH '{other}' AS o", *copies)
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        found = store.load("ana")
        assert isinstance(found, DamagedProfile)
        assert all("another store's" in why for why in found.tried)
        assert {what for player, what in store.verify()} == {
            f"revision {number}: it is another store's, or was altered" for number in range(6, 10)
        }


def test_an_older_generation_under_a_newer_number_is_damage(tmp_path: Path) -> None:
    path = made(tmp_path / "saves.db")
    old = "(SELECT {0} FROM cleaver_generations WHERE player = 'ana' AND revision = 4)"
    columns = ("body", "checksum", "before", "chain")
    sets = ", ".join(f"{name} = {old.format(name)}" for name in columns)
    changed(path, f"UPDATE cleaver_generations SET {sets} WHERE player = 'ana' AND revision = 6")
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        assert isinstance(store.load("ana"), DamagedProfile)


def test_numbers_beyond_all_bounds_are_a_damaged_store(tmp_path: Path) -> None:
    path = made(tmp_path / "saves.db")
    changed(path, f"{HEAD} fence = {2**63 - 1} WHERE player = 'ana'")
    with (
        open_store(f"sqlite:///{path}", DESIGN) as store,
        pytest.raises(StoreCorruptError, match="nothing was written"),
    ):
        store.hold("ana")


@pytest.mark.parametrize("table", ["cleaver_meta", "cleaver_profiles", "cleaver_quarantine"])
def test_a_store_that_lacks_a_table_is_left_alone(tmp_path: Path, table: str) -> None:
    path = made(tmp_path / "saves.db")
    changed(path, f"DROP TABLE {table}")
    with pytest.raises(StoreCorruptError, match=f"has no table {table}"):
        open_store(f"sqlite:///{path}", DESIGN)


def test_a_row_of_a_leaderboard_that_was_altered_is_told(tmp_path: Path) -> None:
    path = tmp_path / "saves.db"
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        store.keep_scores("dive", {"ana": 10, "bea": 20})
    changed(path, "UPDATE cleaver_scores SET score = 999 WHERE player = 'ana'")
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        assert list(store.verify()) == [("ana", "its row on the board dive is not as it was written")]


def as_layout_2(url: str) -> None:
    """Let a store be as one of an older version: leaderboards in another table, which has no order."""
    engine = create_engine(url)
    with engine.begin() as connection:
        for statement in (
            "CREATE TABLE cleaver_boards (board VARCHAR(100), player VARCHAR(200), score BIGINT NOT NULL, "
            "reached DOUBLE PRECISION NOT NULL, seal VARCHAR(64), PRIMARY KEY (board, player))",
            "INSERT INTO cleaver_boards SELECT board, player, score, reached, seal FROM cleaver_scores",
            "DROP TABLE cleaver_scores",
            "DROP TABLE cleaver_score_blocks",
            *(f"ALTER TABLE cleaver_audit DROP COLUMN {name}" for name in ("why", "before", "after")),
            "UPDATE cleaver_meta SET value = '2' WHERE key = 'layout'",
        ):
            connection.execute(text(statement))
    engine.dispose()


def test_a_store_of_layout_1_is_brought_up_to_date_and_loses_nothing(url: str) -> None:
    with open_store(url, DESIGN) as store:
        for amount in range(1, 7):
            store.save(scrip(amount))
        store.keep_score("dive", "bea", 9)
        path = store.path
    as_layout_2(url)
    later = {
        "cleaver_profiles": ("chain", "wanted"),
        "cleaver_generations": ("before", "chain"),
        "cleaver_holders": ("machine", "namespace", "process", "started"),
        "cleaver_boards": ("seal",),
    }
    drops = [f"ALTER TABLE {table} DROP COLUMN {name}" for table, names in later.items() for name in names]
    engine = create_engine(url)
    with engine.begin() as connection:
        for statement in (
            *drops,
            "DROP TABLE cleaver_audit",
            "DELETE FROM cleaver_meta WHERE key = 'commits' OR key LIKE 'board:%'",
            "UPDATE cleaver_meta SET value = '1' WHERE key = 'layout'",
        ):
            connection.execute(text(statement))
    engine.dispose()
    if path is not None:
        path.with_name(f"{path.name}.count").unlink()
    with pytest.raises(UsageError, match="older layout.*open it once with your game"):
        open_store(url, DESIGN, read_only=True)
    with open_store(url, DESIGN) as store:
        assert store.read("ana") == scrip(6)
        assert store.save(scrip(7)).revision == 7
        store.keep_score("dive", "ana", 3)
        assert [row.player for row in store.high_scores("dive")] == ["bea", "ana"]
        assert list(store.verify()) == []
    with open_store(url, DESIGN) as store:
        assert store.read("ana") == scrip(7)


def test_leaderboards_of_layout_2_keep_their_rows_order_seals_and_direction(url: str) -> None:
    with open_store(url, DESIGN) as store:
        store.keep_scores("dive", {"ana": 5, "bea": 9, "cid": 9})
        store.keep_scores("lap", {"ana": 61_250, "bea": 60_001}, lower_is_better=True)
        store.end_season("lap", "spring")
        before = {name: store.high_scores(name) for name in store.boards()}
    as_layout_2(url)
    with pytest.raises(UsageError, match="older layout.*open it once with your game"):
        open_store(url, DESIGN, read_only=True)
    with open_store(url, DESIGN) as store:
        assert {name: store.high_scores(name) for name in store.boards()} == before
        assert before["dive"] == [HighScore(1, "bea", 9), HighScore(1, "cid", 9), HighScore(3, "ana", 5)]
        assert before["lap/spring"] == [HighScore(1, "bea", 60_001), HighScore(2, "ana", 61_250)]
        assert list(store.verify()) == []
        with pytest.raises(UsageError, match="higher is better"):
            store.keep_score("dive", "dee", 3, lower_is_better=True)


# counters


def hot(path: Path, saves: int) -> None:
    """Let a game save so often, and be killed with all of it in the log."""

    def game() -> None:
        held = open_store(f"sqlite:///{path}", DESIGN).hold("ana")
        for amount in range(1, saves + 1):
            held.save(noted(amount, "x" * 300))

    forked(game)


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_a_log_that_was_taken_away_after_a_kill_is_told(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    path = tmp_path / "saves.db"
    hot(path, 20)
    path.with_name("saves.db-wal").unlink()
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        assert "saves.db has lost its last 20 transactions" in caplog.text
        assert store.missing == 20
        assert ("", "the store has lost its last 20 transactions; restore a backup if that is newer") in list(
            store.verify()
        )
        store.save(scrip(1))
        found = store.load("ana")
        assert isinstance(found, Found)
        assert found.note == (
            "profile ana: the store has lost its last 19 transactions; this may be an older state"
        )


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_a_bit_that_flips_in_the_log_loses_nothing_silently(tmp_path: Path) -> None:
    chance = random.Random(3)
    for _ in range(12):
        path = tmp_path / f"saves{_}.db"
        hot(path, 8)
        log = path.with_name(f"{path.name}-wal")
        data = bytearray(log.read_bytes())
        data[chance.randrange(len(data))] ^= 1 << chance.randrange(8)
        log.write_bytes(data)
        try:
            with open_store(f"sqlite:///{path}", DESIGN) as store:
                found = store.load("ana")
                kept = isinstance(found, Found) and found.profile.sections["currencies"]["scrip"] == 8
                assert kept or list(store.verify())
        except SaveError:
            pass  # told, too


def test_a_counter_may_lag_and_never_leads(tmp_path: Path) -> None:
    path = made(tmp_path / "saves.db")
    count = path.with_name("saves.db.count")
    line = count.read_text()
    assert len(line) == 54
    counter = CommitCounter(count, line.split()[0])
    assert counter.read() == 12
    counter.write(3)  # killed before it could be written
    counter.close()
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        assert store.missing == 0
        store.save(scrip(7))
    assert int(count.read_text().split()[1]) == 13
    for spoilt in ("", "x", f"other {99:020d}\n"):
        count.write_text(spoilt)
        with open_store(f"sqlite:///{path}", DESIGN) as store:
            assert store.missing == 0


# files moved, replaced, robbed of what stands beside them


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_a_log_taken_away_under_a_running_game_loses_nothing(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    path = tmp_path / "saves.db"
    store = open_store(f"sqlite:///{path}", DESIGN)
    held = store.hold("ana")
    held.save(scrip(1))
    path.with_name("saves.db-wal").unlink()
    for amount in range(2, 6):
        held.save(scrip(amount))
    assert "was taken away while it was in use; nothing is lost" in caplog.text
    shutil.copy(path, tmp_path / "copy.db")
    for name in ("", "-wal"):
        there = path.with_name(f"saves.db{name}")
        if there.exists():
            shutil.copy(there, tmp_path / f"copy.db{name}")
    with open_store(f"sqlite:///{tmp_path / 'copy.db'}", DESIGN) as copy:
        assert copy.read("ana") == scrip(5)
    store.close()


def test_a_file_put_in_place_of_an_open_store_is_never_touched(tmp_path: Path) -> None:
    path = tmp_path / "saves.db"
    store = open_store(f"sqlite:///{path}", DESIGN)
    held = store.hold("ana")
    held.save(scrip(1))
    precious = b"somebody else's data " * 500
    (tmp_path / "other").write_bytes(precious)
    (tmp_path / "other").replace(path)
    for call in (
        lambda: held.save(scrip(2)),
        lambda: store.load("ana"),
        store.renew,
        lambda: store.keep_score("dive", "ana", 3),
        lambda: store.hold("bea"),
        store.players,
    ):
        with pytest.raises(StoreUnavailableError, match="moved away or replaced.*Start the game anew"):
            call()
    assert not store.checkpoint()
    held.release()
    store.close()
    assert path.read_bytes() == precious
    assert not path.with_name("saves.db-wal").exists()  # it would be played into the other file


def test_a_store_that_is_moved_away_and_put_back_goes_on(tmp_path: Path) -> None:
    path, away = tmp_path / "saves.db", tmp_path / "away.db"
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        held = store.hold("ana")
        held.save(scrip(1))
        path.rename(away)
        with pytest.raises(StoreUnavailableError):
            store.renew()
        assert not path.exists()
        away.rename(path)
        held.save(scrip(2))
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        assert store.read("ana") == scrip(2)


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_a_backup_beside_another_stores_log_is_told_and_restore_store_puts_it_right(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    path, backup = tmp_path / "saves.db", tmp_path / "backup.db"
    design = tmp_path / "design.toml"
    design.write_text(
        '[currencies]\nscrip = {}\n[actors.diver]\nplayer = true\nvital = "suit"\nmeters.suit = 90\n'
    )

    def game() -> None:
        store = open_store(f"sqlite:///{path}", DESIGN)
        for number in range(10):
            store.save(Profile(f"p{number}", 1, noted(number, "x" * 3000).sections))
        store.save(scrip(5))
        store.backup(backup)
        for number in range(300):
            store.save(Profile(f"q{number}", 1, noted(number, "y" * 3000).sections))
        store.checkpoint()
        for number in range(6, 9):
            store.save(scrip(number))

    forked(game)
    shutil.copy(backup, path)  # and the old log still stands beside it
    with open_store(f"sqlite:///{path}", DESIGN) as store:  # as the backup, and nothing is mixed
        assert store.read("ana") == scrip(5)
        assert len(store.players()) == 11
        assert len(list(store.verify())) == 1  # that newer transactions are lost
    assert "cleaver saves restore-store" in caplog.text
    assert len(list(tmp_path.glob("saves.db-wal.replaced-*"))) == 1
    store_url = f"sqlite:///{path}"
    code, out, err = run("saves", "restore-store", str(design), str(backup), "--store", store_url)
    assert (code, err.count("has lost its last")) == (0, 1)
    assert out.startswith(
        "saves.db is backup.db now, with 11 players\nthe old store is kept as saves.db.replaced-"
    )
    with open_store(store_url, DESIGN) as store:
        assert store.read("ana") == scrip(5)
        assert list(store.verify()) == []
        assert [line.what for line in store.audit_trail()] == ["restore-store"]


def test_restore_store_refuses_what_is_in_use_and_what_is_no_store(tmp_path: Path) -> None:
    path = made(tmp_path / "saves.db")
    design = tmp_path / "design.toml"
    design.write_text("[currencies]\nscrip = {}\n")
    words = ("saves", "restore-store", str(design))
    store_url = f"sqlite:///{path}"
    with open_store(store_url, DESIGN, name="the game") as store:
        store.backup(tmp_path / "backup.db")
        store.hold("ana")
        code, _, err = run(*words, str(tmp_path / "backup.db"), "--store", store_url)
        assert (code, err) == (2, "cleaver: the game uses saves.db; end it first, or free it\n")
    (tmp_path / "empty.db").touch()
    for name in ("nothing.db", "empty.db", "design.toml"):
        code, _, err = run(*words, str(tmp_path / name), "--store", store_url)
        assert code == 2
        with open_store(store_url, DESIGN) as store:
            assert len(store.players()) == 2


def test_the_log_goes_into_the_file_on_a_timer(tmp_path: Path) -> None:
    path, clock = tmp_path / "saves.db", Clock()
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        saver = Autosaver(store, threaded=False, clock=clock)
        ana = saver.join(World(DESIGN), "ana")
        for clock.now in (1, 30, 61):
            ana.earn("scrip", 1)
            saver.flush("ana")
            saver.pump(5)
            shutil.copy(path, tmp_path / f"at{clock.now}.db")
        saver.close()
    for moment, amount in ((30, None), (61, 3)):
        with open_store(f"sqlite:///{tmp_path / f'at{moment}.db'}", DESIGN) as copy:
            found = copy.load("ana")
            kept = found.profile.sections["currencies"]["scrip"] if isinstance(found, Found) else None
            assert kept == amount
