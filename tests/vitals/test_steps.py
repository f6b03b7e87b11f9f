"""The steps of a hit: one entry, and everything that is about hits knows it."""

from __future__ import annotations

import subprocess
import sys

PROGRAM = """
from cleaver.design import steps

evasion = steps.HitPart(
    "evasion",
    lambda plan: True,
    True,
    {"evaded": "target.has('nimble') and stage.dice.draw('evasion') < 0.5"},
    chr(10).join(['if evaded:', ' amount *= 0', ' tell(("×", 0, "evaded"))']),
)
steps.STEPS.insert(3, evasion)  # after `deals`

from cleaver import Design, World
from cleaver.cli.main import cli
from cleaver.figures.numbers import numbers_of
import json
from click.testing import CliRunner

TABLES = {
    "game": {"tags": ["nimble"]},
    "actors": {
        "rat": {
            "vital": "hide",
            "tags": ["nimble"],
            "meters": {"hide": 4000},
            "attacks": {"bite": {"amount": 8}, "sure": {"amount": 8, "ignores": ["evasion"]}},
            "pulses": {"rot": {"every": 1, "do": [{"hurt": 8}]}},
        }
    },
}
world = World(Design.from_dict(TABLES), seed=4)
one, other = world.spawn("rat", "one"), world.spawn("rat", "other")


def half(results):
    missed = [result for result in results if result.blocked == "deflected"]
    assert 20 < len(missed) < 44, len(missed)
    assert {result.explain() for result in missed} == {"8 × 0 evaded = 0"}
    assert {result.dealt for result in results if result} == {8}


half([one.hit(other, "bite") for _ in range(64)])
half([one.hit(other, "bite", posthumous=True) for _ in range(64)])
half([other.hurt(8) for _ in range(64)])
half([one.launch("bite").hit(other) for _ in range(64)])
assert all(one.hit(other, "sure").dealt == 8 for _ in range(20))
assert one.hurt(8, ignores=("evasion",)).dealt == 8
heard = []
world.listen("deflected", lambda event: heard.append(event.actor))
world.advance(64)
assert 40 < len(heard) < 88
rat = TABLES["actors"]["rat"]
rat["meters"]["hide"] = 160
del rat["pulses"]
fights = {fight.attack: fight.hits for fight in numbers_of(Design.from_dict(TABLES)).fights}
assert fights["sure"] == 20 < fights["bite"], fights
schema = CliRunner().invoke(cli, ["schema"]).output
assert '"evasion"' in schema
print("all")
"""


def test_a_new_step_is_one_entry() -> None:
    done = subprocess.run([sys.executable, "-c", PROGRAM], capture_output=True, text=True, check=False)
    assert (done.stdout, done.returncode) == ("all\n", 0), done.stderr
