"""A health bar: hurt, a trailing ghost, percent text that never lies."""

import cleaver
from cleaver.hud import Bar
from cleaver.hud.terminal import bar_text

design = cleaver.Design.from_dict(
    {
        "actors": {
            "diver": {
                "player": True,
                "vital": "suit",
                "meters": {"suit": {"max": 90, "marks": {"low": 0.25}}},
            }
        }
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
bar = Bar(ana, "suit", ghost=0.4)


def draw(moment: str) -> None:
    print(f"{moment:<20} {bar_text(bar, 20)} {bar.numbers:>8} {bar.percent:>5}  {bar.role}")


draw("at the start")
ana.hurt(44)
draw("hit for 44")
bar.update(0.9)
draw("0.9 s later")
ana.hurt(45.7)
bar.update(5)
draw("a scratch is left")
