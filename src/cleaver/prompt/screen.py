"""Screen: the prompt as a live view of the whole terminal, drawn with textual.

Actors with their bars, statuses and tags on the left; whoever is chosen in detail, with `why` one key away,
and the latest events on the right; a line to type below. Looks again ten times a second, and draws only what
can be seen. A line that takes long is carried out beside the view, which goes on, keeps what is typed
meanwhile for later, and can stop it. Start at `PlayApp`.
"""

from __future__ import annotations

import threading
from collections import deque
from typing import Any, ClassVar

from rich.segment import Segment
from rich.style import Style
from rich.text import Text
from textual import events
from textual.app import App, ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical, VerticalScroll
from textual.geometry import Size
from textual.scroll_view import ScrollView
from textual.strip import Strip
from textual.widgets import Input, OptionList, RichLog, Static
from textual.widgets.option_list import Option

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.wording import value_text
from cleaver.hud.terminal import bar_text, popups_text, style_of
from cleaver.hud.vitals.bar import Bar
from cleaver.hud.vitals.popups import Popups
from cleaver.prompt.completing import complete
from cleaver.prompt.live import Live, Said, greeting
from cleaver.rounding import counted, shown
from cleaver.script.looking import progress, status_text, turns_text
from cleaver.script.runner import event_line
from cleaver.script.state import actor_state
from cleaver.visible import visible

FRAMES = 10  # a second
BAR = 12  # characters
LOG = 2_000  # lines kept
KEYS = "F1 help  F2 why  F3 who  F4 run  F5 value  F6 turn  ^Z undo  ^C stop  ^Q quit"

Span = tuple[str, str]
"""A text and its rich style."""


class ActorList(ScrollView):
    """Everybody, two lines each: who, statuses, popups; then bars. Only the lines that are seen are made."""

    virtual_size: Size

    def __init__(self, live: Live) -> None:
        super().__init__(id="actors")
        self.live = live
        self.can_focus = False
        self.bars: dict[tuple[str, str], Bar] = {}
        self.popups: Popups | None = None
        self.world: object = None
        self.rows: list[tuple[Actor, bool]] = []

    def refresh_rows(self, seconds: float) -> None:
        """Look at the world again after *seconds* of it."""
        world = self.live.session.world
        if world is not self.world:  # another one since undo, redo or restore
            self.world, self.bars, self.popups = world, {}, Popups(world)
        actors = sorted(world.actors, key=lambda actor: not actor.player)
        self.rows = [
            (actor, second) for actor in actors for second in (False, True) if not second or actor.meters
        ]
        there = {actor.id for actor in actors}
        self.bars = {key: bar for key, bar in self.bars.items() if key[0] in there}
        for bar in self.bars.values():
            bar.update(seconds)
        if self.popups is not None:
            self.popups.update(seconds)
        self.virtual_size = Size(self.size.width, len(self.rows))
        self.refresh()

    def bar(self, actor: Actor, meter: str) -> Bar:
        """Return the bar of a meter, whose ghost goes on from one look to the next."""
        key = (actor.id, meter)
        if key not in self.bars:
            self.bars[key] = Bar(actor, meter, ghost=0.6)
        return self.bars[key]

    def render_line(self, y: int) -> Strip:
        """Return one line of the list."""
        width = self.size.width
        index = y + self.scroll_offset.y
        if index >= len(self.rows):
            empty = "nobody is here yet: join KIND NAME" if not self.rows and index == 0 else ""
            return Strip([Segment(empty, Style(dim=True))]).adjust_cell_length(width)
        actor, second = self.rows[index]
        spans = self.meters_of(actor) if second else self.head_of(actor)
        return Strip([Segment(text, Style.parse(style)) for text, style in spans if text]).adjust_cell_length(
            width
        )

    def head_of(self, actor: Actor) -> list[Span]:
        """Return the first line of an actor: name, kind, side, what it is under."""
        chosen = actor.id == self.live.chosen
        parts: list[Span] = [
            ("▶ " if chosen else "  ", "bold"),
            (actor.id, "bold" if actor.alive else "dim strike"),
            (
                f" {actor.kind}{' of ' + actor.team if actor.team else ''}{'' if actor.alive else ', dead'}",
                "dim",
            ),
        ]
        parts += [("  its turn", "bold green")] if read.body(actor).turns & 1 else []
        parts += [(f"  {status_text(actor, name)}", "magenta") for name in actor.statuses]
        parts += [(f"  {tag}", "cyan") for tag in actor.tags]
        if self.popups is not None:
            mine = popups_text(self.popups, actor.id)
            parts.append((f"  {mine}", "bold yellow"))
        return parts

    def meters_of(self, actor: Actor) -> list[Span]:
        """Return the second line: the bars, the vital one first."""
        parts: list[Span] = [("  ", "")]
        vital = read.body(actor).kind.vital
        names = sorted(actor.meters, key=lambda name: name != vital)
        room = self.size.width - 5
        for number, name in enumerate(names):
            bar = self.bar(actor, name)
            text = f" {bar.text}  "
            room -= len(name) + 1 + BAR + len(text)
            if room < 0 and number:
                parts.append((f"+{len(names) - number}", "dim"))
                break
            parts += [(f"{name} ", ""), (bar_text(bar, BAR), style_of(bar.role)), (text, "")]
        return parts


