"""A turret acts for whoever owns it, and a bolt counts for who launched it, also when that one has left."""

import cleaver

design = cleaver.Design.from_dict(
    {
        "inputs": {"charge": 1.0},
        "teams": {"north": {}},
        "actors": {
            "diver": {
                "player": True,
                "vital": "suit",
                "meters": {"suit": 90},
                "attacks": {"bolt": {"amount": "10 * charge", "pierces": 1, "cooldown": 2.0, "flight": 4.0}},
            },
            "turret": {"meters": {"charge_left": 5}, "attacks": {"zap": {"amount": 30}}},
            "eel": {"vital": "hide", "meters": {"hide": 30}},
        },
        "rules": [{"on": "defeated", "of": "eel", "do": [{"score": 40}]}],
    }
)
world = cleaver.World(design)
ana = world.join("diver", "ana", team="north")
turret = world.spawn("turret", "turret1", owner=ana)
eels = [world.spawn("eel", f"eel{number}") for number in (1, 2, 3)]

turret.hit(eels[0], "zap")
died = world.events[-2]
print(
    f"{died.actor} dies by {died.source}, for {died.credit}: {ana.score} points; the turret is {turret.team}"
)
print("the turret hits its owner:", turret.hit(ana, "zap").blocked)

shot = ana.launch("bolt", charge=2.0)
print(f"{shot.id} flies for {shot.seconds_left:g} s; another one: {ana.launch('bolt').blocked}")
for target in (ana, eels[1], eels[1], eels[2]):
    result = shot.hit(target)
    print(f"it meets {target.id}: {result.blocked or f'{result.dealt:g} dealt'}")
shot.drop()
try:
    shot.hit(eels[1])
except cleaver.GoneError as error:
    print(error)
