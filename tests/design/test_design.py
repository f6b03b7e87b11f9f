"""Designs: what loads, and that everything wrong is told at once, where and with what would be right."""

from __future__ import annotations

import copy
import json
import pickle
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import Design, DesignError, load_design, sample, schema
from cleaver.design import models
from cleaver.design.lines import json_lines, toml_lines
from cleaver.design.reading import read_text


def problems(tables: dict[str, Any]) -> str:
    with pytest.raises(DesignError) as caught:
        Design.from_dict(tables)
    return str(caught.value)


EEL = {"vital": "hide", "meters": {"hide": 30}}


def test_the_sample_loads_from_toml_and_the_same_from_json(tmp_path: Path, reef: Design) -> None:
    copy = tmp_path / "reef.json"
    copy.write_text(json.dumps(reef.source.tree))

    assert load_design(copy).fingerprint == reef.fingerprint
    assert reef.title == "Lanternreef"


def test_three_slips_are_told_at_once_with_line_key_and_the_right_word(tmp_path: Path) -> None:
    file = tmp_path / "slips.toml"
    file.write_text(
        "[actors.diver]\nplyer = true\nmeters.suit = { max = 90, overfil = 30 }\n\n[pickups.kit]\ndo = [ { heal = 25 } ]\nrespwn_after = 3\n"
    )

    with pytest.raises(DesignError) as caught:
        load_design(file)

    found = {(problem.line, problem.key) for problem in caught.value.problems}
    assert found == {
        (2, "actors.diver.plyer"),
        (3, "actors.diver.meters.suit.overfil"),
        (7, "pickups.kit.respwn_after"),
    }
    assert all(
        word in str(caught.value)
        for word in ("slips.toml:2", "did you mean 'player'?", "'overfill'", "'respawn_after'")
    )


