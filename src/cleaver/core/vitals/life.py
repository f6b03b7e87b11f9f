"""Life: whether somebody is alive, and its lives, as a profile keeps them. Start at `Life.lives_back`."""

from __future__ import annotations

from cleaver.core.kernel.body import Body, Meter
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.spans import FAR, as_data, from_data
from cleaver.core.kernel.stage import Stage

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Protocol

    from cleaver.core.kernel.actor_kinds import ActorKind
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
        return (
            Keeper("lives", self.lives_kept, self.lives_back, of_players=False),
            Keeper(
                "cooldowns", self.cooldowns_kept, self.cooldowns_back, of_players=False, known=self._clocks
            ),
        )

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("life", self._life_kept, self._life_back, of_players=False),)

    def _life_kept(self, body: Body) -> dict[str, Any]:
        clock = self.vitals.stage.clock
        then, now = body.hurt_on, clock.stamp(body)
        ages = then and [
            None if one is None or at is None else one - at for one, at in zip(then, now, strict=True)
        ]
        return {
            "alive": body.alive,
            "wait": -1 if body.comeback is None else clock.left(body.comeback.due, body),
            "grace": max(clock.left(body.grace, body), 0),
            "hurt": clock.now - body.hurt_at if body.hurt_at >= 0 else -1,
            "hurt_on": ages,
            "cooldowns": {
                key: clock.left(ends, body) for key, ends in body.cooldowns.items() if ends > clock.now
            },
        }

    def _life_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let somebody be alive, or dead and wait as long for its return as it did, with the grace, the quiet
        after a hurt and the cooldowns that were left."""
        clock, actors = self.vitals.stage.clock, self.vitals.stage.actors
        if data["alive"] and not body.alive:
            self._rise(body, told)
        elif not data["alive"] and body.alive:
            self._fall(body, told)
        if not data["alive"] and data["wait"] >= 0:
            self.vitals.death.come_back_after(body, data["wait"])
        body.grace = clock.later(data["grace"], body) if data["grace"] else 0
        body.hurt_at = clock.now - data["hurt"] if data["hurt"] >= 0 else -1
        now = clock.stamp(body)
        body.hurt_on = data["hurt_on"] and [
            None if one is None or at is None else one + at
            for one, at in zip(data["hurt_on"], now, strict=True)
        ]
        body.cooldowns = {
            key: clock.later(left, body, starts=True) for key, left in data["cooldowns"].items()
        }
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

    def cooldowns_kept(self, body: Body) -> dict[str, Any]:
        """Return what is left of the cooldowns that are against nobody, to be saved: of attacks that have one
        clock, of what is launched, of abilities."""
        clock = self.vitals.stage.clock
        return {
            key.removesuffix("/"): as_data(clock.left(ends, body))
            for key, ends in body.cooldowns.items()
            if ends > clock.now and key.endswith("/")
        }

    def cooldowns_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let rest what rested when it was saved; returns attacks and abilities that are unknown."""
        for key in [key for key in body.cooldowns if key.endswith("/")]:
            del body.cooldowns[key]
        known = self._clocks(body.kind)
        for name in [name for name in data if name in known]:
            left = from_data(data.pop(name))
            if body.alive:
                body.cooldowns[f"{name}/"] = self.vitals.stage.clock.later(left, body, starts=True)
        return data

    @staticmethod
    def _clocks(kind: ActorKind) -> set[str]:
        return {*kind.attacks, *(ability.clock for ability in kind.abilities.values())}

    def clocks_came(self, body: Body) -> None:
        """Let grace, cooldowns and quiet be over that the clocks have come to which the game moves."""
        clock = self.vitals.stage.clock
        if body.grace >= FAR:
            body.grace = clock.begun(body.grace, body)
        if body.cooldowns:
            for key, end in tuple(body.cooldowns.items()):
                if end >= FAR and clock.begun(end, body) == 0:
                    del body.cooldowns[key]
        if body.hurt_on is not None:
            for meter in body.meters.values():
                if meter.kind.quiets or body.flowing:
                    self.vitals.anchor(meter, self.vitals.real(meter), self.vitals.value(meter))

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
