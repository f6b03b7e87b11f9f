"""Contact damage: an urchin that is touched on every frame hurts once a second."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "actors": {
            "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}},
            "urchin": {
                "vital": "shell",
                "meters": {"shell": 5},
                "attacks": {"prick": {"amount": 6, "cooldown": 1.0}},
            },
        }
    }
)
world = cleaver.World(design)
ana, urchin = world.join("diver", "ana"), world.spawn("urchin")
world.listen(
    "damaged", lambda event: print(f"{event.time:.2f} s  ouch: {event.before:g} → {event.after:g}"), actor=ana
)

for _ in range(150):  # two and a half seconds at 60 frames a second, touching all the while
    urchin.hit(ana, "prick")
    world.advance(1 / 60)
print("suit:", ana["suit"].value)
