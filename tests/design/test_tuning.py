"""Designs with other values: the same as a file that says so, whatever is shared with the old one."""

from __future__ import annotations

import copy
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import Design, DesignError, UnknownNameError, UsageError, World, load_design
from cleaver.design.changes import changes
from cleaver.design.lines import key_of, path_of

SAMPLE = Path(__file__).parents[2] / "src/cleaver/sample/lanternreef.toml"
SMALL: dict[str, Any] = {
    "actors": {
        "diver": {"player": True, "vital": "suit", "meters": {"suit": {"max": 90, "start": 80}, "air": 60}},
        "eel": {
            "vital": "hide",
            "meters": {"hide": 30},
            "attacks": {"sting": {"amount": 5, "do": [{"status": "chill"}, {"drain": 2, "meter": "air"}]}},
        },
        "moray": {"like": "eel", "attacks": {"bite": {"like": "sting", "amount": 9}}},
    },
    "statuses": {"chill": {"lasts": 3.0}},
    "currencies": {"scrip": {"start": 5, "most": 10}},
    "rules": [{"on": "died", "do": [{"earn": "scrip", "amount": 2}]}],
}


def test_a_number_is_another_one_and_the_old_design_stays() -> None:
    design = load_design(SAMPLE)
    before = design.fingerprint
    other = design.with_values({"actors.eel.attacks.sting.amount": 20})
    world = World(other)
    eel, ana = world.spawn("eel"), world.join("diver", "ana")
    old = World(design)
    assert old.spawn("eel").hit(old.join("diver", "ana"), "sting", crit=False).dealt == 5
    assert eel.hit(ana, "sting", crit=False).dealt > 5
    assert design.fingerprint == before != other.fingerprint
    assert next(str(change) for change in changes(design.source.tree, other.source.tree)).startswith(
        "actors.eel.attacks.sting.amount was"
    )
    assert other.with_values({}).fingerprint == other.fingerprint


@pytest.mark.parametrize(
    ("key", "value", "at"),
    [
        ("actors.diver.meters.suit.max", 100, ("actors", "diver", "meters", "suit")),
        ("actors.diver.meters.suit", 95, ("actors", "diver", "meters", "suit")),  # its start stays
        ("actors.diver.meters.air.start", 20, ("actors", "diver", "meters", "air")),
        ("actors.moray.meters.hide", 50, ("actors", "moray", "meters", "hide")),
        ("actors.moray.attacks.bite.do[2].drain", 7, ("actors", "moray", "attacks", "bite")),
        ("actors.eel.attacks.sting.do[2].drain", 7, ("actors", "moray", "attacks", "bite", "do", 1)),
        ("rules[1].do[1].amount", 3, ("rules", 0)),
        ("currencies.pearl_dust", {"most": 3}, ("currencies",)),
        ("actors.eel.attacks.sting.cooldown", "1 + 1", ("actors", "eel", "attacks", "sting")),
    ],
)
def test_worked_values(key: str, value: Any, at: tuple[Any, ...]) -> None:
    wanted: dict[tuple[Any, ...], Any] = {
        ("actors", "diver", "meters", "suit"): {"max": value, "start": 80},
        ("actors", "diver", "meters", "air"): {"max": 60, "start": 20},
        ("actors", "moray", "meters", "hide"): 50,
        ("actors", "moray", "attacks", "bite"): {
            "amount": 9,
            "do": [{"status": "chill"}, {"drain": 7, "meter": "air"}],
        },
        ("actors", "moray", "attacks", "bite", "do", 1): {"drain": 7, "meter": "air"},
        ("rules", 0): {"on": "died", "do": [{"earn": "scrip", "amount": 3}]},
        ("currencies",): {"scrip": {"start": 5, "most": 10}, "pearl_dust": {"most": 3}},
        ("actors", "eel", "attacks", "sting"): {
            **SMALL["actors"]["eel"]["attacks"]["sting"],
            "cooldown": "1 + 1",
        },
    }
    found: Any = Design.from_dict(SMALL).with_values({key: value}).source.tree
    for part in at:
        found = found[part]
    assert found == wanted[at]


