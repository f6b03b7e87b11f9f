"""Quests with their goals, sets of them, and achievements."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from cleaver.design.models.effects import Effects, Table, Tallying
from cleaver.design.models.values import WHOLE_LIMIT, EventName, Formulas, Period, Seconds, Text, Truth, Word


class Goal(Tallying):
    """One goal of a quest: a tally over events, or something held."""

    on: EventName = ""
    hold: Word | None = None
    hand_over: Truth = False
    optional: Truth = False
    hidden: Truth = False
    reward: Effects = ()
    text: Text = ""


class Fail(Tallying):
    """What lets a quest fail."""


class Quest(Table):
    """A quest."""

    title: Text = ""
    text: Text = ""
    giver: Text = ""
    needs: Formulas = ()
    goals: Annotated[tuple[Goal, ...], Field(min_length=1)]
    order: Literal["any", "in_turn"] = "any"
    needs_goals: Annotated[int, Field(ge=1, le=1000, strict=True)] | None = None
    finish: Literal["turn_in", "auto"] = "turn_in"
    reward: Effects = ()
    says: dict[Literal["locked", "available", "active", "ready", "completed", "failed"], Text] = {}
    turn_in_lasts: Seconds = 0
    time_limit: Period | None = None
    fails: tuple[Fail, ...] = ()
    repeat: Seconds | None = None


class QuestSet(Table):
    """Quests of which only some are offered, drawn by the dice."""

    quests: Annotated[tuple[Word, ...], Field(min_length=1)]
    draw: Annotated[int, Field(ge=1, le=1000, strict=True)] = 1
    every: Period | None = None


class Achievement(Tallying):
    """Something achieved once per player, for ever: by a tally, or by an effect."""

    on: EventName = ""
    title: Text = ""
    text: Text = ""
    icon: Text = ""
    hidden: Truth = False
    ranks: dict[Word, Annotated[int, Field(ge=1, le=WHOLE_LIMIT, strict=True)]] = {}
    reward: Effects = ()
