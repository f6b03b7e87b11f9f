"""Snapshots: a world as plain data, and a world that goes on from it.

What is kept is the state of the stage, of every actor and of every part; all else is found again from it.
Start at `written` and `restored`.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache, partial

from cleaver.core.kernel.arguments import whole
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.clock import Clock, Timer
from cleaver.core.kernel.dice import Dice
from cleaver.core.kernel.spans import FAR, FARTHEST_DAY
from cleaver.core.kernel.state import Record, slots_of
from cleaver.core.profile import look_at
from cleaver.errors import CleaverError, DesignError, SnapshotError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.crossing import Crossing
    from cleaver.core.parts import Parts
    from cleaver.design.design import Design

FORMAT = 2
"""Of snapshots; since 2 the design is in them."""


def written(parts: Parts) -> dict[str, Any]:
    """Return everything that changes while a world runs, as JSON-ready data."""
    design = parts.design
    return {
        "format": FORMAT,
        "design": design.fingerprint,
        "written": design.text,
        "layout": layout(),
        **state(parts),
    }


def state(parts: Parts) -> dict[str, Any]:
    """Return what of a snapshot is the state of its world."""
    stage = parts.stage
    return {
        "clock": stage.clock.pack(),
        "dice": stage.dice.pack(),
        "seq": stage.seq,
        "came": stage.came,
        "counts": dict(stage.counts),
        "actors": [body.pack() for body in stage.actors.values()],
        "parts": {name: part.table.pack() for name, part in parts.with_state()},
    }


def twin(parts: Parts) -> Parts:
    """Return a copy of a world as it is now, to try something in; nobody listens to it."""
    made = type(parts)(parts.design, 0, 0)
    take_up(made, state(parts))
    made.stage.given = parts.stage.given
    made.stage.twin = partial(twin, made)
    return made


def _looked_at(snapshot: Mapping[str, Any]) -> None:
    if not isinstance(snapshot, Mapping) or snapshot.get("format") != FORMAT:
        raise SnapshotError(f"this is no snapshot of format {FORMAT}; world.snapshot() makes one")


def check_snapshot(design: Design, snapshot: Mapping[str, Any]) -> None:
    """Raise where a snapshot is not one of this version and of this design."""
    _looked_at(snapshot)
    if snapshot.get("design") != design.fingerprint:
        raise SnapshotError(
            "the snapshot was taken under another design; restore it with the one it was taken under, or go "
            "on under this one: World.restore(design, snapshot, adopt=True)"
        )
    if snapshot.get("layout") != layout():
        raise SnapshotError("the snapshot was taken by a version of Cleaver that keeps other state")


def design_of(snapshot: Mapping[str, Any]) -> Design:
    """Return the design that a snapshot was taken under."""
    from cleaver.design.design import build
    from cleaver.design.reading import read_text

    _looked_at(snapshot)
    try:
        return build(read_text(snapshot["written"], "the design in the snapshot", json_file=True))
    except (KeyError, TypeError, DesignError) as error:
        raise SnapshotError(f"the design in the snapshot is damaged: {error}") from error


def restored(parts: Parts, snapshot: Mapping[str, Any]) -> None:
    """Let a new world be what a snapshot says; raises `SnapshotError` where it says what no world writes."""
    try:
        take_up(parts, snapshot)
    except SnapshotError:
        raise
    except (KeyError, TypeError, AttributeError, ValueError, IndexError, CleaverError) as error:
        what = str(error) if isinstance(error, CleaverError) else repr(error)
        raise SnapshotError(f"the snapshot is damaged: {what}") from error
    # Whatever is too much, too little or out of place shows here: what was taken up is written as it was.
    if written(parts) | {"written": snapshot.get("written")} != snapshot:  # the order of names may be another
        raise SnapshotError("the snapshot is damaged: it holds more, or other things, than a world writes")


def take_up(parts: Parts, snapshot: Mapping[str, Any], crossing: Crossing | None = None) -> None:
    """Become what a snapshot says; raises anything where it says what no world writes.

    With a *crossing*, it was taken under another design, and is made to fit before it is put together.
    """
    stage = parts.stage
    found: list[Record] = []
    stage.clock = Clock.unpack(snapshot["clock"], found)
    stage.dice = Dice.unpack(snapshot["dice"], found)
    stage.seq, stage.came = whole("seq", snapshot["seq"]), whole("came", snapshot["came"])
    stage.counts = {kind: whole("counts", count) for kind, count in snapshot["counts"].items()}
    for data in snapshot["actors"]:
        body = Body.unpack(data, found)
        stage.actors[body.id] = body
    for name, part in parts.with_state():
        part.table = type(part.table).unpack(snapshot["parts"][name], found)
    if crossing is not None:
        found = crossing.stand_in(parts, found)
        for part in parts.all_parts:
            part.fit(crossing)
    for body in stage.actors.values():
        link(parts, body)
    for part in parts.all_parts:
        part.relink()
    for body in stage.actors.values():
        parts.stats.anew(body)
        for meter in body.meters.values():
            meter.course = parts.vitals.flows.course(meter)
    clock = stage.clock
    if not (
        0 <= clock.now < FAR
        and clock.made >= 0
        and clock.rounds >= 0
        and abs(clock.day or 0) <= FARTHEST_DAY
        and -1 <= clock.remainder <= 1
    ):
        raise SnapshotError("the clock in the snapshot stands where none can")
    late = [timer for timer in found if isinstance(timer, Timer) and 0 <= timer.due < clock.now]
    if late:
        raise SnapshotError(
            f"a {late[0].verb} in the snapshot was due before the instant that it was taken at"
        )
    for body in stage.actors.values():
        stage.belong(body)
        stage.lasting = stage.lasting or bool(body.inputs)
        if crossing is None:  # else meters have not come across yet
            parts.vitals.look_at(body)
        for key in body.cooldowns:
            target = stage.actors.get(key.partition("/")[2])
            if target is not None:
                target.hunters.add(body.id)
    stage.clock.renew([timer for timer in found if isinstance(timer, Timer)])
    for body in stage.players.values() if crossing is None else ():  # what refers to something finds it
        look_at(parts.profiles.write(body))


def link(parts: Parts, body: Body) -> None:
    """Put the caches of an unpacked body back."""
    stage = parts.stage
    body.kind = stage.kinds.actors[body.kind_name]
    if body.kind.player:
        stage.players[body.id] = body
    for ailment in body.ailments:
        ailment.kind, ailment.owner = stage.kinds.statuses[ailment.name], body
        for beat, pulse in zip(ailment.beats, ailment.kind.pulses, strict=True):
            beat.kind, beat.owner, beat.status = pulse, body, ailment
    for name, beat in body.pulses.items():
        beat.kind, beat.owner, beat.status = body.kind.pulses[name], body, None
    for timer in (body.comeback, body.corpse):
        if timer is not None:
            timer.owner = body
    parts.statuses.gather(body)
    for name, meter in body.meters.items():
        meter.kind, meter.owner, meter.course = body.kind.meters[name], body, ()


@cache
def layout() -> str:
    """Return a short text that changes whenever the kept state has another shape."""
    import hashlib  # only where worlds are written down

    import cleaver.core.parts  # all that has state is there with it

    assert cleaver.core.parts
    classes = []
    waiting: list[type[Record]] = [Record]
    while waiting:
        cls = waiting.pop()
        if cls.__module__.startswith("cleaver."):
            classes.append(f"{cls.__name__}:{','.join(slots_of(cls))}")
        waiting.extend(cls.__subclasses__())
    return hashlib.sha256(";".join(sorted(classes)).encode()).hexdigest()[:12]
