"""A server with a hundred players on PostgreSQL, started on the loopback: two processes never write the same
player."""

from local_postgres import server

import cleaver
from cleaver import load_design, sample
from cleaver.saves import Autosaver

design = load_design(sample.path("lanternreef.toml"))
with server() as database:
    with cleaver.open_store(database.url, design, name="server one") as store:
        world, saver = cleaver.World(design), Autosaver(store, interval=6.0)
        with saver.closing():
            divers = [saver.join(world, f"diver{number}") for number in range(100)]
            for number, diver in enumerate(divers):
                diver.earn("scrip", number)
            saver.pump(budget=1.0)
            with cleaver.open_store(database.url, design, name="server two") as other:
                try:
                    other.hold("diver7")
                except cleaver.ProfileBusyError as busy:
                    print(f"server two: profile {busy.player} is in use by {busy.holder}")
        print("players saved:", len(store.players()))
    with cleaver.open_store(database.url, design) as store:
        profiles = [store.read(player) for player in store.players()]
        print(
            "scrip in all:",
            sum(profile.sections["currencies"]["scrip"] for profile in profiles if profile is not None),
        )
