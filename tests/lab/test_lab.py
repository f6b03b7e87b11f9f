"""Trials: sessions by hand, the same arrays everywhere, and answers that are known."""

from __future__ import annotations

import json
import subprocess
import sys
from itertools import count
from math import isnan
from pathlib import Path
from typing import Any

import by_hand
import pytest
from by_hand import same
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from cleaver import CleaverError, Design, DesignError, UnknownNameError, UsageError, World, dice, sample
from cleaver.figures.lab import page
from cleaver.lab import Joblib, Lab, Processes, Serial, Trial, load_trial
from cleaver.lab.loading import trial_of
from cleaver.lab.play import Player
from helpers import run

DIVE = sample.path("trials/dive.toml")

SMALL: dict[str, Any] = {
    "inputs": {"charge": 1.0},
    "items": {"pearl": {}},
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": {"max": 90, "marks": {"low": 0.5}}},
            "attacks": {"jab": {"amount": 10, "crit": {"chance": 0.1, "times": 2}}},
        },
        "eel": {"vital": "hide", "meters": {"hide": 1000}, "attacks": {"sting": {"amount": 5}}},
    },
    "pickups": {"pearl": {"do": [{"give": "pearl"}]}},
    "rules": [{"on": "struck", "do": [{"score": 1}]}],
}


def trial(design: dict[str, Any] | None = None, **tables: Any) -> Trial:
    """Return a trial on a small design."""
    base: dict[str, Any] = {
        "setup": {"lines": "join diver ana\nspawn eel eel1"},
        "end": {"after": 10},
        "measures": {"suit": "ana.suit"},
    }
    return trial_of({**base, **tables}, Design.from_dict(design or SMALL))


def lab(made: Trial, **keys: Any) -> Lab:
    """Return a lab of a trial."""
    return Lab(made, **keys)


# one session by hand


def test_a_habit_comes_by_its_clock() -> None:
    found = lab(trial(habits={"sting": {"every": 3, "do": "hit ana by=eel1 with=sting"}})).play(5)

    # At 3, 6 and 9 s: three stings of 5.
    assert found.measure("suit").tolist() == [75.0] * 5
    assert found.seconds.tolist() == [10.0] * 5


def test_after_until_and_times_bound_it() -> None:
    def left(**keys: Any) -> float:
        habit = {"every": 1, "do": "hurt ana 1", **keys}
        return float(lab(trial(habits={"leak": habit})).play(1).measure("suit")[0])

    assert left() == 80  # at 1, 2, … 10
    assert left(after=5) == 85  # at 6, 7, 8, 9, 10
    assert left(until=4) == 86
    assert left(times=3) == 87
    assert left(when="now < 4.5") == 86
    assert left(chance=0) == 90


def test_each_has_a_clock_of_its_own_latecomers_too_and_the_dead_have_none() -> None:
    found = lab(
        trial(
            habits={
                "sting": {"each": "eel", "every": 2, "when": "it.alive", "do": "hit ana by={it} with=sting"},
                "come": {"every": 4, "times": 1, "do": "spawn eel late{n}"},
                "end": {"every": 7, "times": 1, "do": "hurt eel1 9999"},
            }
        )
    ).play(1)

    # eel1 at 2, 4 and 6; late1 came at 4: at 6, 8 and 10.
    assert found.measure("suit").tolist() == [90 - 6 * 5]


@pytest.mark.parametrize(
    ("when", "stings"),
    [
        ("it.alive", 2),
        ("ana.alive and it.alive", 2),
        ("not (ana.alive and it.alive and ana.alive)", 3),
        ("now > 0 if now > 5 else ana.alive and it.alive", 5),
        ("it.alive or now > 5", 5),
    ],
)
def test_a_habit_about_the_dead_comes_where_its_condition_is_true_of_them(when: str, stings: int) -> None:
    made = trial(
        habits={
            "leak": {"each": "eel", "every": 2, "when": when, "do": "hurt ana 1"},
            "end": {"every": 5, "times": 1, "do": "hurt eel1 9999"},
        }
    )

    # At 2, 4, 6, 8 and 10 s; the eel dies at 5 s.
    assert lab(made).play(1).measure("suit").tolist() == [90.0 - stings]


