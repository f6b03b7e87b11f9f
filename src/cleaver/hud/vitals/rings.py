"""Rings: what is on its way, as a fraction to draw — a pulse, a cooldown, a status, a return.

All read the world when asked; none has a clock of its own. Start at `Ring`.
"""

from __future__ import annotations

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import HANDLE, TEXT, checked, maybe
from cleaver.core.kernel.expressions import Span
from cleaver.core.kernel.spans import seconds_of
from cleaver.errors import UnknownNameError
from cleaver.hud.drawn import Drawn


class Ring(Drawn):
    """How far something is: `fraction` from 0 (just begun) to 1 (there), `left` in seconds, `text` such as
    "1.2"."""

    _tells = ("left", "whole")

    @checked(actor=HANDLE)
    def __init__(self, actor: Actor) -> None:
        self.actor = actor

    @property
    def left(self) -> float:
        """Seconds until it is there."""
        raise NotImplementedError

    @property
    def whole(self) -> float:
        """Seconds that it takes in all."""
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
        """The seconds left, rounded up to tenths so that "0.0" means now; "" where it is there."""
        return "" if self.ready else f"{-(-self.left * 10 // 1) / 10:.1f}"


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
        self._beats()

    def _beats(self) -> tuple[float, float]:
        statuses = read.parts(self.actor).statuses
        beat = statuses.beats(read.body(self.actor), self.pulse)[0]
        every = seconds_of(beat.span)
        return (1 - statuses.progress(beat)) * every, every

    @property
    def left(self) -> float:
        """See `Ring.left`."""
        return self._beats()[0]

    @property
    def whole(self) -> float:
        """See `Ring.whole`."""
        return self._beats()[1]


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

    @property
    def left(self) -> float:
        """See `Ring.left`."""
        if self.target is not None:
            return self.actor.cooldown_left(self.attack, self.target)
        body, clock = read.body(self.actor), read.parts(self.actor).stage.clock
        mine = [end for key, end in body.cooldowns.items() if key.partition("/")[0] == self.attack]
        return clock.time_left(max(mine, default=0), body)

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

    @property
    def left(self) -> float:
        """See `Ring.left`; 0 when the actor is not under it."""
        body, clock = read.body(self.actor), read.parts(self.actor).stage.clock
        ends = [one.due for one in body.ailments if one.name == self.status and one.due >= 0]
        return max((clock.time_left(due, body) for due in ends), default=0.0)

    @property
    def whole(self) -> float:
        """See `Ring.whole`; longer where the status was prolonged."""
        return max(self._longest.whole(self.left), self.left)