class Told(RichLog):
    """What was told, the latest last; wrapped anew where the window becomes wider or narrower."""

    def __init__(self, **keys: Any) -> None:
        super().__init__(**keys)
        self.told: deque[tuple[str, str]] = deque(maxlen=LOG)
        self._wide = 0

    def tell(self, line: str, style: str) -> None:
        """Add a line."""
        self.told.append((line, style))
        self._write(line, style)

    def _write(self, line: str, style: str) -> None:
        self.write(Text(visible(line), style=style, overflow="fold"))

    def on_resize(self, event: events.Resize) -> None:
        """Write everything again for the new width."""
        if event.size.width == self._wide:
            return
        again, self._wide = self._wide > 0, event.size.width
        if again:
            self.clear()
            for line, style in self.told:
                self._write(line, style)


class PromptLine(Input):
    """Where commands are typed. Lines that are pasted are carried out one by one; what stands after the last
    line break is left to be finished."""

    def _on_paste(self, event: events.Paste) -> None:
        event.prevent_default()
        event.stop()
        *whole, rest = event.text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
        for text in whole:
            self.insert_text_at_cursor(text)
            self.post_message(self.Submitted(self, self.value))
            self.value = ""
        self.insert_text_at_cursor(rest)


VIEWS = ("#top", "#actors", "#chosen", "#detail", "#events", "#log", "#hint", "#line", "#keys")
"""Everything that is shown anew at each look."""


