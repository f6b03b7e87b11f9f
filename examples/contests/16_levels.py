"""Levels that raise the suit's maximum: one large gain passes several, each in order, and the bar runs
through them."""

import cleaver
from cleaver.hud import LevelBar, sentence

design = cleaver.Design.from_dict(
    {
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 60}}},
        "levels": {
            "rank": {"experience": "50 + 50 * level", "most": 4, "do": [{"raise_max": "suit", "amount": 10}]}
        },
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
bar = LevelBar(ana, "rank", speed=2.0)
for name in ("levelled", "adjusted"):
    world.listen(name, lambda event: print("  " + sentence(event)))

for gain in (90, 200, 1000, 5):
    result = ana.gain_xp("rank", gain)
    print(f"+{gain}: {result.blocked or bar.text}; suit {ana['suit'].value:g}/{ana['suit'].max:g}")
while not bar.at_rest:
    bar.update(0.25)
    print(f"{bar.level}:{bar.fraction:.2f}", end=" ")
print()