def test_one_is_picked_of_those_that_are_there() -> None:
    found = lab(
        trial(
            setup={"lines": "join diver ana\nplace pearl p1 p2 p3"},
            habits={"take": {"pick": "pearl", "every": 1, "do": "take ana {it}"}},
            measures={"pearls": "ana.pearl", "left": "pickups.pearl.left", "first": "p1.present"},
        )
    ).play(3)

    assert found.measure("pearls").tolist() == [3.0] * 3
    assert found.measure("left").tolist() == [0.0] * 3
    assert found.measure("first").tolist() == [0.0] * 3


def test_a_habit_comes_after_an_event() -> None:
    found = lab(
        trial(
            habits={
                "leak": {"every": 1, "do": "hurt ana 10"},
                "mend": {
                    "on": "crossed",
                    "who": "ana",
                    "where": 'event.mark == "low" and event.way == "down"',
                    "delay": 0.5,
                    "do": "heal ana 1000",
                },
            }
        )
    ).play(1)

    # 90 … 40 at 5 s; full again at 5.5 s; 10 less at 6, 7, 8, 9 (50), and 10 (40), mended after the end.
    assert found.measure("suit").tolist() == [40.0]


def test_a_session_ends_by_what_comes_first() -> None:
    leak = {"leak": {"every": 1, "do": "hurt ana 30"}}
    for end, seconds in (
        ({"after": 2.5}, 2.5),
        ({"after": 10, "on": "died", "who": "ana"}, 3.0),
        ({"after": 10, "when": "ana.suit < 60"}, 2.0),
    ):
        assert lab(trial(habits=leak, end=end)).play(1).seconds.tolist() == [seconds]


def test_measures_are_formulas_and_tallies() -> None:
    found = lab(
        trial(
            habits={"leak": {"every": 2, "do": "hurt ana 20"}},
            measures={
                "hurt": {"on": "damaged", "who": "ana"},
                "lost": {"on": "damaged", "who": "ana", "sum": "amount"},
                "most": {"on": "damaged", "who": "ana", "best": "amount"},
                "least": {"on": "damaged", "who": "ana", "least": "after"},
                "died": {"on": "died", "who": "ana", "first": True},
                "began": {"on": "damaged", "who": "ana", "first": True},
                "never": {"on": "healed", "who": "ana", "first": True},
                "late": {"on": "damaged", "where": "event.before < 60"},
                "alive": "ana.alive",
            },
            over_time={"every": 2, "suit": "ana.suit"},
        )
    ).play(1)

    row = dict(zip(found.shape.measures, found.values[0].tolist(), strict=True))
    assert isnan(row.pop("never"))
    assert row == {
        "hurt": 5,
        "lost": 90,
        "most": 20,
        "least": 0,
        "died": 10,
        "began": 2,
        "late": 3,
        "alive": 0,
    }
    assert found.fan[0, :, 0].tolist() == [70, 50, 30, 10, 0]


def test_one_that_was_dead_when_its_turn_came_begins_anew_when_it_is_back() -> None:
    design = {**SMALL, "actors": {**SMALL["actors"]}}
    design["actors"]["eel"] = {**SMALL["actors"]["eel"], "respawn": {"after": 2}}
    found = lab(
        trial(
            design,
            habits={
                "kill": {"every": 2, "times": 1, "do": "hurt eel1 9999"},
                "nip": {"each": "eel", "every": 3, "when": "it.alive", "do": "hurt ana 1"},
            },
            measures={"first": {"on": "damaged", "who": "ana", "first": True}, "suit": "ana.suit"},
        )
    ).play(1)

    # Dead from 2 to 4: not at 3, and then three seconds after it is back, at 7 and 10.
    assert (found.measure("first").tolist(), found.measure("suit").tolist()) == ([7.0], [88.0])


