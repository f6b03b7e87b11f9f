"""Rings: what is on its way, as a fraction to draw — a pulse, a cooldown, a status, a return.

All read the world when asked; none has a clock of its own. Start at `Ring`.
"""

from __future__ import annotations

from functools import partial, reduce

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import HANDLE, TEXT, checked, maybe
from cleaver.core.kernel.body import Beat
from cleaver.core.kernel.expressions import Span
from cleaver.core.kernel.spans import seconds_of, unit_of
from cleaver.errors import UnknownNameError
from cleaver.hud.drawn import Drawn


class Ring(Drawn):
    """How far something is: `fraction` from 0 (just begun) to 1 (there), `left` in seconds, or in the turns,
    rounds or days that `unit` says, `text` such as "1.2"."""

    _tells = ("left", "whole")

    @checked(actor=HANDLE)
    def __init__(self, actor: Actor) -> None:
        self.actor = actor

    def _span(self) -> int:
        """Return the span until it is there (`kernel.spans`)."""
        raise NotImplementedError

    @property
    def left(self) -> float:
        """What is left until it is there, in its `unit`; 0 where it is."""
        return max(seconds_of(self._span()), 0.0)

    @property
    def unit(self) -> str:
        """What `left` and `whole` count: "seconds", "turns", "rounds" or "days"."""
        return unit_of(self._span())

    @property
    def whole(self) -> float:
        """What it takes in all."""
        raise NotImplementedError

    @property
    def fraction(self) -> float:
        """How far it is, from 0 to 1."""
        return 1.0 if self.whole <= 0 else min(max(1 - self.left / self.whole, 0.0), 1.0)

    @property
    def ready(self) -> bool:
        """Whether nothing is left to wait for."""
        return self.left <= 0

    @property
    def text(self) -> str:
        """The seconds left, rounded up to tenths so that "0.0" means now, or how many turns, rounds or days;
        "" where it is there."""
        if self.ready:
            return ""
        return f"{-(-self.left * 10 // 1) / 10:.1f}" if self.unit == "seconds" else f"{self.left:g}"


class _Longest:
    """How long something is on the whole: as the design says, or, where a formula does, as long as the most
    that was ever left of this one."""

    def __init__(self, span: Span) -> None:
        self._constant = seconds_of(span) if isinstance(span, int) else None
        self._most = 0.0

    def whole(self, left: float) -> float:
        """Return it in seconds, for what is left now."""
        if self._constant is not None:
            return self._constant
        self._most = max(self._most, left) if left else 0.0
        return self._most


class PulseRing(Ring):
    """A pulse towards its next beat; a paused one stands still."""

    @checked(actor=HANDLE, pulse=TEXT)
    def __init__(self, actor: Actor, pulse: str) -> None:
        super().__init__(actor)
        self.pulse = pulse
        self._beat()  # raises where there is none

    def _beat(self) -> Beat:
        return read.parts(self.actor).statuses.beats(read.body(self.actor), self.pulse)[0]

    def _span(self) -> int:
        return read.parts(self.actor).statuses.left(self._beat())

    @property
    def whole(self) -> float:
        """See `Ring.whole`."""
        return seconds_of(self._beat().span)


class CooldownRing(Ring):
    """An attack until it may hit *target* again; without one, until it may be launched again and hit
    everybody whom it has hit."""

    attack: str
    target: Actor | None

    @checked(actor=HANDLE, attack=TEXT, target=maybe(HANDLE))
    def __init__(self, actor: Actor, attack: str, target: Actor | None = None) -> None:
        super().__init__(actor)
        self.attack, self.target = attack, target
        self._longest = _Longest(read.parts(actor).combat.attack(read.body(actor), attack).cooldown)

    def _span(self) -> int:
        body, clock = read.body(self.actor), read.parts(self.actor).stage.clock
        if self.target is not None:
            form = read.parts(self.actor).combat.attack(body, self.attack)
            due = body.cooldowns.get(form.rests_as(self.target.id), 0)
        else:
            mine = [end for key, end in body.cooldowns.items() if key.partition("/")[0] == self.attack]
            due = max(mine, default=0)
        return max(clock.left(due, body), 0)

    @property
    def whole(self) -> float:
        """See `Ring.whole`."""
        return self._longest.whole(self.left)


class StatusRing(Ring):
    """A status until its end; of several stacks the last one to go."""

    @checked(actor=HANDLE, status=TEXT)
    def __init__(self, actor: Actor, status: str) -> None:
        super().__init__(actor)
        kinds = read.parts(actor).stage.kinds.statuses
        if status not in kinds:
            raise UnknownNameError("status", status, tuple(kinds))
        self.status = status
        self._longest = _Longest(kinds[status].lasts)

    def _span(self) -> int:
        body, clock = read.body(self.actor), read.parts(self.actor).stage.clock
        ends = [one.due for one in body.ailments if one.name == self.status and one.due >= 0]
        return clock.left(reduce(partial(clock.longer, bearer=body), ends), body) if ends else 0

    @property
    def whole(self) -> float:
        """See `Ring.whole`; longer where the status was prolonged."""
        return max(self._longest.whole(self.left), self.left)