def test_several_values_are_checked_together() -> None:
    design = Design.from_dict(SMALL)
    with pytest.raises(DesignError, match="above its most of 10"):
        design.with_values({"currencies.scrip.start": 20})
    both = design.with_values({"currencies.scrip.start": 20, "currencies.scrip.most": 30})
    assert World(both).join("diver", "ana").purse["scrip"] == 20
    assert design.tables.currencies["scrip"].start == 5


def test_a_problem_names_the_line_of_the_file() -> None:
    design = load_design(SAMPLE)
    with pytest.raises(DesignError) as caught:
        design.with_values({"actors.eel.attacks.sting.amount": "30 + naerby"})
    problem = caught.value.problems[0]  # its brother is of a kind that is `like` it
    assert problem.key == "actors.eel.attacks.sting.amount"
    assert problem.line == design.source.line(("actors", "eel", "attacks", "sting", "amount")) > 0
    assert "nearby" in str(problem)


@pytest.mark.parametrize(
    ("values", "error", "text"),
    [
        (
            {"actors.eeel.attacks.sting.amount": 1},
            UnknownNameError,
            "unknown key 'eeel' on actors; did you mean 'eel'",
        ),
        ({"actors.eel.attacks.sting.ammount": 1}, DesignError, "did you mean 'amount'"),
        ({"rules[3].do[1].amount": 1}, UsageError, "rules[3] is not there: rules has 1"),
        ({"rules[0].on": 1}, UsageError, "no key path"),
        ({"actors..eel": 1}, UsageError, "no key path"),
        ({"": 1}, UsageError, "no key path"),
        ({3: 1}, UsageError, "no key path"),
        ({"actors.eel.vital.max": 1}, UsageError, "has no keys"),
        ({"actors.eel[1]": 1}, UsageError, "has 0"),
        ([("a", 1)], UsageError, "a table of values by key path"),
        ({"actors.eel.meters.hide": float("nan")}, DesignError, "finite"),
        ({"actors.eel.meters.hide": None}, DesignError, "is None; it must be a table"),
    ],
)
def test_wrong_values_are_told(values: Any, error: type[Exception], text: str) -> None:
    design = Design.from_dict(SMALL)
    with pytest.raises(error) as caught:
        design.with_values(values)
    assert text in str(caught.value)
    assert design.fingerprint == Design.from_dict(SMALL).fingerprint


def numbers(tree: Any, path: tuple[str | int, ...] = ()) -> list[tuple[str | int, ...]]:
    """Return the path of each number in a tree."""
    if isinstance(tree, dict):
        return [found for key, value in tree.items() for found in numbers(value, (*path, key))]
    if isinstance(tree, list):
        return [found for key, value in enumerate(tree) for found in numbers(value, (*path, key))]
    return [path] if isinstance(tree, (int, float)) and not isinstance(tree, bool) else []


LANTERNREEF = load_design(SAMPLE)
PLACES = numbers(LANTERNREEF.source.written)


@given(st.lists(st.tuples(st.sampled_from(PLACES), st.integers(-2, 40)), min_size=1, max_size=4))
def test_it_is_what_a_file_with_these_values_would_be(found: list[tuple[tuple[str | int, ...], int]]) -> None:
    tree = copy.deepcopy(LANTERNREEF.source.written)
    for path, value in found:
        here: Any = tree
        for part in path[:-1]:
            here = here[part]
        here[path[-1]] = value
    was = json.dumps(LANTERNREEF.source.written)
    outcomes: list[Any] = []
    makes: list[Callable[[], Design]] = [
        lambda: LANTERNREEF.with_values({key_of(path): value for path, value in found}),
        lambda: Design.from_dict(tree),
    ]
    for make in makes:
        try:
            made = make()
        except DesignError as error:
            outcomes.append([(problem.key, problem.wrong, problem.right) for problem in error.problems])
        else:
            outcomes.append((made.fingerprint, made.tables, made.source.tree))
    # problems stand in the order of lines, and a design built in Python has none
    first, second = (sorted(one) if isinstance(one, list) else one for one in outcomes)
    assert first == second
    assert json.dumps(LANTERNREEF.source.written) == was


@given(st.sampled_from(PLACES))
def test_a_path_is_read_as_it_is_written(path: tuple[str | int, ...]) -> None:
    assert path_of(key_of(path)) == path
