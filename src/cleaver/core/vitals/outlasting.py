"""Outlasting: meters as a profile keeps them, and as they go on under another design. Start at
`Outlasting.meters_kept`.
"""

from __future__ import annotations

from cleaver.core.kernel.body import Body, Meter
from cleaver.core.kernel.stage import Stage
from cleaver.core.stats.account import EARLIER, Stats
from cleaver.rounding import rounded

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any, Protocol

    from cleaver.core.kernel.actor_kinds import FlowKind
    from cleaver.core.kernel.crossing import Crossing

    class _Vitals(Protocol):
        """What is asked of `Vitals`."""

        death: Any
        life: Any
        stage: Stage
        stats: Stats

        def anchor(self, meter: Meter, real: float, base: float, *, lower: bool = False) -> None: ...
        def become(self, meter: Meter, top: float, value: float, told: bool) -> None: ...
        def marks_above(self, meter: Meter, value: float) -> int: ...
        def real(self, meter: Meter) -> float: ...
        def start_of(self, meter: Meter) -> float: ...
        def top(self, meter: Meter) -> float: ...
        def value(self, meter: Meter) -> float: ...


class Outlasting:
    """What of meters outlasts a session, or a design."""

    vitals: _Vitals

    def __init__(self, vitals: _Vitals) -> None:
        self.vitals = vitals

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: meters and lives of kinds that are other ones now, and cooldowns of their attacks."""
        for body in self.vitals.stage.actors.values():
            if not crossing.touches(body):
                continue
            was, now = (kinds.actors[body.kind_name] for kinds in (crossing.old, crossing.new))
            rest = {*now.attacks, *(kind.clock for kind in now.abilities.values())}
            for key in [key for key in body.cooldowns if key.partition("/")[0] not in rest]:
                del body.cooldowns[key]
            if not now.lives:
                body.lives = 0
            elif not was.lives:
                body.lives = now.lives if body.alive else max(now.lives - 1, 0)
            else:
                body.lives = min(body.lives, now.lives_most or body.lives)
            for name in [name for name in body.meters if name not in now.meters]:
                body.meters.pop(name).due = -1
                crossing.ended.append(f"{body.id}.{name}")
            begun = [name for name in now.meters if name not in body.meters]
            crossing.began += [f"{body.id}.{name}" for name in begun]
            for name in begun:
                body.meters[name] = Meter(now.meters[name], body, self.vitals.stage.clock.now)
            body.meters = {name: body.meters[name] for name in now.meters}
            for name, meter in body.meters.items():
                if meter.steps and name in was.meters:
                    meter.steps = _paired(meter.steps, was.meters[name].flows, now.meters[name].flows)

    def go_across(self, crossing: Crossing) -> None:
        """See `Part`: maxima are what they come to now, and what flows does so as the design says now."""
        for body in self.vitals.stage.actors.values():
            if not crossing.watches(body):
                continue
            self.vitals.stats.cross(crossing, body)
            touched = crossing.touches(body)
            for name, meter in body.meters.items():
                *_, course = crossing.values.get((body.id, name), (0, 0, None))
                if touched or course != meter.course or self.vitals.top(meter) != meter.max:
                    self._go_across(crossing, meter)
            old = crossing.old.actors[body.kind_name]
            if touched and not body.alive and body.comeback is None and old.respawn is None:
                self.vitals.death.await_return(body)

    def _go_across(self, crossing: Crossing, meter: Meter) -> None:
        """Let a meter have the maximum that it comes to under another design, and its value within that."""
        body, now = meter.owner, meter.kind
        was = crossing.old.actors[body.kind_name].meters.get(now.name)
        before, meter.max = meter.max, self.vitals.top(meter)
        if was is None:
            real = shown_ = value = self.vitals.start_of(meter)
        else:
            real, shown_, _ = crossing.values[body.id, now.name]
            value = shown_
            if now.whole and not was.whole:
                value = max(int(rounded(value, now.mode)), 1) if value > 0 else 0
        value = min(value, meter.max + now.overfill)
        if not body.alive and now.name == body.kind.vital:
            value = 0
        meter.above = self.vitals.marks_above(meter, value)
        self.vitals.anchor(meter, real if value == shown_ else value, value)
        for part, old, new in (("max", before, meter.max), ("value", shown_, value)):
            if old != new and was is not None:
                crossing.told.append(("adjusted", body.id, (now.name, part, old, new)))

    def meters_kept(self, body: Body) -> dict[str, Any]:
        """Return the meters that are saved: their value."""
        return {
            name: {"value": self.vitals.value(meter)}
            for name, meter in body.meters.items()
            if meter.kind.saved
        }

    def meters_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let the meters that are saved be as they were; maxima are what they come to, and others start where
        they do. Returns meters that are unknown."""
        self.vitals.stats.anew(body, told=told)
        for name, meter in body.meters.items():
            saved = data.pop(name, None) if meter.kind.saved else None
            if saved is not None and "max" in saved and saved["max"] > meter.kind.max:  # of format 1
                body.raised.setdefault(f"{name}.max", {})[EARLIER] = saved["max"] - meter.kind.max
            top = self.vitals.top(meter)
            if saved is not None:
                value = saved["value"]
            elif told and not meter.kind.saved:
                value = self.vitals.value(meter)
            else:
                value = top if meter.kind.starts_full else meter.kind.start
            self.vitals.become(meter, top, value, told)
        self.vitals.life.stay_alive(body, told)
        return data

    def all_kept(self, body: Body) -> dict[str, Any]:
        """Return what every meter stands at, also of those that are not saved: what it carries of a whole
        number, what shows, and when its steps come."""
        now, names = self.vitals.stage.clock.now, _stacks(body)
        return {
            name: [
                self.vitals.real(meter),
                self.vitals.value(meter),
                {_called(key, names): due - now for key, due in (meter.steps or {}).items()},
            ]
            for name, meter in body.meters.items()
        }

    def all_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let every meter stand where it stood; one that a design brought since starts where it does."""
        now, names = self.vitals.stage.clock.now, {name: key for key, name in _stacks(body).items()}
        for name, meter in body.meters.items():
            top = self.vitals.top(meter)
            real, value, steps = data.get(name, (meter.kind.start, meter.kind.start, {}))
            self.vitals.become(meter, top, value, told)
            shown_ = self.vitals.value(meter)
            meter.steps = {_called(key, names): now + left for key, left in steps.items()}
            self.vitals.anchor(meter, real if shown_ == value else shown_, shown_)
        return {}


def _stacks(body: Body) -> dict[str, str]:
    """Return how the flows of each status are called that somebody has, which is by the event that began it,
    and how once they have outlasted that: which one of its name it is."""
    found, numbers = dict[str, str](), dict[str, int]()
    for ailment in body.ailments:
        number = numbers[ailment.name] = numbers.get(ailment.name, -1) + 1
        found[f"s{ailment.began}"] = f"{ailment.name} {number}"
    return found


def _called(key: str, names: dict[str, str]) -> str:
    """Return the key of a flow of a status with another name for that."""
    stack, dot, flow = key.partition(".")
    return names.get(stack, stack) + dot + flow


def _paired(steps: dict[str, int], was: Sequence[FlowKind], now: Sequence[FlowKind]) -> dict[str, int]:
    """Return when the steps of a meter come, by the flows that they are of now: a flow is the one that is
    equal."""
    found = {key: due for key, due in steps.items() if not key.startswith("k")}
    left = {f"k{number}": flow.key for number, flow in enumerate(was)}
    for number, flow in enumerate(now):
        at = next((key for key, other in left.items() if other == flow.key), "")
        left.pop(at, None)
        if at in steps:
            found[f"k{number}"] = steps[at]
    return found
