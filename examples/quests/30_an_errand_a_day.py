"""An errand of the day, and the lines of the one who gives it."""

import cleaver
from cleaver import sample

world = cleaver.World(cleaver.load_design(sample.path("lanternreef.toml")), seed=4)
world.set_day(739578)  # as cleaver.day_of gives it: your game says what day it is
ana = world.join("diver", "ana")
ana.accept("first_light")

for day in (739578, 739578, 739579):
    world.set_day(day)
    result = ana.talk("harbourmaster")
    print(f"day {day}: “{result.text}” ({result.quest}, next: {result.next or 'nothing'})")
    print("    accept:", ana.accept("morning_catch").blocked or "yes")
    if ana.quests["morning_catch"].state == "active":
        ana.give("pearl")
        ana.exchange("harbour_office")
        while True:
            line = ana.talk("harbourmaster")
            print(f"    “{line.text}”")
            if line.next == "turn_in":
                break
        ana.turn_in("morning_catch")
        print(f"    {ana.purse['scrip']} scrip, completions: {ana.quests['morning_catch'].completions}")
