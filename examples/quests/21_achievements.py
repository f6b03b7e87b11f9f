"""Achievements: one for a first pearl, ranks for ten and a hundred, kept from one session to the next."""

import cleaver
from cleaver.hud import Toasts

design = cleaver.Design.from_dict(
    {
        "items": {"pearl": {}},
        "pickups": {"pearl": {"do": [{"give": "pearl"}]}},
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
        "achievements": {
            "first_pearl": {"title": "First pearl", "on": "gained", "item": "pearl"},
            "pearl_diver": {
                "title": "Pearl diver",
                "on": "gained",
                "item": "pearl",
                "ranks": {"lantern": 10, "beacon": 100},
            },
        },
    }
)


def dive(pearls: int, profile: cleaver.Profile | None = None) -> cleaver.Profile:
    world = cleaver.World(design)
    ana = world.join("diver", "ana", profile=profile)
    toasts = Toasts(world, lasts=2.0)
    for _ in range(pearls):
        ana.take(world.place("pearl"))
    print(
        f"{pearls} pearls: "
        f"{[toast.title + (' ' + toast.rank if toast.rank else '') for toast in toasts.waiting]}, "
        f"{world.value('ana.achieved.pearl_diver.progress')} of 100"
    )
    return world.leave(ana)


kept = dive(9)
kept = dive(2, kept)
kept = dive(89, kept)
dive(5, kept)
