"""Dive: the game around a reef: slots, stages with stars, restart, game over, pause, the panel of numbers."""

from __future__ import annotations

import cleaver
from cleaver.hud import Sliders, Stars
from cleaver.saves import Autosaver, Found
from cleaver.window import Overlay, Pen, Window, draw_banner, draw_card, draw_log
from game.pilot import Pilot
from game.reef import Keys, Reef
from game.scene import Scene

SLOTS, STAGES = ("slot1", "slot2", "slot3"), ("shallows", "wreck")
HINT = """Up, down: choose a slot. Return: dive. Esc: leave.
Swim: WASD, arrows. Space: shoot. E: use. R: again. P: pause. T: slow. L: quests. Tab: numbers."""
TUNED = {
    "eel's sting": "actors.eel.attacks.sting.amount",
    "eel's hide": "actors.eel.meters.hide",
    "harpoon": "actors.diver.attacks.bolt.amount",
    "reload, s": "actors.diver.attacks.bolt.cooldown",
    "suit": "actors.diver.meters.suit.max",
    "armour": "actors.diver.guard.armour",
    "a pearl's price": "exchanges.office.gives.scrip",
}


class Dive:
    """One player at a time, in a window. `mode` is "slots", "dive", "end" (of a stage) or "over"."""

    def __init__(self, window: Window, saver: Autosaver, watch: cleaver.Watch, *, journal: str = "") -> None:
        self.window, self.saver, self.watch, self.journal = window, saver, watch, journal
        self.pilot = Pilot() if window.frames else None
        self.scene, self.mode, self.chosen, self.problem, self.log = Scene(), "slots", 0, "", False
        self.reef: Reef | None = None
        self.lines = self._slots()

    def frame(self, seconds: float) -> None:
        """One frame: the design if it was saved anew, what was pressed, the world, the picture."""
        try:
            found = self.watch.changed()
            if isinstance(found, cleaver.DesignError):
                raise found
            if found is not None:
                self.problem = ""
                self.reef.world.adopt(found) if self.reef else None
            for key in self.window.pressed:
                self.press(key)
        except cleaver.CleaverError as error:  # an error in the file, a slot that another program has
            self.problem = str(error).splitlines()[-1].strip()
        if self.reef is not None:
            self._play(self.reef, seconds)
        self._draw()
        self.saver.pump(budget=0.002)

    def open(self, slot: str) -> None:
        """Begin where the player of a slot stopped."""
        world = cleaver.World(self.watch.design, seed=7)
        sliders, attacks = Sliders(world, TUNED), {"bolt": "harpoon"}
        self.written = cleaver.journal(world, self.journal) if self.journal else None
        diver = self.saver.join(world, slot, "diver")
        if not diver.lives:  # a game that was over begins anew
            diver.add_lives(3)
            diver.revive()
        self.overlay = Overlay(
            world, diver, screen=self.scene.screen, attacks=attacks, sliders=sliders, saver=self.saver
        )
        self.reef = Reef(world, diver)
        self._enter(self.reef, STAGES[0])

    def close(self) -> None:
        """End the dive, and save what was earned."""
        if self.reef is not None:
            if self.written is not None:
                self.written.close()
            self.overlay.close()
            self.saver.leave(self.reef.diver.id)
        self.reef, self.mode, self.log = None, "slots", False
        self.lines = self._slots()

    def _slots(self) -> list[str]:
        found = [self.saver.store.load(slot) for slot in SLOTS]
        purses = [one.profile.sections["currencies"] if isinstance(one, Found) else {} for one in found]
        told = [f"{purse['scrip']} scrip" if purse else "empty" for purse in purses]
        return [f"{number}   {line}" for number, line in enumerate(told, 1)]

    def press(self, key: str) -> None:
        """Do what a key is for."""
        reef = self.reef
        if key == "escape":
            self.window.end() if reef is None else self.close()
        elif reef is None:
            self.chosen = (self.chosen + (key == "down") - (key == "up")) % len(SLOTS)
            if key in ("return", "space"):
                self.open(SLOTS[self.chosen])
        elif key == "r" or (self.mode == "over" and key == "return"):
            self._enter(reef, reef.world.stage)
        elif self.mode == "end" and key == "return":
            self._enter(reef, STAGES[(STAGES.index(reef.world.stage) + 1) % len(STAGES)])
        elif key == "p":
            self.overlay.pace.paused = not self.overlay.pace.paused
        elif key == "t":
            self.overlay.pace.speed = 0.25 if self.overlay.pace.speed == 1 else 1
        elif key == "l":
            self.log = not self.log
        elif key == "tab":
            self.overlay.tuning = not self.overlay.tuning
        elif self.overlay.tuning and self.overlay.sliders is not None:
            self.overlay.sliders.press(key)

    def _enter(self, reef: Reef, stage: str) -> None:
        if reef.enter(stage) or reef.enter(reef.world.stage):  # one that is locked: the same again
            self.mode = "dive"

    def _play(self, reef: Reef, seconds: float) -> None:
        passed = self.overlay.pace.of(seconds) if self.mode == "dive" and not self.log else 0.0
        if passed:
            dialogue = self.overlay.dialogue
            x, y = self.window.direction(arrows=not self.overlay.tuning)
            keys = Keys(x, y, self.window.held("space"), "e" in self.window.pressed)
            keys = self.pilot.keys(reef, dialogue) if self.pilot else keys
            rung = keys.use and reef.use(dialogue)
            reef.frame(Keys() if dialogue.open else keys, passed)
            if not reef.diver.lives:
                self.mode, self.lines = "over", [f"{reef.diver.score} points", "All lives are lost."]
            elif rung or not reef.world.match("tide").running:
                reef.world.match("tide").end()
                rated = reef.diver.rate("dive")
                words = f"{rated.advice} to the next star" if rated.advice else "There is no more to get."
                self.lines = [f"{rated.measure:g} points: {rated.stars} of {rated.of} stars", words]
                self.mode = "end"
        self.overlay.update(passed)

    def _draw(self) -> None:
        pen, reef = Pen(self.window.surface), self.reef
        wide, high = pen.surface.get_size()
        if reef is None:
            pen.surface.fill((14, 40, 58))
            draw_card(pen, "Lanternreef", self.lines, chosen=self.chosen, hint=HINT)
        else:
            self.scene.draw(pen.surface, reef)
            self.overlay.draw(pen.surface)
            if self.mode == "end":
                stars = Stars(reef.diver, reef.world.stage)
                draw_card(
                    pen, "The dive is over", self.lines, stars=stars, hint="Return: next stage. R: again."
                )
            elif self.mode == "over":
                draw_card(pen, "Game over", self.lines, hint="R: again, as when the stage began.")
            elif self.log:
                draw_log(pen, reef.diver, pen.surface.get_rect().inflate(-wide // 3, -high // 4))
        draw_banner(pen, self.problem, (wide / 2, high / 2))

    def told(self) -> str:
        """Return what there is now, in the words of a script's `expect`."""
        if self.reef is None:
            return "nobody dives"
        name, world = self.reef.diver.id, self.reef.world
        values = ("scrip", "pearl", "score", "suit", "air", "rank")
        return " and ".join(f"{name}.{one} == {world.value(f'{name}.{one}')}" for one in values)
