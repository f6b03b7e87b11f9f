"""Life: whether somebody is alive, and its lives, as a profile keeps them. Start at `Life.lives_back`."""

from __future__ import annotations

from cleaver.core.kernel.body import Body, Meter
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.stage import Stage

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Protocol

    from cleaver.core.kernel.crossing import Crossing

    class _Vitals(Protocol):
        """What is asked of `Vitals`."""

        before_death: list[Any]
        death: Any
        outlasting: Any
        stage: Stage

        def anchor(self, meter: Meter, real: float, base: float, *, lower: bool = False) -> None: ...
        def become(self, meter: Meter, top: float, value: float, told: bool) -> None: ...
        def real(self, meter: Meter) -> float: ...
        def start_of(self, meter: Meter) -> float: ...
        def value(self, meter: Meter) -> float: ...


class Life(Part):
    """What of life and lives outlasts a session. Meters come back after it, and after statuses, which the
    dead have none of."""

    vitals: _Vitals

    def __init__(self, vitals: _Vitals) -> None:
        self.vitals = vitals

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: meters, lives and cooldowns, before the statuses that may flow into them."""
        self.vitals.outlasting.fit(crossing)

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("lives", self.lives_kept, self.lives_back, of_players=False),)

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("life", self._life_kept, self._life_back, of_players=False),)

    def _life_kept(self, body: Body) -> dict[str, Any]:
        now = self.vitals.stage.clock.now
        return {
            "alive": body.alive,
            "wait": -1 if body.comeback is None else body.comeback.due - now,
            "grace": max(body.grace - now, 0),
            "hurt": now - body.hurt_at if body.hurt_at >= 0 else -1,
            "cooldowns": {key: ends - now for key, ends in body.cooldowns.items() if ends > now},
        }

    def _life_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let somebody be alive, or dead and wait as long for its return as it did, with the grace, the quiet
        after a hurt and the cooldowns that were left."""
        now, actors = self.vitals.stage.clock.now, self.vitals.stage.actors
        if data["alive"] and not body.alive:
            self._rise(body, told)
        elif not data["alive"] and body.alive:
            self._fall(body, told)
        if not data["alive"] and data["wait"] >= 0:
            self.vitals.death.come_back_after(body, data["wait"])
        body.grace = now + data["grace"] if data["grace"] else 0
        body.hurt_at = now - data["hurt"] if data["hurt"] >= 0 else -1
        body.cooldowns = {key: now + left for key, left in data["cooldowns"].items()}
        for key in body.cooldowns:
            target = actors.get(key.partition("/")[2])
            if target is not None:
                target.hunters.add(body.id)
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
        return data

    def stay_alive(self, body: Body, told: bool) -> None:
        """Let somebody alive, whose meters have come back, have something in the vital one."""
        vital = body.meters.get(body.kind.vital)
        if body.alive and vital is not None and self.vitals.value(vital) <= 0:
            least = 1 if vital.kind.whole else vital.max * 0.01
            self.vitals.become(vital, vital.max, max(self.vitals.start_of(vital), least), told)

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
