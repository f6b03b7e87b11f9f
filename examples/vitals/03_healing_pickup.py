"""A healing pickup: what is really restored, nothing wasted at full, taken once."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
        "pickups": {"sealant": {"inputs": {"mends": 25}, "do": [{"heal": "mends"}], "respawn_after": 30.0}},
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
kit, big = world.place("sealant"), world.place("sealant", mends=60)
world.listen("healed", lambda event: print(f"+{event.amount:g}"), actor=ana)

print("at full:", ana.take(kit).blocked)
ana.hurt(14)
ana.take(kit)
print("again:", ana.take(kit).blocked)
ana.hurt(80)
ana.take(big)
world.advance(30)
print("back after 30 s:", kit.present, "suit:", ana["suit"].value)