class PlayApp(App[None]):
    """The live view of one session."""

    at: int
    stem: str
    text: str
    said: Said
    working: threading.Thread | None
    at_once: float = 0.2
    """Seconds that a line may take before the view goes on without it."""

    TITLE: str | None = "cleaver play"
    ENABLE_COMMAND_PALETTE: ClassVar[bool] = False
    CSS: ClassVar[str] = """
    Screen { background: #10151c; color: #e6e6e6; }
    #top { height: 1; background: #1d2733; color: #ffffff; padding: 0 1; }
    #middle { height: 1fr; }
    #left { width: 1fr; } #right { width: 1fr; }
    #actors, #detail, #events, #log { border: round #3b4a5c; border-title-color: #9fb3c8; }
    #actors, #detail, #events, #log { background: #10151c; }
    #actors, #detail, #events, #log { scrollbar-size-vertical: 1; overflow-x: hidden; }
    #actors { height: 3fr; } #log { height: 2fr; } #detail { height: 2fr; } #events { height: 3fr; }
    #hint { height: 1; color: #9fb3c8; padding: 0 1; }
    #line { height: 3; border: round #56B4E9; background: #10151c; }
    #keys { height: 1; color: #9fb3c8; background: #1d2733; padding: 0 1; }
    #chosen { height: 1; padding: 0 1; display: none; }
    .narrow #chosen { display: block; }
    .narrow #detail, .narrow #log { display: none; }
    .tiny #hint, .tiny #keys { display: none; } .tiny #line { height: 1; border: none; }
    .tiny #actors, .tiny #events { border: none; }
    .narrow #middle { layout: vertical; }
    .narrow #left { height: 2fr; width: 100%; } .narrow #right { height: 3fr; width: 100%; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("tab", "complete", show=False, priority=True),
        Binding("up", "older", show=False, priority=True),
        Binding("down", "newer", show=False, priority=True),
        Binding("f1", "typed('help')", priority=True),
        Binding("f2", "why", priority=True),
        Binding("f3", "choose_next", priority=True),
        Binding("f4", "run_or_pause", priority=True),
        Binding("f5", "detail_next", priority=True),
        Binding("f6", "typed('turn next')", priority=True),
        Binding("pageup", "page(-1)", show=False, priority=True),
        Binding("pagedown", "page(1)", show=False, priority=True),
        Binding("ctrl+z", "typed('undo')", show=False, priority=True),
        Binding("ctrl+y", "typed('redo')", show=False, priority=True),
        Binding("ctrl+c", "stop", show=False, priority=True),
        Binding("ctrl+q", "leave", show=False, priority=True),
    ]

    def __init__(self, live: Live) -> None:
        super().__init__()
        self.live = live
        self.past: list[str] = []  # lines typed, for going back to
        self.at = 0
        self.offered: list[str] = []
        self.stem = ""
        self.paths: list[str] = []
        self.waiting: deque[str] = deque()  # lines typed while one is carried out
        self.working = None
        self.text = ""  # the line that is carried out
        self.said = Said()

    def compose(self) -> ComposeResult:
        """Lay the view out."""
        yield Static(id="top", markup=False)
        with Horizontal(id="middle"):
            with Vertical(id="left"):
                yield ActorList(self.live)
                with VerticalScroll(id="log"):
                    yield Static(id="progress", markup=False)
            with Vertical(id="right"):
                yield OptionList(id="detail", markup=False)
                yield Told(id="events", max_lines=LOG, wrap=True, min_width=20, auto_scroll=True)
        yield Static(id="chosen", markup=False)
        yield Static(id="hint", markup=False)
        yield PromptLine(id="line", placeholder="type a command, such as: help")
        yield Static(KEYS, id="keys", markup=False)

    def on_mount(self) -> None:
        """Begin to look."""
        self.query_one("#actors").border_title = "actors"
        self.query_one("#events").border_title = "events"
        self.query_one("#detail").can_focus = False
        self.query_one("#log").can_focus = False
        self.query_one("#events").can_focus = False
        self.query_one(Input).focus()
        self._tell(
            [
                greeting(self.live.session.design),
                "Tab completes, ↑ ↓ bring lines back, Page Up and Page Down scroll the events.",
            ],
            "dim",
        )
        self._place(self.size.width, self.size.height)
        self.look()
        self.set_interval(1 / FRAMES, self.look)

    def on_resize(self, event: Any) -> None:
        """Leave the detail out where the window is small."""
        self._place(event.size.width, event.size.height)

    def _place(self, width: int, height: int) -> None:
        self.screen.set_class(width < 100 or height < 30, "narrow")
        self.screen.set_class(height < 18, "tiny")

    def look(self) -> None:
        """Let time pass, if it runs, and show what is so now."""
        if not all(self.query(name) for name in VIEWS):
            return  # the view is being taken down, or is not there yet
        if self._at_work():
            return
        saved = self.live.look_at_file()
        if saved is not None:
            self.said = saved
            self._tell_said()
        session = self.live.session
        before = session.world.now_us
        came, trouble = self.live.tick()
        self._tell([f"  {event_line(event, -1.0)}" for event in came])
        self._tell(trouble.splitlines(), "bold red")
        passed = (session.world.now_us - before) / 1e6
        self.query_one(ActorList).refresh_rows(passed if self.live.running else 1 / FRAMES)
        self._show_top()
        self._show_detail()
        self._show_chosen()
        self._show_progress()

    def _at_work(self) -> bool:
        """Return whether a line is still being carried out; if it just ended, tell what came of it."""
        if self.working is None:
            return False
        if self.working.is_alive():
            later = f", {counted(len(self.waiting), 'line')} waiting" if self.waiting else ""
            self.query_one("#hint", Static).update(f"working: {visible(self.text)} (Ctrl-C stops it{later})")
            return True
        self.working = None
        self.query_one("#hint", Static).update("")
        self._tell_said()
        while self.waiting and self.working is None:
            self._enter(self.waiting.popleft())
        return self.working is not None

    def _show_chosen(self) -> None:
        """Show the value chosen, where there is no room for the list of them."""
        actor, index = self._looked_at(), self.query_one(OptionList).highlighted or 0
        text = ""
        if actor is not None and index < len(self.paths):
            name = self.paths[index].removeprefix(f"{actor.id}.")
            value = _said(name, actor_state(actor)[name], actor)
            text = f"▶ {actor.id}.{name}  {value}  ({index + 1} of {len(self.paths)}, F5 next, F2 why)"
        self.query_one("#chosen", Static).update(visible(text))

    def _show_top(self) -> None:
        session, live = self.live.session, self.live
        state = f"▶ runs × {shown(live.speed)}" if live.running else "■ paused"
        parts = [
            session.design.title,
            f"{session.world.now:.2f} s",
            state,
            counted(len(session.world.actors), "actor"),
            f"{counted(sum(placement.present for placement in session.world.placements), 'pickup')} "
            "lying there",
        ]
        if session.recording is not None:
            parts.append(
                f"● {session.recording.file.name}"
                if session.recording.on
                else f"○ {session.recording.file.name} (off)"
            )
        if session.world.turn_round:
            parts.append(turns_text(session.world))
        if session.world.day is not None:
            parts.append(f"day {session.world.day}")
        for name, match in session.world.matches.items():
            if match.running:
                parts.append(
                    f"{name}: " + ", ".join(f"{place.side} {place.score}" for place in match.standings)
                )
        self.query_one("#top", Static).update(visible("   ".join(parts)))

    def _looked_at(self) -> Actor | None:
        """Return who is looked at: the one chosen, else the first player, else the first of all."""
        actors = self.live.session.world.actors
        chosen = next((actor for actor in actors if actor.id == self.live.chosen), None)
        return chosen or next((actor for actor in actors if actor.player), next(iter(actors), None))

    def _show_progress(self) -> None:
        """Show the purse, the bag, stars, levels and the quest log of whoever is looked at."""
        actor = self._looked_at()
        lines = [line.removeprefix("    ") for line in progress(actor)] if actor is not None else []
        self.query_one("#log").border_title = (
            f"{actor.id}: goods, levels, quests" if actor is not None else "goods, levels, quests"
        )
        self.query_one("#progress", Static).update(visible("\n".join(lines)) or "nothing yet")

    def _show_detail(self) -> None:
        detail = self.query_one(OptionList)
        actor = self._looked_at()
        if actor is None:
            self.paths = []
            detail.clear_options()
            detail.border_title = "nobody"
            return
        detail.border_title = f"{actor.id}: F5 next value, F2 why"
        state = actor_state(actor)
        paths = [f"{actor.id}.{path}" for path in state]
        labels = [f"{path:<22} {_said(path, value, actor)}" for path, value in state.items()]
        if paths != self.paths:
            self.paths = paths
            detail.clear_options()
            detail.add_options([Option(Text(visible(label))) for label in labels])
            detail.highlighted = 0
        else:
            for index, label in enumerate(labels):
                if detail.get_option_at_index(index).prompt != label:
                    detail.replace_option_prompt_at_index(index, label)

    def _tell(self, lines: list[str], style: str = "") -> None:
        log = self.query_one(Told)
        for line in lines:
            log.tell(line, style)

    # keys

    def on_input_submitted(self, event: Input.Submitted) -> None:
        """Carry out a line."""
        if event.input.value == event.value:  # else a part of a pasted text stands there already
            event.input.value = ""
        self._enter(event.value)

    def _enter(self, text: str) -> None:
        """Carry out a line, or keep it for when the present one is done."""
        if self.working is not None:
            self.waiting.append(text)
            return
        if text.strip() and (not self.past or self.past[-1] != text):
            self.past.append(text)
        self.at = len(self.past)
        self.text = text
        self.working = threading.Thread(target=self._carry_out, args=(text,), daemon=True)
        self.working.start()
        self.working.join(self.at_once)
        if not self._at_work():
            self.look()

    def _carry_out(self, text: str) -> None:
        try:
            self.said = self.live.enter(text)
        except Exception as error:  # a session is not to be lost to whatever a command comes upon
            self.said = Said((text, f"  {type(error).__name__}: {error}"), wrong=True)

    def _tell_said(self) -> None:
        """Tell what came of the line that was carried out."""
        said = self.said
        if said.ends:
            self.exit()
            return
        lines = [part for line in said.lines for part in line.splitlines()]
        if lines:
            self._tell([f"> {lines[0]}"], "bold red" if said.wrong or lines[0].startswith("✗") else "bold")
            self._tell(lines[1:], "red" if said.wrong else "")

    def on_input_changed(self, event: Input.Changed) -> None:
        """Offer what the word may become."""
        if event.value != self.stem + (self.offered[0] if self.offered else ""):
            self.offered = []
        if self.working is None:  # else the world is being changed
            found = complete(self.live.session, event.value)[:12] if event.value else []
            self.query_one("#hint", Static).update(visible("  ".join(found)))

    def action_complete(self) -> None:
        """Complete the word; again, the next candidate."""
        line = self.query_one(Input)
        if self.working is not None:
            return
        if self.offered:
            self.offered = [*self.offered[1:], self.offered[0]]
        else:
            found = complete(self.live.session, line.value)
            if not found:
                return
            self.stem = line.value[: len(line.value) - len(line.value.rsplit(" ", 1)[-1])]
            common = _common(found)
            word = line.value[len(self.stem) :]
            self.offered = [] if len(common) > len(word) and len(found) > 1 else found
            if not self.offered:
                line.value = self.stem + common
                line.cursor_position = len(line.value)
                return
        line.value = self.stem + self.offered[0]
        line.cursor_position = len(line.value)

    def action_older(self) -> None:
        """Bring the line before back."""
        self._bring(-1)

    def action_newer(self) -> None:
        """Bring the line after back."""
        self._bring(1)

    def _bring(self, way: int) -> None:
        self.at = max(0, min(len(self.past), self.at + way))
        line = self.query_one(Input)
        line.value = self.past[self.at] if self.at < len(self.past) else ""
        line.cursor_position = len(line.value)

    def action_why(self) -> None:
        """Tell why the value chosen in the detail is what it is."""
        detail = self.query_one(OptionList)
        if self.paths:
            self._enter(f"why {self.paths[detail.highlighted or 0]}")

    def action_choose_next(self) -> None:
        """Choose the next actor."""
        if self.working is not None:
            return
        ids = [actor.id for actor in self.live.session.world.actors]
        if ids:
            self.live.chosen = (
                ids[(ids.index(self.live.chosen) + 1) % len(ids)] if self.live.chosen in ids else ids[0]
            )
            self.look()

    def action_detail_next(self) -> None:
        """Choose the next value of the actor."""
        detail = self.query_one(OptionList)
        if self.paths:
            detail.highlighted = ((detail.highlighted or 0) + 1) % len(self.paths)
            self.look()

    def action_run_or_pause(self) -> None:
        """Let time run, or pause it."""
        self._enter("pause" if self.live.running else "run")

    def action_page(self, way: int) -> None:
        """Leaf through the events."""
        log = self.query_one(RichLog)
        log.scroll_page_up() if way < 0 else log.scroll_page_down()

    def action_typed(self, text: str) -> None:
        """Do as if a line had been typed."""
        self._enter(text)

    def action_stop(self) -> None:
        """Stop the line that is carried out, and forget those that wait; without one, empty the line."""
        self.waiting.clear()
        if self.working is not None:
            self.live.stop()
            return
        line = self.query_one(Input)
        if not line.value:
            self._tell(["Ctrl-C stops a command that takes long; quit or Ctrl-Q ends the session."], "dim")
        line.value = ""

    def action_leave(self) -> None:
        """End the session."""
        self._enter("quit")


def _said(path: str, value: Any, actor: Actor) -> str:
    if isinstance(value, tuple):
        return ", ".join(value) or "none"
    if path in actor.meters:
        bar = Bar(actor, path)
        return f"{bar_text(bar, BAR)} {bar.text}"
    return value_text(value) or "none"


def _common(words: list[str]) -> str:
    """Return what all words begin with."""
    first, last = min(words), max(words)
    length = next(
        (index for index, (one, other) in enumerate(zip(first, last, strict=False)) if one != other),
        min(len(first), len(last)),
    )
    return first[:length]
