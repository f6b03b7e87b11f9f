"""The door: who observes a world hears of every command, once, however it came."""

from __future__ import annotations

import ast
from functools import partial
from pathlib import Path
from typing import Any

import pytest

from cleaver import AmountError, BusyError, ReactionError, UsageError, World
from cleaver.core.kernel import door
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
    door.observe(world._parts, one)
    door.observe(world._parts, two)
    bound(5)
    assert heard == ["one before heal", "two before heal", "two after heal: True", "one after heal: True"]
    door.leave(world._parts, two)
    heard.clear()
    with pytest.raises(AmountError):
        bound(-5)  # a number is looked at by the command itself
    with pytest.raises(UsageError):
        box.exchange(7)  # what cannot be an argument never comes to the door
    assert heard == ["one before heal", "one after heal: AmountError"]
    door.leave(world._parts, one)
    heard.clear()
    bound(5)
    assert heard == []


def test_a_command_is_heard_once_however_it_came_and_an_effect_is_none() -> None:
    world, box, heard = observed()
    world.listen("healed", lambda event: box.hurt(1) if event.amount == 5 else None)
    world.after(1.0, partial(box.heal, 7))
    door.observe(world._parts, Witness("it", heard))
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
    door.observe(world._parts, Witness("it", heard))
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
