"""Random designs that use every part, and random streams of commands over all of it, for the laws that hold
for all of them.

A `Play` is a world with what a host would hold beside it: the profiles of those who left. Start at `DESIGNS`
and `Play.do`.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from hypothesis import note, settings
from hypothesis import strategies as st

from cleaver import CleaverError, Design, Profile, World
from cleaver.core import read
from cleaver.core.kernel.stage import SHORT_CUTS
from cleaver.design.models.saves import ASKED, SECTIONS

Command = tuple[Any, ...]

law = settings(max_examples=int(os.environ.get("CLEAVER_SESSIONS") or (200 if os.environ.get("CI") else 60)))
"""How many sessions each law is tried on."""


@contextmanager
def general_way() -> Iterator[None]:
    """Let worlds made meanwhile take no short cut: no quick hit, no plain meters, no cached listeners, no
    unheard events."""
    SHORT_CUTS[0] = False
    try:
        yield
    finally:
        SHORT_CUTS[0] = True


def pick(*options: Any) -> st.SearchStrategy[Any]:
    return st.sampled_from(options)


def some(options: list[Any], most: int) -> st.SearchStrategy[list[Any]]:
    return st.lists(st.sampled_from(options), max_size=most, unique_by=str)


TENTHS = st.integers(0, 400).map(lambda tenths: tenths / 10)
FLOWS = st.fixed_dictionaries(
    {"rate": pick(-7, -1.3, -0.1, 0.1, 2, 5.5)},
    optional={
        "until": pick(0.0, 0.25, 0.5, 1.0),
        "while": st.just("wet"),
        "unless": st.just("hidden"),
        "after_hurt": pick(0.3, 1.0),
        "every": pick(0.1, 0.7),
    },
)
_METERS = st.fixed_dictionaries(
    {"max": pick(10, 33, 60)},
    optional={
        "flows": st.lists(FLOWS, max_size=3),
        "marks": st.just({"low": 0.25, "half": 0.5}),
        "whole": st.just(True),
        "round": pick("half_up", "down", "up"),
        "overfill": pick(0, 5),
        "saved": st.just(True),
        "cells": st.just(7),
    },
)
PLAIN_METERS = st.fixed_dictionaries(
    {"max": pick(10, 60)},
    optional={"flows": st.lists(FLOWS, max_size=1), "marks": st.just({"low": 0.25, "half": 0.5})},
)
METERS = st.one_of(_METERS, PLAIN_METERS)
PLAIN_GUARDS = st.fixed_dictionaries(
    {},
    optional={  # those a quick hit can do
        "armour": pick(1, 2.5),
        "grace": pick(0.2, 0.4),
        "through": pick({"venom": 0.5}, {"venom": 0}),
        "immune_while": st.just(["hidden"]),
    },
)
_GUARDS = st.fixed_dictionaries(
    {},
    optional={
        "armour": pick(0, 1, 2.5),
        "grace": pick(0.0, 0.4),
        "through": pick({"venom": 0.5}, {"venom": 0}),
        "zones": st.just({"visor": 3, "shell": 0.5}),
        "scale": pick("2 / (1 + nearby)", "1 - self.planks.fraction / 2"),
        "least": st.just(0.5),
        "most": st.just(9),
        "immune_while": st.just(["hidden"]),
    },
)
GUARDS = st.one_of(_GUARDS, PLAIN_GUARDS)
BEATS = pick(
    [{"hurt": 2, "type": "venom"}],
    [{"heal": 1}],
    [{"earn": "scrip", "amount": 1}],
    [{"drain": 1, "meter": "planks"}],
    [{"give": "nail"}],
    [{"tag": "wet"}, {"hurt": 1}],
)
_STATUSES = st.fixed_dictionaries(
    {"stack": pick("refresh", "extend", "add", "keep")},
    optional={
        "lasts": pick(0.5, 1.0, 2.2, "0.4 + nearby / 2"),
        "most": pick(1, 2),
        "tags": pick(["wet"], ["hidden"]),
        "deals": pick(0.5, 2),
        "through": st.just({"venom": 1.5}),
        "scale": pick(0.5, 3),
        "flows": st.lists(FLOWS.map(lambda flow: {**flow, "meter": "planks"}), max_size=1),
        "pulses": st.lists(
            st.fixed_dictionaries(
                {"every": pick(0.2, 0.5, "0.2 + nearby / 10"), "at_once": st.booleans(), "do": BEATS}
            ),
            max_size=2,
        ),
    },
)
STATUSES = _STATUSES.map(
    lambda status: status if "lasts" in status or status["stack"] != "extend" else {**status, "lasts": 1.0}
)
RULES = [
    {"on": "damaged", "do": [{"score": "event.amount"}]},
    {"on": "struck", "do": [{"heal": 1}]},
    {"on": "defeated", "do": [{"earn": "scrip", "amount": 3}]},
    {"on": "crossed", "mark": "low", "do": [{"status": "ill"}]},
    {"on": "tagged", "tag": "wet", "do": [{"drain": 1, "meter": "planks"}]},
    {"on": "collected", "do": [{"announce": "seen", "much": "self.score"}]},
    {"on": "filled", "do": [{"untag": "wet"}]},
    {"on": "damaged", "where": "amount > 2 and source.alive", "do": [{"hurt": 1, "to": "source"}]},
    {"on": "collected", "do": [{"spend": "scrip", "amount": 3}, {"give": "big"}, {"lives": 1}]},
    {"on": "levelled", "do": [{"give": "nail", "amount": 2}, {"raise_bag": 1}]},
    {"on": "quest_completed", "do": [{"xp": "rank", "amount": 3}]},
    {"on": "died", "own_side": True, "do": [{"remove": "nail"}, {"announce": "seen", "much": 1}]},
    {"on": "defeated", "own_side": True, "do": [{"score": 1, "to": "team"}]},
    {"on": "scored", "where": "event.score % 5 == 0", "do": [{"grant": "hand"}]},
    {"on": "seen", "do": [{"start_quest": "steps"}, {"cure": "ill"}]},
    {"on": "status_ended", "do": [{"status": "charm"}]},
    {"on": "goal_met", "do": [{"raise_max": "planks", "amount": 1, "keep": "fraction"}]},
    {"on": "missed", "do": [{"score": 1}]},
    {"on": "damaged", "do": [{"score": 1, "chance": 0.5}, {"earn": "scrip", "amount": 1, "chance": "0.2"}]},
    {"on": "match_ended", "do": [{"score": 2, "to": "winners"}, {"deduct": 1, "to": "losers"}]},
    {"on": "spent", "do": [{"deduct": 3}, {"deduct": "event.amount", "to": "team"}]},
    {"on": "life_lost", "do": [{"fail_quest": "gather"}]},
    {"on": "earned", "where": "event.over > 0", "do": [{"score": "event.over"}]},
    {"on": "match_ended", "do": [{"earn": "scrip", "amount": 1, "to": "everyone"}]},
    {"on": "mended", "do": [{"xp": "rank", "amount": "event.amount"}]},
    {"on": "struck", "do": [{"choose": [{"weight": 2, "do": [{"score": 1}]}, {"do": [{"give": "nail"}]}]}]},
    {"on": "defeated", "do": [{"place": "glue", "amount": "nearby", "lasts": 0.6, "spread": 2}]},
    {"on": "gained", "do": [{"exchange": "sale"}, {"score": 1}]},
    {"on": "launched", "do": [{"score": 1, "to": "owner"}, {"exchange": "lift", "times": 1}]},
    {"on": "damaged", "do": [{"score": "3 if has_source and source.alive else 1"}]},
    {
        "on": "stage_entered",
        "do": [{"earn": "scrip", "amount": 1, "to": "everyone"}, {"place": "nail", "lasts": 1.5}],
    },
    {"on": "vanished", "do": [{"announce": "seen", "much": 2}]},
]
ON_DEATH = [
    [{"spend": "scrip", "amount": "self.scrip"}],
    [{"revive": 0.5}],
    [{"remove": "nail"}, {"give": "big"}],
    [{"announce": "seen", "much": "nearby"}],
    [{"hurt": 3, "to": "source"}],
    [{"score": 1, "to": "source"}, {"lives": 1}],
    [{"place": "nail", "amount": 2, "lasts": 0.5, "chance": 0.6}],
    [
        {
            "choose": [
                {"do": [{"place": "box", "spread": 1, "lasts": 2}]},
                {"do": [{"xp": "rank", "amount": 3, "to": "source"}]},
            ]
        }
    ],
]
RANKS = [{"a": 5, "b": 12}, {"a": 2}]


@st.composite
def tables(draw: st.DrawFn) -> dict[str, Any]:
    """A design of players' crates, wasps and a post, as data; every section of the design file is in it."""
    crate: dict[str, Any] = {
        "player": True,
        "vital": "planks",
        "meters": {"planks": draw(METERS)},
        "guard": {"zones": {"visor": 3, "shell": 0.5}, **draw(GUARDS)},
        "attacks": {
            "ram": {
                "amount": draw(pick(3, 0.7, "2 + nearby")),
                "crit": {"chance": 0.5, "times": 2},
                "do": draw(pick([], [{"status": "ill"}], [{"drain": "nearby", "to": "target"}])),
            },
            "dart": {
                "amount": "1 + nearby",
                "type": "venom",
                "pierces": draw(pick(0, 1)),
                "flight": draw(pick(0.4, 2.0)),
                "cooldown": draw(pick(0, 0.3, "nearby / 4")),
                "hits_owner": draw(st.booleans()),
                "crit": {"chance": 0.5, "times": 2},
                "do": draw(pick([], [{"status": "ill"}])),
            },
            "poke": {"amount": 2, "cooldown": draw(pick(0, 0.3)), "type": draw(pick("venom", "blunt"))},
        },
        "pulses": {"sip": {"every": draw(pick(0.5, "0.3 + self.rank / 10")), "do": draw(BEATS)}},
        "on_death": draw(pick([], *ON_DEATH)),
    }
    if draw(st.booleans()):
        crate["meters"]["tar"] = {
            "max": 6,
            "start": 3,
            "shields": "planks",
            **draw(pick({}, {"whole": True}, {"saved": True}, {"flows": [{"rate": 1, "after_hurt": 0.5}]})),
        }
    if draw(st.booleans()):
        crate["respawn"] = {
            "after": draw(pick(0.1, 1.0, "nearby / 2")),
            "fraction": draw(pick(0.5, 1.0)),
            "grace": 0.2,
        }
    if draw(st.booleans()):
        crate["lives"] = {"start": 2, "most": 4}
    if draw(st.booleans()):
        crate["bag"] = {"most": 4}
    wasp = {
        "vital": "wings",
        "tags": ["flying"],
        "meters": {"wings": {"max": 8, "marks": {"low": 0.25}, **draw(pick({}, {"whole": True}))}},
        "attacks": {
            "sting": {"amount": draw(pick(4, 30)), "type": "venom", "cooldown": draw(pick(0.0, 0.3))}
        },
        "pulses": {"hum": {"every": 0.4, "do": [{"earn": "scrip", "amount": 1, "to": "owner"}]}},
        "on_death": draw(pick([], [{"earn": "scrip", "amount": 2, "to": "source"}], *ON_DEATH[-2:])),
        **draw(pick({}, {"vanish_after": 0.3}, {"keep": True}, {"keep": True, "vanish_after": 0.0})),
    }
    timed = draw(pick({}, {"time_limit": 1.0}))
    once = draw(pick({}, {"repeat": 0}, {"repeat": 0.5}))
    slow = draw(pick({}, {"turn_in_lasts": 0.3}))
    auto = {"finish": draw(pick("auto", "turn_in"))}
    made = {
        "game": {
            "tags": ["wet", "hidden"],
            **draw(pick({}, {"negative_scores": True}, {"restart_keeps": ["currencies", "quests", "score"]})),
        },
        "inputs": {"nearby": 1},
        "currencies": {"scrip": {"start": 2, "most": 40}, "share": {"start": 1, "pooled": True}},
        "items": {"nail": {"most": 3}, "big": {"size": 3}},
        "events": {"seen": {"fields": {"much": "number"}}},
        "actors": {
            "crate": crate,
            "wasp": wasp,
            "post": {"vital": "paint", "meters": {"paint": 6}, "reach": 5},
        },
        "statuses": {"ill": draw(STATUSES), "charm": draw(STATUSES)},
        "teams": {"north": {}, "south": {"friendly_fire": draw(pick(0.5, True))}},
        "levels": {
            "rank": {
                "experience": draw(pick("5 * level", [3, 4, 9])),
                "most": 4,
                "do": draw(
                    pick(
                        [{"raise_max": "planks", "amount": 2}],
                        [{"raise_max": "planks", "amount": 3, "keep": "missing"}, {"give": "nail"}],
                        [{"raise_bag": 2}],
                    )
                ),
            }
        },
        "records": {
            "hurts": {"on": "damaged", "sum": "amount"},
            "run": {"on": "struck", "within": 0.7},
            "worst": {"on": "damaged", "best": "amount"},
            "faint": {"on": "damaged", "least": "amount"},
            "places": {"on": "collected", "distinct": "placement"},
            "streak": {"on": "struck", "reset_on": "damaged"},
            "team_hits": {"on": "struck", "who": "team", "own_side": True},
        },
        "ratings": {
            "dive": {"measure": "self.score + self.record.run", "steps": [1, 5]},
            "care": {
                "conditions": [
                    {"text": "whole", "when": "self.planks.fraction == 1"},
                    {"text": "rich", "when": "self.scrip > 5"},
                ]
            },
            "haste": {"measure": "now", "better": "lower", "steps": [9, 2]},
        },
        "matches": {
            "race": {
                "teams": ["north", "south"],
                "time_limit": 2.0,
                "win_at": 4,
                "rounds": draw(pick(1, 3)),
                "on_tie": draw(pick("draw", "extra_time")),
                "rules": [{"on": "struck", "do": [{"score": 1}, {"xp": "rank", "amount": 2}]}],
            },
            "hunt": {
                "win_at": "all",
                "rules": [{"on": "collected", "of": "glue", "do": [{"score": 1}]}],
                "rounds": draw(pick(1, 3)),
            },
            "tide": {
                "win_when": "self.planks.fraction < 0.6",
                "friendly_fire": True,
                "rules": [{"on": "healed", "do": [{"score": 2}]}],
            },
        },
        "pickups": {
            "glue": {
                "do": [{"heal": 4}],
                "respawn_after": 0.5,
                "waste": draw(st.booleans()),
                **draw(pick({}, {"once": True}, {"needs": ["self.score >= 2"]})),
            },
            "nail": {
                "do": [{"give": "nail", "amount": "much"}, {"score": 2}],
                "inputs": {"much": 2},
                "split": draw(st.booleans()),
                "reach": 8,
            },
            "box": {
                "do": [
                    {"choose": [{"weight": 2, "do": [{"give": "nail"}]}, {"do": [{"score": 2}]}, {"do": []}]},
                    {"exchange": "lift", "chance": draw(pick(0.5, 1.0))},
                ]
            },
            "pad": {
                "do": [{"status": "charm"}, {"earn": "share", "amount": 1}],
                "stays": True,
                "cooldown": draw(pick(0.3, "nearby / 5")),
                "for": ["crate"],
            },
        },
        "rules": draw(some(RULES, 5)),
        "exchanges": {
            "shop": {
                "costs": {"scrip": "1 + bought"},
                "gives": {"nail": 1},
                "stock": 2,
                "restock_after": 0.5,
                "needs": ["self.planks > 0"],
            },
            "sale": {"costs": {"nail": 1}, "gives": {"scrip": draw(pick(2, 15))}, "all": True},
            "pool": {"costs": {"share": 1}, "gives": {"big": 1}},
            "lift": {
                "costs": {"scrip": 2},
                "do": draw(
                    pick(
                        [{"heal": 3}, {"give": "nail"}],
                        [{"raise_max": "planks", "amount": 1}, {"exchange": "sale", "when": "self.nail > 0"}],
                        [
                            {
                                "choose": [
                                    {"do": [{"xp": "rank", "amount": 2}]},
                                    {"do": [{"place": "glue", "lasts": "1 + nearby"}]},
                                ]
                            }
                        ],
                    )
                ),
            },
        },
        "quests": {
            "sting_down": {
                "goals": [{"on": "defeated", "of": "wasp"}],
                "reward": [{"earn": "scrip", "amount": 5}, {"give": "nail", "amount": 2}],
                **once,
                **auto,
            },
            "gather": {
                "goals": [{"hold": "nail", "count": 2, "hand_over": True}],
                "reward": [{"give": "big", "amount": draw(pick(1, 2))}],
                "giver": "post",
                "says": {"available": ["one", "two"], "active": "go", "ready": ["well", "here"]},
                **timed,
                **slow,
            },
            "steps": {
                "order": "in_turn",
                "goals": [
                    {"on": "struck", "count": 2},
                    {
                        "on": "collected",
                        "of": "glue",
                        "count": draw(pick(1, "all")),
                        **draw(pick({}, {"optional": True, "reward": [{"score": 3}]})),
                    },
                    {"hold": "nail"},
                    {"on": "earned", "sum": "amount", "count": 4},
                ],
                "reward": [{"xp": "rank", "amount": 4}],
                "fails": [{"on": "died", "count": 2}],
                **auto,
            },
            "north_road": {
                "needs": ["self.quest.south_road != 'active'"],
                "goals": [
                    {"on": "struck", "count": 3, "within": 0.8},
                    {"on": "damaged", "best": "amount", "count": 5},
                ],
                "needs_goals": 1,
                **timed,
                **once,
            },
            "south_road": {
                "needs": ["self.quest.north_road != 'active'", "self.planks > 5"],
                "goals": [{"on": "collected", "distinct": "placement", "count": 2}],
                "reward": [{"give": "nail", "amount": 3}],
                "finish": "auto",
                **once,
            },
            "zero": {
                "goals": [
                    {
                        "on": "scored",
                        "sum": "amount",
                        "count": "self.score",
                        "who": draw(pick("self", "team", "anyone")),
                    }
                ],
                "reward": [{"lives": 1}],
                **slow,
            },
            "daily_a": {
                "goals": [{"on": "tagged", "tag": "wet", "count": 2, "reset_on": "untagged"}],
                **once,
                **timed,
            },
            "by_day": {
                "goals": [{"on": "struck"}],
                "reward": [{"earn": "scrip", "amount": 1}],
                "repeat": {"days": draw(pick(1, 2))},
                **auto,
            },
            "daily_b": {
                "goals": [{"on": "mended", "least": "amount", "count": 1}],
                "finish": "auto",
                "reward": [{"raise_bag": 1}],
            },
        },
        "quest_sets": {
            "daily": {
                "quests": ["daily_a", "daily_b"],
                "draw": 1,
                **draw(pick({}, {"every": 1.0}, {"days": 1})),
            }
        },
        "stages": {
            "den": {
                "pickups": {"glue": 2, "nail": [[1, 0], [2, 2]], "box": 1},
                "actors": {"wasp": 2},
                "rating": "dive",
            },
            "hall": {"pickups": {"glue": 1}, "actors": {"wasp": [[3, 0, 1]]}, "needs": ["self.stars >= 1"]},
        },
        "achievements": {
            "first": {"on": "struck", "reward": [{"give": "nail", "amount": 2}]},
            "sore": {
                "on": "damaged",
                "sum": "amount",
                "ranks": draw(pick(*RANKS)),
                "reward": [{"earn": "scrip", "amount": 2}],
            },
            "walker": {"on": "collected", "distinct": "placement", "count": 2, "reward": [{"give": "big"}]},
            "hand": {"reward": [{"score": 1}]},
            "streak": {"on": "struck", "count": 3, "reset_on": "damaged", "within": 1.0, "who": "anyone"},
            "traitor": {"on": "struck", "own_side": True, "count": 2},
        },
        "saves": {
            "include": draw(
                pick(
                    None, ["currencies", "items", "levels", "lives"], [*SECTIONS, *ASKED], [*SECTIONS, *ASKED]
                )
            )
            or list(SECTIONS)
        },
    }
    if draw(st.booleans()):
        grown(draw, made)
    if draw(st.booleans()):
        clocked(draw, made)
    note(f"design = {made!r}")
    return made