def test_players_come_by_their_shares_and_have_their_inputs() -> None:
    players = {"weak": {"share": 0.25, "power": 1.0}, "strong": {"share": 0.75, "power": 3.0}}
    made = trial(players=players, habits={"leak": {"every": ["power", "power"], "do": "hurt ana 1"}})
    found = lab(made).play(400)

    assert 70 <= int((found.player == 0).sum()) <= 130
    assert set(found.of("weak").measure("suit").tolist()) == {80.0}
    assert set(found.of("strong").measure("suit").tolist()) == {87.0}
    alone = lab(made, only="weak").play(10)
    assert alone.player.tolist() == [0] * 10


def test_a_python_callable_takes_a_players_place() -> None:
    made = trial(habits={"leak": {"every": 1, "do": "hurt ana 1"}})

    def careful(world: World, luck: dice.Stream) -> None:
        world.after(2.0 + luck.draw(), lambda: world.actor("ana").hurt(7))

    with_callable = lab(made, players={"all": careful})
    assert with_callable.play(3).measure("suit").tolist() == [83.0] * 3
    assert lab(made).play(3).measure("suit").tolist() == [80.0] * 3, "another lab has its habits"
    with pytest.raises(UsageError, match="is no script"):
        with_callable.replay(0, "nowhere")


# known chances


def test_one_critical_in_ten_comes_as_often_as_arithmetic_says() -> None:
    made = trial(
        habits={"jab": {"every": 1, "do": "hit eel1 by=ana with=jab"}},
        measures={"lost": {"on": "damaged", "who": "eel1", "sum": "amount"}, "critical": "eel1.hide < 899.5"},
    )

    found = lab(made, sessions=2000).run().measures["critical"]["all"]

    assert found.estimate.low <= 1 - 0.9**10 <= found.estimate.high


@pytest.mark.long
@pytest.mark.parametrize("target", [0.2, 0.5, 0.8])
def test_a_chance_is_solved_for(target: float) -> None:
    design = {**SMALL, "inputs": {"charge": 1.0}}
    design["actors"] = {
        **SMALL["actors"],
        "diver": {
            **SMALL["actors"]["diver"],
            "attacks": {"jab": {"amount": 1, "crit": {"chance": 0.3, "times": 50}}},
        },
    }
    made = trial(
        design,
        habits={"jab": {"every": 5, "do": "hit eel1 by=ana with=jab"}},
        measures={"critical": "eel1.hide < 990"},
    )
    # Two jabs: a critical one among them with 1 − (1 − c)².
    root = 1 - (1 - target) ** 0.5

    found = lab(made).solve("actors.diver.attacks.jab.crit.chance", "critical", target, low=0.01, high=0.95)

    assert found.answer is not None
    assert found.answer.low <= root <= found.answer.high
    assert found.answer.high - found.answer.low < 0.2
    assert found.confirmed is not None


def test_half_is_of_all_sessions_also_of_those_that_ended_before() -> None:
    def found(stings: float) -> Any:
        made = trial(
            habits={
                "die": {"every": 2, "times": 1, "chance": stings, "do": "hurt ana 999"},
                "find": {"every": 3, "times": 1, "when": "ana.alive", "do": "give ana pearl 1"},
            },
            end={"after": 10, "on": "died"},
            measures={"pearl": {"on": "gained", "who": "ana", "first": True}},
        )
        return lab(made, sessions=50).run().measures["pearl"]["all"]

    assert (found(0).half, found(0).cells[2]) == (3, "half by 3 s")
    # Who is dead finds nothing: the curve, which takes those for gone at 2 s, would have all find it by 3 s.
    assert found(0.8).cells[2] == "half never"
    assert found(0.8).quantiles[0.5].value == 3
    assert found(0.2).cells[2] == "half by 3 s"


@pytest.mark.long
def test_an_answer_says_how_far_it_rests_on_the_guesses() -> None:
    made = trial(
        players={"all": {"luck": 0.5}},
        habits={"leak": {"every": 9, "chance": "luck", "do": "hit ana by=eel1 with=sting"}},
        measures={"suit": "ana.suit"},
    )

    found = lab(made).solve("actors.eel.attacks.sting.amount", "suit", 80, low=1, high=50)

    # A sting in every second session: one of 20 for 80 of 90. With 0.45 and 0.55 of them, 81 and 79.
    assert found.answer is not None
    assert found.answer.low <= 20 <= found.answer.high
    assert found.guesses is not None
    low, high = found.guesses
    assert 1 < high - low < 3
    assert 77 < low < high < 83


