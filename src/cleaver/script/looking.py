"""Looking: a world or one actor in it, as lines of text. Start at `describe`."""

from __future__ import annotations

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.wording import sentence
from cleaver.core.world import World
from cleaver.hud.drawn import clock_text
from cleaver.hud.terminal import bar_line
from cleaver.hud.turns import turn_order
from cleaver.hud.vitals.bar import Bar
from cleaver.hud.vitals.rings import StatusRing
from cleaver.rounding import shown


def describe(world: World, name: str = "") -> str:
    """Return everyone in *world*, a line each, or all about one actor."""
    if name:
        return "\n".join(about(world.actor(name)))
    lines = [
        f"{shown(world.now)} s, {len(world.actors)} actors, {sum(p.present for p in world.placements)} of "
        f"{len(world.placements)} pickups lying there"
    ]
    clocks = [turns_text(world)] if world.turn_round or world.turn else []
    clocks += [f"day {world.day}"] if world.day is not None else []
    lines += [f"    {text}" for text in clocks]
    lines += [f"    {summary(actor)}" for actor in world.actors]
    lines += [
        f"    {placement.id}: {placement.pickup}{'' if placement.present else ', taken'}"
        for placement in world.placements
    ]
    return "\n".join(lines)


def turns_text(world: World) -> str:
    """Return whose turn it is and who comes after, in a line: "round 2: ana's turn, then rat1, bo"."""
    order = turn_order(world)
    on = ", ".join(f"{row.actor}'s turn" for row in order if row.on) or "nobody's turn"
    then = ", ".join(row.actor for row in order if not row.on)
    return f"round {world.turn_round}: {on}{', then ' if then else ''}{then}"


def status_text(actor: Actor, status: str) -> str:
    """Return a status with what is left of it where that counts turns, rounds or days: "stun (1 turn)"."""
    ring = StatusRing(actor, status)
    left = "" if ring.unit == "seconds" else f" ({clock_text(ring.left, ring.unit)})"
    return f"{status}{left}"


def latest_events(world: World, count: int) -> list[str]:
    """Return the latest events a world kept, oldest first, a line each."""
    return (
        [f"#{event.seq} at {shown(event.time)} s  {sentence(event)}" for event in world.events[-count:]]
        if count
        else []
    )


def summary(actor: Actor) -> str:
    """Return an actor in one line."""
    meters = ", ".join(f"{name} {Bar(actor, name).numbers}" for name in actor.meters)
    about = [actor.kind, *([actor.team] if actor.team else []), *([] if actor.alive else ["dead"])]
    return f"{actor.id} ({', '.join(about)}) {meters}"


def about(actor: Actor) -> list[str]:
    """Return all about an actor, a line a thing."""
    lines = [summary(actor)]
    width = max((len(name) for name in actor.meters), default=0)
    lines += [
        f"    {name:<{width}} {bar_line(Bar(actor, name)).removeprefix(name + ' ')}" for name in actor.meters
    ]
    return lines + progress(actor)


def progress(actor: Actor) -> list[str]:
    """Return what an actor has and has done: lives, stats, gear, tags, statuses, goods, score, levels, stars,
    quests, achievements."""
    lines = []
    if actor.lives:
        lines.append(f"    lives {actor.lives}")
    lines += [f"    {name} {stat.explain()}" for name, stat in actor.stats.items()]
    worn = [f"{slot} {', '.join(items) or 'empty'}" for slot, items in actor.worn.items()]
    if worn:
        lines.append(f"    worn {'; '.join(worn)}")
    if actor.tags:
        lines.append(f"    tags {', '.join(actor.tags)}")
    if actor.statuses:
        lines.append(f"    statuses {', '.join(status_text(actor, name) for name in actor.statuses)}")
    money = [f"{name} {actor.purse[name]}" for name in actor.purse if actor.player or actor.purse[name]]
    if money:
        lines.append(f"    purse {', '.join(money)}")
    held = [f"{actor.bag[name]} {name}" for name in actor.bag if actor.bag[name]]
    if held or actor.bag.most is not None:
        room = "" if actor.bag.most is None else f" ({actor.bag.used} of {actor.bag.most})"
        lines.append(f"    bag {', '.join(held) or 'empty'}{room}")
    if actor.score:
        lines.append(f"    score {actor.score}")
    lines += [
        f"    {levels} {actor.levels[levels]} ({actor.levels[levels].xp} experience)"
        for levels in read.parts(actor).kinds.contests.levels
        if actor.player
    ]
    if actor.ratings.total:
        lines.append(f"    stars {actor.ratings.total}")
    for name in actor.quests if actor.player else ():
        quest = actor.quests[name]
        lines.append(f"    {quest.title}: {quest.state}")
        if quest.state in ("active", "ready"):
            lines += [
                f"        {goal.line}{' (optional)' if goal.optional else ''}"
                for goal in quest.goals
                if goal.shown
            ]
    achieved = [
        name
        for name in read.parts(actor).kinds.quests.achievements
        if actor.player and actor.achievements[name].ranks
    ]
    if achieved:
        lines.append(f"    achieved {', '.join(achieved)}")
    return lines