@pytest.mark.parametrize(
    ("tables", "words"),
    [
        ({"rulez": 1}, "unknown section 'rulez'; did you mean 'rules'?"),
        ({"actors": {"eel": {**EEL, "meters": {"hide": {"max": 0}}}}}, "is 0; it must be greater than 0"),
        (
            {"actors": {"eel": {**EEL, "meters": {"hide": {"max": float("nan")}}}}},
            "actors.eel.meters.hide.max",
        ),
        ({"actors": {"eel": {**EEL, "meters": {"hide": {"max": [30]}}}}}, "must be a number"),
        ({"actors": {"eel": {**EEL, "meters": {"hide": {"max": 30, "marks": {"low": 1.5}}}}}}, "at most 1"),
        ({"actors": {"eel": {**EEL, "meters": {"hide": {"max": 30, "start": 40}}}}}, "above its max of 30"),
        ({"actors": {"eel": {**EEL, "meters": {"hide": {"max": 30.5, "whole": True}}}}}, "whole"),
        ({"actors": {"eel": {**EEL, "vital": "hied"}}}, "unknown meter 'hied' on eel; did you mean 'hide'?"),
        ({"actors": {"eel": {**EEL, "meters": {"hide": 30, "score": 3}}}}, "'score' is used by paths"),
        ({"actors": {"Eel": EEL}}, "names are lower-case words"),
        ({"actors": {"eel": {**EEL, "attacks": {"bite": {}}}}}, "actors.eel.attacks.bite.amount: is missing"),
        ({"actors": {"eel": {**EEL, "attacks": {"bite": {"amount": -5}}}}}, "the direction is in the verb"),
        (
            {"actors": {"eel": {**EEL, "attacks": {"bite": {"amount": True}}}}},
            "must be a number or a formula",
        ),
        (
            {
                "actors": {"eel": {**EEL, "attacks": {"bite": {"amount": "6 * chrge"}}}},
                "inputs": {"charge": 1},
            },
            "did you mean 'charge'?",
        ),
        (
            {"actors": {"eel": {**EEL, "attacks": {"bite": {"amount": "self.hied"}}}}},
            "did you mean 'self.hide'?",
        ),
        ({"actors": {"eel": {**EEL, "lives": {"start": 3, "most": 2}}}}, "above its most of 2"),
        ({"actors": {"eel": {"lives": {"start": 3}}}}, "must be able to die"),
        ({"rules": [{"on": "dmaged", "do": []}]}, "unknown event 'dmaged'; did you mean 'damaged'?"),
        ({"rules": [{"on": "damaged", "typ": "x", "do": []}]}, "did you mean 'type'?"),
        (
            {"rules": [{"on": "damaged", "of": "eeel", "do": []}], "actors": {"eel": EEL}},
            "did you mean 'eel'?",
        ),
        ({"rules": [{"on": "damaged", "critical": "yes", "do": []}]}, "holds a truth"),
        ({"rules": [{"on": "damaged", "do": [{"heel": 3}]}]}, "did you mean 'heal'?"),
        ({"rules": [{"on": "damaged", "do": [{"heal": 3, "hurt": 3}]}]}, "has two verbs"),
        ({"rules": [{"on": "damaged", "do": [{"heal": 3, "metr": "air"}]}]}, "did you mean 'meter'?"),
        (
            {"rules": [{"on": "damaged", "do": [{"earn": "scrip"}]}], "currencies": {"scrip": {}}},
            "earn has no amount",
        ),
        (
            {
                "rules": [{"on": "damaged", "do": [{"earn": "scrp", "amount": 3}]}],
                "currencies": {"scrip": {}},
            },
            "did you mean 'scrip'?",
        ),
        ({"rules": [{"on": "damaged", "do": [{"heal": 3, "to": "him"}]}]}, "must be one of self"),
        (
            {
                "events": {"reached": {"fields": {"depth": "number"}}},
                "rules": [{"on": "damaged", "do": [{"announce": "reached"}]}],
            },
            "does not say 'depth'",
        ),
        ({"events": {"damaged": {}}}, "one of Cleaver's own events"),
        (
            {"currencies": {"air": {}}, "actors": {"eel": {**EEL, "meters": {"hide": 30, "air": 3}}}},
            "is taken by currencies.air",
        ),
        ({"currencies": {"scrip": {"start": 1.5}}}, "a whole number"),
        ({"currencies": {"scrip": {"start": 10, "most": 5}}}, "above its most of 5"),
        ({"texts": {"scored": "{actr}"}}, "did you mean 'actor'?"),
        ({"actors": {"eel": {"like": "ele"}}}, "there is no 'ele'"),
        ({"actors": {"eel": {"like": "moray"}, "moray": {"like": "eel"}}}, "goes in a circle"),
    ],
    ids=str,
)
def test_a_slip_is_an_error_that_says_what_would_be_right(tables: dict[str, Any], words: str) -> None:
    assert words in problems(tables)


def test_like_merges_key_by_key_and_replaces_lists() -> None:
    design = Design.from_dict(
        {
            "actors": {
                "eel": {
                    "vital": "hide",
                    "meters": {"hide": {"max": 30, "marks": {"low": 0.25}}},
                    "tags": ["fish"],
                    "attacks": {"sting": {"amount": 6, "type": "venom"}},
                },
                "moray": {
                    "like": "eel",
                    "tags": ["boss"],
                    "meters": {"hide": 80},
                    "attacks": {"sting": {"amount": 9}, "bite": {"like": "sting", "cooldown": 2}},
                },
            }
        }
    )
    moray = design.tables.actors["moray"]

    assert moray.tags == ("boss",)
    assert moray.vital == "hide"
    assert moray.meters["hide"].max == 80
    assert moray.meters["hide"].marks == {"low": 0.25}
    assert moray.attacks["sting"].amount == 9
    assert moray.attacks["sting"].type == "venom"
    assert moray.attacks["bite"].amount == 9
    assert moray.attacks["bite"].cooldown == 2


def test_a_slip_in_an_inherited_key_points_at_the_line_it_came_from() -> None:
    source = read_text(
        '[actors.eel]\nvital = "hide"\nmeters.hide = 3\nattacks.bite = { amount = "6 * x" }\n[actors.moray]\nlike = "eel"\n'
    )
    from cleaver.design.design import build

    with pytest.raises(DesignError) as caught:
        build(source)

    assert [(problem.line, problem.key) for problem in caught.value.problems] == [
        (4, "actors.eel.attacks.bite.amount"),
        (4, "actors.moray.attacks.bite.amount"),
    ]


