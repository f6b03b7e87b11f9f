"""A journal of any session, played again, gives the same events and the same world."""

from __future__ import annotations

import json
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from cleaver import CleaverError, Design, journal
from cleaver.core import read
from cleaver.script import Session, play
from cleaver.script.files import read_script
from strategies import COMMANDS, DESIGNS, STREAMS, Command, Play, law, pick, streams

HEARD = pick(
    "damaged", "struck", "scored", "died", "collected", "earned", "quest_ready", "joined", "tagged", "adopted"
)
LISTENERS = st.lists(st.tuples(HEARD, streams(COMMANDS, 1, 3), st.integers(0, 3)), max_size=3)
CALLS = st.lists(st.tuples(st.integers(0, 900_000), streams(COMMANDS, 1, 3)), max_size=3)


def replayed(design: Design, path: Path) -> Session:
    session = Session(design, folder=path.parent, history=100_000)
    play(session, read_script(path), file=path.name)
    return session


def told(events: Any) -> list[dict[str, Any]]:
    return [event.plain() for event in events]


@law
@given(DESIGNS, DESIGNS, STREAMS, streams(COMMANDS, 5, 60), LISTENERS, CALLS, st.booleans())
def test_a_journal_of_any_session_gives_the_same_events_and_the_same_world(
    design: Design,
    other: Design,
    before: list[Command],
    commands: list[Command],
    listeners: list[tuple[str, list[Command], int]],
    calls: list[tuple[int, list[Command]]],
    frames: bool,
) -> None:
    live = Play(design, history=100_000).all(before)
    world = live.world
    for name, inner, most in listeners:
        left = [most]

        def heard(event: Any, inner: list[Command] = inner, left: list[int] = left) -> None:
            if left[0]:
                left[0] -= 1
                live.all(inner)

        world.listen_own(name, heard)
    start = read.parts(world).stage.seq
    with TemporaryDirectory() as folder:
        path = Path(folder) / "live.play"
        with journal(world, path) as written:
            for after, inner in calls:
                world.after(after / 1e6, partial(live.all, inner))
            for number, command in enumerate(commands):
                if number == len(commands) // 2:
                    try:
                        world.adopt(other)
                    except CleaverError:
                        pass
                if frames and command[0] == "advance":
                    for _ in range(3):
                        live.do(("move", "one", number % 5))
                        try:
                            world.advance(command[1] / 3e6)
                        except CleaverError:
                            pass
                else:
                    live.do(command)
            assert repr(written) == "<Journal live.play, open>"
        again = replayed(design, path)
        lines = path.read_text()
    then = told(event for event in world.events if event.seq > start)
    now = told(event for event in again.world.events if event.seq > start)
    for one, other_one in zip(then, now, strict=False):
        assert one == other_one, f"{one}\n{other_one}\n{lines}"
    assert len(then) == len(now)
    one, two = again.world.snapshot(), world.snapshot()
    for name, table in two.pop("parts").items():
        assert json.dumps(one["parts"][name]) == json.dumps(table), (
            f"{name}\n{one['parts'][name]}\n{table}\n{lines}"
        )
    for key in two:
        assert json.dumps(one[key]) == json.dumps(two[key]), key + lines
