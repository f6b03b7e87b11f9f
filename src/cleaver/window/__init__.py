"""Window: draws what `hud` computes with pygame. No rule in it; whatever it draws can be asked of `hud`.

Start at `Window` for a loop with frames and keys, at `Overlay` for everything that one player's screen shows,
at `draw_bar` and its like to place single things yourself. Colours and sizes are those of a `Theme`.
"""

import os

from cleaver.errors import MissingExtraError

os.environ.setdefault("PYGAME_HIDE_SUPPORT_PROMPT", "1")  # else it prints a line into a game's output
try:
    import pygame as _pygame  # noqa: F401  # before what needs it
except ImportError:
    raise MissingExtraError("a window", "window") from None

from cleaver.window.contests import draw_clock, draw_combo, draw_levels, draw_scoreboard, draw_stars
from cleaver.window.gear import draw_abilities, draw_shop, draw_worn
from cleaver.window.goods import draw_bag, draw_counter, draw_flights, draw_notices
from cleaver.window.opening import Window
from cleaver.window.overlay import Overlay
from cleaver.window.panels import draw_banner, draw_card, draw_sliders
from cleaver.window.pen import Pen
from cleaver.window.quests import draw_dialogue, draw_log, draw_sign, draw_toast, draw_tracker
from cleaver.window.theme import Theme
from cleaver.window.turns import draw_turns
from cleaver.window.vitals import draw_bar, draw_lives, draw_popups, draw_ring

__all__ = [
    "Overlay",
    "Pen",
    "Theme",
    "Window",
    "draw_abilities",
    "draw_bag",
    "draw_banner",
    "draw_bar",
    "draw_card",
    "draw_clock",
    "draw_combo",
    "draw_counter",
    "draw_dialogue",
    "draw_flights",
    "draw_levels",
    "draw_lives",
    "draw_log",
    "draw_notices",
    "draw_popups",
    "draw_ring",
    "draw_scoreboard",
    "draw_shop",
    "draw_sign",
    "draw_sliders",
    "draw_stars",
    "draw_toast",
    "draw_tracker",
    "draw_turns",
    "draw_worn",
]
