"""Reef: where everybody is, and what touches what. The design decides what that does."""

from __future__ import annotations

from math import cos, hypot, sin
from typing import NamedTuple

from cleaver import Actor, Placement, Result, Shot, World
from cleaver.hud import Dialogue

WIDE, DEEP, SEA, SAND = 32.0, 20.0, 5.0, 19.3  # metres; y goes down
PLACES = {"harbourmaster": 9.5, "office": 12.0, "winch": 14.5, "bell": 17.0}  # along the pier
START = (16.0, 6.0)
SWIM, FISH, BOLT = 7.0, 2.4, 17.0  # metres a second
REACH = 1.3
FISHES = {"eel": 1.0, "moray": 1.7}  # how near each touches


class Keys(NamedTuple):
    """What is asked for in a frame: a direction, and what was pressed."""

    x: float = 0.0
    y: float = 0.0
    shoot: bool = False
    use: bool = False


class Bolt(NamedTuple):
    """A shot, and how far it is on its way."""

    shot: Shot
    x: float
    y: float
    way: int


class Reef:
    """One player's world, as it moves."""

    def __init__(self, world: World, diver: Actor) -> None:
        self.world, self.diver, self.way, self.hauling = world, diver, 1, False
        self.bolts: list[Bolt] = []
        self.homes: dict[str, tuple[float, float]] = {}  # of each fish, around which it swims
        self.ways: dict[str, int] = {}
        self.winch = world.spawn("winch", owner=diver)
        self.winch.pause("haul")
        world.move(world.spawn("harbourmaster"), PLACES["harbourmaster"], SEA - 0.9)
        world.listen("respawned", lambda event: world.move(diver, *START), actor=diver)

    def enter(self, stage: str) -> Result:
        """Enter a stage, or play the present one again."""
        now = self.world.stage
        done = self.world.restart_stage() if stage == now else self.world.enter_stage(stage)
        if done:
            self.bolts.clear()
            if self.hauling:
                self.turn_winch()
            self.homes = {fish.id: self.at(fish) for fish in self.fishes()}
            self.world.move(self.diver, *START)
            self.diver.start_rating("dive")
            self.world.match("tide").start()
        return done

    def at(self, thing: Actor | Placement) -> tuple[float, float]:
        """Return where something is."""
        x, y, _ = thing.position or (0.0, 0.0, 0.0)
        return x, y

    def fishes(self) -> list[Actor]:
        """Return those that are alive."""
        return [actor for actor in self.world.actors if actor.kind in FISHES and actor.alive]

    def frame(self, keys: Keys, seconds: float) -> None:
        """Let *seconds* pass: everybody moves, then the world hears what touches, then its time goes on."""
        if self.diver.alive:
            self._swim(keys, seconds)
        for fish in self.fishes():
            self._hunt(fish, seconds)
        self._fly(seconds)
        self._touch()
        self.world.advance(seconds)

    def _swim(self, keys: Keys, seconds: float) -> None:
        x, y = self.at(self.diver)
        long = max(hypot(keys.x, keys.y), 1.0)
        x = min(max(x + keys.x / long * SWIM * seconds, 0.6), WIDE - 0.6)
        y = min(max(y + keys.y / long * SWIM * seconds, SEA + 0.2), SAND - 0.5)
        self.world.move(self.diver, x, y)
        self.way = self.way if not keys.x else (1 if keys.x > 0 else -1)
        self.diver.set_tag("submerged", y > SEA + 0.5)
        if keys.shoot and (shot := self.diver.launch("bolt")):
            self.bolts.append(Bolt(shot, x + self.way * 0.8, y, self.way))

    def _hunt(self, fish: Actor, seconds: float) -> None:
        x, y = self.at(fish)
        home, diver = self.homes.get(fish.id, (x, y)), self.at(self.diver)
        phase = self.world.now * 0.7 + home[0]
        to = (home[0] + 3 * cos(phase), home[1] + sin(2 * phase))
        if self.diver.alive and diver[1] > SEA + 1 and hypot(diver[0] - x, diver[1] - y) < 5:
            to = diver
        step = min(FISH * seconds / max(hypot(to[0] - x, to[1] - y), 0.01), 1.0)
        self.ways[fish.id] = 1 if to[0] > x else -1
        self.world.move(fish, x + (to[0] - x) * step, max(y + (to[1] - y) * step, SEA + 1))

    def _fly(self, seconds: float) -> None:
        flying = set(self.world.shots)
        self.bolts = [bolt for bolt in self.bolts if bolt.shot in flying]
        for number, bolt in enumerate(self.bolts):
            bolt = self.bolts[number] = bolt._replace(x=bolt.x + bolt.way * BOLT * seconds)
            for fish in self.fishes():
                x, y = self.at(fish)
                if hypot(x - bolt.x, (y - bolt.y) * 1.4) < FISHES[fish.kind] and bolt.shot.left:
                    bolt.shot.hit(fish, zone="gill" if fish.kind == "moray" and abs(y - bolt.y) < 0.4 else "")
            if not bolt.shot.left or not 0 < bolt.x < WIDE:
                bolt.shot.drop()

    def _touch(self) -> None:
        x, y = self.at(self.diver)
        for thing in self.world.placements:
            there = self.at(thing)
            if thing.present and hypot(there[0] - x, there[1] - y) < 1.1:
                self.diver.take(thing)  # taken once, or refused: never counted here
        for fish in self.fishes():
            if hypot(self.at(fish)[0] - x, self.at(fish)[1] - y) < FISHES[fish.kind]:
                fish.hit(self.diver, "sting")  # on every frame of contact: cooldown and grace decide
        if self.hauling and self.near() != "winch":
            self.turn_winch()

    def near(self) -> str:
        """Return what of the pier the diver is at, "" for nothing."""
        x, y = self.at(self.diver)
        if y > SEA + 1.2 or not self.diver.alive:
            return ""
        return next((name for name, place in PLACES.items() if abs(place - x) < REACH), "")

    def offer(self) -> str:
        """Return what `use` would do here, in words."""
        price = self.diver.price("tailor")["scrip"]
        sale = "sell pearls" if self.diver.bag["pearl"] else f"a stronger suit, {price} scrip"
        words = {"": "", "harbourmaster": "talk", "office": sale, "winch": "haul", "bell": "end the dive"}
        return "" if self.hauling else words[self.near()]

    def use(self, dialogue: Dialogue) -> bool:
        """Talk, sell, buy, haul; return whether the bell was rung."""
        place = self.near()
        if dialogue.open:
            dialogue.go_on()
        elif place == "harbourmaster":
            dialogue.begin(place)
        elif place == "office":
            self.diver.exchange("office") or self.diver.exchange("tailor")
        elif place == "winch":
            self.turn_winch()
        return place == "bell"

    def turn_winch(self) -> None:
        """Let the winch haul, or stop."""
        self.hauling = not self.hauling
        (self.winch.resume if self.hauling else self.winch.pause)("haul")
