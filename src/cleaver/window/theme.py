"""Theme: every colour and size that a window uses, in one place. Start at `Theme`."""

from __future__ import annotations

from dataclasses import dataclass, field

Colour = tuple[int, int, int]

ROLES: dict[str, Colour] = {
    "normal": (94, 190, 172),
    "low": (240, 154, 66),
    "empty": (120, 128, 138),
    "over": (150, 200, 250),
    "damage": (255, 255, 255),
    "critical": (255, 214, 92),
    "shield": (160, 190, 255),
    "heal": (124, 226, 170),
    "score": (250, 226, 150),
    "money": (250, 204, 80),
}


@dataclass(frozen=True, slots=True)
class Theme:
    """Colours as (red, green, blue), 0 to 255; sizes in units, of which a window of 1280×800 has one a pixel.

    No meaning is in a colour alone: what is low is hatched, a critical hit is larger and has a "!", a gain
    has a sign, a star that is missing is hollow.

    Attributes:
        font: The path of a TrueType file, such as one with the letters of your language; "" for pygame's own.
        roles: Colours by the roles of bars and popups. A mark of a meter that is not named here is drawn as
            "low", any other role as "normal".
    """

    font: str = ""
    text: Colour = (236, 242, 245)
    dim: Colour = (160, 176, 188)
    back: Colour = (12, 26, 38)
    line: Colour = (72, 98, 116)
    accent: Colour = (250, 204, 80)
    ghost: Colour = (226, 222, 206)
    life: Colour = (240, 92, 104)
    problem: Colour = (255, 150, 120)
    opacity: float = 0.86
    small: float = 14
    normal: float = 17
    large: float = 24
    huge: float = 44
    gap: float = 8
    bar: float = 22
    roles: dict[str, Colour] = field(default_factory=lambda: dict(ROLES))

    def role(self, name: str) -> Colour:
        """Return the colour of a bar's or a popup's role."""
        return self.roles.get(name) or self.roles.get("low") or ROLES["low"]
