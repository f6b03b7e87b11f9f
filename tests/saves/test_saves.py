"""Saves: profiles, the store, and that nothing is taken for nothing."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from cleaver import (
    AmountError,
    Design,
    Profile,
    ProfileDamagedError,
    SaveError,
    StoreCorruptError,
    World,
    open_store,
)
from cleaver.saves import Absent, DamagedProfile, Found, Store
from cleaver.saves.document import decode, encode


@pytest.fixture
def store(reef: Design, tmp_path: Path) -> Any:
    with open_store(f"sqlite:///{tmp_path / 'saves.db'}", reef) as opened:
        yield opened


def scrip(amount: int) -> Profile:
    return Profile("ann", 1, {"currencies": {"scrip": amount}})


def test_never_saved_is_absent_and_saved_zero_is_found(store: Store) -> None:
    assert store.load("ann") == Absent("ann")
    assert store.read("ann") is None
    info = store.save(scrip(0))

    assert info.revision == 1
    assert store.load("ann") == Found(scrip(0), 1)


def test_a_damaged_newest_generation_falls_back_and_says_so(store: Store) -> None:
    for amount in (10, 20, 30):
        store.save(scrip(amount))
    with store.engine.begin() as connection:
        connection.execute(
            text(
                "UPDATE cleaver_generations SET body = CAST(replace(body, '30', '99') AS BLOB) WHERE revision = 3"
            )
        )

    assert store.load("ann") == Found(scrip(20), 2, (3,))


def test_where_no_generation_can_be_read_it_is_damaged_and_not_written_over(store: Store) -> None:
    store.save(scrip(10))
    with store.engine.begin() as connection:
        connection.execute(text("UPDATE cleaver_generations SET checksum = 'x'"))

    assert isinstance(store.load("ann"), DamagedProfile)
    for call in (lambda: store.read("ann"), lambda: store.save(scrip(5))):
        with pytest.raises(ProfileDamagedError, match="checksum|bytes"):
            call()


def test_only_so_many_generations_are_kept(store: Store) -> None:
    for amount in range(9):
        store.save(scrip(amount))
    with store.engine.connect() as connection:
        kept = (
            connection.execute(text("SELECT revision FROM cleaver_generations ORDER BY revision"))
            .scalars()
            .all()
        )

    assert kept == [6, 7, 8, 9]


def nested(levels: int) -> dict[str, Any]:
    tree: dict[str, Any] = {}
    for _ in range(levels):
        tree = {"a": tree}
    return tree


@pytest.mark.parametrize(
    ("data", "reason"), [(nested(19), "nested at most 20 deep"), ({"a": "x" * 8_388_608}, "8,388,608 bytes")]
)
def test_what_could_not_be_read_back_is_not_written(store: Store, data: dict[str, Any], reason: str) -> None:
    store.save(scrip(7))

    with pytest.raises(AmountError, match=reason):
        store.save(Profile("ann", 1, {"extra": {"b": data}}))

    assert store.load("ann") == Found(scrip(7), 1)


def test_a_player_whose_id_cannot_be_written_is_refused() -> None:
    with pytest.raises(AmountError, match="the player's id"):
        encode(Profile("\ud800", 1, {}))


def test_what_is_just_shallow_enough_comes_back() -> None:
    profile = Profile("ann", 1, {"extra": {"b": nested(18)}})

    assert decode(encode(profile)) == profile


@pytest.mark.parametrize(
    ("value", "path"),
    [
        (float("nan"), "profile.a.b"),
        (float("inf"), "profile.a.b"),
        ({1}, "profile.a.b"),
        (2**70, "profile.a.b"),
        ([1, {"c": float("nan")}], r"profile.a.b\[1\].c"),
        ({7: 1}, "a key of profile.a.b is 7"),
        ((1, 2), "profile.a.b"),
        (2**63, "profile.a.b"),
        ("half \ud800", "profile.a.b"),
        ({"\udfff": 1}, "a key of profile.a.b"),
    ],
)
def test_what_cannot_be_saved_is_refused_with_its_path(store: Store, value: Any, path: str) -> None:
    with pytest.raises(AmountError, match=path):
        store.save(Profile("ann", 1, {"a": {"b": value}}))
    assert store.load("ann") == Absent("ann")


@pytest.mark.parametrize("content", [b"", b"hello, I am no database", b"SQLite format 3\x00" + b"\xff" * 600])
def test_a_file_that_is_no_store_is_never_made_into_one(reef: Design, tmp_path: Path, content: bytes) -> None:
    file = tmp_path / "saves.db"
    file.write_bytes(content)

    with pytest.raises(StoreCorruptError, match="left alone"):
        open_store(f"sqlite:///{file}", reef)
    assert file.read_bytes() == content


@pytest.mark.parametrize("url", ["nonsense", "carrier://pigeon"])
def test_an_address_of_no_store_is_told(reef: Design, url: str) -> None:
    with pytest.raises(SaveError, match="sqlite:///saves.db"):
        open_store(url, reef)


SECTIONS = st.dictionaries(
    st.text(max_size=8),
    st.dictionaries(
        st.text(max_size=8),
        st.recursive(
            st.one_of(
                st.none(),
                st.booleans(),
                st.integers(-(2**63) + 1, 2**63 - 1),
                st.floats(allow_nan=False, allow_infinity=False),
                st.text(max_size=8),
            ),
            lambda inner: st.one_of(
                st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=4), inner, max_size=3)
            ),
            max_leaves=5,
        ),
        max_size=3,
    ),
    max_size=3,
)


@given(st.text(max_size=8), st.integers(1, 99), SECTIONS)
def test_encoded_and_decoded_is_the_same(player: str, version: int, sections: dict[str, Any]) -> None:
    profile = Profile(player.encode(errors="ignore").decode(), version, sections)

    assert decode(encode(profile)) == profile


@given(st.binary(max_size=60))
def test_any_bytes_are_a_profile_or_refused(body: bytes) -> None:
    with pytest.raises(SaveError):
        decode(body)


@pytest.mark.parametrize(
    ("sections", "told"),
    [
        ({"currencies": {"scrip": -1}}, "currencies.scrip is '-1'; it must be a whole number, 0 or more"),
        ({"currencies": [1]}, r"currencies is '\[1\]'; it must be a table"),
        ({"meters": {"suit": {" value": 3}}}, "meters.suit has no value"),
        ({"records": {"deepest": [1]}}, "records.deepest is .*; it must be a table"),
        (
            {
                "quests": {
                    "first_light": {
                        "state": "done",
                        "goals": [],
                        "completions": 0,
                        "limit": None,
                        "again": None,
                        "fails": [],
                    }
                }
            },
            "quests.first_light.state is 'done'",
        ),
        (
            {
                "quests": {
                    "first_light": {
                        "state": "active",
                        "goals": [{"progress": "x"}],
                        "completions": 0,
                        "limit": None,
                        "again": None,
                        "fails": [],
                    }
                }
            },
            r"goals\[1\].progress is 'x'",
        ),
        (
            {"achievements": {"first_pearl": {"achieved": "", "tallies": {}}}},
            "achieved is ''; it must be a list",
        ),
        ({"lives": {"left": True, "dead": False}}, "lives.left is 'True'"),
    ],
)
def test_a_profile_that_somebody_misshaped_is_refused_whole(
    reef: Design, sections: dict[str, Any], told: str
) -> None:
    world = World(reef)
    profile = Profile("ana", 1, {"items": {"pearl": 2}, **sections})

    with pytest.raises(SaveError, match=told):
        world.join("diver", "ana", profile=profile)
    assert world.actors == ()
    ana = world.join("diver", "ana")
    before = world.snapshot()
    with pytest.raises(SaveError, match=told):
        world.load(ana, profile)
    assert world.snapshot() == before


def test_a_profile_brings_back_what_is_kept_and_unknown_things_are_put_aside(reef: Design) -> None:
    world = World(reef)
    profile = Profile("ann", 1, {"currencies": {"scrip": 7, "brass": 3}, "spells": {"frost": {"rank": 2}}})
    ann = world.join("diver", "ann", profile=profile)
    ann.earn("scrip", 1)
    again = World.restore(reef, world.snapshot())

    sections = world.profile(ann).sections
    assert (sections["currencies"], sections["spells"]) == ({"scrip": 8, "brass": 3}, {"frost": {"rank": 2}})
    assert again.profile(again.actor("ann")).sections == sections


def test_meters_are_saved_where_the_design_says_so() -> None:
    design = Design.from_dict(
        {
            "actors": {
                "hero": {
                    "player": True,
                    "vital": "health",
                    "meters": {"health": {"max": 90, "saved": True}, "mana": 10},
                }
            }
        }
    )
    world = World(design)
    ann = world.join("hero", "ann")
    ann.hurt(25)
    ann["health"].set_max(100)
    back = World(design).join("hero", "ann", profile=world.leave(ann))

    assert (back["health"].value, back["health"].max, back["mana"].value) == (65, 100, 10)


def test_high_scores_keep_each_players_best_with_ties_and_a_limit(store: Store) -> None:
    for player, score in (("ann", 30), ("bo", 50), ("cy", 30), ("ann", 20), ("di", 10)):
        store.keep_score("dive", player, score)

    assert store.high_scores("dive", 3) == [(1, "bo", 50), (2, "ann", 30), (2, "cy", 30)]
    assert store.keep_score("dive", "ann", 60)
    assert not store.keep_score("dive", "ann", 60)
    assert [row.player for row in store.high_scores("dive")] == ["ann", "bo", "cy", "di"]
    assert store.high_scores("other") == []
    with pytest.raises(AmountError):
        store.keep_score("dive", "ann", 1.5)  # type: ignore[arg-type]
