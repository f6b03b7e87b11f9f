"""Designs, scripts, profiles and baselines from strangers: refused with a message, or taken; never a crash, a
hang or code that runs."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import strangers
from cleaver import CleaverError, Profile, UsageError, World, sample
from cleaver.core import read
from cleaver.saves.document import encode
from cleaver.script import Session, play
from cleaver.script.baseline import baseline_of
from cleaver.script.command import COMMANDS
from cleaver.script.lines import MAX_BYTES, MAX_LINE
from cleaver.script.session import MAX_DUE, MAX_SNAPSHOTS, MAX_TURNS
from cleaver.script.suite import judge

REEF = sample.path("lanternreef.toml").read_bytes()
GOLDEN = (Path(__file__).parent.parent / "golden/v1").glob("*.json")
BASELINE = (
    json.dumps({"baseline": 1, "cleaver": "0", "design": strangers.REEF.source.tree}).encode()
    + b'\n{"line":1,"step":"join diver ana","now":0.0}\n'
    + b'{"event":{"name":"joined","seq":1,"time":0.0,"cause":0,"actor":"ana","source":""}}\n'
)


def _snapshot() -> bytes:
    session = Session(strangers.REEF)
    play(
        session, ["join diver ana", "spawn eel eel1", "hit ana by=eel1 with=sting", "accept ana first_light"]
    )
    return json.dumps(session.world.snapshot()).encode()


SNAPSHOT = _snapshot()


def spoilt(*whole: bytes) -> st.SearchStrategy[bytes]:
    """Sound files with a piece cut out, put in twice, or written over."""

    @st.composite
    def made(draw: st.DrawFn) -> bytes:
        data = draw(st.sampled_from(whole))
        for _ in range(draw(st.integers(1, 3))):
            start = draw(st.integers(0, len(data)))
            end = min(len(data), start + draw(st.integers(0, 40)))
            piece = draw(
                st.one_of(
                    st.binary(max_size=6),
                    st.just(data[start:end] * 2),
                    st.sampled_from(
                        [
                            b"-1",
                            b"1e999",
                            b"nan",
                            b"null",
                            b"{}",
                            b"[]",
                            b'""',
                            b"[[[[[[",
                            b"99999999999999999999",
                            b"__class__",
                            b"\xff",
                            b"9**9**9",
                            b"true",
                        ]
                    ),
                )
            )
            data = data[:start] + piece + data[end:]
        return data

    return made()


WORDS = st.sampled_from(
    [
        "diver",
        "ana",
        "eel1",
        "eel",
        "suit",
        "ana.suit",
        "scrip",
        "pearl",
        "kit",
        "sealant",
        "first_light",
        "dive",
        "rank",
        "salvage_race",
        "venom",
        "sting",
        "0",
        "-1",
        "3",
        "1e300",
        "nan",
        "by=eel1",
        "with=sting",
        "zone=visor",
        "charge=9",
        "step=0.1",
        "of=winch1",
        "ana.suit == 3",
        "(",
        "'",
        "#",
    ]
)
LINES = st.one_of(
    st.sampled_from(
        [command.example for command in COMMANDS.values() if command.name not in ("quit", "record")]
    ),
    st.builds(
        lambda name, words: " ".join([name, *words]),
        st.sampled_from([name for name in COMMANDS if name != "record"]),
        st.lists(WORDS, max_size=4),
    ),
)
SCRIPTS = st.lists(LINES, max_size=12).map(
    lambda lines: "\n".join(["join diver ana", "spawn eel eel1", *lines]).encode()
)


@given(st.one_of(spoilt(REEF), st.binary(max_size=80)))
def test_any_design_loads_or_is_refused(data: bytes) -> None:
    strangers.design(data)


@given(st.one_of(SCRIPTS, spoilt(sample.path("dive.play").read_bytes())))
def test_any_script_plays_or_stops_with_a_message(data: bytes) -> None:
    strangers.script(data)


@given(
    spoilt(
        *(file.read_bytes() for file in GOLDEN),
        encode(Profile("ana", 1, {"currencies": {"scrip": 4}, "meters": {"suit": {"value": 3, "max": 90}}})),
    )
)
def test_any_profile_is_taken_or_refused(data: bytes) -> None:
    strangers.profile(data)


@given(st.one_of(spoilt(BASELINE), st.binary(max_size=80)))
def test_any_baseline_is_compared_or_refused(data: bytes) -> None:
    strangers.baseline(data)


@given(spoilt(json.dumps(World(strangers.REEF).snapshot()).encode(), SNAPSHOT))
def test_any_snapshot_goes_on_or_is_refused(data: bytes) -> None:
    strangers.snapshot(data)


FIELDS = st.sampled_from(
    ["{actor}", "{amount}", "{", "}", "{{", ":", "!r", ">9999999999", "{0}", "[0]", ".x", "é", "\x1b"]
)


@given(
    st.lists(st.one_of(FIELDS, st.text(max_size=3)), max_size=8).map(
        lambda parts: "".join(parts).encode("utf-8", "replace")
    )
)
def test_any_text_is_shown_or_refused(data: bytes) -> None:
    strangers.texts(data)


def test_what_is_written_in_a_file_is_never_run_as_code(tmp_path: Path) -> None:
    (tmp_path / "s.play").write_text("join diver ana\nexpect __import__('os').system('touch here') == 0\n")

    verdict = judge(tmp_path / "s.play", sample.path("lanternreef.toml"))

    assert verdict.wrong
    assert not Path("here").exists()
    assert not (tmp_path / "here").exists()


@pytest.mark.long
@pytest.mark.parametrize(
    ("lines", "told"),
    [
        (["repeat 100000 repeat 100000 untag ana boss"], f"more than {MAX_TURNS:,} commands in one run"),
        (
            [f"snapshot s{number}" for number in range(MAX_SNAPSHOTS + 1)],
            f"at most {MAX_SNAPSHOTS} snapshots",
        ),
        (["expect " + "1 + " * MAX_LINE + "1 > 0"], f"at most {MAX_LINE:,}"),
    ],
    ids=["turns", "snapshots", "line"],
)
def test_limits_are_told_when_they_are_reached(lines: list[str], told: str) -> None:
    with pytest.raises(CleaverError, match=told):
        play(Session(strangers.REEF), ["join diver ana", *lines])


def test_a_run_may_have_only_so_much_come_due() -> None:
    session = Session(strangers.REEF)
    play(session, ["join diver ana", "spawn winch w owner=ana"])
    read.parts(session.world).stage.patience = 10  # as if the others of the limit had come due before

    with pytest.raises(
        UsageError, match="more came due than may in one run of a script; time stands at 40 s"
    ):
        session.world.advance(1e6)
    assert session.world.now == 40
    assert MAX_DUE > 10


def test_a_script_too_long_or_too_slow_is_stopped(tmp_path: Path) -> None:
    (tmp_path / "long.play").write_bytes(b"# long\n" * (MAX_BYTES // 7 + 1))
    (tmp_path / "slow.play").write_text("join diver ana\n" + "repeat 50000 advance 1\n" * 4)

    assert (
        f"more than {MAX_BYTES:,} bytes"
        in judge(tmp_path / "long.play", sample.path("lanternreef.toml")).wrong
    )
    assert (
        "took longer than 0.05 s"
        in judge(tmp_path / "slow.play", sample.path("lanternreef.toml"), timeout=0.05).wrong
    )
    assert not baseline_of(tmp_path / "slow.play").exists()
