"""An ability: it costs air, rests, and mends a friend within reach; and an attack that needs a harpoon."""

import cleaver
from cleaver import hud

design = cleaver.load_design(cleaver.sample.path("lanternreef.toml"))
world = cleaver.World(design)
ana, bo = (world.join("diver", name, team="north") for name in ("ana", "bo"))

print("nothing to mend:", ana.use("patch", bo).blocked)
bo.hurt(30)
print("done:", bool(ana.use("patch", bo)), f"bo {bo['suit'].value:g}, ana's air {ana['air'].value:g}")
print("at once again:", ana.use("patch", bo).blocked)
world.advance(10)
for row in hud.abilities(ana):
    print(f"{row.title}: costs {row.costs}, {row.left:g} s left, {row.fraction:.0%} of its rest is over")
world.advance(10)
ana["air"].set(3)
print("out of breath:", ana.usable("patch", bo))