def test_the_page_is_about_a_measure_and_what_moves_it(tmp_path: Path) -> None:
    made = trial(
        title="A page",
        habits={
            "leak": {"every": 4, "chance": 0.6, "do": "hit ana by=eel1 with=sting"},
            "jab": {"every": 4, "chance": 0.5, "do": "hit eel1 by=ana with=jab"},
        },
        measures={
            "alive": "ana.alive",
            "suit": "ana.suit",
            "hit": {"on": "damaged", "who": "ana", "first": True},
        },
    )
    asked = lab(made, sessions=60)

    found = asked.page(asked.run(), "suit", 70)

    assert found.title.startswith("A page: suit is 8")
    assert found.title.endswith("; 70 is wanted")
    assert found.levers.found[0].key == "actors.diver.meters.suit.max"
    assert found.swept is not None
    assert [point[0] / 90 for point in found.swept.found] == [0.5, 0.75, 1, 1.25, 1.5]
    assert page(found, tmp_path / "page.png").stat().st_size > 20_000


@pytest.mark.long
def test_a_mean_is_solved_for_and_whole_numbers_stay_whole() -> None:
    design = {**SMALL, "items": {"pearl": {"most": 3}}}
    made = trial(
        design,
        habits={"find": {"every": 1, "chance": 0.5, "do": "give ana pearl 1"}},
        measures={"pearls": "ana.pearl"},
    )

    found = lab(made).solve("items.pearl.most", "pearls", 4.4)

    # The least of `most` and a binomial of ten: 3.76 for four, 4.39 for five, 4.76 for six.
    assert found.answer is not None
    assert (found.answer.value, found.now) == (5, 3)


def test_what_cannot_be_met_is_said_with_the_best_there_is() -> None:
    made = trial(
        habits={"leak": {"every": 1, "chance": 0.5, "do": "hit ana by=eel1 with=sting"}},
        measures={"alive": "ana.suit > 80"},
    )

    found = lab(made).solve("actors.eel.attacks.sting.amount", "alive", 0.9, low=5, high=20)

    assert found.answer is None
    assert found.why.startswith("not within 5 … 20; best ")


def test_a_jump_is_said() -> None:
    made = trial(
        habits={"leak": {"every": 4, "chance": 0.6, "do": "hit ana by=eel1 with=sting"}},
        measures={"alive": "ana.alive"},
    )

    found = lab(made).solve("actors.eel.attacks.sting.amount", "alive", 0.8, low=30, high=70)

    # Two stings of 45 and more kill, less do not: 36 % of the sessions have two.
    assert found.why.startswith("jumps between ")
    assert found.answer is not None
    assert found.answer.low <= 45 <= found.answer.high


# the same luck, wherever it is played


@pytest.mark.long
def test_sessions_are_the_same_wherever_and_in_whatever_blocks_they_are_played(tmp_path: Path) -> None:
    made = load_trial(DIVE)
    serial = Lab(made, sessions=24).play()

    for engine in (Processes(2, "fork"), Processes(2, "spawn"), Joblib(2)):
        assert same(serial, Lab(made, sessions=24, engine=engine).play()), engine
    assert same(serial.picked(serial.number >= 9), Lab(made, sessions=15).play(first=9))


def test_a_run_that_was_stopped_plays_only_what_is_missing(tmp_path: Path) -> None:
    made = trial(habits={"sting": {"every": [0.5, 2], "do": "hit ana by=eel1 with=sting"}})
    whole = Lab(made, sessions=420).play()
    done: list[int] = []
    first = Lab(made, sessions=130, cache=tmp_path, on_progress=lambda now, total: done.append(now))
    first.play()
    assert (done[0], done[-1]) == (0, 130)
    done.clear()

    more = Lab(made, sessions=420, cache=tmp_path, on_progress=lambda now, total: done.append(now))

    assert same(more.play(), whole)
    assert done[0] == 130
    files = sorted(tmp_path.glob("*/*.npz"))
    files[0].write_bytes(b"cut off")
    done.clear()
    assert same(more.play(), whole)
    assert 0 < done[0] < 420
    other = Lab(made, sessions=420, seed=1, cache=tmp_path, on_progress=lambda now, total: done.append(now))
    done.clear()
    other.play(10)
    assert done[0] == 0, "another seed is another run"


