"""Gathered: every rule there is, and what they find in a design. Start at `findings`."""

from __future__ import annotations

from cleaver.design.checks import clocks, contests, goods, quests, saves, stages, stats, vitals
from cleaver.design.checks.finding import RULES, Finding
from cleaver.design.design import Design
from cleaver.design.lines import key_of
from cleaver.errors import advice

THEMES = (vitals, stats, clocks, goods, contests, stages, quests, saves)
"""The modules whose rules stand in `RULES`, by importing them."""


def _looked(design: Design) -> list[tuple[Finding, bool]]:
    """Return every warning, and whether the design silences it."""
    source, silences = design.source, design.tables.check.silence
    found = []
    for rule in RULES.values():
        for path, wrong, right in rule.look(design):
            key = key_of(path)
            quiet = any(
                silence.rule == rule.name
                and (key == silence.at or key.startswith((f"{silence.at}.", f"{silence.at}[")))
                for silence in silences
            )
            found.append((Finding(rule.name, source.name, source.line(path), key, wrong, right), quiet))
    for number, silence in enumerate(silences):
        line = source.line(("check", "silence", number))
        if silence.rule not in RULES:
            told = Finding(
                "useless_silence",
                source.name,
                line,
                f"check.silence[{number + 1}]",
                f"there is no rule {silence.rule!r}",
                advice(silence.rule, list(RULES)),
            )
            found.append((told, False))
        elif not any(
            quiet and one.name == silence.rule and one.key.startswith(silence.at) for one, quiet in found
        ):
            told = Finding(
                "useless_silence",
                source.name,
                line,
                f"check.silence[{number + 1}]",
                f"{silence.rule} finds nothing at {silence.at}",
                "take it out",
            )
            found.append((told, False))
    return sorted(found, key=lambda pair: pair[0].line)


def findings(design: Design) -> list[Finding]:
    """Return every mistake found in *design* that it does not silence, in the order of its lines."""
    return looked(design)[0]


def looked(design: Design) -> tuple[list[Finding], list[Finding]]:
    """Return (what was found, what the design silences with a reason), each in the order of its lines."""
    found = _looked(design)
    return [one for one, quiet in found if not quiet], [one for one, quiet in found if quiet]
