"""What stages hold and give, known before play: worked numbers, and what `check` makes of them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from cleaver import Design
from cleaver.design.checks import findings
from cleaver.design.totals import Total, totals_of
from helpers import REEF, run

DESIGN: dict[str, Any] = {
    "inputs": {"luck": 2},
    "currencies": {"scrip": {}},
    "items": {"pearl": {}, "fang": {}},
    "actors": {
        "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}, "attacks": {"jab": {"amount": 9, "cooldown": 1}}},
        "eel": {
            "vital": "hide",
            "tags": ["fish"],
            "meters": {"hide": 30},
            "on_death": [{"place": "fang", "amount": 2, "chance": 0.5, "lasts": 9}, {"earn": "scrip", "amount": 3, "to": "source"}],
        },
    },
    "pickups": {
        "pearl": {"do": [{"give": "pearl"}]},
        "fang": {"do": [{"give": "fang"}]},
        "kit": {"inputs": {"mends": 4}, "do": [{"earn": "scrip", "amount": "mends"}], "respawn_after": 9},
        "box": {"do": [{"choose": [{"weight": 9, "do": [{"give": "pearl", "amount": 2}]}, {"do": [{"score": 30}]}]}], "once": True},
    },
    "exchanges": {"office": {"costs": {"pearl": 1, "fang": 1}, "gives": {"scrip": 5}}, "loan": {"costs": {"scrip": 9}, "do": [{"raise_max": "suit", "amount": 1}]}},
    "rules": [
        {"on": "collected", "of": "pearl", "do": [{"score": 10}]},
        {"on": "defeated", "of": "fish", "do": [{"score": 25}]},
    ],
    "ratings": {"dive": {"measure": "self.score", "steps": [50, 110, 111]}},
    "stages": {"reef": {"pickups": {"pearl": [[0, 0], [1, 1], [2, 2]], "box": 5}, "actors": {"eel": 2}, "rating": "dive"}},
}  # fmt: skip


def made(**more: Any) -> Design:
    return Design.from_dict({**DESIGN, **more})


def told(**more: Any) -> list[str]:
    return [f"{finding.name}: {finding.wrong}" for finding in findings(made(**more))]


def test_a_stage_gives_what_lies_and_lives_in_it() -> None:
    totals = totals_of(made())["reef"]

    assert (totals.actors, totals.pickups) == (
        {"eel": Total(2, False)},
        {"pearl": Total(3, False), "box": Total(5, False), "fang": Total(4, False)},
    )
    assert totals.goods == {
        "scrip": Total(6, True),  # 2 eels, and the office
        "score": Total(110, False),  # 3 pearls, 2 eels, and the best that one box of five may hold
        "pearl": Total(5, False),
        "fang": Total(4, False),
    }


def test_what_comes_back_or_goes_by_formula_is_more() -> None:
    stage = {"reef": {"pickups": {"kit": 2}, "rating": "dive"}}
    assert totals_of(made(stages=stage))["reef"].goods["scrip"] == Total(8, True)
    rules = [{"on": "collected", "do": [{"score": "luck"}]}]
    assert totals_of(made(stages=stage, rules=rules))["reef"].score == Total(0, True)
    rules = [{"on": "healed", "do": [{"score": 1}]}, *DESIGN["rules"]]
    assert totals_of(made(rules=rules))["reef"].score == Total(110, True)


def test_a_star_that_needs_more_points_than_the_stage_holds_is_told() -> None:
    assert told() == ["star_out_of_reach: asks for 111 points, and all there is in reef is 110: 2 of 3 stars"]
    fits = {"dive": {"measure": "self.score", "steps": [50, 110]}}
    assert told(ratings=fits) == []
    assert told(rules=[*DESIGN["rules"], {"on": "healed", "do": [{"score": 1}]}]) == []


@pytest.mark.parametrize(
    ("section", "entries", "wrong"),
    [
        ("quests", {"q": {"goals": [{"on": "collected", "of": "pearl", "count": 4}]}}, "more_than_there_is: asks for 4, and all stages together hold 3"),
        ("quests", {"q": {"goals": [{"on": "collected", "of": "pearl", "count": 3}]}}, ""),
        ("quests", {"q": {"goals": [{"on": "collected", "of": "kit", "count": 9}]}}, ""),
        ("quests", {"q": {"goals": [{"on": "defeated", "of": "fish", "count": 3}]}}, "more_than_there_is: asks for 3, and all stages together hold 2"),
        ("quests", {"q": {"goals": [{"on": "collected", "of": "kit", "count": "all"}]}}, 'all_of_nothing: is "all" of nothing: no stage holds kit'),
        ("matches", {"m": {"win_at": "all", "rules": [{"on": "collected", "of": "kit", "do": [{"score": 0, "when": "1 > 2"}]}]}}, 'all_of_nothing: is "all" of nothing: no stage holds kit'),
        ("stages", {**DESIGN["stages"], "deep": {"actors": {"eel": 1}, "needs": ["self.stars >= 4"]}}, "stage_never_open: asks for 4 stars, and there are at most 3 without deep"),
    ],
)  # fmt: skip
def test_what_asks_for_more_than_there_is_is_told(section: str, entries: dict[str, Any], wrong: str) -> None:
    fits = {"dive": {"measure": "self.score", "steps": [10, 20, 30]}}
    found = [line for line in told(ratings=fits, **{section: entries}) if not line.startswith("zero_amount")]
    assert found == ([wrong] if wrong else [])


def test_show_has_the_stages_as_a_table_and_as_a_page(tmp_path: Path) -> None:
    code, out, _ = run("show", REEF, "stages", "--figure", "stages.png", cwd=tmp_path, COLUMNS="200")
    assert code == 0
    assert "self.stars.shallows >= 1" in out
    assert "99 and more score" in out
    assert (tmp_path / "stages.png").read_bytes().startswith(b"\x89PNG")
