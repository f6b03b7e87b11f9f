"""Saves: what is kept of a player, and what became of names from one version to the next."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import Field

from cleaver.design.models.effects import Table
from cleaver.design.models.values import Word


class Change(Table):
    """What became of names from one version of saved data to the next."""

    from_: Annotated[int, Field(alias="from", ge=1, le=1_000_000, strict=True)]
    rename: dict[str, Word] = {}


Usual = Literal[
    "currencies",
    "items",
    "exchanges",
    "pickups",
    "levels",
    "quests",
    "achievements",
    "ratings",
    "records",
    "lives",
]
Asked = Literal["statuses", "tags", "team", "score"]
"""What is kept only where a design asks for it: in games in which leaving must not heal or reset."""
SECTIONS: tuple[Usual, ...] = get_args(Usual)
ASKED: tuple[Asked, ...] = get_args(Asked)


class Saves(Table):
    """What is kept of a player."""

    changes: tuple[Change, ...] = ()

    include: tuple[Usual | Asked, ...] = SECTIONS
