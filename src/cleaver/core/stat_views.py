"""Stats as a game reads them: what each comes to, and what changes it. Start at `StatView`."""

from __future__ import annotations

from collections.abc import Iterable

from cleaver.core.game import Game
from cleaver.core.kernel.body import Body
from cleaver.core.logs import _Log
from cleaver.errors import UnknownNameError
from cleaver.named import NamedTuple
from cleaver.rounding import shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Literal


class StatModifier(NamedTuple):
    """One change of a stat: what makes it ("sword"), of which sort that is ("worn"), whether it "adds" or
    "times", and by how much."""

    what: str
    of: str
    way: Literal["adds", "times"]
    amount: float

    @property
    def label(self) -> str:
        """What it is called in an explanation."""
        name, _, count = self.what.partition("/")
        return f"{name} ({count})" if count else name


class StatView:
    """One stat of an actor as it was when it was asked for: its value, what it is before anything changes it,
    and what does."""

    __slots__ = ("base", "modifiers", "name", "value")
    name: str
    value: float
    base: float
    modifiers: tuple[StatModifier, ...]

    def __init__(self, name: str, value: float, base: float, modifiers: tuple[StatModifier, ...]) -> None:
        self.name, self.value, self.base, self.modifiers = name, value, base, modifiers

    def explain(self) -> str:
        """Return how it comes to its value: ``(10 + 2 sword + 3 rank) × 1.5 fury = 22.5``."""
        adds = [one for one in self.modifiers if one.way == "adds"]
        times = [one for one in self.modifiers if one.way == "times"]
        text = shown(self.base)
        for one in adds:
            text += f" {'−' if one.amount < 0 else '+'} {shown(abs(one.amount))} {one.label}"
        text = f"({text})" if adds and times else text
        text += "".join(f" × {shown(one.amount)} {one.label}" for one in times)
        whole = (self.base + sum(one.amount for one in adds)) if adds else self.base
        for one in times:
            whole *= one.amount
        text += f" = {shown(whole)}" if self.modifiers else ""
        if shown(whole) != shown(self.value):
            text += f", {'at most' if self.value < whole else 'at least'} {shown(self.value)}"
        return text

    def __repr__(self) -> str:
        return f"<{self.name} {self.explain()}>"

    def __str__(self) -> str:
        return shown(self.value)


class StatLog(_Log[StatView]):
    """The stats of one actor by name; "METER.max" and "bag" can be asked for, too."""

    __slots__ = ()

    def _names(self) -> Iterable[str]:
        return self._body.kind.stats

    def value(self, name: str) -> float:
        """Return what a stat comes to, without how."""
        found = self._body.stats.get(name)
        return self._of(name).value if found is None else found

    def _of(self, name: str) -> StatView:
        return stat_view(self._game, self._there, name)


def stat_view(game: Game, body: Body, name: str) -> StatView:
    """Return a stat of somebody, or what else is worked out as one."""
    if name not in body.kind.bases or name.endswith(".rate"):
        known = [target for target in body.kind.bases if not target.endswith(".rate")]
        raise UnknownNameError("stat", name, known, body.id)
    stats = game.parts.stats
    made = []
    for cause, times, amount in stats.entries(body, name):
        of, _, what = cause.partition(":")
        made.append(StatModifier(what or of, of, "times" if times else "adds", amount))
    value = body.stats.get(name)  # in a replica it is what the room says
    value = stats.worked_out(body, name) if value is None else value
    return StatView(name, value, stats.base(body, name), tuple(made))
