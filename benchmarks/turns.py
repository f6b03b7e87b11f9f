"""Turns: a fight of four against four to its end, beside the same fight written by hand."""

from __future__ import annotations

from typing import Any

from common import finish, ratio

from cleaver import Actor, Design, World

SPEEDS = {"hero": (9, 7, 5, 3), "foe": (8, 6, 4, 2)}
TREE: dict[str, Any] = {
    "game": {"turn_order": "self.speed"},
    "actors": {
        f"{side}{number}": {
            "turns": True,
            "team": side,
            "vital": "hp",
            "stats": {"speed": speed},
            "meters": {"hp": 60},
            "attacks": {
                "strike": {"amount": 5},
                "torch": {
                    "amount": 2,
                    "cooldown": {"turns": 4},
                    "cooldown_per": "attack",
                    "do": [{"status": "burn"}],
                },
                "trip": {
                    "amount": 1,
                    "cooldown": {"turns": 5},
                    "cooldown_per": "attack",
                    "do": [{"status": "stun"}],
                },
            },
        }
        for side, speeds in SPEEDS.items()
        for number, speed in enumerate(speeds)
    },
    "teams": {"hero": {}, "foe": {}},
    "statuses": {
        "burn": {
            "lasts": {"turns": 3},
            "pulses": [{"every": {"turns": 1}, "do": [{"hurt": 3, "type": "fire"}]}],
        },
        "stun": {"lasts": {"turns": 1}, "tags": ["stunned"]},
    },
}
DESIGN = Design.from_dict(TREE)


def by_cleaver() -> tuple[int, list[str]]:
    """Return how many turns it took, and who is left."""
    world = World(DESIGN, history=0)
    sides: dict[str, list[Actor]] = {"hero": [], "foe": []}
    for kind in TREE["actors"]:
        sides[kind[:-1]].append(world.spawn(kind, kind))
    others = {"hero": sides["foe"], "foe": sides["hero"]}
    turns = 0
    while True:
        actor = world.next_turn()
        if actor is None:
            raise AssertionError("nobody is left")
        turns += 1
        if "stunned" in actor.tags:
            world.skip_turn()
            continue
        target = next((one for one in others[actor.team] if one.alive), None)
        if target is None:
            return turns, [one.id for one in world.actors if one.alive]
        actor.hit(target, "torch") or actor.hit(target, "trip") or actor.hit(target, "strike")


class Status:
    """A status on somebody: who put it on, and the number of the turn with which it ends."""

    __slots__ = ("ends", "name", "source")

    def __init__(self, name: str, source: Fighter, ends: int) -> None:
        self.name, self.source, self.ends = name, source, ends


class Fighter:
    """A fighter as anybody would write it."""

    __slots__ = ("attacks", "hp", "id", "on", "ready", "speed", "statuses", "tags", "team", "turns")

    def __init__(self, id: str, team: str, speed: float, attacks: dict[str, Any]) -> None:
        self.id, self.team, self.speed, self.hp, self.attacks = id, team, speed, 60.0, attacks
        self.turns, self.on = 0, False
        self.statuses: list[Status] = []
        self.tags: set[str] = set()
        self.ready: dict[str, int] = {}


