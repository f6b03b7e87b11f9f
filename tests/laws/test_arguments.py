"""Every public method, with arguments of every wrong kind: either it does what it says, or it raises one of
our errors and nothing has changed."""

from __future__ import annotations

import inspect
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import CleaverError, Design, Profile, ReactionError, UsageError, World, open_store
from cleaver.core import read
from cleaver.saves import Store
from strategies import DESIGNS, STAYING, Command, Play, law, streams

NUMBERS = [
    0,
    1,
    2.5,
    -1,
    -0.0,
    float("nan"),
    float("inf"),
    float("-inf"),
    10**400,
    -(10**400),
    2**63,
    1e308,
    1e-320,
    True,
    False,
    1 + 2j,
]
TEXTS = [
    "",
    "one",
    "two",
    "wasp1",
    "post1",
    "ram",
    "sting",
    "glue1",
    "glue",
    "nail",
    "scrip",
    "planks",
    "race",
    "north",
    "steps",
    "rank",
    "dive",
    "ill",
    "wet",
    "joined",
    "seen",
    "venom",
    "\ud800",
    "a\0b",
    "x" * 300,
    "{actor}",
    "[red]",
    "one.planks",
    "one.planks.fraction",
    "..",
    "daily_a",
    "first",
]
OTHERS: list[Any] = [
    None,
    (),
    [],
    {},
    [1],
    ("grace",),
    {"a": 1},
    {1: 2},
    b"one",
    object,
    (1, 2),
    (1, float("nan")),
    (1e200, 0),
]
LEAVES_A_CHANGE = {"advance"}  # what listeners and reactions raise meanwhile is told afterwards


class _Unshown:
    """Something whose own text fails."""

    def __repr__(self) -> str:
        raise RuntimeError("cannot be shown")


class _Here:
    """Some thing of the world at hand."""

    def __init__(self, number: int) -> None:
        self.number = number

    def __repr__(self) -> str:
        return f"_Here({self.number})"

    def found(self, here: list[Any]) -> Any:
        """Return it; below 0, what cannot even be shown."""
        return _Unshown() if self.number < 0 else here[self.number % len(here)]


def things(world: World) -> list[Any]:
    found: list[Any] = [world, *world.actors, *world.placements, world.match("race")]
    for actor in world.actors:
        found += [actor[next(iter(actor.meters))], actor.bag, actor.purse, actor.quests]
    return found


def methods(thing: Any) -> Iterator[tuple[str, inspect.Signature]]:
    for name, member in inspect.getmembers(type(thing)):
        public = not name.startswith("_") or name in ("__getitem__", "__contains__")
        if public and inspect.isfunction(member) and name != "hearing":
            yield name, inspect.signature(member)


# One argument: a value of its own, or the number of a thing of that world.
VALUES = st.one_of(
    st.sampled_from(TEXTS), st.sampled_from(NUMBERS), st.sampled_from(OTHERS), st.integers(-1, 40).map(_Here)
)
CALLS = st.tuples(
    st.integers(0, 999),
    st.integers(0, 999),
    st.lists(VALUES, min_size=5, max_size=5),
    st.integers(0, 5),
    st.dictionaries(st.sampled_from(["nearby", "much", "nonsense"]), VALUES, max_size=2),
)


def arguments(
    signature: inspect.Signature, values: list[Any], given: int, inputs: dict[str, Any]
) -> tuple[list[Any], dict[str, Any]]:
    """Return the arguments of one call: all that must be given, and *given* of those that may be."""
    args: list[Any] = []
    named: dict[str, Any] = {}
    for name, parameter in list(signature.parameters.items())[1:]:
        if parameter.kind is parameter.VAR_KEYWORD:
            named.update(inputs)
        elif parameter.kind is parameter.VAR_POSITIONAL:
            args += values[:2]
        else:
            if parameter.default is not parameter.empty:
                if given <= 0:
                    continue
                given -= 1
            value = values[(len(args) + len(named)) % len(values)]
            if parameter.kind is parameter.KEYWORD_ONLY:
                named[name] = value
            else:
                args.append(value)
    return args, named


