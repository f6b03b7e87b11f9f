"""A game with an order of its own: all divers first, then the tide. Both ways of turns count the same."""

import cleaver
from cleaver import hud

design = cleaver.Design.from_dict(
    {
        "actors": {
            "diver": {
                "player": True,
                "turns": True,
                "vital": "suit",
                "meters": {"suit": 30},
                "abilities": {"brace": {"cooldown": {"turns": 2}, "do": [{"status": "braced"}]}},
            }
        },
        "statuses": {"braced": {"lasts": {"turns": 1}, "scale": 0.5}},
    }
)
world = cleaver.World(design)
ana, bo = (world.join("diver", name) for name in ("ana", "bo"))

for phase in range(1, 4):
    for diver in (bo, ana) if phase == 2 else (ana, bo):
        diver.begin_turn()  # several may be on at once
    done = {diver.id: diver.use("brace").blocked or "braces" for diver in (ana, bo)}
    for diver in (ana, bo):
        diver.end_turn()
        diver.hurt(8)  # the tide
    left = {row.title: f"{row.left:g} {row.unit}" for row in hud.abilities(ana)}
    print(phase, done, f"ana {ana['suit'].value:g}, bo {bo['suit'].value:g}", left)
