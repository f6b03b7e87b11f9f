"""Outlasting: meters and lives as a profile keeps them, and as they go on under another design. Start at
`Outlasting.meters_kept`.
"""

from __future__ import annotations

from collections.abc import Callable

from cleaver.core.kernel.body import Body, Meter
from cleaver.core.kernel.part import Keeper
from cleaver.core.kernel.stage import Stage
from cleaver.rounding import rounded

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Protocol

    from cleaver.core.kernel.actor_kinds import MeterKind
    from cleaver.core.kernel.crossing import Crossing

    class _Vitals(Protocol):
        """What is asked of `Vitals`."""

        before_death: list[Any]
        death: Any
        raised_by_levels: Callable[[Body, str], float]
        stage: Stage

        def anchor(self, meter: Meter, real: float, base: float, *, lower: bool = False) -> None: ...
        def become(self, meter: Meter, top: float, value: float, told: bool) -> None: ...
        def marks_above(self, meter: Meter, value: float) -> int: ...
        def real(self, meter: Meter) -> float: ...
        def start_of(self, meter: Meter) -> float: ...
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
            for key in [key for key in body.cooldowns if key.partition("/")[0] not in now.attacks]:
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
                self._fit_meter(crossing, body, meter, was.meters.get(name), now.meters[name])

    def _fit_meter(
        self, crossing: Crossing, body: Body, meter: Meter, was: MeterKind | None, now: MeterKind
    ) -> None:
        """Let a meter have the maximum of another design and what was raised on it, and its value within
        that."""
        before = top = meter.max
        real, shown_ = crossing.values.get((body.id, now.name), (now.start, now.start))
        if was is not None and was.max != now.max:
            top += now.max - was.max
        if not top > 0:
            top = now.max
        if now.whole:
            top = int(rounded(top, "half_up")) or 1
        value = shown_
        if now.whole and (was is None or not was.whole):
            value = max(int(rounded(value, now.mode)), 1) if value > 0 else 0
        value = min(value, top + now.overfill)
        if not body.alive and now.name == crossing.new.actors[body.kind_name].vital:
            value = 0
        if value != shown_:
            real = value
        meter.max, meter.value, meter.base, meter.since = top, real, value, self.vitals.stage.clock.now
        meter.kind = now
        meter.above = self.vitals.marks_above(meter, value)
        if was is None:
            return
        for part, old, new in (("max", before, top), ("value", shown_, value)):
            if old != new:
                crossing.told.append(("adjusted", body.id, (now.name, part, old, new)))

    def go_across(self, crossing: Crossing) -> None:
        """See `Part`: what flows does so as the design says now, from where it stands."""
        for body in self.vitals.stage.actors.values():
            if not crossing.touches(body):
                continue
            for meter in body.meters.values():
                if meter.kind.flows or body.flows or meter.course or meter.due >= 0:
                    self.vitals.anchor(meter, meter.value, meter.base)
            old = crossing.old.actors[body.kind_name]
            if not body.alive and body.comeback is None and old.respawn is None:
                self.vitals.death.await_return(body)

    def raise_again(self, body: Body, name: str, more: float, told: bool) -> None:
        """Raise a maximum by what levels raised it; one who arrives starts with it."""
        if more:
            meter = body.meters[name]
            full = not told and meter.kind.starts_full
            self.vitals.become(
                meter, meter.max + more, meter.max + more if full else self.vitals.value(meter), told
            )

    def meters_kept(self, body: Body) -> dict[str, Any]:
        """Return the meters that are saved: their value, and what was raised on them beside what levels
        raised."""
        return {
            name: {
                "value": self.vitals.value(meter),
                "raised": meter.max - meter.kind.max - self.vitals.raised_by_levels(body, name),
            }
            for name, meter in body.meters.items()
            if meter.kind.saved
        }

    def meters_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let the meters that are saved be as they were; the maximum is the design's, and what was raised on
        it. Returns meters that are unknown."""
        for name, meter in body.meters.items():
            saved = data.pop(name, None) if meter.kind.saved else None
            if saved is not None:
                raised = saved["raised"] if "raised" in saved else max(saved["max"] - meter.kind.max, 0)
                self.vitals.become(
                    meter,
                    meter.kind.max + self.vitals.raised_by_levels(body, name) + raised,
                    saved["value"],
                    told,
                )
            elif meter.kind.saved and told:
                meter_top = meter.kind.max + self.vitals.raised_by_levels(body, name)
                self.vitals.become(
                    meter, meter_top, meter_top if meter.kind.starts_full else meter.kind.start, told
                )
        return data

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`: all meters, also those that are not saved."""
        return (
            Keeper("life", self._life_kept, self._life_back, of_players=False),
            Keeper("all meters", self._all_kept, self._all_back, of_players=False),
        )

    def _life_kept(self, body: Body) -> dict[str, Any]:
        wait = body.comeback.due - self.vitals.stage.clock.now if body.comeback is not None else -1
        return {"alive": body.alive, "wait": wait}

    def _life_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let somebody be alive, or dead and wait as long for its return as it did."""
        if data["alive"] and not body.alive:
            self._rise(body, told)
        elif not data["alive"] and body.alive:
            self._fall(body, told)
        if not data["alive"] and data["wait"] >= 0:
            self.vitals.death.come_back_after(body, data["wait"])
        return {}

    def _all_kept(self, body: Body) -> dict[str, Any]:
        return {
            name: [meter.max, self.vitals.value(meter), meter.kind.max] for name, meter in body.meters.items()
        }

    def _all_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        for name, meter in body.meters.items():
            kind = meter.kind
            # Under a design that was adopted since, a meter may be new, or have another maximum.
            top, value, of_kind = data.get(name, (kind.max, kind.start, kind.max))
            meter.steps = None  # the clocks of steps start anew
            self.vitals.become(meter, top if of_kind == kind.max else kind.max + top - of_kind, value, told)
            self.vitals.anchor(meter, self.vitals.real(meter), self.vitals.value(meter))
        return {}

    def lives_kept(self, body: Body) -> dict[str, Any]:
        """Return a player's lives, and whether it is dead, to be saved; nothing where lives are not counted
        and it is alive."""
        return {"left": body.lives, "dead": not body.alive} if body.kind.lives or not body.alive else {}

    def lives_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player have the lives that were saved, and be alive or dead.

        Who was saved dead waits for its return again, where its kind returns and a life is left; who has none
        left stays dead; who would stay dead for ever, with lives to live, is alive.
        """
        kind = body.kind
        left, dead = data.pop("left", kind.lives), data.pop("dead", False)
        if kind.lives:
            left, before = min(left, kind.lives_most or left), body.lives
            if told and left != before:
                self.vitals.death.set_lives(body, left)
            body.lives = left
        dead = (dead and kind.respawn is not None) or (bool(kind.lives) and left <= 0)
        if dead and body.alive:
            self._fall(body, told)
            self.vitals.death.await_return(body)
        elif not dead and not body.alive:
            self._rise(body, told)
        vital = body.meters.get(kind.vital)
        if body.alive and vital is not None and self.vitals.value(vital) <= 0:
            self.vitals.become(
                vital,
                vital.max,
                max(self.vitals.start_of(vital), 1 if vital.kind.whole else vital.max * 0.01),
                told,
            )
        return data

    def _fall(self, body: Body, told: bool) -> None:
        """Let somebody be dead who was dead."""
        for clear in self.vitals.before_death:
            clear(body, -1)
        vital = body.meters.get(body.kind.vital)
        if vital is not None:
            self.vitals.become(vital, vital.max, 0, told)
        self.vitals.death.lie_still(body)
        if told:
            self.vitals.stage.emit("died", body.id, "", ("", "", 0.0))

    def _rise(self, body: Body, told: bool) -> None:
        body.alive, body.hurt_at = True, -1
        self.vitals.death.wait_no_more(body)
        for meter in body.meters.values():
            self.vitals.anchor(meter, self.vitals.real(meter), self.vitals.value(meter))
        if told:
            self.vitals.stage.emit("respawned", body.id, "", (self.vitals.death.place_of(body),))
