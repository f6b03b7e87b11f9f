"""Scripts: lines, commands, expectations, exit codes."""

from __future__ import annotations

import gc
import json
import re
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import CleaverError, Design, SaveError, ScriptError, sample
from cleaver.script import Session, Step, play
from cleaver.script.command import COMMANDS, Command
from cleaver.script.lines import Words, without_comment
from cleaver.script.parameters import ActorName, Input, Item, Truth, Whole
from cleaver.script.runner import carry_out, step_lines

NUMBERS = [
    "nan",
    "-nan",
    "inf",
    "-inf",
    "1" + "0" * 400,
    "-1" + "0" * 400,
    "1e999",
    "1e-400",
    "-0",
    "0",
    "-1",
    "0.5",
    "1e300",
    "1_000",
    "0x10",
    "٣",
    "9" * 30,
    "true",
    "''",
]
SETTING = [
    "join diver ana team=north",
    "join diver bea",
    "spawn eel eel1",
    "spawn winch winch1",
    "place sealant kit",
    "place pearl p1",
    "snapshot before",
    "earn ana scrip 3",
]
TYPED = ("quit", "record", "run", "speed", "choose", "undo", "redo")  # what only a person at the prompt says
BEFORE = {
    "seed": [],
    "join": [],
    "spawn": ["join diver ana"],
    "place": ["join diver ana"],
    "expect": ["join diver ana", "set ana.suit 77.5"],
    "load": [*SETTING, "save ana"],
    "begin_turn": ["adopt actors.diver.turns=true", *SETTING],
    "drop": [*SETTING, "launch ana bolt as=s1"],
    **{name: [*SETTING, "accept ana drowned_bells"] for name in ("turn_in", "abandon", "fail")},
}  # where SETTING would be in the way, or is not enough


@pytest.fixture
def session(reef: Design) -> Session:
    run = Session(reef)
    play(run, ["join diver ana team=north", "spawn eel eel1"])
    return run


def said(session: Session, *lines: str) -> list[Step]:
    steps: list[Step] = []
    play(session, lines, tell=steps.append)
    return steps


def test_the_script_of_the_design_pages_holds(reef: Design) -> None:
    lines = """
        seed 7
        join diver ana team=north
        spawn eel eel1
        hit ana by=eel1 with=sting zone=visor charge=0.5 crit=no
        expect ana.suit == 77.5                  # 9 × 3 visor × 0.5 venom − 1 armour = 12.5
        advance 3
        expect ana.suit == 71.5                  # six pulses of 2 × 0.5
        place sealant kit mends=60
        take ana kit
        expect ana.suit == 90 and event.healed.amount == 18.5
        take ana kit
        expect result.blocked == "gone"
        expect_error heal ana -5""".splitlines()

    assert play(Session(reef), lines) == (13, 5, 0)


def test_the_sample_dive_holds_and_frames_change_nothing(reef: Design) -> None:
    lines = sample.path("dive.play").read_text(encoding="utf-8").splitlines()
    plain, framed = Session(reef), Session(reef)
    framed.frame = (0.05, lambda: None)

    assert play(plain, lines).failed == 0 == play(framed, lines).failed
    assert [event.plain() for event in plain.world.events] == [event.plain() for event in framed.world.events]


