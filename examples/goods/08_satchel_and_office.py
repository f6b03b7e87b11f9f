"""A satchel of four, and an office that buys: a full bag refuses, a sale is whole or nothing."""

import cleaver
from cleaver.hud.terminal import slots_text

design = cleaver.Design.from_dict(
    {
        "currencies": {"scrip": {}},
        "items": {"pearl": {}, "fitting": {"size": 2}},
        "pickups": {"pearl": {"do": [{"give": "pearl"}]}, "fitting": {"do": [{"give": "fitting"}]}},
        "exchanges": {
            "harbour_office": {"costs": {"pearl": 1}, "gives": {"scrip": 15}, "all": True},
            "satchel_maker": {"costs": {"scrip": 30}, "gives": {"fitting": 1}},
        },
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}, "bag": {"most": 4}}},
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")

for what in ("pearl", "fitting", "pearl", "pearl"):
    result = ana.take(world.place(what))
    print(f"take {what:<8} {slots_text(ana)} {result.blocked}")
sold = ana.exchange("harbour_office")
print(f"sold {sold.times} pearls: {slots_text(ana)} scrip {ana.purse['scrip']}")
print("sell again:", ana.exchange("harbour_office").blocked)
print(
    "buy twice:",
    ana.exchange("satchel_maker", times=2).blocked,
    "- once:",
    bool(ana.exchange("satchel_maker")),
    slots_text(ana),
)
ana.bag.resize(6)
print("a larger satchel:", slots_text(ana))
