"""A boss's phase as a state: in rage exactly while half its hide is gone, and out of it when it mends."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "statuses": {
            "rage": {
                "active_when": "self.hide.fraction <= 0.5",
                "for": ["boss"],
                "times": {"strength": 2, "hide.rate": 3},
            }
        },
        "actors": {
            "moray": {
                "tags": ["boss"],
                "vital": "hide",
                "stats": {"strength": 6},
                "meters": {"hide": {"max": 80, "flows": [{"rate": 1}]}},
                "attacks": {"bite": {"amount": "2 * self.strength"}},
            },
            "diver": {
                "player": True,
                "vital": "suit",
                "meters": {"suit": 100},
                "attacks": {"jab": {"amount": 15}},
            },
        },
    }
)
world = cleaver.World(design)
moray, ana = world.spawn("moray", "moray"), world.join("diver", "ana")
for name in ("status_began", "status_ended"):
    world.listen(name, lambda event: print(f"{event.time:g} s: {event.name} {event.status}"))

for _ in range(3):
    ana.hit(moray, "jab")
print("it bites for", moray.hit(ana, "bite").dealt, "with", moray["hide"])
world.advance(5)
print("it bites for", moray.hit(ana, "bite").dealt, "with", moray["hide"])
