"""Every HUD class shows on a replica what it shows on the world."""

from __future__ import annotations

import asyncio
from typing import Any

from cleaver import hud, load_design, sample
from cleaver.rooms import Replica, Room

REEF = load_design(sample.path("lanternreef.toml"))


def screen(world: Any, me: Any, eel: Any) -> list[Any]:
    """Return one of each HUD class."""
    return [
        hud.Bar(me, "suit", ghost=0.3),
        hud.Bar(me, "air"),
        hud.Bar(eel, "hide"),
        hud.Counter(me, "scrip"),
        hud.Counter(me, "pearl"),
        hud.CooldownRing(me, "bolt"),
        hud.StatusRing(me, "venom"),
        hud.Stars(me, "dive"),
        hud.LevelBar(me, "rank"),
        hud.ComboMeter(me, "eel_run"),
        hud.Tracker(me, "first_light"),
        hud.Tracker(me, "drowned_bells"),
        hud.Dialogue(me),
        hud.Scoreboard(world, "salvage_race"),
        hud.MatchClock(world, "salvage_race"),
        hud.Notices(world),
        hud.Popups(world),
        hud.Toasts(world),
    ]


def shown(one: Any) -> dict[str, Any]:
    """Return what a HUD object has to show, as plain values."""
    names = [name for name in dir(type(one)) if not name.startswith("_")] + [
        name for name in getattr(one, "__dict__", {}) if not name.startswith("_")
    ]
    found = {}
    for name in names:
        value = getattr(one, name)
        if not callable(value) and not name.startswith(("actor", "quest", "match", "meter")):
            found[name] = str(
                [vars_of(part) for part in value] if isinstance(value, (list, tuple)) else value
            )
    return found


def vars_of(part: Any) -> Any:
    """Return a part of a HUD object as a plain value."""
    return shown(part) if type(part).__module__.startswith("cleaver.hud") else part


def test_every_hud_class_shows_the_same() -> None:
    room = Room(REEF, "reef", seed=3)
    for player, name, team in (("p-1", "ana", "north"), ("p-2", "bram", "south")):
        asyncio.run(room.enter(player, kind="diver", shown_as=name, team=team))
    world = room.world
    eel = world.spawn("eel", "eel1")
    replica = Replica(REEF.for_clients())
    replica.feed(room.full("p-1"))
    one, other = (
        screen(world, world.actor("p-1"), eel),
        screen(replica.world, replica.me, replica.actor("eel1")),
    )
    me = world.actor("p-1")
    for number in range(60):
        if number == 2:
            eel.hit(me, "sting")
            me.accept("first_light")
        if number == 10:
            world.match("salvage_race").start()
            me.gain_xp("rank", 130)
            me.earn("scrip", 12)
        if number == 20:
            me.accept("drowned_bells")
            world.place("lamp_rack", "rack")
            room.do("p-1", {"do": "take", "what": "rack"})
            world.actor("p-2").hit(me, "jab")
        if number == 30:
            me.hit(eel, "bolt")
            me.hit(eel, "bolt")
            me.rate("dive")
            me.give("pearl", 2)
        room.tick(0.1)
        replica.feed(room.changes("p-1"))
        for here, there in zip(one, other, strict=True):
            if hasattr(here, "update"):
                here.update(0.1)
                there.update(0.1)
            told, same = shown(here), shown(there)
            for name, value in told.items():
                assert value.replace("p-1", "ana").replace("p-2", "bram") == same[name], (
                    type(here),
                    name,
                    number,
                )
