"""What a screen asks for: one bar, and a frame of a game with 44 actors, beside the same by hand."""

from __future__ import annotations

from typing import Any

from common import finish, ratio

from cleaver import Design, World
from cleaver.hud import Bar, Popups, quest_log

READS = 20_000
FRAMES = 200
EELS = 40
TABLES = {
    "currencies": {"scrip": {}},
    "items": {"pearl": {}},
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": {"max": 90, "marks": {"low": 0.25}, "flows": [{"rate": 5, "after_hurt": 3}]}},
            "guard": {"grace": 0.8},
        },
        "eel": {
            "vital": "hide",
            "meters": {"hide": {"max": 30, "marks": {"low": 0.25}}},
            "attacks": {"sting": {"amount": 3}},
        },
        "buoy": {"meters": {"lamp": 10}},
    },
    "pickups": {"pearl": {"do": [{"give": "pearl", "amount": 1}]}},
    "quests": {
        "eels": {
            "title": "Eels in the nets",
            "needs": [],
            "goals": [{"text": "Drive off eels", "on": "defeated", "of": "eel", "count": 8}],
            "reward": [{"earn": "scrip", "amount": 50}],
        },
        "pearls": {
            "title": "Pearls",
            "needs": [],
            "goals": [{"text": "Find pearls", "on": "gained", "item": "pearl", "count": 5}],
            "reward": [{"earn": "scrip", "amount": 80}],
        },
    },
}


class Plain:
    """A health that is worked out by hand: what a bar shows, set when it is asked for."""

    def __init__(self, top: float) -> None:
        self.value, self.max = top, top
        self.fraction, self.ghost, self.text, self.role = 1.0, 1.0, "", "normal"
        self.x = self.y = 0.0
        self.hit_at = -10.0

    def look(self) -> None:
        """Work out what its bar shows."""
        self.fraction = self.value / self.max
        self.ghost = max(self.ghost - 0.5 / 60, self.fraction)
        self.text = f"{self.value:.1f}/{self.max:g}"
        self.role = "empty" if self.value <= 0 else "low" if self.fraction <= 0.25 else "normal"


def one_bar() -> None:
    """One bar of a meter at rest, updated and read."""
    world = World(Design.from_dict(TABLES))
    eel = world.spawn("eel")
    bar = Bar(eel, "hide", ghost=0.4)
    plain = Plain(30.0)

    def read_bar() -> None:
        for _ in range(READS):
            bar.update(1 / 60)
            bar.fraction, bar.ghost, bar.text, bar.role, bar.max  # noqa: B018  # reading is what is timed

    def read_plain() -> None:
        for _ in range(READS):
            plain.fraction = plain.value / plain.max
            plain.fraction, plain.ghost, plain.text, plain.role, plain.max  # noqa: B018  # as above

    ratio(
        "a bar, updated and read / five attributes of a plain object", read_bar, read_plain, bar=6, each=READS
    )


def whole_frame() -> None:
    """A frame: 43 moves, contacts, 41 bars, popups, the quest log."""
    world = World(Design.from_dict(TABLES), seed=1)
    ana = world.join("diver", "ana")
    eels = [world.spawn("eel") for _ in range(EELS)]
    buoys = [world.spawn("buoy") for _ in range(3)]
    movers = [*eels, *buoys]
    pearls = [world.place("pearl", at=(50.0 + number, 0.0)) for number in range(20)]
    ana.accept("eels")
    ana.accept("pearls")
    bars = [Bar(ana, "suit", ghost=0.4), *(Bar(eel, "hide", ghost=0.4) for eel in eels)]
    popups = Popups(world)
    world.move(ana, 0.0, 0.0)

    def frames() -> None:
        for frame in range(FRAMES):
            shown: list[Any] = []
            for number, mover in enumerate(movers):
                world.move(mover, 5.0 + number - (frame % 100) / 20, 1.0)
            x, y, _ = ana.position or (0.0, 0.0, 0.0)
            for eel in eels:
                place = eel.position
                if place is not None and (place[0] - x) ** 2 + (place[1] - y) ** 2 < 4.0:
                    eel.hit(ana, "sting")
            for pearl in pearls:
                place = pearl.position
                if place is not None and (place[0] - x) ** 2 + (place[1] - y) ** 2 < 1.0:
                    ana.take(pearl)
            world.advance(1 / 60)
            for bar in bars:
                bar.update(1 / 60)
                shown.append((bar.fraction, bar.ghost, bar.text, bar.role))
            popups.update(1 / 60)
            shown.extend((popup.text, popup.x, popup.y, popup.alpha) for popup in popups)
            shown.append(quest_log(ana))

    diver = Plain(90.0)
    others = [Plain(30.0) for _ in range(EELS + 3)]
    places = [(50.0 + number, 0.0) for number in range(20)]
    texts: list[Any] = []

    def by_hand() -> None:
        now = 0.0
        for frame in range(FRAMES):
            shown: list[Any] = []
            for number, other in enumerate(others):
                other.x, other.y = 5.0 + number - (frame % 100) / 20, 1.0
            x, y = diver.x, diver.y
            for other in others[:EELS]:
                if (other.x - x) ** 2 + (other.y - y) ** 2 < 4.0 and now - diver.hit_at >= 0.8:
                    diver.hit_at = now
                    diver.value = max(0.0, diver.value - 3)
                    texts.append(["−3", 0.0])
            for place in places:
                if (place[0] - x) ** 2 + (place[1] - y) ** 2 < 1.0:
                    places.remove(place)
            now += 1 / 60
            if now - diver.hit_at >= 3:
                diver.value = min(90.0, diver.value + 5 / 60)
            for one in (diver, *others[:EELS]):
                one.look()
                shown.append((one.fraction, one.ghost, one.text, one.role))
            for text in texts:
                text[1] += 1 / 60
            texts[:] = [text for text in texts if text[1] < 1]
            shown.extend((text[0], 0.0, 2 * text[1], 1 - text[1]) for text in texts)
            shown.append(
                [
                    ("Eels in the nets", "active", [f"Drive off eels {0}/{8}"]),
                    ("Pearls", "active", [f"Find pearls {0}/{5}"]),
                ]
            )

    ratio(
        "a frame of 44 actors: moves, contacts, bars, popups, quests / by hand",
        frames,
        by_hand,
        bar=3,
        each=FRAMES,
    )


def main() -> None:
    one_bar()
    whole_frame()
    finish()


if __name__ == "__main__":
    main()
