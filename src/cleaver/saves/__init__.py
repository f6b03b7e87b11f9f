"""Saves: profiles, stores, migration, autosave. What a player earned is never lost.

Start at `open_store`; `Autosaver` saves while a game runs.
"""

from cleaver.saves.autosave import Autosaver
from cleaver.saves.outcomes import Absent, Damaged, Found, HighScore, Holder, SaveInfo
from cleaver.saves.store import Held, Store, open_store
from cleaver.saves.tracked import Failure
from cleaver.saves.trouble import Trouble
from cleaver.saves.versions import unknown_to

__all__ = [
    "Absent",
    "Autosaver",
    "Damaged",
    "Failure",
    "Found",
    "Held",
    "HighScore",
    "Holder",
    "SaveInfo",
    "Store",
    "Trouble",
    "open_store",
    "unknown_to",
]
