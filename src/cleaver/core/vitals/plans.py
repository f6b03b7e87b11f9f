"""Plans: the steps of a hit that apply between an attack and a kind, put together once into one function.

Every hit runs a plan: `hit`, `hurt`, what pulses and shots do. What a step does stands in `design.steps`.
Start at `Plan`.
"""

from __future__ import annotations

from collections.abc import Callable

from cleaver.core.kernel.expressions import Amount, Expression, Span
from cleaver.core.kernel.results import Step as Told
from cleaver.design.steps import STEPS, HitPart
from cleaver.rounding import NOISE, rounded

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.actor_kinds import ActorKind, AttackKind, GuardKind, MeterKind
    from cleaver.core.kernel.body import Body
    from cleaver.core.kernel.scope import Scope

_CODE: dict[tuple[Any, ...], Any] = {}
"""Of plans with the same steps, put together once."""


def hardened(amount: float, armour: float) -> float:
    """Return an amount less armour; what only decimal noise leaves over is nothing."""
    left = amount - armour
    return left if left > armour * NOISE else min(left, 0)


class Plan:
    """The steps of hits with one attack, or with none, against one zone of a kind.

    `work` takes (amount, scale, numbers, source, target, blow, combat, stage, forced, luck) and returns what
    is left of the amount, 0 or less where it bounces off, and what was asked for it; `told` takes the amount,
    the scale and what was asked, and returns what each step did. `numbers` is what the formulas that stand
    for constants of the plan give (`numbers_of`).
    """

    __slots__ = (
        "above_all", "amount", "asked", "asks", "attack", "constant", "cooldown", "crit", "critical_at",
        "fixed", "grace", "guard", "ignores", "layered", "mark_levels", "mode", "name", "open", "paused",
        "scale", "shields", "simple", "steps", "told", "type", "vital", "whole", "work", "zone",
    )  # fmt: skip
    attack: AttackKind | None
    name: str
    type: str
    zone: str
    vital: str
    amount: Amount
    scale: Expression | None
    asked: tuple[tuple[str, Expression, bool], ...]
    """Formulas in place of constants: the name of each, and whether `self` is the target."""
    asks: bool
    crit: tuple[Amount, Amount] | None
    cooldown: int
    grace: Span
    guard: GuardKind
    whole: bool
    mode: str
    ignores: frozenset[str]
    mark_levels: tuple[float, ...]
    above_all: int
    shields: tuple[tuple[str, bool], ...]
    paused: tuple[str, ...]
    simple: bool
    layered: bool
    open: bool
    constant: float
    fixed: bool
    critical_at: int
    steps: tuple[Told, ...]
    work: Callable[..., tuple[float, tuple[Any, ...]]]
    told: Callable[..., tuple[Told, ...]]

    def __init__(
        self,
        attack: AttackKind | None,
        target: ActorKind,
        zone: str,
        type: str,
        ignores: frozenset[str],
        watched: bool,
    ) -> None:
        guard, meter = target.guard, target.meters[target.vital]
        self.attack, self.type, self.zone, self.ignores = attack, type, zone, ignores
        self.name = "" if attack is None else attack.name
        self.amount, self.crit = (0, None) if attack is None else (attack.amount, attack.crit)
        self.cooldown = attack.cooldown if attack is not None and isinstance(attack.cooldown, int) else 0
        self.guard, self.grace = guard, guard.grace
        self.scale = None if "scale" in ignores else guard.scale
        self.vital, self.whole, self.mode = target.vital, meter.whole, meter.mode
        self.mark_levels = meter.mark_levels
        self.above_all = (1 << len(meter.mark_levels)) - 1
        self.shields = tuple((name, target.meters[name].whole) for name in target.shields)
        self.paused = tuple(name for name, one in target.meters.items() if one.quiets)
        self.simple = is_simple(target) and "shields" not in ignores and not watched
        self.layered = bool(self.shields or self.paused or self.whole)
        part = guard.through.get(type, 1.0)
        self.open = part.__class__ is not Expression and part != 0 and not guard.immune_while
        """Whether nothing but the states of the two can refuse it."""
        self.asked = tuple(
            (name, one, name not in ("chance", "crit_factor"))
            for name, one in self._constants().items()
            if isinstance(one, Expression)
        )
        self.asks = isinstance(self.amount, Expression) or self.scale is not None or bool(self.asked)
        here = [step for step in STEPS if step.name not in ignores and step.there(self)]
        self.fixed = attack is not None and not self.asks and all(step.constant for step in here)
        """Whether it is folded into one number."""
        self.work, self.told = self._put_together(here)
        self.constant, self.steps = -1.0, ()
        if self.fixed:
            nobody = _Nobody()
            self.constant, asked = self.work(self.amount, 1.0, (), None, nobody, None, None, None, None, "")
            self.steps = self.told(self.amount, 1.0, asked)

    def critical(self, asked: tuple[Any, ...]) -> bool:
        """Return whether a hit was critical, by what was asked for it."""
        return self.critical_at >= 0 and asked[self.critical_at]

    def _constants(self) -> dict[str, Amount]:
        """Return the constants of the plan for which formulas may stand."""
        guard = self.guard
        found = {
            "zone_factor": guard.zones[self.zone] if self.zone else 1.0,
            "part_through": guard.through.get(self.type, 1.0),
            "armour": guard.armour,
        }
        if self.crit is not None:
            found["chance"], found["crit_factor"] = self.crit
        return found

    def numbers_of(self, scope: Scope, source: Body | None, target: Body) -> tuple[float, ...]:
        """Return what the formulas in place of constants give."""
        found = []
        for _, formula, of_target in self.asked:
            scope.me = target if of_target else source
            found.append(formula.amount(scope))
        return tuple(found)

    def _put_together(self, here: list[HitPart]) -> tuple[Any, Any]:
        """Return the steps as two functions: what they do, and what they tell."""
        formulas = [name for name, _, _ in self.asked]
        asked = [*formulas, *(name for step in here for name in step.asks)]
        self.critical_at = asked.index("critical") if "critical" in asked else -1
        key = (*map(id, here), *formulas)
        code = _CODE.get(key)
        if code is None:
            code = _CODE[key] = compile(_written(here, formulas), "<steps of a hit>", "exec")
        guard, most = self.guard, self.guard.most
        space: dict[str, Any] = {
            "hardened": hardened,
            "rounded": rounded,
            "zone": self.zone,
            "type": self.type,
            "guard": guard,
            "least": guard.least,
            "mode": self.mode,
            "most": most,
            "most_shown": rounded(most, "down") if most is not None and self.whole else most,
            **self._constants(),
        }
        exec(code, space)  # written from the steps alone
        return space["work"], space["told"]


