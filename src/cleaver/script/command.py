"""Command: the table of all commands, and how one joins it.

A command is a function with typed parameters and a docstring: its usage, how its words are read, what
completion offers and what `help` says come from them. Start at `command`.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable, Mapping
from functools import cached_property
from typing import Any

from cleaver.core.telling import THEMES
from cleaver.errors import UnknownNameError
from cleaver.script.parameters import FIXED, Parameter, arguments_of, parameters_of, words_given
from cleaver.script.session import Session

Function = Callable[..., str]


class Command:
    """One command: what it does, an example, its theme; `acts` where it changes the world."""

    name: str
    theme: str
    example: str
    acts: bool
    function: Function

    def __init__(self, name: str, theme: str, example: str, acts: bool, function: Function) -> None:
        self.name, self.theme, self.example, self.acts, self.function = name, theme, example, acts, function

    @cached_property
    def parameters(self) -> tuple[Parameter, ...]:
        """Its parameters, in the order of its words."""
        return parameters_of(self.function)

    @cached_property
    def help(self) -> str:
        """What it does, in a few words: the first line of its docstring."""
        line = (self.function.__doc__ or "").partition("\n")[0].rstrip(".")
        return line[:1].lower() + line[1:]

    @cached_property
    def usage(self) -> str:
        """How it is written."""
        return " ".join([self.name, *(parameter.usage for parameter in self.parameters)])

    def run(self, session: Session, text: str) -> str:
        """Carry it out with the words after its name; returns in one line what it did.

        Raises:
            CleaverError: The line is wrong; nothing has changed.
        """
        args, options = arguments_of(self.parameters, self.usage, session, text)
        return self.function(session, *args, **options)


class Prepared:
    """A line whose words are split once, to be carried out again and again: who and what they name is looked
    up each time, in the session at hand. Words in braces, such as {it}, are filled in then."""

    __slots__ = ("_words", "command", "text")
    command: Command
    text: str

    def __init__(self, command: Command, session: Session, text: str) -> None:
        self.command, self.text = command, f"{command.name} {text}".strip()
        self._words = []
        for reading, key, what, word in words_given(command.parameters, command.usage, session, text):
            braced = "{" in word
            # A number is the same in every session.
            fixed = reading.read(session, what, word) if reading.read in FIXED and not braced else None
            self._words.append((reading.read, key, what, word, braced, fixed))

    def run(self, session: Session, fill: Mapping[str, str]) -> str:
        """Carry it out; raises as `Command.run` does, and nothing has changed then."""
        args: list[Any] = []
        options: dict[str, Any] = {}
        for reading, key, what, word, braced, value in self._words:
            if value is None:
                if braced:
                    for name, filling in fill.items():
                        word = word.replace(f"{{{name}}}", filling)
                value = reading(session, what, word)
            if key:
                options[key] = value
            else:
                args.append(value)
        return self.command.function(session, *args, **options)


COMMANDS: dict[str, Command] = {}
"""Every command, by its name."""


def command(theme: str, example: str, *, acts: bool = True, name: str = "") -> Callable[[Function], Function]:
    """Add a function to the table, under *name* or its own: a command that is of scripts alone."""

    def add(function: Function) -> Function:
        kinds = {parameter.kind for parameter in inspect.signature(function).parameters.values()}
        if kinds >= {inspect.Parameter.VAR_KEYWORD, inspect.Parameter.POSITIONAL_OR_KEYWORD}:
            raise TypeError(
                f"{function.__name__} takes options of any name, so its words must stand before a /"
            )
        own = name or function.__name__.rstrip("_")
        COMMANDS[own] = Command(own, theme, example, acts, function)
        return function

    return add


def find(name: str) -> Command:
    """Return a command by its name."""
    if name not in COMMANDS:
        raise UnknownNameError("command", name, tuple(COMMANDS))
    return COMMANDS[name]


def themes() -> dict[str, list[str]]:
    """Return the names of all commands, by what they are about."""
    found: dict[str, list[str]] = {theme: [] for theme in THEMES}
    for name, known in COMMANDS.items():
        found[known.theme].append(name)
    return found
