"""Lines: one line of a script as words and options.

Words are split as a shell splits them, ``name=value`` are options, a word that begins with ``#`` starts a
comment; `expect` and
`expect_error` take the rest as it stands. Knows no command. Start at `read_line`.
"""

from __future__ import annotations

import shlex
from math import isfinite

from cleaver.errors import AmountError, UnknownNameError, UsageError

MAX_LINE = 2_000  # characters
MAX_BYTES = 2_000_000  # of a script


def without_comment(text: str) -> str:
    """Return *text* up to the first # outside quotes that begins a word; in an `expect` up to any.

    >>> without_comment("take ana pearl#1  # the loot"), without_comment("expect ana.pearl == 1# one")
    ('take ana pearl#1', 'expect ana.pearl == 1')
    """
    quote, anywhere = "", text.lstrip().startswith("expect ")
    for index, letter in enumerate(text):
        if quote:
            quote = "" if letter == quote else quote
        elif letter in "'\"":
            quote = letter
        elif letter == "#" and (anywhere or not index or text[index - 1].isspace()):
            return text[:index].strip()
    return text.strip()


def _unquoted_names(text: str) -> set[str]:
    """Return the names of options in a line: those that begin a word and do not stand in quotes."""
    names, quote, start = set[str](), "", 0
    for index, letter in enumerate(f"{text} "):
        if quote:
            quote = "" if letter == quote else quote
        elif letter in "'\"":
            quote = letter
        elif letter.isspace():
            start = index + 1
        elif letter == "=" and text[start:index].isidentifier():
            names.add(text[start:index])
    return names


class Words:
    """The words and options of one line; `done` says that none may be left."""

    def __init__(self, text: str) -> None:
        self.words: list[str] = []
        self.options: dict[str, str] = {}
        text = without_comment(text)
        named = _unquoted_names(text)
        try:
            split = shlex.split(text)
        except ValueError as error:
            raise UsageError(f"cannot be split into words: {str(error).lower()}; close every quote") from None
        for word in split:
            name, equals, value = word.partition("=")
            if equals and name in named:
                if name in self.options:
                    raise UsageError(f"{name}= stands twice")
                self.options[name] = value
            else:
                self.words.append(word)

    def done(self, usage: str, options: tuple[str, ...] = ()) -> None:
        """Raise where something is left over; *options* are those there might be."""
        if self.words:
            raise UsageError(f"{self.words[0]!r} is an unexpected argument; write: {usage}")
        if self.options:
            name = next(iter(self.options))
            raise UnknownNameError("option", f"{name}=", tuple(f"{option}=" for option in options))


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
