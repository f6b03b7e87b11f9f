"""Checks: for each rule a design where it fires, and one close by where it does not."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cleaver import Design
from cleaver.design.checks import RULES, findings, goods, looked

Tables = dict[str, Any]


def eel(**more: Any) -> Tables:
    return {"vital": "hide", "meters": {"hide": 30}} | more


def quest(**more: Any) -> Tables:
    return {"goals": [{"on": "damaged"}], "reward": [{"score": 1}]} | more


XP: Tables = {"rules": [{"on": "damaged", "do": [{"xp": "rank", "amount": 1}]}]}

DIVER: Tables = {"player": True, "vital": "suit", "meters": {"suit": 90}}
REEF: Tables = {
    "actors": {"eel": eel()},
    "pickups": {"pearl": {"do": [{"score": 5}]}, "kit": {"do": [{"score": 1}]}},
    "ratings": {"dive": {"measure": "self.score", "steps": [1, 10]}},
    "stages": {"reef": {"pickups": {"pearl": 2}, "actors": {"eel": 1}, "rating": "dive"}},
}

SHOP: Tables = {
    "currencies": {"scrip": {}},
    "items": {"pearl": {"most": 9}},
    "actors": {"diver": DIVER},
    "exchanges": {"shop": {"costs": {"scrip": 4}, "gives": {"pearl": 1}}},
    "pickups": {"coin": {"do": [{"earn": "scrip", "amount": 4}]}},
    "saves": {"include": ["currencies"]},
}

CASES: dict[str, tuple[Tables, Tables]] = {
    "star_out_of_reach": ({**REEF, "ratings": {"dive": {"measure": "self.score", "steps": [1, 11]}}}, REEF),
    "stage_never_open": (
        {**REEF, "stages": {"reef": {**REEF["stages"]["reef"], "needs": ["self.stars >= 1"]}}},
        {**REEF, "stages": {**REEF["stages"], "deep": {"needs": ["self.stars >= 2"]}}},
    ),
    "all_of_nothing": (
        {
            **REEF,
            "quests": {"one": quest(goals=[{"on": "collected", "of": "kit", "count": "all"}], reward=[])},
        },
        {**REEF, "quests": {"one": quest(goals=[{"on": "collected", "of": "pearl", "count": "all"}])}},
    ),
    "more_than_there_is": (
        {**REEF, "quests": {"one": quest(goals=[{"on": "defeated", "of": "eel", "count": 2}])}},
        {**REEF, "quests": {"one": quest(goals=[{"on": "defeated", "of": "eel", "count": 1}])}},
    ),
    "leaving_cures": (
        {
            "actors": {"diver": {**DIVER, "meters": {"suit": {"max": 90, "saved": True}}}},
            "statuses": {"venom": {"pulses": [{"every": 1, "do": [{"hurt": 1}]}]}},
        },
        {
            "actors": {"diver": {**DIVER, "meters": {"suit": {"max": 90, "saved": True}}}},
            "statuses": {"venom": {"pulses": [{"every": 1, "do": [{"hurt": 1}]}]}},
            "saves": {"include": ["currencies", "statuses"]},
        },
    ),
    "untouched_meter": (
        {"actors": {"eel": eel(meters={"hide": 30, "ink": 5})}},
        {"actors": {"eel": eel(meters={"hide": 30, "ink": {"max": 5, "flows": [{"rate": 1}]}})}},
    ),
    "stat_nobody_reads": (
        {"actors": {"eel": eel(stats={"might": 3})}},
        {"actors": {"eel": eel(stats={"might": 3}, attacks={"b": {"amount": "self.might", "cooldown": 1}})}},
    ),
    "slot_without_things": (
        {"actors": {"eel": eel(slots={"tail": 1})}},
        {
            "actors": {"eel": eel(slots={"tail": 1}, on_death=[{"give": "fin"}])},
            "items": {"fin": {"slot": "tail"}},
        },
    ),
    "set_never_complete": (
        {
            "actors": {"eel": eel(slots={"tail": 1}, on_death=[{"give": "fin"}, {"give": "spike"}])},
            "items": {"fin": {"slot": "tail"}, "spike": {"slot": "tail"}},
            "item_sets": {"sea": {"items": ["fin", "spike"], "pieces": {"2": {}}}},
        },
        {
            "actors": {"eel": eel(slots={"tail": 2}, on_death=[{"give": "fin"}, {"give": "spike"}])},
            "items": {"fin": {"slot": "tail"}, "spike": {"slot": "tail"}},
            "item_sets": {"sea": {"items": ["fin", "spike"], "pieces": {"2": {}}}},
        },
    ),
    "cost_beyond_the_meter": (
        {"actors": {"eel": eel(attacks={"b": {"amount": 3, "cooldown": 1, "costs": {"hide": 30}}})}},
        {"actors": {"eel": eel(attacks={"b": {"amount": 3, "cooldown": 1, "costs": {"hide": 29}}})}},
    ),
    "turn_order_of_another_kind": (
        {"game": {"turn_order": "self.hide"}, "actors": {"eel": eel(turns=True), "post": {"turns": True}}},
        {"game": {"turn_order": "self.hide"}, "actors": {"eel": eel(turns=True), "post": {}}},
    ),
    "no_vital": (
        {
            "actors": {"eel": {"meters": {"hide": 30}, "guard": {"armour": 1}}},
            "rules": [{"on": "joined", "do": [{"drain": 1, "meter": "hide"}]}],
        },
        {"actors": {"winch": {"meters": {"fuel": {"max": 30, "flows": [{"rate": -1}]}}}}},
    ),
    "zero_amount": (
        {"actors": {"eel": eel(attacks={"bite": {"amount": 0, "cooldown": 1}})}},
        {"actors": {"eel": eel(attacks={"bite": {"amount": 1, "cooldown": 1}})}},
    ),
    "misspelt_type": (
        {
            "actors": {
                "eel": eel(
                    guard={"through": {"venm": 0.5}},
                    attacks={"bite": {"amount": 1, "type": "venom", "cooldown": 1}},
                )
            }
        },
        {
            "actors": {
                "eel": eel(
                    guard={"through": {"fall": 0.5}},
                    attacks={"bite": {"amount": 1, "type": "venom", "cooldown": 1}},
                )
            }
        },
    ),
    "part_of_a_whole": (
        {**SHOP, "exchanges": {"shop": {"costs": {"scrip": 0.4}, "gives": {"pearl": 1}}}},
        {**SHOP, "exchanges": {"shop": {"costs": {"scrip": "40 * 1.15 ** bought"}, "gives": {"pearl": 1}}}},
    ),
    "all_has_an_end": (
        {
            **SHOP,
            "exchanges": {"shop": {"costs": {"scrip": "1 + bought"}, "gives": {"pearl": 1}, "all": True}},
        },
        {**SHOP, "exchanges": {"shop": {"costs": {"scrip": 1}, "gives": {"pearl": 1}, "all": True}}},
    ),
    "pooled_and_gone": (
        {**SHOP, "teams": {"north": {}}, "currencies": {"scrip": {"pooled": True}}},
        {**SHOP, "teams": {"north": {}}},
    ),
    "divides_by_zero": (
        {"actors": {"eel": eel(guard={"scale": "2 / near(6)"})}},
        {"actors": {"eel": eel(guard={"scale": "0 if near(6) == 0 else 2 / near(6)"})}},
    ),
    "negative_amount": (
        {
            "pickups": {"kit": {"inputs": {"mends": -25}, "do": [{"heal": "mends"}]}},
            "actors": {"diver": eel(player=True)},
        },
        {
            "pickups": {"kit": {"inputs": {"mends": 25}, "do": [{"heal": "mends - self.hide"}]}},
            "actors": {"diver": eel(player=True)},
        },
    ),
    "idle_flow": (
        {"actors": {"eel": eel(meters={"hide": {"max": 30, "flows": [{"rate": 2, "until": 0.0}]}})}},
        {"actors": {"eel": eel(meters={"hide": {"max": 30, "flows": [{"rate": -2, "until": 0.0}]}})}},
    ),
    "mark_out_of_range": (
        {"actors": {"eel": eel(meters={"hide": {"max": 30, "marks": {"top": 1.0}}})}},
        {"actors": {"eel": eel(meters={"hide": {"max": 30, "overfill": 5, "marks": {"top": 1.0}}})}},
    ),
    "contact_every_frame": (
        {"actors": {"eel": eel(attacks={"bite": {"amount": 5}}), "diver": eel(player=True)}},
        {
            "actors": {
                "eel": eel(attacks={"bite": {"amount": 5}}),
                "diver": eel(player=True, guard={"grace": 0.5}),
            }
        },
    ),
    "good_nobody_gives": (
        {
            "currencies": {"scrip": {}},
            "items": {"pearl": {}},
            "pickups": {"pearl": {"do": [{"give": "pearl"}]}},
            "exchanges": {"office": {"costs": {"pearl": 1}, "gives": {"pearl": 1}}},
            "rules": [{"on": "joined", "where": "self.scrip > 0", "do": [{"score": 1}]}],
        },
        {
            "currencies": {"scrip": {"start": 5}},
            "rules": [{"on": "joined", "where": "self.scrip > 0", "do": [{"score": 1}]}],
        },
    ),
    "good_nobody_takes": (
        {"currencies": {"scrip": {"start": 5}}},
        {
            "currencies": {"scrip": {"start": 5}},
            "items": {"helm": {"most": 1}},
            "exchanges": {"shop": {"costs": {"scrip": 5}, "gives": {"helm": 1}}},
        },
    ),
    "most_below_price": (
        {
            "currencies": {"scrip": {"start": 5, "most": 9}},
            "items": {"helm": {"most": 1}},
            "exchanges": {"shop": {"costs": {"scrip": 10}, "gives": {"helm": 1}}},
        },
        {
            "currencies": {"scrip": {"start": 5, "most": 10}},
            "items": {"helm": {"most": 1}},
            "exchanges": {"shop": {"costs": {"scrip": 10}, "gives": {"helm": 1}}},
        },
    ),
    "money_circle": (
        {
            "currencies": {"scrip": {"start": 9}},
            "items": {"nail": {"most": 9}, "box": {"most": 9}},
            "exchanges": {
                "buy": {"costs": {"scrip": 2}, "gives": {"nail": 1}},
                "craft": {"costs": {"nail": 2}, "gives": {"box": 1}},
                "sell": {"costs": {"box": 1}, "gives": {"scrip": 5}},
            },
        },
        {
            "currencies": {"scrip": {"start": 9}},
            "items": {"nail": {"most": 9}, "box": {"most": 9}},
            "exchanges": {
                "buy": {"costs": {"scrip": 2}, "gives": {"nail": 1}},
                "craft": {"costs": {"nail": 2}, "gives": {"box": 1}},
                "sell": {"costs": {"box": 1}, "gives": {"scrip": 4}},
            },
        },
    ),
    "pickup_for_nobody": (
        {
            "actors": {
                "diver": eel(player=True),
                "fish": eel(meters={"hide": 3, "ink": {"max": 9, "flows": [{"rate": 1}]}}),
            },
            "pickups": {"pot": {"do": [{"heal": 5, "meter": "ink"}]}},
        },
        {
            "actors": {
                "diver": eel(player=True),
                "fish": eel(meters={"hide": 3, "ink": {"max": 9, "flows": [{"rate": 1}]}}),
            },
            "pickups": {"pot": {"do": [{"heal": 5, "meter": "ink"}], "for": ["fish"]}},
        },
    ),
    "endless_match": ({"matches": {"race": {}}}, {"matches": {"race": {"time_limit": 60}}}),
    "single_team_match": (
        {"teams": {"north": {}}, "matches": {"race": {"teams": ["north"], "time_limit": 60}}},
        {
            "teams": {"north": {}, "south": {}},
            "matches": {"race": {"teams": ["north", "south"], "time_limit": 60}},
        },
    ),
    "rule_never_matches": (
        {"rules": [{"on": "collected", "do": [{"score": 1}]}]},
        {"rules": [{"on": "collected", "do": [{"score": 1}]}], "pickups": {"pot": {"do": [{"score": 1}]}}},
    ),
    "scored_twice": (
        {"rules": [{"on": "damaged", "do": [{"score": 1}]}, {"on": "damaged", "do": [{"score": 2}]}]},
        {
            "rules": [
                {"on": "damaged", "do": [{"score": 1}]},
                {"on": "damaged", "critical": True, "do": [{"score": 2}]},
            ]
        },
    ),
    "repeated_announce": (
        {"events": {"crossed_line": {}}, "rules": [{"on": "crossed_line", "do": [{"score": 1}]}]},
        {
            "game": {"tags": ["past_line"]},
            "rules": [{"on": "tagged", "tag": "past_line", "do": [{"score": 1}]}],
        },
    ),
    "rating_out_of_reach": (
        {
            "ratings": {"dive": {"measure": "self.score", "steps": [1, 6]}},
            "quests": {"one": quest(reward=[{"score": 5}])},
        },
        {
            "ratings": {"dive": {"measure": "self.score", "steps": [1, 5]}},
            "quests": {"one": quest(reward=[{"score": 5}])},
        },
    ),
    "level_out_of_reach": (
        {
            "levels": {"rank": {"experience": [5, 9]}},
            "quests": {"one": quest(reward=[{"xp": "rank", "amount": 13}])},
        },
        {
            "levels": {"rank": {"experience": [5, 9]}},
            "rules": [{"on": "damaged", "do": [{"xp": "rank", "amount": 1}]}],
        },
    ),
    "steps_too_close": (
        {
            "levels": {"rank": {"experience": [9, 5]}},
            "rules": [{"on": "damaged", "do": [{"xp": "rank", "amount": 1}]}],
        },
        {
            "levels": {"rank": {"experience": [5, 5]}},
            "rules": [{"on": "damaged", "do": [{"xp": "rank", "amount": 1}]}],
        },
    ),
    "empty_team": (
        {
            "teams": {"north": {}, "south": {}, "east": {}},
            "matches": {"race": {"teams": ["north", "south"], "time_limit": 60}},
        },
        {
            "teams": {"north": {}, "south": {}},
            "matches": {"race": {"teams": ["north", "south"], "time_limit": 60}},
        },
    ),
    "circular_needs": (
        {
            "quests": {
                "one": quest(needs=['self.quest.two == "completed"']),
                "two": quest(needs=['self.quest.one == "completed"']),
            }
        },
        {"quests": {"one": quest(needs=['self.quest.two == "completed"']), "two": quest()}},
    ),
    "quest_never_available": (
        {
            "quests": {"one": quest(needs=["self.rank >= 5"])},
            "levels": {"rank": {"experience": [1, 2]}},
            **XP,
        },
        {
            "quests": {"one": quest(needs=["self.rank >= 3"])},
            "levels": {"rank": {"experience": [1, 2]}},
            **XP,
        },
    ),
    "goal_never_met": (
        {"quests": {"one": quest(goals=[{"on": "collected"}])}},
        {"quests": {"one": quest(goals=[{"on": "collected"}])}, "pickups": {"pot": {"do": [{"score": 1}]}}},
    ),
    "meter_not_there": (
        {
            "actors": {
                "eel": eel(pulses={"ink": {"every": 1, "do": [{"heal": 1, "meter": "air"}]}}),
                "diver": eel(player=True, meters={"hide": 9, "air": 5}),
            }
        },
        {
            "actors": {
                "eel": eel(),
                "diver": eel(
                    player=True,
                    meters={"hide": 9, "air": 5},
                    pulses={"sip": {"every": 1, "do": [{"heal": 1, "meter": "air"}]}},
                ),
            }
        },
    ),
    "need_of_locked": (
        {"quests": {"one": quest(needs=['self.quest.two != "locked"']), "two": quest()}},
        {"quests": {"one": quest(needs=['self.quest.two != "active"']), "two": quest()}},
    ),
    "zero_goal": (
        {"quests": {"one": quest(goals=[{"on": "damaged", "count": 0}])}},
        {"quests": {"one": quest(goals=[{"on": "damaged", "count": 1}])}},
    ),
    "reward_of_nothing": (
        {"quests": {"one": quest(), "two": quest(reward=[])}},
        {"quests": {"one": quest(needs=['self.quest.two == "completed"']), "two": quest(reward=[])}},
    ),
    "fails_at_once": (
        {"quests": {"one": quest(fails=[{"on": "quest_started"}])}},
        {"quests": {"one": quest(fails=[{"on": "died"}])}},
    ),
    "achievement_out_of_reach": (
        {"achievements": {"brave": {}}},
        {"achievements": {"brave": {}}, "rules": [{"on": "damaged", "do": [{"grant": "brave"}]}]},
    ),
    "missing_giver_text": (
        {"quests": {"one": quest(says={"available": "Go.", "completed": "Good."})}},
        {"quests": {"one": quest(says={"available": "Go.", "active": "Well?", "completed": "Good."})}},
    ),
}
MORE: dict[str, Tables] = {
    "rule_never_matches": {
        "matches": {
            "race": {
                "win_at": 1,
                "rules": [{"on": "match_ended", "do": [{"score": 1}]}, {"on": "died", "do": [{"score": 2}]}],
            }
        }
    }
}
BOTH: dict[str, tuple[Tables, set[str]]] = {
    "nothing_to_collect": (
        {"matches": {"hunt": {"win_at": "all", "rules": [{"on": "collected", "do": [{"score": 1}]}]}}},
        {"nothing_to_collect", "rule_never_matches"},
    ),
    "dead_exchange": (
        {
            "items": {"pearl": {"most": 5}, "helm": {"most": 1}},
            "exchanges": {"shop": {"costs": {"pearl": 1}, "gives": {"helm": 1}}},
        },
        {"good_nobody_gives", "dead_exchange"},
    ),
}


@pytest.mark.parametrize("name", MORE)
def test_a_rule_fires_also_here(name: str) -> None:
    assert [finding.name for finding in findings(Design.from_dict(MORE[name]))] == [name]


@pytest.mark.parametrize("name", BOTH)
def test_some_slips_are_two_at_once(name: str) -> None:
    tables, names = BOTH[name]

    assert {finding.name for finding in findings(Design.from_dict(tables))} == names


@pytest.mark.parametrize("name", CASES)
def test_a_rule_fires_where_it_should_and_not_close_by(name: str) -> None:
    fires, quiet = (findings(Design.from_dict(tables)) for tables in CASES[name])

    assert [finding.name for finding in fires] == [name], fires
    assert fires[0].key
    assert fires[0].wrong
    assert fires[0].right
    assert str(fires[0]).endswith(f"[{name}]")
    assert quiet == []


def test_every_rule_has_a_case_and_an_explanation() -> None:
    assert set(CASES) | set(BOTH) == set(RULES)
    assert all(rule.explanation.endswith(".") for rule in RULES.values())


def test_a_finding_may_be_silenced_at_one_place_with_a_reason() -> None:
    tables = {
        "actors": {
            "eel": eel(attacks={"bite": {"amount": 0, "cooldown": 1}, "nip": {"amount": 0, "cooldown": 1}})
        }
    }
    silence = {
        "check": {
            "silence": [
                {"rule": "zero_amount", "at": "actors.eel.attacks.bite", "because": "the bite only marks"}
            ]
        }
    }

    assert [finding.key for finding in findings(Design.from_dict(tables | silence))] == [
        "actors.eel.attacks.nip.amount"
    ]
    assert [finding.key for finding in looked(Design.from_dict(tables | silence))[1]] == [
        "actors.eel.attacks.bite.amount"
    ]
    for rule, at in (("zero_amuont", "actors.eel"), ("idle_flow", "actors.eel")):
        silence = {"check": {"silence": [{"rule": rule, "at": at, "because": "no reason"}]}}
        assert [finding.name for finding in findings(Design.from_dict(tables | silence))].count(
            "useless_silence"
        ) == 1


def test_a_target_that_can_be_nothing_at_the_start_is_told() -> None:
    def told(count: str) -> list[str]:
        return [
            finding.name
            for finding in findings(
                Design.from_dict(
                    {
                        "inputs": {"many": 2},
                        "quests": {"one": quest(goals=[{"on": "damaged", "count": count}])},
                    }
                )
            )
        ]

    assert told("self.score") == ["zero_goal"]
    assert told("many - 2") == ["zero_goal"]
    assert told("max(1, self.score)") == told("many") == told("self.score + 1") == []


def test_what_piles_up_on_purpose_may_be_silenced() -> None:
    tables: Tables = {"currencies": {"scrip": {"start": 5}}}
    assert [finding.name for finding in findings(Design.from_dict(tables))] == ["good_nobody_takes"]
    quiet = tables | {
        "check": {
            "silence": [
                {"rule": "good_nobody_takes", "at": "currencies.scrip", "because": "it is only shown"}
            ]
        }
    }
    assert findings(Design.from_dict(quiet)) == []
    assert len(looked(Design.from_dict(quiet))[1]) == 1


@pytest.mark.parametrize(
    "effect",
    [
        {"lives": "1 / near(6)"},
        {"raise_bag": "1 / near(6)"},
        {"heal": "1 / near(6)"},
        {"earn": "scrip", "amount": "1 / near(6)"},
        {"raise_max": "hide", "amount": "1 / near(6)"},
    ],
)
def test_the_formula_of_every_verb_is_tried(effect: Tables) -> None:
    tables: Tables = {
        "currencies": {"scrip": {"start": 1}},
        "actors": {"eel": eel(player=True)},
        "rules": [{"on": "damaged", "do": [effect]}],
    }
    assert "divides_by_zero" in {finding.name for finding in findings(Design.from_dict(tables))}


@pytest.mark.parametrize("order", [1, -1])
def test_a_long_ring_of_exchanges_is_looked_through_in_no_time(
    order: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    count = 300
    exchanges = {
        f"e{number}": {"costs": {f"i{number}": 1}, "gives": {f"i{(number + 1) % count}": 1}}
        for number in range(count)[::order]
    }
    tables = {"items": {f"i{number}": {} for number in range(count)}, "exchanges": exchanges}
    turns: list[int] = []

    def counted(values: Iterable[float]) -> float:
        turns.append(1)
        return sum(values)

    monkeypatch.setattr(goods, "sum", counted, raising=False)
    assert "money_circle" not in {finding.name for finding in findings(Design.from_dict(tables))}
    assert len(turns) < count * count * 3  # it was that times a hundred

    exchanges["e7"]["gives"] = {"i8": 2}
    found = [finding for finding in findings(Design.from_dict(tables)) if finding.name == "money_circle"]
    assert found
    assert "goods out of nothing" in found[0].wrong


@settings(max_examples=400)
@given(
    st.lists(
        st.tuples(
            st.dictionaries(st.sampled_from("abcd"), st.integers(1, 3), max_size=2),
            st.dictionaries(st.sampled_from("abcd"), st.integers(1, 3), min_size=1, max_size=2),
        ),
        max_size=6,
    )
)
def test_goods_that_one_search_has_cleared_have_no_circle_of_their_own(
    exchanges: list[tuple[dict[str, int], dict[str, int]]],
) -> None:
    tables: Tables = {
        "items": {name: {} for name in "abcd"},
        "exchanges": {
            f"e{number}": {"costs": costs, "gives": gives}
            for number, (costs, gives) in enumerate(exchanges)
            if not set(costs) & set(gives)
        },
    }
    design = Design.from_dict(tables)
    one_by_one = [found for base in "abcd" for found in goods._circles(design, [base], "goods")]
    assert list(goods._circles(design, "abcd", "goods")) == one_by_one


@pytest.mark.parametrize(
    "effect",
    [
        {"earn": "scrip", "amount": 0.4},
        {"earn": "scrip", "amount": "0.4 * self.pearl"},
        {"give": "pearl", "amount": 1.5},
        {"score": 0.5},
    ],
)
def test_a_part_of_what_is_whole_is_told_wherever_it_stands(effect: Tables) -> None:
    tables = {**SHOP, "pickups": {"coin": {"do": [effect]}}}

    assert "part_of_a_whole" in {finding.name for finding in findings(Design.from_dict(tables))}
