"""A rated dive: stars by steps and by marks, what is missing in words, and the best is kept."""

import cleaver
from cleaver.hud import Stars

design = cleaver.Design.from_dict(
    {
        "inputs": {"seconds": 0},
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
        "ratings": {
            "dive": {"measure": "self.score", "steps": [100, 250, 400]},
            "sprint": {"measure": "seconds", "steps": [60, 45, 30], "better": "lower", "unit": "s"},
            "clean": {
                "conditions": [
                    {"text": "Come back alive", "when": "self.alive"},
                    {"text": "Half the suit left", "when": "self.suit.fraction >= 0.5"},
                ]
            },
        },
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
print("dive:", Stars(ana, "dive").text)

for points in (249, 151, 0):
    ana.start_rating("dive")  # from here to `rate`
    ana.add_score(points)
    result = ana.rate("dive")
    print(
        f"a dive of {points}: {result.stars} of {result.of}, missing {result.advice or 'nothing'}; best "
        f"{Stars(ana, 'dive').text}"
    )
print("sprint in 47 s:", ana.rate("sprint", seconds=47).advice)
ana.hurt(60)
print(
    "clean:",
    ana.rate("clean").stars,
    "missing:",
    ana.rate("clean").advice,
    "- stars in all:",
    ana.ratings.total,
)
