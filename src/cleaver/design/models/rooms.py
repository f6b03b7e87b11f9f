"""Rooms: what clients may ask for, where several play on several screens."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import Field

from cleaver.design.models.effects import Table

Ask = Literal["take", "exchange", "accept", "turn_in", "abandon", "talk"]
"""What a player does for itself; the rest comes from the server's own code."""
ASKS: tuple[Ask, ...] = get_args(Ask)


class Rooms(Table):
    """What a client may ask for itself, and how often."""

    allow: tuple[Ask, ...] = ASKS
    rate: Annotated[float, Field(gt=0, le=1_000)] = 20.0
