"""Three eels: kills before accepting do not count, kills after it is met do not either, and a log to read."""

import cleaver
from cleaver.hud import quest_log

design = cleaver.Design.from_dict(
    {
        "currencies": {"scrip": {}},
        "actors": {
            "diver": {
                "player": True,
                "vital": "suit",
                "meters": {"suit": 90},
                "attacks": {"jab": {"amount": 30, "cooldown": 0.1}},
            },
            "eel": {"vital": "hide", "meters": {"hide": 30}},
        },
        "quests": {
            "eels": {
                "title": "Three eels",
                "giver": "harbourmaster",
                "reward": [{"earn": "scrip", "amount": 20}],
                "goals": [
                    {"on": "defeated", "of": "eel", "count": 3, "text": "Drive off eels"},
                    {
                        "on": "defeated",
                        "of": "eel",
                        "count": 2,
                        "within": 5.0,
                        "optional": True,
                        "hidden": True,
                        "text": "Two at a stroke",
                        "reward": [{"earn": "scrip", "amount": 5}],
                    },
                ],
            }
        },
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")

for step in ("an eel", "accept", "an eel", "wait", "an eel", "an eel", "an eel", "turn in"):
    if step == "an eel":
        ana.hit(world.spawn("eel"), "jab")
    elif step == "wait":
        world.advance(10)
    else:
        (ana.accept if step == "accept" else ana.turn_in)("eels")
    for row in quest_log(ana):
        print(f"{step:<8} {row.state:<10} {' | '.join(row.goals):<58} {row.next}")
print("scrip:", ana.purse["scrip"])
