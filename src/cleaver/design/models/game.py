"""The game as a whole: its title and tags, its own events, and the settings of `cleaver check`."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from cleaver.design.models.effects import Table
from cleaver.design.models.saves import Asked, Usual
from cleaver.design.models.values import Name, SeenBy, Text, Truth, Word


class Game(Table):
    """The game as a whole."""

    title: Text = "Untitled"
    version: Annotated[int, Field(ge=1, le=1_000_000, strict=True)] = 1
    tags: tuple[Name, ...] = ()
    negative_scores: Truth = False
    restart_keeps: tuple[Usual | Asked, ...] = ("achievements", "records", "ratings")


class Event(Table):
    """An event of your game's own."""

    fields: dict[Word, Literal["name", "number"]] = {}
    seen_by: SeenBy | None = None


class Silence(Table):
    """A warning of `cleaver check` about what is meant: the rule, where, and why."""

    rule: Word
    at: Text
    because: Annotated[str, Field(min_length=3, max_length=2_000, strict=True)]


class Check(Table):
    """Settings of `cleaver check`."""

    silence: tuple[Silence, ...] = ()
