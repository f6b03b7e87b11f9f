"""One fight, as a trial and simulated by hand: what the lab plays must come to the same in every session.

The simulation knows nothing of the engine but the dice: the streams of each habit, by their names.
"""

from __future__ import annotations

from heapq import heappop, heappush
from typing import Any

import numpy as np

from cleaver import Design
from cleaver.dice import stream, stream_of
from cleaver.lab import Sessions, Trial
from cleaver.lab.loading import trial_of

DESIGN: dict[str, Any] = {
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": {"max": 90, "marks": {"low": 0.5}}},
            "guard": {"armour": 2, "grace": 0.8},
            "attacks": {"jab": {"amount": 10}},
        },
        "eel": {
            "vital": "hide",
            "meters": {"hide": 100},
            "attacks": {"sting": {"amount": 16, "cooldown": 1.2}},
            "vanish_after": 0.0,
        },
    },
    "rules": [{"on": "struck", "do": [{"score": 1}]}, {"on": "defeated", "of": "eel", "do": [{"score": 20}]}],
}
TRIAL: dict[str, Any] = {
    "title": "One fight",
    "setup": {"lines": "join diver ana\nspawn eel eel1"},
    "habits": {
        "sting": {
            "each": "eel",
            "every": [0.5, 2.0],
            "when": "ana.alive",
            "chance": 0.7,
            "do": "hit ana by={it} with=sting",
        },
        "jab": {
            "pick": "eel",
            "every": [0.6, 1.4],
            "when": "ana.alive",
            "chance": 0.5,
            "do": "hit {it} by=ana with=jab",
        },
        "come": {"every": [4, 9], "do": "spawn eel more{n}"},
        "mend": {
            "on": "crossed",
            "who": "ana",
            "where": 'event.way == "down"',
            "delay": [0.5, 2.5],
            "when": "ana.alive",
            "do": "heal ana 30",
        },
    },
    "end": {"after": 60, "on": "died", "who": "ana"},
    "measures": {
        "suit": "ana.suit",
        "score": "ana.score",
        "lost": {"on": "damaged", "who": "ana", "sum": "amount"},
        "hits": {"on": "damaged", "by": "ana"},
        "death": {"on": "died", "who": "ana", "first": True},
    },
}


def trial() -> Trial:
    """Return the fight as a trial."""
    return trial_of(TRIAL, Design.from_dict(DESIGN))


def by_hand(seed: int, number: int) -> tuple[float, tuple[float | None, ...]]:
    """Return how long a session is, and its measures, None for a death that did not come."""
    luck = stream_of(seed, f"session/{number}")
    now, made = 0, 0
    heap: list[tuple[int, int, Any]] = []
    suit, score, lost, hits, grace = 90.0, 0, 0.0, 0, -1
    hides: dict[str, float] = {}
    rests: dict[str, int] = {}
    death: float | None = None

    def later(span: float, call: Any) -> None:
        nonlocal made
        made += 1
        heappush(heap, (now + int(span * 1e6 + 0.5), made, call))

    def drawn(low: float, high: float, dice: Any) -> float:
        return low + (high - low) * float(dice.draw())

    def arrives(name: str) -> None:
        hides[name] = 100.0
        waits, chances = stream(luck, f"sting/wait/{name}/1"), stream(luck, f"sting/chance/{name}/1")

        def turn() -> None:
            if name not in hides:
                return
            if chances.draw() < 0.7 and rests.get(name, -1) <= now:
                stung(name)
            later(drawn(0.5, 2.0, waits), turn)

        later(drawn(0.5, 2.0, waits), turn)

    def stung(name: str) -> None:
        nonlocal suit, lost, grace, death
        if grace > now:
            return
        rests[name], grace = now + 1_200_000, now + 800_000
        before, suit = suit, max(suit - 14, 0.0)
        lost += before - suit
        if suit <= 45 < before:
            later(drawn(0.5, 2.5, mends), mend)
        if suit == 0:
            death = now / 1e6

    def mend() -> None:
        nonlocal suit
        suit = min(suit + 30, 90.0)

    jabs, luck_of_jabs, picks = (stream(luck, f"jab/{use}") for use in ("wait", "chance", "pick"))
    comes, mends = stream(luck, "come/wait"), stream(luck, "mend/wait")
    came = 0

    def jab() -> None:
        nonlocal score, hits
        chance, which = luck_of_jabs.draw(), picks.draw()
        there = list(hides)
        if there and chance < 0.5:
            name = there[min(int(which * len(there)), len(there) - 1)]
            hides[name] -= 10
            score, hits = score + 1, hits + 1
            if hides[name] <= 0:
                score += 20
                del hides[name]
        later(drawn(0.6, 1.4, jabs), jab)

    def come() -> None:
        nonlocal came
        came += 1
        arrives(f"more{came}")
        later(drawn(4, 9, comes), come)

    arrives("eel1")
    later(drawn(0.6, 1.4, jabs), jab)
    later(drawn(4, 9, comes), come)
    while heap and heap[0][0] <= 60_000_000 and death is None:
        now, _, call = heappop(heap)
        call()
    return (60.0 if death is None else death), (suit, score, lost, hits, death)


def same(one: Sessions, two: Sessions) -> bool:
    """Return whether sessions are the same, to the last bit."""
    return all(
        np.array_equal(getattr(one, name), getattr(two, name), equal_nan=name in ("values", "fan", "seconds"))
        for name in ("number", "player", "seconds", "values", "fan")
    )
