"""Starting: the CPU time of fresh processes, beside an interpreter that does nothing: to the first hit, of a
design and of the sample's file, of commands."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
from collections.abc import Callable

from common import finish, ratio

HIT = "world = cleaver.World(design); eel = world.spawn('eel'); print(eel.hurt(3))"
ONE = "cleaver.Design.from_dict({'actors': {'eel': {'vital': 'hide', 'meters': {'hide': 30}}}})"
FILE = "cleaver.load_design(cleaver.sample.path('lanternreef.toml'))"
CHECK = "import cleaver.sample, sys; print(cleaver.sample.path('lanternreef.toml'))"


def fresh(*words: str) -> Callable[[], object]:
    """Return what runs a fresh interpreter."""
    environment = {
        name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"
    }  # installed packages are compiled

    def run() -> str:
        done = subprocess.run(
            [sys.executable, *words], check=True, capture_output=True, env=environment, text=True
        )
        return done.stdout.strip()

    return run


def spent() -> float:
    """Return the seconds of CPU that ended child processes took."""
    times = resource.getrusage(resource.RUSAGE_CHILDREN)
    return times.ru_utime + times.ru_stime


def main() -> None:
    sample = str(fresh("-c", CHECK)())
    nothing = fresh("-c", "pass")
    for what, run, bar in (
        ("import cleaver, and a name of it", fresh("-c", "import cleaver; cleaver.World"), 4),
        ("a design of one meter, a world, a hit", fresh("-c", f"import cleaver; design = {ONE}; {HIT}"), 8),
        (
            "the sample from its file, a world, a hit",
            fresh("-c", f"import cleaver; design = {FILE}; {HIT}"),
            10,
        ),
        ("cleaver check of the sample", fresh("-m", "cleaver", "check", sample), 12),
        ("cleaver --help", fresh("-m", "cleaver", "--help"), 6),
    ):
        run()  # once, so that nothing is compiled while it is timed
        ratio(f"{what} / python -c pass", run, nothing, bar=bar, rounds=21, clock=spent)
    finish()


if __name__ == "__main__":
    main()
