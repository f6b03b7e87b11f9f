"""Timeline: the meters of one actor over time, with what happened to it marked.

A `Recorder` watches a world while it is played; `draw` makes a figure of what it saw. Start at `Recorder`.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from cleaver.core import read
from cleaver.core.kernel.events import Event
from cleaver.core.world import World
from cleaver.figures import drawing
from cleaver.rounding import shown


class Recorder:
    """Keeps the values of an actor's meters over time, and the events about it.

    `samples` holds, per meter, (seconds, value) pairs; `events` what happened to the actor. Let `sample` be
    called on every frame; around each event it is called by itself.
    """

    def __init__(self, actor: str) -> None:
        self.actor = actor
        self.samples: dict[str, list[tuple[float, float]]] = {}
        self.maxima: dict[str, float] = {}
        self.events: list[Event] = []

    def watch(self, world: World) -> None:
        """Hear of everything that changes the actor's meters or gives it something."""
        for name in (
            "damaged",
            "healed",
            "drained",
            "collected",
            "died",
            "respawned",
            "status_began",
            "status_ended",
            "crossed",
            "tagged",
            "untagged",
        ):
            world.listen(name, lambda event: self._heard(world, event), actor=self.actor)

    def _heard(self, world: World, event: Event) -> None:
        self.events.append(event)
        if event.name in ("damaged", "healed", "drained"):
            self.samples.setdefault(event.meter, []).append((event.time, event.before))
            self.samples[event.meter].append((event.time, event.after))

    def sample(self, world: World) -> None:
        """Note the meters as they are now."""
        if self.actor in read.parts(world).stage.actors:
            actor = world.actor(self.actor)
            for name in actor.meters:
                self.samples.setdefault(name, []).append((world.now, actor[name].value))
                self.maxima[name] = actor[name].max


_MARKERS = {"damaged": ("v", drawing.RED), "healed": ("^", drawing.GREEN)}


def draw(recorder: Recorder, path: str | Path, *, title: str) -> Path:
    """Draw a panel a meter, with hits, heals and pickups marked and statuses shaded; returns where it was
    written.

    Raises:
        MissingExtraError: matplotlib is not installed.
    """
    meters = [name for name, samples in recorder.samples.items() if any(value for _, value in samples)]
    figure = drawing.figure(title)
    panels = figure.subplots(
        len(meters) + 1,
        1,
        sharex=True,
        squeeze=False,
        gridspec_kw={"height_ratios": [3] * len(meters) + [1.1]},
    )[:, 0]
    for index, name in enumerate(meters):
        _panel(panels[index], recorder, name, drawing.SERIES[index % len(drawing.SERIES)])
    _strip(panels[-1], recorder)
    panels[-1].set_xlabel("time (seconds)", fontsize=12)
    _legend(panels[0])
    return drawing.save(figure, path)


def _panel(axes: Any, recorder: Recorder, meter: str, colour: str) -> None:
    samples = recorder.samples[meter]
    top = recorder.maxima.get(meter, max(value for _, value in samples))
    axes.plot([time for time, _ in samples], [value for _, value in samples], color=colour, linewidth=2.2)
    axes.fill_between(
        [time for time, _ in samples], [value for _, value in samples], color=colour, alpha=0.12
    )
    axes.set_ylim(0, top * 1.22)
    axes.axhline(top, color=drawing.GREY, linewidth=0.9, linestyle=":")
    axes.annotate(
        f"max {shown(top)}",
        (1, top),
        xycoords=("axes fraction", "data"),
        xytext=(-4, 4),
        textcoords="offset points",
        ha="right",
        fontsize=10,
        color=drawing.GREY,
    )
    axes.set_ylabel(f"{meter} (points)", fontsize=12)
    drawing.tidy_axes(axes)
    last = -9.0
    for event in recorder.events:
        if event.name not in ("damaged", "healed") or event.meter != meter:
            continue
        marker, shade = _MARKERS[event.name]
        pulse = event.name == "damaged" and not event.attack
        axes.plot(
            [event.time],
            [event.after],
            marker=marker,
            color=shade,
            markersize=6 if pulse else 11,
            markeredgecolor="white",
            zorder=5,
        )
        if not pulse and event.time - last > 0.2:
            sign = "−" if event.name == "damaged" else "+"
            axes.annotate(
                f"{sign}{shown(event.amount)}",
                (event.time, max(event.before, event.after)),
                xytext=(0, 7),
                textcoords="offset points",
                ha="center",
                fontsize=11,
                color=shade,
                fontweight="bold",
            )
            last = event.time


def _legend(axes: Any) -> None:
    """Say what the marks mean, by shape as well as by colour."""
    from matplotlib.lines import Line2D  # heavy, as all of matplotlib

    marks = [
        ("v", drawing.RED, 11, "hit"),
        ("v", drawing.RED, 6, "pulse of a status"),
        ("^", drawing.GREEN, 11, "heal"),
        ("o", drawing.PURPLE, 10, "pickup"),
    ]
    axes.legend(
        [
            Line2D([], [], marker=marker, color=colour, linestyle="", markersize=size)
            for marker, colour, size, _ in marks
        ],
        [word for *_, word in marks],
        ncols=4,
        loc="lower right",
        fontsize=10,
        frameon=True,
        framealpha=0.9,
    )


def _strip(axes: Any, recorder: Recorder) -> None:
    """The lowest panel: pickups as dots, statuses and tags as spans, each named."""
    end = max(time for samples in recorder.samples.values() for time, _ in samples)
    rows: list[str] = []
    starts: dict[str, float] = {}
    spans: list[tuple[str, float, float]] = []
    for event in recorder.events:
        if event.name in ("status_began", "tagged"):
            word = str(event.values[0])
            starts.setdefault(word, event.time)
        elif event.name in ("status_ended", "untagged"):
            word = str(event.values[0])
            spans.append((word, starts.pop(word, 0.0), event.time))
    spans += [(word, start, end) for word, start in starts.items()]
    taken = [event for event in recorder.events if event.name == "collected"]
    rows = list(dict.fromkeys([*(["pickups"] if taken else []), *(word for word, _, _ in spans)]))
    for word, start, stop in spans:
        axes.barh(
            rows.index(word),
            max(stop - start, 0.05),
            left=start,
            height=0.5,
            color=drawing.ORANGE,
            edgecolor=drawing.GREY,
            hatch="//",
            alpha=0.75,
        )
    for event in taken:
        axes.plot(
            [event.time],
            [0],
            marker="o",
            color=drawing.PURPLE,
            markersize=10,
            markeredgecolor="white",
            zorder=5,
        )
    previous = -9.0
    for event in taken:
        if event.time - previous > end * 0.06:
            same = [
                other.pickup
                for other in taken
                if abs(other.time - event.time) <= end * 0.06 and other.time >= event.time
            ]
            axes.annotate(
                " + ".join(same), (event.time, 0), xytext=(9, -4), textcoords="offset points", fontsize=10
            )
            previous = event.time
    axes.set_yticks(range(len(rows)), rows)
    axes.set_ylim(-0.7, max(len(rows) - 0.3, 0.7))
    axes.set_xlim(0, end * 1.02)
    drawing.tidy_axes(axes)
