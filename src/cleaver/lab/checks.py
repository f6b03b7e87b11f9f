"""Checks: everything that can be wrong with a trial, found before the first play.

Formulas are compiled, and each line is carried out once, in a session that has just been set up. Start at
`check_trial`.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from cleaver.design.lines import Path
from cleaver.errors import CleaverError, ScriptError, UnknownNameError, UsageError
from cleaver.lab.formulas import IT, TrialNames, compiled
from cleaver.lab.play import LabSession, about_of, lines_of, prepared
from cleaver.lab.tables import Habit, Tally
from cleaver.lab.trial import Trial
from cleaver.script.command import COMMANDS

ALLOWED = frozenset(
    name
    for name, command in COMMANDS.items()
    if command.acts and command.theme not in ("time", "saves", "a running game", "testing", "looking")
) - {"seed"} | {"pause", "resume", "day"}
"""What lines of a trial may do: what moves time, or the whole world, they may not."""


def check_trial(trial: Trial) -> None:
    """Add to the trial's source every problem that there is."""
    _Check(trial).all()


class _Check:
    """One check of one trial."""

    def __init__(self, trial: Trial) -> None:
        self.trial, self.tables, self.source = trial, trial.tables, trial.source
        self.design = trial.design
        self.events = self.design.known.events
        self.inputs = next(iter(trial.players.values()))

    def all(self) -> None:
        """Look at all of it."""
        session = self._set_up()
        if session is None:
            return
        self.actors = {actor.id: actor.kind for actor in session.world.actors}
        self.placements = [placement.id for placement in session.world.placements]
        for name, habit in self.tables.habits.items():
            self._habit(name, habit)
        end = self.tables.end
        self._event(("end", "on"), end.on)
        self._who(("end", "who"), end.who)
        self._formula(("end", "when"), end.when, truth=True)
        self._lines(("end", "lines"), end.lines, session, {})
        for name, measure in self.tables.measures.items():
            if isinstance(measure, Tally):
                self._tally(name, measure)
            else:
                self._formula(("measures", name), measure)
        for name, text in self.trial.fan.items():
            self._formula(("over_time", name), text)

    def _set_up(self) -> LabSession | None:
        session = LabSession(self.design, 0)
        return session if self._lines(("setup", "lines"), self.tables.setup.lines, session, {}) else None

    def _lines(self, path: Path, lines: tuple[str, ...], session: LabSession, fill: dict[str, str]) -> bool:
        """Carry lines out in a session; return whether all of them can be."""
        try:
            written = lines_of(lines, "trial")
        except (ScriptError, UsageError) as error:
            self.source.tell(path, str(error))
            return False
        for text in written:
            name = text.partition(" ")[0]
            try:
                if name in COMMANDS and name not in ALLOWED:
                    self.source.tell(
                        path, f"{text!r}: {name} may not stand in a trial", "time passes by itself there"
                    )
                    return False
                prepared(session, text).run(session, fill)
            except CleaverError as error:
                self.source.tell(path, f"{text!r}: {str(error).splitlines()[0]}")
                return False
        return True

    def _habit(self, name: str, habit: Habit) -> None:
        place: Path = ("habits", name)
        tables, before = self.design.tables, len(self.source.problems)
        if habit.each is not None and habit.each not in tables.actors:
            self._unknown((*place, "each"), "kind", habit.each, tables.actors)
        if habit.pick is not None and habit.pick not in {**tables.actors, **tables.pickups}:
            self._unknown((*place, "pick"), "kind or pickup", habit.pick, (*tables.actors, *tables.pickups))
        if len(self.source.problems) > before:
            return  # what `it` is would be asked in vain
        about = about_of(habit, self.design)
        for key, span in (("every", habit.every), ("delay", habit.delay)):
            for part in span or ():
                if isinstance(part, (int, float)) and (part <= 0 if key == "every" else part < 0):
                    self.source.tell(
                        (*place, key),
                        f"is {part:g}",
                        "a habit that waits 0 seconds would stop time"
                        if key == "every"
                        else "it must be 0 or more",
                    )
                elif isinstance(part, str):
                    self._formula((*place, key), part, **about)
        self._formula((*place, "when"), habit.when, truth=True, **about)
        if isinstance(habit.chance, str):
            self._formula((*place, "chance"), habit.chance, **about)
        elif not 0 <= habit.chance <= 1:
            self.source.tell((*place, "chance"), f"is {habit.chance:g}", "it must be a number from 0 to 1")
        if self._event((*place, "on"), habit.on):
            self._formula((*place, "where"), habit.where, truth=True, event=habit.on or "")
        self._who((*place, "who"), habit.who)
        self._who((*place, "by"), habit.by)
        if habit.on is None and (habit.where or habit.who or habit.by):
            self.source.tell(place, "asks about an event, and has none", "give it on = …")
        self._try((*place, "do"), habit, **about)

    def _try(self, path: Path, habit: Habit, it: str, lies: bool) -> None:
        """Carry a habit's lines out, about somebody of the kind that it is about."""
        session = self._set_up()
        if session is None:
            return
        named, it = it, ""
        it = ""
        if named and lies:
            it = (
                next((one.id for one in session.world.placements_of(named)), "")
                or session.world.place(named).id
            )
        elif named:
            there = [actor.id for actor in session.world.actors if actor.kind == named]
            it = there[0] if there else self._newcomer(session, named)
        self._lines(path, habit.do, session, {IT: it, "n": "1"})

    def _newcomer(self, session: LabSession, kind: str) -> str:
        world = session.world
        made = world.join(kind, "newcomer") if self.design.tables.actors[kind].player else world.spawn(kind)
        return made.id

    def _tally(self, name: str, tally: Tally) -> None:
        place: Path = ("measures", name)
        if not self._event((*place, "on"), tally.on):
            return
        self._who((*place, "who"), tally.who)
        self._who((*place, "by"), tally.by)
        self._formula((*place, "where"), tally.where, truth=True, event=tally.on)
        fields = self.events[tally.on].fields
        for key in ("sum", "best", "least"):
            field = getattr(tally, key)
            numbers = [one for one, kind in fields if kind == "number"]
            if field is not None and field not in numbers:
                self._unknown((*place, key), f"field of {tally.on}", field, numbers)

    def _event(self, path: Path, name: str | None) -> bool:
        if name is not None and name not in self.events:
            self._unknown(path, "event", name, self.events)
            return False
        return True

    def _who(self, path: Path, name: str | None) -> None:
        if name is not None and name not in self.actors:
            self._unknown(path, "actor of the setup", name, self.actors)

    def _unknown(self, path: Path, what: str, name: str, known: Iterable[str]) -> None:
        self.source.tell(path, str(UnknownNameError(what, name, tuple(known))))

    def _formula(self, path: Path, text: str | None, *, truth: bool = False, **about: Any) -> None:
        if text is None:
            return
        names = TrialNames(self.design, self.actors, self.placements, self.inputs, **about)
        try:
            kind = compiled(text, names, "").formula.type
        except CleaverError as error:
            self.source.tell(path, str(error))
            return
        if kind not in ("number", "truth"):
            self.source.tell(path, f"{text!r} is a {kind}", "it must be a number or a truth")