def test_a_run_that_is_interrupted_keeps_what_was_played(tmp_path: Path) -> None:
    made = trial(habits={"sting": {"every": [0.5, 2], "do": "hit ana by=eel1 with=sting"}})

    def stop(done: int, total: int) -> None:
        if done >= 100:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        Lab(made, sessions=400, cache=tmp_path, on_progress=stop).play()
    done: list[int] = []
    Lab(made, sessions=400, cache=tmp_path, on_progress=lambda now, total: done.append(now)).play()

    assert done[0] >= 100


def test_two_designs_are_played_under_the_same_luck() -> None:
    made = trial(
        habits={"jab": {"every": [0.5, 1.5], "chance": 0.5, "do": "hit eel1 by=ana with=jab"}},
        measures={
            "lost": {"on": "damaged", "who": "eel1", "sum": "amount"},
            "hits": {"on": "damaged", "who": "eel1"},
        },
    )

    found = lab(made, sessions=200).compare({"actors.diver.attacks.jab.amount": 11})

    assert found.differences["hits"].differ == 0
    before, after = found.before["lost"].estimate.value, found.after["lost"].estimate.value
    assert after == pytest.approx(before * 1.1)
    assert found.changes == ("actors.diver.attacks.jab.amount was 10 and is 11",)


@pytest.mark.long
def test_levers_find_what_matters_and_nothing_else() -> None:
    made = trial(
        players={"all": {"nerve": 0.5}},
        habits={"sting": {"every": [1, 2], "chance": "nerve", "do": "hit ana by=eel1 with=sting"}},
    )

    found = lab(made, sessions=120).levers("suit")

    keys = [one.key for one in found.found]
    assert set(keys) == {
        "actors.eel.attacks.sting.amount",
        "actors.diver.meters.suit.max",
        "players.*.nerve",
        "habits.sting.every",
    }
    assert keys[0] == "actors.diver.meters.suit.max"
    assert [one.guess for one in found.found if one.key.startswith(("players", "habits"))] == [True, True]


def test_a_session_is_replayed_as_a_script(tmp_path: Path) -> None:
    written = Lab(DIVE).replay(3, tmp_path / "three")

    assert [path.name for path in written] == ["session3.json", "session3.play"]
    code, told, _ = run("test", str(written[1]), cwd=tmp_path)
    assert code == 0, told
    assert "6 of 6 expectations hold" in told
    with pytest.raises(UsageError, match="already"):
        Lab(DIVE).replay(3, tmp_path / "three")


def test_a_replay_expects_truths_and_numbers(tmp_path: Path) -> None:
    made = trial(measures={"alive": "ana.alive", "dead": "not ana.alive", "suit": "ana.suit / 3"})

    written = lab(made).replay(0, tmp_path)

    lines = written[1].read_text().splitlines()[-3:]
    assert lines == [
        "expect ana.alive  # alive",
        "expect not (not ana.alive)  # dead",
        "expect ana.suit / 3 == 30.0  # suit",
    ]
    assert run("test", str(written[1]), cwd=tmp_path)[0] == 0


def test_every_run_is_checked_against_scripts() -> None:
    made = load_trial(DIVE)

    assert Lab(made).check(Lab(made, sessions=40).play()) == 20


# what is wrong


