"""Bring the bell's clapper back to the harbourmaster: near enough to talk, handed over, paid once however
often one talks."""

import cleaver
from cleaver.hud import line_of, sign

design = cleaver.Design.from_dict(
    {
        "currencies": {"scrip": {}},
        "items": {"clapper": {"most": 1}},
        "pickups": {"clapper": {"do": [{"give": "clapper"}]}},
        "actors": {
            "diver": {"player": True, "vital": "suit", "meters": {"suit": 90}},
            "harbourmaster": {"reach": 2.0},
        },
        "quests": {
            "clapper": {
                "title": "The clapper",
                "giver": "harbourmaster",
                "goals": [{"hold": "clapper", "hand_over": True, "text": "Find the clapper"}],
                "reward": [{"earn": "scrip", "amount": 85}],
                "turn_in_lasts": 3.0,
                "says": {
                    "available": "She is mute without it.",
                    "active": "Still mute.",
                    "ready": "Is that it?",
                    "completed": "Hear her ring.",
                },
            }
        },
    }
)
world = cleaver.World(design)
ana, master = world.join("diver", "ana"), world.spawn("harbourmaster")
world.move(master, 0, 0)
world.move(ana, 1, 0)


def look() -> None:
    print(f"  [{sign(ana, 'harbourmaster') or '-':>7}] {line_of(ana, 'harbourmaster')}")


look()
ana.accept("clapper")
look()
ana.take(world.place("clapper"))
world.move(ana, 30, 0)
print("from afar:", ana.turn_in("clapper").blocked)
world.move(ana, 1, 0)
look()
print("talk:", bool(ana.turn_in("clapper")), "- talk on:", ana.turn_in("clapper").blocked)
world.advance(3)
look()
print(
    "talk again:",
    ana.turn_in("clapper").blocked,
    "- scrip:",
    ana.purse["scrip"],
    "clapper:",
    ana.bag["clapper"],
)
