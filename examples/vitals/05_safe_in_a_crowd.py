"""A boss that is safe in a crowd: the more divers stand near, the less each hit does."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "actors": {
            "diver": {
                "player": True,
                "vital": "suit",
                "meters": {"suit": 90},
                "attacks": {"jab": {"amount": 9}},
            },
            "moray": {
                "vital": "hide",
                "meters": {"hide": 80},
                "guard": {"scale": '0 if near(6, "diver") == 0 else 2 / (1 + near(6, "diver"))'},
            },
        }
    }
)
world = cleaver.World(design)
moray = world.spawn("moray")
world.move(moray, 0, 0)
divers = [world.join("diver", name) for name in ("ana", "bram", "cora")]
for place, diver in enumerate(divers):
    world.move(diver, 100 + place, 0)

print("from afar:", divers[0].hit(moray, "jab").blocked)
for count, diver in enumerate(divers, 1):
    world.move(diver, count, 0)
    print(f"{count} near:", divers[0].hit(moray, "jab").explain())