@pytest.mark.parametrize(
    ("tables", "told"),
    [
        ({"habits": {"a": {"every": 0, "do": "hurt ana 1"}}}, "would stop time"),
        ({"habits": {"a": {"every": 1, "do": "advance 5"}}}, "advance may not stand in a trial"),
        ({"habits": {"a": {"every": 1, "do": "save ana"}}}, "save may not stand"),
        ({"habits": {"a": {"every": 1, "do": "hit ana by=eel1 with=stng"}}}, "did you mean 'sting'"),
        ({"habits": {"a": {"every": 1, "do": "hurt bob 1"}}}, "bob"),
        ({"habits": {"a": {"every": 1, "when": "ana.siut > 1", "do": "hurt ana 1"}}}, "ana.siut"),
        ({"habits": {"a": {"every": 1, "each": "eal", "do": "hurt ana 1"}}}, "did you mean 'eel'"),
        ({"habits": {"a": {"do": "hurt ana 1"}}}, "give it every = … or on = …"),
        ({"habits": {"a": {"evry": 1, "do": "hurt ana 1"}}}, "did you mean 'every'"),
        ({"habits": {"a": {"every": 1, "chance": 2, "do": "hurt ana 1"}}}, "from 0 to 1"),
        ({"habits": {"a": {"on": "damagd", "do": "hurt ana 1"}}}, "did you mean 'damaged'"),
        ({"measures": {}}, "measure something"),
        ({"measures": {"a": {"on": "damaged", "sum": "amuont"}}}, "did you mean 'amount'"),
        ({"measures": {"a": {"on": "damaged", "sum": "amount", "first": True}}}, "give it one of them"),
        ({"measures": {"a": "ana.team"}}, "must be a number or a truth"),
        ({"end": {"after": 10, "on": "did"}}, "event"),
        ({"end": {"after": 10, "lines": "rate ana dive"}}, "rating"),
        ({"players": {"a": {"x": 1}, "b": {"y": 1}}}, "the same inputs"),
        ({"players": {"a": {"share": 0}}}, "more than 0"),
        ({"setup": {"lines": "jion diver ana"}}, "did you mean 'join'"),
        ({"setup": {"lines": "repeat 100000 {\nrepeat 100000 {\nspawn eel\n}\n}"}}, "repeat less often"),
        ({"setup": {"lines": "repeat 100000 {\nrepeat 100000 {\n}\n}"}}, "unknown name 'ana'"),
        ({"set": {"actors.eel.meters.hied": 5}}, "is no key of this design"),
        ({"set": {"actors.eel.meters.hied": 5}}, "did you mean 'actors.eel.meters.hide'?"),
        ({"set": {"actors.eel.attacks.stng.amount": 5}}, "did you mean 'actors.eel.attacks.sting.amount'?"),
        ({"set": {"actor.eel.attacks.stng.amuont": 5}}, "did you mean 'actors.eel.attacks.sting.amount'?"),
        ({"set": {"actors.eel.meters.hide": -5}}, "greater than 0"),
        ({"over_time": {"suit": "ana.suit"}}, "over_time.every"),
    ],
    ids=count(),
)
def test_what_is_wrong_is_found_before_the_first_play(tables: dict[str, Any], told: str) -> None:
    with pytest.raises(DesignError) as found:
        trial(**tables)

    assert told in str(found.value)


def test_everything_is_told_at_once_with_lines(tmp_path: Path) -> None:
    (tmp_path / "lanternreef.toml").write_text(sample.path("lanternreef.toml").read_text())
    text = DIVE.read_text().replace("../lanternreef.toml", "lanternreef.toml")
    text = text.replace('chance = "1 - dodge"', 'chance = "1 - dogde"').replace("ana.score", "ana.scroe")
    (tmp_path / "bad.toml").write_text(text)

    with pytest.raises(DesignError) as found:
        load_trial(tmp_path / "bad.toml")

    told = [(problem.line, problem.key) for problem in found.value.problems]
    assert told == [(37, "habits.sting.chance"), (79, "measures.score"), (88, "over_time.score")]


def test_one_habit_that_is_wrong_hides_nothing_about_the_others() -> None:
    bad = {"every": 1, "when": "ana.siut > 1", "do": "hurt ana 1"}
    with pytest.raises(DesignError) as found:
        trial(habits={"a": {**bad, "each": "eal"}, "b": bad, "c": {"every": 1, "do": "hurt bob 1"}})

    assert [one.key for one in found.value.problems] == ["habits.a.each", "habits.b.when", "habits.c.do"]


