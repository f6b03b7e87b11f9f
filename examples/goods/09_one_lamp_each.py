"""A pad that hands out one lamp each, to whoever steps on."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "items": {"lamp": {"most": 1, "size": 0}},
        "pickups": {"lamp_rack": {"do": [{"give": "lamp"}], "stays": True, "cooldown": 1.0}},
        "actors": {
            "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}},
            "eel": {"vital": "hide", "meters": {"hide": 30}},
        },
    }
)
world = cleaver.World(design)
rack = world.place("lamp_rack")
ana, bram, eel = world.join("diver", "ana"), world.join("diver", "bram"), world.spawn("eel")

for who in (ana, bram, eel, ana):
    print(f"{world.now:.1f} s  {who.id}: {who.take(rack).blocked or 'a lamp'}")
    world.advance(0.5)
print(f"{world.now:.1f} s  bram: {bram.take(rack).blocked or 'a lamp'}")
print("lamps:", ana.bag["lamp"], bram.bag["lamp"])
