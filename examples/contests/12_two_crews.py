"""Two crews' scoreboard: drifting crates count for whichever side they cross, and text and score come from
one event."""

import cleaver
from cleaver.hud import Notices, Scoreboard

design = cleaver.Design.from_dict(
    {
        "game": {"tags": ["past_north_buoy", "past_south_buoy"]},
        "teams": {"north": {}, "south": {}},
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}, "crate": {}},
        "rules": [],
        "matches": {
            "drift": {
                "teams": ["north", "south"],
                "win_at": 3,
                "rules": [
                    {"on": "tagged", "tag": "past_north_buoy", "do": [{"score": 1}]},
                    {"on": "tagged", "tag": "past_south_buoy", "do": [{"score": 1}]},
                ],
            }
        },
        "texts": {"scored": "{team} have {score} after {amount} more"},
    }
)
world = cleaver.World(design)
crews = {
    "north": world.join("diver", "ana", team="north"),
    "south": world.join("diver", "bram", team="south"),
}
board, notices = Scoreboard(world, "drift"), Notices(world)
world.match("drift").start()

for crossed in ("north", "south", "north", "north", "south"):
    for _ in range(60):  # the crate stays past the buoy for a second of frames: one point
        crews[crossed].set_tag(f"past_{crossed}_buoy", True)
        world.advance(1 / 60)
    crews[crossed].set_tag(f"past_{crossed}_buoy", False)
    print(f"{board.text}  {list(notices)[-1]:<30} {board.verdict}")
