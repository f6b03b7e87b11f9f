"""Wording: events as sentences, so that scripts, prompts and logs speak alike.

One phrase an event, with the fields of the event in braces; a design's own `[texts]` replace them in notices.
Knows nothing of where the words appear. Start at `sentence`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from cleaver.core.kernel.events import Event
from cleaver.rounding import counted, shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

TITLE = "title"
PHRASES: dict[str, str] = {
    "damaged": "{actor} loses {amount} {meter} ({before} → {after}){blow}{absorbing}{beyond}",
    "deflected": "{actor} is hit without harm{blow}",
    "healed": "{actor} regains {amount} {meter} ({before} → {after}){by}",
    "drained": "{actor} is drained of {amount} {meter} ({before} → {after}){by}",
    "died": "{actor} dies{by}",
    "launched": "{actor} launches {attack} ({shot})",
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
    "vanished": "{pickup} {placement} is gone",
    "worn": "{actor} puts on {item}{in_place}",
    "taken_off": "{actor} takes off {item}{off_why}",
    "stat_changed": "{actor}'s {stat} changes ({before} → {after}){stat_why}",
    "used": "{actor} uses {ability}{on_target}",
    "gained": "{actor} gains {amount} {item}, holds {held} ({reason})",
    "lost": "{actor} loses {amount} {item}, holds {held} ({reason})",
    "owed": "{actor} is owed {amount} {item}, for which there is no room yet ({reason})",
    "missed": "{actor} has no room for {amount} {item} ({reason})",
    "earned": "{actor} earns {amount} {currency}, has {balance} ({reason}){over_text}",
    "spent": "{actor} spends {amount} {currency}, has {balance} ({reason})",
    "exchanged": "{actor} uses {exchange}, {so_often}",
    "traded": "{actor} trades with {source}",
    "scored": "{actor} {points}, {score} in all{in_match}",
    "match_started": "{match} begins",
    "match_ended": "{match} ends: {winner}",
    "round_ended": "round {round} of {match} ends: {winner}",
    "team_changed": "{actor} joins {team}",
    "turn_round_began": "round {round} of turns begins",
    "turn_began": "{actor}'s turn {turn} begins",
    "turn_ended": "{actor}'s turn ends ({why})",
    "day_began": "day {day} begins",
    "daily_visit": "{actor} is here on day {day}",
    "stage_entered": "{stage} begins",
    "stage_left": "{stage} is over",
    "restarted": "{actor} is as when the stage began",
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
    "adopted": "the game goes on under another design",
}


def value_text(value: Any) -> str:
    """Return one value of an event as text."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return shown(value) if isinstance(value, (int, float)) else str(value)


def words_of(event: Event) -> dict[str, str]:
    """Return every field of an event as text, and the phrases made of them."""
    words = {name: value_text(value) for name, value in event.plain().items()}
    by = event.source if event.source and event.source != event.actor else ""
    words["by"] = f" by {by}" if by else ""
    if by and event.credit not in ("", event.source, event.actor):
        words["by"] += f", for {event.credit}"
    if "type" in event.shape.index:
        attack, kind = event.get("attack"), event.get("type")
        zone = (
            f" in the {event.get('zone')}"
            if event.shape.index.get("zone") is not None and event.get("zone")
            else ""
        )
        what = f"{by}'s {attack or kind}" if by and (attack or kind) else by or attack or kind
        critical = (
            ", critically" if event.shape.index.get("critical") is not None and event.get("critical") else ""
        )
        words["blow"] = (f" to {what}" if what else "") + zone + critical
    if event.name == "damaged":
        words["absorbing"] = f", {shown(event.absorbed)} absorbed" if event.absorbed else ""
        words["beyond"] = f", {shown(event.overkill)} overkill" if event.overkill else ""
    elif event.name == "worn":
        words["in_place"] = f" in place of {event.instead}" if event.instead else ""
    elif event.name == "taken_off":
        words["off_why"] = f" ({event.why})" if event.why else ""
    elif event.name == "stat_changed":
        words["stat_why"] = f" ({event.reason})" if event.reason else ""
    elif event.name == "used":
        words["on_target"] = f" on {event.target}" if event.target not in ("", event.actor) else ""
    elif event.name == "respawned":
        words["at_place"] = f" at {event.place}" if event.place else ""
    elif event.name == "crossed":
        words["crosses"] = "falls to" if event.way == "down" else "rises above"
    elif event.name == "earned":
        words["over_text"] = f"; {shown(event.over)} did not fit" if event.over else ""
    elif event.name == "exchanged":
        words["so_often"] = counted(event.times, "time")
    elif event.name == "achieved":
        words["ranked"] = f", {event.rank}" if event.rank else ""
    elif event.name == "scored":
        words["in_match"] = f" in {event.match}" if event.match else ""
        lost = f"loses {counted(-event.amount, 'point')}"
        words["points"] = f"scores {shown(event.amount)}" if event.amount > 0 else lost
    return words


def sentence(event: Event) -> str:
    """Return an event as one plain sentence, with amounts as they really were."""
    phrase = PHRASES.get(event.name)
    words = words_of(event)
    if phrase is None:
        told = ", ".join(f"{name} {value_text(value)}" for name, value in event.fields().items())
        return f"{words['actor'] or 'the game'}: {event.name}{' — ' + told if told else ''}"
    return phrase.format_map(words)


def _name(field: str, name: str) -> str:
    return name


class Word(str):
    """A field of an event as text; ``{item:title}`` in a text of the design writes the title of what it
    names."""

    __slots__ = ("title_of",)
    title_of: Callable[[], str]

    def __format__(self, spec: str) -> str:
        return self.title_of() if spec == TITLE else str(self)


def notice(event: Event, texts: Mapping[str, str], title: Callable[[str, str], str] = _name) -> str:
    """Return what a player reads about an event: the design's own text for it, or "" where it has none.

    Args:
        event: The event.
        texts: The texts of the design, by event.
        title: Returns the title of what a field of an event names, by the field and the name.
    """
    text = texts.get(event.name)
    if text is None:
        return ""
    words = {name: Word(word) for name, word in words_of(event).items()}
    for name, word in words.items():
        word.title_of = partial(title, name, str(word))
    return text.format_map(words)