def test_what_a_trial_sets_is_one_change() -> None:
    design = {**SMALL, "ratings": {"dive": {"measure": "self.score", "steps": [10, 20]}}}

    made = trial(design, set={"ratings.dive.steps[1]": 30, "ratings.dive.steps[2]": 40})

    assert list(made.design.tables.ratings["dive"].steps) == [30, 40]
    with pytest.raises(DesignError) as found:
        trial(design, set={"ratings.dive.stps": [1], "actors.eel.meters.hied": 5})
    assert [one.key for one in found.value.problems] == [
        'set."ratings.dive.stps"',
        'set."actors.eel.meters.hied"',
    ]


def test_wrong_use_is_said() -> None:
    made = load_trial(DIVE)
    with pytest.raises(UnknownNameError, match="kind of player"):
        Lab(made, only="nwe")
    with pytest.raises(CleaverError, match="sessions"):
        Lab(made, sessions=0)
    with pytest.raises(UnknownNameError, match="measure"):
        Lab(made, sessions=5).levers("scor")
    with pytest.raises(UsageError, match="is no time"):
        Lab(made, sessions=5).when("score")
    with pytest.raises(DesignError, match="no key of this design"):
        Lab(made, sessions=5).compare({"actors.eel.meters.hied": 1})
    with pytest.raises(UsageError, match="session 0"):
        bad = trial(habits={"a": {"every": ["ana.suit - 89", "ana.suit - 89"], "do": "hurt ana 1"}})
        Lab(bad).play(1)


@settings(suppress_health_check=[HealthCheck.too_slow])
@given(data=st.data())
def test_no_trial_file_brings_anything_but_a_clear_error(data: st.DataObject) -> None:
    base = json.loads(json.dumps(load_trial(DIVE).data))
    base.pop("set")
    where: Any = base
    for _ in range(data.draw(st.integers(1, 4))):
        keys = list(where) if isinstance(where, dict) else list(range(len(where)))
        if not keys:
            break
        key = data.draw(st.sampled_from(keys))
        if data.draw(st.booleans()) or not isinstance(where[key], (dict, list)):
            where[key] = data.draw(
                st.one_of(
                    st.none(),
                    st.booleans(),
                    st.integers(),
                    st.floats(),
                    st.text(max_size=9),
                    st.sampled_from((1e-9, 5e-324, 1e6, 1e18, 2**64, 10**400, [0, 1e18], [1e-320, 1], "{n}")),
                    st.lists(st.integers(), max_size=2),
                    st.dictionaries(st.text(max_size=3), st.integers(), max_size=2),
                )
            )
            break
        where = where[key]
    try:
        made = trial_of(base, load_trial(DIVE).design)
        Player(made).play(0, 0)
    except CleaverError as error:
        assert str(error)


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"end": {"after": 1e18}}, "end.after: is 1e+18; at most 1,000,000,000 seconds"),
        ({"end": {"after": 1e6}}, "more than 1,000 looks in 1e+06 s"),
        ({"end": {"after": 1e6}, "over_time": {}}, "its habits come more than 100,000 times by "),
        ({"over_time": {"every": float("nan"), "suit": "ana.suit"}}, "must be a number of seconds above 0"),
    ],
)
def test_a_session_has_an_end(changed: dict[str, Any], said: str) -> None:
    with pytest.raises(CleaverError) as caught:
        Player(trial_of({**load_trial(DIVE).data, **changed}, load_trial(DIVE).design)).play(0, 0)
    assert said in str(caught.value)


# the command line


@pytest.mark.long
def test_the_command_answers_and_says_json(tmp_path: Path) -> None:
    code, told, _ = run("lab", "run", str(DIVE), "--sessions", "20", cwd=tmp_path)
    assert code == 0
    assert told.startswith("Two minutes under the pier: 20 sessions, seed 0\n")
    code, told, _ = run("lab", "run", str(DIVE), "--sessions", "20", "--format", "json", cwd=tmp_path)
    data = json.loads(told)
    assert (data["sessions"], data["seed"]) == (20, 0)
    assert set(data["measures"]["two_stars"]["all"]) >= {"share", "low", "high"}
    assert set(data["measures"]["score"]["all"]) >= {"mean", "low", "high", "quantiles"}
    code, _, told = run("lab", "run", "nope.toml", cwd=tmp_path)
    assert (code, "cannot be read" in told) == (2, True)


