"""Goods: currencies, items, pickups, exchanges."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from cleaver.design.models.effects import Effects, Table
from cleaver.design.models.values import (
    Amount,
    Count,
    Formulas,
    InputName,
    Name,
    NotNegative,
    Number,
    Seconds,
    SecondsOrFormula,
    SeenBy,
    Text,
    Truth,
    Word,
    Words,
)


class Currency(Table):
    """Whole-number money."""

    start: Count = 0
    most: Count | None = None
    pooled: Truth = False
    seen_by: SeenBy | None = None


class Item(Table):
    """A thing held."""

    most: Count | None = None
    size: Count = 1
    title: Text = ""
    seen_by: SeenBy | None = None


class Pickup(Table):
    """A thing lying in the world with effects for whoever takes it."""

    inputs: dict[InputName, Number] = {}
    do: Effects
    for_: Annotated[Words, Field(alias="for")] = ()
    needs: Formulas = ()
    once: Truth = False
    reach: NotNegative | None = None
    waste: Truth = False
    stays: Truth = False
    split: Truth = False
    cooldown: SecondsOrFormula = 0
    respawn_after: Seconds | None = None
    respawn_in: dict[Literal["x", "y", "z"], tuple[Number, Number]] = {}
    tags: tuple[Name, ...] = ()
    title: Text = ""


class Exchange(Table):
    """Some goods for others: a sale, a shop, a craft."""

    costs: dict[Word, Amount] = {}
    gives: dict[Word, Amount] = {}
    do: Effects = ()
    all: Truth = False
    needs: Formulas = ()
    stock: Count | None = None
    restock_after: Seconds | None = None
    at: Annotated[tuple[Number, ...], Field(min_length=2, max_length=3)] | None = None
    reach: NotNegative | None = None
    title: Text = ""
