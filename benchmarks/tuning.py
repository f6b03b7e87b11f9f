"""A number that changes while a game runs, against loading the design anew."""

from __future__ import annotations

from importlib.resources import files
from itertools import count
from pathlib import Path

from common import finish, ratio

from cleaver import load_design

SAMPLE = Path(str(files("cleaver") / "sample" / "lanternreef.toml"))
DESIGN = load_design(SAMPLE)
amounts = count(1)


def tune() -> None:
    DESIGN.with_values({"actors.eel.attacks.sting.amount": next(amounts) % 50})


ratio("one number changed / the sample loaded", tune, lambda: load_design(SAMPLE), bar=0.2, rounds=25)
finish()
