"""Blocks: the lines between `repeat N {` and `}`, which may hold blocks themselves. Start at `items`."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from cleaver.errors import ScriptError, UsageError
from cleaver.script.lines import to_number, to_whole, without_comment

MAX_REPEATS = 100_000
DEEPEST = 20  # blocks within blocks
CLOSE = "}"
NO_BLOCK = "there is no block to close here; write repeat N { before it"


class Line(NamedTuple):
    """A line of a script: its number and its text, without comment."""

    number: int
    text: str


class Block(NamedTuple):
    """Lines that are carried out so many times, with the line that opened it."""

    opened: Line
    turns: int
    body: tuple[Line | Block, ...]

    def written(self) -> str:
        """Return it as it stands in a script."""
        inner = [item.written() if isinstance(item, Block) else item.text for item in self.body]
        lines = [f"    {line}" for part in inner for line in part.splitlines()]
        return "\n".join([self.opened.text, *lines, CLOSE])


def opens(text: str) -> bool:
    """Return whether a line opens a block."""
    return text.startswith("repeat ") and text.endswith("{")


def times(word: str) -> int:
    """Return how often something is to be repeated, as it is written."""
    count = to_whole("N", to_number("N", word))
    if not 0 <= count <= MAX_REPEATS:
        raise UsageError(f"repeat takes 0 to {MAX_REPEATS:,}, not {count}")
    return count


def count_of(text: str) -> int:
    """Return how often the block is carried out that a line opens."""
    words = text.removeprefix("repeat ").removesuffix("{").split()
    if len(words) != 1:
        raise UsageError("a block is opened by its number alone; write: repeat 3 {")
    return times(words[0])


def items(lines: Iterable[str], file: str) -> Iterator[Line | Block]:
    """Yield the lines and blocks of a script as they come; empty lines and comments are left out.

    Raises:
        ScriptError: A block that is not closed, or closed twice, or whose number is none.
    """
    counted = iter(enumerate(lines, 1))
    for number, raw in counted:
        text = without_comment(raw)
        if opens(text):
            yield _block(Line(number, text), counted, file, 1)
        elif text == CLOSE:
            raise ScriptError(
                file, number, text, "there is no block to close here; write repeat N { before it"
            )
        elif text:
            yield Line(number, text)


def _block(opened: Line, counted: Iterator[tuple[int, str]], file: str, depth: int) -> Block:
    try:
        count = count_of(opened.text)
    except (UsageError, ValueError, ArithmeticError) as error:
        raise ScriptError(file, opened.number, opened.text, str(error)) from error
    if depth > DEEPEST:
        raise ScriptError(file, *opened, f"more than {DEEPEST} blocks stand within each other")
    body: list[Line | Block] = []
    for number, raw in counted:
        text = without_comment(raw)
        if text == CLOSE:
            return Block(opened, count, tuple(body))
        if opens(text):
            body.append(_block(Line(number, text), counted, file, depth + 1))
        elif text:
            body.append(Line(number, text))
    raise ScriptError(file, *opened, "this block is not closed; write } alone on a line after it")