def test_design_objects_built_in_python_get_the_same_checks() -> None:
    eel = models.Actor(
        vital="hide", meters={"hide": models.MeterTable(max=30)}, attacks={"bite": models.Attack(amount=5)}
    )

    assert Design.from_dict({"actors": {"eel": eel}}).tables.actors["eel"].attacks["bite"].amount == 5
    assert "unknown meter 'fur'" in problems(
        {"actors": {"eel": models.Actor(vital="fur", meters={"hide": models.MeterTable(max=30)})}}
    )
    with pytest.raises(DesignError, match="Attack: amount: is missing"):
        models.Attack()  # type: ignore[call-arg]
    with pytest.raises(DesignError, match=r"(?s)max: is -3; it must be greater than 0.*unknown key 'mrks'"):
        models.MeterTable(max=-3, mrks={})  # type: ignore[call-arg]
    flow = models.Flow(rate=2, while_="wet")
    assert flow.written() == {"rate": 2.0, "while": "wet"}
    assert flow == pickle.loads(pickle.dumps(copy.deepcopy(flow))) != models.Flow(rate=3)
    with pytest.raises(AttributeError, match="cannot be changed"):
        flow.rate = 3  # type: ignore[misc]


@pytest.mark.parametrize(
    ("text", "words"),
    [("[actors", "is no valid TOML"), ("a = 1\na = 2", "is no valid TOML"), ("x" * 10, "is no valid TOML")],
)
def test_broken_toml_is_told_with_its_line(text: str, words: str) -> None:
    with pytest.raises(DesignError, match=words) as caught:
        read_text(text)
    assert caught.value.problems[0].line > 0


@pytest.mark.parametrize(
    "text", ['{"a": 1, "a": 2}', '{"a": NaN}', "[]", '{"a": ', "{" * 3000, '{"a":' * 40 + "1" + "}" * 40]
)
def test_broken_json_is_refused(text: str) -> None:
    with pytest.raises(DesignError):
        read_text(text, json_file=True)


def test_a_missing_file_and_a_file_of_bytes_are_told(tmp_path: Path) -> None:
    with pytest.raises(DesignError, match="cannot be read"):
        load_design(tmp_path / "none.toml")
    (tmp_path / "bytes.toml").write_bytes(b"\xff\xfe\x00")
    with pytest.raises(DesignError, match="not UTF-8"):
        load_design(tmp_path / "bytes.toml")


def test_lines_are_found_in_both_formats() -> None:
    toml = '[game]\ntitle = """a\n[not.a.table]\n"""\n[[rules]]\non = "x"\n[[rules]]\non = "y"\ndo = [\n  { heal = 1 },\n]\n'
    found = toml_lines(toml)

    assert found["game", "title"] == 2
    assert found["rules", 0, "on"] == 6
    assert found["rules", 1, "on"] == 8
    assert found["rules", 1, "do", 0, "heal"] == 10
    assert json_lines('{\n "a": {"b":\n [1,\n {"c": 2}]}}')["a", "b", 1, "c"] == 4


def test_the_schema_knows_every_section_and_refuses_unknown_keys() -> None:
    found = schema()

    assert {*models.DesignTables.declared(), "$schema"} == set(found["properties"])
    assert found["additionalProperties"] is False
    assert found["$defs"]["Actor"]["additionalProperties"] is False


@given(
    st.recursive(
        st.one_of(st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=5)),
        lambda inner: st.one_of(
            st.lists(inner, max_size=3),
            st.dictionaries(
                st.sampled_from(
                    [
                        "actors",
                        "rules",
                        "on",
                        "do",
                        "heal",
                        "meters",
                        "max",
                        "game",
                        "pickups",
                        "flows",
                        "like",
                        "x",
                    ]
                ),
                inner,
                max_size=4,
            ),
        ),
        max_leaves=12,
    )
)
def test_any_tree_is_loaded_or_refused(tree: Any) -> None:
    try:
        Design.from_dict(tree if isinstance(tree, dict) else {"actors": tree})
    except DesignError as error:
        assert error.problems


def test_designs_equal_in_content_have_equal_fingerprints() -> None:
    assert (
        Design.from_dict({"actors": {"eel": EEL}}).fingerprint
        == Design.from_dict({"actors": {"eel": dict(reversed(EEL.items()))}}).fingerprint
    )
    assert sample.path("lanternreef.toml").exists()
