"""A server with a hundred players on PostgreSQL, started on the loopback: two processes never write the same
player, two who trade are written in one transaction, and counts go to whatever watches the server."""

from collections import defaultdict

from local_postgres import server

import cleaver
from cleaver import load_design, sample
from cleaver.saves import Autosaver, Metric

design = load_design(sample.path("lanternreef.toml"))
metrics: defaultdict[Metric, float] = defaultdict(float)


def count(name: Metric, value: float) -> None:
    """Add up what the saver counts and times."""
    metrics[name] += value


with server() as database:
    with cleaver.open_store(database.url, design, name="server one") as store:
        world, saver = cleaver.World(design), Autosaver(store, on_metric=count)
        with saver.closing():
            divers = [saver.join(world, f"diver{number}") for number in range(100)]
            for number, diver in enumerate(divers):
                diver.earn("scrip", number)
            world.trade(divers[99], {"scrip": 40}, divers[0], {})
            saver.pump(budget=1.0)
            with cleaver.open_store(database.url, design, name="server two") as other:
                try:
                    other.hold("diver7")
                except cleaver.ProfileBusyError as busy:
                    print(f"server two: profile {busy.player} is in use by {busy.holder}")
        print("players saved:", len(store.players()), "- saves made:", f"{metrics['saves']:.0f}")
    with cleaver.open_store(database.url, design) as store:
        profiles = [store.read(player) for player in store.players()]
        print(
            "scrip in all:",
            sum(profile.sections["currencies"]["scrip"] for profile in profiles if profile is not None),
        )
