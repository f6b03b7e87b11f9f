"""Teams racing for salvage: friendly fire off, two points for sending a diver of the other side up, a
clock."""

import cleaver
from cleaver import load_design, sample
from cleaver.hud import MatchClock, Scoreboard

world = cleaver.World(load_design(sample.path("lanternreef.toml")), seed=3)
ana, bea = world.join("diver", "ana", team="north"), world.join("diver", "bea", team="north")
tom = world.join("diver", "tom", team="south")
race, board, clock = (
    world.match("salvage_race"),
    Scoreboard(world, "salvage_race"),
    MatchClock(world, "salvage_race"),
)
race.start()

ana.take(world.place("pearl"))
tom.take(world.place("pearl"))
print(board.text, clock.text, "- ana at bea:", ana.hit(bea, "jab").blocked)
world.advance(30)
while tom.alive:
    ana.hit(tom, "jab")
    world.advance(1)
print(board.text, clock.text, "- tom went up")
world.advance(5)
for _ in range(4):
    tom.take(world.place("pearl"))
    ana.take(world.place("pearl"))
print(board.text, clock.text, f"- {board.verdict or 'still running'}")
print([f"{place.rank}. {place.side} {place.score}" for place in race.standings], "ana's score:", ana.score)
