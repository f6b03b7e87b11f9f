"""Saves: through the public store, beside one fsynced JSON file per profile and beside hand-written sqlite3;
and ten thousand players at once."""

from __future__ import annotations

import json
import os
import sqlite3
import tempfile
import time
from itertools import pairwise
from pathlib import Path
from typing import Any

from common import finish, ratio, told

from cleaver import Design, Profile, World
from cleaver.saves import Autosaver, open_store
from cleaver.saves.chain import chain_link
from cleaver.saves.document import checksum, encode

GAME: dict[str, Any] = {
    "currencies": {"scrip": {}},
    "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
}
DESIGN = Design.from_dict(GAME)
PROFILES, PLAYERS, SECONDS, INTERVAL = 500, 10_000, 30, 10.0
READY: list[list[Profile]] = []


def made(number: int, turn: int) -> Profile:
    quests = {
        f"quest{index}": {
            "state": "active",
            "goals": [{"progress": turn, "target": 9, "met": False, "seen": [], "total": turn, "stamps": []}],
            "fails": [],
            "completions": 0,
            "limit": None,
            "again": None,
        }
        for index in range(5)
    }
    return Profile(
        f"player{number}",
        1,
        {
            "currencies": {"scrip": turn},
            "items": {f"item{index}": index for index in range(20)},
            "quests": quests,
        },
    )


def profile(number: int, turn: int) -> Profile:
    """One of the profiles, made before anything is timed."""
    return READY[turn % len(READY)][number]


def json_files(folder: Path, turn: int, count: int) -> None:
    """One file a profile: written beside, synced, renamed, the folder synced."""
    for number in range(count):
        made = folder / f"player{number}.tmp"
        with made.open("wb") as file:
            file.write(json.dumps(profile(number, turn).sections).encode())
            file.flush()
            os.fsync(file.fileno())
        made.rename(folder / f"player{number}.json")
        handle = os.open(folder, os.O_RDONLY)
        os.fsync(handle)
        os.close(handle)


class ByHand:
    """The same statements on sqlite3 itself."""

    def __init__(self, path: Path) -> None:
        self.chains: dict[str, str] = {}
        self.connection = sqlite3.connect(path, isolation_level=None)
        run = self.connection.execute
        run("PRAGMA journal_mode=WAL")
        run("PRAGMA synchronous=FULL")
        run("CREATE TABLE p (player TEXT PRIMARY KEY, revision INT NOT NULL, fence INT NOT NULL, chain TEXT)")
        run("CREATE TABLE m (key TEXT PRIMARY KEY, value INT)")
        run("INSERT INTO m VALUES ('commits', 0)")
        run(
            "CREATE TABLE g (player TEXT, slot INT, revision INT, fence INT, version INT, checksum TEXT, "
            "saved REAL, body BLOB, before TEXT, chain TEXT, PRIMARY KEY (player, slot))"
        )
        self.connection.executemany(
            "INSERT INTO p VALUES (?, 0, 1, '')", [(f"player{number}",) for number in range(PROFILES)]
        )

    def save(self, turn: int, count: int, batch: int) -> None:
        for start in range(0, count, batch):
            rows = []
            for number in range(start, min(start + batch, count)):
                player, body = f"player{number}", encode(profile(number, turn))
                check, before = checksum(player, turn, 1, body), self.chains.get(player, "")
                chain = self.chains[player] = chain_link("store", player, turn, before, check)
                rows.append((player, turn % 4, turn, 1, 1, check, time.time(), body, before, chain))
            self.connection.execute("BEGIN IMMEDIATE")
            done = self.connection.executemany(
                "UPDATE p SET revision = ?, chain = ? WHERE player = ? AND revision = ? AND fence = 1",
                [(turn, row[9], row[0], turn - 1) for row in rows],
            ).rowcount
            assert done == len(rows)
            self.connection.executemany(
                "INSERT INTO g VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (player, slot) "
                "DO UPDATE SET revision = excluded.revision, fence = excluded.fence, "
                "version = excluded.version, checksum = excluded.checksum, saved = excluded.saved, "
                "body = excluded.body, before = excluded.before, chain = excluded.chain",
                rows,
            )
            count_up = "UPDATE m SET value = value + 1 WHERE key = 'commits' RETURNING value"
            self.connection.execute(count_up).fetchone()
            self.connection.execute("COMMIT")