def grown(draw: st.DrawFn, made: dict[str, Any]) -> None:
    """Put stats, gear and an ability into a design."""
    crate = made["actors"]["crate"]
    crate["stats"] = {
        "might": {"base": draw(pick(3, "2 + self.rank", "1 + self.record.hurts")), "max": 9},
        "skill": 1,
    }
    crate["slots"] = {"hand": draw(pick(1, 2))}
    crate["attacks"]["ram"]["amount"] = draw(pick("self.might", "self.might + nearby"))
    crate["attacks"]["poke"] |= draw(
        pick({}, {"costs": {"scrip": 1}}, {"cooldown_per": "attack", "cooldown": 0.4})
    )
    crate["guard"] = {
        **crate["guard"],
        **draw(pick({}, {"armour": "self.skill"}, {"grace": "self.skill / 10"})),
    }
    crate["meters"]["planks"] |= draw(pick({}, {"max": "20 + 2 * self.might", "keep": "fraction"}))
    if not isinstance(crate["meters"]["planks"]["max"], str) or "start" in crate["meters"]["planks"]:
        crate["meters"]["planks"].pop("start", None)
    crate["abilities"] = {
        "mend": {
            "costs": draw(pick({"scrip": 1}, {"planks": 1}, {})),
            "cooldown": draw(pick(0, 0.3)),
            "targets": draw(pick("self", "ally", "any")),
            "do": [{"heal": "self.might", "to": "target"}, {"give": "nail", "chance": 0.5}],
        }
    }
    made["items"] |= {
        "hook": {"slot": "hand", "adds": {"might": 2, "planks.max": 3}, "most": 3},
        "coat": {"slot": "hand", "size": 2, "times": {"might": 1.5, "planks.rate": 2}, "adds": {"bag": 1}},
    }
    made["items"]["nail"] |= draw(pick({}, {"adds": {"skill": 1}}))
    made["item_sets"] = {"both": {"items": ["hook", "coat"], "pieces": {"2": {"adds": {"skill": 4}}}}}
    made["statuses"]["charm"] |= draw(
        pick({}, {"times": {"might": 2}}, {"adds": {"planks.rate": 1.5, "skill": 1}})
    )
    made["statuses"]["rage"] = {
        "active_when": draw(pick("self.planks.fraction <= 0.5", "self.planks < 5 and not self.rank > 2")),
        "for": ["crate"],
        "adds": {"skill": 1},
        **draw(pick({}, {"deals": 2}, {"pulses": [{"every": 0.3, "do": [{"heal": 1}]}]})),
    }
    made["levels"]["rank"]["adds"] = draw(pick({}, {"skill": 1}, {"planks.max": 2}))
    made["teams"]["north"] = draw(pick({}, {"adds": {"might": 1}}))
    made["stages"]["den"] |= draw(pick({}, {"times": {"might": 0.5}}))
    made["achievements"]["hand"] |= draw(pick({}, {"adds": {"skill": 2}}))
    made["exchanges"]["lift"]["do"] = draw(
        pick(made["exchanges"]["lift"]["do"], [{"raise_stat": "might", "amount": 1}], [{"give": "hook"}])
    )
    made["rules"] = [*made["rules"], *draw(some(GROWN_RULES, 2))]


