"""Bars: a meter as values to draw.

Reads the present state whenever asked, so a bar that is made late or updated seldom is never wrong; only the
ghost that trails after damage has a memory, and it is driven by `update(seconds)`. Start at `Bar`.
"""

from __future__ import annotations

from math import ceil

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import HANDLE, TEXT, checked, finite
from cleaver.core.views import there
from cleaver.core.vitals.meters import percent
from cleaver.errors import AmountError, UnknownNameError
from cleaver.hud.drawn import Drawn
from cleaver.rounding import half_up, shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Literal

    from cleaver.core.views import MeterView

    Label = Literal["off", "percent", "numbers"]
else:
    Label = str

LABELS = ("off", "percent", "numbers")


class Bar(Drawn):
    """A meter's bar: `fraction`, `ghost`, `text`, `percent`, `cells`, `role`.

    Args:
        actor: Whose meter it is.
        meter: The meter's name.
        ghost: Seconds that the ghost waits after damage before it follows, 0 for no ghost.
        speed: How much of the bar the ghost closes in a second, once it follows.
        label: What `text` shows: "off", "percent" or "numbers".
    """

    _tells = ("text", "role")

    actor: Actor
    meter: MeterView

    @checked(actor=HANDLE, meter=TEXT, label=TEXT)
    def __init__(
        self, actor: Actor, meter: str, *, ghost: float = 0.0, speed: float = 0.5, label: Label = "numbers"
    ) -> None:
        if label not in LABELS:
            raise UnknownNameError("label", label, LABELS)
        for what, value in (("ghost", ghost), ("speed", speed)):
            if not finite(value) or value < 0:
                raise AmountError(what, value, "a number, 0 or more")
        self.actor, self.meter, self.label = actor, actor[meter], label
        self._body, self._state = read.body(actor), read.body(actor).meters[meter]
        self._stage, self._moment = read.parts(actor).stage, (-1, -1)
        self._wait, self._speed = ghost, speed
        self._value = self._top = self._fraction = -1.0
        self._look()
        self._ghost = self._seen = self._fraction
        self._left = 0.0

    def _look(self) -> None:
        """Look at the meter anew; what is drawn of it is kept until that is another.

        A meter changes with an event, or with time while it flows or something is due for it: between two of
        these a look is one comparison, and most of a game's bars rest most of the time.
        """
        stage = self._stage
        there(self._body)
        moment = (stage.seq, stage.clock.now)
        if moment == self._moment:
            return
        if stage.successor is not None:  # under another design it may be of another kind, or gone
            parts = read.parts(self.actor)
            self._stage = stage = parts.stage
            moment = (stage.seq, stage.clock.now)
            self._state, self._value = parts.vitals.meter(self._body, self.meter.name), -1.0
        self._moment, meter = moment, self._state
        self._seq = -1 if meter.course or meter.due >= 0 else stage.seq  # -1: looked at whenever it is asked
        value, top = read.parts(self.actor).vitals.value(meter), meter.max
        if value != self._value or top != self._top or value.__class__ is not self._value.__class__:
            self._value, self._top = value, top
            self._fraction = min(value / top, 1.0)
            self._numbers, self._role = _numbers(value, top), self._role_now()

    @property
    def fraction(self) -> float:
        """Value by maximum, from 0 to 1."""
        if self._stage.seq != self._seq:
            self._look()
        return self._fraction

    @property
    def ghost(self) -> float:
        """Where the trailing ghost stands, never below `fraction`."""
        if self._stage.seq != self._seq:
            self._look()
        return self._ghost if self._wait and self._ghost > self._fraction else self._fraction

    @property
    def value(self) -> float:
        """The meter's value."""
        if self._stage.seq != self._seq:
            self._look()
        return self._value

    @property
    def max(self) -> float:
        """The meter's maximum."""
        if self._stage.seq != self._seq:
            self._look()
        return self._top

    @property
    def percent(self) -> str:
        """The fraction as percent text."""
        return percent(self.fraction)

    @property
    def numbers(self) -> str:
        """Value and maximum as text: "46/100", to one decimal; never full while something is missing, never 0
        while something is left."""
        if self._stage.seq != self._seq:
            self._look()
        return self._numbers

    @property
    def text(self) -> str:
        """The label: nothing, percent, or numbers."""
        if self.label == "numbers":
            return self._numbers if self._stage.seq == self._seq else self.numbers
        return self.percent if self.label == "percent" else ""

    @property
    def cells(self) -> int:
        """How many cells are filled."""
        return self.meter.cells

    @property
    def role(self) -> str:
        """What the colour should say: "empty", the lowest mark the value is at or below, "over" beyond the
        maximum, else "normal"."""
        if self._stage.seq != self._seq:
            self._look()
        return self._role

    def _role_now(self) -> str:
        value, top = self._value, self._top
        if value <= 0:
            return "empty"
        for name, level in self._state.kind.marks:
            if value <= level * top:
                return name
        return "over" if value > top else "normal"

    @property
    def shield(self) -> float:
        """What shields this meter, as a fraction of its maximum; 0 without shields."""
        if self.meter.name != read.body(self.actor).kind.vital:
            return 0.0
        return sum(self.actor[name].value for name in read.body(self.actor).kind.shields) / self.meter.max

    def update(self, seconds: float) -> None:
        """Let the ghost wait and follow for *seconds*."""
        if self._stage.seq != self._seq:
            self._look()
        now = self._fraction
        if now == self._ghost and now == self._seen:
            return  # nothing trails
        if now < self._seen:
            self._left = self._wait
        self._seen = now
        used = min(self._left, seconds)
        self._left -= used
        if self._left <= 0:
            self._ghost -= self._speed * (seconds - used)
        self._ghost = max(self._ghost, now)


def _numbers(value: float, top: float) -> str:
    tenths = half_up(value * 10)
    if 0 < value < top:  # never full while something is missing, nor 0 while something is left
        tenths = min(max(tenths, 1), max(ceil(top * 10) - 1, 1))
    return f"{shown(tenths / 10)}/{shown(top)}"
