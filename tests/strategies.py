"""Random designs and random streams of commands, for the laws that hold for all of them."""

from __future__ import annotations

from typing import Any

from hypothesis import strategies as st

from cleaver import CleaverError, Design, World

Command = tuple[Any, ...]

TENTHS = st.integers(0, 400).map(lambda tenths: tenths / 10)
FLOWS = st.fixed_dictionaries({"rate": st.sampled_from([-7, -1.3, -0.1, 0.1, 2, 5.5])}, optional={
    "until": st.sampled_from([0.0, 0.25, 0.5, 1.0]), "while": st.just("wet"), "after_hurt": st.sampled_from([0.3, 1.0]), "every": st.sampled_from([0.1, 0.7])})
METERS = st.fixed_dictionaries({"max": st.sampled_from([10, 33, 60])}, optional={
    "flows": st.lists(FLOWS, max_size=2), "marks": st.just({"low": 0.25, "half": 0.5}), "whole": st.just(True), "overfill": st.sampled_from([0, 5])})
GUARDS = st.fixed_dictionaries({}, optional={
    "armour": st.sampled_from([0, 1, 2.5]), "grace": st.sampled_from([0.0, 0.4]), "through": st.just({"venom": 0.5}), "zones": st.just({"visor": 3, "shell": 0.5}),
    "scale": st.sampled_from(["2 / (1 + nearby)", "1 - self.planks.fraction / 2"]), "least": st.just(0.5), "most": st.just(9), "immune_while": st.just(["hidden"])})
STATUSES = st.fixed_dictionaries({"lasts": st.sampled_from([0.5, 1.0, 2.2]), "stack": st.sampled_from(["refresh", "extend", "add", "keep"])}, optional={
    "most": st.sampled_from([1, 2]), "tags": st.sampled_from([["wet"], ["hidden"]]), "deals": st.sampled_from([0.5, 2]), "through": st.just({"venom": 1.5}),
    "flows": st.lists(FLOWS.map(lambda flow: {**flow, "meter": "planks"}), max_size=1),
    "pulses": st.lists(st.fixed_dictionaries({"every": st.sampled_from([0.2, 0.5]), "do": st.sampled_from(
        [[{"hurt": 2, "kind": "venom"}], [{"heal": 1}], [{"earn": "scrip", "amount": 1}], [{"drain": 1, "meter": "planks"}]])}), max_size=2)})
RULES = st.lists(st.sampled_from([
    {"on": "damaged", "do": [{"score": "event.amount"}]}, {"on": "struck", "do": [{"heal": 1}]}, {"on": "defeated", "do": [{"earn": "scrip", "amount": 3}]},
    {"on": "crossed", "mark": "low", "do": [{"status": "ill"}]}, {"on": "tagged", "tag": "wet", "do": [{"drain": 1, "meter": "planks"}]},
    {"on": "collected", "do": [{"announce": "seen", "much": "self.score"}]}, {"on": "filled", "do": [{"untag": "wet"}]},
    {"on": "damaged", "where": "amount > 2 and source.alive", "do": [{"hurt": 1, "to": "source"}]}]), max_size=4, unique_by=str)


@st.composite
def designs(draw: st.DrawFn) -> Design:
    """A design of two players' crates, a wasp, one status, two pickups."""
    crate: dict[str, Any] = {"player": True, "vital": "planks", "meters": {"planks": draw(METERS)}, "guard": {"zones": {"visor": 3, "shell": 0.5}, **draw(GUARDS)},
                             "attacks": {"ram": {"amount": draw(st.sampled_from([3, "2 + nearby"])), "crit": {"chance": 0.5, "times": 2},
                                                 "do": [{"status": "ill"}]}}}
    if draw(st.booleans()):
        crate["meters"]["tar"] = {"max": 6, "start": 3, "shields": "planks"}
    if draw(st.booleans()):
        crate["respawn"] = {"after": draw(st.sampled_from([0.1, 1.0])), "fraction": draw(st.sampled_from([0.5, 1.0])), "grace": 0.2}
    if draw(st.booleans()):
        crate["lives"] = {"start": 2}
    wasp = {"vital": "wings", "meters": {"wings": {"max": 8, "marks": {"low": 0.25}}}, "attacks": {"sting": {"amount": 4, "kind": "venom", "cooldown": draw(st.sampled_from([0.0, 0.3]))}},
            "pulses": {"hum": {"every": 0.4, "do": [{"earn": "scrip", "amount": 1, "to": "owner"}]}}}
    return Design.from_dict({
        "game": {"tags": ["wet", "hidden"]}, "inputs": {"nearby": 1}, "currencies": {"scrip": {"start": 2, "most": 40}}, "items": {"nail": {"most": 3}},
        "events": {"seen": {"fields": {"much": "number"}}}, "actors": {"crate": crate, "wasp": wasp}, "statuses": {"ill": draw(STATUSES)},
        "teams": {"north": {}, "south": {"friendly_fire": 0.5}},
        "levels": {"rank": {"experience": "5 * level", "most": 5, "do": [{"raise_max": "planks", "amount": 2}]}},
        "records": {"hurts": {"on": "damaged", "sum": "amount"}, "run": {"on": "struck", "within": 0.7}, "worst": {"on": "damaged", "best": "amount"}},
        "ratings": {"dive": {"measure": "self.score + self.record.run", "steps": [1, 5]}},
        "matches": {"race": {"teams": ["north", "south"], "time_limit": 2.0, "win_at": 4, "rounds": draw(st.sampled_from([1, 3])),
                             "rules": [{"on": "struck", "do": [{"score": 1}, {"xp": "rank", "amount": 2}]}]}},
        "pickups": {"glue": {"do": [{"heal": 4}], "respawn_after": 0.5}, "nail": {"do": [{"give": "nail"}, {"score": 2}]}}, "rules": draw(RULES), "exchanges": {
            "shop": {"costs": {"scrip": "1 + bought"}, "gives": {"nail": 1}, "stock": 2, "restock_after": 0.5, "needs": ["self.planks > 0"]},
            "sale": {"costs": {"nail": 1}, "gives": {"scrip": draw(st.sampled_from([2, 15]))}, "all": True}}})


