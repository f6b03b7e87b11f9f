"""A shop with rising prices and three helmets in stock."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "currencies": {"scrip": {"start": 200}},
        "items": {"helmet": {}},
        "exchanges": {
            "helmet_shop": {
                "costs": {"scrip": "40 + 10 * bought"},
                "gives": {"helmet": 1},
                "stock": 3,
                "restock_after": 120.0,
                "needs": ["self.scrip >= 20"],
            }
        },
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
    }
)
world = cleaver.World(design)
ana, bram = world.join("diver", "ana"), world.join("diver", "bram")

for who in (ana, ana, ana, bram):
    price = who.price("helmet_shop")["scrip"]
    bought = who.exchange("helmet_shop")
    print(f"{who.id} at {price}: {'bought' if bought else bought.blocked}, {who.purse['scrip']} left")
world.advance(120)
print("two minutes later:", bool(bram.exchange("helmet_shop")), "- sold to ana:", ana.bought("helmet_shop"))
for line in world.books.sums("scrip"):
    print(f"  {line.holder}: {line.reason:<12} +{line.came} −{line.went}")
