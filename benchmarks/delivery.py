"""Delivery: one event among many listeners, the queue with its causes, and what a snapshot costs."""

from __future__ import annotations

from typing import Any

from common import finish, ratio

from cleaver import Design, Event, World
from cleaver.core import read
from cleaver.core.kernel.stage import Stage

EVENTS = 20_000
TABLES = {
    "events": {"rang": {"fields": {"much": "number"}}},
    "actors": {"crate": {"vital": "planks", "meters": {"planks": 1e9}}},
}


def listened(count: int) -> Any:
    """Return a crate with *count* listeners registered in its world, one of them interested in it."""
    world = World(Design.from_dict(TABLES))
    crates = [world.spawn("crate") for _ in range(10)]
    for number in range(count - 1):
        world.listen("damaged", lambda event: None, actor=f"crate#{number + 100}")
    world.listen("damaged", lambda event: None, actor=crates[0])
    return crates[0]


def listened_to(count: int) -> World:
    """Return a world in which one event has *count* listeners."""
    world = World(Design.from_dict(TABLES))
    for _ in range(count):
        world.listen("damaged", lambda event: None)
    return world


def straight_on(stage: Stage) -> None:
    """Let *stage* deliver each event by calling straight on, depth first: the same events and listeners,
    without the queue and without causes."""

    def emit(name: str, actor: str, source: str, values: tuple[Any, ...], cause: int = -1) -> int:
        stage.seq += 1
        event = Event(stage.kinds.events[name], stage.seq, stage.clock.now, 0, actor, source, values)
        body, other = stage.actors.get(actor), stage.party(source)
        kind = body.kind_name if body is not None else stage.kind_of(actor)
        source_kind = other.kind_name if other is not None else stage.kind_of(source)
        errors = stage.give_out(event, kind, source_kind, None)
        if errors:
            raise errors[0]
        return stage.seq

    stage.emit = emit  # type: ignore[method-assign]


def chained() -> World:
    """Return a world in which each "first" leads to a "second" and that to a "third", by listeners on the
    stage."""
    fields = {"fields": {"much": "number"}}
    world = World(
        Design.from_dict(
            {"events": {"first": fields, "second": fields, "third": fields}, "actors": TABLES["actors"]}
        )
    )
    world.spawn("crate")
    stage = read.parts(world).stage
    world.listen_own("first", lambda event: stage.emit("second", "crate#1", "", (event.values[0],)))
    world.listen_own("second", lambda event: stage.emit("third", "crate#1", "", (event.values[0],)))
    world.listen_own("third", lambda event: None)
    return world


def by_hand(world: World) -> list[Any]:
    """Write down a world's actors as anyone would: lists of their fields."""
    return [
        [
            body.id,
            body.kind_name,
            body.team,
            body.owner,
            body.alive,
            body.lives,
            body.grace,
            body.hurt_at,
            {
                name: [
                    m.due,
                    m.number,
                    m.value,
                    m.max,
                    m.base,
                    m.since,
                    m.above,
                    dict(m.steps) if m.steps is not None else None,
                ]
                for name, m in body.meters.items()
            },
            dict(body.tags),
            dict(body.cooldowns),
            list(body.ailments),
            dict(body.pulses),
            None,
            body.x,
            body.y,
            body.z,
        ]
        for body in read.parts(world).stage.actors.values()
    ]


def main() -> None:
    few, many = listened(10), listened(100_000)

    def hurt(crate: Any) -> None:
        for _ in range(EVENTS):
            crate.hurt(1)

    ratio(
        "one event, 100,000 listeners registered / 10 registered",
        lambda: hurt(many),
        lambda: hurt(few),
        bar=1.2,
        each=EVENTS,
    )
    crowded, quiet = (listened_to(count) for count in (16_000, 16))

    def come_and_go(world: World) -> None:
        for _ in range(200):
            world.listen("damaged", lambda event: None).close()

    ratio(
        "listening to and leaving one event, the 16,000th / the 16th",
        lambda: come_and_go(crowded),
        lambda: come_and_go(quiet),
        bar=2,
        each=200,
    )
    stage, direct = read.parts(chained()).stage, read.parts(chained()).stage
    straight_on(direct)

    def queued() -> None:
        for number in range(EVENTS):
            stage.emit("first", "crate#1", "", (number,))
            stage.drain()

    def straight() -> None:
        for number in range(EVENTS):
            direct.emit("first", "crate#1", "", (number,))

    ratio(
        "a chain of three events through the queue with causes / direct calls",
        queued,
        straight,
        bar=1.25,
        each=EVENTS,
    )
    crowd = World(
        Design.from_dict(
            {
                "actors": {
                    "crate": {
                        "vital": "planks",
                        "meters": {"planks": {"max": 60, "flows": [{"rate": 1}]}, "tar": 5},
                    }
                }
            }
        )
    )
    for _ in range(10_000):
        crowd.spawn("crate").hurt(7)
    ratio(
        "a snapshot of 10,000 actors / hand-written lists of their fields",
        crowd.snapshot,
        lambda: by_hand(crowd),
        bar=1.2,
    )
    finish()


if __name__ == "__main__":
    main()