def test_a_failed_expectation_shows_both_sides_and_goes_on(session: Session) -> None:
    steps = said(session, "hurt ana 6", "expect ana.suit == 80 and ana.alive", "expect ana.alive")

    assert steps[1].failed
    assert steps[1].said == "does not hold: ana.suit == 80: ana.suit is 85"
    assert not steps[2].failed
    assert session.failures == 1


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("hitt ana", "did you mean 'hit'?"),
        ("hurt ana five", "'five'; it must be a number"),
        ("hurt anna 5", "did you mean 'ana'?"),
        ("hurt ana", "AMOUNT is missing"),
        ("heal ana 5 metr=air", "did you mean 'meter='?"),
        ("heal ana 5 6", "unexpected argument"),
        ("hit ana by=eel1 with=stign", "'sting'"),
        ("hit ana with=sting", "by= is missing"),
        ("hit ana by=eel1 with=sting crit=maybe", "crit=yes or crit=no"),
        ("expect ana.siut == 3", "did you mean 'ana.suit'?"),
        ("expect ana.tags", "words"),
        ("expect event.healed.amount == 3", "no healed so far"),
        ("expect result.dealt == 3", "no"),
        ("expect", "cannot be read"),
        ("until -1", "is -1"),
        ("spawn diver d", "is a player kind"),
        ("join eel e", "not a player kind"),
        ("join diver event", "begins a path"),
        ("announce ana reached place=wreck", "needs depth="),
        ("seed 8", "before anything else"),
        ("repeat 2 expect ana.alive", "acts"),
        ('tag ana "sub', "quote"),
        ("set suit 4", "NAME.METER"),
        ("restore nothing", "there are none"),
        ("undo", "snapshot and restore"),
        ("join diver ana", "is taken"),
    ],
)
def test_a_wrong_line_stops_with_its_place_and_what_would_be_right(
    session: Session, line: str, words: str
) -> None:
    if line.startswith("until"):
        words = "time does not go back"
        line = "until 0.5"
        said(session, "advance 1")
    if line == "expect result.dealt == 3":
        words = "unknown field 'dealt'"
        said(session, "heal ana 3")
    with pytest.raises(ScriptError) as caught:
        play(session, ["", line], file="x.play")

    assert words in str(caught.value)
    assert str(caught.value).startswith(f"x.play:2: {line}")


def test_fails_holds_only_where_the_command_is_an_error(session: Session) -> None:
    steps = said(
        session,
        "expect_error heal ana -5",
        "expect_error hurt ana 5",
        "expect_error heal ana 500",
        "expect_error expect ana.siut == 3",
    )

    assert [step.failed for step in steps] == [False, True, True, False]
    assert "it was done" in steps[1].said
    assert "refused" not in steps[1].said


def test_counts_and_results_are_of_the_last_command_that_acted(session: Session) -> None:
    steps = said(
        session,
        "hurt ana 6",
        "expect new.damaged == 1 and result and result.dealt == 5",
        "show ana",
        "expect new.damaged == 1",
        "hurt ana 6",
        'expect new.damaged == 0 and result.blocked == "grace" and not result',
        "advance 1",
        "repeat 3 drain ana 1 meter=air",
        "expect new.drained == 1 and count.drained == 3 and count.struck == 1 and event.drained.amount == 1",
        'expect event.struck.actor == "ana"',
        "expect now == 1 and seed == 0",
        'expect ana.team == "north" and not "submerged" in ana.tags',
    )

    assert [step.said for step in steps if step.failed] == []


def test_a_snapshot_is_come_back_to_with_its_counts(session: Session) -> None:
    steps = said(
        session,
        "hurt ana 6",
        "snapshot here",
        "advance 1",
        "hurt ana 6",
        "expect ana.suit == 80 and count.damaged == 2",
        "restore here",
        "expect ana.suit == 85 and count.damaged == 1 and now == 0",
        "advance 1",
        "hurt ana 6",
        "expect ana.suit == 80",
    )

    assert not any(step.failed for step in steps)


def test_a_tally_counts_from_its_line_on_what_it_is_about(session: Session) -> None:
    said(
        session,
        "spawn eel eel2",
        "drain ana 50",
        "tally lost on=drained who=ana sum=amount",
        "tally hits on=drained who=ana by=eel1",
        "tally worst on=drained who=ana best=amount",
        "tally least on=drained least=amount",
        "tally big on=drained sum=amount where='event.amount > 9 and event.actor != \"eel2\"'",
        "tally fall on=died who=eel2 first=yes",
        "expect tally.lost == 0 and tally.worst.count == 0 and tally.fall.count == 0",
        "drain ana 4",
        "drain ana 10 by=eel1",
        "advance 2",
        "drain eel2 30 meter=hide",
        "spawn eel eel3",
        "advance 1",
        "drain eel3 20",
    )
    assert [
        session.evaluate(f"tally.{name}") for name in ("lost", "hits", "worst", "least", "big", "fall")
    ] == [14, 1, 10, 4, 30, 2]
    assert session.evaluate("tally.lost.count") == 2
    assert session.evaluate("event.drained.actor == 'eel3' and tally.fall == 2")


