"""The saver at its ends: closing two thousand players beside leaving one by one, and frames while another
program holds the store's lock for 14 seconds."""

from __future__ import annotations

import sqlite3
import tempfile
import time
from pathlib import Path
from typing import Any

from common import finish, ratio, told

from cleaver import Design, World
from cleaver.saves import Autosaver, open_store

GAME: dict[str, Any] = {
    "currencies": {"scrip": {}},
    "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
}
DESIGN = Design.from_dict(GAME)
PLAYERS, SHARE, ROUNDS = 2_000, 10, 3
LOCKED, BUDGET, FRAME = 14.0, 0.002, 1 / 60  # seconds


def unsaved(folder: Path, name: str, players: int) -> Autosaver:
    """Return a saver of so many players who have all changed, and of whom nothing was written yet."""
    saver = Autosaver(open_store(f"sqlite:///{folder / name}.db", DESIGN))
    world = World(DESIGN, history=0)
    for number in range(players):
        saver.join(world, f"p{number}").earn("scrip", 1)
    return saver


def one_by_one(saver: Autosaver, players: int) -> None:
    """Let each leave by itself."""
    for number in range(players):
        assert saver.leave(f"p{number}") is None


def longest_frame(folder: Path, *, threaded: bool) -> float:
    """Return the seconds of the third longest `pump` while another program holds the store's lock: a shared
    machine takes more than that away from a program now and then."""
    path = folder / f"locked{threaded}.db"
    store, world = open_store(f"sqlite:///{path}", DESIGN, lease=3.0), World(DESIGN, history=0)
    saver = Autosaver(store, interval=1.0, threaded=threaded)
    actors = [saver.join(world, f"p{number}") for number in range(5)]
    other = sqlite3.connect(path, isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    until, took = time.monotonic() + LOCKED, []
    while time.monotonic() < until:
        for actor in actors:
            actor.earn("scrip", 1)
        begun = time.perf_counter()
        saver.pump(BUDGET)
        took.append(time.perf_counter() - begun)
        time.sleep(FRAME)
    other.execute("ROLLBACK")
    assert saver.close() == []
    store.close()
    return sorted(took)[-3]


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        many = [unsaved(folder, f"many{number}", PLAYERS) for number in range(ROUNDS)]
        few = [unsaved(folder, f"few{number}", PLAYERS // SHARE) for number in range(ROUNDS)]
        ratio(
            "closing 2,000 unsaved players: faster than leaving one by one",
            lambda: many.pop().close(),
            lambda: one_by_one(few.pop(), PLAYERS // SHARE),
            bar=10,
            more=True,
            rounds=ROUNDS,
            share=SHARE,
        )
        for threaded in (True, False):
            how = "by a thread" if threaded else "inline"
            told(
                f"the third longest frame while the store is locked for 14 s, saved {how} in 2 ms a frame",
                longest_frame(folder, threaded=threaded) / BUDGET,
                10,
            )
    finish()


if __name__ == "__main__":
    main()
