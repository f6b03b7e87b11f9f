"""Gear: a suit that raises a maximum, and a set that counts once two of it are worn."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "items": {
            "reef_suit": {"slot": "body", "size": 2, "adds": {"suit.max": 15}},
            "brass_helm": {"slot": "head", "needs": ["self.rank >= 2"]},
            "old_suit": {"slot": "body", "size": 2},
        },
        "item_sets": {
            "reef": {"items": ["reef_suit", "brass_helm"], "pieces": {"2": {"adds": {"suit.max": 20}}}}
        },
        "levels": {"rank": {"experience": "100 * level", "most": 5}},
        "actors": {
            "diver": {
                "player": True,
                "vital": "suit",
                "bag": {"most": 4},
                "slots": {"head": 1, "body": 1},
                "meters": {"suit": {"max": 100, "keep": "fraction"}},
            }
        },
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
for item in ("old_suit", "reef_suit"):
    ana.give(item)
ana.hurt(50)
ana.wear("old_suit")
ana.give("brass_helm", 2)
print("the bag is full:", ana.bag.used, "of", ana.bag.most)
print("they change places:", ana.wear("reef_suit"), ana.worn["body"], ana["suit"])
print("the helm:", ana.wear("brass_helm").blocked)
ana.gain_xp("rank", 100)
print("with a rank:", ana.wear("brass_helm"), ana.stats["suit.max"].explain())
