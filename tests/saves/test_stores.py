"""Stores under trouble: every row of the table of faults, leases, kills, on SQLite and on a real PostgreSQL
server."""

from __future__ import annotations

import os
import random
import select
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from cleaver import (
    AmountError,
    Design,
    MigrationError,
    Profile,
    ProfileBusyError,
    ProfileDamagedError,
    ProfileStaleError,
    ProfileTooNewError,
    SaveError,
    StoreCorruptError,
    StoreReadOnlyError,
    StoreUnavailableError,
    UnknownNameError,
    UsageError,
    World,
    load_design,
    sample,
)
from cleaver.saves import Absent, Autosaver, DamagedProfile, Found, Store, Trouble, files, open_store
from cleaver.saves.document import decode
from postgres import Server, server
from saving import DESIGN, GAME, scrip


class Clock:
    """A clock that is set by hand."""

    def __init__(self) -> None:
        self.now = 1_000_000.0

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def store(url: str) -> Iterator[Store]:
    with open_store(url, DESIGN) as opened:
        yield opened


def damage(store: Store, *, where: str = "revision = 3") -> None:
    with store.engine.begin() as connection:
        connection.execute(text(f"UPDATE cleaver_generations SET checksum = 'x' WHERE {where}"))


def test_a_save_is_read_back_with_its_revision_and_receipt(store: Store) -> None:
    assert store.load("ana") == Absent("ana")
    info = store.save(scrip(0))
    assert (info.player, info.revision, len(info.checksum)) == ("ana", 1, 64)
    assert store.load("ana") == Found(scrip(0), 1)
    assert store.players() == ["ana"]
    assert [row[0] for row in store.revisions("ana")] == [1]


def test_a_damaged_newest_generation_falls_back_says_so_and_goes_to_quarantine(store: Store) -> None:
    for amount in (10, 20, 30):
        store.save(scrip(amount))
    damage(store)
    found = store.load("ana")
    assert found == Found(scrip(20), 2, (3,))
    assert isinstance(found, Found)
    assert found.note == "profile ana: revision 3 is damaged, loaded revision 2"
    store.save(scrip(40))
    with store.engine.connect() as connection:
        assert connection.execute(text("SELECT player, revision FROM cleaver_quarantine")).all() == [
            ("ana", 3)
        ]
    assert store.load("ana") == Found(scrip(40), 4)


def test_another_players_body_in_its_place_is_damage(store: Store) -> None:
    store.save(scrip(10))
    store.save(scrip(20))
    store.save(scrip(99, "bo"))
    with store.engine.begin() as connection:
        connection.execute(
            text(
                "UPDATE cleaver_generations SET body = (SELECT body FROM cleaver_generations WHERE player = 'bo') WHERE player = 'ana' AND revision = 2"
            )
        )

    assert store.load("ana") == Found(scrip(10), 1, (2,))


@pytest.mark.parametrize("fault", ["all bad", "row without bodies", "bodies without row"])
def test_where_nothing_can_be_read_it_is_damaged_and_nothing_is_written(store: Store, fault: str) -> None:
    store.save(scrip(10))
    if fault == "all bad":
        damage(store, where="player = 'ana'")
    else:
        with store.engine.begin() as connection:
            connection.execute(
                text(f"DELETE FROM cleaver_{'generations' if fault == 'row without bodies' else 'profiles'}")
            )

    assert isinstance(store.load("ana"), DamagedProfile)
    for call in (lambda: store.hold("ana"), lambda: store.save(scrip(1)), lambda: store.read("ana")):
        with pytest.raises(ProfileDamagedError, match="Nothing was changed"):
            call()
    assert list(store.verify())


def test_a_newer_version_is_refused_without_falling_back(store: Store) -> None:
    store.save(scrip(10))
    newer = Profile("ana", 2, {"currencies": {"scrip": 5}})
    with store.hold("ana") as held:
        held.save(newer)

    for call in (lambda: store.load("ana"), lambda: store.hold("ana")):
        with pytest.raises(ProfileTooNewError, match="version 2, and this game knows 1"):
            call()


