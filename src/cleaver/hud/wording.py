"""Wording: facts as sentences, so that scripts, prompts and logs speak alike.

One phrase an event, with the fields of the fact in braces; a design's own
`[texts]` replace them in notices. Knows nothing of where the words appear.
Start at `sentence`.
"""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.core.kernel.events import Fact
from cleaver.rounding import shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

PHRASES: dict[str, str] = {
    "damaged": "{actor} loses {amount} {meter} ({before} → {after}){absorbing}{blow}{beyond}",
    "deflected": "{actor} is hit without harm{blow}",
    "healed": "{actor} regains {amount} {meter} ({before} → {after}){by}",
    "drained": "{actor} is drained of {amount} {meter} ({before} → {after}){by}",
    "died": "{actor} dies{by}",
    "life_lost": "{actor} loses a life, {lives} left",
    "out_of_lives": "{actor} is out of lives",
    "respawned": "{actor} returns{at_place}",
    "emptied": "{actor}'s {meter} is empty",
    "filled": "{actor}'s {meter} is full",
    "crossed": "{actor}'s {meter} {crosses} {mark}",
    "adjusted": "{actor}'s {meter} {part} is set ({before} → {after})",
    "status_began": "{actor} is under {status}{by}",
    "status_ended": "{actor}'s {status} ends ({why})",
    "tagged": "{actor} is now {tag}",
    "untagged": "{actor} is no longer {tag}",
    "placed": "{pickup} {placement} is laid out",
    "collected": "{actor} takes {pickup} {placement}",
    "reappeared": "{pickup} {placement} is back",
    "gained": "{actor} gains {amount} {item}, holds {held} ({reason})",
    "lost": "{actor} loses {amount} {item}, holds {held} ({reason})",
    "missed": "{actor} has no room for {amount} {item} ({reason})",
    "earned": "{actor} earns {amount} {currency}, has {balance} ({reason}){over_text}",
    "spent": "{actor} spends {amount} {currency}, has {balance} ({reason})",
    "exchanged": "{actor} uses {exchange}, {times} times",
    "scored": "{actor} scores {amount}, {score} in all{in_match}",
    "match_started": "{match} begins",
    "match_ended": "{match} ends: {winner}",
    "round_ended": "round {round} of {match} ends: {winner}",
    "team_changed": "{actor} joins {team}",
    "rated": "{actor} is rated {stars} of {of} stars for {rating} ({measure})",
    "xp_gained": "{actor} gains {amount} {levels} experience, {total} in all",
    "levelled": "{actor} reaches {levels} {level}",
    "quest_available": "{quest} is available to {actor}",
    "quest_started": "{actor} accepts {quest}",
    "quest_ready": "{actor} can turn in {quest}",
    "quest_completed": "{actor} completes {quest}",
    "quest_failed": "{actor} fails {quest}",
    "quest_abandoned": "{actor} abandons {quest}",
    "goal_advanced": "{actor}: {quest}, {goal} {progress}/{count}",
    "goal_met": "{actor}: {quest}, {goal} is met",
    "achieved": "{actor} achieves {achievement}{ranked}",
    "joined": "{actor} enters",
    "departed": "{actor} leaves",
    "saved": "{actor} is saved, revision {revision}",
    "loaded": "{actor} is as its profile says",
}


def value_text(value: Any) -> str:
    """Return one value of a fact as text."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return shown(value) if isinstance(value, (int, float)) else str(value)


def words_of(fact: Fact) -> dict[str, str]:
    """Return every field of a fact as text, and the phrases made of them."""
    words = {name: value_text(value) for name, value in fact.plain().items()}
    by = fact.source if fact.source and fact.source != fact.actor else ""
    words["by"] = f" by {by}" if by else ""
    if "attack" in fact.kind.index:
        attack, kind = fact.get("attack"), fact.get("kind")
        zone = f" in the {fact.get('zone')}" if fact.kind.index.get("zone") is not None and fact.get("zone") else ""
        what = f"{by}'s {attack or kind}" if by and (attack or kind) else by or attack or kind
        critical = ", critically" if fact.kind.index.get("critical") is not None and fact.get("critical") else ""
        words["blow"] = (f" to {what}" if what else "") + zone + critical
    if fact.name == "damaged":
        words["absorbing"] = f", {shown(fact.absorbed)} absorbed," if fact.absorbed else ""
        words["beyond"] = f", {shown(fact.overkill)} beyond" if fact.overkill else ""
    elif fact.name == "respawned":
        words["at_place"] = f" at {fact.place}" if fact.place else ""
    elif fact.name == "crossed":
        words["crosses"] = "falls to" if fact.way == "down" else "rises above"
    elif fact.name == "earned":
        words["over_text"] = f"; {shown(fact.over)} did not fit" if fact.over else ""
    elif fact.name == "achieved":
        words["ranked"] = f", {fact.rank}" if fact.rank else ""
    elif fact.name == "scored":
        words["in_match"] = f" in {fact.match}" if fact.match else ""
    return words


def sentence(fact: Fact) -> str:
    """Return a fact as one plain sentence, with amounts as they really were."""
    phrase = PHRASES.get(fact.name)
    words = words_of(fact)
    if phrase is None:
        told = ", ".join(f"{name} {value_text(value)}" for name, value in fact.fields().items())
        return f"{words['actor'] or 'the game'}: {fact.name}{' — ' + told if told else ''}"
    return phrase.format_map(words)


def notice(fact: Fact, texts: Mapping[str, str]) -> str:
    """Return what a player is told of a fact: the design's own text for it, or "" where it has none."""
    text = texts.get(fact.name)
    return text.format_map(words_of(fact)) if text is not None else ""
