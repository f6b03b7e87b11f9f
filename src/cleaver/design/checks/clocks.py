"""Checks of turns. Start at `turn_order_of_another_kind`."""

from __future__ import annotations

import re
from collections.abc import Iterable

from cleaver.design.checks.finding import Told, rule
from cleaver.design.design import Design


@rule
def turn_order_of_another_kind(design: Design) -> Iterable[Told]:
    """An order of turns that reads a meter which somebody who takes turns does not have: no round could
    begin with it."""
    read = set(re.findall(r"self\.([a-z][a-z0-9_]*)", design.tables.game.turn_order or ""))
    for kind, actor in design.tables.actors.items():
        missing = sorted(read & set(design.known.meters) - set(actor.meters)) if actor.turns else []
        if missing:
            wrong = f"reads {missing[0]}, and {kind}, which takes turns, has none"
            yield ("game", "turn_order"), wrong, "order them by a stat: whoever has none counts as 0"
