"""Door: every command by which a game changes a world goes through it, and the world's observers hear of it.

What a game, a listener or a call of `after` gives is a command; an effect of the design is none. In a world
without observers, a command looks at an empty tuple. Start at `command`.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps

from cleaver.core.kernel.arguments import check_plan

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any, Protocol, TypeVar

    F = TypeVar("F", bound=Callable[..., Any])

    class Observer(Protocol):
        """Hears of each command twice: when its arguments have passed, before it acts; and after, always."""

        def before(self, call: Call) -> None:
            """Hear of a command that is about to act."""

        def after(self, call: Call, result: Any, error: BaseException | None) -> None:
            """Hear what came of it; of several observers the last that was told before comes first."""


class Door:
    """The door of one world: who observes it, and how many commands are under way, each inside another.

    A signal that comes while one is under way waits for its end: `ask`.
    """

    __slots__ = ("asked", "depth", "observers")
    observers: tuple[Observer, ...]
    depth: int
    asked: Callable[[], None] | None

    def __init__(self) -> None:
        self.observers, self.depth, self.asked = (), 0, None

    def observe(self, observer: Observer) -> None:
        """Let somebody hear of every command from now on."""
        self.observers = (*self.observers, observer)

    def leave(self, observer: Observer) -> None:
        """Let somebody hear of no command any more."""
        self.observers = tuple(other for other in self.observers if other is not observer)

    def ask(self, call: Callable[[], None] | None) -> None:
        """Let *call* come when no command is under way any more; None takes that back."""
        self.asked = call

    def over(self) -> None:
        """Come to the end of a command, where something was asked for."""
        if self.asked is not None and not self.depth:
            self.asked()

    def observed(self, call: Call, method: Callable[..., Any]) -> Any:
        """Let a command act, and tell those who observe: before, and after it, the last of them first."""
        told: list[Observer] = []
        result, error = None, None
        try:
            for observer in self.observers:
                observer.before(call)
                told.append(observer)
            result = method(call.me, *call.args, **call.options)
            return result
        except BaseException as raised:
            error = raised
            raise
        finally:
            for observer in reversed(told):
                observer.after(call, result, error)


class Call:
    """A command that was given: its name, what it was given to, and its arguments as they came."""

    __slots__ = ("args", "me", "name", "options")
    name: str
    me: Any
    args: tuple[Any, ...]
    options: Mapping[str, Any]

    def __init__(self, name: str, me: Any, args: tuple[Any, ...], options: Mapping[str, Any]) -> None:
        self.name, self.me, self.args, self.options = name, me, args, options


def command(method: F) -> F:
    """Let a public method be a command: its arguments are checked as by `checked`, and observers hear of it.

    A method whose name begins with one underscore is the general way of the command without it; the short way
    asks whether anybody observes.
    """
    plan = check_plan(method)
    name = method.__name__
    name = name if name.startswith("__") else name.removeprefix("_")

    @wraps(method)
    def call(self: Any, *args: Any, **named: Any) -> Any:
        given = len(args)
        for index, word, check in plan:
            if index <= given:
                check(word, args[index - 1])
            elif word in named:
                check(word, named[word])
        door = self._game
        door.depth += 1
        try:
            if door.observers:
                return door.observed(Call(name, self, args, named), method)
            return method(self, *args, **named)
        finally:
            door.depth -= 1
            if door.asked is not None:
                door.over()

    return call  # type: ignore[return-value]  # the same call
