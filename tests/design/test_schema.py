"""The schema says what the loader says of a design, cross-references aside; asked of a public validator."""

from __future__ import annotations

import copy
import json
import tomllib
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from cleaver import Design, DesignError, load_design, sample
from cleaver.cli.check import said_of
from cleaver.design.design import schema

ROOT = Path(__file__).parents[2]
SAMPLE = tomllib.loads(sample.path("lanternreef.toml").read_text(encoding="utf-8"))
GONE = object()
HIDE = ("actors", "eel", "meters", "hide")
STING = ("actors", "eel", "attacks", "sting")
Change = tuple[tuple[str | int, ...], Any]

RIGHT: tuple[Change, ...] = (
    (HIDE, 12),
    (HIDE, {"max": 12, "start": 3, "whole": True, "marks": {"low": 0.5}}),
    ((*STING, "amount"), "6 + 2"),
    ((*STING, "crit"), {"chance": 0.5, "times": 2}),
    (("actors", "eel", "tags"), ["cold"]),
    (("actors", "pike"), {"like": "eel"}),
    (("currencies", "shell"), {}),
    (("currencies", "shell"), {"start": 3, "most": 9}),
    (("statuses", "venom", "lasts"), 2),
    (("rules", 0, "do"), []),
    (("rules", 0, "do"), [{"earn": "scrip", "amount": 3, "to": "source", "when": "self.alive"}]),
    (("game", "title"), "Another"),
    (("inputs",), {"charge": 1.5}),
    (("events", "seen"), {"fields": {"much": "number"}}),
)
WRONG: tuple[Change, ...] = (
    (HIDE, -3),
    (HIDE, 0),
    (HIDE, True),
    (HIDE, "much"),
    (HIDE, {}),
    (HIDE, {"max": float("inf")}),
    (HIDE, {"max": 10, "marks": {"low": 2}}),
    (HIDE, {"max": 10, "cells": 0}),
    (HIDE, {"max": 10, "round": "sideways"}),
    (HIDE, {"max": 10, "mx": 3}),
    (("actors", "eel", "vital"), 3),
    (("actors", "eel", "vitl"), "hide"),
    (("actors", "Eel"), {}),
    (("actors", "an eel"), {}),
    (("actors", "eel", "meters", "Hide"), 3),
    (("actors", "diver", "guard", "armour"), -1),
    (("actors", "diver", "guard", "zones", "visor"), "front"),
    (("actors", "diver", "guard", "zones", "Visor"), 3),
    (("actors", "eel", "respawn"), {"after": -1}),
    (("actors", "eel", "respawn"), {"fraction": 2}),
    (("actors", "eel", "lives"), {"start": 0}),
    (("actors", "eel", "tags"), "cold"),
    (("actors", "eel", "like"), 3),
    ((*STING, "amount"), True),
    ((*STING, "amount"), GONE),
    ((*STING, "amount"), -1),
    ((*STING, "cooldown"), -1),
    ((*STING, "crit"), {"chance": 2, "times": 2}),
    ((*STING, "crit"), {"times": 2}),
    ((*STING, "do"), {"status": "venom"}),
    (("currencies", "scrip"), {"start": -1}),
    (("currencies", "scrip"), 3),
    (("statuses", "venom", "stack"), "more"),
    (("statuses", "venom", "lasts"), 0),
    (("statuses", "venom", "lasts"), []),
    (("rules",), 3),
    (("rules", 0, "do"), [{"ern": "scrip"}]),
    (("rules", 0, "do"), [{"earn": "scrip"}]),
    (("rules", 0, "do"), [{"earn": "scrip", "amount": 1, "to": "nobody"}]),
    (("rules", 0, "do"), [{"heal": -1}]),
    (("rules", 0, "do"), 3),
    (("rules", 0, "on"), GONE),
    (("quests", "first_light", "goals"), []),
    (("quests", "first_light", "goals"), 3),
    (("quests", "first_light", "finish"), "never"),
    (("events", "seen"), {"fields": {"much": "numbr"}}),
    (("inputs",), {"charge": "much"}),
    (("game", "title"), 3),
    (("gam",), {}),
    (("levels",), {"rank": {"steps": [3, "x"]}}),
)


def changed(change: Change) -> dict[str, Any]:
    path, value = change
    tree = copy.deepcopy(SAMPLE)
    place: Any = tree
    for part in path[:-1]:
        place = place[part]
    if value is GONE:
        del place[path[-1]]
    else:
        place[path[-1]] = value
    return tree


def loads(tree: dict[str, Any]) -> bool:
    try:
        Design.from_dict(tree)
    except DesignError:
        return False
    return True


def test_it_is_a_schema_and_takes_every_design_there_is() -> None:
    Draft202012Validator.check_schema(schema())
    validator = Draft202012Validator(schema())
    designs = [*(ROOT / "src/cleaver/sample").glob("*.toml"), *(ROOT / "examples").rglob("*.toml")]
    assert designs
    for path in designs:
        load_design(path)
        tree = tomllib.loads(path.read_text(encoding="utf-8"))
        assert [said.message for said in validator.iter_errors(tree)] == [], path
    assert schema()["$id"]


@pytest.mark.parametrize("change", [*RIGHT, *WRONG], ids=lambda change: f"{'.'.join(map(str, change[0]))}")
def test_it_says_what_the_loader_says(change: Change) -> None:
    tree = changed(change)
    validator = Draft202012Validator(schema())
    assert validator.is_valid(tree) == loads(tree) == (change in RIGHT)


def test_what_is_left_to_the_loader() -> None:
    """A schema cannot compare two numbers, and a NaN is below and above nothing."""
    for value in ({"max": 10, "start": 20}, {"max": float("nan")}):
        tree = changed((HIDE, value))
        assert Draft202012Validator(schema()).is_valid(tree)
        assert not loads(tree)


def test_a_json_design_may_name_its_schema(tmp_path: Path) -> None:
    path = tmp_path / "design.json"
    path.write_text(json.dumps({"$schema": "design.schema.json", "game": {"title": "Reef"}}))
    assert load_design(path).title == "Reef"
    path.write_text(json.dumps({"$schema": 3, "game": {"title": "Reef"}}))
    with pytest.raises(DesignError) as error:
        load_design(path)
    assert "$schema" in said_of(error.value.problems[0]._asdict())
