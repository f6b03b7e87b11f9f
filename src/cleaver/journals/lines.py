"""Lines: a command that was given, as the line of a script that does the same.

It follows from the command's declaration (`core.commands`). What a line needs beside it, a profile or a
design, goes into a file by `keep`. Start at `script_line`.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from shlex import quote
from typing import Any

from cleaver.core.commands import Argument, Declared
from cleaver.core.kernel.door import Call

Keep = Callable[[str, str | bytes], str]
"""Keeps a text in a file of its own, named for what it is; returns how a line names it."""


def script_line(call: Call, keep: Keep) -> str:
    """Return a command as a line of a script.

    Raises:
        TypeError: It cannot be called so.
    """
    declared: Declared = call.declared
    given = declared.given(call.args, call.options)
    words, options = list[str](), list[str]()
    for part in declared.parts:
        argument, option = part.argument, part.option
        value = call.me if argument is None else given[argument.name]
        if part.literal:
            (options if "=" in part.literal else words).append(part.literal)
        elif argument is not None and argument.kind.of in ("inputs", "fields"):
            options += [f"{key}={_word(one)}" for key, one in (value or {}).items()]
        elif option and (argument is None or value not in (argument.default, None, {})):
            options.append(f"{option}={_written(argument, value, keep)}")
        elif not option and (argument is None or argument.told or value not in ("", None)):
            words.append(_written(argument, value, keep))
    return " ".join(words + options)


def _written(argument: Argument | None, value: Any, keep: Keep) -> str:
    of = "" if argument is None else argument.kind.of
    if of == "profile":
        from cleaver.saves.document import written_profile  # only where profiles come and go

        return keep("profile", written_profile(value))
    if of == "design":
        return keep("design", value.text)
    if of == "json":
        return _word(json.dumps(value))
    if of == "goods":
        return ",".join(f"{good}:{int(count)}" for good, count in value.items())
    if of == "anybody":
        return _word(value or "-")
    return "none" if value is None else _word(value)


def _word(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int):
        return str(int(value))
    if isinstance(value, float):
        return repr(float(value))
    if isinstance(value, (tuple, list)):
        return ",".join(_word(part) for part in value)
    text = value if isinstance(value, str) else _called(value)
    quoted = quote(text)
    return f"'{text}'" if quoted == text and "=" in text else quoted  # else it would be an option


def _called(thing: Any) -> str:
    """Return how a line names what stands in a world."""
    return next(str(getattr(thing, name)) for name in ("id", "path", "whose", "name") if hasattr(thing, name))
