"""Stats: what they cost a hit, and what reading them costs beside plain attributes."""

from __future__ import annotations

from typing import Any

from common import finish, ratio

from cleaver import Design, World

HITS, ACTORS = 20_000, 1_000
STATS = ("might", "speed", "luck")


def design(amount: float | str, *, stats: bool) -> Design:
    """A fight whose hit has a number, or reads three stats, each with four modifiers."""
    eel: dict[str, Any] = {"vital": "hide", "meters": {"hide": 30}, "attacks": {"sting": {"amount": amount}}}
    tree: dict[str, Any] = {
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 1e9}}, "eel": eel}
    }
    if stats:
        eel |= {"stats": dict.fromkeys(STATS, 3), "slots": {"hand": 1}, "team": "reef"}
        every = dict.fromkeys(STATS, 1)
        tree |= {
            "items": {"spear": {"slot": "hand", "adds": every}, "charm": {"adds": every}},
            "statuses": {"fury": {"times": dict.fromkeys(STATS, 2)}},
            "teams": {"reef": {"adds": every}},
        }
    return Design.from_dict(tree)


def fighters(tables: Design) -> tuple[Any, Any]:
    world = World(tables)
    ana, eel = world.join("diver", "ana"), world.spawn("eel")
    if tables.tables.items:
        for item in ("spear", "charm"):
            eel.give(item)
        eel.wear("spear")
        eel.status("fury")
        assert [eel.stats[name].value for name in STATS] == [12, 12, 12]
    return ana, eel


class Bare:
    """An actor of ten numbers, as anybody would write it."""

    def __init__(self) -> None:
        for number in range(10):
            setattr(self, f"stat{number}", float(number))


def main() -> None:
    ana, eel = fighters(design(12, stats=False))
    other, rich = fighters(design("self.might + self.speed * self.luck / 144", stats=True))

    def plain() -> None:
        for _ in range(HITS):
            eel.hit(ana, "sting")

    def stats() -> None:
        for _ in range(HITS):
            rich.hit(other, "sting")

    what = "a hit that reads three stats, each with four modifiers / one with a number"
    ratio(what, stats, plain, bar=1.6, each=HITS)

    names = [f"stat{number}" for number in range(10)]
    tree = {"actors": {"hero": {"stats": {name: number for number, name in enumerate(names)}}}}
    world = World(Design.from_dict(tree))
    actors = [world.spawn("hero") for _ in range(ACTORS)]
    bare = [Bare() for _ in range(ACTORS)]

    def read() -> None:
        for actor in actors:
            stats = actor.stats
            for name in names:
                stats.value(name)

    def attributes() -> None:
        for one in bare:
            for name in names:
                getattr(one, name)

    ratio("ten stats of 1,000 actors / ten attributes of each", read, attributes, bar=3, each=ACTORS * 10)
    finish()


if __name__ == "__main__":
    main()
