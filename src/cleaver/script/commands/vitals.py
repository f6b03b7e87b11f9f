"""Commands about hits, meters, tags and statuses. Start at `hit`."""

from __future__ import annotations

from typing import Annotated

from cleaver.core.handles import Actor, Shot
from cleaver.core.kernel.results import ChangeResult, HealResult, HitResult, Result
from cleaver.design.vocabulary import KEEPS
from cleaver.errors import UsageError
from cleaver.literals import Keep
from cleaver.rounding import shown
from cleaver.script.command import command, said
from cleaver.script.parameters import (
    ActorName,
    Amount,
    AttackName,
    DamageType,
    Free,
    Input,
    InputName,
    InputValue,
    LaunchedAttack,
    MeterName,
    MeterPath,
    Number,
    ShotName,
    StatusName,
    Steps,
    Tag,
    Truth,
    Value,
    Zone,
    actor,
    choice,
    doer,
)
from cleaver.script.session import Session

HITS, STATUSES = "hits and meters", "tags and statuses"
Target = Annotated[Actor, actor("TARGET")]
Attacker = Annotated[Actor | Shot, doer("NAME", ": who hits? (hurt NAME AMOUNT needs nobody)")]
Source = Annotated[Actor, actor("NAME")]
Policy = Annotated[Keep, choice(*KEEPS)]


@command(HITS, "hit ana by=eel1 with=sting zone=visor charge=0.5")
def hit(
    session: Session,
    target: Target,
    /,
    *,
    by: Attacker,
    with_: AttackName | None = None,
    zone: Zone = "",
    type: DamageType = "",
    amount: Number | None = None,
    crit: Truth | None = None,
    posthumous: Truth = False,
    ignores: Steps = (),
    **inputs: Input,
) -> str:
    """An attack, a bare amount, or a shot that lands."""
    if isinstance(by, Shot):
        if with_ or type or amount is not None or posthumous or ignores or inputs:
            raise UsageError("a shot has its own attack and inputs; beside it stand zone= and crit= alone")
        return _hit_said(session, by.hit(target, zone=zone, crit=crit))
    result = by.hit(
        target,
        with_,
        amount=amount,
        zone=zone,
        type=type,
        crit=crit,
        posthumous=posthumous,
        ignores=ignores,
        **inputs,
    )
    return _hit_said(session, result)


@command(HITS, "launch ana bolt as=s1 charge=0.7")
def launch(
    session: Session,
    actor: ActorName,
    attack: LaunchedAttack,
    /,
    *,
    as_: Free | None = None,
    **inputs: Input,
) -> str:
    """Launches an attack, which lands by hit TARGET by=SHOT."""
    shot = actor.launch(attack, as_ or "", **inputs)
    if shot:
        session.shots[shot.id] = shot
    return said(session, Result(shot.blocked), f"{shot.id} flies")


@command(HITS, "drop s1")
def drop(session: Session, shot: ShotName) -> str:
    """Takes a shot out of the world."""
    shot.drop()
    session.result = Result()
    return f"{shot.id} is gone"


@command(HITS, "hurt ana 5 type=pressure")
def hurt(
    session: Session,
    actor: ActorName,
    amount: Amount,
    /,
    *,
    type: DamageType = "",
    zone: Zone = "",
    by: Source | None = None,
    ignores: Steps = (),
    **inputs: Input,
) -> str:
    """Hurts by a bare amount."""
    return _hit_said(session, actor.hurt(amount, type=type, zone=zone, source=by, ignores=ignores, **inputs))


def _hit_said(session: Session, result: HitResult) -> str:
    if session.quiet:  # nobody reads it, and explaining costs as much as the hit
        session.result = result
        return ""
    what = [f"{shown(result.dealt)} dealt"]
    what += [f"{shown(result.absorbed)} absorbed"] if result.absorbed else []
    what += [f"{shown(result.overkill)} overkill"] if result.overkill else []
    total = f": {result.explain()}" if len(result.steps) > 1 else ""
    text = f"{', '.join(what)}{total}"
    text += " (critical)" if result.critical else ""
    text += ", lethal" if result.lethal else ""
    return said(session, result, text) + (f": {result.explain()}" if result.blocked == "deflected" else "")


@command(HITS, "heal ana 25")
def heal(
    session: Session,
    actor: ActorName,
    amount: Amount,
    *,
    meter: MeterName = "",
    by: Source | None = None,
) -> str:
    """Gives back what is missing, at most so much."""
    result: HealResult = actor.heal(amount, meter, source=by)
    return said(session, result, f"{shown(result.restored)} of {shown(amount)} restored")


@command(HITS, "drain ana 5 meter=air")
def drain(
    session: Session,
    actor: ActorName,
    amount: Amount,
    *,
    meter: MeterName = "",
    by: Source | None = None,
) -> str:
    """Takes from a meter, past guard and shields."""
    result: ChangeResult = actor.drain(amount, meter, source=by)
    return said(session, result, f"{shown(result.amount)} drained")


@command(HITS, "revive ana fraction=0.5")
def revive(session: Session, actor: ActorName, *, fraction: Number = 1.0) -> str:
    """Brings a dead actor back."""
    return said(session, actor.revive(fraction), f"{actor.id} lives")


@command(HITS, "set ana.suit 40", name="set")
def set_meter(session: Session, meter: MeterPath, value: Value) -> str:
    """Sets a meter by hand."""
    return said(session, meter.set(value), f"{meter.path} is {shown(value)}")


@command(HITS, "set_max ana.suit 110 keep=missing")
def set_max(session: Session, meter: MeterPath, value: Value, *, keep: Policy = "value") -> str:
    """Sets a maximum; keep= value, fraction or missing."""
    result = meter.set_max(value, keep)
    return said(session, result, f"{meter.path} is {shown(meter.value)} of {shown(value)}")


@command(HITS, "input ana nearby 3", name="input")
def set_input(session: Session, actor: ActorName, name: InputName, value: InputValue) -> str:
    """Sets an input for an actor from now on; none gives it up."""
    result = actor.set_input(name, value)
    stands = "is the design's again" if value is None else f"is {shown(value)}"
    return said(session, result, f"{name} of {actor.id} {stands}")


@command(STATUSES, "tag ana submerged")
def tag(session: Session, actor: ActorName, tag: Tag) -> str:
    """Sets a tag."""
    return said(session, actor.tag(tag), f"{actor.id} is {tag}")


@command(STATUSES, "untag ana submerged")
def untag(session: Session, actor: ActorName, tag: Tag) -> str:
    """Takes a tag away."""
    return said(session, actor.untag(tag), f"{actor.id} is not {tag}")


@command(STATUSES, "status ana venom")
def status(
    session: Session,
    actor: ActorName,
    status: StatusName,
    *,
    by: ActorName | None = None,
    lasts: Number | None = None,
) -> str:
    """Puts an actor under a status."""
    return said(session, actor.status(status, lasts=lasts, source=by), f"{actor.id} is under {status}")


@command(STATUSES, "cure ana venom")
def cure(session: Session, actor: ActorName, status: StatusName) -> str:
    """Ends a status before its time."""
    return said(session, actor.cure(status), f"{actor.id} is rid of {status}")