ACTORS = st.sampled_from(["one", "two", "wasp1"])
COMMANDS = st.one_of(
    st.tuples(st.just("advance"), st.integers(0, 900_000)),
    st.tuples(st.just("hit"), ACTORS, ACTORS, st.sampled_from(["ram", "sting"]), st.sampled_from(["", "visor", "shell"])),
    st.tuples(st.just("hurt"), ACTORS, TENTHS), st.tuples(st.just("heal"), ACTORS, TENTHS), st.tuples(st.just("drain"), ACTORS, TENTHS),
    st.tuples(st.just("tag"), ACTORS, st.sampled_from(["wet", "hidden"]), st.booleans()), st.tuples(st.just("status"), ACTORS), st.tuples(st.just("cure"), ACTORS),
    st.tuples(st.just("revive"), ACTORS), st.tuples(st.just("take"), ACTORS, st.sampled_from(["glue1", "nail1"])),
    st.tuples(st.just("earn"), ACTORS, st.integers(0, 30)), st.tuples(st.just("spend"), ACTORS, st.integers(0, 30)),
    st.tuples(st.just("exchange"), ACTORS, st.sampled_from(["shop", "sale"]), st.sampled_from([None, 1, 2])),
    st.tuples(st.just("match"), st.sampled_from(["start", "end", "pause", "resume"])), st.tuples(st.just("rate"), ACTORS),
    st.tuples(st.just("gain_xp"), ACTORS, st.integers(0, 20)),
    st.tuples(st.just("set_max"), ACTORS, st.integers(1, 80), st.sampled_from(["value", "fraction", "missing"])),
    st.tuples(st.just("bad"), ACTORS, st.sampled_from([-1.0, float("nan")])))
STREAMS = st.lists(COMMANDS, max_size=25)


def begin(design: Design, seed: int = 3) -> World:
    """Return a world with the actors the streams are about."""
    world = World(design, seed=seed)
    one = world.join("crate", "one", team="north")
    world.join("crate", "two", team="south")
    world.spawn("wasp", "wasp1", owner=one)
    world.place("glue", "glue1")
    world.place("nail", "nail1")
    return world


def carry_out(world: World, command: Command) -> Any:
    """Carry out one command; returns its result, or the error it raised."""
    verb, *rest = command
    try:
        if verb == "advance":
            return world.advance_us(rest[0])
        if verb == "match":
            return getattr(world.match("race"), rest[0])()
        actor = world.actor(rest[0])
        if verb in ("rate", "gain_xp"):
            return actor.rate("dive") if verb == "rate" else actor.gain_xp("rank", rest[1])
        if verb == "hit":
            return actor.hit(world.actor(rest[1]), rest[2], zone=rest[3])
        if verb == "take":
            return actor.take(world.placement(rest[1]))
        if verb == "tag":
            return actor.set_tag(rest[1], rest[2])
        if verb in ("status", "cure"):
            return actor.begin_status("ill") if verb == "status" else actor.cure("ill")
        if verb in ("earn", "spend"):
            return getattr(actor, verb)("scrip", rest[1])
        if verb == "set_max":
            return actor["planks"].set_max(rest[1], rest[2])
        if verb == "bad":
            return actor.hurt(rest[1])
        return getattr(actor, verb)(*rest[1:])
    except CleaverError as error:
        return error
