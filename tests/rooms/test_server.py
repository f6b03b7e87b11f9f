"""The example of a server: two rooms, a late joiner, one who comes back, a flood, a crash, a move."""

from __future__ import annotations

import asyncio
import json
import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from cleaver import load_design, sample
from postgres import Server, server

pytest.importorskip("websockets")
EXAMPLES = Path(__file__).parents[2] / "examples"
sys.path.insert(0, str(EXAMPLES))
from server.client import Client  # noqa: E402  # an example, and no package that is installed

DESIGN = load_design(sample.path("lanternreef.toml")).for_clients()


class Started:
    """A server in a process of its own."""

    def __init__(self, folder: Path, *more: str, store: str = "") -> None:
        self.store = store or f"sqlite:///{folder / 'saves.db'}"
        self.process = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "server.server",
                "--store",
                self.store,
                "--folder",
                str(folder / "rooms"),
                "--port",
                "0",
                *more,
            ],
            cwd=EXAMPLES,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        told = self.says()
        assert told.startswith("listening on port "), told
        self.port = int(told.split()[-1])

    def says(self) -> str:
        """Return the next line that it prints."""
        assert self.process.stdout is not None
        return self.process.stdout.readline()

    def told(self, line: str) -> str:
        """Tell it a line, and return what it answers."""
        assert self.process.stdin is not None
        self.process.stdin.write(f"{line}\n")
        self.process.stdin.flush()
        return self.says()

    def kill(self) -> None:
        """Kill it, as a power cut would."""
        os.kill(self.process.pid, signal.SIGKILL)
        self.process.wait()
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                pipe.close()


async def until(holds: Any) -> None:
    """Wait until something holds."""
    for _ in range(600):
        if holds():
            return
        await asyncio.sleep(0.01)
    raise AssertionError("it did not come in six seconds")


@pytest.fixture(scope="module")
def postgres() -> Iterator[Server]:
    with server() as started:
        yield started


@pytest.mark.parametrize("kind", ["sqlite", "postgres"])
def test_everybody_is_up_to_date_through_breaks_floods_crashes_and_moves(
    tmp_path: Path, kind: str, request: pytest.FixtureRequest
) -> None:
    store = request.getfixturevalue("postgres").url if kind == "postgres" else ""
    started = Started(tmp_path, store=store)
    try:
        asyncio.run(first_part(started))
        started.kill()
        started = Started(tmp_path, store=store)
        asyncio.run(after_the_crash(started))
        other = asyncio.run(moved(started, tmp_path))
        other.kill()
    finally:
        if started.process.poll() is None:
            started.kill()


def test_who_comes_to_another_server_is_saved_and_handed_over(tmp_path: Path) -> None:
    servers = [Started(tmp_path / name, store=f"sqlite:///{tmp_path / 'saves.db'}") for name in "ab"]
    try:
        asyncio.run(handed_over([server.port for server in servers], 4))
    finally:
        for server in servers:
            server.kill()


async def handed_over(ports: list[int], times: int) -> None:
    """Let one player come to this server and that, without leaving the one before; something is done at each,
    and all of it counts once."""
    before: Client | None = None
    for number in range(times):
        ana = Client(DESIGN, "p-1", "Ana")
        await ana.come(ports[number % len(ports)], "reef")
        assert ana.state == ("found" if number else "new")
        quests = ana.replica.me.quests
        assert (quests["first_light"].state == "active") == (number % 2 == 1), number
        assert (await ana.ask("abandon" if number % 2 else "accept", "first_light")).done
        if before is not None:
            await until(lambda line=before.line: line.close_code is not None)
            assert before.line.close_reason == "you play elsewhere now"
        before = ana
    assert before is not None
    await before.go()


async def first_part(server: Started) -> None:
    ana, bram = Client(DESIGN, "p-1", "Ana"), Client(DESIGN, "p-2", "Bram")
    await ana.come(server.port, "reef")
    assert ana.state == "new"
    assert (await ana.ask("take", "kit")).why == "full"  # nothing to mend yet
    assert (await ana.ask("accept", "first_light")).done
    assert (await ana.ask("earn", "scrip")).why == "not_allowed"
    # A late joiner sees all that there is.
    await bram.come(server.port, "reef")
    assert {actor.id for actor in bram.replica.actors} == {"Ana", "Bram", "eel1"}
    await until(lambda: "Bram" in {actor.id for actor in ana.replica.actors})
    # One whose line breaks comes back, and has each event once.
    heard: list[int] = []
    bram.replica.listen("damaged", lambda event: heard.append(event.seq))
    await until(lambda: bram.replica.number >= 3)
    await bram.go()
    before = bram.replica.number
    await until(lambda: ana.replica.number > before + 3)
    await bram.come(server.port, "reef")
    assert (bram.state, bram.replica.missed) == ("here", 0)
    # A flood gets replies and slows nobody.
    flood = Client(DESIGN, "p-3", "Ana")
    await flood.come(server.port, "reef")
    for number in range(300):
        await flood.send({"do": ["take", 5, None][number % 3], "what": "x" * (number % 50)})
    await until(lambda: len(flood.replies) == 300)
    assert {reply.why for reply in flood.replies.values()} >= {"too_often"}
    assert not any(reply.done for reply in flood.replies.values())
    now = ana.replica.world.now
    await until(lambda: ana.replica.world.now > now + 0.3)
    assert ana.replica.me["suit"].value <= 90
    told = json.loads(server.told("metrics"))
    assert told["saves"].get("save_failures", 0) == 0
    metrics = told["reef"]
    assert metrics["viewers"] == 3
    assert metrics["refused_too_often"] > 100
    await asyncio.sleep(1.2)  # what was written is flushed each second
    for one in (ana, bram, flood):
        await one.go()


async def after_the_crash(server: Started) -> None:
    ana = Client(DESIGN, "p-1", "Ana")
    await ana.come(server.port, "reef")
    # She stands where she stood, or came in with what was saved since.
    assert ana.state in ("recovered", "found")
    assert ana.replica.me.quests["first_light"].state == "active"
    assert {actor.id for actor in ana.replica.actors} >= {"Ana", "eel1"}
    await ana.go()


async def moved(server: Started, tmp_path: Path) -> Started:
    ana = Client(DESIGN, "p-1", "Ana")
    await ana.come(server.port, "reef")
    state = tmp_path / "reef.state"
    number = ana.replica.number
    assert server.told(f"freeze reef {state}") == "frozen reef\n"
    await ana.go()
    other = Started(tmp_path, "--thaw", str(state), store=server.store)
    try:
        await ana.come(other.port, "reef")
        assert ana.state == "here"
        assert ana.replica.missed == 0
        await until(lambda: ana.replica.number > number)
        assert ana.replica.me.quests["first_light"].state == "active"
        await ana.go()
    except BaseException:
        other.kill()
        raise
    return other
