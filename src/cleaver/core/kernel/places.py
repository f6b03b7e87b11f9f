"""Places: where things stand, and who is near.

Positions are the host's; nothing here moves by itself. A question of `near` is answered from a grid whose
cells are as wide as the radius asked for: made at the first question, kept up to date by moves. Start at
`Places.near`.
"""

from __future__ import annotations

from collections.abc import Callable
from math import ceil, floor, log2

from cleaver.core.kernel.arguments import finite
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.stage import Stage
from cleaver.errors import FormulaError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

Cell = tuple[int, int, int]
MOST_GRIDS = 8  # of radii that have a grid of their own


class Places(Part):
    """Who stands where in one world."""

    flat: bool

    def __init__(self, stage: Stage) -> None:
        self.stage = stage
        self.grids: dict[float, dict[Cell, dict[str, Body]]] = {}  # width of a cell: who is in it
        self.flat = (
            True  # whether nobody ever stood above or below the others: then there is one layer of cells
        )
        stage.readable["near"] = self._read

    def move(self, body: Body, x: float, y: float, z: float) -> None:
        """Note where a body stands now."""
        if z:
            self.flat = False
        if not self.grids:
            body.x, body.y, body.z = x, y, z
            return
        self.forget(body)
        body.x, body.y, body.z = x, y, z
        for width, grid in self.grids.items():
            grid.setdefault(_cell(body, width), {})[body.id] = body

    def forget(self, body: Body) -> None:
        """Take a body off every grid."""
        if body.x is not None:
            for width, grid in self.grids.items():
                cell = _cell(body, width)
                there = grid.get(cell)
                if there is not None:
                    there.pop(body.id, None)
                    if not there:
                        del grid[cell]

    def relink(self) -> None:
        """Forget the grids, after unpacking."""
        self.grids = {}
        self.flat = not any(body.z for body in self.stage.actors.values())

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`: where an actor stands."""
        return (Keeper("position", self._kept, self._back, of_players=False),)

    def _kept(self, body: Body) -> list[float | None]:
        return [body.x, body.y, body.z]

    def _back(self, body: Body, data: Any, told: bool) -> dict[str, Any]:
        if data and data[0] is not None:
            self.move(body, *data)
        else:
            self.forget(body)
            body.x = body.y = body.z = None
        return {}

    def near(self, body: Body, radius: float, word: str = "") -> int:
        """Return how many living actors (of a kind or tag) stand within *radius* of a body, itself not
        counted."""
        if body.x is None or radius < 0:
            return 0
        assert body.y is not None
        assert body.z is not None
        width = max(radius, 1e-6)
        if width not in self.grids and len(self.grids) >= MOST_GRIDS:
            width = 2.0 ** ceil(log2(width))  # radii that vary share the grids of powers of two
        grid = self.grids.get(width)
        if grid is None:
            grid = self.grids[width] = {}
            for other in self.stage.actors.values():
                if other.x is not None:
                    grid.setdefault(_cell(other, width), {})[other.id] = other
        x, y, z, limit = body.x, body.y, body.z, radius * radius
        home = _cell(body, width)
        count = 0
        cells = grid.get
        layers = (0,) if self.flat else (home[2] - 1, home[2], home[2] + 1)
        for ix in (home[0] - 1, home[0], home[0] + 1):
            for iy in (home[1] - 1, home[1], home[1] + 1):
                for iz in layers:
                    there = cells((ix, iy, iz))
                    if there is None:
                        continue
                    for other in there.values():
                        # In a grid only with a position
                        dx, dy, dz = other.x - x, other.y - y, other.z - z  # type: ignore[operator]
                        if (
                            dx * dx + dy * dy + dz * dz <= limit
                            and other.alive
                            and other is not body
                            and (not word or other.is_a(word))
                        ):
                            count += 1
        return count

    def _read(self, body: Body | None, word: str, part: str) -> Callable[[float], int]:
        def near(radius: float) -> int:
            if body is None:
                raise FormulaError("near", "needs an actor; it counts who stands near the actor of a rule")
            if not finite(radius):
                raise FormulaError("near", f"is asked for a radius of {radius}")
            return self.near(body, radius, word)

        return near


def _cell(body: Body, width: float) -> Cell:
    assert body.x is not None
    assert body.y is not None
    assert body.z is not None
    return floor(body.x / width), floor(body.y / width), floor(body.z / width)