@pytest.mark.long
def test_sessions_are_written_as_a_table(tmp_path: Path) -> None:
    for name in ("a.csv", "a.parquet"):
        code, _, _ = run("lab", "run", str(DIVE), "--sessions", "12", "--table", name, cwd=tmp_path)
        assert code == 0

    rows = (tmp_path / "a.csv").read_text().splitlines()
    assert rows[0] == "session,player,seconds,two_stars,score,lost,first_death,three_pearls,eels"
    assert len(rows) == 13
    assert (tmp_path / "a.parquet").stat().st_size > 500


@pytest.mark.long
@pytest.mark.parametrize("engine", [Serial(), Processes(2, "spawn")])
def test_very_many_sessions_are_written_where_they_are_played(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, engine: Any
) -> None:
    import pandas

    whole = Lab(DIVE, sessions=30).run()
    monkeypatch.setattr("cleaver.lab.laboratory.MANY", 29)
    for cache in ("", tmp_path / "kept", tmp_path / "kept"):  # the third time, all of it was kept
        into = tmp_path / f"{len(list(tmp_path.iterdir()))}"
        into.mkdir()
        lab = Lab(DIVE, sessions=30, engine=engine, cache=cache)
        found = lab.run(table=str(into))
        assert found.sessions.fan.shape == (30, 0, 2)
        assert found.data == whole.data
        assert len(list(into.glob("*.parquet"))) > 1
        frame = pandas.read_parquet(into).sort_values("session", ignore_index=True)
        pandas.testing.assert_frame_equal(frame, whole.sessions.table().to_frame(), check_dtype=False)
        # What is kept is whole, whatever came back.
        assert len(lab.over("suit")[0]) == 12


# an independent simulation, and a cluster


def test_a_simulation_by_hand_comes_to_the_same_in_every_session() -> None:
    sessions = Lab(by_hand.trial(), sessions=300).play()

    for number in range(300):
        seconds, values = by_hand.by_hand(0, number)
        found = [None if isnan(value) else value for value in sessions.values[number].tolist()]
        assert (sessions.seconds[number], found) == (seconds, list(values)), f"session {number}"


@pytest.mark.long
def test_a_cluster_gives_the_same_also_where_a_worker_is_killed(tmp_path: Path) -> None:
    code = CLUSTER.format(tests=str(Path(__file__).parent))
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True, check=False, timeout=240
    )

    assert done.stdout.splitlines()[-2:] == ["same", "killed, same"], done.stdout + done.stderr


CLUSTER = """
import os, signal, sys
sys.path.insert(0, {tests!r})
if __name__ == "__main__":
    import by_hand
    from distributed import Client, LocalCluster
    from cleaver.lab import Dask, Lab
    from by_hand import same
    options = dict(n_workers=2, threads_per_worker=1, dashboard_address=None, host="127.0.0.1")
    with LocalCluster(**options) as cluster, Client(cluster) as client:
        engine = Dask(client)
        whole = Lab(by_hand.trial(), sessions=200).play()
        print("same" if same(whole, Lab(by_hand.trial(), sessions=200, engine=engine).play()) else "differs")
        killed = []

        def kill(done, total):
            if done and not killed:
                killed.append(next(iter(client.run(os.getpid).values())))
                os.kill(killed[0], signal.SIGKILL)

        again = Lab(by_hand.trial(), sessions=200, engine=engine, on_progress=kill).play()
        print("killed, same" if killed and same(whole, again) else "differs")
"""


def test_parts_of_a_table_belong_together_also_where_one_has_nothing_in_a_column(tmp_path: Path) -> None:
    import pandas

    from cleaver.table import Table

    types = {"first": "Float64", "won": "boolean"}
    parts: list[tuple[Any, ...]] = [(0, None, None), (1, 1.5, True), (2, 3.0, None)]
    for number, row in enumerate(parts):
        Table(("session", "first", "won"), [row], types).write(tmp_path / f"{number}.parquet")

    frame = pandas.read_parquet(tmp_path)

    assert [value if value == value else None for value in frame["first"].astype(float)] == [None, 1.5, 3.0]
    assert frame["won"].isna().tolist() == [True, False, True]
