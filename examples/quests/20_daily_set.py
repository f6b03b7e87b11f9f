"""A daily set: two of five errands are offered each day, by the dice, the same on every machine."""

import cleaver

ERRANDS = ["nets", "buoys", "crates", "lamps", "charts"]
design = cleaver.Design.from_dict(
    {
        "currencies": {"scrip": {}},
        "events": {"done": {"fields": {"what": "name"}}},
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
        "quests": {
            name: {
                "goals": [{"on": "done", "what": name}],
                "finish": "auto",
                "reward": [{"earn": "scrip", "amount": 5}],
            }
            for name in ERRANDS
        },
        "quest_sets": {"daily": {"quests": ERRANDS, "draw": 2, "every": 86400.0}},
    }
)
world = cleaver.World(design, seed=7)
ana = world.join("diver", "ana")

for day in range(1, 5):
    offered = [name for name in ana.quests if ana.quests[name].state == "available"]
    for name in offered:
        ana.accept(name)
        ana.announce("done", what=name)
    print(
        f"day {day}: {', '.join(offered)}; again today: {ana.accept(offered[0]).blocked}; scrip "
        f"{ana.purse['scrip']}"
    )
    world.advance(86400)
