"""Lines: one line of a script as words and options.

Words are split as a shell splits them, ``name=value`` are options, ``#`` starts a comment; `expect` and
`expect_error` take the rest as it stands. Knows no command. Start at `read_line`.
"""

from __future__ import annotations

import shlex
from math import isfinite
from typing import Any

from cleaver.errors import AmountError, UnknownNameError, UsageError

MAX_LINE = 2_000  # characters
MAX_BYTES = 2_000_000  # of a script


def without_comment(text: str) -> str:
    """Return *text* up to the first # outside quotes."""
    quote = ""
    for index, letter in enumerate(text):
        if quote:
            quote = "" if letter == quote else quote
        elif letter in "'\"":
            quote = letter
        elif letter == "#":
            return text[:index].strip()
    return text.strip()


class Words:
    """The words of one command, taken one after another; `done` says that none may be left."""

    def __init__(self, text: str, usage: str = "") -> None:
        self.usage = usage
        self.words: list[str] = []
        self.options: dict[str, str] = {}
        try:
            split = shlex.split(text, comments=True)
        except ValueError as error:
            raise UsageError(f"cannot be split into words: {str(error).lower()}; close every quote") from None
        for word in split:
            name, equals, value = word.partition("=")
            if equals and name.isidentifier():
                if name in self.options:
                    raise UsageError(f"{name}= stands twice")
                self.options[name] = value
            else:
                self.words.append(word)

    def word(self, what: str, default: str | None = None) -> str:
        """Return the next word, which is *what* the command asks for."""
        if self.words:
            return self.words.pop(0)
        if default is None:
            raise UsageError(f"{what} is missing; write: {self.usage}")
        return default

    def number(self, what: str, default: float | None = None) -> float:
        """Return the next word as a number."""
        if not self.words and default is not None:
            return default
        return to_number(what, self.word(what))

    def all(self) -> list[str]:
        """Return all words that are left."""
        found, self.words = self.words, []
        return found

    def option(self, name: str, default: str = "") -> str:
        """Return an option as text."""
        return self.options.pop(name, default)

    def option_number(self, name: str) -> float | None:
        """Return an option as a number, None where it is not given."""
        return to_number(f"{name}=", self.options.pop(name)) if name in self.options else None

    def option_truth(self, name: str) -> bool | None:
        """Return an option that is yes or no, None where it is not given."""
        value = self.options.pop(name, None)
        if value is None:
            return None
        if value not in ("yes", "no"):
            raise UsageError(f"{name}={value} must be {name}=yes or {name}=no")
        return value == "yes"

    def numbers(self) -> dict[str, Any]:
        """Return every option that is left, as numbers: the inputs. No word may be left; so all is read
        before anything is done."""
        found = {name: to_number(f"{name}=", value) for name, value in self.options.items()}
        self.options = {}
        self.done()
        return found

    def done(self) -> None:
        """Raise where something is left over."""
        if self.words:
            raise UsageError(f"{self.words[0]!r} is an unexpected argument; write: {self.usage}")
        if self.options:
            name = next(iter(self.options))
            known = [word.strip("[]=").partition("=")[0] for word in self.usage.split() if "=" in word]
            raise UnknownNameError("option", f"{name}=", tuple(f"{option}=" for option in known))


def to_number(what: str, word: str) -> float:
    """Return a word as a Python number, whole if it is written whole."""
    try:
        return (
            int(word, 0)
            if not any(letter in word for letter in ".eEnN") or word[:2].lower() in ("0x", "0b", "0o")
            else float(word)
        )
    except ValueError:
        raise AmountError(what, word, "a number, such as 12 or 0.5") from None


def to_whole(what: str, number: float) -> int:
    """Return a number that is whole as an int."""
    if isinstance(number, float) and (not isfinite(number) or number != int(number)):
        raise AmountError(what, number, "a whole number")
    return int(number)
