"""The schema says what the loader says of a design, cross-references aside; asked of a public validator."""

from __future__ import annotations

import copy
import json
import os
import re
import tomllib
from pathlib import Path
from random import Random
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from cleaver import Design, DesignError, load_design, sample
from cleaver.cli.check import said_of
from cleaver.design.design import schema
from cleaver.design.vocabulary import EVENTS
from cleaver.errors import Problem
from helpers import run

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
    (HIDE, [3]),
    (HIDE, {"max": 0}),
    (HIDE, True),
    (HIDE, ["much"]),
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
    (("actors", "diver", "guard", "zones", "visor"), ["front"]),
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
    _, told, _ = run("schema")
    assert json.loads(told) == schema()
    assert len(told) < 120_000


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


# any change


VALUES: tuple[Any, ...] = (
    0, 1, -1, 3, 0.5, 1.5, -0.25, 0.0004, 1e12, 10**19, 2**63 - 1, True, False, "", "eel", "scrip", "Eel", "self", "damaged",
    "collected", "6 + 2", "all", "team", [], ["boss"], ["armour"], [1, 2], [[1, 2]], [3, "x"], {}, {"max": 5}, {"days": 1},
    {"chance": 0.5}, {"heal": 5}, [{"heal": 5}], [{"heal": -1}], [{"score": 3, "to": "nobody"}], [{"earn": "scrip"}],
    [{"choose": [{"do": [{"heal": 3}]}]}], [{"choose": [{"weight": 0, "do": []}, {"weight": 2, "do": [{"ern": 3}]}]}], [{"choose": []}],
    [{"choose": [{"do": [], "why": 3}]}], [{"hurt": 3, "ignores": ["grace"]}], [{"hurt": 3, "ignores": ["all"]}], [{"raise_max": "suit", "amount": 3, "keep": "most"}],
    [{"on": "died"}], [{"on": "damaged", "meter": "suit"}], [{"on": "damaged", "amount": "much"}], [{"on": "damaged", "metr": "suit"}],
    [{"on": "reached", "depth": 3}], [{"announce": "reached", "depth": 3}], [{"place": "pearl", "lasts": 0}], {"like": "eel"},
)  # fmt: skip
KEYS = (
    "max", "amount", "do", "on", "like", "rate", "every", "needs", "title", "count", "seen_by", "stack", "lasts", "mtr", "when",
    "chance", "to", "weight", "meter", "name", "reward", "own_side", "critical",
)  # fmt: skip
BEYOND = (  # what a schema cannot say: it knows no other entry, compares no two values, reads no formula
    r"unknown (meter|currency|item|levels|status|tag|achievement|quest|zone|type|pickup|match|rating|team|exchange|attack"
    r"|kind|mark|event|slot|stat|ability|worn|meter, currency or item|currency or item|kind, tag or team|kind or tag)\b|there is no .* among|goes (in a|round in a) circle",
    r"^formula |a formula in quotes, not|text that a player|cannot be read",  # whose places differ
    r"above its (max|most)|on a meter of whole numbers|is one of the game's inputs|no kind has|moves too often|is never worn|which such a status|is on while |goes from .* down to|and the table leads to",
    r"stands? (beside|without|in|on) |needs either|is missing: steps|are all optional|neither costs nor gives|is \d+ of \d+ goals",
    r"is .* after .*; steps|adds up in|holds a (name|truth|number)|has no such field|has no field|does not say|there (is|are) no",
    r"the name .* (is taken by|is used by paths)|is the name of|has the name of|every event has|is a word of the call|is a player kind",
    r'is "all"|is "extend"|is missing: an actor|is \d+, and the game is of|is not the vital meter|has no weight above 0|one of Cleaver\'s own',
    r"unknown key .* beside hold",
)  # fmt: skip


def beyond(problem: Problem) -> bool:
    """Whether a schema cannot say it; of the fields of an event it knows those of Cleaver's own."""
    asked = re.search(
        r"event (\w+) has no such field|^field \w+ of (\w+) holds a ",
        f"{problem.wrong}\n{problem.right}",
        re.M,
    )
    if asked:
        return (asked[1] or asked[2]) not in EVENTS
    if problem.right == "it must be a whole number":
        return problem.wrong.endswith(".0")  # to a schema it is one
    return bool(re.search("|".join(BEYOND), problem.wrong))


def places(tree: Any, path: tuple[str | int, ...] = ()) -> list[tuple[str | int, ...]]:
    """Every place of a tree at which something stands."""
    inner: Any = tree.items() if isinstance(tree, dict) else enumerate(tree) if isinstance(tree, list) else ()
    return [path] * bool(path) + [place for key, held in inner for place in places(held, (*path, key))]


def any_change(tree: dict[str, Any], dice: Random) -> tuple[tuple[str | int, ...], Any]:
    """Change one place of a tree: another value, gone, or a key more."""
    path = dice.choice(places(tree))
    what = dice.random()
    place: Any = tree
    for part in path[:-1]:
        place = place[part]
    held = place[path[-1]]
    if what < 0.2 and isinstance(place, dict):
        del place[path[-1]]
        return path, GONE
    if what < 0.5 and isinstance(held, dict):
        path = (*path, dice.choice(KEYS))
        place = held
    place[path[-1]] = dice.choice(VALUES)
    return path, place[path[-1]]


def test_any_change_is_right_for_both_or_wrong_for_both() -> None:
    """By hand, many more: CLEAVER_CASES=3000 and on."""
    validator = Draft202012Validator(schema())
    files = [*(ROOT / "src/cleaver/sample").glob("*.toml"), *(ROOT / "examples").rglob("*.toml")]
    designs = [tomllib.loads(path.read_text(encoding="utf-8")) for path in files]
    for number in range(10 * int(os.environ.get("CLEAVER_CASES", "60"))):
        dice = Random(number)
        tree = copy.deepcopy(dice.choice(designs))
        change = any_change(tree, dice)
        wrong = ""
        try:
            Design.from_dict(tree)
        except DesignError as error:
            wrong = next(
                (str(one) for one in error.problems if not beyond(one)), f"beyond: {error.problems[0]}"
            )
        fits = validator.is_valid(tree)
        assert fits or wrong, (number, change, "the loader takes it")
        assert not fits or not wrong or wrong.startswith("beyond: "), (
            number,
            change,
            wrong,
            "the schema takes it",
        )