def test_a_tally_goes_back_with_the_rest(reef: Design) -> None:
    session = Session(reef, remember=True)
    said(session, "join diver ana", "tally lost on=drained sum=amount", "drain ana 5", "snapshot here")
    found = []
    for line in ("drain ana 7", "restore here", "drain ana 8", "undo", "redo"):
        said(session, line)
        found.append(session.evaluate("tally.lost"))
    assert found == [12, 5, 13, 5, 13]
    said(session, *["undo"] * 4)
    with pytest.raises(CleaverError, match="tally"):
        said(session, *["undo"] * 2, "expect tally.lost == 0")


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("tally lost on=hurt", "unknown event 'hurt'"),
        ("tally lost on=drained sum=size", "unknown field of drained 'size'"),
        ("tally lost on=drained sum=amount best=amount", "give it one of them"),
        ("tally a-b on=drained", "no name of a tally"),
        ("tally lost on=drained who=bea", "'bea'"),
        ("tally lost on=drained where=event.size", "'size'"),
        ("tally lost", "on= is missing"),
        ("expect tally.lost == 0", "tally"),
        ("join diver tally", "already begins a path"),
    ],
)
def test_a_tally_that_is_wrong_says_so(session: Session, line: str, told: str) -> None:
    with pytest.raises(CleaverError) as caught:
        said(session, line)
    assert told in str(caught.value)
    assert not session.tallies


def test_undo_takes_back_one_command_after_another(reef: Design) -> None:
    run = Session(reef, remember=True)
    for line in ("join diver ana", "hurt ana 6", "advance 1", "hurt ana 11"):
        carry_out(run, 1, line)
    assert carry_out(run, 1, "undo").said == "took back: hurt ana 11"
    assert run.evaluate("ana.suit") == 85
    carry_out(run, 1, "undo")
    carry_out(run, 1, "undo")
    assert run.evaluate("ana.suit") == 90
    assert run.counts == {"joined": 1}


def test_saved_is_saved_and_zero_is_zero(reef: Design) -> None:
    run = Session(reef)
    steps = said(
        run,
        "join diver ana",
        "earn ana scrip 33",
        "save ana",
        "earn ana scrip 10",
        "load ana",
        "expect ana.scrip == 33 and count.saved == 1",
        "leave ana",
        "join diver ana",
        "expect ana.scrip == 33",
        "join diver bea",
        "expect bea.scrip == 0",
        "load bea",
        'expect result.blocked == "no_change"',
    )

    assert not any(step.failed for step in steps)


def test_steps_are_told_with_events_and_causes(session: Session) -> None:
    step = said(session, "hit ana by=eel1 with=sting zone=visor charge=0.5 crit=no")[0]

    assert step_lines(step, 0.0) == [
        "hit ana by=eel1 with=sting zone=visor charge=0.5 crit=no  → 12.5 dealt: 9 × 3 visor × 0.5 venom − 1 armour = 12.5",
        "    #3  ana loses 12.5 suit (90 → 77.5) to eel1's sting in the visor",
        "    #4  ana is under venom by eel1  ← #3",
    ]


