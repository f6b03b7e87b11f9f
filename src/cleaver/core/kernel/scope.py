"""Scope: what a formula or an effect list is about. Start at `Scope`."""

from __future__ import annotations

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.stage import Stage


class Given(dict[str, float]):
    """The inputs of one command or list: those of the design, with those that were given here (`own`), which
    nothing else stands in for."""

    __slots__ = ("own",)
    own: frozenset[str]

    @classmethod
    def over(cls, usual: dict[str, float], *given: dict[str, float]) -> Given:
        """Return the usual inputs with others in their place."""
        made = cls(usual)
        for one in given:
            made.update(one)
        made.own = frozenset(name for one in given for name in one)
        return made


def _with_lasting(inputs: dict[str, float], lasting: dict[str, float]) -> dict[str, float]:
    """Return inputs with those that the host has set for an actor, wherever none was given here."""
    own = inputs.own if inputs.__class__ is Given else frozenset[str]()
    made = Given(inputs)
    made.update((name, value) for name, value in lasting.items() if name not in own)
    made.own = own
    return made


class Scope:
    """What a formula or an effect list is about: `me` (self), `source`, `target`, the event at hand, and the
    inputs."""

    __slots__ = (
        "credit",
        "event",
        "inputs",
        "match",
        "me",
        "place",
        "pulse",
        "reason",
        "source",
        "stage",
        "target",
    )
    stage: Stage
    me: Body | None
    source: Body | None
    target: Body | None
    event: Event | None
    inputs: dict[str, float]
    place: str
    reason: str
    match: str
    credit: str
    pulse: bool

    def __init__(
        self,
        stage: Stage,
        me: Body | None,
        source: Body | None = None,
        target: Body | None = None,
        *,
        event: Event | None = None,
        inputs: dict[str, float] | None = None,
        place: str = "",
        reason: str = "",
        pulse: bool = False,
    ) -> None:
        self.stage, self.me, self.source, self.target, self.event = stage, me, source, target, event
        inputs = (stage.given or stage.kinds.inputs) if inputs is None else inputs
        self.inputs = _with_lasting(inputs, me.inputs) if me is not None and me.inputs else inputs
        self.place = place  # where in the design the list stands
        self.reason = reason  # what goods are booked under
        self.match = ""  # the match whose rule it is
        self.credit = ""  # who did it, where that actor has left the world
        self.pulse = pulse  # whether a status or a pulse does it
