"""A chain that opens a reef: each quest needs the one before, the last sets a tag that the game reads."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "game": {"tags": ["reef_open"]},
        "events": {"reached": {"fields": {"place": "name"}}},
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
        "quests": {
            "pier": {"goals": [{"on": "reached", "place": "pier"}], "finish": "auto"},
            "wreck": {
                "goals": [{"on": "reached", "place": "wreck"}],
                "needs": ['self.quest.pier == "completed"'],
                "finish": "auto",
            },
            "reef": {
                "goals": [{"on": "reached", "place": "gate"}, {"on": "reached", "place": "arch"}],
                "order": "in_turn",
                "needs": ['self.quest.wreck == "completed"'],
                "finish": "auto",
                "reward": [{"tag": "reef_open"}],
            },
        },
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
world.listen("quest_available", lambda event: print(f"  {event.quest} is open now"))

for place in ("wreck", "pier", "wreck", "arch", "gate", "arch"):
    for quest in ana.quests:
        ana.accept(quest)
    ana.announce("reached", place=place)
    print(f"{place}: " + ", ".join(f"{name} {ana.quests[name].state}" for name in ana.quests))
print("the reef is open:", "reef_open" in ana.tags)
