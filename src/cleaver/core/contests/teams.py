"""Teams: which side a player stands on. Keeps no state of its own (`Body.team`); start at `Teams.change`."""

from __future__ import annotations

from collections.abc import Callable

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import Result
from cleaver.core.kernel.stage import Stage
from cleaver.errors import UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


class Teams(Part):
    """The sides in one world; *file_anew* is called when somebody has changed sides."""

    stage: Stage

    def __init__(self, stage: Stage, file_anew: Callable[[], None]) -> None:
        self.stage, self._file_anew = stage, file_anew
        stage.bears["team"] = lambda body, name: int(body.team == name)

    def known(self, team: str) -> None:
        """Raise where there is no such team; "" is none."""
        if team and team not in self.stage.kinds.teams:
            raise UnknownNameError("team", team, tuple(self.stage.kinds.teams))

    def change(self, body: Body, team: str) -> Result:
        """Let an actor change sides, or stand alone ("")."""
        self.known(team)
        if body.team == team:
            return Result("no_change")
        self._change(body, team)
        body.lent = False
        self._file_anew()
        return Result()

    def _change(self, body: Body, team: str) -> None:
        """Let an actor stand elsewhere, and with it those it owns that have no team of their own."""
        before, body.team = body.team, team
        self.stage.emit("team_changed", body.id, "", (team, before))
        self.stage.touched("team", body.id)
        for owned in body.owns.values():
            if owned.lent and owned.team != team:
                self._change(owned, team)

    # what outlives the session, where the design asks for it

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("team", self.kept, self.back),)

    def kept(self, body: Body) -> dict[str, Any]:
        """Return a player's team, to be saved; also that it has none."""
        return {"name": body.team}

    def back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player stand where it stood; one who arrives for a team that the host names stands there.
        Returns a team that is unknown."""
        team = data.get("name", body.team)
        if team and team not in self.stage.kinds.teams:
            return data
        if told:
            self.change(body, team)
        elif team and body.team in ("", body.kind.team):
            body.team = team
            self._file_anew()
        return {}