TURNS = pick({"turns": 1}, {"turns": 2}, {"turns": 2}, {"rounds": 1}, {"days": 1})
ROUNDS = pick({"rounds": 1}, {"rounds": 2}, {"days": 1}, {"days": 2})
CLOCK_RULES = [
    {"on": "turn_began", "do": [{"heal": 1}]},
    {"on": "turn_ended", "do": [{"score": "self.turns"}, {"place": "nail", "lasts": {"rounds": 1}}]},
    {"on": "turn_round_began", "do": [{"hurt": 2, "to": "everyone"}]},
    {"on": "day_began", "do": [{"score": "1 + weekday", "to": "everyone"}]},
    {"on": "daily_visit", "do": [{"give": "nail"}, {"announce": "seen", "much": "day"}]},
    {"on": "damaged", "do": [{"status": "charm", "lasts": {"turns": 1}}]},
    {"on": "died", "own_side": True, "where": "turn.round > 1", "do": [{"revive": 0.5}]},
]


def clocked(draw: st.DrawFn, made: dict[str, Any]) -> None:
    """Let some of a design count turns, rounds and days."""
    actors, quests, game = made["actors"], made["quests"], made["game"]
    crate, wasp = actors["crate"], actors["wasp"]
    crate["turns"] = True
    wasp |= draw(pick({}, {"turns": True}))
    game |= draw(pick({}, {"turn_order": "self.planks"}, {"turn_order": "self.turns - self.score"}))
    game |= draw(pick({}, {"week_start": 3}))
    crate["attacks"]["poke"] |= {"cooldown": draw(TURNS), **draw(pick({}, {"cooldown_per": "attack"}))}
    crate["attacks"]["dart"] |= {"cooldown": draw(TURNS)}
    crate["guard"] |= draw(pick({}, {"grace": {"turns": 1}}, {"grace": {"rounds": 1}}))
    crate["pulses"]["sip"]["every"] = draw(TURNS)
    crate["meters"]["planks"] |= draw(pick({}, {"flows": [{"rate": 1.5, "after_hurt": {"turns": 1}}]}))
    crate |= draw(pick({}, {"respawn": {"after": {"rounds": 1}, "grace": {"turns": 1}}}))
    for name in ("ill", "charm"):
        made["statuses"][name] |= {
            "lasts": draw(TURNS),
            **draw(pick({}, {"pulses": [{"every": {"turns": 1}, "do": draw(BEATS), "at_once": True}]})),
        }
    made["pickups"]["glue"] |= draw(pick({}, {"respawn_after": {"days": 1}}))
    made["pickups"]["pad"] |= draw(pick({}, {"cooldown": {"rounds": 1}}))
    made["exchanges"]["shop"] |= draw(
        pick({}, {"restock_after": {"days": 1}}, {"restock_after": {"rounds": 1}})
    )
    made["exchanges"]["sale"] |= draw(pick({}, {"open": {"days": [1, 3]}}))
    for name in ("gather", "north_road", "daily_a"):
        quests[name] |= draw(pick({}, {"time_limit": {"days": 1}}, {"time_limit": {"rounds": 2}}))
    quests["by_day"] |= draw(pick({}, {"repeat": {"days": 7, "on": "week"}}, {"open": {"days": [2, 9]}}))
    made["quest_sets"]["daily"] = {
        **{key: value for key, value in made["quest_sets"]["daily"].items() if key in ("quests", "draw")},
        **draw(pick({"every": {"rounds": 1}}, {"every": {"days": 1}}, {"days": 7, "on": "week"})),
    }
    made["records"] |= {
        "run": {"on": "struck", "within": draw(ROUNDS)},
        "row": {"on": draw(pick("daily_visit", "struck")), "streak": {"days": 1}},
    }
    made["stages"]["hall"] |= draw(pick({}, {"open": {"days": [0, 2]}}))
    made["matches"]["race"] |= draw(pick({}, {"time_limit": {"rounds": 2}}))
    made["rules"] = [*made["rules"], *draw(some(CLOCK_RULES, 3))]


