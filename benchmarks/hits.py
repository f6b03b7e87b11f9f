"""Hits, beside the bare class anyone would write, and beside the same rules written by hand."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from typing import Any

from common import finish, ratio

from cleaver import Design, World

HITS = 20_000
PLAIN: dict[str, Any] = {
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": 1e9},
            "guard": {"zones": {"visor": 3}, "through": {"venom": 0.5}, "armour": 1, "grace": 0},
        },
        "eel": {
            "vital": "hide",
            "meters": {"hide": 30},
            "attacks": {"sting": {"amount": 9, "type": "venom"}},
        },
    }
}
RICH = {
    "inputs": {"charge": 1.0},
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": {"max": 1e9, "marks": {"low": 0.25, "high": 0.75}, "flows": [{"rate": 5}]}},
            "guard": {"zones": {"visor": 3}, "through": {"venom": 0.5}, "armour": 1},
        },
        "eel": {
            "vital": "hide",
            "meters": {"hide": 30},
            "attacks": {
                "sting": {"amount": "6 + 6 * charge", "type": "venom", "crit": {"chance": 0.1, "times": 2}}
            },
        },
    },
    "statuses": {"chill": {"deals": 0.8}},
}


SHIELD = {"aura": {"max": 1e9, "shields": "suit"}}
PAUSED = {"flows": [{"rate": 5, "after_hurt": 3}]}
GENERAL: dict[str, tuple[dict[str, Any], dict[str, Any], dict[str, Any]]] = {
    # what is added to the suit, to the guard, to the meters
    "a shield": ({}, {}, SHIELD),
    "a whole vital meter": ({"whole": True}, {}, {}),
    "`scale`": ({}, {"scale": "0.5 + self.suit.fraction / 2"}, {}),
    "`after_hurt`": (PAUSED, {}, {}),
    "`least`": ({}, {"least": 2}, {}),
    "all of them": ({"whole": True, **PAUSED}, {"scale": "0.5 + self.suit.fraction / 2", "least": 2}, SHIELD),
}


def general(name: str) -> dict[str, Any]:
    """The plain design with one thing more, or with all of them."""
    suit, guard, meters = GENERAL[name]
    diver: dict[str, Any] = {
        **PLAIN["actors"]["diver"],
        "meters": {"suit": {"max": 1e9, **suit}, **meters},
        "guard": {**PLAIN["actors"]["diver"]["guard"], **guard},
    }
    return {"actors": {"diver": diver, "eel": PLAIN["actors"]["eel"]}}


class Bare:
    """What anyone would write."""

    def __init__(self) -> None:
        self.health = 1e9
        self.calls: list[Callable[[float], None]] = []

    def hurt(self, amount: float) -> None:
        self.health = max(0.0, self.health - amount)
        for call in self.calls:
            call(self.health)


class Hand:
    """The same rules by hand, for these kinds: attacks by name, guard, grace, cooldown, teams, numbered
    events with a history; returning nothing."""

    seq = 0
    history: deque[dict[str, Any]] = deque(maxlen=1_000)

    def __init__(self) -> None:
        self.health, self.alive, self.grace, self.now, self.deals = 1e9, True, 0, 0, 1.0
        self.zones, self.through, self.armour, self.guard_grace = {"visor": 3}, {"venom": 0.5}, 1, 0
        self.attacks: dict[str, dict[str, Any]] = {"sting": {"amount": 9, "type": "venom", "cooldown": 0}}
        self.cooldowns: dict[tuple[str, int], int] = {}
        self.team = ""
        self.calls: dict[str, list[Callable[[dict[str, Any]], None]]] = {}

    def hit(self, target: Hand, name: str, *, zone: str = "") -> None:
        attack = self.attacks[name]
        kind = attack["type"]
        if not target.alive or not self.alive or target.grace > self.now:
            return
        if attack["cooldown"] and self.cooldowns.get((name, id(target)), 0) > self.now:
            return
        through = target.through.get(kind, 1.0)
        if through == 0 or (self.team and self.team == target.team):
            return
        amount = attack["amount"]
        if zone:
            amount *= target.zones[zone]
        if self.deals != 1:
            amount *= self.deals
        amount = amount * through - target.armour
        if amount <= 0:
            return
        before = target.health
        target.health = after = max(0.0, before - amount)
        if target.guard_grace:
            target.grace = self.now + target.guard_grace
        Hand.seq += 1
        event = {
            "name": "damaged",
            "seq": Hand.seq,
            "time": self.now,
            "cause": 0,
            "actor": target,
            "source": self,
            "amount": before - after,
            "absorbed": 0,
            "overkill": amount - before + after,
            "meter": "suit",
            "zone": zone,
            "type": kind,
            "attack": name,
            "critical": False,
            "before": before,
            "after": after,
        }
        Hand.history.append(event)
        for call in target.calls.get("damaged", ()):
            call(event)
        if after <= 0:
            target.alive = False


def nothing(event: object) -> None:
    """A listener."""


def world_of(tables: dict[str, Any]) -> tuple[Any, Any]:
    world = World(Design.from_dict(tables), seed=1)
    ana, eel = world.join("diver", "ana"), world.spawn("eel")
    for _ in range(3):
        world.listen("damaged", lambda event: None, actor=ana)
    return ana, eel


def main() -> None:
    bare = Bare()
    bare.calls = [lambda health: None, lambda health: None, lambda health: None]
    hand, by = Hand(), Hand()
    hand.calls["damaged"] = [nothing, lambda event: None, lambda event: None]
    ana, eel = world_of(PLAIN)
    rich_ana, rich_eel = world_of(RICH)
    rich_eel.status("chill")

    def bare_hits() -> None:
        for _ in range(HITS):
            bare.hurt(12.5)

    def hand_hits() -> None:
        for _ in range(HITS):
            by.hit(hand, "sting", zone="visor")

    def hits() -> None:
        for _ in range(HITS):
            eel.hit(ana, "sting", zone="visor")

    def rich_hits() -> None:
        for _ in range(HITS):
            rich_eel.hit(rich_ana, "sting", zone="visor", charge=0.5)

    ratio("a hit of constant numbers, 3 listeners / the bare class", hits, bare_hits, bar=7.5, each=HITS)
    ratio(
        "a hit with formula, critical, flow, marks, status / the bare class",
        rich_hits,
        bare_hits,
        bar=15,
        each=HITS,
    )
    for name in GENERAL:
        struck, striker = world_of(general(name))

        def general_hits(struck: Any = struck, striker: Any = striker) -> None:
            for _ in range(HITS):
                striker.hit(struck, "sting", zone="visor")

        ratio(
            f"a hit with {name}, 3 listeners / the bare class",
            general_hits,
            bare_hits,
            bar=20 if name == "all of them" else 12,
            each=HITS,
        )
    ratio("a hit of constant numbers / the same rules by hand", hits, hand_hits, bar=2.2, each=HITS)

    def hurts() -> None:
        for _ in range(HITS):
            ana.hurt(12.5, zone="visor")

    ratio("`hurt` by a bare amount / a hit of constant numbers", hurts, hits, bar=2, each=HITS)
    finish()


if __name__ == "__main__":
    main()
