"""Untrusted files: each target takes any bytes, and may refuse them only as Cleaver refuses.

`test_strangers.py` tries them on what Hypothesis makes, `fuzz.py` for as long as one likes.
"""

from __future__ import annotations

import contextlib
import json
import tempfile
from pathlib import Path

from cleaver import CleaverError, Design, World, load_design, sample
from cleaver.core.wording import notice
from cleaver.design.checks import findings
from cleaver.design.design import build
from cleaver.design.reading import read_file
from cleaver.saves.document import decode, encode
from cleaver.script import Session, play
from cleaver.script.baseline import baseline_of, compare
from cleaver.script.suite import judge

REEF = load_design(sample.path("lanternreef.toml"))
FOLDER = Path(tempfile.mkdtemp(prefix="strangers"))


def design(data: bytes) -> None:
    """A design file of these bytes loads and is checked, or is a `DesignError`."""
    for name in ("d.toml", "d.json"):
        (FOLDER / name).write_bytes(data)
        with contextlib.suppress(CleaverError):
            found: Design = build(read_file(FOLDER / name))
            findings(found)


def script(data: bytes) -> None:
    """A script of these bytes plays, or stops with a message."""
    (FOLDER / "s.play").write_bytes(data)
    baseline_of(FOLDER / "s.play").unlink(missing_ok=True)
    verdict = judge(FOLDER / "s.play", sample.path("lanternreef.toml"))
    assert "took longer" not in verdict.wrong, verdict.wrong


def profile(data: bytes) -> None:
    """A profile of these bytes is read, and written again as it was, or is refused; a world takes what it
    can."""
    with contextlib.suppress(CleaverError):
        found = decode(data)
        assert decode(encode(found)) == found
        session = Session(REEF)
        session.world.load(session.world.join("diver", "ana"), found)


def baseline(data: bytes) -> None:
    """A baseline of these bytes is compared with, or is a `BaselineError`."""
    file = FOLDER / "b.baseline.jsonl"
    file.write_bytes(data)
    session, records = Session(REEF), [{"line": 1, "step": "join diver ana", "now": 0.0}]
    play(session, ["join diver ana"])
    with contextlib.suppress(CleaverError):
        compare(file, REEF, [*records, *({"event": event.plain()} for event in session.world.events)])


def snapshot(data: bytes) -> None:
    """A snapshot of these bytes is a world that goes on, or is refused."""
    try:
        tree = json.loads(data)
    except (ValueError, RecursionError):
        return
    with contextlib.suppress(CleaverError):
        world = World.restore(REEF, tree)
        world.advance(0.5)
        for actor in world.actors:
            actor.hurt(1)
        for player in world.players:
            world.profile(player)


def texts(data: bytes) -> None:
    """A text of a design is shown with what happened, or the design is refused."""
    base = {"actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}}}
    with contextlib.suppress(CleaverError):
        made = Design.from_dict({**base, "texts": {"damaged": data.decode("utf-8", "replace")}})
        world = World(made)
        world.join("diver", "ana").hurt(3)
        assert len(notice(world.events[-1], made.tables.texts)) < 200 + 20 * len(data)


TARGETS = {
    "design": design,
    "script": script,
    "profile": profile,
    "baseline": baseline,
    "snapshot": snapshot,
    "texts": texts,
}
