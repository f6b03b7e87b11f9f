"""Stories: a number explained back to where it began, from the events that were kept.

Each event that changed the number is a chapter, with what it follows from; a history that was cut, by its
length or by a restore, is said to be. `tale` puts it into words. Start at `story`.
"""

from __future__ import annotations

from collections.abc import Collection

from cleaver.core.kernel.events import Event
from cleaver.core.kernel.results import explained
from cleaver.core.kernel.stage import Stage
from cleaver.core.wording import sentence, value_text
from cleaver.design.paths import Path
from cleaver.errors import UsageError
from cleaver.named import NamedTuple
from cleaver.rounding import shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

MOST_CAUSES = 3  # shown of one change, nearest first
LONGEST = 40  # chapters shown; earlier ones are counted
_METER_EVENTS = ("damaged", "healed", "drained", "adjusted", "emptied", "filled", "respawned", "died")


class Chapter(NamedTuple):
    """One change: the event, what the value was before and after (None where that is not a number), and the
    events it follows from, nearest first."""

    event: Event
    before: float | str | None
    after: float | str | None
    because: tuple[Event, ...]


class Story(NamedTuple):
    """How a value came to be what it is: its path, the value now, the changes in order, whether earlier ones
    are not known any more, and, of a stat, what it is added up of."""

    path: str
    value: Any
    chapters: tuple[Chapter, ...]
    cut: bool
    explained: str = ""

    def __str__(self) -> str:
        return "\n".join(tale(self))


BRINGS = {
    "worn": ("worn", "item"),
    "set": ("worn", ""),
    "held": ("gained", "item"),
    "status": ("status_began", "status"),
    "levels": ("levelled", "levels"),
    "achievement": ("achieved", "achievement"),
    "team": ("team_changed", "team"),
    "stage": ("stage_entered", "stage"),
    "exchange": ("exchanged", "exchange"),
    "quest": ("quest_completed", "quest"),
    "pickup": ("collected", "pickup"),
}
"""The event that brings what modifies a stat, by what that is, and the field that names it."""


def stat_story(
    stage: Stage, path: str, root: str, value: Any, causes: Collection[str], explained: str
) -> Story:
    """Return the story of a stat: what it is added up of now, and the events that brought each of these.

    Args:
        stage: The world whose events it looks through.
        path: The path, as it was asked for.
        root: The id of the actor.
        value: What the stat comes to.
        causes: What modifies it, such as "worn:sword".
        explained: What it is added up of.
    """
    events = list(stage.history)
    by_seq = {event.seq: event for event in events}
    wanted = {(*BRINGS.get(what, ("", "")), name) for what, _, name in (one.partition(":") for one in causes)}
    chapters = [
        Chapter(event, None, None, _because(event, by_seq))
        for event in events
        if event.actor in (root, "")
        and any(event.name == on and (not field or event.get(field) == name) for on, field, name in wanted)
    ]
    return Story(path, value, tuple(chapters), _is_cut(stage, events), explained)


def _is_cut(stage: Stage, events: list[Event]) -> bool:
    """Return whether events from before are not kept any more."""
    return (bool(events) and events[0].seq > 1) or (not events and stage.seq > 0)


def story(stage: Stage, path: str, found: Path, value: Any, shared: Collection[str] = ()) -> Story:
    """Return the story of a path of an actor: a meter, goods, a score, a quest's state, stars, a level;
    *shared* are the ids of those who share it.

    Raises:
        UsageError: A path of which no events tell.
    """
    events = list(stage.history)
    by_seq = {event.seq: event for event in events}
    body = stage.actors.get(found.root)
    whose, shield = {found.root, *shared}, None
    if body is not None and found.what == "meter" and found.part == "value":
        shield = body.kind.meters.get(found.name)
    chapters = []
    for event in events:
        change = _change(event, found) if event.actor in whose else None
        if change is None and shield is not None and event.actor == found.root:
            change = _absorbed(event, shield.shields)
        if change is not None:
            chapters.append(Chapter(event, *change, _because(event, by_seq)))
    if shield is not None and shield.shields and not shield.flows:
        sole = sum(other.shields == shield.shields for other in body.kind.meters.values()) == 1  # type: ignore[union-attr]  # it has the meter
        chapters = _added_up(chapters, shield.name, value) if sole else chapters
    return Story(path, value, tuple(chapters), _is_cut(stage, events))


def _because(event: Event, by_seq: dict[int, Event]) -> tuple[Event, ...]:
    trail = []
    while event.cause and event.cause in by_seq:
        event = by_seq[event.cause]
        trail.append(event)
    return tuple(trail)


def _absorbed(event: Event, shields: str) -> tuple[Any, Any] | None:
    """Return (None, None) where a shield of a meter took something off a hit: how much of it each shield
    took, the event does not say."""
    hit = event.name == "damaged" and event.meter == shields and event.absorbed
    return (None, None) if hit else None


def _added_up(chapters: list[Chapter], name: str, value: Any) -> list[Chapter]:
    """Return the chapters of the only shield of a meter with what it absorbed, counted back from its value
    now."""
    found = []
    for chapter in reversed(chapters):
        if chapter.event.name == "damaged" and chapter.event.meter != name:
            chapter = chapter._replace(before=value + chapter.event.absorbed, after=value)
        if chapter.before is not None:
            value = chapter.before
        found.append(chapter)
    return found[::-1]


