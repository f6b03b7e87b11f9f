"""Terminal: HUD values as lines of text. Made of block characters, so that a shape tells what a colour does
too.

Start at `bar_text`.
"""

from __future__ import annotations

from cleaver.core.handles import Actor
from cleaver.hud.goods.counters import Counter, slots
from cleaver.hud.vitals.bar import Bar
from cleaver.hud.vitals.popups import Popups
from cleaver.hud.vitals.rings import Ring
from cleaver.rounding import half_up

FULL, GHOST, GAP, SHIELD = "█", "▒", "░", "▓"
STYLES = {"normal": "green", "empty": "dim", "over": "bright_cyan"}
"""rich styles by role; any mark not named here is drawn as a warning."""
WARNING = "bold yellow"


def style_of(role: str) -> str:
    """Return the rich style of a bar's role."""
    return STYLES.get(role, WARNING)


def bar_text(bar: Bar, width: int = 20) -> str:
    """Return a bar as *width* characters: filled, ghost, gap; at least one filled while anything is left, one
    gap while anything is missing."""
    fraction = bar.fraction
    filled = half_up(fraction * width)
    filled = max(filled, 1) if fraction > 0 else 0
    filled = min(filled, width - 1) if fraction < 1 else filled
    ghost = max(min(half_up(bar.ghost * width), width) - filled, 0) if bar.ghost > fraction else 0
    return FULL * filled + GHOST * ghost + GAP * (width - filled - ghost)


def bar_line(bar: Bar, width: int = 20) -> str:
    """Return a bar with its name, label and what it means: "suit ████░░░░ 46/90 low"."""
    role = bar.role
    label = bar.text or bar.percent
    note = "" if role == "normal" else f" {role}"
    shield = f" +{SHIELD * max(1, half_up(bar.shield * width))}" if bar.shield > 0 else ""
    return f"{bar.meter.name} {bar_text(bar, width)}{shield} {label}{note}"


_CLOCK = "○◔◑◕●"


def ring_text(ring: Ring) -> str:
    """Return a ring as one character that fills, with the seconds left: "◑ 1.2 s"."""
    return _CLOCK[int(ring.fraction * (len(_CLOCK) - 1) + 1e-9)] + (
        f" {ring.text} s" if ring.text else " ready"
    )


def popups_text(popups: Popups, actor: str = "") -> str:
    """Return what is rising now, newest last, faded ones in brackets: "−12  +25"; only over one *actor* if
    given."""
    return "  ".join(
        popup.text if popup.alpha >= 1 else f"[{popup.text}]"
        for popup in popups
        if actor in ("", popup.actor)
    )


def counter_text(counter: Counter) -> str:
    """Return a counter with what is on its way to it: "scrip 12 (+6)"; an arrival is marked by *."""
    coming = sum(flight.amount for flight in counter.flights)
    return f"{counter.good} {counter.shown}{'*' if counter.bump > 0 else ''}" + (
        f" (+{coming})" if coming else ""
    )


def slots_text(actor: Actor) -> str:
    """Return a bag as slots: "[pearl][pearl][     ]"."""
    found = slots(actor)
    width = max((len(name) for name in found), default=0)
    return "".join(f"[{name:^{width}}]" for name in found)
