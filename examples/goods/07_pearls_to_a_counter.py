"""Pearls fly to a counter: the shown number trails the true one and is never wrong at rest."""

import cleaver
from cleaver.hud import Counter
from cleaver.hud.terminal import counter_text

design = cleaver.Design.from_dict(
    {
        "items": {"pearl": {}},
        "pickups": {"pearl": {"do": [{"give": "pearl"}]}},
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
counter = Counter(ana, "pearl", travel=0.6, at=(1200, 40))

for frame in range(9):
    if frame in (0, 2):
        pearl = world.place("pearl")
        counter.origin = (300 + frame * 100, 500)
        ana.take(pearl)
        ana.take(pearl)  # a second touch while it flies: nothing
    if frame == 4:
        ana.remove("pearl")  # dropped while the second is still on its way
    print(
        f"{world.now:.1f} s  {counter_text(counter):<16} really {counter.true}",
        [tuple(round(x) for x in flight.position) for flight in counter.flights],
    )
    world.advance(0.2)
    counter.update(0.2)
