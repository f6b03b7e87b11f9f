"""Two stages as data: enter, earn stars, play again, go on."""

import cleaver
from cleaver import sample

world = cleaver.World(cleaver.load_design(sample.path("lanternreef.toml")), seed=4)
ana = world.join("diver", "ana")


def there() -> str:
    creatures = [actor.id for actor in world.actors if not actor.player]
    return f"{', '.join(creatures)}; {len(world.placements)} things"


print("the wreck at once:", world.enter_stage("wreck").blocked)
world.enter_stage("shallows")
print(f"{world.stage}: {there()}")
for number in range(1, 5):
    ana.take(world.placement(f"pearl{number}"))
ana.hurt(30)
print(f"{ana.bag['pearl']} pearls, {ana.score} points, suit {ana['suit'].value:g}")

world.restart_stage()
print(f"again: {ana.bag['pearl']} pearls, {ana.score} points, suit {ana['suit'].value:g}; {there()}")
print("first pearl is kept:", ana.achievements["first_pearl"].achieved)

for number in range(1, 5):
    ana.take(world.placement(f"pearl{number}"))
print(ana.rate("dive").stars, "star; in all", world.value("ana.stars"))
print("the wreck now:", world.enter_stage("wreck").done, "-", there())
stars = ", ".join(f"{name} {world.value(f'ana.stars.{name}')}" for name in ("shallows", "wreck"))
print(f"{ana.bag['pearl']} pearls came along; stars: {stars}")