def test_renames_and_python_steps_carry_old_profiles_over(url: str) -> None:
    with open_store(url, DESIGN) as old:
        old.save(scrip(7))
    tables = {
        **GAME,
        "currencies": {"brass": {}},
        "game": {"version": 3},
        "saves": {"changes": [{"from": 1, "rename": {"scrip": "brass"}}]},
    }
    design = Design.from_dict(tables)

    def doubled(sections: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
        sections["currencies"]["brass"] *= 2
        return sections

    with pytest.raises(UsageError, match="nothing leads from version 2"):
        open_store(url, design)
    with open_store(url, design, migrations={2: doubled}) as new:
        assert new.read("ana") == Profile("ana", 3, {"currencies": {"brass": 14}})
        assert new.save(new.read("ana") or scrip(0)).revision == 2
    with (
        open_store(url, design, migrations={2: lambda sections: sections["nothing"]}) as failing,
        failing.engine.begin() as connection,
    ):
        connection.execute(text("DELETE FROM cleaver_generations WHERE revision = 2"))
        connection.execute(
            text("UPDATE cleaver_profiles SET revision = 1, chain = (SELECT chain FROM cleaver_generations)")
        )
    with (
        open_store(url, design, migrations={2: lambda sections: sections["nothing"]}) as failing,
        pytest.raises(MigrationError, match="profile ana: the step from version 2"),
    ):
        failing.load("ana")


def test_one_process_at_a_time_and_who_has_it_is_named(url: str) -> None:
    clock = Clock()
    one, two = (
        open_store(url, DESIGN, name="first server", clock=clock),
        open_store(url, DESIGN, name="second server", clock=clock),
    )
    held = one.hold("ana")
    held.save(scrip(5))
    with pytest.raises(ProfileBusyError, match="in use by first server"):
        two.hold("ana")
    with pytest.raises(ProfileBusyError):
        two.restore("ana", 1)
    clock.now += 31  # suspended past its lease
    taken = two.hold("ana")
    assert taken.profile == scrip(5)
    taken.save(scrip(6))
    with pytest.raises(ProfileStaleError, match="taken over"):
        held.save(scrip(99))
    assert two.read("ana") == scrip(6)
    taken.release()
    assert one.hold("ana").profile == scrip(6)
    one.close()
    two.close()


def test_of_a_batch_only_the_stale_ones_are_refused(url: str) -> None:
    clock = Clock()
    one, two = open_store(url, DESIGN, clock=clock), open_store(url, DESIGN, clock=clock)
    helds = [one.hold(f"p{number}") for number in range(5)]
    clock.now += 31
    two.hold("p3")
    results = one.save_many(
        [one.encoded(held, scrip(number, held.player)) for number, held in enumerate(helds)]
    )

    assert [isinstance(result, ProfileStaleError) for result in results] == [False, False, False, True, False]
    assert one.players() == ["p0", "p1", "p2", "p4"]
    assert one.load("p3") == Absent("p3")
    one.close()
    two.close()


def test_a_save_whose_answer_was_lost_is_our_own(store: Store) -> None:
    held = store.hold("ana")
    write = store.encoded(held, scrip(5))
    first = store.save_many([write])[0]
    held.revision -= 1  # the answer never came

    assert store.save_many([write])[0] == first
    assert store.load("ana") == Found(scrip(5), 1)


def test_an_older_generation_is_restored_as_the_newest(store: Store) -> None:
    for amount in (10, 20, 30):
        store.save(scrip(amount))

    assert store.restore("ana", 1).revision == 4
    assert store.read("ana") == scrip(10)
    with pytest.raises(UnknownNameError, match="'99'"):
        store.restore("ana", 99)


def test_only_so_many_generations_are_kept_and_high_scores_have_ranks(store: Store) -> None:
    for amount in range(9):
        store.save(scrip(amount))
    assert [row[0] for row in store.revisions("ana")] == [9, 8, 7, 6]
    for player, score in (("ana", 30), ("bo", 50), ("cy", 30), ("ana", 20)):
        store.keep_score("dive", player, score)
    assert store.high_scores("dive", 3) == [(1, "bo", 50), (2, "ana", 30), (2, "cy", 30)]


@pytest.mark.parametrize(
    ("value", "path"),
    [
        (float("nan"), "profile.a.b"),
        (float("inf"), "profile.a.b"),
        ({1}, "profile.a.b"),
        (2**70, "profile.a.b"),
    ],
)
def test_what_cannot_be_saved_is_refused_with_its_path(store: Store, value: Any, path: str) -> None:
    with pytest.raises(AmountError, match=path):
        store.save(Profile("ana", 1, {"a": {"b": value}}))
    assert store.load("ana") == Absent("ana")


# SQLite files


def test_a_file_that_is_none_of_ours_is_left_alone(tmp_path: Path) -> None:
    import sqlite3

    foreign = tmp_path / "foreign.db"
    connection = sqlite3.connect(foreign)
    connection.execute("CREATE TABLE mine (x)")
    connection.commit()
    connection.close()
    good = tmp_path / "good.db"
    with open_store(f"sqlite:///{good}", DESIGN) as opened:
        opened.save(scrip(5))
    whole = good.read_bytes()
    for name, content in (
        ("empty", b""),
        ("text", b"hello, I am no database"),
        ("cut", whole[:5000]),
        ("foreign", foreign.read_bytes()),
        ("garbled", whole[:16] + b"\xff" * 84 + whole[100:]),
    ):
        file = tmp_path / f"{name}.db"
        file.write_bytes(content)
        with pytest.raises(StoreCorruptError, match="left alone|nothing was written"):
            open_store(f"sqlite:///{file}", DESIGN)
        assert file.read_bytes() == content


def test_a_file_moved_away_while_open_is_noticed(tmp_path: Path) -> None:
    file = tmp_path / "saves.db"
    store = open_store(f"sqlite:///{file}", DESIGN)
    store.save(scrip(5))
    file.rename(tmp_path / "elsewhere.db")
    with pytest.raises(StoreUnavailableError, match="moved away or replaced"):
        store.save(scrip(6))
    (tmp_path / "elsewhere.db").rename(file)
    store.save(scrip(7))
    store.close()


def test_a_read_only_place_is_told_and_not_tried_again(tmp_path: Path) -> None:
    file = tmp_path / "saves.db"
    with open_store(f"sqlite:///{file}", DESIGN) as opened:
        opened.save(scrip(5))
        with opened.engine.connect() as connection:
            connection.exec_driver_sql(
                "PRAGMA query_only=ON"
            )  # root may write anywhere, so the database refuses itself
            from cleaver.saves.engines import trouble

            with pytest.raises(Exception, match="readonly") as caught:
                connection.exec_driver_sql("UPDATE cleaver_profiles SET fence = 9")
            assert isinstance(trouble("saves.db", caught.value), StoreReadOnlyError)


def test_a_locked_store_is_kept_and_works_again_by_itself(tmp_path: Path) -> None:
    import sqlite3

    file = tmp_path / "saves.db"
    store = open_store(f"sqlite:///{file}", DESIGN)
    store.save(scrip(5))
    with store.engine.connect().execution_options(reading=True) as connection:
        connection.exec_driver_sql("PRAGMA busy_timeout=50")
    with store._writer().begin():
        store._writer().exec_driver_sql("PRAGMA busy_timeout=50")
    other = sqlite3.connect(file, isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    with pytest.raises(StoreUnavailableError, match="worth trying again"):
        store.save(scrip(6))
    assert store.load("ana") == Found(scrip(5), 1)  # what was saved before stays readable
    other.execute("ROLLBACK")
    other.close()
    assert store.save(scrip(6)).revision == 2
    store.close()


def test_a_full_disk_loses_nothing_that_was_saved(tmp_path: Path) -> None:
    store = open_store(f"sqlite:///{tmp_path / 'saves.db'}", DESIGN)
    store.save(scrip(5))
    writer = store._writer()  # the limit is the connection's own
    with writer.begin():
        pages = writer.exec_driver_sql("PRAGMA page_count").scalar()
        writer.exec_driver_sql(f"PRAGMA max_page_count={pages}")
    big = Profile("ana", 1, {"currencies": {"scrip": 6}, "notes": {"long": "x" * 300_000}})
    with pytest.raises(StoreUnavailableError, match="full"):
        store.save(big)
    assert store.load("ana") == Found(scrip(5), 1)
    writer = store._writer()
    with writer.begin():
        writer.exec_driver_sql("PRAGMA max_page_count=1000000")
    assert store.save(big).revision == 2
    store.close()


def test_after_a_checkpoint_the_file_alone_holds_every_save(tmp_path: Path) -> None:
    path, copy = tmp_path / "saves.db", tmp_path / "copy.db"
    world = World(DESIGN)
    with open_store(f"sqlite:///{path}", DESIGN) as store:
        saver = Autosaver(store, threaded=False)
        saver.join(world, "ana").earn("scrip", 5)
        saver.leave("ana")  # which makes one
        shutil.copy(path, copy)
        with open_store(f"sqlite:///{copy}", DESIGN) as other:
            assert other.read("ana") == scrip(5)
        other_program = sqlite3.connect(path, isolation_level=None)
        other_program.execute("BEGIN")  # looks at the store, and goes on looking
        other_program.execute("SELECT * FROM cleaver_profiles").fetchall()
        store.save(scrip(6))
        assert not store.checkpoint()
        other_program.close()
        assert store.checkpoint()
        saver.close()


def test_a_backup_is_whole_checked_and_never_overwrites(tmp_path: Path) -> None:
    store = open_store(f"sqlite:///{tmp_path / 'saves.db'}", DESIGN)
    store.save(scrip(5))
    copy = store.backup(tmp_path / "copy.db")
    with open_store(f"sqlite:///{copy}", DESIGN) as opened:
        assert opened.read("ana") == scrip(5)
        assert list(opened.verify()) == []
    with pytest.raises(UsageError, match="never overwrites"):
        store.backup(copy)
    store.close()


@pytest.fixture(scope="module")
def sound(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a sound store with six revisions of one profile."""
    file = tmp_path_factory.mktemp("whole") / "good.db"
    with open_store(f"sqlite:///{file}", DESIGN) as opened:
        for amount in range(1, 7):
            opened.save(scrip(amount))
    return file


@given(st.integers(0, 100_000), st.binary(min_size=1, max_size=40), st.booleans())
def test_a_spoilt_file_never_crashes_and_never_gives_an_older_or_empty_profile_silently(
    sound: Path, place: int, noise: bytes, cut: bool
) -> None:
    whole = sound.read_bytes()
    place %= len(whole)
    content = (
        whole[:place] if cut else whole[:place] + noise[: len(whole) - place] + whole[place + len(noise) :]
    )
    with tempfile.TemporaryDirectory() as folder:
        spoilt = Path(folder, "spoilt.db")
        spoilt.write_bytes(content)
        try:
            with open_store(f"sqlite:///{spoilt}", DESIGN) as opened:
                outcome = opened.load("ana")
                if isinstance(outcome, Found):
                    amount = outcome.profile.sections["currencies"]["scrip"]
                    assert amount == 6 or (amount == outcome.revision and outcome.recovered_from), (
                        "an older profile, silently"
                    )
                elif isinstance(outcome, Absent):
                    assert list(opened.verify()), "an empty profile, silently"
        except SaveError:
            pass


# trouble made on purpose


def test_a_stand_in_for_a_far_store_is_slow_fails_and_limits_writes(url: str) -> None:
    clock = Clock()
    slept: list[float] = []
    with open_store(url, DESIGN, clock=clock) as store:
        store.trouble = Trouble(failing=2, slow=0.5, spacing=5.0, clock=clock, sleep=slept.append)
        for _ in range(2):
            with pytest.raises(StoreUnavailableError, match="does not answer"):
                store.load("ana")
        held = store.hold("ana")
        held.save(scrip(1))
        with pytest.raises(StoreUnavailableError, match="too many writes of ana: at most one in 5 s"):
            held.save(scrip(2))
        clock.now += 5
        assert held.save(scrip(3)).revision == 2
        assert len(slept) == store.trouble.calls == 6


# kills


def write_until_killed(url: str, pipe: int, player: str) -> None:
    """Save a counter again and again, and tell each that was acknowledged: what a child process does until it
    is killed."""
    store = open_store(url, DESIGN, lease=0.001)
    held = store.hold(player)
    amount = held.profile.sections["currencies"]["scrip"] if held.profile is not None else 0
    while True:
        amount += 1
        held.save(scrip(amount, player))
        os.write(pipe, f"{amount}\n".encode())


def killed(url: str, player: str, wait: float) -> int:
    """Fork a writer, kill it after *wait* seconds; returns the last amount it was told is safe."""
    reading, writing = os.pipe()
    child = os.fork()
    if child == 0:
        try:
            os.close(reading)
            write_until_killed(url, writing, player)
        finally:
            os._exit(1)
    os.close(writing)
    if wait > 0.04:  # most are killed in the middle of writing, some before they have written at all
        select.select([reading], [], [], 20.0)
    time.sleep(wait)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    told = b""
    while chunk := os.read(reading, 65536):
        told += chunk
    os.close(reading)
    lines = told.decode().split()
    return int(lines[-1]) if lines else 0


def kills(url: str, count: int) -> tuple[int, int]:
    """Kill writers *count* times; returns (acknowledged saves that were lost, profiles that were damaged)."""
    chance, lost, damaged, safe, acknowledged = random.Random(7), 0, 0, 0, 0
    for _ in range(count):
        told = killed(url, "ana", 0.03 + chance.random() * 0.05)
        safe = max(safe, told)
        acknowledged += told > 0
        with open_store(url, DESIGN) as store:
            outcome = store.load("ana")
            if isinstance(outcome, Found):
                amount = outcome.profile.sections["currencies"]["scrip"]
                lost += amount < safe
                damaged += bool(outcome.recovered_from)
                safe = max(safe, amount)
            else:
                lost += safe > 0
                damaged += isinstance(outcome, DamagedProfile)
            assert [problem for _, problem in store.verify()] == []
    assert acknowledged > count / 4, "the writers were killed before they wrote"
    return lost, damaged


@pytest.mark.long
@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_after_a_hundred_kills_every_acknowledged_save_is_there(tmp_path: Path) -> None:
    assert kills(f"sqlite:///{tmp_path / 'saves.db'}", 100) == (0, 0)


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_after_twenty_kills_on_a_server_too(postgres: Server) -> None:
    with open_store(postgres.url, DESIGN) as store, store.engine.begin() as connection:
        for table in ("profiles", "generations", "holders"):
            connection.execute(text(f"DELETE FROM cleaver_{table}"))
    assert kills(postgres.url, 20) == (0, 0)


def test_a_server_killed_under_load_keeps_what_it_acknowledged_and_the_store_works_again() -> None:
    with server() as made:
        store = open_store(made.url, DESIGN)
        held, safe = store.hold("ana"), 0
        for amount in range(1, 60):
            if amount in (20, 40):
                made.stop()
            try:
                held.save(scrip(amount))
                safe = amount
            except StoreUnavailableError as error:
                assert "worth trying again" in str(error)
                made.start()
                held.save(scrip(amount))
                safe = amount
        assert store.read("ana") == scrip(safe) == scrip(59)
        store.close()


HOLDER = """
import sys, time
from cleaver import Design, Profile, SaveError, open_store
store = open_store(sys.argv[1], Design.from_dict(%r), name="the suspended one", lease=1.0)
held = store.hold("ana")
held.save(Profile("ana", 1, {"currencies": {"scrip": 1}}))
print("has it", flush=True)
sys.stdin.readline()
try:
    held.save(Profile("ana", 1, {"currencies": {"scrip": 99}}))
    print("saved", flush=True)
except SaveError as error:
    print(type(error).__name__, flush=True)
"""


def test_a_process_suspended_past_its_lease_is_refused_when_it_comes_back(url: str) -> None:
    child = subprocess.Popen(
        [sys.executable, "-c", HOLDER % GAME, url], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert child.stdin is not None
    assert child.stdout is not None
    assert child.stdout.readline() == "has it\n"
    child.send_signal(signal.SIGSTOP)
    with open_store(url, DESIGN) as store:
        with pytest.raises(ProfileBusyError, match="the suspended one"):
            store.hold("ana")
        time.sleep(1.2)
        with store.hold("ana") as held:
            assert held.profile == scrip(1)
            held.save(scrip(2))
        child.send_signal(signal.SIGCONT)
        child.stdin.write("go on\n")
        child.stdin.close()
        assert child.stdout.readline() == "ProfileStaleError\n"
        assert child.wait(timeout=20) == 0
        child.stdout.close()
        assert store.read("ana") == scrip(2)


def within(one: Any, other: Any) -> bool:
    """Whether another value has all that one has."""
    if isinstance(one, dict):
        return all(name in other and within(value, other[name]) for name, value in one.items())
    if isinstance(one, list):
        return len(one) == len(other) and all(map(within, one, other))
    return bool(one == other)


def test_golden_profiles_of_version_1_still_come_back_whole() -> None:
    reef = load_design(sample.path("lanternreef.toml"))
    golden = {
        file.stem: decode(file.read_bytes())
        for file in sorted((Path(__file__).parent.parent / "golden/v1").glob("*.json"))
    }
    world = World(reef)
    ana, bea = (world.join("diver", name, profile=profile) for name, profile in golden.items())

    assert (
        ana.purse["scrip"],
        ana.bag["pearl"],
        ana.levels["rank"],
        ana.ratings["dive"].best,
        ana.records["deepest"],
        ana.quests["first_light"].state,
    ) == (12, 2, 2, 1, 18, "active")
    assert ana.achievements["first_pearl"].ranks == ("",)
    assert bea.purse["scrip"] == 0
    assert bea.lives == 3
    for name, profile in golden.items():
        kept = world.profile(world.actor(name)).sections
        assert within(profile.sections, kept)


def test_a_fresh_file_has_a_log_beside_it_from_the_start(tmp_path: Path) -> None:
    files.create(tmp_path / "saves.db")
    assert (tmp_path / "saves.db").read_bytes()[18:20] == b"\2\2"  # what says so in a file of SQLite
    assert [path.name for path in tmp_path.iterdir()] == ["saves.db"]
