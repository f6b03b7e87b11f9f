"""A shop that sells an upgrade: goods for an effect, all of it or nothing; and an exchange as an effect."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "currencies": {"scrip": {"start": 50}},
        "items": {"pearl": {}},
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}, "bag": {"most": 4}}},
        "exchanges": {
            "tailor": {
                "costs": {"scrip": "20 * (1 + bought)"},
                "do": [{"raise_max": "suit", "amount": 10}],
                "needs": ["self.suit.max < 120"],
            },
            "nurse": {"costs": {"scrip": 5}, "do": [{"heal": 30}]},
            "office": {"costs": {"pearl": 1}, "gives": {"scrip": 15}},
        },
        "pickups": {"buoy": {"do": [{"give": "pearl"}]}},
        "rules": [{"on": "collected", "of": "buoy", "do": [{"exchange": "office"}]}],
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")

print("nurse, when nothing is torn:", ana.exchange("nurse").blocked)
for _ in range(2):
    result = ana.exchange("tailor")
    what = result.blocked or f"done, {ana.purse['scrip']} scrip left"
    print(f"tailor: {what}; the suit holds {ana['suit'].max:g}")
ana.hurt(25)
print("nurse:", f"{ana.exchange('nurse').times} time, suit {ana['suit'].value:g}, {ana.purse['scrip']} scrip")
ana.take(world.place("buoy"))
print(f"the pearl of a buoy is sold at once: {ana.purse['scrip']} scrip, {ana.bag['pearl']} pearls")
