"""Days: an errand that ends with its day, days in a row, a fair of two weeks, an errand of each week."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import cleaver

design = cleaver.Design.from_dict(
    {
        "currencies": {"scrip": {"start": 20}},
        "items": {"ribbon": {}},
        "actors": {"diver": {"player": True}},
        "exchanges": {
            "fair": {"costs": {"scrip": 2}, "gives": {"ribbon": 1}, "open": {"days": [739500, 739514]}}
        },
        "quests": {
            "today": {
                "goals": [{"on": "gained", "item": "ribbon"}],
                "finish": "auto",
                "reward": [{"earn": "scrip", "amount": 1}],
                "time_limit": {"days": 1},
                "repeat": {"days": 1},
            },
            "this_week": {
                "goals": [{"on": "gained", "item": "ribbon", "count": 3}],
                "finish": "auto",
                "reward": [{"earn": "scrip", "amount": 9}],
                "repeat": {"days": 7, "on": "week"},
            },
        },
        "records": {"visits": {"on": "daily_visit", "streak": {"days": 1}}},
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana")
morning = datetime(2025, 9, 4, 9, 0, tzinfo=ZoneInfo("Europe/Lisbon"))

for days, buys in ((0, 1), (1, 1), (2, 1), (3, 2), (4, 0), (6, 1), (18, 1)):
    moment = morning + timedelta(days=days)
    world.set_day(cleaver.day_of(moment))
    for quest in ("today", "this_week"):
        ana.accept(quest)
    bought = [ana.exchange("fair").blocked or "bought" for _ in range(buys)]
    states = [ana.quests[quest].state for quest in ("today", "this_week")]
    print(f"{moment:%a %d}, {ana.records['visits']:g} in a row: {bought} {states} {ana.purse['scrip']} scrip")