def crowd(folder: Path) -> None:
    """Ten thousand players changing all the time, in simulated time: how many saves, how late, how close
    together."""
    now = [0.0]
    store, world = open_store(f"sqlite:///{folder / 'crowd.db'}", DESIGN, lease=1e9), World(DESIGN, history=0)
    saver = Autosaver(store, interval=INTERVAL, threaded=False, clock=lambda: now[0])
    actors = [saver.join(world, f"p{number}") for number in range(PLAYERS)]
    written: dict[str, list[float]] = {actor.id: [] for actor in actors}
    world.listen("saved", lambda event: written[event.actor].append(now[0]))
    frame = 0.05
    spread = (
        len(actors) * frame / INTERVAL
    )  # players begin one after another over the first interval, as they would come
    spent = 0.0
    for tick in range(int((SECONDS + INTERVAL) / frame)):
        now[0] = tick * frame
        for actor in actors[: int(tick * spread) + 1]:
            if saver.state_of(actor.id)[0] != "unsaved":
                actor.earn("scrip", 1)
        begun = time.perf_counter()
        saver.pump(budget=1.0)
        spent += time.perf_counter() - begun
    later = [[moment for moment in moments if moment >= INTERVAL] for moments in written.values()]
    saves = sum(map(len, later)) / SECONDS
    gaps = [two - one for moments in written.values() for one, two in pairwise(moments)]
    told(
        f"{PLAYERS:,} players always changing: saves a second, of as many as the interval allows",
        saves / (PLAYERS / INTERVAL) * 100,
        95,
        more=True,
        unit="%",
    )
    told("the longest wait beyond the interval", max(gaps) - INTERVAL, 1.0, unit="s")
    told("the shortest gap between two writes of one player", min(gaps) + 1e-9, INTERVAL, more=True, unit="s")
    told(
        "the same, in real time on this machine: share of a second that a second of it takes",
        spent / (SECONDS + INTERVAL),
        1.0,
        unit="s/s",
    )
    saver.close()
    store.close()


def main() -> None:
    READY.extend([made(number, turn) for number in range(PROFILES)] for turn in range(4))
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        store = open_store(f"sqlite:///{folder / 'store.db'}", DESIGN)
        held = [store.hold(f"player{number}") for number in range(PROFILES)]
        by_hand, single = ByHand(folder / "hand.db"), open_store(f"sqlite:///{folder / 'single.db'}", DESIGN)
        one = single.hold("player0")
        turns = {"store": 0, "hand": 0, "json": 0, "single": 0}

        def turn(what: str) -> int:
            turns[what] += 1
            return turns[what]

        def batches() -> None:
            now = turn("store")
            for start in range(0, PROFILES, 100):
                store.save_many(
                    [
                        store.encoded(held[number], profile(number, now))
                        for number in range(start, start + 100)
                    ]
                )

        def singles() -> None:
            for _ in range(100):
                one.save(profile(0, turn("single")))

        ratio(
            "saves in batches of 100 through the store: faster than an fsynced JSON file each",
            batches,
            lambda: json_files(folder, turn("json"), PROFILES),
            bar=6,
            more=True,
            rounds=7,
            each=PROFILES,
        )
        ratio(
            "the same / hand-written sqlite3, same statements",
            batches,
            lambda: by_hand.save(turn("hand"), PROFILES, 100),
            bar=1.4,
            rounds=9,
        )
        ratio(
            "single saves with a held profile: faster than the JSON file",
            singles,
            lambda: json_files(folder, turn("json"), 100),
            bar=1.5,
            more=True,
            rounds=7,
            each=100,
        )
        for opened in (store, single):
            opened.close()
        crowd(folder)
    finish()


if __name__ == "__main__":
    main()