def test_a_function_with_typed_parameters_is_a_command(session: Session) -> None:
    def dig(
        session: Session,
        actor: ActorName,
        depth: Whole = 1,
        *,
        with_: Item,
        hard: Truth = False,
        **inputs: Input,
    ) -> str:
        """Digs a hole."""
        return f"{actor.id} {depth} {with_} {hard} {inputs}"

    made = Command("dig", "tests", "dig ana", True, dig)
    assert (made.usage, made.help) == ("dig NAME [N] with= [hard=] [INPUT=…]", "digs a hole")
    assert made.run(session, "ana with=pearl charge=0.5") == "ana 1 pearl False {'charge': 0.5}"
    assert made.run(session, "ana 3 hard=yes with=pearl") == "ana 3 pearl True {}"
    for line, wrong in (
        ("", "NAME is missing; write: dig NAME"),
        ("ana", "with= is missing; write: dig NAME"),
        ("bob with=pearl", "unknown actor 'bob'"),
        ("ana 1.5 with=pearl", "N is 1.5"),
        ("ana with=pearl hard=maybe", "hard=maybe must be hard=yes or hard=no"),
        ("ana 1 2 with=pearl", "'2' is an unexpected argument"),
        ("ana with=pearl with=pearl", "with= stands twice"),
    ):
        with pytest.raises(CleaverError, match=re.escape(wrong)):
            made.run(session, line)


def test_lines_are_split_as_a_shell_splits_them() -> None:
    words = Words('a "b c" x=1 d\\ e y="2 3"')

    assert (words.words, words.options) == (["a", "b c", "d e"], {"x": "1", "y": "2 3"})
    assert without_comment('expect "a # b" == x  # c') == 'expect "a # b" == x'


@pytest.mark.parametrize("name", [name for name in COMMANDS if name not in TYPED])
def test_the_example_of_every_command_is_carried_out_as_it_stands(reef: Design, name: str) -> None:
    found, run = COMMANDS[name], Session(reef)
    play(run, BEFORE.get(name, SETTING))

    assert play(run, [found.example]).failed == 0
    assert found.example.split()[0] == name
    assert found.help


@given(
    st.lists(
        st.one_of(
            st.sampled_from(
                [command.example for command in COMMANDS.values() if command.name not in ("quit",)]
            ),
            st.text(max_size=30),
        ),
        max_size=8,
    )
)
def test_any_line_is_carried_out_or_refused(lines: list[Any]) -> None:
    run = Session(FUZZED)
    for line in lines:
        try:
            play(run, line.splitlines())
        except ScriptError:
            pass


FUZZED = Design.from_dict(
    {
        "currencies": {"scrip": {}},
        "items": {"pearl": {}},
        "actors": {
            "diver": {"player": True, "vital": "suit", "meters": {"suit": 90, "air": 60}},
            "eel": {"vital": "hide", "meters": {"hide": 30}, "attacks": {"sting": {"amount": 6}}},
        },
    }
)


@pytest.mark.parametrize("name", [name for name in COMMANDS if name not in ("quit", "record", "store")])
def test_a_line_with_any_number_is_a_step_or_an_error_and_a_refused_one_changes_nothing(
    reef: Design, name: str
) -> None:
    example = COMMANDS[name].example
    places = [match.span() for match in re.finditer(r"(?<![a-z_])\d+(\.\d+)?\b", example)]
    lines = [
        example,
        f"{example} 5",
        *(f"{name} {number}" for number in NUMBERS[:3]),
        *(f"{example} {number}" for number in NUMBERS),
        *(example[:start] + number + example[end:] for start, end in places for number in NUMBERS),
        *(
            f"{example} {option}={number}"
            for option in re.findall(r"(\w+)=", COMMANDS[name].usage)
            for number in NUMBERS
        ),
    ]
    for line in lines:
        run = Session(reef)
        play(run, SETTING)
        before = json.dumps(run.world.snapshot())
        try:
            play(run, [line])
        except ScriptError as error:
            str(error).encode()
            assert json.dumps(run.world.snapshot()) == before or name in ("advance", "until", "repeat"), line


def test_the_store_of_a_session_that_named_none_is_closed_with_it(reef: Design) -> None:
    session = Session(reef)
    play(session, ["join diver ana", "save ana"])
    store = session.own_store()

    del session
    gc.collect()
    with pytest.raises(SaveError):
        store.players()
