"""Draws the figures of docs/screenshots from the sample game: python docs/pictures.py."""

from __future__ import annotations

from pathlib import Path

from cleaver import Design, World, load_design, sample
from cleaver.figures.economy import economy
from cleaver.figures.quests import quest_map
from cleaver.figures.results import ScoreRecorder, results_page
from cleaver.figures.vitals import bar_sheet, waterfall
from cleaver.hud import Bar, Scoreboard, Stars

OUT = Path(__file__).parent / "screenshots"


def bars(design: Design) -> None:
    """A sheet of bars: full, hurt with its ghost, low, empty, shielded, overfilled, in cells."""
    world = World(design, seed=7)
    rows = []
    for name, value in (("full", 90), ("hurt", 46), ("low", 20), ("nearly gone", 0.2), ("shielded", 70)):
        diver = world.join("diver", name.replace(" ", "_"))
        bar = Bar(diver, "suit", ghost=0.4, label="percent" if name == "full" else "numbers")
        if name == "hurt":
            diver["suit"].set(75)
            bar.update(2)
        diver["suit"].set(value) if value != 90 else None
        bar.update(0.1 if name == "hurt" else 9)
        if name == "shielded":
            diver["bubble"].set(18)
        rows.append((name, bar))
    lost = world.join("diver", "lost")
    lost.hurt(1000)
    rows.append(("empty", Bar(lost, "suit")))
    airy = world.join("diver", "airy")
    airy["air"].set(35)
    rows.append(("in cells", Bar(airy, "air")))
    lamp = World(
        Design.from_dict(
            {"actors": {"lamp": {"vital": "oil", "meters": {"oil": {"max": 60, "overfill": 20}}}}}
        )
    ).spawn("lamp")
    lamp.heal(15)
    rows.append(("overfilled", Bar(lamp, "oil")))
    bar_sheet(rows, OUT / "bars.png", title="A meter's bar in every condition")


def hit(design: Design) -> None:
    """The sting through the visor, as a waterfall."""
    world = World(design, seed=7)
    ana, eel = world.join("diver", "ana"), world.spawn("eel")
    ana["bubble"].set(5)
    waterfall(eel.hit(ana, "sting", zone="visor", charge=0.5, crit=True), OUT / "hit.png")


def goods(design: Design) -> None:
    """Two minutes of diving, selling and buying, as an economy."""
    world = World(design, seed=7)
    ana = world.join("diver", "ana")
    world.spawn("winch", owner=ana)
    for dive in range(12):
        for what in ("pearl", "fitting", "pearl") if dive % 2 else ("pearl", "pearl"):
            ana.take(world.place(what))
            world.advance(3)
        ana.exchange("harbour_office")
        ana.exchange("scrap_yard")
        world.advance(2)
        if ana.purse["scrip"] > 150:
            ana.exchange("helmet_shop")
    economy(world.books, OUT / "economy.png", title="What two minutes of diving earned ana")


def race(design: Design) -> None:
    """A salvage race between two teams."""
    world = World(design, seed=5)
    recorder = ScoreRecorder(world, "salvage_race")
    divers = [
        world.join("diver", name, team=team)
        for name, team in (("ana", "north"), ("bea", "north"), ("tom", "south"), ("ulf", "south"))
    ]
    world.match("salvage_race").start()
    for turn in range(40):
        diver = divers[(turn * 7 + turn // 3) % 4]
        world.advance(7 + turn % 5)
        if world.match("salvage_race").running and turn % 2:
            diver.take(world.place("pearl"))
            diver.exchange("harbour_office")
    for diver in divers[:3]:
        diver.rate("dive")
        diver.rate("clean_dive")
    stars = [Stars(diver, "dive") for diver in divers] + [Stars(divers[0], "clean_dive")]
    results_page(
        recorder,
        OUT / "results.png",
        stars=stars,
        title="Salvage race: " + Scoreboard(world, "salvage_race").verdict,
    )


def errands() -> None:
    """Thirty quests of the harbour, made up for the picture."""
    places = ["pier", "wreck", "belfry", "lock", "arch", "gate", "chart room", "bell", "lamp store", "slip"]
    quests = {}
    for number in range(30):
        place, before = places[number % 10], (number - 3) // 2 if number > 4 else -1
        quests[f"errand{number}"] = {
            "title": f"{('The', 'Back to the', 'Below the')[number // 10]} {place}",
            "finish": "auto" if number % 4 == 3 else "turn_in",
            "needs": ([f'self.quest.errand{before} == "completed"'] if before >= 0 else [])
            + (["self.rank >= 2"] if number == 4 else []),
            "goals": [
                {"on": "defeated", "of": "eel", "count": 1 + number % 5, "text": "Drive off eels"},
                {"hold": "pearl", "count": 2, "text": "Pearls"},
            ][: 1 + number % 2],
            "reward": [{"earn": "scrip", "amount": 10 + 5 * number}],
        }
    design = Design.from_dict(
        {
            "game": {"title": "Lanternreef"},
            "currencies": {"scrip": {}},
            "items": {"pearl": {}},
            "actors": {"eel": {}},
            "levels": {"rank": {"experience": "100 * level"}},
            "quests": quests,
        }
    )
    quest_map(design, OUT / "quests.png")


if __name__ == "__main__":
    reef = load_design(sample.path("lanternreef.toml"))
    bars(reef)
    hit(reef)
    goods(reef)
    race(reef)
    errands()