GROWN_RULES = [
    {"on": "stat_changed", "stat": "might", "do": [{"score": 1}]},
    {"on": "worn", "do": [{"status": "charm"}]},
    {"on": "used", "do": [{"xp": "rank", "amount": 1}]},
    {"on": "damaged", "do": [{"take_off": "all"}]},
    {"on": "collected", "do": [{"wear": "hook"}]},
]


DESIGNS = tables().map(Design.from_dict)


ACTORS = pick("one", "two", "wasp1")
PLAYERS = pick("one", "one", "two", "one", "two", "three")
ANY = pick("one", "two", "one", "two", "wasp1", "one", "two", "wasp1", "wasp2", "post1", "three")
PLACED = pick("glue1", "nail1", "pad1", "extra", "box1", "glue2")
QUESTS = pick(
    "sting_down", "gather", "steps", "north_road", "south_road", "zero", "daily_a", "daily_b", "by_day"
)
AMOUNTS = st.integers(0, 6)
TRADED = st.dictionaries(pick("scrip", "share", "nail", "big"), AMOUNTS, max_size=2)


def _said(verb: str, *rest: st.SearchStrategy[Any]) -> st.SearchStrategy[Command]:
    return st.tuples(st.just(verb), *rest)


_ADVANCE = _said("advance", st.one_of(pick(0, 1, 100_000, 300_000, 500_000), st.integers(0, 900_000)))
_HIT = _said(
    "hit", ANY, ANY, pick(0, 1), pick("", "visor", "shell"), pick(None, True, False), pick({}, {"nearby": 3})
)
FIGHT = [
    _ADVANCE,
    _HIT,
    _HIT,
    _said("hurt", ANY, TENTHS, pick("", "venom"), pick(None, "one", "wasp1")),
    _said("heal", ANY, TENTHS, pick("", "one")),
    _said("drain", ANY, TENTHS),
    _said("tag", ANY, pick("wet", "hidden"), st.booleans()),
    _said("status", ANY, pick("ill", "charm"), pick(None, "one", "wasp1"), pick(None, 0.4)),
    _said("cure", ANY, pick("ill", "charm")),
    _said("revive", ANY, pick(1.0, 0.5)),
    _said("set", ANY, TENTHS),
    _said("set_max", ANY, st.integers(1, 80), pick("value", "fraction", "missing")),
    _said("pulse", ANY, pick("pause", "resume"), pick("sip", "hum")),
    _said("lives", PLAYERS, AMOUNTS),
    _said("launch", ANY, pick(0, 1, 1, 2), pick("s1", "s2"), pick({}, {"nearby": 3})),
    _said("shot", pick("s1", "s2"), ANY, pick("", "visor"), pick(None, True)),
    _said("shot", pick("s1", "s2"), ANY, pick("", "visor"), pick(None, True)),
    _said("drop", pick("s1", "s2")),
    _said("input", ANY, pick(0, 2.5, None)),
]
GOODS = [
    _said("take", ANY, PLACED),
    _said("take", PLAYERS, PLACED),
    _said("place", pick("glue", "nail", "pad", "box"), pick("extra", "")),
    _said("unplace", PLACED),
    _said("earn", PLAYERS, pick("scrip", "share"), st.integers(0, 30)),
    _said("spend", PLAYERS, pick("scrip", "share"), st.integers(0, 30)),
    _said("give", PLAYERS, pick("nail", "big"), AMOUNTS),
    _said("give", PLAYERS, pick("hook", "coat"), AMOUNTS),
    _said("wear", PLAYERS, pick("hook", "coat", "nail")),
    _said("take_off", PLAYERS, pick("hook", "coat", "all")),
    _said("use", ANY, st.just("mend"), ANY),
    _said("raise_stat", PLAYERS, pick("might", "planks.max", "bag"), AMOUNTS),
    _said("remove", PLAYERS, pick("nail", "big"), AMOUNTS),
    _said("resize", PLAYERS, st.integers(0, 9)),
    _said("exchange", PLAYERS, pick("shop", "sale", "pool", "lift"), pick(None, 1, 2)),
    _said("trade", PLAYERS, TRADED, PLAYERS, TRADED),
]
TASKS = [
    _said("match", pick("race", "hunt", "tide"), pick("start", "start", "end", "pause", "resume")),
    _said("rate", PLAYERS, pick("dive", "care", "haste")),
    _said("start_rating", PLAYERS, pick("dive", "haste")),
    _said("gain_xp", PLAYERS, st.integers(0, 20)),
    _said("score", PLAYERS, AMOUNTS),
    _said("grant", PLAYERS, pick("hand", "first")),
    _said("quest", PLAYERS, pick("accept", "accept", "turn_in", "turn_in", "abandon", "fail"), QUESTS),
    _said("quest", PLAYERS, pick("accept", "turn_in"), QUESTS),
    _said("quest", PLAYERS, pick("accept", "turn_in"), pick("sting_down", "gather", "steps")),
    _said("quest", PLAYERS, st.just("accept"), QUESTS),
    _said("seen", ANY, AMOUNTS),
    _said("team", PLAYERS, pick("north", "south", "")),
    _said("move", ANY, st.integers(-6, 6)),
    _said("talk", PLAYERS, pick("post", "post", "nobody")),
    _said("data", PLAYERS, pick("hat", "seen"), pick("red", [1, None], None)),
    _said("day", st.integers(0, 5)),
    *[_said("turn", pick("next", "next", "next", "next", "skip", "end", "of", "begin", "over"), ANY)] * 6,
    _said("stage", pick("den", "den", "hall", "restart", "restart", "leave")),
]
COMING = [
    _said("leave", PLAYERS),
    _said("join", PLAYERS, pick("north", "south", "")),
    _said("again", PLAYERS),
    _said("again", PLAYERS),
    _said("load", PLAYERS),
    _said("keep", PLAYERS),
    _said("spawn", pick("one", "two", "")),
    _said("dismiss", pick("wasp2", "wasp1", "three", "two")),
]
BAD = [_said("bad", ANY, pick(-1.0, float("nan"), 10**400))]


