"""Popups: short texts that rise from where something happened and fade.

Made from events, with what was really applied and none for nothing; driven by `update(seconds)`. Where they
start is spread by dice of their own, so that looking never changes the world's luck. Start at `Popups`.
"""

from __future__ import annotations

from collections.abc import Iterator

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import ACTOR, WORLD, checked
from cleaver.core.kernel.events import Event
from cleaver.core.world import World
from cleaver.dice import draw_at, stream_of
from cleaver.hud.drawn import Hearing, lasting
from cleaver.hud.origin import Place, origin, standing
from cleaver.rounding import shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Literal

    Role = Literal["damage", "critical", "shield", "heal", "score", "money"]

EVENTS = ("damaged", "healed", "scored", "earned")


class Popup:
    """One text on its way: `text`, `role`, `actor` (an id), `x` and `y` (in heights of the text, from where
    it began), `alpha`, `size`, `age` (seconds).

    `at` is where in the world it began, None where the host said no place. It stays there when its actor
    moves or goes.
    """

    __slots__ = ("_lasts", "_rise", "actor", "age", "at", "role", "size", "text", "x")
    text: str
    actor: str
    at: Place | None
    x: float
    size: float
    age: float

    def __init__(
        self,
        text: str,
        role: Role,
        actor: str,
        at: Place | None,
        x: float,
        size: float,
        rise: float,
        lasts: float,
    ) -> None:
        self.text, self.role, self.actor, self.at, self.x, self.size = text, role, actor, at, x, size
        self._rise, self._lasts, self.age = rise, lasts, 0.0

    @property
    def y(self) -> float:
        """How far it has risen: fast at first, slower towards its end."""
        left = 1 - min(self.age / self._lasts, 1.0)
        return self._rise * (1 - left * left)

    @property
    def alpha(self) -> float:
        """How opaque it is: 1 for its first half, then fading to 0."""
        return min(1.0, 2 * (1 - min(self.age / self._lasts, 1.0)))

    def __repr__(self) -> str:
        return f"<popup {self.text!r} {self.role} of {self.actor} at {self.age:.2f} s>"


class Popups(Hearing):
    """The popups of a world, oldest first; iterate over it to draw them.

    Args:
        world: Whose events it hears.
        actor: Only those of one actor, if given.
        lasts: Seconds that one is seen.
        rise: How far it rises, in heights of its text.
        spread: How far apart they start, to either side, in the same unit.
    """

    _tells = ()

    @checked(world=WORLD, actor=ACTOR)
    def __init__(
        self,
        world: World,
        *,
        actor: Actor | str = "",
        lasts: float = 1.0,
        rise: float = 2.0,
        spread: float = 0.8,
    ) -> None:
        self._shown: list[Popup] = []
        self._world = world
        self._lasts, self._rise, self._spread = lasting(lasts), rise, spread
        self._key, self._count = stream_of(world.seed, "popups"), 0
        self._listening = [world.listen_own(name, self._heard, actor=actor) for name in EVENTS]

    def _heard(self, event: Event) -> None:
        gain = event.name in ("scored", "earned")
        parts = read.parts(self._world)
        at = origin(parts, event) if gain else standing(parts, event.actor)
        for text, role, size in _texts(event):
            x = (2 * draw_at(self._key, self._count) - 1) * self._spread
            self._count += 1
            self._shown.append(Popup(text, role, event.actor, at, x, size, self._rise, self._lasts))

    def update(self, seconds: float) -> None:
        """Let *seconds* pass for all of them; those at their end are gone."""
        for popup in self._shown:
            popup.age += seconds
        self._shown = [popup for popup in self._shown if popup.age < self._lasts]

    def __iter__(self) -> Iterator[Popup]:
        return iter(tuple(self._shown))

    def __len__(self) -> int:
        return len(self._shown)


def _texts(event: Event) -> list[tuple[str, Role, float]]:
    """Return (text, role, size) of the popups an event makes: what was really applied, none for nothing."""
    found: list[tuple[str, Role, float]] = []
    if event.name == "damaged":
        if event.amount:
            critical = event.critical
            amount = f"−{_number(event.amount)}{'!' if critical else ''}"
            found.append((amount, "critical" if critical else "damage", 1.5 if critical else 1.0))
        if event.absorbed:
            found.append((f"({_number(event.absorbed)})", "shield", 1.0))
    elif event.name == "healed":
        found.append((f"+{_number(event.amount)}", "heal", 1.0))
    elif event.amount:
        text = f"{'+' if event.amount > 0 else '−'}{_number(abs(event.amount))}"
        found.append((text, "score" if event.name == "scored" else "money", 1.0))
    return found


def _number(amount: float) -> str:
    """Return an amount with one decimal at most; what is there is never shown as 0."""
    return shown(round(amount, 1)) if round(amount, 1) else "<0.1"
