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

    class Observed(Protocol):
        """What keeps the observers of one world."""

        observers: tuple[Observer, ...]


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
        observers = self._world.observers
        if not observers:
            return method(self, *args, **named)
        made, told = Call(name, self, args, named), []
        result, error = None, None
        try:
            for observer in observers:
                observer.before(made)
                told.append(observer)
            result = method(self, *args, **named)
            return result
        except BaseException as raised:
            error = raised
            raise
        finally:
            for observer in reversed(told):
                observer.after(made, result, error)

    return call  # type: ignore[return-value]  # the same call


def observe(world: Observed, observer: Observer) -> None:
    """Let somebody hear of every command of a world from now on."""
    world.observers = (*world.observers, observer)


def leave(world: Observed, observer: Observer) -> None:
    """Let somebody hear of no command any more."""
    world.observers = tuple(one for one in world.observers if one is not observer)
