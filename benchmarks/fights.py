"""A session as trials play it: hits, pulses, goals, a save, beside the same fight simulated by hand."""

from __future__ import annotations

from typing import Any

from common import finish, ratio

from cleaver import Design, World

TABLES: dict[str, Any] = {
    "currencies": {"scrip": {}},
    "items": {"pearl": {}},
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": {"max": 90, "marks": {"low": 0.25}}},
            "guard": {"grace": 0.4, "through": {"venom": 0.5}},
            "attacks": {"spear": {"amount": 6, "cooldown": 0.4}},
        },
        "eel": {
            "vital": "hide",
            "meters": {"hide": 18},
            "guard": {"armour": 1},
            "attacks": {"sting": {"amount": 4, "cooldown": 0.5, "do": [{"status": "venom"}]}},
            "on_death": [{"earn": "scrip", "amount": 5, "to": "source"}],
        },
    },
    "statuses": {
        "venom": {
            "lasts": 2.0,
            "stack": "refresh",
            "pulses": [{"every": 0.5, "do": [{"hurt": 1, "type": "venom"}]}],
        }
    },
    "pickups": {"pearl": {"do": [{"give": "pearl", "amount": 1}]}},
    "rules": [{"on": "defeated", "do": [{"score": 10}]}],
    "quests": {
        "eels": {"goals": [{"on": "defeated", "of": "eel", "count": 6}], "reward": [{"earn": "scrip", "amount": 50}]},
        "pearls": {"goals": [{"on": "gained", "item": "pearl", "count": 5}]},
    },
    "saves": {"include": ["currencies", "items", "quests"]},
}
ROUNDS, EELS, PEARLS = 36, 8, 6


def played(design: Design, seed: int) -> tuple[int, int]:
    """Play one session; returns how many commands and events it took."""
    world = World(design, seed=seed)
    ana = world.join("diver", "ana")
    eels = [world.spawn("eel") for _ in range(EELS)]
    pearls = [world.place("pearl") for _ in range(PEARLS)]
    ana.accept("eels")
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
    return commands, world.stage.seq


class Fighter:
    """One who fights, as anyone would write it."""

    __slots__ = ("armour", "grace", "health", "pearls", "quests", "ready", "score", "scrip", "top", "venom")

    def __init__(self, health: float, armour: float) -> None:
        self.health = self.top = health
        self.armour, self.grace, self.ready = armour, -1.0, 0.0
        self.venom: list[float] | None = None
        self.pearls = self.scrip = self.score = 0
        self.quests = {"eels": 0, "pearls": 0}


def by_hand(log: list[Any]) -> dict[str, Any]:
    """Simulate the same session: each thing that happens goes into a log, as a trial needs it to."""
    ana, eels = Fighter(90, 0), [Fighter(18, 1) for _ in range(EELS)]
    pearls = [True] * PEARLS
    now = 0.0
    low = False
    for number in range(ROUNDS):
        eel = eels[number // 4 % EELS]
        if eel.health > 0:
            if ana.health > 0 and ana.grace <= now and eel.ready <= now:
                eel.ready = now + 0.5
                ana.grace = now + 0.4
                before = ana.health
                ana.health = max(0.0, before - 4)
                log.append(("damaged", now, "ana", "eel", before - ana.health, before, ana.health))
                if not low and ana.health <= 0.25 * ana.top:
                    low = True
                    log.append(("crossed", now, "ana", "low"))
                ana.venom = [now + 0.5, now + 2.0]
                log.append(("status_began", now, "ana", "venom"))
            if ana.health > 0 and ana.ready <= now:
                ana.ready = now + 0.4
                before = eel.health
                eel.health = max(0.0, before - (6 - eel.armour))
                log.append(("damaged", now, "eel", "ana", before - eel.health, before, eel.health))
                if eel.health <= 0:
                    log.append(("died", now, "eel", "ana"))
                    ana.scrip += 5
                    log.append(("earned", now, "ana", 5, ana.scrip))
                    ana.score += 10
                    log.append(("scored", now, "ana", 10, ana.score))
                    if ana.quests["eels"] < 6:
                        ana.quests["eels"] += 1
                        log.append(("goal_advanced", now, "ana", "eels", ana.quests["eels"]))
                        if ana.quests["eels"] == 6:
                            log.append(("quest_completed", now, "ana", "eels"))
                            ana.scrip += 50
                            log.append(("earned", now, "ana", 50, ana.scrip))
        until = now + 0.5
        while ana.venom is not None and ana.venom[0] <= until:
            beat, end = ana.venom
            before = ana.health
            ana.health = max(0.0, before - 1 * 0.5)
            log.append(("damaged", beat, "ana", "eel", before - ana.health, before, ana.health))
            if not low and ana.health <= 0.25 * ana.top:
                low = True
                log.append(("crossed", beat, "ana", "low"))
            if ana.health <= 0:
                log.append(("died", beat, "ana", "eel"))
            ana.venom = [beat + 0.5, end] if beat + 0.5 <= end else None
            if ana.venom is None:
                log.append(("status_ended", beat, "ana", "venom"))
        now = until
        if number % 6 == 5 and pearls[number // 6] and ana.health > 0:
            pearls[number // 6] = False
            ana.pearls += 1
            log.append(("collected", now, "ana", "pearl"))
            log.append(("gained", now, "ana", "pearl", ana.pearls))
            if ana.quests["pearls"] < 5:
                ana.quests["pearls"] += 1
                log.append(("goal_advanced", now, "ana", "pearls", ana.quests["pearls"]))
                if ana.quests["pearls"] == 5:
                    log.append(("quest_completed", now, "ana", "pearls"))
    return {
        "currencies": {"scrip": ana.scrip},
        "items": {"pearl": ana.pearls},
        "quests": {name: {"progress": count} for name, count in ana.quests.items()},
    }


def main() -> None:
    design = Design.from_dict(TABLES)
    commands, events = played(design, 1)
    log: list[Any] = []
    by_hand(log)
    print(f"a session of {commands} commands and {events} events; by hand it logs {len(log)}")

    def sessions() -> None:
        for seed in range(40):
            played(design, seed)

    def hands() -> None:
        for _ in range(40):
            by_hand([])

    ratio("a session of hits, pulses, goals and a save / the same simulated by hand", sessions, hands, bar=10)
    finish()


if __name__ == "__main__":
    main()
