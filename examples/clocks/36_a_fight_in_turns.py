"""Turns by speed: a net costs the faster eel one whole turn, venom bites where its bearer's turns begin."""

import cleaver
from cleaver import hud

design = cleaver.Design.from_dict(
    {
        "game": {"turn_order": "self.speed"},
        "actors": {
            "diver": {
                "player": True,
                "turns": True,
                "vital": "suit",
                "stats": {"speed": 5},
                "meters": {"suit": 40},
                "attacks": {
                    "jab": {"amount": 6},
                    "net": {
                        "amount": 1,
                        "cooldown": {"turns": 3},
                        "cooldown_per": "attack",
                        "do": [{"status": "tangled"}],
                    },
                },
            },
            "eel": {
                "turns": True,
                "vital": "hide",
                "stats": {"speed": 7},
                "meters": {"hide": 26},
                "attacks": {"sting": {"amount": 4, "do": [{"status": "venom"}]}},
            },
        },
        "statuses": {
            "tangled": {"lasts": {"turns": 1}, "tags": ["helpless"]},
            "venom": {
                "lasts": {"turns": 3},
                "pulses": [{"every": {"turns": 1}, "do": [{"hurt": 2, "type": "venom"}]}],
            },
        },
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
eel = world.spawn("eel", "eel1")

while ana.alive and eel.alive:
    actor = world.next_turn()
    assert actor is not None
    if "helpless" in actor.tags:
        world.skip_turn()
        did = "is helpless"
    elif actor is eel:
        did = f"stings for {eel.hit(ana, 'sting').dealt:g}"
    else:
        did = "throws the net" if ana.hit(eel, "net") else f"jabs for {ana.hit(eel, 'jab').dealt:g}"
    left = hud.StatusRing(ana, "venom")
    print(
        f"round {world.turn_round}: {actor.id} {did}; suit {ana['suit'].value:g}, hide {eel['hide'].value:g}",
        end="",
    )
    print(f", venom {left.text} {left.unit}" if left.left else "")
print(world.why("ana.suit"))
