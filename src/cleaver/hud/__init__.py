"""HUD: what to show, computed from state and events. Draws nothing, reads no clock.

Start at `Bar`; `wording` puts events into sentences, `terminal` makes text of the values.
"""

from cleaver.core.story import tale
from cleaver.core.wording import notice, sentence
from cleaver.hud.contests.boards import ComboMeter, LevelBar, MatchClock, Scoreboard, Stars
from cleaver.hud.gear import AbilityRow, ShopRow, WornSlot, abilities, shop, worn
from cleaver.hud.goods.counters import Counter, Flight, Notices, slots
from cleaver.hud.pace import Pace
from cleaver.hud.quests.dialogue import Dialogue
from cleaver.hud.quests.errands import Toast, Toasts, Tracker, line_of, quest_log, shown_achievements, sign
from cleaver.hud.saves.saving import SaveIndicator
from cleaver.hud.screen import frame
from cleaver.hud.sliders import Slider, Sliders
from cleaver.hud.turns import TurnRow, turn_order
from cleaver.hud.vitals.bar import Bar
from cleaver.hud.vitals.popups import Popup, Popups
from cleaver.hud.vitals.rings import CooldownRing, PulseRing, Ring, StatusRing

__all__ = [
    "AbilityRow",
    "Bar",
    "ComboMeter",
    "CooldownRing",
    "Counter",
    "Dialogue",
    "Flight",
    "LevelBar",
    "MatchClock",
    "Notices",
    "Pace",
    "Popup",
    "Popups",
    "PulseRing",
    "Ring",
    "SaveIndicator",
    "Scoreboard",
    "ShopRow",
    "Slider",
    "Sliders",
    "Stars",
    "StatusRing",
    "Toast",
    "Toasts",
    "Tracker",
    "TurnRow",
    "WornSlot",
    "abilities",
    "frame",
    "line_of",
    "notice",
    "quest_log",
    "sentence",
    "shop",
    "shown_achievements",
    "sign",
    "slots",
    "tale",
    "turn_order",
    "worn",
]