def _change(event: Event, path: Path) -> tuple[Any, Any] | None:
    """Return (before, after) where an event changed what a path reads; None where it did not."""
    name, what = event.name, path.what
    if what == "meter":
        return _meter_change(event, path.name)
    if what in ("currency", "item"):
        amounts = {"earned": 1, "gained": 1, "spent": -1, "lost": -1}
        if name in amounts and event.values[0] == path.name:
            after = event.get("held" if what == "item" else "balance")
            return after - amounts[name] * event.amount, after
        return None
    if what == "score":
        return (event.score - event.amount, event.score) if name == "scored" else None
    if what == "levels":
        if name == "levelled" and event.levels == path.name and path.part == "level":
            return event.level - 1, event.level
        if name == "xp_gained" and event.levels == path.name and path.part != "level":
            return event.total - event.amount, event.total
        return None
    if what in ("quest", "goal", "goal_count"):
        return _quest_change(event, path)
    if what == "stars":
        return (None, event.best) if name == "rated" and path.name in ("", event.rating) else None
    if what == "achieved":
        return (None, True) if name == "achieved" and event.achievement == path.name else None
    if what in ("alive", "lives"):
        if what == "alive" and name in ("died", "respawned"):
            return None, name == "respawned"
        return (event.lives + 1, event.lives) if what == "lives" and name == "life_lost" else None
    if what in ("tags", "statuses"):
        wanted = ("tagged", "untagged") if what == "tags" else ("status_began", "status_ended")
        return (None, event.values[0]) if name in wanted else None
    raise UsageError(
        f"no events tell of {path.root}.{what}; ask about a meter, goods, a score, a level, a quest or stars"
    )


def _meter_change(event: Event, meter: str) -> tuple[Any, Any] | None:
    if event.name not in _METER_EVENTS:
        return None
    if event.name in ("died", "respawned"):
        return None if event.name == "died" else (None, None)
    if event.meter != meter or (event.name == "adjusted" and event.part != "value"):
        return None
    if event.name in ("emptied", "filled"):
        return None, None
    return event.before, event.after


def _quest_change(event: Event, path: Path) -> tuple[Any, Any] | None:
    if not event.name.startswith(("quest_", "goal_")) or event.quest != path.name:
        return None
    if path.what != "quest":
        advanced = event.name == "goal_advanced" and event.goal == path.part
        return (None, event.progress) if advanced else None
    states = {
        "quest_available": "available",
        "quest_started": "active",
        "quest_ready": "ready",
        "quest_completed": "completed",
        "quest_failed": "failed",
        "quest_abandoned": "available",
    }
    return (None, states[event.name]) if event.name in states else None


def tale(story: Story) -> list[str]:
    """Return a story as lines: the value now, where it began as far as is known, then each change with its
    time, by how much, and why."""
    words = isinstance(story.value, list)
    value = (", ".join(story.value) or "none") if words else value_text(story.value)
    lines = [f"{story.path} is {value} now{': ' if story.explained else ''}{story.explained}"]
    first = next((chapter.before for chapter in story.chapters if chapter.before is not None), None)
    if story.cut:
        lines.append(
            f"  {value_text(first) if first is not None else 'earlier'} before that: events from before are "
            "not kept any more"
        )
    elif first is not None:
        lines.append(f"  {value_text(first)} at the start")
    elif not story.chapters and not story.explained:
        lines.append("  as it was at the start: nothing has changed it")
    skipped = len(story.chapters) - LONGEST
    if skipped > 0:
        lines.append(f"  … {skipped} earlier changes")
    mentioned: set[int] = set()
    for chapter in story.chapters[-LONGEST:]:
        lines.append(_chapter_line(chapter, mentioned))
        mentioned.update(event.seq for event in (chapter.event, *chapter.because[:MOST_CAUSES]))
    last = next(
        (chapter.after for chapter in reversed(story.chapters) if isinstance(chapter.after, (int, float))),
        first,
    )
    if isinstance(story.value, float) and isinstance(last, (int, float)) and abs(last - story.value) > 1e-9:
        lines.append(f"  {_signed(story.value - last)} since, by its flows")
    return lines


def _chapter_line(chapter: Chapter, mentioned: Collection[int] = ()) -> str:
    """Return one change as a line: "−12.5 at 0 s, #3: ana loses 12.5 suit … to eel1's sting: 9 × 3 visor …  ←
    …"; causes already *mentioned* by number."""
    event, before, after = chapter.event, chapter.before, chapter.after
    change = ""
    if isinstance(before, (int, float)) and isinstance(after, (int, float)) and not isinstance(after, bool):
        change = f"{_signed(after - before)} "
    because = ""
    for cause in chapter.because[:MOST_CAUSES]:
        if cause.seq in mentioned:
            because += f"  ← #{cause.seq}"
            break
        because += f"  ← #{cause.seq} {sentence(cause)}"
    steps = getattr(event, "steps", ())
    steps = steps() if callable(steps) else steps
    total = f": {explained(steps, event.amount + event.absorbed + event.overkill)}" if steps else ""
    return f"  {change}at {shown(event.time)} s, #{event.seq}: {sentence(event)}{total}{because}"


def _signed(number: float) -> str:
    return shown(number) if number < 0 else f"+{shown(number)}"
