"""The door: who observes a world hears of every command, once, however it came."""

from __future__ import annotations

import ast
from functools import partial
from pathlib import Path
from typing import Any

import pytest

from cleaver import AmountError, BusyError, Design, ReactionError, UsageError, World
from cleaver.core import read
from cleaver.core.kernel.door import Call
from helpers import crate_world

CORE = Path(__file__).parent.parent.parent / "src/cleaver/core"


class Witness:
    """Keeps what it heard."""

    def __init__(self, name: str, heard: list[str]) -> None:
        self.name, self.heard = name, heard

    def before(self, call: Call) -> None:
        self.heard.append(f"{self.name} before {call.name}")

    def after(self, call: Call, result: Any, error: BaseException | None) -> None:
        self.heard.append(f"{self.name} after {call.name}: {type(error).__name__ if error else bool(result)}")


def observed() -> tuple[World, Any, list[str]]:
    world, box = crate_world({"max": 100, "start": 50})
    heard: list[str] = []
    return world, box, heard


def test_observers_hear_before_and_after_the_last_of_them_first() -> None:
    world, box, heard = observed()
    bound = box.heal
    one, two = Witness("one", heard), Witness("two", heard)
    read.game_of(world).observe(one)
    read.game_of(world).observe(two)
    bound(5)
    assert heard == ["one before heal", "two before heal", "two after heal: True", "one after heal: True"]
    read.game_of(world).leave(two)
    heard.clear()
    with pytest.raises(AmountError):
        bound(-5)  # a number is looked at by the command itself
    with pytest.raises(UsageError):
        box.exchange(7)  # what cannot be an argument never comes to the door
    assert heard == ["one before heal", "one after heal: AmountError"]
    read.game_of(world).leave(one)
    heard.clear()
    bound(5)
    assert heard == []


def test_a_command_is_heard_once_however_it_came_and_an_effect_is_none() -> None:
    world, box, heard = observed()
    world.listen("healed", lambda event: box.hurt(1) if event.amount == 5 else None)
    world.after(1.0, partial(box.heal, 7))
    read.game_of(world).observe(Witness("it", heard))
    box.heal(5)
    world.advance(1)
    assert [line for line in heard if "before" in line] == [
        "it before heal", "it before hurt", "it before advance", "it before heal",
    ]  # fmt: skip
    heard.clear()
    with pytest.raises(ReactionError):
        world.listen("healed", lambda event: world.adopt(world.design))
        box.heal(1)
    assert heard[-1] == "it after heal: ReactionError"
    assert f"it after adopt: {BusyError.__name__}" in heard


def test_observers_stay_when_a_design_is_adopted() -> None:
    world, box, heard = observed()
    read.game_of(world).observe(Witness("it", heard))
    world.adopt(world.design)
    box.heal(5)
    assert heard[-1] == "it after heal: True"


def test_no_command_is_made_of_another_one() -> None:
    """Else who observes would hear of it twice; the general way of a command is the command."""
    for file in ("handles", "world", "views"):
        for owner in ast.parse((CORE / f"{file}.py").read_text(encoding="utf-8")).body:
            methods = [one for one in getattr(owner, "body", ()) if isinstance(one, ast.FunctionDef)]
            commands = {
                one.name
                for one in methods
                if any(isinstance(mark, ast.Name) and mark.id == "command" for mark in one.decorator_list)
            }
            for method in methods:
                called = {
                    node.func.attr
                    for node in ast.walk(method)
                    if isinstance(node, ast.Call)
                    and isinstance(node.func, ast.Attribute)
                    and isinstance(node.func.value, ast.Name)
                    and node.func.value.id == "self"
                }
                assert method.name not in commands or not called & commands, method.name


def test_nothing_replaces_methods_walks_frames_or_traces() -> None:
    found = {
        f"{file.name}: {word}"
        for file in CORE.parent.rglob("*.py")
        for word in ("setprofile", "settrace", "_getframe", "f_back", ".__dict__ =", "__class__ =")
        if word in file.read_text(encoding="utf-8")
    }
    assert found == set()


def test_adopting_exchanges_one_reference() -> None:
    world, box, _ = observed()
    before, bound, bar = read.parts(world), box.heal, box["planks"]
    world.adopt(world.design.with_values({"actors.crate.meters.planks.max": 80}))
    after = read.parts(world)
    assert after is not before
    assert after.vitals.stage is after.stage is not before.stage
    assert all(part.stage is after.stage for part in after.all_parts if hasattr(part, "stage"))
    assert before.design.tables.actors["crate"].meters["planks"].max == 100
    bound(50)
    assert (bar.value, bar.max) == (80, 80)


def test_time_that_is_asked_to_end_stands_between_two_things_due() -> None:
    design = Design.from_dict(
        {"actors": {"crate": {"vital": "planks", "meters": {"planks": {"max": 9}}, "pulses": {"rot": {"every": 1, "do": [{"hurt": 1}]}}}}}
    )  # fmt: skip
    world = World(design)
    box, game = world.spawn("crate"), read.game_of(world)

    class Asked(Exception):
        pass

    def end() -> None:
        game.ask(None)
        raise Asked

    world.listen("damaged", lambda event: game.ask(end) if event.seq == 3 else None)
    with pytest.raises(Asked):
        world.advance(5.5)
    assert (world.now, box["planks"].value) == (2, 7)
    assert world.advance(3.5) == 3.5
    assert (world.now, box["planks"].value) == (5.5, 4)


def test_a_command_under_way_is_whole_before_what_was_asked_for_comes() -> None:
    world, box, heard = observed()
    game = read.game_of(world)
    game.observe(Witness("it", heard))
    world.listen("healed", lambda event: game.ask(lambda: heard.append("the end")))
    box.heal(5)
    assert heard == ["it before heal", "it after heal: True", "the end"]
    assert box["planks"].value == 55
