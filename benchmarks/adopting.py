"""A number that changes in a world at play, against loading the design anew."""

from __future__ import annotations

from importlib.resources import files
from itertools import count
from pathlib import Path

from common import finish, ratio

from cleaver import World, load_design

SAMPLE = Path(str(files("cleaver") / "sample" / "lanternreef.toml"))
DESIGN = load_design(SAMPLE)
amounts = count(1)

world = World(DESIGN, seed=1)
ana = world.join("diver", "ana")
world.spawn("eel", "eel1")
world.place("sealant", "kit")
ana.accept("drowned_bells")
world.advance(2)


def adopt() -> None:
    world.adopt(world.design.with_values({"actors.eel.attacks.sting.amount": next(amounts) % 50}))


ratio(
    "one number changed and adopted / the sample loaded",
    adopt,
    lambda: load_design(SAMPLE),
    bar=0.2,
    rounds=25,
)
finish()