class ByHand:
    """The same fight by hand, with the same tables: each thing that happens is an event in a log, which
    listeners hear of."""

    def __init__(self) -> None:
        self.seq = self.round = 0
        self.log: list[dict[str, Any]] = []
        self.calls: dict[str, list[Any]] = {}
        self.order: list[Fighter] = []
        self.turn: Fighter | None = None
        self.all = [
            Fighter(kind, entry["team"], entry["stats"]["speed"], entry["attacks"])
            for kind, entry in TREE["actors"].items()
        ]
        self.statuses = TREE["statuses"]
        for one in self.all:
            self.tell("joined", one.id)

    def tell(self, name: str, actor: str, source: str = "", **fields: Any) -> None:
        self.seq += 1
        event = {"name": name, "seq": self.seq, "actor": actor, "source": source, **fields}
        self.log.append(event)
        for call in self.calls.get(name, ()):
            call(event)

    def next_turn(self) -> Fighter | None:
        if self.turn is not None:
            self.end_turn("over")
        rounds = 0
        while self.order or not rounds:
            if not self.order:
                rounds, self.round = 1, self.round + 1
                self.tell("turn_round_began", "", round=self.round)
                self.order = sorted((one for one in self.all if one.hp > 0), key=lambda one: -one.speed)
                continue
            one = self.order.pop(0)
            one.turns, one.on, self.turn = one.turns + 1, True, one
            one.ready = {name: ready for name, ready in one.ready.items() if ready > one.turns}
            for status in list(one.statuses):
                for pulse in self.statuses[status.name].get("pulses", ()):
                    for effect in pulse["do"] if one.hp > 0 else ():
                        self.hurt(one, status.source, effect["hurt"], effect["type"])
            if one.on:
                self.tell("turn_began", one.id, round=self.round, turn=one.turns)
                return one
        return None

    def end_turn(self, why: str) -> None:
        one = self.turn
        assert one is not None
        one.on, self.turn = False, None
        for status in list(one.statuses):
            if status.ends <= one.turns:
                self.cure(one, status, "over")
        self.tell("turn_ended", one.id, why=why)

    def cure(self, one: Fighter, status: Status, why: str) -> None:
        one.statuses.remove(status)
        self.tell("status_ended", one.id, status.source.id, status=status.name, why=why)
        for tag in self.statuses[status.name].get("tags", ()):
            one.tags.discard(tag)
            self.tell("untagged", one.id, tag=tag)

    def hurt(self, target: Fighter, source: Fighter, amount: float, type: str = "", attack: str = "") -> None:
        before = target.hp
        target.hp = after = max(0.0, before - amount)
        self.tell(
            "damaged", target.id, source.id, amount=before - after, type=type, attack=attack, before=before,
            after=after,
        )  # fmt: skip
        if after <= 0 < before:
            self.tell("died", target.id, source.id, type=type, attack=attack)
            for status in list(target.statuses):
                self.cure(target, status, "died")
            target.ready.clear()
            if target in self.order:
                self.order.remove(target)
            if target.on:
                self.end_turn("died")

    def hit(self, source: Fighter, target: Fighter, attack: str) -> str:
        form = source.attacks[attack]
        if target.hp <= 0 or source.hp <= 0:
            return "dead" if target.hp <= 0 else "source_dead"
        if source.ready.get(attack, 0) > source.turns:
            return "cooldown"
        if source.team == target.team:
            return "friendly"
        if "cooldown" in form:
            source.ready[attack] = source.turns + form["cooldown"]["turns"] + (not source.on)
        self.hurt(target, source, form["amount"], "", attack)
        for effect in form.get("do", ()) if target.hp > 0 else ():
            self.begin(target, source, effect["status"])
        return ""

    def begin(self, target: Fighter, source: Fighter, name: str) -> None:
        form = self.statuses[name]
        ends = target.turns + form["lasts"]["turns"]
        there = next((one for one in target.statuses if one.name == name), None)
        if there is not None:
            if there.ends >= ends:
                return
            there.ends, there.source = ends, source
        else:
            target.statuses.append(Status(name, source, ends))
        self.tell("status_began", target.id, source.id, status=name)
        for tag in form.get("tags", ()):
            target.tags.add(tag)
            self.tell("tagged", target.id, tag=tag)


def by_hand() -> tuple[int, list[str]]:
    """Return the same as `by_cleaver`."""
    fight, turns = ByHand(), 0
    sides = {side: [one for one in fight.all if one.team == side] for side in SPEEDS}
    others = {"hero": sides["foe"], "foe": sides["hero"]}
    while True:
        actor = fight.next_turn()
        assert actor is not None
        turns += 1
        if "stunned" in actor.tags:
            fight.end_turn("skipped")
            continue
        target = next((one for one in others[actor.team] if one.hp > 0), None)
        if target is None:
            return turns, [one.id for one in fight.all if one.hp > 0]
        if fight.hit(actor, target, "torch") and fight.hit(actor, target, "trip"):
            fight.hit(actor, target, "strike")


def main() -> None:
    assert by_cleaver() == by_hand(), (by_cleaver(), by_hand())
    turns, left = by_hand()
    print(f"a fight of four against four: {turns} turns, {len(left)} left")
    ratio("to the end, beside the same by hand", by_cleaver, by_hand, bar=10, each=turns)
    finish()


if __name__ == "__main__":
    main()
