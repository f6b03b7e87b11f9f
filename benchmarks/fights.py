"""A session as trials play it: hits, pulses, goals, a save, beside the same fight simulated by hand."""

from __future__ import annotations

from typing import Any

from common import finish, ratio

from cleaver import Design, World
from cleaver.core import read

TABLES: dict[str, Any] = {
    "currencies": {"scrip": {}},
    "items": {"pearl": {}},
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": {"max": 90, "marks": {"low": 0.25}}},
            "guard": {"grace": 0.4, "through": {"venom": 0.5}},
            "attacks": {"spear": {"amount": 6, "cooldown": 0.4, "do": [{"status": "bleed"}]}},
        },
        "eel": {
            "vital": "hide",
            "meters": {"hide": {"max": 18, "marks": {"hurt": 0.5}}},
            "guard": {"armour": 1},
            "attacks": {"sting": {"amount": 4, "cooldown": 0.5, "do": [{"status": "venom"}]}},
            "on_death": [{"earn": "scrip", "amount": 5, "to": "source"}],
        },
    },
    "statuses": {
        "venom": {
            "lasts": 2.0,
            "stack": "refresh",
            "pulses": [{"every": 0.125, "do": [{"hurt": 0.25, "type": "venom"}]}],
        },
        "bleed": {"lasts": 0.5, "stack": "refresh", "pulses": [{"every": 0.5, "do": [{"hurt": 1}]}]},
    },
    "pickups": {"pearl": {"do": [{"give": "pearl", "amount": 1}]}},
    "rules": [{"on": "defeated", "do": [{"score": 10}]}, {"on": "struck", "do": [{"score": 1}]}],
    "quests": {
        "eels": {
            "goals": [{"on": "defeated", "of": "eel", "count": 6}],
            "reward": [{"earn": "scrip", "amount": 50}],
        },
        "spearing": {"goals": [{"on": "struck", "count": 60}]},
        "pearls": {"goals": [{"on": "gained", "item": "pearl", "count": 5}]},
    },
    "saves": {"include": ["currencies", "items", "quests"]},
}
ROUNDS, EELS, PEARLS = 32, 8, 5