def _written(steps: list[HitPart], formulas: list[str]) -> str:
    """Return the source of the two functions."""
    asked = [(name, f"numbers[{index}]") for index, name in enumerate(formulas)]
    asked += [(name, how) for step in steps for name, how in step.asks.items()]
    names = "".join(f"{name}, " for name, _ in asked)
    given = "amount, scale, numbers, source, target, blow, combat, stage, forced, luck"
    work = [f"def work({given}):", *(f" {name} = {how}" for name, how in asked)]
    told = ["def told(amount, scale, asked):", *([f" {names} = asked"] if names else [])]
    told += [" steps = [('', amount, '')]", " tell = steps.append"]
    for step in steps:
        for line in step.does.strip().splitlines():
            if "tell(" not in line:
                work.append(f" {line}".replace("return amount", f"return amount, ({names})"))
            told.append(f" {line}".replace("return amount", "return tuple(steps)"))
    return "\n".join([*_with_bodies(work), f" return amount, ({names})", *told, " return tuple(steps)", ""])


def _with_bodies(lines: list[str]) -> list[str]:
    """Return lines of which some were left out, without the conditions that nothing stands under any more."""
    return [
        line
        for line, after in zip(lines, [*lines[1:], ""], strict=True)
        if not (line.endswith(":") and line.startswith(" if ") and not after.startswith("  "))
    ]


class _Nobody:
    """Stands for a target without statuses where a plan is folded into one number."""

    through: dict[str, float] = {}


def is_simple(target: ActorKind) -> bool:
    """Return whether the meters of a kind are of shapes that a plan knows.

    The vital meter and its shields rest, or have one flow, upward, which pauses after a hurt or is always at
    work; with whole numbers none flows on under fire. What else pauses has that one flow too.
    """
    vital = target.meters[target.vital]
    struck = [vital, *(target.meters[name] for name in target.shields)]
    return (
        all(_rises(meter) for meter in struck)
        and not any(meter.whole and meter.flows and meter.plain for meter in struck)
        and (vital.whole or not any(meter.whole for meter in struck))
        and not any(meter.mark_levels for meter in struck[1:])
        and all(_rises(meter) for meter in target.meters.values() if meter.quiets)
    )


def _rises(meter: MeterKind) -> bool:
    if not meter.flows:
        return True
    flow = meter.flows[0]
    return (
        len(meter.flows) == 1
        and flow.rate > 0
        and not (flow.every or flow.while_ or flow.unless or flow.asked)
        and flow.after_hurt.__class__ is int  # else it is another clock that lets it go on
    )
