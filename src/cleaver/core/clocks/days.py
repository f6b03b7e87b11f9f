"""Days: what day the game says it is, what is due with a new one, and the first visit of a player on each.

Start at `Days.set_day`.
"""

from __future__ import annotations

from cleaver.core.clocks.coming import come_due
from cleaver.core.goods.pickups import Pickups
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.clock import DAYS
from cleaver.core.kernel.gathered import only
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.stage import Stage
from cleaver.core.kernel.state import Record
from cleaver.core.kernel.tallies import Tallies
from cleaver.core.quests.sets import Sets
from cleaver.core.vitals.life import Life
from cleaver.errors import AmountError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


class DayTable(Record):
    """The state of this part: the day of the last visit of each player."""

    __slots__ = ("visits",)
    visits: dict[str, int]

    def __init__(self) -> None:
        self.visits = {}


class Days(Part):
    """The days of one world."""

    stage: Stage
    life: Life
    pickups: Pickups
    tallies: Tallies
    sets: Sets
    week_start: int
    table: DayTable

    name = "days"

    def __init__(
        self, stage: Stage, life: Life, pickups: Pickups, tallies: Tallies, sets: Sets, week_start: int
    ) -> None:
        self.stage, self.life, self.pickups, self.tallies, self.sets = stage, life, pickups, tallies, sets
        self.week_start, self.table = week_start, DayTable()
        stage.readable["day"] = lambda body, name, part: stage.clock.day or 0
        stage.readable["weekday"] = lambda body, name, part: ((stage.clock.day or 0) - self.week_start) % 7

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("visits", self._kept, self._back, stays=True),)

    def _kept(self, body: Body) -> dict[str, Any]:
        return {"day": self.table.visits[body.id]} if body.id in self.table.visits else {}

    def _back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        self.forget(body)
        if "day" in data:
            self.table.visits[body.id] = data.pop("day")
        return data

    def forget(self, body: Body) -> None:
        """Drop what is kept of a player who goes."""
        self.table.visits.pop(body.id, None)

    def arrived(self, body: Body, been: int | None) -> None:
        """Let it be the latest day on which a player who comes has been somewhere, *been* or its last visit;
        and visit."""
        days = [
            day for day in (been, self.table.visits.get(body.id), self.stage.clock.day) if day is not None
        ]
        if days:
            errors, clock = self.set_day(max(days)), self.stage.clock
            # What it brings may have been due since it was written: each thing on its own day
            try:
                while (due := clock.next_day()) is not None and due <= max(days):
                    clock.as_of = due
                    errors += self._come()
            finally:
                clock.as_of = None
            self._visit(body)
            if errors:
                raise only(errors)

    def check(self, day: int) -> None:
        """Raise where a day is over already."""
        today = self.stage.clock.day
        if today is not None and day < today:
            raise AmountError("the day", day, f"{today} or later: days only go on")

    def set_day(self, day: int) -> list[Exception]:
        """Let it be this day or a later one: what is due until then happens, each on its own day; then
        `day_began` comes, once. Returns what was raised."""
        stage, clock, errors = self.stage, self.stage.clock, list[Exception]()
        if day == clock.day:
            return errors
        if clock.day is None:
            clock.day = day
            self.tallies.first_day()
            for body in stage.actors.values():
                if body.hurt_on is not None:
                    body.hurt_on[2] = day
        while (due := clock.next_day()) is not None and due < day:
            clock.day = due
            errors += self._come()
        clock.day = day
        self.sets.new_day()
        errors += self._come()
        stage.touched("day", "")
        stage.emit("day_began", "", "", (day,))
        for body in stage.players.values():
            self._visit(body)
        return errors

    def _come(self) -> list[Exception]:
        for body in self.stage.actors.values():
            self.life.clocks_came(body)
        self.pickups.clocks_came()
        return come_due(self.stage, DAYS)

    def _visit(self, body: Body) -> None:
        day = self.stage.clock.day
        if day is not None and self.table.visits.get(body.id) != day:
            self.table.visits[body.id] = day
            self.stage.emit("daily_visit", body.id, "", (day,))
