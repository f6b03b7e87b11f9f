"""Lives and respawn: a death comes once, the return is timed, and the last life is the last."""

import cleaver
from cleaver.hud import sentence

design = cleaver.Design.from_dict(
    {
        "teams": {"north": {"spawn": "north_pier"}},
        "actors": {
            "diver": {
                "player": True,
                "vital": "suit",
                "meters": {"suit": 90},
                "lives": {"start": 2},
                "respawn": {"after": 2.0, "fraction": 0.5, "grace": 1.5},
            }
        },
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana", team="north")
for name in ("died", "life_lost", "respawned", "out_of_lives"):
    world.listen(name, lambda event: print(f"{event.time:.1f} s  {sentence(event)}"))

ana.hurt(200)
print("hit again:", ana.hurt(200).blocked)
world.advance(2)
print("suit:", ana["suit"].value, "hit in grace:", ana.hurt(200).blocked)
world.advance(1.5)
ana.hurt(200)
world.advance(60)
print("alive:", ana.alive, "lives:", ana.lives)
