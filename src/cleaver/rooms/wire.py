"""Wire: what goes from a room to a client, as bytes.

Compact JSON. All there is: the version of the form, the time of the world in microseconds, the viewer's own
name, the number of the last event before, entries, events. What has changed: the time, entries, and where
there are events the number before them, and these. Where nothing has: the time alone. Start at `full`.
"""

from __future__ import annotations

import json
from typing import Any, NamedTuple

from cleaver.errors import UsageError

LATEST = 2**62  # microseconds
FORM = 1
Entry = list[Any]


class Message(NamedTuple):
    """A message that was read: whether it is all there is, the time, whose it is, entries, the number of the
    last event before those that come with it, these."""

    whole: bool
    now: int
    me: str
    entries: list[Entry]
    before: int
    events: list[list[Any]]


def packed(value: Any) -> str:
    """Return a value as compact JSON."""
    return _ENCODER.encode(value)


_ENCODER = json.JSONEncoder(separators=(",", ":"), ensure_ascii=False, check_circular=False)


def full(now: int, me: str, entries: list[str], before: int, events: list[str]) -> bytes:
    """Return all there is as a message; entries and events are packed already, those for all but once."""
    told = f"[{FORM},{now},{packed(me)},{before},[{','.join(entries)}],[{','.join(events)}]]"
    return told.encode()


def changes_message(now: int, entries: list[str], before: int, events: list[str]) -> bytes:
    """Return what has changed as a message, as `full`."""
    if events:
        return f"[{now},[{','.join(entries)}],{before},[{','.join(events)}]]".encode()
    return f"[{now},[{','.join(entries)}]]".encode() if entries else str(now).encode()


def unpacked(data: bytes) -> Message:
    """Return a message as it was sent.

    Raises:
        UsageError: It is none, or one of another form.
    """
    try:
        told = json.loads(data)
        if type(told) is int:
            return _sound(Message(False, told, "", [], 0, []))
        if type(told) is not list:
            raise TypeError
        if len(told) == 2:
            return _sound(Message(False, told[0], "", told[1], 0, []))
        if len(told) == 4:
            return _sound(Message(False, told[0], "", told[1], told[2], told[3]))
        form, now, me, before, entries, events = told
    except (ValueError, TypeError, RecursionError):
        raise UsageError("this is no message of a room; feed what Room.full or Room.changes gave") from None
    if form != FORM:
        raise UsageError(
            f"this message has form {form!r}, and this version reads {FORM}; use one version on both sides"
        )
    return _sound(Message(True, now, me, entries, before, events))


def _sound(told: Message) -> Message:
    """Return a message whose parts are of the types that a room sends; nothing of another one is taken up."""
    numbers = type(told.now) is int and type(told.before) is int and min(told.now, told.before) >= 0
    lists = type(told.entries) is list and type(told.events) is list
    if not (numbers and lists and type(told.me) is str and told.now <= LATEST):
        raise UsageError("this is no message of a room; feed what Room.full or Room.changes gave")
    return told
