"""`cleaver why`: how a value came to be what it is at the end of a script."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from cleaver.cli.options import (
    ChoiceOf,
    design_argument,
    design_at,
    form_option,
    paths_of,
    script_at,
    script_type,
)
from cleaver.cli.printing import say, say_json
from cleaver.core.story import tale
from cleaver.script import Session, play

if TYPE_CHECKING:
    from cleaver.core.story import Story


@click.command("why")
@design_argument()
@click.argument("script", type=script_type())
@click.argument("path", type=ChoiceOf(paths_of))
@form_option()
def command(design: Path, script: Path, path: str, form: str) -> None:
    """Play SCRIPT under DESIGN, then explain how the value at PATH came to be, back to where it began.

    \b
    Example:  cleaver why lanternreef.toml dive.play ana.suit
    """
    session = Session(design_at(design), history=100_000, folder=script.parent)
    lines, name = script_at(script)
    play(session, lines, file=name)
    story = session.world.why(path)
    if form == "json":
        say_json(_plain(story))
        return
    for line in tale(story):
        say(line)


def _plain(story: Story) -> dict[str, Any]:
    return {
        "path": story.path,
        "value": story.value,
        "earlier_unknown": story.cut,
        "changes": [
            {
                "before": chapter.before,
                "after": chapter.after,
                "event": chapter.event.plain(),
                "because": [event.plain() for event in chapter.because],
            }
            for chapter in story.chapters
        ],
    }
