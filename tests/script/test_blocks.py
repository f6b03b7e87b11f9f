"""Scripts: blocks, and the commands about shots, stages, days, talks and inputs."""

from __future__ import annotations

from pathlib import Path

import pytest

from cleaver import Design, ScriptError, UsageError
from cleaver.script.recording import Recording
from cleaver.script.runner import carry_out, play
from cleaver.script.session import Session, Step
from helpers import REEF, run


def told(session: Session, *lines: str) -> list[str]:
    steps: list[Step] = []
    play(session, lines, tell=steps.append)
    return [f"{step.text} → {step.said}" for step in steps]


def test_the_lines_of_a_block_are_carried_out_so_often(reef: Design) -> None:
    session = Session(reef)
    lines = [
        "join diver ana",
        "repeat 3 {  # three times",
        "  earn ana scrip 2",
        "",
        "  repeat 2 {",
        "earn ana scrip 1",
        "}",
        "  expect new.earned == 1",
        "}",
        "expect ana.scrip == 12",
    ]
    steps: list[Step] = []
    outcome = play(session, lines, tell=steps.append)

    assert (outcome.held, outcome.failed, session.actor("ana").purse["scrip"]) == (4, 0, 12)
    assert [step.line for step in steps] == [1, *[3, 6, 6, 8] * 3, 10]


def test_a_block_of_no_turns_does_nothing_and_quit_leaves_all_of_them(reef: Design) -> None:
    session = Session(reef)
    assert told(session, "repeat 0 {", "join diver ana", "}", "join diver bea")[0].startswith(
        "join diver bea"
    )
    assert told(session, "repeat 5 {", "repeat 5 {", "earn bea scrip 1", "quit", "}", "}", "leave bea") == [
        "earn bea scrip 1 → 1 scrip"
    ]


@pytest.mark.parametrize(
    ("lines", "line", "wrong"),
    [
        (["repeat 3 {", "join diver ana"], 1, "this block is not closed; write } alone on a line after it"),
        (["join diver ana", "}"], 2, "there is no block to close here"),
        (["repeat x {", "}"], 1, "N is 'x'"),
        (["repeat 3 hit {", "}"], 1, "write: repeat 3 {"),
        (["repeat 100001 {", "}"], 1, "repeat takes 0 to 100,000"),
        (["repeat 2 {", "join diver ana", "}"], 2, "the name 'ana' is taken"),
        ([*["repeat 1 {"] * 21, *["}"] * 21], 21, "more than 20 blocks stand within each other"),
    ],
)
def test_a_block_that_is_wrong_names_its_line(reef: Design, lines: list[str], line: int, wrong: str) -> None:
    with pytest.raises(ScriptError) as error:
        play(Session(reef), lines, file="a.play")
    assert f"a.play:{line}:" in str(error.value)
    assert wrong in str(error.value)


def test_a_block_at_the_prompt_is_one_step_that_can_be_taken_back(reef: Design, tmp_path: Path) -> None:
    session = Session(reef, remember=True)
    session.recording = Recording(session, tmp_path / "r.play", Path("design.toml"))
    carry_out(session, 1, "join diver ana")
    for number, line in enumerate(["repeat 2 {", "earn ana scrip 3", "expect ana.scrip == 3", "}"]):
        step = carry_out(session, number + 2, line)
    assert (step.failed, session.actor("ana").purse["scrip"]) == (True, 6)
    assert "4 lines carried out; expect ana.scrip == 3: does not hold" in step.said
    assert [event.name for event in step.events] == ["earned", "earned"]
    assert (
        (tmp_path / "r.play")
        .read_text()
        .endswith("repeat 2 {\n    earn ana scrip 3\n    expect ana.scrip == 3\n}\n")
    )
    carry_out(session, 9, "undo")
    assert session.actor("ana").purse["scrip"] == 0
    carry_out(session, 10, "redo")
    assert session.actor("ana").purse["scrip"] == 6
    for line in ("repeat 2 {", "earn ana scrip 1", "spend ana scrip 1000x"):
        carry_out(session, 11, line)
    with pytest.raises(ScriptError, match="1000x"):
        carry_out(session, 14, "}")
    assert (session.actor("ana").purse["scrip"], session.block) == (6, [])  # nothing of it has happened
    with pytest.raises(UsageError, match="no block to close"):
        carry_out(session, 15, "}")


