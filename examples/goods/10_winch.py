"""A winch that pays while it runs: every four seconds, at any frame rate; oiled, it pays more from its next
pulse on."""

import cleaver
from cleaver.hud import PulseRing

design = cleaver.Design.from_dict(
    {
        "game": {"tags": ["oiled"]},
        "currencies": {"scrip": {}},
        "actors": {
            "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}},
            "winch": {
                "pulses": {
                    "haul": {
                        "every": 4.0,
                        "do": [
                            {"earn": "scrip", "amount": '9 if "oiled" in self.tags else 6', "to": "owner"}
                        ],
                    }
                }
            },
        },
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
winch = world.spawn("winch", owner=ana)
ring = PulseRing(winch, "haul")
world.listen(
    "earned", lambda event: print(f"{event.time:.1f} s  +{event.amount} scrip, {event.balance} in all")
)

world.advance(6)
winch.tag("oiled")
world.advance(3)
winch.pause("haul")
world.advance(100)
print(f"paused for 100 s at {ring.fraction:.2f}")
winch.resume("haul")
for _ in range(6 * 60):
    world.advance(1 / 60)
print("came from the haul:", world.books.came("scrip"))
