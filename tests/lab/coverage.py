"""How often the interval of `solve` holds the root, on the engine: by hand, as it takes minutes.

python tests/lab/coverage.py [SOLVES]. A jab is critical with a chance that is solved for: of two jabs one is
critical with 1 − (1 − c)², so that 60 % of sessions see one at c = 0.3675.
"""

from __future__ import annotations

import sys
from typing import Any

from cleaver import Design
from cleaver.lab import Lab
from cleaver.lab.loading import trial_of

TARGET = 0.6
ROOT = 1 - (1 - TARGET) ** 0.5
DESIGN: dict[str, Any] = {
    "actors": {
        "diver": {
            "player": True,
            "vital": "suit",
            "meters": {"suit": 90},
            "attacks": {"jab": {"amount": 1, "crit": {"chance": 0.2, "times": 50}}},
        },
        "eel": {"vital": "hide", "meters": {"hide": 1000}},
    }
}
TRIAL: dict[str, Any] = {
    "setup": {"lines": "join diver ana\nspawn eel eel1"},
    "habits": {"jab": {"every": 5, "do": "hit eel1 by=ana with=jab"}},
    "end": {"after": 10},
    "measures": {"critical": "eel1.hide < 990"},
}


def main() -> None:
    """Solve with many seeds, and say how often the interval holds the root."""
    solves = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    made, held, widths = trial_of(TRIAL, Design.from_dict(DESIGN)), 0, []
    for seed in range(solves):
        found = Lab(made, seed=seed, sessions=300).solve(
            "actors.diver.attacks.jab.crit.chance", "critical", TARGET, low=0.02, high=0.95
        )
        if found.answer is None:
            print(f"seed {seed}: {found.why}")
            continue
        held += found.answer.holds(ROOT)
        widths.append(found.answer.high - found.answer.low)
    print(
        f"{held} of {solves} intervals hold {ROOT:.4f}; they are {sum(widths) / len(widths):.3f} wide on average"
    )


if __name__ == "__main__":
    main()
