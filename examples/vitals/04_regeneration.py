"""Regeneration: smooth after three quiet seconds, in steps, and the same at any frame rate."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "actors": {
            "diver": {
                "player": True,
                "vital": "suit",
                "meters": {
                    "suit": {"max": 90, "flows": [{"rate": 5, "after_hurt": 3.0, "until": 0.5}]},
                    "air": {"max": 60, "flows": [{"rate": 4, "every": 0.5}]},
                },
            }
        }
    }
)


def dive(frames_a_second: int) -> tuple[float, float]:
    world = cleaver.World(design)
    ana = world.join("diver", "ana")
    ana.hurt(80)
    ana.drain(7, "air")
    for _ in range(6 * frames_a_second):
        world.advance(1 / frames_a_second)
    return ana["suit"].value, ana["air"].value


for rate in (1, 30, 144):
    suit, air = dive(rate)
    print(f"{rate:>3} frames a second: suit {suit:g}, air {air:g}")
