"""Goals: ten thousand active ones over two hundred kinds, beside looping over all of them at every event."""

from __future__ import annotations

from common import finish, ratio

from cleaver import Design, World
from cleaver.core import read

KINDS, GOALS, EVENTS = 200, 10_000, 20_000


class Looped:
    """A goal as anyone would write it: asked at every event."""

    __slots__ = ("count", "done", "kind", "progress")

    def __init__(self, kind: str, count: int) -> None:
        self.kind, self.count, self.progress, self.done = kind, count, 0, False

    def hear(self, name: str, kind: str) -> None:
        if name == "defeated" and kind == self.kind and not self.done:
            self.progress += 1
            if self.progress >= self.count:
                self.done = True


def world_of_goals() -> World:
    """Return a world in which one player has all the goals, fifty to a kind, with targets far apart."""
    fish = {f"fish{number}": {"vital": "hide", "meters": {"hide": 1}} for number in range(KINDS)}
    quests = {
        f"quest{number}": {
            "goals": [
                {"on": "defeated", "of": f"fish{kind}", "count": 100_000 + number} for kind in range(KINDS)
            ]
        }
        for number in range(GOALS // KINDS)
    }
    world = World(
        Design.from_dict(
            {
                "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 9}}, **fish},
                "quests": quests,
            }
        ),
        history=0,
    )
    ana = world.join("diver", "ana")
    for name in quests:
        ana.accept(name)
    for number in range(KINDS):
        world.spawn(f"fish{number}", f"f{number}")
    return world


def main() -> None:
    world = world_of_goals()
    stage = read.parts(world).stage
    goals = [Looped(f"fish{number % KINDS}", 100_000) for number in range(GOALS)]
    share = 200  # of the events that the loop is given: it is slow, and its time is in proportion

    def delivered() -> None:
        for number in range(EVENTS):
            stage.emit("died", f"f{number % KINDS}", "ana", ("", "", 0.0))
            stage.drain()

    def looped() -> None:
        for number in range(EVENTS // share):
            kind = f"fish{number % KINDS}"
            for goal in goals:
                goal.hear("defeated", kind)

    ratio(
        "10,000 goals over 200 kinds through the full event path, progress unheard: faster than looping",
        delivered,
        looped,
        bar=100,
        more=True,
        rounds=5,
        share=share,
        each=EVENTS,
    )
    assert world.actor("ana").quests["quest0"].goals[0].progress >= EVENTS / KINDS
    finish()


if __name__ == "__main__":
    main()
