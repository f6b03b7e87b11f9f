"""A stat, and three things that raise it: a harpoon that is worn, a rank, a status for a time."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "items": {"harpoon": {"slot": "hand", "adds": {"strength": 2}}},
        "levels": {"rank": {"experience": "100 * level", "most": 5, "adds": {"strength": 1}}},
        "statuses": {"fury": {"lasts": 3, "times": {"strength": 1.5}}},
        "actors": {
            "diver": {
                "player": True,
                "vital": "suit",
                "meters": {"suit": 90},
                "slots": {"hand": 1},
                "stats": {"strength": {"base": 5, "max": 20}},
                "attacks": {"jab": {"amount": "4 + self.strength"}},
            },
            "eel": {"vital": "hide", "meters": {"hide": 100}},
        },
    }
)
world = cleaver.World(design)
ana, eel = world.join("diver", "ana"), world.spawn("eel")

print("bare hands:", ana.hit(eel, "jab").dealt)
ana.give("harpoon")
ana.wear("harpoon")
ana.gain_xp("rank", 100)
print("harpoon and rank:", ana.hit(eel, "jab").dealt)
ana.status("fury")
print("in fury:", ana.stats["strength"].explain())
world.advance(3)
ana.take_off("harpoon")
print("three seconds later, harpoon off:", ana.stats["strength"].explain())
