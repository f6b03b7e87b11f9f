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
from cleaver.rooms import Replica
from postgres import Server, server

pytest.importorskip("websockets")
EXAMPLES = Path(__file__).parents[2] / "examples"
sys.path.insert(0, str(EXAMPLES))
from server.client import Client  # noqa: E402  # an example, and no package that is installed
from server.server import Server as Serving  # noqa: E402
from websockets.exceptions import ConnectionClosedError  # noqa: E402  # is it there at all?

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
    raise AssertionError("it did not come in time")


@pytest.fixture(scope="module")
def postgres() -> Iterator[Server]:
    with server() as started:
        yield started


@pytest.mark.long
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


class Stuck:
    """A line that takes the first message, and never anything more."""

    def __init__(self) -> None:
        self.sent = 0

    async def send(self, told: bytes) -> None:
        self.sent += 1
        await asyncio.Event().wait()


class Reading(Stuck):
    """A line that takes everything."""

    async def send(self, told: bytes) -> None:
        self.sent += 1


def test_a_client_that_reads_nothing_slows_nobody(tmp_path: Path) -> None:
    async def serve() -> None:
        serving = Serving(load_design(sample.path("lanternreef.toml")), "sqlite://", tmp_path / "rooms", None)
        lines: dict[str, Any] = {"p-1": Stuck(), "p-2": Reading()}
        for player, line in lines.items():
            await serving.rooms["reef"].enter(player, kind="diver", shown_as=player)
            serving.lines[player] = line
        with pytest.raises(TimeoutError):
            await asyncio.wait_for(serving.run(), 0.6)
        assert lines["p-1"].sent == 1
        assert lines["p-2"].sent >= 5
        await serving.close()

    asyncio.run(serve())


class Slow:
    """A line that says hello, and takes the first bytes only when it is let go on."""

    def __init__(self) -> None:
        self.go_on = asyncio.Event()
        self.sent: list[bytes] = []

    async def recv(self) -> str:
        return json.dumps({"hello": "p-1", "shown": "Ana", "room": "reef"})

    async def send(self, told: bytes | str) -> None:
        if isinstance(told, bytes):
            self.sent.append(told)
            await self.go_on.wait()

    async def close(self, code: int, reason: str) -> None:
        self.go_on.set()

    def __aiter__(self) -> Slow:
        return self

    async def __anext__(self) -> str:
        await asyncio.Event().wait()
        raise StopAsyncIteration


def test_what_comes_while_somebody_comes_back_goes_to_the_new_line(tmp_path: Path) -> None:
    async def serve() -> None:
        serving = Serving(load_design(sample.path("lanternreef.toml")), "sqlite://", tmp_path / "rooms", None)
        room, before, after = serving.rooms["reef"], Slow(), Slow()
        before.go_on.set()
        tasks = [
            asyncio.ensure_future(serving.meet(before)),  # type: ignore[arg-type]  # as a line is
            asyncio.ensure_future(serving.run()),
        ]
        await until(lambda: "p-1" in serving.lines)
        tasks.append(asyncio.ensure_future(serving.meet(after)))  # type: ignore[arg-type]
        await until(lambda: after.sent)
        room.world.actor("p-1").hurt(40)  # while the new line is busy with all there is
        await asyncio.sleep(0.15)
        after.go_on.set()
        await until(lambda: len(after.sent) > 2)
        replica = Replica(DESIGN)
        for told in after.sent:
            replica.feed(told)
        assert replica.me["suit"].value == pytest.approx(room.world.actor("p-1")["suit"].value, abs=1.5)
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        await serving.close()

    asyncio.run(serve())


def test_one_whose_line_breaks_at_once_does_not_stay(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    class Broken(Slow):
        async def send(self, told: bytes | str) -> None:
            raise ConnectionClosedError(None, None)

    async def serve() -> None:
        monkeypatch.setattr("server.server.LINGER", 0.01)
        serving = Serving(load_design(sample.path("lanternreef.toml")), "sqlite://", tmp_path / "rooms", None)
        await serving.meet(Broken())  # type: ignore[arg-type]  # as a line is
        await until(lambda: serving.rooms["reef"].viewers == ())
        await serving.close()

    asyncio.run(serve())


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
    # Another screen of the same player, in another room: one room and one line at a time.
    again = Client(DESIGN, "p-2", "Bram")
    await again.come(server.port, "wreck")
    await until(lambda: bram.line.close_code is not None)
    assert (again.state, bram.line.close_reason) == ("found", "you play on another screen now")
    await until(lambda: "Bram" not in {actor.id for actor in ana.replica.actors})
    bram = Client(DESIGN, "p-2", "Bram")
    await bram.come(server.port, "reef")
    assert bram.state == "found"
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
    state.touch()
    assert "reef was not frozen: " in server.told(f"freeze reef {state}")  # nothing is written over
    state.unlink()
    assert server.told(f"freeze reef {state}") == "frozen reef\n"
    await until(lambda: ana.line.close_code is not None)
    assert ana.line.close_reason == "the room has moved; connect again"
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
