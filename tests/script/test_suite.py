"""Many scripts: `cleaver test`, baselines, pytest's own collecting, recorded sessions, two designs
compared."""

from __future__ import annotations

import xml.etree.ElementTree as ElementTree
from pathlib import Path

import pytest

from cleaver import Actor, BaselineError, Design, FormulaError, UsageError, World, load_design, sample
from cleaver.design.changes import changes
from cleaver.script import Session
from cleaver.script.recording import Recording
from cleaver.script.runner import carry_out
from cleaver.script.state import state_of
from cleaver.script.suite import design_named, find_scripts, judge
from cleaver.testing import expect
from helpers import run

pytest_plugins = "pytester"
REEF, DIVE = (sample.path(name).read_text(encoding="utf-8") for name in ("lanternreef.toml", "dive.play"))


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A project: the design, the dive, and a script that fails."""
    (tmp_path / "lanternreef.toml").write_text(REEF, encoding="utf-8")
    (tmp_path / "dive.play").write_text(DIVE, encoding="utf-8")
    (tmp_path / "more").mkdir()
    (tmp_path / "more/bad.play").write_text(
        "join diver ana\nhurt ana 5\nexpect ana.suit == 90 and ana.air > 3\nexpect ana.alive\n",
        encoding="utf-8",
    )
    return tmp_path


def swap(folder: Path, old: str, new: str) -> int:
    """Change the design; returns the line where it is changed."""
    text = (folder / "lanternreef.toml").read_text(encoding="utf-8")
    assert old in text
    (folder / "lanternreef.toml").write_text(text.replace(old, new, 1), encoding="utf-8")
    return text[: text.index(old)].count("\n") + 1


def test_every_script_below_is_played_and_what_fails_is_told_with_both_sides(folder: Path) -> None:
    code, out, _ = run("test", cwd=folder)

    assert code == 1
    assert out.splitlines() == [
        f"✗ {Path('more/bad.play')}:3: expect ana.suit == 90 and ana.air > 3",
        "    ana.suit == 90: ana.suit is 86",
        "    the latest events before it:",
        "      #1 at 0 s  ana enters",
        "      #2 at 0 s  ana loses 4 suit (90 → 86)",
        "2 scripts: 1 pass, 1 does not; 7 of 8 expectations hold; no baselines",
    ]
    assert run("test", "dive.play", cwd=folder)[:2] == (
        0,
        "1 script: passes; 6 of 6 expectations hold; no baselines\n",
    )


def test_a_line_that_is_wrong_is_exit_code_2_and_stops_no_other_script(folder: Path) -> None:
    (folder / "a.play").write_text("join diver ana\nhrut ana 5\n", encoding="utf-8")
    code, out, _ = run("test", "--jobs", "2", cwd=folder)

    assert code == 2
    assert (
        "✗ a.play: cannot be played\n    a.play:2: hrut ana 5\n    unknown command 'hrut'; did you mean 'hurt'?"
        in out
    )
    assert out.endswith("3 scripts: 1 pass, 2 do not; 7 of 8 expectations hold; no baselines\n")


def test_the_results_are_written_as_junit_xml(folder: Path) -> None:
    (folder / "a.play").write_text("hrut\n", encoding="utf-8")
    run("test", "--junit", "out.xml", cwd=folder)

    root = ElementTree.parse(folder / "out.xml").getroot()
    assert (root.tag, root.get("tests"), root.get("failures"), root.get("errors")) == (
        "testsuites",
        "3",
        "1",
        "1",
    )
    cases = {case.get("name"): case for case in root.iter("testcase")}
    assert [child.tag for child in cases["a.play"]] == ["error"]
    assert [child.tag for child in cases["dive.play"]] == []
    failure = cases["more/bad.play"].find("failure")
    assert failure is not None
    assert "ana.suit is 86" in (failure.text or "")


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("nowhere",), "nowhere is not there"),
        (("empty",), "there is no script"),
        (("--jobs", "-1"), "--jobs"),
    ],
)
def test_wrong_use_of_test_is_told(folder: Path, words: tuple[str, ...], told: str) -> None:
    (folder / "empty").mkdir()
    code, out, err = run("test", *words, cwd=folder)

    assert code == 2
    assert told in err
    assert not out


def test_a_script_finds_its_design(folder: Path) -> None:
    (folder / "more/other.toml").write_text("[actors.crate]\nmeters.planks = 3\n", encoding="utf-8")

    assert design_named(folder / "more/bad.play", []).name == "other.toml"
    assert (
        design_named(folder / "more/bad.play", ["", "# a note", "# design: ../lanternreef.toml"])
        == folder / "more/../lanternreef.toml"
    )
    assert (
        design_named(folder / "more/bad.play", ["# design: x.toml"], folder / "y.toml") == folder / "y.toml"
    )
    (folder / "more/third.json").write_text('{"actors": {}}', encoding="utf-8")
    with pytest.raises(
        UsageError, match="may belong to any of other.toml, third.json; name it in the script's first line"
    ):
        design_named(folder / "more/bad.play", [])
    (folder / "lanternreef.toml").unlink()
    (folder / "pyproject.toml").write_text("[project]\n", encoding="utf-8")
    with pytest.raises(UsageError, match="no design in .*, where dive.play stands, or above"):
        design_named(folder / "dive.play", [])
    assert find_scripts([folder, folder / "dive.play"]) == [folder / "dive.play", folder / "more/bad.play"]


# baselines


def test_a_baseline_that_holds_is_the_same_and_one_of_a_failing_script_is_not_kept(folder: Path) -> None:
    code, out, _ = run("test", "--update", cwd=folder)
    assert code == 1
    assert out.endswith("baselines 1 written, 1 not kept\n")
    assert not (folder / "more/bad.baseline.jsonl").exists()
    before = (folder / "dive.baseline.jsonl").read_bytes()
    assert run("test", "--update", "dive.play", cwd=folder)[1].endswith("baselines 1 unchanged\n")
    assert (folder / "dive.baseline.jsonl").read_bytes() == before
    assert run("test", "dive.play", cwd=folder)[:2] == (
        0,
        "1 script: passes; 6 of 6 expectations hold; 1 of 1 baseline the same\n",
    )


@pytest.mark.parametrize(
    ("old", "new", "came", "since"),
    [
        (
            "{ score = 10 }",
            "{ score = 0 }",
            "expected: at 4 s, ana scores 10",
            "rules[1].do[1].score was 10 and is 0",
        ),
        (
            "amount = 6, to",
            "amount = 5, to",
            "amount was 6 and is 5",
            "actors.winch.pulses.haul.do[1].amount was 6 and is 5",
        ),
        ("lasts = 3.0", "lasts = 2.0", "at 8.5 s, ana loses 1 suit", "statuses.venom.lasts was 3 and is 2"),
    ],
    ids=["reward", "total", "duration"],
)
def test_a_baseline_tells_the_first_difference_and_what_changed_with_its_line(
    folder: Path, old: str, new: str, came: str, since: str
) -> None:
    judge(folder / "dive.play", update=True)
    line = swap(folder, old, new)

    code, out, _ = run("test", "dive.play", cwd=folder)

    assert code == 1, out
    assert "differs from its baseline" in out, out
    assert came in out, out
    assert f"lanternreef.toml:{line}: {since}" in out, out


def test_a_flipped_drain_is_seen_by_a_baseline(folder: Path) -> None:
    (folder / "air.play").write_text("join diver ana\ntag ana submerged\nadvance 55\n", encoding="utf-8")
    judge(folder / "air.play", update=True)
    line = swap(folder, "{ rate = -1.2,", "{ rate = 1.2,")

    verdict = judge(folder / "air.play")

    assert verdict.difference is not None
    assert verdict.difference.line == 3
    assert verdict.difference.told[1:4] == (
        "  expected: at 35 s, ana's air falls to thin",
        "  actual:   nothing more from this step",
        "  since the baseline was kept, the design has changed:",
    )
    assert (
        f"lanternreef.toml:{line}: actors.diver.meters.air.flows[1].rate was −1.2 and is 1.2"
        in verdict.difference.told[4]
    )


@pytest.mark.parametrize(
    ("script", "told"),
    [
        (
            DIVE.replace("advance 4\n", "advance 5\n", 1),
            "the script says 'advance 5', and the baseline has 'advance 4'",
        ),
        (DIVE + "advance 1\n", "the script says 'advance 1', and the baseline has nothing more"),
        (DIVE.replace("save ana\n", ""), "the script says nothing more, and the baseline has 'save ana'"),
        (DIVE.replace("seed 4", "\nseed 4"), "this stood in line 2 of the script, and stands in line 3"),
    ],
    ids=["other", "longer", "shorter", "moved"],
)
def test_a_script_that_was_changed_is_told_apart_from_a_design_that_was(
    folder: Path, script: str, told: str
) -> None:
    judge(folder / "dive.play", update=True)
    (folder / "dive.play").write_text(script, encoding="utf-8")

    verdict = judge(folder / "dive.play")

    assert verdict.difference is not None
    assert told in "\n".join(verdict.difference.told)
    assert verdict.difference.told[-1] == "  nothing in the design has changed since"


def test_a_baseline_that_is_none_is_an_error_that_says_what_to_do(folder: Path) -> None:
    (folder / "dive.baseline.jsonl").write_text("{}\n", encoding="utf-8")
    verdict = judge(folder / "dive.play")
    assert verdict.exit_code == 2
    assert (
        verdict.wrong
        == "dive.baseline.jsonl:1 is no head of a baseline; run `cleaver test --update` to have it written anew"
    )
    assert str(BaselineError("a.jsonl", 0, "is no text")) == "a.jsonl is no text"


# pytest


def test_pytest_collects_scripts_and_tells_failures_as_the_command_does(
    pytester: pytest.Pytester, folder: Path
) -> None:
    pytester.makeini(f"[pytest]\ncleaver_design = {folder / 'lanternreef.toml'}\n")
    (pytester.path / "dive.play").write_text(DIVE, encoding="utf-8")
    (pytester.path / "bad.play").write_text(
        (folder / "more/bad.play").read_text(encoding="utf-8"), encoding="utf-8"
    )
    pytester.makepyfile("""
        from cleaver.testing import expect
        def test_a_diver_is_whole(cleaver_world):
            ana = cleaver_world.join("diver", "ana")
            ana.hurt(5)
            expect(cleaver_world, "ana.suit == 86 and count.damaged == 1")
    """)

    result = pytester.runpytest_subprocess("--cleaver-update")

    result.assert_outcomes(passed=2, failed=1)
    result.stdout.fnmatch_lines(
        ["*bad.play:3: expect ana.suit == 90 and ana.air > 3", "    ana.suit == 90: ana.suit is 86"]
    )
    assert (pytester.path / "dive.baseline.jsonl").exists()


def test_only_scripts_that_are_surely_ours_are_collected(pytester: pytest.Pytester) -> None:
    for folder in ("alone", "beside", "named", "other"):
        pytester.mkdir(folder)
    (pytester.path / "alone/a.play").write_text("a tune of somebody else's\n")
    (pytester.path / "other/b.play").write_bytes(b"\xff\xfe\0")
    (pytester.path / "beside/c.play").write_text("join diver ana\n")
    (pytester.path / "beside/lanternreef.toml").write_text(REEF, encoding="utf-8")
    (pytester.path / "named/d.play").write_text("# design: ../beside/lanternreef.toml\njoin diver ana\n")
    pytester.makeconftest("""
        import sys

        def pytest_sessionfinish() -> None:
            print("loaded", [name for name in sys.modules if name.startswith("cleaver.script")])
    """)
    alone = pytester.runpytest_subprocess("--collect-only", "-q", "alone", "other").stdout.str()
    assert "loaded []" in alone  # files of somebody else's cost nothing
    found = pytester.runpytest_subprocess("--collect-only", "-q").stdout.str()
    assert "beside/c.play" in found
    assert "named/d.play" in found
    assert "a.play" not in found
    assert "b.play" not in found

    pytester.makeini("[pytest]\ncleaver_scripts = false\n")
    assert ".play" not in pytester.runpytest_subprocess("--collect-only", "-q").stdout.str()


def test_the_design_of_the_fixture_is_not_looked_for_above_the_project(pytester: pytest.Pytester) -> None:
    project = pytester.mkdir("project")
    (pytester.path / "lanternreef.toml").write_text(REEF, encoding="utf-8")
    (project / "test_it.py").write_text("def test_it(cleaver_world): pass\n")
    found = pytester.runpytest_subprocess("--rootdir", "project", "project").stdout.str()
    assert "there is no design in" in found


def test_looking_from_outside_leaves_a_session_as_it_was(reef: Design) -> None:
    session = Session(reef)
    typed(session, "join diver ana", "hurt ana 5", "heal ana 1")
    expect(session.world, "count.damaged == 1")

    assert session.evaluate("new.healed == 1 and new.damaged == 0")


def test_expect_names_each_side_and_the_latest_events(world: World, ana: Actor) -> None:
    ana.hurt(5)
    expect(world, "ana.suit == 86 and event.damaged.amount == 4 and count.damaged == 1")
    with pytest.raises(AssertionError) as caught:
        expect(world, "ana.suit == 90")
    assert str(caught.value).splitlines() == [
        "it does not hold:",
        "  ana.suit == 90: ana.suit is 86",
        "the latest events:",
        "  #1 at 0 s  ana enters",
        "  #2 at 0 s  ana loses 4 suit (90 → 86)",
    ]
    with pytest.raises(FormulaError, match="did you mean 'ana.suit'"):
        expect(world, "ana.suti == 90")
    assert not world.listeners  # looking leaves nothing behind


# sessions that are recorded


def typed(session: Session, *lines: str) -> None:
    for number, line in enumerate(lines, 1):
        carry_out(session, number, line)


def test_a_session_becomes_a_test_of_what_changed(folder: Path) -> None:
    session = Session(load_design(folder / "lanternreef.toml"), remember=True, seed=3)
    session.recording = Recording(session, folder / "new.play", folder / "lanternreef.toml")
    typed(
        session,
        "join diver ana",
        "spawn eel eel1",
        "hit ana by=eel1 with=sting crit=no",
        "show ana",
        "record expect",
        "hurt ana 50",
        "undo",
        "tag ana submerged",
        "record off",
        "heal ana 1",
        "record on",
        "record expect",
        "expect ana.suit == 1",
    )

    assert (folder / "new.play").read_text(encoding="utf-8").splitlines() == [
        "# design: lanternreef.toml",
        "seed 3",
        "join diver ana",
        "spawn eel eel1",
        "hit ana by=eel1 with=sting crit=no",
        'expect ana.suit == 85 and "venom" in ana.statuses and ana.record.damage_taken == 5',
        "tag ana submerged",
        'expect ana.suit == 86 and "submerged" in ana.tags',
    ]


def test_undo_takes_the_expectations_after_a_line_back_too(folder: Path) -> None:
    session = Session(load_design(folder / "lanternreef.toml"), remember=True)
    session.recording = Recording(session, folder / "new.play")
    typed(
        session, "join diver ana", "hurt ana 5", "record expect", "undo", "earn ana scrip 2", "record expect"
    )

    assert (folder / "new.play").read_text(encoding="utf-8").splitlines() == [
        "join diver ana",
        "earn ana scrip 2",
        "expect ana.scrip == 2",
    ]


def test_undo_of_what_was_left_out_leaves_the_file_as_it_is(folder: Path) -> None:
    session = Session(load_design(folder / "lanternreef.toml"), remember=True)
    session.recording = Recording(session, folder / "new.play")
    typed(
        session,
        "join diver ana",
        "tag ana submerged",
        "record off",
        "earn ana scrip 9",
        "record on",
        "undo",
        "undo",
        "redo",
        "redo",
        "undo",
        "give ana pearl",
    )

    assert (folder / "new.play").read_text(encoding="utf-8").splitlines() == [
        "join diver ana",
        "tag ana submerged",
        "give ana pearl",
    ]
    assert session.evaluate('ana.scrip == 0 and "submerged" in ana.tags and ana.pearl == 1')


def test_a_design_whose_path_has_spaces_is_found_again(folder: Path) -> None:
    (folder / "old wreck").mkdir()
    (folder / "lanternreef.toml").rename(folder / "old wreck/my reef.toml")
    session = Session(load_design(folder / "old wreck/my reef.toml"), remember=True)
    session.recording = Recording(session, folder / "new.play", folder / "old wreck/my reef.toml")
    typed(session, "join diver ana", "hurt ana 5", "record expect")

    assert judge(folder / "new.play").passed
    assert judge(folder / "new.play").design == "my reef.toml"


def test_a_profile_beside_a_script_is_found_from_anywhere(folder: Path) -> None:
    (folder / "more/saved.json").write_text(
        '{"format": 1, "player": "ana", "version": 1, "sections": {"currencies": {"scrip": 12}}}',
        encoding="utf-8",
    )
    (folder / "more/load.play").write_text(
        "join diver ana\nload ana from=saved.json\nexpect ana.scrip == 12\n", encoding="utf-8"
    )

    assert judge(folder / "more/load.play").passed
    assert run("diff", "lanternreef.toml", "lanternreef.toml", "more/load.play", cwd=folder)[:2] == (
        0,
        f"lanternreef.toml → lanternreef.toml: nothing has changed\n\n{Path('more/load.play')}: the same under both\n",
    )
    assert run("why", "lanternreef.toml", "more/load.play", "ana.scrip", cwd=folder)[0] == 0


def test_a_recording_plays_as_it_was_typed(folder: Path) -> None:
    lines = (
        "join diver ana\nplace pearl p\ntake ana p\naccept ana first_light\ntag ana submerged\nadvance 7.3\nrecord expect\nplace lamp_rack rack\ntake ana rack\n"
        "record expect\nsave ana\nstore fail 1\nexpect_error save ana\n"
    )
    code, out, err = run("play", "lanternreef.toml", "--record", "new.play", stdin=lines, cwd=folder)
    assert code == 0, out + err
    code, out, _ = run("test", "new.play", cwd=folder)
    assert (code, out) == (0, "1 script: passes; 4 of 4 expectations hold; no baselines\n")
    assert 'ana.quest.first_light == "completed"' in (folder / "new.play").read_text(encoding="utf-8")
    code, _, err = run("play", "lanternreef.toml", "--record", "new.play", stdin="", cwd=folder)
    assert code == 2
    assert "new.play is there already; name another file to record into" in err


def test_recording_begins_before_anything_else_or_says_so(reef: Design, tmp_path: Path) -> None:
    with pytest.raises(UsageError, match="a script records nothing by itself"):
        carry_out(Session(reef), 1, f"record on {tmp_path / 'a.play'}")
    session = Session(reef, remember=True)
    with pytest.raises(UsageError, match="nothing is being recorded"):
        carry_out(session, 1, "record expect")
    typed(session, f"record on {tmp_path / 'a.play'}", "join diver ana")
    assert (tmp_path / "a.play").read_text(encoding="utf-8") == "join diver ana\n"
    with pytest.raises(UsageError, match="begins with a fresh world"):
        carry_out(session, 1, f"record on {tmp_path / 'b.play'}")


def test_everything_a_recording_can_expect_can_be_read(world: World, ana: Actor, eel: Actor) -> None:
    world.match("salvage_race").start()
    ana.take(world.place("pearl", "p"))
    ana.accept("first_light")
    for path, value in state_of(world).items():
        assert world.value(path) == (list(value) if isinstance(value, tuple) else value), path


# two designs


def test_changes_are_told_by_key_whatever_moved() -> None:
    old = {
        "a": {"max": 3, "on": True},
        "meters": {"suit": 90, "air": {"max": 5}},
        "rules": [{"on": "x"}, {"on": "y", "do": [1]}],
        "gone": {"b": 1},
    }
    new = {
        "a": {"max": 3.5, "on": 1},
        "meters": {"suit": {"max": 90, "start": 1}, "air": 5},
        "rules": [{"on": "new"}, {"on": "x"}, {"on": "y", "do": [2]}],
        "c": {},
    }

    assert [str(change) for change in changes(old, new)] == [
        "a.max was 3 and is 3.5",
        "a.on was true and is 1",
        "meters.suit.start is new: 1",
        'rules[1] is new: {"on": "new"}',
        "rules[3].do[1] was 1 and is 2",
        "c is new",
        'gone is gone, was {"b": 1}',
    ]
    assert changes(old, old) == []


def test_two_designs_are_compared_in_words_and_by_what_scripts_come_to(folder: Path) -> None:
    (folder / "old.toml").write_text(REEF, encoding="utf-8")
    line = swap(folder, '"6 + 6 * charge"', '"6 + 5 * charge"')
    code, out, _ = run("diff", "old.toml", "lanternreef.toml", "dive.play", "more/bad.play", cwd=folder)

    assert code == 1  # an expectation of the dive holds no more
    told = [" ".join(row.split()) for row in out.splitlines()]
    assert told[:2] == [
        "old.toml → lanternreef.toml: 1 change",
        f'lanternreef.toml:{line}: actors.eel.attacks.sting.amount was "6 + 6 * charge" and is '
        '"6 + 5 * charge" (and so for actors.moray)',
    ]
    assert "expectations that hold 6 of 6 4 of 6" in told
    assert any(row.startswith("line 15 holds ana.suit == ana.suit.max - 12.5") for row in told)
    assert any(
        row.startswith("first difference, line 14, 6 s ana loses 12.5 suit (90 → 77.5)") for row in told
    )
    assert "more/bad.play: the same under both" in told
    assert run("diff", "old.toml", "old.toml", cwd=folder)[:2] == (
        0,
        "old.toml → old.toml: nothing has changed\n",
    )


def test_a_script_that_cannot_be_played_any_more_is_told(folder: Path) -> None:
    (folder / "old.toml").write_text(REEF, encoding="utf-8")
    swap(folder, "[pickups.sealant]", "[pickups.putty]")
    code, out, _ = run("diff", "old.toml", "lanternreef.toml", "dive.play", cwd=folder)

    assert code == 1
    assert "stops at line 9: unknown pickup 'sealant'" in " ".join(out.split())
    assert "pickups.putty is new" in out
    assert "pickups.sealant is gone" in out
