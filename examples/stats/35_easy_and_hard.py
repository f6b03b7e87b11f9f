"""Two variants of one design, and a shop that says why not."""

import cleaver
from cleaver import hud

design = cleaver.load_design(cleaver.sample.path("lanternreef.toml"))
for name in ("", *design.tables.variants):
    world = cleaver.World(design.variant(name) if name else design)
    ana, moray = world.join("diver", "ana"), world.spawn("moray")
    print(f"{name or 'as written'}: suit {ana['suit'].max:g}, moray {moray['hide'].max:g}")

world = cleaver.World(design)
ana = world.join("diver", "ana")
ana.earn("scrip", 35)
for row in hud.shop(ana):
    print(f"{row.title}: {row.price}, {row.blocked or f'{row.times} now'}, missing {row.missing}")
