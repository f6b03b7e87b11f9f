"""Gathered: every rule there is, and what they find in a design. Start at `findings`."""

from __future__ import annotations

from cleaver.design.checks import contests, goods, quests, vitals
from cleaver.design.checks.finding import RULES, Finding
from cleaver.design.design import Design

THEMES = (vitals, goods, contests, quests)
"""The modules whose rules stand in `RULES`, by importing them."""


def findings(design: Design) -> list[Finding]:
    """Return every slip found in *design*, in the order of its lines."""
    source = design.source
    found = []
    for rule in RULES.values():
        for path, wrong, right in rule.look(design):
            key = ".".join(f"[{part + 1}]" if isinstance(part, int) else str(part) for part in path).replace(".[", "[")
            found.append(Finding(rule.name, source.name, source.line(path), key, wrong, right))
    return sorted(found, key=lambda finding: finding.line)