def _weighed(commands: list[st.SearchStrategy[Command]]) -> st.SearchStrategy[Command]:
    return st.sampled_from(commands).flatmap(
        lambda command: command
    )  # `one_of` would forget what stands twice


_STAYING = [*FIGHT, *FIGHT, *FIGHT, *GOODS, *GOODS, *TASKS, *TASKS, *TASKS, *[_ADVANCE] * 20, *[_HIT] * 15]
STAYING = _weighed(_STAYING)
COMMANDS = _weighed([*_STAYING, *COMING, *BAD])


def streams(
    commands: st.SearchStrategy[Command], least: int = 0, most: int = 60
) -> st.SearchStrategy[list[Command]]:
    """Return lists of commands of all lengths from *least* to *most*; Hypothesis by itself draws short ones,
    in which little happens."""
    return st.integers(least, most).flatmap(lambda size: st.lists(commands, min_size=size, max_size=size))


STREAMS = streams(COMMANDS)
LONG_STREAMS = streams(COMMANDS, 10)
STAYING_STREAMS = streams(STAYING, 10)


class Play:
    """One world at play, and the profiles that its host holds of players who left or were kept on the way."""

    def __init__(self, design: Design, *, seed: int = 3, history: int = 1_000) -> None:
        self.profiles: dict[str, Profile] = {}
        self.world = World(design, seed=seed, history=history)
        one = self.world.join("crate", "one", team="north")
        self.world.join("crate", "two", team="south")
        self.world.spawn("wasp", "wasp1", owner=one)
        self.world.spawn("post", "post1")
        for pickup in ("glue", "nail", "pad"):
            self.world.place(pickup, f"{pickup}1")

    def restored(self, data: dict[str, Any], history: int = 1_000) -> Play:
        """Return what goes on from a snapshot, with the same profiles held."""
        again = object.__new__(Play)
        again.profiles, again.world = (
            dict(self.profiles),
            World.restore(self.world.design, data, history=history),
        )
        return again

    def all(self, commands: list[Command]) -> Play:
        """Carry out all commands."""
        for command in commands:
            self.do(command)
        return self

    def do(self, command: Command) -> Any:
        """Carry out one command; returns its result, or the error it raised."""
        try:
            return getattr(self, f"_{command[0]}", self._actor)(
                *command[1:] if hasattr(self, f"_{command[0]}") else command
            )
        except CleaverError as error:
            return error

    def _advance(self, micros: int) -> Any:
        return self.world.advance(microseconds=micros)

    def _hit(
        self, one: str, other: str, number: int, zone: str, crit: bool | None, inputs: dict[str, Any]
    ) -> Any:
        actor = self.world.actor(one)
        attacks = list(read.body(actor).kind.attacks) or ["none"]
        attack = attacks[number % len(attacks)]
        return actor.hit(self.world.actor(other), attack, zone=zone, crit=crit, **inputs)

    def _hurt(self, one: str, amount: float, kind: str, source: str | None) -> Any:
        # "" is not in the pool
        return self.world.actor(one).hurt(amount, type=kind, source=source and self.world.actor(source))

    def _heal(self, one: str, amount: float, source: str) -> Any:
        return self.world.actor(one).heal(amount, source=self.world.actor(source) if source else None)

    def _tag(self, one: str, tag: str, on: bool) -> Any:
        return self.world.actor(one).set_tag(tag, on)

    def _status(self, one: str, status: str, source: str | None, lasts: float | None) -> Any:
        return self.world.actor(one).status(
            status, lasts=lasts, source=self.world.actor(source) if source else None
        )

    def _vital(self, one: str) -> Any:
        actor = self.world.actor(one)
        return actor[read.body(actor).kind.vital]

    def _turn(self, what: str, one: str) -> Any:
        world = self.world
        if what in ("next", "end", "skip"):
            return repr(
                getattr(world, {"next": "next_turn", "end": "end_turns", "skip": "skip_turn"}[what])()
            )
        actor = world.actor(one)
        if what == "of":
            return repr(world.next_turn(of=actor))
        return repr(actor.begin_turn() if what == "begin" else actor.end_turn())

    def _set(self, one: str, value: float) -> Any:
        return self._vital(one).set(value)

    def _set_max(self, one: str, value: float, keep: str) -> Any:
        return self._vital(one).set_max(value, keep)

    def _pulse(self, one: str, verb: str, pulse: str) -> Any:
        return getattr(self.world.actor(one), verb)(pulse)

    def _launch(self, one: str, number: int, name: str, inputs: dict[str, Any]) -> Any:
        actor = self.world.actor(one)
        attacks = list(read.body(actor).kind.attacks) or ["none"]
        return repr(actor.launch(attacks[number % len(attacks)], name, **inputs))

    def _shot(self, name: str, other: str, zone: str, crit: bool | None) -> Any:
        return self.world.shot(name).hit(self.world.actor(other), zone=zone, crit=crit)

    def _drop(self, name: str) -> Any:
        return self.world.shot(name).drop()

    def _data(self, one: str, name: str, value: Any) -> Any:
        data = self.world.actor(one).data
        if value is None:
            return data.pop(name, None)
        data[name] = value
        return None

    def _input(self, one: str, value: float | None) -> Any:
        return self.world.actor(one).set_input("nearby", value)

    def _talk(self, one: str, giver: str) -> Any:
        return self.world.actor(one).talk(giver)

    def _day(self, day: int) -> Any:
        return self.world.set_day(day)

    def _stage(self, what: str) -> Any:
        if what in ("restart", "leave"):
            return getattr(self.world, f"{what}_stage")()
        return self.world.enter_stage(what)

    def _lives(self, one: str, count: int) -> Any:
        return self.world.actor(one).add_lives(count)

    def _take(self, one: str, placement: str) -> Any:
        return self.world.actor(one).take(self.world.placement(placement))

    def _place(self, pickup: str, name: str) -> Any:
        return self.world.place(pickup, name).id

    def _unplace(self, placement: str) -> Any:
        return self.world.placement(placement).remove()

    def _resize(self, one: str, most: int) -> Any:
        return self.world.actor(one).bag.resize(most)

    def _match(self, name: str, verb: str) -> Any:
        return getattr(self.world.match(name), verb)()

    def _trade(self, one: str, gives: dict[str, int], other: str, back: dict[str, int]) -> Any:
        return self.world.trade(self.world.actor(one), gives, self.world.actor(other), back)

    def _gain_xp(self, one: str, amount: int) -> Any:
        return self.world.actor(one).gain_xp("rank", amount)

    def _score(self, one: str, points: int) -> Any:
        return self.world.actor(one).add_score(points)

    def _quest(self, one: str, verb: str, quest: str) -> Any:
        return getattr(self.world.actor(one), verb)(quest)

    def _seen(self, one: str, much: int) -> Any:
        return self.world.actor(one).announce("seen", much=much)

    def _team(self, one: str, team: str) -> Any:
        return self.world.set_team(self.world.actor(one), team)

    def _move(self, one: str, x: float) -> Any:
        return self.world.move(self.world.actor(one), x, 0)

    def _leave(self, one: str) -> Any:
        self.profiles[one] = self.world.leave(self.world.actor(one))
        return self.profiles[one].sections

    def _keep(self, one: str) -> Any:
        self.profiles[one] = self.world.profile(self.world.actor(one))
        return self.profiles[one].sections

    def _join(self, one: str, team: str) -> Any:
        return self.world.join("crate", one, team=team, profile=self.profiles.get(one)).id

    def _again(self, one: str) -> Any:
        team = self.world.actor(one).team
        self._leave(one)
        return self._join(one, team)

    def _load(self, one: str) -> Any:
        actor = self.world.actor(one)
        return self.world.load(actor, self.profiles.get(one, Profile(one, 1, {})))

    def _spawn(self, owner: str) -> Any:
        return self.world.spawn("wasp", "wasp2", owner=owner).id

    def _dismiss(self, one: str) -> Any:
        return self.world.dismiss(self.world.actor(one))

    def _bad(self, one: str, amount: float) -> Any:
        return self.world.actor(one).hurt(amount)

    def _actor(self, verb: str, one: str, *rest: Any) -> Any:
        return getattr(self.world.actor(one), verb)(*rest)
