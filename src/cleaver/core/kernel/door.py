"""Door: every command by which a game changes a world goes through it, and the world's observers hear of it.

What a game, a listener or a call of `after` gives is a command; an effect of the design is none. In a world
without observers, a command looks at an empty tuple. Start at `Door`.
"""

from __future__ import annotations

from collections.abc import Callable

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any, Protocol

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

    def between(self) -> None:
        """Come between two things due, in a command that lets time pass: nothing is half done there, so it is
        none that is under way."""
        self.depth -= 1
        try:
            self.over()
        finally:
            self.depth += 1

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
    """A command that was given: what it is, what it was given to, and its arguments as they came."""

    __slots__ = ("args", "declared", "me", "options")
    declared: Any
    me: Any
    args: tuple[Any, ...]
    options: Mapping[str, Any]

    def __init__(self, declared: Any, me: Any, args: tuple[Any, ...], options: Mapping[str, Any]) -> None:
        self.declared, self.me, self.args, self.options = declared, me, args, options

    @property
    def name(self) -> str:
        """Its name in Python."""
        return str(self.declared.name)
