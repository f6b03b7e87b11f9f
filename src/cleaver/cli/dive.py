"""How `cleaver demo` prints a dive: one row per event, with the meters as they were just after it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rich import box
from rich.console import Console
from rich.table import Table
from rich.text import Text

from cleaver.cli.printing import cell, console, printable, say_table, within
from cleaver.core import read
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.results import HitResult
from cleaver.core.wording import sentence
from cleaver.figures.timeline import Recorder
from cleaver.hud.terminal import bar_text, style_of
from cleaver.hud.vitals.bar import Bar
from cleaver.rounding import shown
from cleaver.script import Session, Step

FRAME = 0.05  # seconds between two samples of the figure
_SILENT = {"placed", "joined", "saved", "emptied", "goal_advanced"}
"""What another event says as well, or what nobody asks for in a table."""


class _Dive:
    """Prints a dive while it is played: one row per event, pulses of a status together."""

    def __init__(self, session: Session, recorder: Recorder, console: Console) -> None:
        self.session, self.recorder, self.console = session, recorder, console
        self.cells, self.titles = _layout(console.width)
        self.table = Table(box=box.SIMPLE_HEAD, pad_edge=False, show_edge=False)
        for title in self.titles:
            numbers = title in ("time", "scrip")
            self.table.add_column(
                title, justify="right" if numbers else "left", no_wrap=title != "what happened"
            )
        self.waiting: list[tuple[Event, list[Text], str]] = []  # events of the present line
        self.watching: list[object] = []
        self.pulses: list[float] = []

    def see(self, event: Event) -> None:
        """Note an event, with the meters as they are just after it."""
        if event.name not in _SILENT:
            actor = self.session.actor("ana")
            bars = [_bar(Bar(actor, name), self.cells) for name in ("suit", "air")]
            self.waiting.append((event, bars, str(actor.purse["scrip"])))

    def tell(self, step: Step) -> None:
        """Add the rows of one line of the script."""
        if "ana" in read.parts(self.session.world).stage.actors and not self.watching:
            self._begin()
        for event, bars, scrip in self.waiting:
            if event.name == "damaged" and not event.attack:
                self.pulses.append(event.amount)  # shown together, when what they belong to ends
            else:
                row: tuple[Text | str, ...] = (
                    f"{event.time:.2f} s",
                    cell(sentence(event) + self._note(event)),
                    *bars,
                    scrip,
                )
                self.table.add_row(*row[: len(self.titles)])
        self.waiting.clear()
        if step.text.startswith("talk "):  # no event tells of what is said
            self._say(step.said.partition("; next")[0])
        if step.failed:
            self.console.print(f"[bold red]{within(f'{step.text}: {step.said}')}[/]")

    def _say(self, text: str) -> None:
        """Add a row with what somebody says."""
        actor = self.session.actor("ana")
        bars = [_bar(Bar(actor, name), self.cells) for name in ("suit", "air")]
        row: tuple[Text | str, ...] = (
            f"{self.session.world.now:.2f} s",
            cell(text),
            *bars,
            str(actor.purse["scrip"]),
        )
        self.table.add_row(*row[: len(self.titles)])

    def _begin(self) -> None:
        world, back = self.session.world, self.session.actor("ana").purse["scrip"]
        self.console.print(
            "[bold]Lanternreef[/bold]: ana dives from the north pier, "
            f"{'back with ' + str(back) if back else 'with no'} scrip."
        )
        self.recorder.watch(world)
        self.recorder.sample(world)
        events = read.parts(world).kinds.known.events
        names = [name for name in world.event_names if not events[name].seen_from]
        self.watching.extend(world.listen_own(name, self.see) for name in names)

    def _note(self, event: Event) -> str:
        """Return what stands under an event: the sum of a hit, or what the pulses of a status came to."""
        result = self.session.result
        if event.name == "status_ended" and self.pulses:
            note = f": {shown(sum(self.pulses))} suit lost in {len(self.pulses)} pulses"
            self.pulses.clear()
            return note
        if event.name == "damaged" and isinstance(result, HitResult) and len(result.steps) > 1:
            return f"\n  {result.explain()}"
        return ""


def tell_dive(session: Session, recorder: Recorder, lines: list[str], play: Callable[..., Any]) -> None:
    """Play *lines* and print the dive; *recorder* gets what the figure needs."""
    out = console()
    dive = _Dive(session, recorder, out)
    session.frame = (FRAME, lambda: recorder.sample(session.world))
    outcome = play(session, lines, file="dive.play", tell=dive.tell)
    say_table(dive.table)
    actor = session.actor("ana")
    held = ", ".join(f"{actor.bag[name]} {name}" for name in actor.bag if actor.bag[name])
    out.print(
        f"At {shown(session.world.now)} s: {actor.score} points, {actor.purse['scrip']} scrip, "
        f"{held or 'nothing'} in the bag; "
        f"{outcome.held} of {outcome.held + outcome.failed} expectations hold."
    )


def _layout(width: int) -> tuple[int, tuple[str, ...]]:
    """Return how many characters a bar has, and which columns there are, in a terminal of *width*."""
    titles = ("time", "what happened", "suit", "air", "scrip")
    if width >= 100:
        return 10, titles
    return (5, titles) if width >= 80 else (0, titles) if width >= 60 else (0, titles[:2])


def _bar(bar: Bar, cells: int) -> Text:
    role = bar.role
    return Text.assemble(
        (printable(f"{bar_text(bar, cells)} ") if cells else "", style_of(role)),
        bar.numbers,
        (f" {role}" if role not in ("normal",) else "", "bold"),
    )
