"""Sets: quests that are drawn from a set, and what a new calendar day brings. Start at `Sets.new_day`."""

from __future__ import annotations

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.stage import Stage
from cleaver.core.quests.errands import COMPLETED, FAILED, Draw, Errand, QuestTable
from cleaver.core.quests.openings import Openings

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Protocol

    from cleaver.core.quests.kinds import QuestKinds

    class _Quests(Protocol):
        """What is asked of `Quests`."""

        openings: Openings
        kinds: QuestKinds
        stage: Stage
        table: QuestTable

        def offer_again(self, errand: Errand) -> None: ...
        def errand(self, body: Body, name: str) -> Errand: ...


class Sets:
    """The sets of quests of one world."""

    quests: _Quests

    def __init__(self, quests: _Quests) -> None:
        self.quests = quests

    def new_day(self) -> None:
        """Let what waited for this day come back."""
        for draw in self.quests.table.sets.values():
            period = self.period(draw.name)
            if period is not None and draw.period != period:
                draw.period = period
                self.draw_now(draw)
        for body in tuple(self.quests.stage.players.values()):
            self.offer_by_day(body)

    def period(self, name: str) -> int | None:
        """Return for which of its periods of days a set is drawn now; None where no day was said, or it is
        not drawn by the day."""
        days, today = self.quests.kinds.quest_sets[name].days, self.quests.stage.clock.day
        return None if days is None or today is None else days.of(today)

    def offer_by_day(self, body: Body) -> None:
        """Offer a player what waited for this day. What ended before anybody said what day it is, here or
        in an earlier session, has ended today."""
        for errand in tuple(self.quests.table.errands.get(body.id, {}).values()):
            if errand.state in (COMPLETED, FAILED) and errand.ended_on is None:
                errand.ended_on = self.quests.stage.clock.day
            if errand.state in (COMPLETED, FAILED) and self._day_has_come(errand):
                self.quests.offer_again(errand)
        for draw in self.quests.table.sets.values():
            if draw.period is not None:
                self._offer_drawn(body, draw)
        for kind in self.quests.openings.seasonal:
            self.quests.openings.tell_available(body, kind)

    def _day_has_come(self, errand: Errand) -> bool:
        today, ended, kind = self.quests.stage.clock.day, errand.ended_on, errand.kind
        if today is None or ended is None:
            return False
        if kind.repeat_days is not None and (
            kind.repeat_days.of(today) > kind.repeat_days.of(ended)
            if kind.by_week
            else today >= ended + kind.repeat_days.days
        ):
            return True
        return any(
            table.days is not None
            and kind.name in table.quests
            and table.days.of(today) > table.days.of(ended)
            for table in self.quests.kinds.quest_sets.values()
        )

    def _offer_drawn(self, body: Body, draw: Draw) -> None:
        """Tell a player which quests of a set are open now."""
        for name in self.quests.kinds.quest_sets[draw.name].quests:
            errand = self.quests.errand(body, name)
            if not errand.state:
                errand.told = False
                self.quests.openings.tell_available(body, errand.kind)

    def draw_now(self, draw: Draw) -> None:
        """Draw for the first time."""
        draw.drawn = []
        self.draw_more(draw)
        draw.times += 1

    def draw_more(self, draw: Draw) -> None:
        """Draw as many quests as a set offers, beside those that are drawn already."""
        kind = self.quests.kinds.quest_sets[draw.name]
        left = [quest for quest in kind.quests if quest not in draw.drawn]
        for turn in range(len(draw.drawn), min(kind.draw, len(kind.quests))):
            # Of a day the same, whenever in it a world begins.
            which = draw.times if draw.period is None else f"day {draw.period}"
            stream = f"set/{draw.name}/{which}/{turn}"
            draw.drawn.append(left.pop(int(self.quests.stage.dice.draw(stream) * len(left))))
            self.quests.stage.dice.forget(stream)  # never drawn from again

    def draw(self, draw: Draw) -> None:
        """Draw a set anew: quests of it that were completed or failed may be offered again."""
        kind = self.quests.kinds.quest_sets[draw.name]
        self.draw_now(draw)
        self.quests.stage.clock.arm(draw, self.quests.stage.clock.later(kind.every))
        for body in tuple(self.quests.stage.players.values()):
            for name in kind.quests:
                errand = self.quests.errand(body, name)
                if errand.state in (COMPLETED, FAILED):
                    self.quests.offer_again(errand)
            self._offer_drawn(body, draw)
