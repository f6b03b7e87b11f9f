"""How `cleaver demo` prints a dive: one row per event, with the meters as they were just after it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rich import box
from rich.console import Console
from rich.table import Table
from rich.text import Text

from cleaver.core.kernel.events import Event
from cleaver.core.kernel.results import HitResult
from cleaver.figures.timeline import Recorder
from cleaver.hud.terminal import bar_text, style_of
from cleaver.hud.vitals.bar import Bar
from cleaver.hud.wording import sentence
from cleaver.rounding import shown
from cleaver.script import Session, Step

FRAME = 0.05  # seconds between two samples of the figure
_SILENT = {"placed", "joined", "saved"}


def tell_dive(session: Session, recorder: Recorder, lines: list[str], play: Callable[..., Any]) -> None:
    """Play *lines* and print the dive; *recorder* gets what the figure needs."""
    console = Console(highlight=False, width=max(Console().width, 100))
    table = Table(box=box.SIMPLE_HEAD, pad_edge=False)
    for title, justify in (
        ("time", "right"),
        ("what happened", "left"),
        ("suit", "left"),
        ("air", "left"),
        ("scrip", "right"),
    ):
        table.add_column(title, justify=justify, no_wrap=title != "what happened")  # type: ignore[arg-type]
    rows: list[tuple[Event, list[Text], str]] = []
    session.frame = (FRAME, lambda: recorder.sample(session.world))
    watching: list[object] = []
    pulses: list[float] = []

    def seen(event: Event) -> None:
        if event.name not in _SILENT:
            actor = session.actor("ana")
            rows.append(
                (event, [_bar(Bar(actor, name)) for name in ("suit", "air")], str(actor.purse["scrip"]))
            )

    def tell(step: Step) -> None:
        world = session.world
        if "ana" in world.stage.actors and not watching:
            actor = session.actor("ana")
            back = actor.purse["scrip"]
            console.print(
                "[bold]Lanternreef[/bold]: ana dives from the north pier, "
                f"{'back with ' + str(back) if back else 'with no'} scrip."
            )
            recorder.watch(world)
            recorder.sample(world)
            watching.extend(
                world.listen(name, seen)
                for name in world.event_names
                if not world.stage.kinds.known.events[name].seen_from
            )
        for event, bars, scrip in rows:
            if (
                event.name == "damaged" and not event.attack
            ):  # pulses are shown together, when what they belong to ends
                pulses.append(event.amount)
                continue
            result = session.result
            note = (
                f"\n  {result.explain()}"
                if isinstance(result, HitResult) and result.steps and event.name == "damaged" and event.attack
                else ""
            )
            if event.name == "status_ended" and pulses:
                note = f": {shown(sum(pulses))} suit lost in {len(pulses)} pulses"
                pulses.clear()
            table.add_row(f"{event.time:.2f} s", sentence(event) + note, *bars, scrip)
        rows.clear()
        if step.failed:
            console.print(f"[bold red]{step.text}: {step.said}[/]")

    outcome = play(session, lines, file="dive.play", tell=tell)
    console.print(table)
    actor = session.actor("ana")
    held = ", ".join(f"{actor.bag[name]} {name}" for name in actor.bag if actor.bag[name])
    console.print(
        f"At {shown(session.world.now)} s: {actor.score} points, {actor.purse['scrip']} scrip, "
        f"{held or 'nothing'} in the bag; "
        f"{outcome.held} of {outcome.held + outcome.failed} expectations hold."
    )


def _bar(bar: Bar) -> Text:
    role = bar.role
    return Text.assemble(
        (bar_text(bar, 10), style_of(role)),
        f" {bar.numbers}",
        (f" {role}" if role not in ("normal",) else "", "bold"),
    )
