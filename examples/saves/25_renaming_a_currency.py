"""Renaming a currency without losing it: what has no home is kept aside, and a change in the design carries
it over."""

import tempfile
from pathlib import Path

import cleaver
from cleaver.saves import unknown_to

DIVER = {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}}
old = cleaver.Design.from_dict({"currencies": {"scrip": {}}, "actors": DIVER})
careless = cleaver.Design.from_dict({"currencies": {"brass": {}}, "actors": DIVER})
careful = cleaver.Design.from_dict(
    {
        "game": {"version": 2},
        "currencies": {"brass": {}},
        "actors": DIVER,
        "saves": {"changes": [{"from": 1, "rename": {"scrip": "brass"}}]},
    }
)

with tempfile.TemporaryDirectory() as folder:
    url = f"sqlite:///{Path(folder, 'saves.db')}"
    for name, design in (("old", old), ("careless", careless), ("careful", careful)):
        with cleaver.open_store(url, design) as store, store.hold("ana") as held:
            world = cleaver.World(design)
            ana = world.join("diver", "ana", profile=held.profile)
            money = next(iter(ana.purse))
            if held.profile is None:
                ana.earn(money, 120)
            lost = unknown_to(held.profile, design) if held.profile is not None else []
            print(
                f"{name:<9} {money} {ana.purse[money]}",
                f"- {lost[0]} has no home, kept aside" if lost else "",
            )
            if (
                design is not careless
            ):  # looked at before it is played: `cleaver saves preview` does the same for a whole store
                held.save(world.leave(ana))
