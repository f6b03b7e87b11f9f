"""Telling: the story of a number in words. Start at `tale`."""

from __future__ import annotations

from collections.abc import Collection

from cleaver.core.kernel.results import explained
from cleaver.hud.wording import sentence, value_text
from cleaver.rounding import shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.story import Chapter, Story

MOST_CAUSES = 3  # shown of one change, nearest first
LONGEST = 40  # chapters shown; earlier ones are counted


def tale(story: Story) -> list[str]:
    """Return a story as lines: the value now, where it began as far as is known, then each change with its
    time, by how much, and why."""
    words = isinstance(story.value, list)
    value = (", ".join(story.value) or "none") if words else value_text(story.value)
    lines = [f"{story.path} is {value} now"]
    first = next((chapter.before for chapter in story.chapters if chapter.before is not None), None)
    if story.cut:
        lines.append(
            f"  {value_text(first) if first is not None else 'earlier'} before that: events from before are "
            "not kept any more"
        )
    elif first is not None:
        lines.append(f"  {value_text(first)} at the start")
    elif not story.chapters:
        lines.append("  as it was at the start: nothing has changed it")
    skipped = len(story.chapters) - LONGEST
    if skipped > 0:
        lines.append(f"  … {skipped} earlier changes")
    mentioned: set[int] = set()
    for chapter in story.chapters[-LONGEST:]:
        lines.append(chapter_line(chapter, mentioned))
        mentioned.update(event.seq for event in (chapter.event, *chapter.because[:MOST_CAUSES]))
    last = next(
        (chapter.after for chapter in reversed(story.chapters) if isinstance(chapter.after, (int, float))),
        first,
    )
    if isinstance(story.value, float) and isinstance(last, (int, float)) and abs(last - story.value) > 1e-9:
        lines.append(f"  {_signed(story.value - last)} since, by its flows")
    return lines


def chapter_line(chapter: Chapter, mentioned: Collection[int] = ()) -> str:
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
