"""A long-running game: what a snapshot and the memory of a world come to after ten times the commands.

Players come, take, fight, trade, die and leave, creatures come and go, rounds are played. Sizes are compared,
not times.
"""

from __future__ import annotations

import gc
import json
import tracemalloc

from common import finish, told

from cleaver import World, load_design, sample

HOURS, MORE = 1, 10
VISIT = 60.0  # seconds that a player stays
FRAME = 0.25


def visit(world: World, number: int) -> int:
    """Let two players come, do a little of everything, and leave; returns how many commands that was."""
    ana, bea = world.join("diver", f"ana{number}"), world.join("diver", f"bea{number}")
    eel = world.spawn("eel")
    pearl = world.place("pearl")
    world.match("salvage_race").start()
    ana.accept("first_light")
    ana.take(pearl)
    done = 8
    for frame in range(int(VISIT / FRAME)):
        world.advance(FRAME)
        if frame % 8 == 0:
            eel.hit(ana, "sting")
        if frame % 20 == 0:
            bea.earn("scrip", 3)
            world.trade(bea, {"scrip": 1}, ana, {})
            ana.hit(eel, amount=1)
        done += 2
    ana.exchange("harbour_office")
    world.match("salvage_race").end()
    world.dismiss(eel)
    if pearl.present:
        pearl.remove()
    world.leave(ana)
    world.leave(bea)
    return done


def played(world: World, first: int, hours: int) -> int:
    """Play so many hours of game time; returns how many commands that was."""
    count = int(hours * 3600 / VISIT)
    return sum(visit(world, number) for number in range(first, first + count))


def size(world: World) -> tuple[int, int]:
    """Return the bytes of a snapshot, and of what is allocated now."""
    gc.collect()
    return len(json.dumps(world.snapshot())), tracemalloc.get_traced_memory()[0]


def main() -> None:
    tracemalloc.start()
    world = World(load_design(sample.path("lanternreef.toml")), seed=1, history=100)
    commands = played(world, 0, HOURS)
    one = size(world)
    commands_more = played(world, 1_000, HOURS * MORE - HOURS)
    ten = size(world)
    print(f"{commands:,} commands in {HOURS} h of game time, then {commands_more:,} more")
    told("snapshot after ten times the commands / after one time", ten[0] / one[0], 1.1)
    told("memory after ten times the commands / after one time", ten[1] / one[1], 1.1)
    finish()


if __name__ == "__main__":
    main()
