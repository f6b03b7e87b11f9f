"""Collect them all: the total is what was placed, never a number somebody typed."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "items": {"bell": {}},
        "pickups": {"bell": {"do": [{"give": "bell"}]}},
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
        "matches": {
            "all_bells": {"win_at": "all", "rules": [{"on": "collected", "of": "bell", "do": [{"score": 1}]}]}
        },
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
bells = [world.place("bell") for _ in range(4)]
hunt = world.match("all_bells")
hunt.start()
bells.append(world.place("bell"))  # content that came later counts too

for bell in bells:
    ana.take(bell)
    ana.take(bell)
    print(f"{world.value('pickups.bell.taken')} of {world.value('pickups.bell.placed')}", hunt.winner or "…")
