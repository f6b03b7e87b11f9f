"""Inputs: the numbers that the game has set for actors, to stand wherever a call gives none. Start at
`Inputs.set`."""

from __future__ import annotations

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.stage import Stage
from cleaver.errors import UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.crossing import Crossing


class Inputs(Part):
    """Lasting inputs in one world. Keeps no state of its own (`Body.inputs`)."""

    stage: Stage

    def __init__(self, stage: Stage) -> None:
        self.stage = stage

    def set(self, body: Body, name: str, value: float | None) -> Result:
        """Let an input stand at *value* for an actor from now on; None lets it go back to the design's."""
        known = self.stage.kinds.inputs
        if name not in known:
            raise UnknownNameError("input", name, tuple(known))
        if body.inputs.get(name) == value:
            return Result("no_change")
        if value is None:
            del body.inputs[name]
        else:
            body.inputs[name] = value
            self.stage.lasting = True
        self.stage.touched("input", body.id)
        return Result()

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: inputs that are gone."""
        for body in self.stage.actors.values():
            for name in [name for name in body.inputs if name not in crossing.new.inputs]:
                del body.inputs[name]

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("inputs", lambda body: dict(body.inputs), self._back, of_players=False),)

    def _back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        body.inputs = data
        self.stage.touched("input", body.id)
        return {}
