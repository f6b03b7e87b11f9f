"""Overlay: all that one player's screen shows, laid out around the game. Start at `Overlay`."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import TYPE_CHECKING

from pygame import Rect, Surface

from cleaver.core.handles import Actor
from cleaver.core.world import World
from cleaver.errors import UnknownNameError
from cleaver.hud.contests.boards import ComboMeter, LevelBar, MatchClock, Scoreboard
from cleaver.hud.goods.counters import Counter, Notices
from cleaver.hud.origin import Place
from cleaver.hud.pace import Pace
from cleaver.hud.quests.dialogue import Dialogue
from cleaver.hud.quests.errands import Toasts, Tracker, quest_log, sign
from cleaver.hud.saves.saving import SaveIndicator
from cleaver.hud.sliders import Sliders
from cleaver.hud.vitals.bar import Bar
from cleaver.hud.vitals.popups import Popups
from cleaver.hud.vitals.rings import CooldownRing, Ring, StatusRing
from cleaver.window.contests import draw_clock, draw_combo, draw_levels, draw_scoreboard
from cleaver.window.goods import draw_bag, draw_counter, draw_flights, draw_notices
from cleaver.window.panels import draw_banner, draw_sliders
from cleaver.window.pen import Pen, Point
from cleaver.window.quests import draw_dialogue, draw_sign, draw_toast, draw_tracker
from cleaver.window.theme import Theme
from cleaver.window.vitals import draw_bar, draw_lives, draw_popups, draw_ring

if TYPE_CHECKING:
    from cleaver.saves import Autosaver

_COLUMN = 235.0  # units of the columns at both sides
_LONGEST_ERRAND = 3  # quests that are tracked at a time


class Overlay:
    """What a player's screen shows over the game, in one object: give it the seconds of each frame, and let
    it draw when the game is drawn.

    On the left what the player is (lives, meters, levels, statuses, cooldowns) and what has just been said;
    on the right what the player has and is to do; in the middle the match, toasts, and a dialogue below. In
    the world: bars over who is hurt, signs over givers, popups. What the design does not have is not shown.

    Args:
        world: Whose events it hears.
        actor: The player whose screen it is.
        theme: Colours and sizes.
        screen: Gives where on the surface a place of the world (x, y, z) is; without it nothing is drawn in
            the world.
        attacks: Names of the player's attacks whose cooldowns are shown, with the name of each.
        pace: Pause and slow motion, shown at the top; one of its own unless given.
        sliders: Numbers of the design to turn, shown while `tuning`.
        saver: Shows whether the player's progress is safe.
        key: The key that answers a dialogue, as it is shown.
    """

    world: World
    actor: Actor
    theme: Theme
    key: str
    pace: Pace
    dialogue: Dialogue
    sliders: Sliders | None
    tuning: bool
    areas: dict[str, Rect]
    """Where each thing was drawn last; none of them lies over another."""

    def __init__(
        self,
        world: World,
        actor: Actor,
        *,
        theme: Theme | None = None,
        screen: Callable[[Place], Point] | None = None,
        attacks: Mapping[str, str] | None = None,
        pace: Pace | None = None,
        sliders: Sliders | None = None,
        saver: Autosaver | None = None,
        key: str = "E",
    ) -> None:
        self.world, self.actor, self.theme, self._screen = world, actor, theme or Theme(), screen
        self.pace, self.sliders, self.tuning, self.key = pace or Pace(), sliders, False, key
        self.dialogue = Dialogue(actor)
        self.areas = {}
        self._bars: dict[tuple[str, str], Bar] = {}  # by actor and meter
        self._levels = [LevelBar(actor, name) for name in actor.levels]
        self._combos = [combo for name in actor.records if (combo := _combo(actor, name)) is not None]
        self._attacks = dict(attacks or {})
        self._popups, self._notices = Popups(world), Notices(world)
        self._toasts = Toasts(world, actor=actor)
        scored = bool(world.matches or actor.ratings)
        goods = [*actor.purse, *(["score"] if scored else [])]
        self._counters = [Counter(actor, good, screen=screen) for good in goods]
        self._saving = SaveIndicator(saver, actor.id) if saver is not None else None

    def update(self, seconds: float) -> None:
        """Let *seconds* pass for all that moves by itself: 0 while the game is paused."""
        there = set(self.world.actors)  # who has left has no bar any more, and cannot be asked for one
        self._bars = {key: bar for key, bar in self._bars.items() if bar.actor in there}
        for moving in (self._bars.values(), self._levels, self._counters):
            for one in moving:
                one.update(seconds)
        self._popups.update(seconds)
        self._notices.update(seconds)
        self._toasts.update(seconds)
        self.dialogue.update(seconds)

    def draw(self, surface: Surface) -> None:
        """Draw all of it."""
        pen = Pen(surface, self.theme)
        self.areas = {}
        if self._screen is not None:
            self._draw_world(pen, self._screen)
        width, height = surface.get_size()
        margin, gap = pen.px(14), pen.px(self.theme.gap)
        column = min(pen.px(_COLUMN), (width - 4 * margin) // 3)
        floor = height - margin
        if self.dialogue.open:
            wide = min(pen.px(760), width - 2 * margin)
            room = Rect((width - wide) // 2, height // 2, wide, floor - height // 2)
            floor = self._keep("dialogue", draw_dialogue(pen, self.dialogue, room, key=self.key)).top - gap
        self._draw_left(pen, Rect(margin, margin, column, floor - margin))
        self._draw_right(pen, Rect(width - margin - column, margin, column, floor - margin))
        middle = width - 2 * (column + 2 * margin)
        self._draw_middle(pen, Rect(column + 2 * margin, margin, middle, floor - margin))
        for counter in self._counters:
            draw_flights(pen, counter)

    def _keep(self, name: str, where: Rect) -> Rect:
        if where.width and where.height:
            self.areas[name] = where
        return where

    def _draw_world(self, pen: Pen, screen: Callable[[Place], Point]) -> None:
        """Draw what stands in the world: bars over who is hurt, signs over givers, popups."""
        givers = {quest.giver for quest in self.actor.quests.values() if quest.giver}
        for actor in self.world.actors:
            place = actor.position
            if place is None:
                continue
            x, y = screen(place)
            giver = next((name for name in (actor.id, actor.kind) if name in givers), "")
            if giver:
                draw_sign(pen, sign(self.actor, giver), (x, y - pen.px(44)))
            if actor == self.actor or not actor.alive or not actor.meters:
                continue
            vital = self.world.design.tables.actors[actor.kind].vital
            bar = self._bar(actor, vital or actor.meters[0])
            if bar.ghost < 1 or bar.fraction < 1:
                wide = pen.px(58)
                where = Rect(round(x) - wide // 2, round(y) - pen.px(36), wide, pen.px(9))
                draw_bar(pen, bar, where)
        draw_popups(pen, self._popups, screen)

    def _bar(self, actor: Actor, meter: str) -> Bar:
        found = self._bars.get((actor.id, meter))
        if found is None or found.actor != actor:  # a name may be given again
            # What drains all the time would draw its ghost behind it for ever: only what is hit has one.
            vital = self.world.design.tables.actors[actor.kind].vital
            ghost = 0.4 if meter == vital else 0.0
            found = self._bars[actor.id, meter] = Bar(actor, meter, ghost=ghost)
        return found

    def _draw_left(self, pen: Pen, rect: Rect) -> None:
        """Draw what the player is, from the top; what was said, from the bottom."""
        actor, gap, high = self.actor, pen.px(self.theme.gap), pen.px(self.theme.bar)
        high = max(high, pen.height(self.theme.small) + pen.px(4))
        y = rect.y
        if actor.lives or not actor.alive:
            y = self._keep("lives", draw_lives(pen, actor, (rect.x, y))).bottom + gap
        for name in actor.meters:
            if not actor[name].shields:  # a shield is drawn on the bar that it shields
                where = Rect(rect.x, y, rect.width, high)
                bar = draw_bar(pen, self._bar(actor, name), where, name=name.replace("_", " "))
                y = self._keep(f"meter {name}", bar).bottom + gap
        for levels in self._levels:
            where = Rect(rect.x, y, rect.width, high)
            y = self._keep(f"levels {levels.levels}", draw_levels(pen, levels, where)).bottom + gap
        y = self._draw_rings(pen, Rect(rect.x, y, rect.width, rect.bottom - y)) + gap
        for combo in self._combos:
            where = Rect(rect.x, y, rect.width, high)
            y = self._keep(f"combo {combo.record}", draw_combo(pen, combo, where)).bottom
        if self._saving is not None and self._saving.state not in ("saved", "unsaved"):
            text = self._saving.text
            colour = self.theme.problem if self._saving.state in ("waiting", "failed") else self.theme.dim
            for number, line in enumerate(pen.wrapped(text, self.theme.small, rect.width, 2)):
                y = self._keep(
                    f"saving {number}",
                    pen.text(line, (rect.x, y), size=self.theme.small, colour=colour, edge=True),
                ).bottom
        left = Rect(rect.x, y, rect.width, max(rect.bottom - y, 0))
        self._keep("notices", draw_notices(pen, self._notices, left))

    def _draw_rings(self, pen: Pen, rect: Rect) -> int:
        """Draw statuses and cooldowns as rings side by side; return where they end below."""
        radius = 14.0
        step = pen.px(72)
        high = 2 * pen.px(radius) + pen.height(self.theme.small) + pen.px(2)
        x = rect.x + step // 2
        y = rect.y
        for name, ring in self._rings():
            if x + step // 2 > rect.right + 2:
                x, y = rect.x + step // 2, y + high
            if y + high > rect.bottom:
                return y
            label = pen.cut(name.replace("_", " "), self.theme.small, step - pen.px(4))
            where = draw_ring(pen, ring, (x, y + pen.px(radius)), name=label, radius=radius)
            self._keep(f"ring {name}", where)
            x += step
        return y + high if x > rect.x + step // 2 or y > rect.y else y

    def _rings(self) -> Iterator[tuple[str, Ring]]:
        for status in dict.fromkeys(self.actor.statuses):
            yield status, StatusRing(self.actor, status)
        for attack, name in self._attacks.items():
            ring = CooldownRing(self.actor, attack)
            if not ring.ready:
                yield name, ring

    def _draw_right(self, pen: Pen, rect: Rect) -> None:
        """Draw what the player has, and is to do; the panel of numbers from the bottom."""
        gap = pen.px(self.theme.gap)
        high = round(pen.height(self.theme.normal) * 1.25)
        y, bottom = rect.y, rect.bottom
        for counter in self._counters:
            where = Rect(rect.x, y, rect.width, high)
            y = self._keep(f"counter {counter.good}", draw_counter(pen, counter, where)).bottom
        y += gap
        if self.actor.bag.most is not None:
            where = Rect(rect.x, y, rect.width, rect.bottom - y)
            y = self._keep("bag", draw_bag(pen, self.actor, where)).bottom + gap
        if self.tuning and self.sliders is not None:
            where = Rect(rect.x, y, rect.width, max(bottom - y, 0))
            bottom = self._keep("sliders", draw_sliders(pen, self.sliders, where)).top - gap
        rows = [row for row in quest_log(self.actor) if row.state in ("ready", "active")]
        for row in rows[:_LONGEST_ERRAND]:
            where = Rect(rect.x, y, rect.width, max(bottom - y, 0))
            found = draw_tracker(pen, Tracker(self.actor, row.quest), where)
            y = self._keep(f"quest {row.quest}", found).bottom + gap

    def _draw_middle(self, pen: Pen, rect: Rect) -> None:
        """Draw the match that is being played, the pace, and what was achieved."""
        gap, y = pen.px(self.theme.gap), rect.y
        for name, match in self.world.matches.items():
            if not match.running:
                continue
            if len(match.standings) > 1:
                where = Rect(rect.x, y, rect.width, rect.height // 3)
                found = draw_scoreboard(pen, Scoreboard(self.world, name), where)
                y = self._keep(f"match {name}", found).bottom
            if match.left:
                found = draw_clock(pen, MatchClock(self.world, name), (rect.centerx, y))
                y = self._keep(f"clock {name}", found).bottom + gap
        if self.pace.text:
            y = self._keep("pace", draw_banner(pen, self.pace.text, (rect.centerx, y))).bottom + gap
        for toast in self._toasts:
            where = Rect(rect.x, y, rect.width, rect.bottom - y)
            y = self._keep("toast", draw_toast(pen, toast, where)).bottom + gap

    def close(self) -> None:
        """Stop listening to the world."""
        for hearing in (self._popups, self._notices, self._toasts, *self._counters):
            hearing.close()

    def __enter__(self) -> Overlay:
        return self

    def __exit__(self, *ended: object) -> None:
        self.close()


def _combo(actor: Actor, record: str) -> ComboMeter | None:
    """Return the meter of a record that counts within some time; other records have none."""
    try:
        return ComboMeter(actor, record)
    except UnknownNameError:
        return None
