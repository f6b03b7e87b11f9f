"""Checks of meters, attacks and guards."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

from cleaver.design import models
from cleaver.design.checks.finding import Told, all_effects, rule
from cleaver.design.design import Design
from cleaver.design.lines import Path
from cleaver.design.names import named_in
from cleaver.design.paths import FormulaNames
from cleaver.design.vocabulary import VERBS
from cleaver.errors import CleaverError, nearest
from cleaver.parsing import parse
from cleaver.rounding import shown


@rule
def untouched_meter(design: Design) -> Iterable[Told]:
    """A meter that is not vital, does not flow, shields nothing and that no effect names will read the same
    for ever: something that should change it was forgotten, or its name was."""
    named = set(named_in((effect for _, effect in all_effects(design)), "meter"))
    named |= {flow.meter for status in design.tables.statuses.values() for flow in status.flows}
    for kind, actor in design.tables.actors.items():
        paid = {name for one in actor.priced() for name in one.costs}
        for name, meter in actor.meters.items():
            still = not meter.flows and meter.shields is None and name not in paid
            if name != actor.vital and still and name not in named:
                yield (
                    ("actors", kind, "meters", name),
                    "nothing in the design changes it",
                    "give it a flow, or an effect that names it",
                )


@rule
def meter_not_there(design: Design) -> Iterable[Told]:
    """An effect or a flow on a meter that none of those it can meet has: it does nothing there."""
    tables = design.tables
    players = [kind for kind, actor in tables.actors.items() if actor.player]
    for path, effect in all_effects(design):
        meter = next(named_in([effect], "meter"), None)
        met: list[str] = []
        if effect.to in (None, "self"):
            if path[0] == "actors" and "attacks" not in path:
                met = [str(path[1])]
            elif path[0] in ("levels", "quests", "achievements"):
                met = players
        if meter is not None and met and all(meter not in tables.actors[kind].meters for kind in met):
            yield (
                path,
                f"{_listed(met)} no meter {meter}",
                "name a meter that is there, or say who it is for (`to`)",
            )


def _listed(kinds: list[str]) -> str:
    return f"{', '.join(kinds)} {'has' if len(kinds) == 1 else 'have'}"


@rule
def no_vital(design: Design) -> Iterable[Told]:
    """An actor with a guard, or with meters that only hits could change, but without a vital meter: hitting
    it is an error."""
    for kind, actor in design.tables.actors.items():
        still = actor.meters and not any(meter.flows for meter in actor.meters.values())
        if actor.vital is None and ("guard" in vars(actor) or still):
            yield (
                ("actors", kind),
                "has no vital meter, so it cannot be hit",
                f'say vital = "{next(iter(actor.meters), "suit")}"',
            )


@rule
def zero_amount(design: Design) -> Iterable[Told]:
    """An amount of 0 does nothing: it was left at a placeholder, or the effect is not wanted."""
    for kind, actor in design.tables.actors.items():
        for name, attack in actor.attacks.items():
            if attack.amount in (0, "0"):
                yield (
                    ("actors", kind, "attacks", name, "amount"),
                    "is 0, so the attack never does anything",
                    "give it the amount you mean",
                )
    for name, exchange in design.tables.exchanges.items():
        for key, goods in (("costs", exchange.costs), ("gives", exchange.gives)):
            for good, amount in goods.items():
                if amount in (0, "0"):
                    yield (
                        ("exchanges", name, key, good),
                        f"0 {good}",
                        "give it the amount you mean, or leave it out",
                    )
    for path, effect in all_effects(design):
        amount = effect.beside.get("amount", effect.operand)
        if not isinstance(amount, bool) and amount in (0, "0"):
            yield (
                path,
                f"{effect.verb} of 0 does nothing",
                "give it the amount you mean, or leave the effect out",
            )


@rule
def misspelt_type(design: Design) -> Iterable[Told]:
    """`through` names a type of damage that nothing deals, spelt almost like one that something does."""
    dealt = {
        attack.type
        for actor in design.tables.actors.values()
        for attack in actor.attacks.values()
        if attack.type
    }
    dealt |= set(named_in((effect for _, effect in all_effects(design)), "type"))
    places: list[tuple[Path, Iterable[str]]] = [
        (("actors", kind, "guard", "through"), actor.guard.through)
        for kind, actor in design.tables.actors.items()
    ]
    places += [
        (("statuses", name, "through"), status.through) for name, status in design.tables.statuses.items()
    ]
    for path, kinds in places:
        for kind in kinds:
            near = nearest(kind, dealt)
            if kind not in dealt and near:
                yield (*path, kind), f"nothing deals {kind!r}", f"did you mean {near!r}?"


def _formulas(design: Design) -> Iterator[tuple[Path, str, tuple[str, ...], models.Effect | None]]:
    """Yield the formulas that hits and effects work out: where, the text, the locals, whose amount it is."""
    for kind, actor in design.tables.actors.items():
        guard = actor.guard
        path: Path = ("actors", kind, "guard")
        asked: list[tuple[Path, Any]] = [
            ((*path, key), getattr(guard, key)) for key in ("scale", "armour", "grace")
        ]
        asked += [((*path, "zones", zone), times) for zone, times in guard.zones.items()]
        asked += [((*path, "through", what), times) for what, times in guard.through.items()]
        for name, attack in actor.attacks.items():
            where = ("actors", kind, "attacks", name)
            asked += [((*where, key), getattr(attack, key)) for key in ("amount", "flight", "pierces")]
            asked += [((*where, "costs", good), amount) for good, amount in attack.costs.items()]
        yield from ((path, text, (), None) for path, text in asked if isinstance(text, str))
    for path, effect in all_effects(design):
        local = tuple(design.tables.pickups[str(path[1])].inputs) if path[0] == "pickups" else ()
        amount = effect.operand if VERBS[effect.verb].operand == "amount" else effect.beside.get("amount")
        if isinstance(amount, str):
            yield path, amount, local, effect


class DuelTrial(NamedTuple):
    """A formula worked out at its defaults: nobody near, inputs as the design has them, 1 for what actors
    would have."""

    path: Path
    text: str
    value: Any  # or the error that was raised
    given: str  # the defaults it used, as text
    certain: (
        bool  # whether it reads nothing but inputs, so that the value is just this wherever none is given
    )
    effect: models.Effect | None  # whose amount it is


def trials(design: Design) -> Iterator[DuelTrial]:
    """Yield every formula that hits and effects work out, worked out at its defaults."""
    for path, text, local, effect in _formulas(design):
        inputs = dict(design.tables.inputs)
        if path[0] == "pickups":
            inputs |= design.tables.pickups[str(path[1])].inputs
        others: list[str] = []

        def read(reference: Any, inputs: dict[str, float] = inputs, others: list[str] = others) -> Any:
            if reference.what == "near":
                others.append("near")
                return lambda scope: lambda radius: 0
            if reference.what == "input" and reference.name in inputs:
                return lambda scope: inputs[reference.name]
            others.append(reference.name)
            plain: object = {"words": [], "text": ""}.get(reference.type, 1)
            return lambda scope: plain

        given = ", ".join(
            f"{name} = {value:g}" for name, value in inputs.items() if re.search(rf"\b{name}\b", text)
        )
        try:
            value = parse(
                text, FormulaNames(design.known, ("self", "source", "target"), locals=local)
            ).compile(read)(None)
        except (CleaverError, ArithmeticError) as error:
            value = error
        yield DuelTrial(path, text, value, given, not others, effect)


@rule
def divides_by_zero(design: Design) -> Iterable[Told]:
    """A formula divides by zero when every input has its default and nobody stands near: it will the first
    time it is played."""
    for trial in trials(design):
        if isinstance(trial.value, ZeroDivisionError):
            when = ", ".join(
                part for part in (trial.given, "nobody near" if "near(" in trial.text else "") if part
            )
            yield (
                trial.path,
                f"divides by zero at its defaults ({when})",
                "write what it should be then: 0 if … == 0 else …",
            )


@rule
def negative_amount(design: Design) -> Iterable[Told]:
    """An amount worked out from inputs is below 0 at their defaults: the direction is in the verb (heal,
    hurt), so the first use of it is an error."""
    for trial in trials(design):
        if (
            trial.certain
            and isinstance(trial.value, (int, float))
            and trial.value < 0
            and trial.path[-1] != "scale"
        ):
            wrong = f"is {shown(trial.value)} at its defaults{f' ({trial.given})' if trial.given else ''}"
            yield trial.path, wrong, "turn the sign round; a verb such as heal or hurt says the direction"


@rule
def idle_flow(design: Design) -> Iterable[Told]:
    """A flow that can never move its meter: its rate is 0, it stops where it would start, or its two tags
    exclude each other."""
    flows: list[tuple[Path, Any]] = [
        (("actors", kind, "meters", name, "flows", number), flow)
        for kind, actor in design.tables.actors.items()
        for name, meter in actor.meters.items()
        for number, flow in enumerate(meter.flows)
    ]
    flows += [
        (("statuses", name, "flows", number), flow)
        for name, status in design.tables.statuses.items()
        for number, flow in enumerate(status.flows)
    ]
    for path, flow in flows:
        if flow.rate == 0:
            yield path, "its rate is 0", "give it a rate in units per second"
        elif isinstance(flow.rate, (int, float)) and flow.until == (0 if flow.rate > 0 else 1):
            yield (
                path,
                f"it stops at {flow.until:g}, where it never moves from",
                "give `until` the fraction it should stop at",
            )
        elif flow.while_ and flow.while_ == flow.unless:
            yield path, f"it flows while and unless {flow.while_}", "leave one of them out"


@rule
def mark_out_of_range(design: Design) -> Iterable[Told]:
    """A mark at the maximum of a meter without overfill is never crossed: the value never goes above it."""
    for kind, actor in design.tables.actors.items():
        for name, meter in actor.meters.items():
            for mark, level in meter.marks.items():
                if level >= 1 and not meter.overfill:
                    path: Path = ("actors", kind, "meters", name, "marks", mark)
                    yield (
                        path,
                        "is at the maximum, which the value never goes above",
                        "set it below 1, or use `filled`",
                    )


@rule
def contact_every_frame(design: Design) -> Iterable[Told]:
    """An attack without a cooldown on targets without grace: touching would hurt on every frame of
    contact."""
    bare = [kind for kind, actor in design.tables.actors.items() if actor.vital and not actor.guard.grace]
    for kind, actor in design.tables.actors.items():
        if actor.turns:
            continue  # its turns, and not the frames, say how often it hits
        victims = [
            other for other in bare if other != kind and design.tables.actors[other].player != actor.player
        ]
        for name, attack in actor.attacks.items():
            if attack.cooldown == 0 and victims:
                wrong = f"has no cooldown, and {_listed(victims)} no grace"
                yield (
                    ("actors", kind, "attacks", name),
                    wrong,
                    "give the attack a cooldown or the guard a grace",
                )