def played(design: Design, seed: int) -> tuple[int, int]:
    """Play one session; returns how many commands and events it took."""
    world = World(design, seed=seed)
    ana = world.join("diver", "ana")
    eels = [world.spawn("eel") for _ in range(EELS)]
    pearls = [world.place("pearl") for _ in range(PEARLS)]
    ana.accept("eels")
    ana.accept("spearing")
    ana.accept("pearls")
    commands = 5 + EELS + PEARLS
    for number in range(ROUNDS):
        eel = eels[number // 4 % EELS]
        if eel.alive:
            eel.hit(ana, "sting")
            ana.hit(eel, "spear")
        world.advance(0.5)
        commands += 3
        if number % 6 == 5:
            ana.take(pearls[number // 6])
            commands += 1
    world.profile(ana)
    return commands, read.parts(world).stage.seq


class Poison:
    """What somebody is under, as anyone would write it."""

    __slots__ = ("amount", "end", "every", "name", "next", "source")

    def __init__(
        self, name: str, source: Fighter, now: float, lasts: float, every: float, amount: float
    ) -> None:
        self.name, self.source, self.amount, self.every = name, source, amount, every
        self.next, self.end = now + every, now + lasts


class Fighter:
    """One who fights, as anyone would write it."""

    __slots__ = (
        "armour",
        "grace",
        "health",
        "name",
        "pearls",
        "quests",
        "ready",
        "score",
        "scrip",
        "top",
        "under",
    )

    def __init__(self, name: str, health: float, armour: float) -> None:
        self.name, self.health, self.top = name, health, health
        self.armour, self.grace, self.ready = armour, -1.0, 0.0
        self.under: Poison | None = None
        self.pearls = self.scrip = self.score = 0
        self.quests = {"eels": 0, "spearing": 0, "pearls": 0}


class ByHand:
    """The same session simulated by hand: each thing that happens is an event in a log, which goals and
    listeners hear of."""

    goals = {"eels": ("defeated", 6), "spearing": ("struck", 60), "pearls": ("gained", 5)}

    def __init__(self) -> None:
        self.now, self.seq = 0.0, 0
        self.log: list[dict[str, Any]] = []
        self.calls: dict[str, list[Any]] = {}
        self.ana = Fighter("ana", 90, 0)
        self.eels = [Fighter(f"eel#{number}", 18, 1) for number in range(EELS)]
        self.pearls = [True] * PEARLS
        self.marks = {True: {"low": 0.25}, False: {"hurt": 0.5}}

    def tell(self, name: str, actor: str, source: str = "", **fields: Any) -> None:
        self.seq += 1
        event = {"name": name, "seq": self.seq, "time": self.now, "actor": actor, "source": source, **fields}
        self.log.append(event)
        for call in self.calls.get(name, ()):
            call(event)

    def count(self, what: str) -> None:
        for quest, (counted, wanted) in self.goals.items():
            if counted == what and self.ana.quests[quest] < wanted:
                self.ana.quests[quest] += 1
                self.tell("goal_advanced", "ana", quest=quest, progress=self.ana.quests[quest], count=wanted)
                if self.ana.quests[quest] == wanted:
                    self.tell("goal_met", "ana", quest=quest)
                    self.tell("quest_completed", "ana", quest=quest)
                    if quest == "eels":
                        self.earn(50)

    def earn(self, amount: int) -> None:
        self.ana.scrip += amount
        self.tell("earned", "ana", currency="scrip", amount=amount, balance=self.ana.scrip)

    def points(self, amount: int) -> None:
        self.ana.score += amount
        self.tell("scored", "ana", amount=amount, score=self.ana.score)

    def hurt(self, target: Fighter, source: Fighter, amount: float, type: str = "") -> None:
        before = target.health
        target.health = after = max(0.0, before - amount)
        self.tell(
            "damaged", target.name, source.name, amount=before - after, type=type, before=before, after=after
        )
        for mark, level in self.marks[target is self.ana].items():
            if after <= level * target.top < before:
                self.tell("crossed", target.name, source.name, mark=mark)
        if source is self.ana:
            self.points(1)
            self.count("struck")
        if after <= 0 < before:
            self.tell("emptied", target.name, source.name)
            self.tell("died", target.name, source.name)
            if source is self.ana:
                self.earn(5)
                self.points(10)
                self.count("defeated")

    def hit(self, source: Fighter, target: Fighter, amount: float, cooldown: float, grace: float) -> bool:
        if target.health <= 0 or source.health <= 0 or target.grace > self.now or source.ready > self.now:
            return False
        source.ready = self.now + cooldown
        if grace:
            target.grace = self.now + grace
        self.hurt(target, source, amount - target.armour)
        return True

    def advance(self, seconds: float) -> None:
        until = self.now + seconds
        while True:
            due = [one for one in (self.ana, *self.eels) if one.under is not None and one.under.next <= until]
            if not due:
                break
            one = min(due, key=lambda one: one.under.next if one.under is not None else 0)
            under = one.under
            assert under is not None
            self.now = under.next
            if one.health > 0:
                self.hurt(one, under.source, under.amount, under.name)
            under.next += under.every
            if under.next > under.end or one.health <= 0:
                one.under = None
                self.tell("status_ended", one.name, under.source.name, status=under.name)
        self.now = until

    def poison(
        self, name: str, target: Fighter, source: Fighter, lasts: float, every: float, amount: float
    ) -> None:
        if target.under is None:
            target.under = Poison(name, source, self.now, lasts, every, amount)
        else:
            target.under.end, target.under.source = self.now + lasts, source
        self.tell("status_began", target.name, source.name, status=name)

    def take(self, number: int) -> None:
        if self.pearls[number] and self.ana.health > 0:
            self.pearls[number] = False
            self.ana.pearls += 1
            self.tell("collected", "ana", pickup="pearl", placement=f"pearl#{number}")
            self.tell("gained", "ana", item="pearl", amount=1, held=self.ana.pearls)
            self.count("gained")

    def play(self) -> dict[str, Any]:
        ana = self.ana
        for eel in self.eels:
            self.tell("joined", eel.name)
        for number in range(ROUNDS):
            eel = self.eels[number // 4 % EELS]
            if eel.health > 0:
                if self.hit(eel, ana, 4, 0.5, 0.4):
                    self.poison("venom", ana, eel, 2.0, 0.125, 0.25 * 0.5)
                if self.hit(ana, eel, 6, 0.4, 0) and eel.health > 0:
                    self.poison("bleed", eel, ana, 0.5, 0.5, 1)
            self.advance(0.5)
            if number % 6 == 5:
                self.take(number // 6)
        return {
            "currencies": {"scrip": ana.scrip},
            "items": {"pearl": ana.pearls},
            "quests": {name: {"progress": count} for name, count in ana.quests.items()},
        }


def main() -> None:
    design = Design.from_dict(TABLES)
    commands, events = played(design, 1)
    hand = ByHand()
    hand.play()
    print(f"a session of {commands} commands and {events} events; by hand it logs {hand.seq}")

    def sessions() -> None:
        for seed in range(40):
            played(design, seed)

    def hands() -> None:
        for _ in range(40):
            ByHand().play()

    ratio(
        "a session of hits, pulses, goals and a save / the same simulated by hand",
        sessions,
        hands,
        bar=10,
        each=40,
    )
    finish()


if __name__ == "__main__":
    main()
