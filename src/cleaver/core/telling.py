"""Telling: what a script says of a command that was done, where a plain text does not do.

Here stand the themes, too, under which its help lists commands. Start at `hit`.
"""

from __future__ import annotations

from cleaver.core.kernel.results import HitResult
from cleaver.rounding import counted, shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from typing import Any

    Given = Mapping[str, Any]

PEOPLE, HITS, STATUSES, GOODS, POINTS = (
    "who is there",
    "hits and meters",
    "tags and statuses",
    "goods",
    "points",
)
GEAR, ABILITIES = "stats and gear", "abilities"
STAGES, QUESTS, TIME, SAVES, RUNNING = "stages", "quests", "time", "saves", "a running game"
TESTING, LOOKING = "testing", "looking"
THEMES = (
    PEOPLE,
    HITS,
    ABILITIES,
    STATUSES,
    GOODS,
    GEAR,
    POINTS,
    STAGES,
    QUESTS,
    TIME,
    SAVES,
    RUNNING,
    TESTING,
    LOOKING,
)
"""In the order of the help."""


def hit(me: Any, result: HitResult, given: Given) -> str:
    """Say what a hit did."""
    what = [f"{shown(result.dealt)} dealt"]
    what += [f"{shown(result.absorbed)} absorbed"] if result.absorbed else []
    what += [f"{shown(result.overkill)} overkill"] if result.overkill else []
    total = f": {result.explain()}" if len(result.steps) > 1 else ""
    critical = " (critical)" if result.critical else ""
    return f"{', '.join(what)}{total}{critical}{', lethal' if result.lethal else ''}"


def input_stands(me: Any, result: Any, given: Given) -> str:
    """Say at what an input stands."""
    value = given["value"]
    stands = "is the design's again" if value is None else f"is {shown(value)}"
    return f"{given['name']} of {me.id} {stands}"


def moved(me: Any, result: Any, given: Given) -> str:
    """Say how much of a good came or went."""
    over = f", {result.over} did not fit" if result.over else ""
    return f"{result.amount} {given.get('currency') or given['item']}{over}"


def stat(me: Any, result: Any, given: Given) -> str:
    """Say what a stat comes to."""
    return f"{me.id}.{given['stat']}: {me.stats[given['stat']].explain()}"


def traded(me: Any, result: Any, given: Given) -> str:
    """Say who gave what."""
    gives, back = (
        ", ".join(f"{count} {good}" for good, count in (goods or {}).items() if count) or "nothing"
        for goods in (given["gives"], given["gives_back"])
    )
    return f"{given['one'].id} gives {gives}, {given['other'].id} gives {back}"


def lives(me: Any, result: Any, given: Given) -> str:
    """Say how many lives came."""
    return f"{counted(int(result.amount), 'life', 'lives')}, {me.lives} now"


def grown(me: Any, result: Any, given: Given) -> str:
    """Say what level somebody has."""
    levels = given["levels"]
    level = me.levels[levels]
    return f"{levels} {level}, {level.xp} in all, {level.left} to the next"


def rated(me: Any, result: Any, given: Given) -> str:
    """Say how many stars somebody was given."""
    missing = f"; missing: {result.advice}" if result.advice else ""
    return f"{result.stars} of {result.of} stars ({shown(result.measure)}){missing}"


def match(what: str) -> Callable[[Any, Any, Given], str]:
    """Return what says how a match stands, of which something was done."""

    def told(me: Any, result: Any, given: Given) -> str:
        table = ", ".join(f"{place.side} {place.score}" for place in me.standings)
        text = f"{me.name} {what}"
        text += f": {table}" if table and what != "starts" else ""
        return text + (f", won by {me.winner}" if me.winner else "")

    return told


def turn(me: Any, result: Any, given: Given) -> str:
    """Say whose turn it is."""
    return f"round {me.turn_round}: {me.turn.id}'s turn" if me.turn is not None else "nobody can take a turn"


def stage(me: Any, result: Any, given: Given) -> str:
    """Say what is there where a stage begins."""
    if not me.stage:
        return "the stage is left"
    creatures = counted(len(me.actors) - len(me.players), "creature")
    anew = "" if "stage" in given else " anew"
    return f"{me.stage} begins{anew}: {creatures}, {counted(len(me.placements), 'placement')}"


def quest(what: str) -> Callable[[Any, Any, Given], str]:
    """Return what says of a quest what was done, and in which state it is."""
    return lambda me, result, given: f"{given['quest']}: {what}, {me.quests[given['quest']].state}"


def came(one: str, several: str) -> Callable[[Any, Any, Given], str]:
    """Return what says who or what has come."""
    return lambda me, result, given: (
        f"{', '.join(made.id for made in result)} {one if len(result) == 1 else several}"
    )


def talked(me: Any, result: Any, given: Given) -> str:
    """Say a giver's line, and what can be done about it."""
    next_ = f"; next: {result.next} {me.id} {result.quest}" if result.next else ""
    return f"{given['giver']}: {result.text or '(nothing to say)'}{next_}"
