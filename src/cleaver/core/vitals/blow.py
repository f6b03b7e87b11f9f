"""Blow: a hit as it is thrown, before anything is known of what it meets. Start at `Blow`."""

from __future__ import annotations

from cleaver.design.steps import passed_by_pulses

TYPE_CHECKING = False  # the annotations are all that needs them
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.actor_kinds import AttackKind
    from cleaver.core.kernel.body import Body
    from cleaver.core.kernel.expressions import Amount

PULSE_IGNORES = passed_by_pulses()
_NOTHING: frozenset[str] = frozenset()


class Blow:
    """A hit as it is thrown: everything about it but what it meets."""

    __slots__ = (
        "amount", "attack", "bill", "crit", "ignores", "inputs", "luck", "pause", "posthumous", "pulse",
        "source", "source_id", "team", "type", "zone",
    )  # fmt: skip
    amount: Amount
    source: Body | None
    attack: AttackKind | None
    zone: str
    type: str
    inputs: dict[str, float] | None
    crit: bool | None
    posthumous: bool
    pulse: bool
    ignores: frozenset[str]
    source_id: str
    team: str
    luck: str
    pause: int
    bill: Any
    """What it costs who throws it; see `Combat.costs`."""

    def __init__(
        self,
        amount: Amount,
        source: Body | None = None,
        *,
        attack: AttackKind | None = None,
        zone: str = "",
        type: str = "",
        inputs: dict[str, float] | None = None,
        crit: bool | None = None,
        posthumous: bool = False,
        ignores: frozenset[str] = _NOTHING,
        pulse: bool = False,
        source_id: str = "",
        team: str | None = None,
        luck: str = "",
    ) -> None:
        self.amount, self.source, self.attack, self.zone, self.type, self.inputs = (
            amount,
            source,
            attack,
            zone,
            type,
            inputs,
        )
        self.crit, self.posthumous, self.pulse = crit, posthumous, pulse
        self.ignores = ignores | PULSE_IGNORES if pulse else ignores
        self.source_id = source.id if source is not None else source_id
        self.team = team if team is not None else source.team if source is not None else ""
        self.bill = None  # what it costs who throws it
        self.pause = 0  # how long the attack rests after it, in microseconds
        self.luck = luck  # of a shot: what its dice are named for, once whoever launched it has gone
