"""Sliders: numbers of a design that are changed while the game runs, for a panel of one's own.

Each turn makes a design with another value and lets the world go on under it (`World.adopt`), so a panel can
do no more than an editor could. Start at `Sliders`.
"""

from __future__ import annotations

from collections.abc import Mapping
from math import floor, log10

from cleaver.core.kernel.arguments import TABLE, WORDS, WORLD, checked, finite, maybe
from cleaver.core.world import World
from cleaver.design.lines import path_of
from cleaver.errors import AmountError, DesignError, InUseError, UsageError, said
from cleaver.hud.drawn import Drawn
from cleaver.named import NamedTuple
from cleaver.rounding import shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


class Slider(NamedTuple):
    """One number: its key path, its name, its value (None where the design has none by now), as text, its
    first value, what a turn changes, and whether it is chosen."""

    key: str
    label: str
    value: float | None
    text: str
    first: float
    step: float
    chosen: bool

    @property
    def changed(self) -> bool:
        """Whether it is another than at first."""
        return self.value != self.first


class Sliders(Drawn):
    """Numbers of the running design: `rows` to draw, one of them chosen; `turn` changes it.

    Args:
        world: Whose design.
        keys: Key paths as `cleaver check` prints them, by the name that each is shown under.
        steps: What a turn changes, by key path; else about a tenth of the first value.

    Raises:
        UsageError: A key that the design has no number at.
    """

    _tells = ("rows", "problem")

    world: World
    problem: str

    @checked(world=WORLD, keys=WORDS, steps=maybe(TABLE))
    def __init__(
        self, world: World, keys: Mapping[str, str], *, steps: Mapping[str, float] | None = None
    ) -> None:
        self.world, self.problem, self._at = world, "", 0
        self._first: dict[str, float] = {}
        self._labels = {key: label for label, key in keys.items()}
        for key in self._labels:
            found = _number(world, key)
            if found is None:
                raise UsageError(f"{said(key)} is no number of this design; see `cleaver check` for its keys")
            self._first[key] = found
        self._steps = {key: _step(first) for key, first in self._first.items()} | dict(steps or {})
        for key, step in self._steps.items():
            if key not in self._first or not finite(step) or step <= 0:
                raise AmountError(f"the step of {key}", step, "more than 0, for one of the keys")

    @property
    def rows(self) -> tuple[Slider, ...]:
        """Every number as it is in the design now, in the order given."""
        found = []
        for at, (key, label) in enumerate(self._labels.items()):
            value = _number(self.world, key)
            text = "–" if value is None else shown(value)
            found.append(Slider(key, label, value, text, self._first[key], self._steps[key], at == self._at))
        return tuple(found)

    def choose(self, by: int) -> None:
        """Choose the one that is *by* rows further down; after the last comes the first."""
        self._at = (self._at + by) % len(self._labels) if self._labels else 0

    def turn(self, by: int) -> None:
        """Change the chosen one by so many steps, and let the world go on under that design.

        Where the design does not allow it, nothing changes, and `problem` says why.

        Raises:
            BusyError: In a listener.
        """
        for row in self.rows:
            if row.chosen and row.value is not None:
                self._set({row.key: round(row.value + by * row.step, 9)})  # without the noise of floats

    def press(self, key: str) -> bool:
        """Do what a key means to a panel: "up" and "down" choose, "left" and "right" turn, "backspace" gives
        every number its first value. Return whether it means anything."""
        if key in ("up", "down"):
            self.choose(1 if key == "down" else -1)
        elif key in ("left", "right"):
            self.turn(1 if key == "right" else -1)
        elif key == "backspace":
            self.reset()
        else:
            return False
        return True

    def reset(self) -> None:
        """Give every number its first value again."""
        self._set({row.key: row.first for row in self.rows if row.changed and row.value is not None})

    def _set(self, values: Mapping[str, float]) -> None:
        try:
            self.world.adopt(self.world.design.with_values(values))
        except DesignError as error:
            self.problem = "; ".join(filter(None, (error.problems[0].wrong, error.problems[0].right)))
        except InUseError as error:
            self.problem = str(error)
        else:
            self.problem = ""


def _number(world: World, key: str) -> float | None:
    """Return the number at a key path of the running design; that of `max` where a table stands for it."""
    found: Any = world.design.source.tree
    path = path_of(key) if isinstance(key, str) else ()
    for part in path:
        try:
            found = found[part]
        except (LookupError, TypeError):
            return None
    if isinstance(found, dict):
        found = found.get("max")
    return found if path and finite(found) else None


def _step(value: float) -> float:
    """Return about a tenth of *value*: 1, 2 or 5 times a power of ten."""
    if not value:
        return 1
    tenth = abs(value) / 10
    power = floor(log10(tenth))
    scale = max(factor for factor in (1, 2, 5) if factor * 10.0**power <= tenth * 1.0000001)
    found = scale * 10.0**power
    return int(found) if found >= 1 else round(found, -power)