@law
@given(DESIGNS, streams(STAYING, most=10), st.lists(CALLS, max_size=15))
def test_a_wrong_argument_changes_nothing_and_says_so_in_words(
    design: Design, commands: list[Command], calls: list[Any]
) -> None:
    play = Play(design).all(commands)
    world, stranger = play.world, World(design).join("crate", "one")
    profiles = [
        Profile("one", 1, {}),
        Profile("one", 1, {"currencies": {"scrip": -1}}),
        Profile("one", 1, {"quests": {"steps": 3}}),
    ]
    for which, method, values, count, inputs in calls:
        here = [*things(world), stranger, *profiles]
        thing = here[which % (len(here) - 4)]
        known = list(methods(thing))
        name, signature = known[method % len(known)]
        args, named = arguments(signature, values, count, inputs)
        args = [value.found(here) if isinstance(value, _Here) else value for value in args]
        named = {
            key: value.found(here) if isinstance(value, _Here) else value for key, value in named.items()
        }
        before = json.dumps(world.snapshot())
        try:
            getattr(thing, name)(*args, **named)
        except ReactionError:
            pass  # it was carried out; what followed failed
        except CleaverError as error:
            str(error).encode()
            assert json.dumps(world.snapshot()) == before or name in LEAVES_A_CHANGE, (
                type(thing),
                name,
                error,
            )
        except (TypeError, KeyError):
            assert name in ("__getitem__", "__contains__"), (type(thing), name)  # as Python's own containers
            assert json.dumps(world.snapshot()) == before
        assert not read.parts(world).stage.queue
        assert not read.parts(world).stage.draining


@pytest.fixture
def store(reef: Design, tmp_path: Path) -> Iterator[Store]:
    with open_store(f"sqlite:///{tmp_path / 'saves.db'}", reef) as opened:
        opened.save(Profile("one", 1, {"currencies": {"scrip": 3}}))
        yield opened


@pytest.mark.parametrize(
    "player", [None, 3, "\ud800", "a\0b", "x" * 201, b"one", ["one"]], ids=lambda value: repr(value)[:12]
)
@pytest.mark.parametrize("call", ["load", "read", "revisions", "holder_of", "hold"])
def test_a_store_refuses_what_is_no_id_before_it_looks(store: Store, call: str, player: Any) -> None:
    with pytest.raises(UsageError) as caught:
        getattr(store, call)(player)
    str(caught.value).encode()
    assert store.players() == ["one"]
    assert store.read("one") == Profile("one", 1, {"currencies": {"scrip": 3}})


@pytest.mark.parametrize(
    ("call", "args"),
    [
        ("save", (None,)),
        ("save", (Profile("\ud800", 1, {}),)),
        ("save", (Profile("one", 1, {"currencies": {"scrip": float("nan")}}),)),
        ("save", (Profile("x" * 201, 1, {}),)),
        ("restore", ("one", -1)),
        ("restore", ("one", 99)),
        ("restore", ("one", "1")),
        ("restore", ("one", True)),
        ("keep_score", ("board", "one", float("nan"))),
        ("keep_score", ("board", "one", "9")),
        ("keep_score", ("", "one", 9)),
        ("keep_score", ("board", "\ud800", 9)),
        ("high_scores", ("board", -1)),
        ("high_scores", (None,)),
    ],
)
def test_a_store_takes_nothing_that_it_could_not_give_back(
    store: Store, call: str, args: tuple[Any, ...]
) -> None:
    with pytest.raises(CleaverError) as caught:
        getattr(store, call)(*args)
    str(caught.value).encode()
    assert store.players() == ["one"]
    assert store.revisions("one")[0][0] == 1
    assert len(store.revisions("one")) == 1
    assert store.high_scores("board") == []