def test_shots_are_launched_land_and_are_dropped(reef: Design) -> None:
    session = Session(reef)
    lines = told(
        session,
        "join diver ana",
        "spawn eel eel1 eel2",
        "launch ana bolt as=s1 charge=0.5",
        "hit eel1 by=s1",
        "hit eel1 by=s1",
        "launch ana bolt",
        "drop s1",
        "expect_error hit eel2 by=s1",
        "expect_error hit eel2 by=s2",
        "advance 1.5",
        "launch ana bolt as=s1",
        "expect_error hit eel2 by=s1 amount=4",
        "hit eel2 by=s1",
        "hit ana by=s1",
        'expect result.blocked == "friendly"',
    )
    assert [line.partition(" → ")[2] for line in lines[2:]] == [
        "s1 flies",
        "12 dealt",
        "refused: spent",
        "refused: cooldown",
        "s1 is gone",
        "is an error: shot 's1' was dropped; launch another",
        "is an error: unknown actor 's2'; known: ana, eel1, eel2",
        "1.5 s",
        "s1 flies",
        "is an error: amount= is not for a shot; beside it stand zone= and crit= alone",
        "16 dealt",
        "refused: friendly",
        "holds",
    ]


def test_stages_days_talks_and_inputs(reef: Design) -> None:
    lines = told(
        Session(reef),
        "join diver ana",
        "stage enter shallows",
        "take ana pearl1",
        "stage enter wreck",
        "stage restart",
        "expect ana.pearl == 0 and ana.score == 0 and pearl1.present",
        "expect_error stage enter",
        "expect_error stage leave shallows",
        "stage leave",
        "stage leave",
        "expect_error stage restart",
        "day 5",
        "day 5",
        "expect_error day 4",
        "talk ana harbourmaster",
        'expect result.quest == "first_light" and result.next == "accept"',
        "input ana charge 0.5",
        "spawn eel eel1",
        "launch ana bolt as=s1",
        "hit eel1 by=s1",
        "expect result.dealt == 12",
        "input ana charge none",
        "place crate c1 at=3,4",
        "remove_placement c1",
        'earn ana scrip 5 reason="the tip jar"',
        'expect event.earned.reason == "the tip jar"',
        "hurt ana 5 by=eel1",
        'expect event.damaged.source == "eel1" and event.damaged.credit == "eel1"',
    )
    said = [line.partition(" → ")[2] for line in lines]
    assert said[1] == "shallows begins: 3 creatures, 9 placements"
    assert said[3:6] == ["refused: locked", "shallows begins anew: 3 creatures, 9 placements", "holds"]
    assert said[6] == "is an error: STAGE is missing: which one? (shallows, wreck)"
    assert said[8:10] == ["the stage is left", "refused: no_change"]
    assert said[14] == "harbourmaster: Take a lamp before you dive.; next: accept ana first_light"
    assert not any(line.startswith("does not hold") for line in said)
    assert said[21] == "charge of ana is the design's again"


def test_a_player_joins_from_a_file(reef: Design, tmp_path: Path) -> None:
    (tmp_path / "a.play").write_text("join diver ana\nearn ana scrip 7\nsave ana\n", encoding="utf-8")
    url = f"sqlite:///{tmp_path / 's.db'}"
    assert run("play", REEF, "a.play", "--store", url, cwd=tmp_path)[0] == 0
    assert run("saves", "export", REEF, "ana", "--store", url, "--out", "ana.json", cwd=tmp_path)[0] == 0
    (tmp_path / "b.play").write_text(
        "join diver ana from=ana.json\nexpect ana.scrip == 7\n", encoding="utf-8"
    )
    code, out, err = run("play", REEF, "b.play", cwd=tmp_path)
    assert (code, "1 of 1 expectations hold" in out + err) == (0, True), out + err
