"""Saves: profiles, stores, migration, autosave. What a player earned is never lost.

Start at `open_store`; `Autosaver` saves while a game runs.
"""

from cleaver.errors import MissingExtraError

try:
    import sqlalchemy as _sqlalchemy  # noqa: F401  # before what needs it
except ImportError:
    raise MissingExtraError("saving profiles", "saves") from None

from cleaver.saves.autosave import Autosaver
from cleaver.saves.awaiting import AsyncStore
from cleaver.saves.held import Held
from cleaver.saves.outcomes import Absent, Correction, DamagedProfile, Found, HighScore, Holder, SaveInfo
from cleaver.saves.reports import Failure, Metric
from cleaver.saves.store import Store, open_store
from cleaver.saves.trouble import Trouble
from cleaver.saves.versions import unknown_to

__all__ = [
    "Absent",
    "AsyncStore",
    "Autosaver",
    "Correction",
    "DamagedProfile",
    "Failure",
    "Found",
    "Held",
    "HighScore",
    "Holder",
    "Metric",
    "SaveInfo",
    "Store",
    "Trouble",
    "open_store",
    "unknown_to",
]
