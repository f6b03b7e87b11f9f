"""What an eel leaves behind, one time in three, and a chest of which nobody knows what is in it."""

from collections import Counter

import cleaver

design = cleaver.Design.from_dict(
    {
        "currencies": {"scrip": {}},
        "items": {"pearl": {}},
        "actors": {
            "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}},
            "eel": {
                "vital": "hide",
                "meters": {"hide": 30},
                "on_death": [{"place": "pearl", "chance": 0.33, "lasts": 20.0, "spread": 1.5}],
                "vanish_after": 2.0,
            },
        },
        "pickups": {
            "pearl": {"do": [{"give": "pearl"}]},
            "chest": {
                "do": [
                    {
                        "choose": [
                            {"weight": 3, "do": [{"earn": "scrip", "amount": 5}]},
                            {"weight": 1, "do": [{"give": "pearl", "amount": 2}]},
                        ]
                    }
                ]
            },
        },
    }
)
world = cleaver.World(design, seed=7)
ana = world.join("diver", "ana")

for number in range(30):
    eel = world.spawn("eel")
    world.move(eel, float(number), 0.0)
    eel.hurt(30, source=ana)
print(f"{world.value('pickups.pearl.left')} pearls of 30 eels; the first lies at", end=" ")
print(", ".join(f"{axis:.2f}" for axis in world.placements[0].position or ()))
ana.take(world.placements[0])
world.advance(2.0)
print(f"after 2 s: {len(world.actors) - 1} eels")
world.advance(18.0)
print(f"after 20 s: {world.value('pickups.pearl.left')} pearls")

found: Counter[str] = Counter()
for _ in range(20):
    before = ana.purse["scrip"]
    ana.take(world.place("chest"))
    found["scrip" if ana.purse["scrip"] > before else "pearls"] += 1
print(dict(found), "in 20 chests")
