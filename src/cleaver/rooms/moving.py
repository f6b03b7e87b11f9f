"""Moving: a room as bytes, to go on in another process. Start at `frozen` and `thawed`."""

from __future__ import annotations

import json
from typing import Any, NamedTuple

from cleaver.core.snapshots import design_of
from cleaver.core.world import World
from cleaver.design.design import Design
from cleaver.errors import UsageError

FORM = 1


class Moved(NamedTuple):
    """A room between two processes: its name, its world, the aliases by id, what each viewer is owed (the
    number of the last event it was sent, of the last one that it may know, and those that are kept), who
    stands there after a crash and has not come back (with the revision of its last save), and the holder of
    the players' profiles, "" for none."""

    name: str
    world: World
    aliases: dict[str, str]
    viewers: dict[str, tuple[int, int, list[str]]]
    absent: dict[str, int]
    holder: str


def frozen(moved: Moved) -> bytes:
    """Return a room as bytes."""
    told = {"form": FORM, **moved._asdict(), "world": moved.world.snapshot()}
    return json.dumps(told, separators=(",", ":"), ensure_ascii=False).encode()


def thawed(state: bytes, design: Design) -> Moved:
    """Return what `frozen` wrote, under a design.

    Raises:
        UsageError: It is no such state.
        SnapshotError: Its world is damaged.
        InUseError: Something that is in use is not in another design.
    """
    try:
        told: Any = json.loads(state)
        if told["form"] != FORM:
            raise UsageError(
                f"this state has form {told['form']!r}, and this version reads {FORM}; use one version"
            )
        snapshot, viewers = told["world"], told["viewers"]
        owed = {
            str(one): (int(sent), int(last), list(events)) for one, (sent, last, events) in viewers.items()
        }
        parts = str(told["name"]), dict(told["aliases"]), dict(told["absent"]), str(told["holder"])
    except (ValueError, TypeError, KeyError, AttributeError):
        raise UsageError("this is no state of a room; thaw what Room.freeze gave") from None
    same = design_of(snapshot).fingerprint == design.fingerprint
    world = World.restore(design, snapshot, adopt=not same)
    name, aliases, absent, holder = parts
    return Moved(name, world, aliases, owed, absent, holder)
