"""Stats that survive leaving: nothing saved is not zero saved, and what was earned comes back."""

import tempfile
from pathlib import Path

import cleaver
from cleaver import load_design, sample

design = load_design(sample.path("lanternreef.toml"))
with (
    tempfile.TemporaryDirectory() as folder,
    cleaver.open_store(f"sqlite:///{Path(folder, 'saves.db')}", design) as store,
):
    for session in (1, 2, 3):
        with store.hold("ana") as held:
            world = cleaver.World(design)
            ana = world.join("diver", "ana", profile=held.profile)
            outcome = type(held.outcome).__name__.lower()
            print(
                f"session {session}: {outcome}, scrip {ana.purse['scrip']}, pearls {ana.bag['pearl']}, "
                f"deepest {ana.records['deepest']}"
            )
            ana.earn("scrip", 10)
            ana.take(world.place("pearl"))
            ana.announce("reached", place="wreck", depth=10 + 5 * session)
            if session == 2:
                ana.spend("scrip", ana.purse["scrip"])
            info = held.save(world.leave(ana))
        print(f"  saved as revision {info.revision}")
